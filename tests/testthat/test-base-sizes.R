# Oversized input is refused by its size, at once; input of the wrong kind by its class.

bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
fit <- quiet_fit(bp, choirs[1:120, ])
at_once <- function(code, class = "orizzonte_error_size") {
  expect_little_work(expect_error(code, class = class))
}

test_that("expressions of thousands of terms, and brackets without end, are refused", {
  sum_text <- paste(rep("loading[B, be2]", 5000), collapse = " + ")
  sum_call <- quote(loading[B, be2])
  for (i in 1:5000) sum_call <- call("+", sum_call, quote(loading[B, be3]))
  at_once(restrict(bp, !!paste(sum_text, "== 1")))
  at_once(do.call(restrict, list(bp, call("==", sum_call, 1))))
  at_once(do.call(quantity, list(bp, q = sum_call)))
  at_once(quantity(bp, q = !!sum_text))
  at_once(do.call(claim, list(bp, H = call(">", sum_call, 0))))
  at_once(effect(bp, stats::as.formula(paste("B ~", paste0("x", 1:5000, collapse = "+")))))
  at_once(parse_address(paste0(strrep("(", 1e5), "x")))
  at_once(parse_address(strrep("x", 1e6)))
  at_once(score_test(fit, !!strrep("(", 1e5)))
  at_once(hold_equal(bp, !!strrep("[", 1e5)))
  # ordinary input is far below the limits
  some <- quote(loading[B, be2])
  for (i in 1:200) some <- call("+", some, quote(loading[B, be3]))
  held <- do.call(restrict, list(bp, call("==", some, 1)))
  expect_length(held$restrict, 1)
  written <- format_restriction(held$restrict[[1]])
  expect_length(gregexpr("loading[B, be3]", written, fixed = TRUE)[[1]], 200)
  folder <- fresh_folder()
  file <- file.path(folder, "b.yaml")
  writeLines(c("constructs: {B: {reflected_in: [a, b, c]}}",
               paste0("restrict: [\"", sum_text, " == 1\"]")), file)
  expect_error(read_blueprint(file), class = "orizzonte_error")
})

test_that("models, lists and criteria beyond any use are refused", {
  at_once(construct(bp, "Z", reflected_in = !!paste0("i", 1:1e5)))
  at_once(construct(bp, "Z", reflected_in = !!paste0("i", 1:2001)))
  at_once(covary(bp, !!paste0("i", 1:3000)))
  at_once(uncorrelate(bp, !!paste0("i", 1:301)))
  at_once({
    many <- bp
    for (i in 1:3000) many <- construct(many, paste0("C", i), reflected_in = !!paste0("c", i, "_",
                                                                                      1:3))
  })
  at_once(criteria(cfi = 1:1e6), "orizzonte_error_input")
  at_once(criteria(significance = stats::runif(1e6)), "orizzonte_error_input")
  at_once(fit_model(bp, choirs, by = setting, levels = 1:1e6), "orizzonte_error")
})

