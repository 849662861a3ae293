# One of each class that the package returns: its print fits a plain terminal of 60 columns, and its
# help names every column. The names are those of the help pages.

quiet <- function(x) suppressWarnings(suppressMessages(x))
one_of_each <- function() {
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
  claimed <- quiet(fit_model(claim(start, H1 = loading[Calm, sc2] > 0), choirs))
  boot <- bootstrap_fit(claimed, 25, list(e = estimates, v = verdicts), seed = 1,
                        interval = "percentile")
  over_times <- quiet(invariance(concerts, choirs_concerts, by = "setting"))
  list(
    blueprint = start, blueprint = concerts, parse_address = parse_address("loading[Calm, sc2]"),
    criteria = criteria(), screen_data = screen_data(choirs, bp, by = "setting"),
    screen_data = screen_data(choirs_troubled),
    summary_data = read_summary_data(extdata("choirs-summary.csv")),
    identification = identification(start, choirs), print.orizzonte_fit = fit,
    print.orizzonte_fit = summary(fit), print.orizzonte_fit = summary(groups),
    estimates = estimates(fit), estimates = estimates(groups),
    loading_table = loading_table(groups),
    fit_indices = fit_indices(fit),
    effects.orizzonte_fit = effects(fit, routes = TRUE), r_squared = r_squared(fit),
    equations = equations(groups), verdicts = verdicts(fit), implied = implied(fit),
    implied = observed(groups), residuals.orizzonte_fit = residuals(fit, largest = 5),
    amendments = amendments(fit, top = 2, all = TRUE),
    score_test = score_test(fit, covariance[be1, be2]), without = without(fit),
    trail = trail(other), compare_models = compare_models(fit, other),
    side_by_side = side_by_side(fit, other), confirm = quiet(confirm(other, choirs[1:400, ])),
    invariance = ladder, loosen = loose, latent_means = latent_means(ladder),
    noninvariance = noninvariance(ladder), compare_groups = compare_groups(groups),
    invariance = over_times, latent_means = latent_means(over_times),
    noninvariance = noninvariance(over_times),
    print.orizzonte_fit = quiet(fit_model(start, choirs[1:40, ])), bootstrap_fit = boot,
    estimates = estimates(claimed, bootstrap = boot),
    print.orizzonte_fit = summary(claimed, bootstrap = boot), robustness = robustness(claimed),
    summary_data = collect_summary(choirs, bp), amendments = quiet(amendments(groups, top = 0)),
    construct_quality = construct_quality(fit), construct_quality = construct_quality(groups),
    variance_split = variance_split(bifactor), methods_text = methods_text(other),
    methods_text = methods_text(loose),
    bootstrap_fit = quiet(bootstrap_fit(fit, 20, list(effects = effects), seed = 1,
                                        interval = "percentile")),
    bootstrap_test = quiet(bootstrap_test(fit, reps = 10, seed = 1)),
    model_cutoffs = quiet(model_cutoffs(fit, reps = 20, seed = 1)),
    power_of = power_of(start, "effect[Calm, Staying]", n = c(100, 200), truth = truth),
    plan_study = quiet(plan_study(start, n = c(200, 300), truth = truth, reps = 20, seed = 1)),
    influence.orizzonte_fit = influence(fit), robustness = quiet(robustness(fit)),
    rescue = quiet(rescue(file("models/structural.yaml"), choirs[1:40, ])),
    constancy = constancy(fit, age, c("loadings", "intercepts"), data = choirs),
    approximate_means = approximate_means(quiet(fit_model(bp, choirs, by = "town"))),
    equivalent_models = equivalent_models(quiet(fit_model(file("models/structural.yaml"), choirs))),
    mediation = mediation(quiet(fit_model(file("models/structural.yaml"), choirs)), Belonging,
                          Staying))
}

# Columns that a help page does not name; those that end with a change or a group's name are
# compared without it.
unnamed <- function(columns, page) {
  words <- unlist(strsplit(paste(unlist(page), collapse = " "), "[^A-Za-z0-9_.]+"))
  short <- sub("[.](fit|other|evening|weekend)$", "", sub("_(change|normal)$", "", columns))
  columns[!columns %in% words & !short %in% words]
}

test_that("whatever is returned keeps to the window and is described in its help", {
  source <- testthat::test_path("..", "..")
  pages <- if (dir.exists(file.path(source, "man"))) tools::Rd_db(dir = source)
  shown <- one_of_each()
  expect_gt(length(shown), 45)
  for (i in seq_along(shown)) {
    x <- shown[[i]]
    for (width in c(60, 80, 120)) {
      lines <- at_width(width, utils::capture.output(print(x)))
      expect_gt(length(lines), 0)
      wide <- lines[nchar(lines, "width") > width]
      expect_length(wide, 0)
      if (length(wide)) cat(class(x)[1], wide, sep = "\n")
    }
    table <- if (is.data.frame(x)) x else tryCatch(as.data.frame(x), error = function(e) NULL)
    if (is.null(pages) || is.null(table)) next
    page <- pages[[paste0(names(shown)[i], ".Rd")]]
    # columns that have the names of constructs
    own <- setdiff(names(table), attr(x, "constructs"))
    expect_identical(unnamed(own, page), character(), label = names(shown)[i])
  }
})
