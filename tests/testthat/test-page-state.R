# The live page without a browser: actions on the state, the SVG, the panels, and the script.

inside <- asNamespace("orizzonte")
act <- function(state, ...) inside$page_act(state, list(...))
current <- function(state) inside$current_version(state)
singing <- function() {
  blueprint("Singing") |>
    construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |>
    effect(Calm ~ Belonging)
}
opened <- function(bp = singing(), ...) inside$page_from(bp, choirs, "choirs", list(...))
chisq <- function(state) fit_indices(current(state)$fit)$value[1L]

# Runs a script in a new R session; what it prints last is read back.
run_script <- function(lines, show) {
  file <- tempfile(fileext = ".R")
  writeLines(c(lines, show), file)
  out <- system2(file.path(R.home("bin"), "Rscript"), shQuote(file), stdout = TRUE, stderr = FALSE)
  out[length(out)]
}

test_that("a model is built from nothing to a fit", {
  state <- opened(blueprint("Mine"))
  expect_null(current(state)$fit)
  expect_null(inside$page_arrangement(current(state)))
  state <- act(state, do = "add_construct", name = "Belonging", items = list("be1", "be2", "be3"))
  expect_s3_class(current(state)$fit, "orizzonte_fit")
  state <- act(state, do = "place", construct = "Belonging", items = list("be4"))
  state <- act(state, do = "add_construct", name = "Calm", items = c("sc1", "sc2", "sc3", "sc4"))
  state <- act(state, do = "relate", relation = "effect", first = "Belonging", second = "Calm")
  direct <- quietly(fit_model(singing(), choirs))
  expect_equal(chisq(state), fit_indices(direct)$value[1L], tolerance = 1e-10)
  state <- act(state, do = "relate", relation = "covariance", first = "be1", second = "be2")
  expect_lt(chisq(state), fit_indices(direct)$value[1L])
  # an item that moves leaves its construct; a construct without items is removed
  moved <- act(state, do = "place", construct = "Calm", items = list("be3"))
  expect_identical(current(moved)$blueprint$constructs$Belonging$items, c("be1", "be2", "be4"))
  gone <- act(moved, do = "place", construct = "Calm", items = list("be1", "be2", "be4"))
  expect_identical(names(current(gone)$blueprint$constructs), "Calm")
})

test_that("an error leaves the model as it was and says what is wrong", {
  state <- opened()
  refused <- act(state, do = "relate", relation = "effect", first = "Belonging", second = "Calm")
  expect_length(refused$versions, 1L)
  expect_match(paste(refused$message, collapse = " "), "twice")
  expect_match(inside$page_places(refused)$panel, "role=\"alert\"", fixed = TRUE)
  no_reason <- act(state, do = "free", address = "covariance[be1, be2]", because = "  ")
  expect_match(no_reason$message[1L], "reason")
  expect_null(act(no_reason, do = "stage", stage = "amend")$message)
  expect_match(act(state, do = "free", address = "covariance[be1, nobody]",
                   because = "x")$message[1L], "nobody")
  expect_identical(act(state, do = "nothing of the kind"), state)
  # a model that cannot be fitted is kept, with the reason
  two <- act(opened(blueprint("Two")), do = "add_construct", name = "A", items = c("be1", "be2"))
  expect_null(current(two)$fit)
  expect_match(paste(current(two)$problem, collapse = " "), "identified")
})

test_that("freeing adds a revision; undo and versions lead back", {
  state <- act(opened(), do = "stage", stage = "amend")
  expect_s3_class(state$found$amendments, "orizzonte_amendments")
  state <- act(state, do = "free", address = "covariance[be1, be2]", because = "both greet")
  direct <- quietly(amend(fit_model(singing(), choirs), free = covariance[be1, be2],
                          because = "both greet"))
  expect_identical(coef(current(state)$fit), coef(direct))
  expect_identical(nrow(trail(current(state)$fit)), 2L)
  expect_match(inside$page_places(state)$panel, "both greet")
  back <- act(state, do = "back")
  expect_identical(back$at, 1L)
  expect_identical(act(back, do = "go", version = 2L)$at, 2L)
  for (version in list(0L, 3L, "x", -1L))
    expect_identical(act(back, do = "go", version = version)$at, 1L)
  # leaving out with a reason is also a revision; without one, it is another theory
  with_reason <- act(state, do = "omit", address = "effect[Belonging, Calm]", because = "no cause")
  expect_identical(current(with_reason)$kind, "amend")
  without <- act(state, do = "omit", address = "effect[Belonging, Calm]")
  expect_identical(current(without)$kind, "model")
  held <- act(opened(), do = "hold", address = "effect[Belonging, Calm]", value = "0.5")
  expect_equal(unname(coef(current(held)$fit)["effect[Belonging, Calm]"]), NA_real_)
})