test_that("columns, addresses and bytes of the wrong kind have a class", {
  none <- data.frame(row.names = 1:5)
  for (code in list(quote(fit_model(bp, none)), quote(screen_data(none)),
                    quote(collect_summary(none, bp)), quote(identification(bp, none)),
                    quote(rescue(bp, none))))
    expect_error(eval(code), class = "orizzonte_error_data")
  nested <- data.frame(x = 1:50, y = stats::rnorm(50))
  nested$l <- lapply(1:50, function(i) letters[seq_len(i %% 3)])
  nested$one <- as.list(1:50)
  for (code in list(quote(screen_data(nested)), quote(screen_data(nested, one)),
                    quote(screen_data(nested, x, by = l)), quote(screen_data(nested, x,
                                                                             clusters = l)),
                    quote(fit_model(blueprint("l") |> effect(x ~ y), nested, by = l)),
                    quote(fit_model(blueprint("l") |> effect(x ~ y), nested, clusters = l)),
                    quote(fit_model(blueprint("l") |> effect(x ~ one), nested))))
    expect_error(eval(code), class = "orizzonte_error_data")
  # a list that is not used is no obstacle
  expect_identical(coef(quiet_fit(blueprint("l") |> effect(x ~ y), nested)),
                   coef(quiet_fit(blueprint("l") |> effect(x ~ y), nested[c("x", "y")])))
  address <- parse_address("loading[B, be1]")
  broken <- structure(list(), class = "orizzonte_address")
  for (x in list(address, broken)) {
    for (f in list(blueprint, read_blueprint, screen_data, summary_data, run_study, criteria, main))
      expect_error(f(x), class = "orizzonte_error")
    expect_error(fit_model(bp, choirs, by = !!x), class = "orizzonte_error")
    expect_error(fit_model(bp, choirs, levels = x, by = setting), class = "orizzonte_error")
    expect_error(fit_model(bp, choirs, missing_codes = x), class = "orizzonte_error")
    expect_error(fit_model(bp, choirs, inference = x), class = "orizzonte_error")
    expect_error(construct(bp, x, reflected_in = c(a, b)), class = "orizzonte_error")
    expect_error(estimates(fit, x), class = "orizzonte_error")
    expect_error(criteria(cfi = x), class = "orizzonte_error")
    for (verb in list(claim, quantity, covary, restrict, effect))
      expect_error(do.call(verb, list(bp, q = x)), class = "orizzonte_error")
  }
  expect_error(print(broken), class = "orizzonte_error_object")
  bytes <- "a\xff\xfe"
  Encoding(bytes) <- "UTF-8"
  expect_error(blueprint(bytes), text_pattern("holds_bytes_are_not"),
               class = "orizzonte_error_input")
  expect_error(construct(bp, bytes, reflected_in = c(a, b)), class = "orizzonte_error_input")
  expect_error(construct(bp, "Z", reflected_in = !!c(bytes, "b")), class = "orizzonte_error_input")
  expect_error(fit_model(bp, choirs, inference = bytes), class = "orizzonte_error_input")
  expect_error(residuals(fit, in_units = bytes), class = "orizzonte_error_input")
})

test_that("unnamed columns, and figures given nothing to go by, are refused by class", {
  file <- tempfile(fileext = ".csv")
  utils::write.csv(choirs[1:60, paste0("be", 1:4)], file)
  expect_error(screen_data(read_data_file(file)), text_pattern("column_data_has_no", unnamed = "1"),
               class = "orizzonte_error_data")
  expect_identical(command("screen", file)$code, 2L)
  utils::write.csv(stats::cov(stats::na.omit(choirs[paste0("be", 1:4)])), file)
  expect_identical(command("screen", file)$code, 2L)
  expect_error(loading_plot(fit, wording = NULL), class = "orizzonte_error_input")
  expect_error(path_diagram(fit, groups = character()), class = "orizzonte_error_input")
  some <- choirs[1:25, ]
  some$be1[1:3] <- NA
  found <- as.data.frame(influence(suppressWarnings(quiet_fit(bp, some))))
  expect_gt(nrow(found), 0)
  expect_true(all(is.finite(found$chisq_change)))
})

test_that("an option given twice is refused on the command line, a key given twice in files", {
  model <- extdata("choirs.yaml")
  said <- command("fit", model, extdata("choirs.csv"), "--by", "setting", "--by=town")
  expect_identical(said$code, 2L)
  expect_match(said$err, text_pattern("option_is_given_twice"))
  file <- tempfile(fileext = ".yaml")
  writeLines(c("title: a", "title: b"), file)
  expect_error(read_blueprint(file), class = "orizzonte_error_file")
})

test_that("addresses that no database answers are refused without a stray warning", {
  skip_if_not_installed("RSQLite")
  folder <- fresh_folder()
  csv <- file.path(folder, "choirs.csv")
  utils::write.csv(choirs, csv)
  for (address in c("sqlite:nofile?table=x%zz", "sqlite:nofile%zz", paste0("sqlite:", csv),
                    paste0("sqlite:", csv, "?table=x"), "sqlite:?table=", "sqlite:"))
    expect_no_warning(expect_error(collect_summary(address, bp), class = "orizzonte_error"))
})

