# The results of one installed version for several hundred models: every results function, status,
# condition class, JSON, YAML and exit code, saved as one list. Usage: Rscript bench/compare-cases.R
# OUT.rds Runs with versions from before the equalities were part of the blueprint, and later ones.
suppressPackageStartupMessages(library(orizzonte))
source("tests/oracles/generic-ml.R")
source("bench/random-models.R")
inside <- function(name) get(name, envir = asNamespace("orizzonte"))
knows <- function(name) exists(name, envir = asNamespace("orizzonte"), inherits = FALSE)
in_blueprint <- knows("hold_equal")

# A value, or the classes of the error that took its place; warnings and messages by class, beside
# it.
caught <- function(code) {
  warned <- character()
  value <- withCallingHandlers(
    tryCatch(code,
             error = function(e) structure(list(error = class(e)[1]), class = "caught_error")),
    warning = function(w) {
      warned <<- c(warned, class(w)[1])
      invokeRestart("muffleWarning")
    },
    message = function(m) invokeRestart("muffleMessage"))
  list(value = value, warned = warned)
}
reading <- function(code) {
  found <- caught(code)
  out <- if (inherits(found$value, "caught_error")) unclass(found$value) else plain(found$value)
  list(out = out, warned = found$warned)
}
plain <- function(x) {
  if (is.data.frame(x))
    return(lapply(stats::setNames(names(x), names(x)), function(n) plain(x[[n]])))
  if (is.environment(x) || is.function(x) || is.language(x)) return(NULL)
  if (is.list(x)) return(lapply(unclass(x), plain))
  if (is.factor(x)) return(as.character(x))
  names <- names(x)
  attributes(x) <- attributes(x)["dim"]
  if (is.null(dim(x)) && !is.null(names)) names(x) <- names
  x
}

# --- readers ---------------------------------------------------------------------------------
new_words <- c(raw = "covariance", correlation = "correlation", standardized = "own_se",
               normalized = "moment_se")
residual_of <- function(fit, type, largest = NULL) {
  if (!"in_units" %in% names(formals(inside("residuals.orizzonte_fit")))) {
    return(residuals(fit, type = type, largest = largest))
  }
  residuals(fit, in_units = new_words[[type]], largest = largest)
}
sample_file <- function(name) system.file("extdata", name, package = "orizzonte")
first_free <- function(fit) {
  table <- suppressMessages(amendments(fit, top = 0))
  table <- table[order(-signif(table$modification_index, 6), table$parameter), ]
  table$parameter[table$kind %in% c("cross-loading", "effect") |
                    startsWith(table$kind, "residual covariance")][1]
}
readers <- list(
  coef = coef, vcov = vcov, loglik = function(f) as.numeric(logLik(f)), deviance = deviance,
  df = df.residual, nobs = nobs, bic = stats::BIC, estimates = estimates,
  indices = fit_indices, r_squared = r_squared, equations = equations,
  effects = function(f) effects(f, routes = TRUE), implied = implied, observed = observed,
  confint = confint, tidy = tidy, glance = glance,
  raw = function(f) residual_of(f, "raw"), correlation = function(f) residual_of(f, "correlation"),
  standardized = function(f) residual_of(f, "standardized"),
  normalized = function(f) residual_of(f, "normalized"),
  largest = function(f) residual_of(f, "correlation", 5), verdicts = verdicts,
  # suggestions with the same implications tie, and may change places
  amendments = function(f) {
    found <- amendments(f, top = 0, all = TRUE)
    as.data.frame(found)[order(found$parameter), ]
  },
  drops = function(f) sort(amendments(f, top = 3)$actual_drop), without = without,
  score_test = function(f) {
    found <- do.call(score_test, list(f, first_free(f)))
    c(as.list(found), attributes(found)[c("statistic", "df", "p", "actual_drop")])
  },
  amended = function(f) {
    next_fit <- do.call(amend, list(f, free = first_free(f), because = "to compare"))
    list(trail = trail(next_fit), estimates = estimates(next_fit))
  },
  scores = function(f) colMeans(predict(f), na.rm = TRUE), moments = function(f) {
    apply(as.matrix(predict(f, method = "bartlett")), 2, stats::sd, na.rm = TRUE)
  },
  simulated = function(f) {
    draw <- simulate(f, seed = 3)[[1]]
    colMeans(draw[vapply(draw, is.numeric, NA)], na.rm = TRUE)
  },
  by_group = compare_groups, latent_means = latent_means,
  printed = function(f) utils::capture.output(print(summary(f)))
)
heavy <- c("drops", "amended", "score_test", "simulated", "moments", "printed", "effects")