test_that("parameters are made equal and released; hypotheses stand beside the fit", {
  state <- opened(claim(singing(), H1 = effect[Belonging, Calm] > 0))
  equal <- act(state, do = "equate", address = "loading[Belonging, be2]",
               other = "loading[Belonging, be3]")
  rows <- estimates(current(equal)$fit)
  value <- function(name) rows$estimate[rows$parameter == name]
  expect_equal(value("loading[Belonging, be2]"), value("loading[Belonging, be3]"))
  chosen <- act(equal, do = "choose", address = "loading[Belonging, be2]")
  expect_match(inside$page_places(chosen)$drawing, "data-do=\"release\"", fixed = TRUE)
  free <- act(chosen, do = "release", address = "loading[Belonging, be2]")
  expect_equal(chisq(free), chisq(state), tolerance = 1e-8)
  expect_match(inside$page_places(act(state, do = "stage", stage = "fit"))$panel, "H1")
  moves <- act(state, do = "stage", stage = "amend") |> act(do = "refits", top = 5L)
  expect_match(inside$page_places(moves)$panel, "would change", fixed = TRUE)
})

test_that("hypotheses are written, judged, taken away, and leave the history as it is", {
  state <- act(opened(), do = "free", address = "covariance[be1, be2]", because = "both greet") |>
    act(do = "claim", statement = " effect[Belonging, Calm] > 0 ") |>
    act(do = "claim", statement = "effect[Belonging, Calm] == 0", name = "No effect")
  bp <- current(state)$blueprint
  expect_identical(bp$claims, c(H1 = "effect[Belonging, Calm] > 0",
                                `No effect` = "effect[Belonging, Calm] == 0"))
  expect_identical(nrow(trail(current(state)$fit)), 2L)
  shown <- inside$page_places(act(state, do = "stage", stage = "fit"))$panel
  expect_match(shown, "No effect", fixed = TRUE)
  expect_match(inside$page_places(state)$panel, "Added hypothesis No effect", fixed = TRUE)
  state <- act(state, do = "stage", stage = "model")
  expect_match(inside$page_places(state)$panel, "data-name=\"No effect\"", fixed = TRUE)
  expect_match(inside$page_places(state)$panel, "value=\"H2\"", fixed = TRUE)
  gone <- act(state, do = "unclaim", name = "H1")
  expect_identical(names(current(gone)$blueprint$claims), "No effect")
  for (wrong in list("", "effect[Belonging, Calm]", "system('ls') > 0", "effect[a", NULL,
                     "loading[Belonging, nobody] > 0")) {
    refused <- act(state, do = "claim", statement = wrong)
    expect_identical(refused$at, state$at)
    expect_gt(nchar(refused$message[1L]), 20L)
  }
  taken <- act(state, do = "claim", statement = "effect[Belonging, Calm] < 0", name = "H1")
  expect_match(taken$message, "H1")
  expect_identical(current(taken)$blueprint$claims, current(state)$blueprint$claims)
  # the field begins with the path that was chosen
  chosen <- act(state, do = "choose", address = "effect[Belonging, Calm]")
  expect_match(inside$page_places(chosen)$panel, "value=\"effect[Belonging, Calm] &gt; 0\"",
               fixed = TRUE)
})

