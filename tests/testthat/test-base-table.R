# Tables and lines within the width of the window.

at_width <- function(width, code) {
  before <- options(width = width)
  on.exit(options(before))
  force(code)
}
columns <- list(name = c("alpha", "beta"), a = c("1.00", "22.00"), b = c("3.00", "4.00"),
                c = c("5.00", "6.00"), words = c("short", "a longer remark of several words"))
aligned <- c(FALSE, TRUE, TRUE, TRUE, FALSE)

test_that("a table that fits stays as it is", {
  lines <- at_width(80, format_table(columns, aligned, spare = "a"))
  expect_length(lines, 3)
  expect_identical(lines[2], "  alpha   1.00  3.00  5.00  short")
})

test_that("the spare columns make room, as few as must, and are named", {
  wide <- c(columns[1:4], list(words = c("x", strrep("y", 34))))
  lines <- at_width(60, format_table(wide, aligned, spare = c("b", "a", "c")))
  expect_identical(lines[1], "  name       a     c  words")
  expect_identical(lines[4], "  (in a wider window also: b)")
  expect_true(all(nchar(lines) <= 60))
  lines <- at_width(60, format_table(c(wide[1:4], list(words = c("x", strrep("y", 48)))), aligned,
                                     spare = c("b", "a", "c")))
  expect_identical(lines[4], "  (in a wider window also: b, a and c)")
})

test_that("where the spare columns would not do, nothing is left out", {
  numbers <- stats::setNames(rep(list(c("123.456", "7.890")), 12), paste0("column", 1:12))
  lines <- at_width(60, format_table(c(list(name = c("alpha", "beta")), numbers),
                                     c(FALSE, rep(TRUE, 12)), spare = "column1"))
  expect_true(all(nchar(lines) <= 60))
  expect_identical(sum(lengths(regmatches(lines, gregexpr("column[0-9]+", lines)))), 12L)
  expect_false(any(grepl("wider", lines)))
  expect_true(all(grepl("^  (name|alpha|beta)", lines[nzchar(lines)])))
})

test_that("a last column of words goes on below itself", {
  long <- "words enough to fill more than the line that is left for them beside the others"
  lines <- at_width(60, format_table(c(columns[1:4], list(words = c("short", long))), aligned))
  expect_true(all(nchar(lines) <= 60))
  start <- regexpr("words", lines[1])[1]
  expect_identical(paste(trimws(substring(lines[3:length(lines)], start)), collapse = " "), long)
  expect_identical(trimws(substr(lines[4], 1, start - 1)), "")
})

test_that("one column, no rows, and letters of any width", {
  expect_identical(at_width(60, format_table(list(name = c("a", "b")), FALSE)),
                   c("  name", "  a", "  b"))
  expect_identical(at_width(60, format_table(list(name = character(), x = character()))),
                   "  name  x")
  skip_if_not(isTRUE(l10n_info()[["UTF-8"]]))
  wide <- list(name = c("\u65e5\u672c\u8a9e", "b"), value = c("1", "2"))
  expect_identical(nchar(at_width(60, format_table(wide, c(FALSE, TRUE))), "width"),
                   rep(15L, 3))
})

test_that("lines are folded, commands to be pasted are not", {
  line <- paste("  - ", strrep("word ", 30))
  folded <- at_width(60, fold_lines(line))
  expect_true(all(nchar(folded) <= 60))
  expect_true(all(startsWith(folded[-1], "    word")))
  command <- paste0("Next: orizzonte fit ", strrep("a", 80), ".yaml data.csv")
  expect_identical(at_width(60, fold_lines(command)), command)
  expect_identical(at_width(60, fold_lines(c("short", ""))), c("short", ""))
})

test_that("everything that is printed keeps to the window", {
  quiet <- function(code) suppressWarnings(suppressMessages(code))
  start <- read_blueprint(extdata("choirs-start.yaml"))
  halves <- split_data(choirs)
  fit <- quiet(fit_model(start, halves$explore))
  other <- quiet(amend(fit, free = loading[Calm, st2], because = strrep("a long reason ", 12)))
  measured <- read_blueprint(extdata("models/measurement.yaml"))
  ladder <- quiet(invariance(measured, choirs, by = "setting",
                             structural = c("variance[constructs]", "mean")))
  towns <- quiet(fit_model(start, choirs, by = "town"))
  weak <- quiet(fit_model(start, choirs[1:40, ]))
  claimed <- quiet(fit_model(claim(start, H1 = loading[Calm, sc2] > 0), choirs))
  boot <- bootstrap_fit(claimed, 25, list(e = estimates, v = verdicts), seed = 1,
                        interval = "percentile")
  complete <- quiet(fit_model(start, choirs, incomplete = "drop"))
  planned <- quiet(plan_study(measured, n = c(200, 1e4), truth = c("loading[ , ]" = .7), reps = 20,
                              seed = 1))
  over_times <- quiet(invariance(
    repeated(blueprint("Two concerts"), "Calm", times = list(Calm_first = ca1_t1:ca4_t1,
                                                             Calm_second = ca1_t2:ca4_t2)),
    choirs_concerts, by = "setting"))
  values <- list(
    start, read_blueprint(extdata("models/equations.yaml")), identification(start, choirs),
    screen_data(choirs, by = setting), screen_data(choirs_troubled),
    read_summary_data(extdata("choirs-summary.csv")), fit, summary(fit), weak, summary(weak),
    summary(towns), criteria(cfi = c(.97, .95)), estimates(fit), estimates(towns),
    fit_indices(fit), effects(fit), equations(fit), r_squared(towns), verdicts(fit),
    residuals(fit), residuals(towns, "correlation"), residuals(fit, largest = 5),
    residuals(fit, "own_se", largest = 5), quiet(amendments(fit, top = 3, all = TRUE)),
    quiet(amendments(towns, top = 0)), score_test(fit, covariance[be1, be2], covariance[sc1, sc2]),
    quiet(without(fit)), trail(other), compare_models(fit, other), side_by_side(fit, other),
    confirm(other, halves$confirm), ladder, latent_means(ladder), noninvariance(ladder),
    quiet(loosen(ladder, "scalar")), compare_groups(towns), implied(fit), observed(towns),
    boot, estimates(claimed, bootstrap = boot), summary(claimed, bootstrap = boot),
    bootstrap_test(fit, reps = 20, seed = 1), bootstrap_test(ladder, reps = 5, seed = 1),
    model_cutoffs(complete, reps = 20, seed = 1),
    power_of(fit, "loading[Calm, sc2]", n = c(50, 1e6)), planned, influence(towns),
    robustness(claimed), collect_summary(choirs, measured),
    collect_summary(stats::na.omit(choirs), measured),
    over_times, latent_means(over_times), noninvariance(over_times), over_times$blueprint,
    construct_quality(towns, leave_out = "none"), quiet(construct_quality(fit)),
    variance_split(quiet(fit_model(read_blueprint(extdata("models/bifactor.yaml")),
                                   choirs_bifactor))))
  for (width in c(60, 80, 120)) {
    at_width(width, for (k in seq_along(values)) {
      lines <- capture.output(print(values[[k]]))
      expect_lte(max(nchar(lines, "width")), width,
                 label = paste0("width of value ", k, " (", class(values[[k]])[1], ")"))
    })
  }
})