read_all <- function(fit, which = names(readers)) {
  lapply(readers[which], function(reader) reading(reader(fit)))
}

# --- cases -----------------------------------------------------------------------------------
fit_by <- function(bp, data, by = NULL, hold = NULL, except = NULL, ...) {
  if (!in_blueprint) return(do.call(fit_model, c(list(bp, data), list(by = by), list(...),
                                                 if (length(hold)) list(hold = hold),
                                                 if (length(except)) list(except = except))))
  if (length(hold)) bp <- do.call("hold_equal", c(list(bp), as.list(hold)))
  if (length(except)) bp <- do.call("let_differ", c(list(bp), as.list(except)))
  do.call(fit_model, list(bp, data, by = by, ...))
}
look <- function(name, make, which = names(readers)) {
  found <- caught(make())
  out <- list(warned = found$warned)
  if (inherits(found$value, "caught_error")) return(c(out, unclass(found$value)))
  c(out, list(status = inside("solution_state")(found$value)$status),
    read_all(found$value, which))
}

results <- list()
add <- function(name, make, which = names(readers)) {
  results[[name]] <<- look(name, make, which)
  cat(name, "\n", file = stderr())
}

models <- list.files(system.file("extdata", "models", package = "orizzonte"), full.names = TRUE)
models <- c(models,
            system.file("extdata", c("choirs.yaml", "choirs-start.yaml"), package = "orizzonte"))
demo_data <- function(bp) {
  variables <- inside("blueprint_variables")(bp)$observed
  known <- list(choirs, choirs_bifactor, choirs_growth)
  Filter(function(d) all(variables %in% names(d)), known)[[1]]
}
as_summary <- function(bp, data, means = TRUE) {
  variables <- inside("blueprint_variables")(bp)$observed
  x <- data[variables]
  x[] <- lapply(x, function(v) if (is.factor(v)) as.numeric(v) - 1 else as.numeric(v))
  x <- x[stats::complete.cases(x), ]
  summary_data(stats::cov(x), nrow(x), means = if (means) colMeans(x))
}
for (file in models) {
  name <- sub("[.]yaml$", "", basename(file))
  bp <- read_blueprint(file)
  data <- demo_data(bp)
  add(paste0("demo/", name), function() fit_model(bp, data))
  add(paste0("demo-older/", name), function() fit_model(bp, data, multiplier = "n-1"),
      setdiff(names(readers), heavy))
  add(paste0("demo-summary/", name), function() fit_model(bp, as_summary(bp, data)),
      setdiff(names(readers), heavy))
  add(paste0("demo-no-means/", name), function() fit_model(bp, as_summary(bp, data, FALSE)),
      setdiff(names(readers), heavy))
  for (scale in c("unit", "average")) {
    other <- bp
    other$scale <- scale
    add(paste0("demo-", scale, "/", name), function() fit_model(other, data),
        setdiff(names(readers), heavy))
  }
  copy <- tempfile(fileext = ".yaml")
  write_blueprint(bp, copy)
  results[[paste0("yaml/", name)]] <- list(text = readLines(copy), check = reading(
    unclass(identification(bp, data))[c("identified", "moments", "parameters", "df",
                                        "rank", "lacking", "trading")]))
}
# a family that needs no verb newer than 0.1.0
old_families <- setdiff(names(families), "groups, held")
for (seed in 1:110) {
  made <- random_case(seed, old_families[1L + seed %% length(old_families)])
  add(sprintf("random/%s-%d", made$family, seed), function() fit_model(made$blueprint, made$data),
      setdiff(names(readers), heavy))
}

grouped_data <- function(groups, n, seed) {
  set.seed(seed)
  do.call(rbind, lapply(seq_len(groups), function(g) {
    f <- matrix(rnorm(2 * n), n) %*% chol(matrix(c(1, 0.4, 0.4, 1), 2)) + 0.1 * g
    x <- cbind(f[, rep(1, 4)], f[, rep(2, 4)]) * rep(c(0.8, 0.7, 0.6, 0.9), each = n)
    x <- x + 0.6 * rnorm(length(x))
    colnames(x) <- c(paste0("a", 1:4), paste0("b", 1:4))
    data.frame(x, g = paste0("g", formatC(g, width = 2, flag = "0")))
  }))
}
two <- blueprint("Two") |> construct("A", reflected_in = a1:a4) |>
  construct("B", reflected_in = b1:b4)
holds <- list(none = NULL, metric = "loading", scalar = c("loading", "intercept"),
              strict = c("loading", "intercept", "variance[items]"),
              single = c("loading[A, a2]", "intercept[a2]"),
              structural = c("loading", "intercept", "variance[constructs]",
                             "covariance[constructs]"))