test_that("repeated constructs are compared over groups, times or both", {
  waves <- blueprint("Calm over two concerts") |>
    repeated("Calm", times = list(Calm_first = ca1_t1:ca4_t1, Calm_second = ca1_t2:ca4_t2))
  data <- choirs_concerts
  data$site <- rep(c("north", "south"), length.out = nrow(data))
  state <- inside$page_from(waves, data, "data", list()) |> act(do = "stage", stage = "groups")
  expect_s3_class(current(state)$fit, "orizzonte_fit")
  panel <- inside$page_places(state)$panel
  expect_match(panel, "<option value=\"\">no groups</option>", fixed = TRUE)
  expect_match(panel, "<option value=\"times\">times</option>", fixed = TRUE)
  direct <- function(...) quietly(invariance(waves, data, ...))$table$chisq
  found <- function(...) act(state, do = "ladder", ...)$found$ladder$table$chisq
  expect_identical(found(by = ""), direct())
  expect_identical(found(by = "site"), direct(by = "site"))
  expect_identical(found(by = "site", over = "times"), direct(by = "site", over = "times"))
  expect_match(act(state, do = "ladder", by = "", over = "groups")$message[1L], "group")
})

test_that("a ladder takes the options of the page; long jobs need what they start from", {
  state <- opened(inference = "robust", clusters = "town")
  ladder <- act(state, do = "ladder", by = "setting")$found$ladder
  direct <- quietly(invariance(singing(), choirs, by = "setting", inference = "robust",
                               clusters = "town"))
  expect_identical(ladder$table$chisq, direct$table$chisq)
  # groups of the page's own are replaced by the chosen ones
  grouped <- opened(by = "setting", levels = c("weekend", "evening"))
  expect_null(act(grouped, do = "ladder", by = "setting")$message)
  expect_match(act(state, do = "loosen", rung = "metric")$message, "invariance")
  expect_match(act(opened(blueprint("Empty")), do = "bootstrap")$message, "fitted")
  expect_match(act(state, do = "bootstrap", reps = "many")$message[1L], "reps")
  few <- act(state, do = "bootstrap", reps = "20")
  expect_identical(nrow(few$found$bootstrap$values), 20L)
  expect_true("bootstrap_fit(fit, reps = 20, seed = 1)" %in% inside$page_script(few))
})

test_that("refitted drops are asked for in two parts, and only on their stage", {
  state <- act(opened(), do = "stage", stage = "amend")
  expect_identical(inside$next_refits(state)$top, 5L)
  expect_null(inside$next_refits(act(state, do = "stage", stage = "fit")))
  five <- act(state, do = "refits", top = 5L)
  expect_identical(inside$next_refits(five)$top, 20L)
  expect_null(inside$next_refits(act(five, do = "refits", top = 20L)))
  expect_identical(inside$next_refits(act(five, do = "free", address = "covariance[be1, be2]",
                                          because = "both greet"))$top, 5L)
})

test_that("undoing wrong data brings the right ones back", {
  state <- opened()
  file <- tempfile(fileext = ".csv")
  writeLines(c("x,y", "1,2", "3,4"), file)
  wrong <- act(state, do = "use_data", file = file, name = "wrong.csv")
  expect_null(current(wrong)$fit)
  expect_identical(wrong$source$file, "wrong.csv")
  back <- act(wrong, do = "back")
  expect_identical(back$data, choirs)
  expect_identical(back$source$name, "choirs")
  again <- act(back, do = "relate", relation = "covariance", first = "be1", second = "be2")
  expect_s3_class(current(again)$fit, "orizzonte_fit")
  broken <- tempfile(fileext = ".yaml")
  writeLines(c("constructs: [", "  -"), broken)
  refused <- act(state, do = "open", file = broken, name = "broken.yaml")
  expect_match(refused$message[1L], "\"broken.yaml\"", fixed = TRUE)
  expect_identical(refused$at, state$at)
})

test_that("groups, measures and every stage show themselves", {
  state <- opened()
  for (stage in inside$page_stages) {
    state <- act(state, do = "stage", stage = stage)
    places <- inside$page_places(state, inside$page_arrangement(current(state)))
    expect_true(all(nzchar(unlist(places[c("head", "drawing", "panel")]))))
    expect_match(places$head, paste0("aria-current=\"page\""), fixed = TRUE)
  }
  state <- act(state, do = "stage", stage = "groups") |> act(do = "ladder", by = "setting")
  expect_s3_class(state$found$ladder, "orizzonte_ladder")
  state <- act(state, do = "loosen", rung = "metric")
  expect_length(state$found$loosened, 1L)
  expect_match(inside$page_places(state)$panel, "scalar")
  expect_match(act(state, do = "ladder", by = "nobody")$message[1L], "nobody")
})

