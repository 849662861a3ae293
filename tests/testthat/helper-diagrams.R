# Fits of every kind of model that the demo data allow.
demo_fits <- function() {
  measurement <- blueprint("Measurement") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |>
    construct("Craft", reflected_in = cr1:cr4) |> construct("Staying", reflected_in = st1:st3) |>
      covary(be1, be2)
  list(
    measurement = quiet_fit(measurement, choirs),
    structural = quiet_fit(measurement |>
                           effect(Staying ~ Belonging + Calm + years, Calm ~ Craft + Belonging),
                           choirs),
    one = quiet_fit(blueprint("One") |> construct("Belonging", reflected_in = be1:be3), choirs),
    composite = quiet_fit(blueprint("Composite") |>
                          construct("Belonging", reflected_in = be1:be4) |>
                          construct("Calm", reflected_in = sc1:sc4) |>
                            construct("Resources", composed_of = c(rooms, scores, coach)) |>
                            construct("Staying", reflected_in = st1:st3) |>
                            effect(Staying ~ Belonging + Calm + years,
                                   Belonging + Calm ~ Resources) |> covary(be1, be2), choirs),
    second_order = fit_model(blueprint("Second order") |> construct("Ear",
        reflected_in = ear1:ear4) |> construct("Voice", reflected_in = voice1:voice4) |>
                               construct("Score", reflected_in = score1:score4) |>
                               construct("Musical", reflected_in = c(Ear, Voice, Score)),
                               choirs_bifactor),
    bifactor = fit_model(blueprint("Bifactor") |>
                         construct("General", reflected_in = all_of(names(choirs_bifactor))) |>
                           construct("Ear", reflected_in = ear1:ear4) |>
                           construct("Voice", reflected_in = voice1:voice4) |>
                           construct("Score", reflected_in = score1:score4) |>
                           uncorrelate(General, Ear, Voice, Score), choirs_bifactor),
    feedback = quiet_fit(blueprint("Feedback") |> construct("Belonging", reflected_in = be1:be4) |>
                         construct("Staying", reflected_in = st1:st3) |>
                           effect(Belonging ~ Staying + rooms, Staying ~ Belonging + years),
                           choirs),
    paths = quiet_fit(blueprint("Paths") |> effect(st1 ~ be1 + years, be1 ~ years + rooms + age),
                      choirs)
  )
}
