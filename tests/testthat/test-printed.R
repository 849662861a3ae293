# Everything that is printed, as it is printed. Numbers are tested elsewhere.

snapshot <- function(...) {
  skip_if_not(isTRUE(l10n_info()[["UTF-8"]]))
  expect_snapshot(..., cran = FALSE, transform = function(lines) {
    gsub(package_version_text(), "<version>", lines, fixed = TRUE)
  })
}
demo_blueprint <- function(name) {
  read_blueprint(system.file("extdata", "models", paste0(name, ".yaml"), package = "orizzonte"))
}
start_blueprint <- function() read_blueprint(extdata("choirs-start.yaml"))

test_that("blueprints, addresses and identification", {
  snapshot(print(read_blueprint(extdata("choirs.yaml"))))
  snapshot(print(demo_blueprint("composite")))
  snapshot(print(demo_blueprint("equations")))
  snapshot(print(blueprint("Nothing yet")))
  snapshot(print(parse_address("loading[Calm, c(sc1, sc2) | evening]")))
  snapshot(print(identification(start_blueprint(), choirs)))
  snapshot(print(identification(blueprint("Two") |> construct("A", reflected_in = a1:a2))))
})

test_that("data", {
  snapshot(print(screen_data(choirs, by = setting)))
  snapshot(print(screen_data(choirs_troubled)))
  snapshot(print(read_summary_data(extdata("choirs-summary.csv"))))
})

test_that("a fit and its readers", {
  snapshot(fit <- fit_model(start_blueprint(), choirs))
  snapshot(print(fit))
  snapshot(print(summary(fit)))
  snapshot(print(criteria(cfi = c(0.97, 0.95))))
  snapshot(print(estimates(fit)))
  snapshot(print(fit_indices(fit)))
  snapshot(print(effects(fit)))
  snapshot(print(equations(fit)))
  snapshot(print(r_squared(fit)))
  snapshot(print(verdicts(fit)))
  snapshot(print(residuals(fit, largest = 5)))
  snapshot(print(amendments(fit, top = 5, all = TRUE)[1:8, ]))
  snapshot(print(score_test(fit, covariance[be1, be2])))
  snapshot(print(without(fit)))
})

test_that("a fit in trouble", {
  bp <- demo_blueprint("structural")
  few <- choirs[1:40, ]
  snapshot(fit <- fit_model(bp, few))
  snapshot(print(fit))
  weak <- blueprint("Trouble") |> construct("G", reflected_in = be1:be4) |>
    construct("S", reflected_in = be1:be2)
  snapshot(fit_model(weak, choirs), error = TRUE)
  snapshot(print(rescue(blueprint("B") |> construct("B", reflected_in = c(be1, be2, be3, sc1)),
                        choirs[1:60, ])))
})

test_that("trail, comparison, confirmation", {
  halves <- split_data(choirs)
  fit <- suppressMessages(fit_model(start_blueprint(), halves$explore))
  snapshot(amended <- amend(fit, free = loading[Calm, st2], because = "settled is about calm, too"))
  snapshot(print(trail(amended)))
  snapshot(print(compare_models(fit, amended)))
  snapshot(print(side_by_side(fit, amended)))
  snapshot(print(confirm(amended, halves$confirm)))
})

test_that("groups", {
  bp <- demo_blueprint("measurement")
  ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
  snapshot(print(ladder))
  snapshot(print(latent_means(ladder)))
  snapshot(print(noninvariance(ladder)))
  snapshot(print(loosen(ladder, "scalar")))
  snapshot(print(ladder$fits$scalar))
  snapshot(print(compare_groups(ladder$fits$configural)))
})

test_that("times", {
  bp <- blueprint("Calm over two concerts") |>
    repeated("Calm", times = list(Calm_first = ca1_t1:ca4_t1, Calm_second = ca1_t2:ca4_t2))
  snapshot(print(hold_equal(bp, loading, across = "times")))
  ladder <- suppressMessages(invariance(bp, choirs_concerts))
  snapshot(print(ladder))
  loose <- loosen(ladder, "scalar")
  snapshot(print(loose))
  snapshot(print(latent_means(loose$ladder)))
  snapshot(print(noninvariance(loose)))
})

test_that("measures", {
  bp <- demo_blueprint("measurement")
  fit <- suppressMessages(fit_model(bp, choirs))
  snapshot(print(construct_quality(fit)))
  snapshot(print(construct_quality(suppressMessages(fit_model(bp, choirs, by = "setting")))))
  bifactor <- suppressMessages(fit_model(demo_blueprint("bifactor"), choirs_bifactor))
  snapshot(print(construct_quality(bifactor)))
  snapshot(print(variance_split(bifactor)))
  snapshot(print(methods_text(fit)))
  snapshot(print(methods_text(construct_quality(fit))))
})

test_that("a study", {
  folder <- fresh_folder()
  for (name in c("choirs.yaml", "choirs.csv")) file.copy(extdata(name), file.path(folder, name))
  before <- setwd(folder)
  on.exit(setwd(before))
  writeLines(c("data: choirs.csv", "blueprints: {measurement: choirs.yaml}", "steps:",
               "  - check: {blueprint: measurement}",
               "  - screen: {blueprint: measurement, name: looked}"), "study.yaml")
  snapshot(run_study("study.yaml"))
  snapshot(run_study("study.yaml"))
  snapshot(cat(readLines("results/01-check/check.txt"), sep = "\n"))
})

test_that("many fits", {
  bp <- blueprint("Calm and belonging") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |> effect(Calm ~ Belonging + years) |>
    claim(H1 = effect[Belonging, Calm] > 0)
  fit <- suppressMessages(fit_model(bp, choirs, incomplete = "drop"))
  snapshot(print(bootstrap_fit(fit, 60, list(effects = effects, claims = verdicts), seed = 1)))
  snapshot(print(bootstrap_test(fit, reps = 60, seed = 1)))
  snapshot(print(model_cutoffs(fit, reps = 40, seed = 1)))
  truth <- c("loading[ , ]" = .7, "effect[Belonging, Calm]" = .3)
  snapshot(print(power_of(bp, "effect[Belonging, Calm]", n = c(100, 200), truth = truth)))
  snapshot(print(plan_study(bp, n = c(100, 200), truth = truth, reps = 40, seed = 1)))
  snapshot(print(influence(fit)))
  snapshot(print(robustness(fit)))
  snapshot(print(collect_summary(choirs, bp)))
})