excepts <- list(none = NULL, one = "loading[A, a3]", two = c("loading[B, b2]", "intercept[b2]"))
for (groups in c(2, 3, 5, 12)) for (h in names(holds)) for (e in names(excepts)) {
  if (e != "none" && h %in% c("none", "single")) next
  data <- grouped_data(groups, 150, groups)
  bp <- if (groups == 3) restrict(two, loading[A, a4] >= 0.2) else two
  shown <- if (groups > 3 || e == "two") setdiff(names(readers), heavy) else names(readers)
  add(sprintf("groups-%d/%s-%s", groups, h, e),
      function() fit_by(bp, data, "g", holds[[h]], excepts[[e]]), shown)
}
for (file in models[basename(models) %in% c("structural.yaml", "second-order.yaml",
                                            "composite.yaml", "measurement.yaml", "choirs.yaml")]) {
  bp <- read_blueprint(file)
  for (by in c("setting", "town")) for (h in c("none", "metric", "scalar")) {
    if (by %in% inside("blueprint_variables")(bp)$observed) next
    shown <- if (by == "town") setdiff(names(readers), heavy) else names(readers)
    add(sprintf("choirs-%s/%s-%s", by, sub(".yaml", "", basename(file)), h),
        function() fit_by(bp, choirs, by, holds[[h]]), shown)
  }
}
growth <- blueprint("Growth") |>
  construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1)) |>
  construct("Slope", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4 = 3)) |>
  restrict(intercept[w1:w4] == 0, variance[w2:w4] == variance[w1]) |>
  relax(mean[Level], mean[Slope])
set.seed(8)
curves <- data.frame(choirs_growth, g = rep(c("x", "y"), length.out = nrow(choirs_growth)))
add("growth/one", function() fit_model(growth, choirs_growth))
add("growth/two", function() fit_model(growth, curves, by = "g"))
add("growth/held", function() fit_by(growth, curves, "g", "mean[Slope]"))

# --- trouble ---------------------------------------------------------------------------------
calm <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
for (seed in 1:25) {
  set.seed(seed)
  small <- as.data.frame(matrix(rnorm(25 * 6), 25) + rnorm(25) * 0.5)
  names(small) <- c(paste0("p", 1:3), paste0("q", 1:3))
  bp <- blueprint("small") |> construct("P", reflected_in = p1:p3) |>
    construct("Q", reflected_in = q1:q3)
  add(paste0("small/", seed), function() fit_model(bp, small), setdiff(names(readers), heavy))
}
refused <- list(
  unknown = function() fit_model(construct(blueprint("u"), "A", reflected_in = be1:be9), choirs),
  no_scale = function() {
    fit_model(relax(construct(blueprint("s", scale = "unit"), "A", reflected_in = be1:be4),
                    variance[A]), choirs)
  },
  two_items = function() fit_model(construct(blueprint("t"), "A", reflected_in = be1:be2), choirs),
  contradiction = function() {
    fit_model(restrict(calm, loading[Calm, sc2] == 1,
                       loading[Calm, sc2] == loading[Calm, sc3],
                       loading[Calm, sc3] == 2), choirs)
  },
  infeasible = function() fit_model(restrict(calm, loading[Calm, sc2]^2 + 1 == 0), choirs),
  text = function() {
    fit_model(effect(calm, Calm ~ town), transform(choirs, town = paste(town, "!")))
  },
  not_data = function() fit_model(calm, "choirs"),
  no_groups = function() fit_model(calm, choirs, by = "sett"),
  duplicated = function() fit_model(calm, cbind(choirs, sc1 = 1)),
  constant = function() fit_model(calm, transform(choirs, sc1 = 1)),
  few = function() fit_model(calm, choirs[1:4, ]),
  empty = function() fit_model(blueprint("e"), choirs),
  negative_df = function() fit_model(covary(calm, sc1, sc2, sc3, sc4), choirs),
  group_as_item = function() fit_model(effect(calm, Calm ~ setting), choirs, by = "setting"),
  bad_multiplier = function() fit_model(calm, choirs, multiplier = "m"))
for (name in names(refused)) add(paste0("refused/", name), refused[[name]])
bounded <- list(
  idle = function() fit_model(restrict(calm, loading[Calm, sc4] >= 0), choirs),
  pressed = function() fit_model(restrict(calm, loading[Calm, sc3] >= 2), choirs),
  equation = function() {
    fit_model(restrict(calm, loading[Calm, sc2] + loading[Calm, sc3] == 2), choirs)
  },
  ratio = function() {
    fit_model(restrict(calm, variance[sc1] / variance[sc2] == 1.5,
                       loading[Calm, sc4] <= 3), choirs)
  },
  grouped = function() {
    fit_by(restrict(calm, `loading[Calm, sc2 | evening]` == 1.1),
           choirs, "setting")
  },
  slices = function() fit_model(restrict(calm, variance[sc2:sc4] == variance[sc1]), choirs),
  started = function() fit_model(start_at(calm, loading[Calm, sc4], 0.8), choirs))