test_that("the SVG has a part for every path, with its address, in any state", {
  state <- opened()
  panel <- inside$page_arrangement(current(state))
  svg <- as.character(inside$page_svg(panel, "effect[Belonging, Calm]",
                                      c(be1 = "<b>People & \"friends\"</b>")))
  drawn <- regmatches(svg, gregexpr("data-address=\"[^\"]*\"", svg))[[1L]]
  rows <- estimates(current(state)$fit)
  paths <- rows$parameter[rows$kind %in% c("loading", "effect", "residual variance",
                                           "disturbance variance")]
  expect_true(all(paste0("data-address=\"", paths, "\"") %in% drawn))
  expect_match(svg, "aria-pressed=\"true\"", fixed = TRUE)
  expect_false(grepl("<b>People", svg, fixed = TRUE))
  # positions are kept when a value changes
  saved <- inside$arrangement_value(panel)
  without <- act(state, do = "omit", address = "effect[Belonging, Calm]", because = "no cause")
  again <- inside$page_arrangement(current(without), saved)
  at <- match(panel$nodes$name, again$nodes$name)
  expect_equal(again$nodes$x[at], panel$nodes$x, tolerance = 0.02)
  expect_equal(again$nodes$y[at], panel$nodes$y, tolerance = 0.02)
  theory <- inside$page_arrangement(inside$new_version("model", singing()))
  expect_identical(nrow(theory$nodes), 10L)
})

test_that("a grouped fit shows the group that is chosen", {
  state <- opened(by = "setting")
  groups <- current(state)$fit$layout$groups
  drawn <- function(state) {
    as.character(inside$page_svg(inside$page_arrangement(current(state), group = state$group)))
  }
  second <- act(state, do = "group", group = groups[2L])
  expect_match(drawn(state), paste("|", groups[1L]), fixed = TRUE)
  expect_match(drawn(second), paste("|", groups[2L]), fixed = TRUE)
  expect_match(inside$page_places(second)$drawing, groups[2L], fixed = TRUE)
  expect_identical(drawn(act(state, do = "group", group = "nobody")), drawn(state))
})

test_that("odd names and texts are shown as text", {
  set.seed(1)
  data <- as.data.frame(matrix(stats::rnorm(900), 300) + stats::rnorm(300))
  names(data) <- c("a <b> \"q\"", "x & y", "z'")
  bp <- blueprint("T <i>") |> construct("A & <B>", reflected_in = all_of(names(data))) |>
    wording("x & y" = "text <script>alert(1)</script>")
  state <- inside$page_from(bp, data, "data", list())
  panel <- inside$page_arrangement(current(state))
  state <- act(state, do = "choose", address = "loading[`A & <B>`, `x & y`]")
  for (stage in inside$page_stages) {
    state <- act(state, do = "stage", stage = stage)
    expect_null(state$message)
    shown <- inside$page_places(state, panel)
    expect_false(grepl("<script|<i>|<B>|<b> ", paste(unlist(shown[c("head", "drawing", "panel")]),
                                                    collapse = " ")), label = stage)
  }
  skip_if_not_installed("xml2")
  drawn <- inside$page_svg(panel, wordings = inside$page_wordings(state))
  svg <- xml2::read_xml(as.character(drawn))
  parts <- xml2::xml_attr(xml2::xml_find_all(svg, ".//*[@data-address]"), "data-address")
  expect_true("variance[`a <b> \"q\"`]" %in% parts)
  text <- xml2::xml_text(xml2::xml_find_all(svg, ".//*[local-name()='text']"))
  expect_true(all(c("x & y", "z'") %in% text))
})

test_that("the script gives the last fit of the page digit for digit", {
  data <- choirs
  file <- tempfile(fileext = ".csv")
  utils::write.csv(data[c(paste0("be", 1:4), paste0("sc", 1:4), "setting")], file,
                   row.names = FALSE)
  state <- inside$page_from(singing(), file, NULL, list(inference = "robust")) |>
    act(do = "free", address = "covariance[be1, be2]", because = "they say \"hello\" \\ twice") |>
    act(do = "omit", address = "effect[Belonging, Calm]", because = "no cause") |>
    act(do = "ladder", by = "setting") |> act(do = "loosen", rung = "metric")
  script <- inside$page_script(state)
  shown <- run_script(script, "cat(format(deviance(fit), digits = 17), names(coef(fit))[1])")
  expect_identical(shown, paste(format(deviance(current(state)$fit), digits = 17),
                                names(coef(current(state)$fit))[1L]))
  ladder <- run_script(script, "cat(format(deviance(loosened$fit), digits = 17))")
  expect_identical(ladder, format(deviance(state$found$loosened[[1L]]$fit), digits = 17))
  # data from memory are named, and checked
  own <- inside$page_script(opened())
  expect_true("data <- choirs" %in% own)
  expect_true(any(startsWith(own, "stopifnot(nrow(data) == 720L")))
})