test_that("a fit whose parts were changed by hand is not read; a saved one is", {
  readers <- list(estimates, fit_indices, residuals, summary, coef, amendments, r_squared)
  file <- tempfile(fileext = ".rds")
  saveRDS(fit, file)
  again <- readRDS(file)
  for (reader in readers)
    expect_equal(reader(again), reader(fit), ignore_attr = TRUE)
  # data are identified by their dimensions
  changed <- list(
    quote(x$solution$theta[1] <- 2), quote(x$solution$vcov <- NULL),
   quote(x$layout$rows$kind[1] <- "x"),
    quote(x$layout$parameters <- rev(x$layout$parameters)), quote(x$moments[[1]]$n <- 9),
    quote(x$sample$groups[[1]]$blocks <- list()), quote(x$request$multiplier <- "n-1"),
    quote(x$cache <- NULL), quote(x$cache <- list()), quote(x$solution <- list()),
    quote(x$layout <- x$solution), quote(x$digest <- "0"), quote(x$request <- 1))
  for (change in changed) for (from in list(fit, again)) {
    x <- from
    eval(change)
    if (identical(change, quote(x$digest <- "0"))) x <- unserialize(serialize(x, NULL))
    for (reader in readers) expect_error(reader(x), class = "orizzonte_error_object")
  }
  # values that a file claims were computed are computed again
  x <- unserialize(serialize(fit, NULL))
  x$cache$df <- 1000
  expect_identical(df.residual(unserialize(serialize(x, NULL))), df.residual(fit))
  # an open change is not tampering
  bigger <- quiet_fit(bp |> construct("C", reflected_in = sc1:sc4), choirs[1:120, ])
  amended <- suppressMessages(amend(bigger, free = "covariance[be1, be2]", because = "alike"))
  ladder <- suppressMessages(invariance(bp, choirs, by = "setting", rungs = c("metric", "scalar")))
  for (one in c(list(amended), ladder$fits, suppressMessages(loosen(ladder,
                                                                    "metric"))$ladder$fits)) {
    expect_gt(nrow(estimates(one)), 0)
    expect_equal(estimates(unserialize(serialize(one, NULL))), estimates(one), ignore_attr = TRUE)
  }
})

test_that("odd arguments and data that random trials found are answered or refused by class", {
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  fit <- quiet_fit(bp, choirs)
  for (n in list(quote(f(x)), structure(list(), class = "orizzonte_fit"), "a"))
    expect_error(power_of(bp, "loading[B, be2]", n = n, truth = c("loading[B, ]" = .7)),
                 class = "orizzonte_error_input")
  expect_error(model_cutoffs(fit, reps = 20, misspecified = list()),
               text_pattern("misspecified_is_empty"),
               class = "orizzonte_error_input")
  expect_error(main(paste0("x", 1:1e5)), "at most 10,000", class = "orizzonte_error_size")
  # all values of the columns are declared missing, and clusters are requested
  data <- data.frame(be1 = rep(1:5, 20), be2 = rep(5:1, 20), g = rep(letters[1:10], 10))
  screened <- screen_data(data, clusters = g, missing_codes = 1:10)
  expect_output(print(screened), "be1")
  # numbers whose squares overflow
  huge <- data.frame(a = c(1.7, -1, -1.2, -1.6, .16, .5, -.07, -.3) * 1e200, b = 1:8, c = 1:8 + 0.5)
  expect_output(print(suppressWarnings(screen_data(huge))), "b")
})

test_that("what is wrong with a small incomplete sample with codes can be told", {
  data <- data.frame(be1 = c(1, 0, -1, -2, -2, 0, NA, NA, -2),
                     be2 = c(0.24, NA, 0.73, 0.47, -0.53, -2.15, -1.38, 0.39, -1.01),
                     be3 = c(NA, -0.65, 0.07, -0.19, -2.03, -0.82, -1.27, NA, -0.74),
                     be4 = c(-0.34, -0.16, -1.45, -0.29, 0.65, -0.24, 0.2, NA, -3.01))
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  found <- tryCatch(suppressWarnings(quiet_fit(bp, data)), orizzonte_error = identity)
  expect_true(inherits(found, c("orizzonte_fit", "orizzonte_error")))
  if (inherits(found, "orizzonte_fit")) expect_output(print(summary(found)), "9")
  # where chi-square is not known, nothing is judged
  expect_true(is.na(critical_n(NA_real_, 3)))
  table <- data.frame(index = c("p", "cfi"), value = NA_real_, verdict = NA_character_)
  expect_match(read_indices(table, 3, criteria()), text_pattern("claim_not_judged"))
})
