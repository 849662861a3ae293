# Everything that is printed fits a plain terminal of 60 columns.

test_that("whatever is printed fits 60 columns", {
  before <- options(width = 60)
  on.exit(options(before))
  quiet <- function(x) suppressWarnings(suppressMessages(x))
  file <- function(name) read_blueprint(extdata(name))
  bp <- file("choirs.yaml")
  start <- file("choirs-start.yaml")
  fit <- quiet(fit_model(start, choirs))
  other <- quiet(amend(fit, free = "covariance[be1, be2]",
                       because = "both items are about being greeted on arrival at the rehearsal"))
  groups <- quiet(fit_model(bp, choirs, by = "setting"))
  ladder <- quiet(invariance(bp, choirs, by = "setting"))
  concerts <- blueprint("Calm over two concerts") |>
    repeated("Calm", times = list(Calm_first = ca1_t1:ca4_t1, Calm_second = ca1_t2:ca4_t2))
  bifactor <- quiet(fit_model(file("models/bifactor.yaml"), choirs_bifactor))
  truth <- c("loading[ , ]" = .7, "effect[ , ]" = .3)
  loose <- quiet(loosen(ladder, "metric"))
  shown <- list(
    start, concerts, parse_address("loading[Calm, sc2]"), criteria(),
    screen_data(choirs, bp, by = "setting"), screen_data(choirs_troubled),
    read_summary_data(extdata("choirs-summary.csv")), identification(start, choirs), fit,
    summary(fit), summary(groups), estimates(fit), estimates(groups), fit_indices(fit),
    effects(fit, routes = TRUE), r_squared(fit), equations(fit), verdicts(fit), implied(fit),
    observed(groups), residuals(fit, largest = 5), amendments(fit, top = 2, all = TRUE),
    score_test(fit, covariance[be1, be2]), without(fit), trail(other), compare_models(fit, other),
    side_by_side(fit, other), quiet(confirm(other, choirs[1:400, ])), ladder, loose,
    latent_means(ladder), group_gaps(ladder), compare_groups(groups),
    quiet(invariance(concerts, choirs_concerts)), construct_quality(fit),
    construct_quality(groups), variance_split(bifactor), methods_text(other), methods_text(loose),
    quiet(bootstrap_fit(fit, 20, list(effects = effects), seed = 1, interval = "percentile")),
    quiet(bootstrap_test(fit, reps = 10, seed = 1)),
    quiet(model_cutoffs(fit, reps = 20, seed = 1)),
    power_of(start, "effect[Calm, Staying]", n = c(100, 200), truth = truth),
    quiet(plan_study(start, n = c(200, 300), truth = truth, reps = 20, seed = 1)),
    influence(fit), quiet(robustness(fit)),
    quiet(rescue(file("models/structural.yaml"), choirs[1:40, ])))
  for (x in shown) {
    lines <- utils::capture.output(print(x))
    expect_gt(length(lines), 0)
    wide <- lines[nchar(lines, "width") > 60]
    expect_length(wide, 0)
    if (length(wide)) cat(class(x)[1], wide, sep = "\n")
  }
})