test_that("the study file of the page runs", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "choirs.csv")
  utils::write.csv(choirs, file, row.names = FALSE)
  state <- inside$page_from(singing(), file, NULL,
                            list(inference = "robust", clusters = "town", multiplier = "n")) |>
    act(do = "free", address = "covariance[be1, be2]", because = "both greet") |>
    act(do = "stage", stage = "measures") |> act(do = "ladder", by = "setting") |>
    act(do = "loosen", rung = "metric") |> act(do = "bootstrap", reps = "20")
  for (name in c("study", "blueprint")) {
    made <- inside$page_file(state, name)
    writeBin(jsonlite::base64_dec(made$content), file.path(folder, made$name))
  }
  expect_match(readLines(file.path(folder, "study.yaml"))[1L], "multiplier")
  made <- quietly(run_study(file.path(folder, "study.yaml")))
  expect_equal(deviance(made$fit), deviance(current(state)$fit), tolerance = 1e-10)
  expect_identical(nrow(trail(made$fit)), 2L)
  expect_equal(vcov(made$fit), vcov(current(state)$fit), tolerance = 1e-8)
  expect_identical(names(made), c("fit", "quality", "bootstrap", "invariance", "report"))
})

test_that("what cannot be opened is refused by name", {
  expect_error(live_page(42, choirs), class = "orizzonte_error_input")
  expect_error(live_page(singing(), choirs, infrence = "robust"), "inference",
               class = "orizzonte_error_input")
  expect_error(live_page(singing(), choirs, port = 80), class = "orizzonte_error_input")
  expect_error(live_page(singing(), 5), class = "orizzonte_error_data")
  expect_error(live_page(singing(), "nowhere.csv"), class = "orizzonte_error_file")
  skip_if_not_installed("httpuv")
  server <- httpuv::startServer("127.0.0.1", httpuv::randomPort(), list())
  on.exit(server$stop())
  expect_error(live_page(singing(), choirs, port = server$getPort()), "in use",
               class = "orizzonte_error_input")
  expect_error(live_page(singing(), choirs, open = NA), class = "orizzonte_error_input")
  expect_error(live_page("nowhere.yaml", choirs), class = "orizzonte_error_file")
  # a fit brings its data and options
  fit <- quietly(fit_model(singing(), choirs, inference = "robust"))
  state <- inside$page_from(fit, NULL, NULL, list())
  expect_identical(state$options$inference, "robust")
  expect_equal(chisq(state), fit_indices(fit)$value[1L])
})

test_that("the page has no statistics, thresholds or sentences of its own", {
  folder <- Filter(dir.exists, c("../../R", "../../00_pkg_src/orizzonte/R"))
  skip_if(length(folder) == 0L, "the sources are not beside the tests")
  files <- list.files(folder[1L], "^page.*[.]R$", full.names = TRUE)
  own <- files[!grepl("-texts[.]R$", files)]
  used <- unlist(lapply(own, function(file) all.names(parse(file, keep.source = FALSE))))
  expect_length(intersect(used, c("pchisq", "pnorm", "qnorm", "pt", "qt", "cor", "cov", "solve",
                                  "chol", "sd", "var", "lm", "core_fit")), 0L)
  compared <- unlist(lapply(own, function(file) {
    found <- character()
    walk <- function(x) {
      if (!is.call(x)) return()
      if (as.character(x[[1L]])[1L] %in% c("<", ">", "<=", ">=") &&
          any(vapply(as.list(x)[-1L], function(part) is.numeric(part) && part %% 1 != 0, NA)))
        found <<- c(found, deparse(x))
      for (part in as.list(x)) if (!missing(part)) walk(part)
    }
    for (x in as.list(parse(file, keep.source = FALSE))) walk(x)
    found
  }))
  expect_length(compared, 0L)
})