for (name in names(bounded)) add(paste0("bounds/", name), bounded[[name]])
troubled <- Filter(function(f) {
  all(inside("blueprint_variables")(read_blueprint(f))$observed %in%
        names(choirs_troubled))
}, models)
for (file in troubled) {
  bp <- read_blueprint(file)
  add(paste0("troubled/", basename(file)), function() fit_model(bp, choirs_troubled),
      setdiff(names(readers), heavy))
}
results[["rescue"]] <- list(small = reading(as.data.frame(rescue(
  construct(blueprint("r"), "B", reflected_in = be1:be4), head(choirs[c(paste0("be", 1:4))], 40)))))

# --- ladders ---------------------------------------------------------------------------------
ladder_of <- function(...) {
  ladder <- suppressMessages(invariance(...))
  list(table = as.data.frame(ladder), reading = ladder$reading,
       fits = lapply(ladder$fits, function(f) list(estimates(f), deviance(f))),
       means = latent_means(ladder),
       gaps = inside(if (knows("noninvariance")) "noninvariance" else "group_gaps")(ladder),
       printed = utils::capture.output(print(ladder)))
}
measured <- read_blueprint(models[basename(models) == "measurement.yaml"])
results[["ladder/setting"]] <- list(reading(ladder_of(measured, choirs, by = "setting")))
results[["ladder/town"]] <- list(reading(ladder_of(measured, choirs, by = "town")))
results[["ladder/five"]] <- list(reading(ladder_of(two, grouped_data(5, 150, 5), by = "g")))
results[["ladder/second"]] <- list(reading(ladder_of(
  read_blueprint(models[basename(models) == "second-order.yaml"]), choirs, by = "setting")))
results[["ladder/loosened"]] <- list(reading({
  found <- loosen(suppressMessages(invariance(measured, choirs, by = "setting")), "scalar")
  list(found$released, as.data.frame(found$ladder))
}))
results[["comparison"]] <- list(reading({
  big <- suppressMessages(fit_model(calm, choirs))
  small <- suppressMessages(fit_model(restrict(calm, loading[Calm, sc2] == 1), choirs))
  list(compare_models(big, small), side_by_side(big, small))
}))
results[["confirm"]] <- list(reading({
  halves <- split_data(choirs)
  start <- read_blueprint(sample_file("choirs-start.yaml"))
  fit <- amend(suppressMessages(fit_model(start, halves$explore)), free = loading[Calm, st2],
               because = "to compare")
  unclass(confirm(fit, halves$confirm))[c("indices", "difference", "parameters")]
}))

# --- the command line --------------------------------------------------------------------------
run <- function(...) {
  code <- NULL
  messages <- tempfile()
  sink(file(messages, "w"), type = "message")
  out <- utils::capture.output(code <- suppressMessages(inside("run_command")(c(...))))
  sink(type = "message")
  closeAllConnections()
  json <- tryCatch(plain(jsonlite::fromJSON(paste(out, collapse = "\n"))), error = function(e) NULL)
  list(code = code, json = json, lines = if (is.null(json)) length(out))
}
bp_file <- sample_file("choirs.yaml")
data_file <- sample_file("choirs.csv")
commands <- list(
  fit = c("fit", bp_file, data_file, "--format", "json"),
  fit_grouped = c("fit", bp_file, data_file, "--by", "setting", "--format", "json"),
  diagnose = c("diagnose", sample_file("choirs-start.yaml"), data_file, "--format", "json",
               "--top", "3"),
  check = c("check", bp_file, data_file, "--format", "json"),
  screen = c("screen", bp_file, data_file, "--format", "json"),
  invariance = c("invariance", bp_file, data_file, "--by", "setting", "--format", "json"),
  compare = c("compare", bp_file, sample_file("choirs-start.yaml"), data_file, "--format", "json"),
  csv = c("fit", bp_file, data_file, "--format", "csv"),
  no_file = c("fit", "none.yaml", data_file), no_command = "fitt",
  no_option = c("fit", "--fromat", "json"), unidentified = c("check", bp_file, "none.csv"),
  version = "--version", help = c("fit", "--help"))
for (name in names(commands)) results[[paste0("command/", name)]] <-
  list(do.call(run, as.list(commands[[name]])))

saveRDS(results, commandArgs(trailingOnly = TRUE)[1])
cat(length(results), "cases\n", file = stderr())
