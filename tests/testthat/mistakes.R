# The commonest mistakes of a newcomer, as they would be typed. What each is told is kept under
# snapshot (test-mistakes.R): what is wrong, where, and what to write instead.

start <- function() {
  blueprint("Choir") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4)
}
choir <- choirs[1:300, ]
fit <- quiet_fit(start() |> effect(Calm ~ Belonging), choir)
groups <- quiet_fit(start(), choir, by = "setting")
ladder <- suppressMessages(invariance(start(), choir, by = "setting"))
coded <- transform(choir, be1 = ifelse(seq_along(be1) == 3, "n/a", be1))

mistakes <- expression(
  # constructs
  construct(blueprint("x"), "A", be1, be2, be3),
  construct(blueprint("x"), "A", be1, be2, be3, be4, sc1),
  construct(blueprint("x"), "A", reflected_in = be1 + be2 + be3),
  construct(blueprint("x"), "A", reflected_in = list(be1, be2)),
  construct(blueprint("x"), "A", reflected_in = choir$be1),
  construct(blueprint("x"), A, reflected_in = be1:be4),
  construct("A", reflected_in = be1:be4),
  construct(blueprint("x"), reflected_in = be1:be4),
  construct(blueprint("x"), "A", items = c("be1", "be2")),
  construct(blueprint("x"), "A ~ be1 + be2"),
  construct(blueprint("x"), "A", reflected_in = be1:sc4),
  construct(start(), "Belonging", reflected_in = cr1:cr4),
  construct(blueprint("x"), "A", reflected_in = c(be1, be1, be2)),
  # effects and covariances
  effect(start(), Belonging, Calm),
  effect(start(), Calm = Belonging),
  effect(start(), ~ Belonging),
  effect(start(), Calm ~ Belonging:age),
  effect(start(), Calm ~ Belonging * age),
  effect(start(), Calm ~ Calm),
  covary(start(), be1 ~ be2),
  covary(start(), "be1 ~ be2"),
  covary(start(), be1),
  # restrictions and addresses
  restrict(start(), Belonging == 1),
  restrict(start(), b1 == b2),
  restrict(start(), variance(Belonging) == 1),
  restrict(start(), loadings[Belonging, be2] == 1),
  restrict(start(), loading[Belonging] == 1),
  restrict(start(), loading[Belonging, be2] > 0),
  restrict(start(), loading[Belonging, be2]),
  restrict(start(), total[Belonging, Calm] == 1),
  fit_model(restrict(start(), loading[be2, Belonging] == 1), choir),
  hold_equal(start(), "metric"),
  hold_equal(start(), "loadings"),
  quantity(start(), ind = a * b),
  claim(start(), H1 = "Belonging > Calm"),
  # data
  fit_model(choir, start()),
  fit_model(start()),
  fit_model(start(), "choirs.csv"),
  fit_model(start(), choir[0, ]),
  fit_model(start(), coded),
  fit_model(start(), cov(na.omit(choir[4:11]))),
  fit_model(blueprint("x"), choir),
  fit_model(construct(blueprint("x"), "A", reflected_in = "be1:be4"), choir),
  fit_model(construct(blueprint("x"), "A", reflected_in = "be1 + be2 + be3"), choir),
  fit_model(construct(blueprint("x"), "A", reflected_in = c(Be1, be2, be3)), choir),
  fit_model(construct(blueprint("x"), "A", reflected_in = c(singer, be1, be2)), choir),
  fit_model(construct(blueprint("x"), "A", reflected_in = c(be1, be2)), choir),
  fit_model(effect(start(), Calm ~ Belongin), choir),
  fit_model(effect(start(), Staying ~ Calm), choir),
  summary_data(diag(3), 100),
  # groups
  fit_model(start(), choir, by = seting),
  fit_model(start(), choir, by = choir$setting),
  fit_model(start(), choir, group = "setting"),
  # how cases are taken
  fit_model(start(), choir, inference = "robst"),
  fit_model(start(), choir, inference = "normal", clusters = town),
  fit_model(start(), choir, adjust = "mean and variance"),
  fit_model(start(), choir, incomplete = "keep", multiplier = "n-1"),
  fit_model(start(), choir, missing = "keep"),
  fit_model(start(), choir, clusters = twon),
  fit_model(start(), choir, clusters = c(town, setting)),
  fit_model(start(), choir, weights = singer),
  fit_model(start(), choir, weights = be1),
  fit_model(start(), choir, auxiliary = be1),
  fit_model(start(), choir, auxiliary = ages),
  fit_model(start(), choir, by = setting, clusters = town),
  fit_model(start(), summary_data(cov(choir[paste0("be", 1:4)], use = "complete.obs"), 600),
            inference = "robust"),
  group_gaps(groups),
  invariance(start(), choir),
  invariance(groups),
  invariance(start(), choir, by = "setting", rungs = c("metric", "scaler")),
  latent_means(groups),
  loosen(ladder, "strong"),
  # readers
  estimates(start()),
  estimates(fit, standardized = TRUE),
  amendments(start()),
  score_test(fit, "loading[be2, Calm]"),
  score_test(fit, "effect[Calm, Belonging]"),
  amend(fit, free = "be1, be2", because = "x"),
  compare_models(fit),
  compare_models(fit, start()),
  fit_indices(fit, "CFI"),
  read_blueprint("nowhere.yaml"),
  write_report(fit),
  write_report(fit, "report.pdf"),
  path_diagram(start())
)
