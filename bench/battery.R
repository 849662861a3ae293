# Random identified models in named families, half of them under strong misfit, against a generic
# optimiser in plain R: is the best optimum reached, is "converged" ever false, are degrees of
# freedom, estimates and standard errors right?
# Usage: Rscript bench/battery.R [models] [first seed] [hard]. With `hard` the families are those of
# models that hardly fit, which have several optima. Every hundred models are one file below
# .build/battery: a stopped run goes on where it was. The reference's optima are kept apart from
# the results of each build of the package, so that another build costs its own fits only.
suppressPackageStartupMessages(library(orizzonte))
source("tests/oracles/generic-ml.R")
source("bench/random-models.R")
inside <- function(name) get(name, envir = asNamespace("orizzonte"))

hard <- FALSE
few_starts <- 3L        # for every model
more_starts <- 20L      # beside them where results differ or look suspicious, and for one in 20
same_optimum <- function(chisq, best) abs(chisq - best) <= 1e-4 + 1e-7 * abs(best)

# --- the package's side --------------------------------------------------------------------------

fit_quietly <- function(case) {
  warned <- character()
  time <- proc.time()[["elapsed"]]
  fit <- withCallingHandlers(
    tryCatch(fit_model(case$blueprint, case$data), error = identity),
    message = function(m) invokeRestart("muffleMessage"),
    warning = function(w) {
      warned <<- c(warned, class(w)[1L])
      invokeRestart("muffleWarning")
    })
  list(fit = fit, improper = "orizzonte_warning_improper" %in% warned,
       seconds = proc.time()[["elapsed"]] - time)
}

# The cells of the package's solution in the units and on the scale of the reference: of each free
# cell its value and standard error (NA where the scales differ).
cells_of_fit <- function(fit, case) {
  rows <- fit$layout$rows
  table <- estimates(fit)
  reversed <- rows$kind %in% c("loading", "weight", "effect")
  matrix <- ifelse(reversed, "B", ifelse(rows$kind %in% c("variance", "covariance"), "Psi",
                                         "alpha"))
  row <- ifelse(reversed, rows$second, rows$first)
  col <- ifelse(reversed, rows$first, ifelse(is.na(rows$second), rows$first, rows$second))
  group <- match(rows$group, fit$layout$groups)
  factor <- latent_factors(case, matrix, row, col, group, table$estimate)
  cells <- case$model$cells
  same <- (cells$matrix == "Psi") * 1
  key <- function(matrix, row, col, group) {
    swap <- matrix == "Psi" & row > col
    paste(matrix, ifelse(swap, col, row), ifelse(swap, row, col), group)
  }
  at <- match(key(cells$matrix, cells$row, cells$col, cells$group),
              key(matrix, row, col, group))
  by <- function(name) {
    out <- factor[cbind(match(name, rownames(factor)), cells$group)]
    ifelse(is.na(out), 1 / case$unit[name], out)
  }
  times <- ifelse(cells$matrix == "B", by(cells$row) / by(cells$col),
                  ifelse(cells$matrix == "Psi", by(cells$row) * by(cells$col), by(cells$row)))
  list(value = table$estimate[at] * times, se = table$se[at] * abs(times),
       same_scale = case$scale != "average")
}

# The factor between the scales of the package and of the reference for each latent variable, by
# group.
latent_factors <- function(case, matrix, row, col, group, value) {
  cells <- case$model$cells
  latent <- setdiff(case$model$all, case$model$observed)
  out <- base::matrix(1, length(latent), case$model$groups, dimnames = list(latent, NULL))
  for (g in seq_len(case$model$groups)) {
    # markers may be latent variables themselves: from the bottom up
    for (k in latent) {
      marker <- which(cells$group == g & cells$matrix == "B" & cells$value %in% 1 &
                        (cells$col == k | cells$row == k))
      if (length(marker) == 0L) next
      one <- marker[1L]
      upper <- cells$col[one] == k
      other <- if (upper) cells$row[one] else cells$col[one]
      size <- if (other %in% latent) out[other, g] else 1 / case$unit[[other]]
      found <- value[matrix == "B" & row == cells$row[one] & col == cells$col[one] & group == g]
      if (length(found) == 1L) out[k, g] <- if (upper) found * size else size / found
    }
  }
  out
}

reference_theta <- function(found, case) {
  index <- case$model$index
  free <- index > 0L & index <= length(case$model$labels)
  pick <- function(x) {
    out <- vapply(split(x[free], index[free]), mean, 0)
    as.numeric(out[order(as.integer(names(out)))])
  }
  list(theta = stats::setNames(pick(found$value), case$model$labels), se = pick(found$se))
}

# --- the reference -------------------------------------------------------------------------------

# Starts: the population, and points around it that are admissible.
starts_for <- function(problem, case, count) {
  spread <- function(share) {
    for (i in 1:50) {
      x <- case$truth * exp(stats::rnorm(length(case$truth), 0, share)) +
        stats::rnorm(length(case$truth), 0, share / 3)
      if (is.finite(problem$value(pmin(pmax(x, case$model$lower), case$model$upper)))) return(x)
      share <- share * 0.9
    }
    case$truth
  }
  # where the model has little to do with the data, every other start is arbitrary
  anywhere <- function() {
    free <- case$model$cells[match(case$model$labels, case$model$known[case$model$index]), ]
    for (i in 1:50) {
      x <- ifelse(free$matrix == "Psi" & free$row == free$col, stats::runif(nrow(free), 0.1, 1.5),
                  stats::rnorm(nrow(free), 0, ifelse(free$matrix == "B", 0.7, 0.3)))
      x <- ifelse(free$matrix == "alpha", case$truth + x, x)
      if (is.finite(problem$value(pmin(pmax(x, case$model$lower), case$model$upper)))) return(x)
    }
    spread(0.5)
  }
  c(list(case$truth), lapply(seq_len(count - 1L), function(i) {
    if (case$wild && i %% 2L == 0L) anywhere() else spread(0.5)
  }))
}

reference_df <- function(case) {
  p <- length(case$model$observed)
  case$model$groups * (p * (p + 1) / 2 + if (case$model$means) p else 0) -
    length(case$model$labels)
}

# Largest differences of estimates (in units of max(|value|, se)) and of standard errors.
disagreement <- function(problem, case, mine, theta) {
  information <- ml_information(problem, theta)
  unit <- 1 / sqrt(diag(information))
  vcov <- tryCatch(solve(information * tcrossprod(unit)) * tcrossprod(unit),
                   error = function(e) NULL)
  if (is.null(vcov)) return(c(NA_real_, NA_real_))
  se <- sqrt(diag(vcov))
  c(max(abs(mine$theta - theta) / pmax(abs(theta), se)),
    if (mine$compare_se) max(abs(mine$se / se - 1)) else NA_real_)
}

# The best of the reference's own starts, independent of the package: the first three, or all of the
# further ones.
reference_of <- function(problem, case, seed, few) {
  set.seed(1e6 + seed)
  starts <- starts_for(problem, case, few_starts + more_starts)
  ml_best(problem, starts[if (few) seq_len(few_starts) else few_starts + seq_len(more_starts)])
}

# One model: a row of results, and its known optima (which are stored).
run_case <- function(seed, known = list()) {
  case <- random_case(seed, if (hard) names(hard_families)[1L + seed %% length(hard_families)])
  problem <- ml_problem(case$model, case$moments)
  made <- fit_quietly(case)
  refused <- inherits(made$fit, "error")
  converged <- !refused && inside("has_converged")(made$fit)
  chisq <- if (converged) stats::deviance(made$fit) else NA_real_
  stopped <- if (refused) NA_real_ else problem$n * inside("discrepancy_of")(made$fit)
  mine <- mapped <- NULL
  if (converged) {
    found <- cells_of_fit(made$fit, case)
    mine <- reference_theta(found, case)
    mine$compare_se <- found$same_scale && !case$bounded
    mapped <- problem$n * problem$value(mine$theta)
  }
  start <- if (!is.null(mapped) && is.finite(mapped)) list(mine$theta)
  known$few <- known$few %||% reference_of(problem, case, seed, few = TRUE)
  best <- ml_best(problem, start, known$few)
  suspicious <- !converged || made$improper || !same_optimum(chisq, best$chisq %||% Inf)
  if (suspicious || seed %% 20L == 0L) {
    known$many <- known$many %||% reference_of(problem, case, seed, few = FALSE)
    best <- ml_best(problem, Filter(length, list(known$many$theta)), best)
    best$lowest <- min(best$lowest, known$many$lowest)
  }
  state <- if (converged && is.finite(mapped)) ml_stationarity(problem, mine$theta)
  apart <- c(NA_real_, NA_real_)
  if (converged && same_optimum(chisq, best$chisq %||% Inf) && isTRUE(state$minimum)) {
    nearest <- ml_from(problem, mine$theta)
    apart <- disagreement(problem, case, mine, nearest$theta)
  }
  row <- data.frame(seed = seed, family = case$family, strong = case$strong, scale = case$scale,
             n = problem$n, p = length(case$model$observed), free = length(case$model$labels),
             refused = refused, class = class(made$fit)[1L], converged = converged,
             improper = made$improper, chisq = chisq, stopped = stopped,
             mapped = if (is.null(mapped)) NA else mapped,
             best = best$chisq %||% NA_real_, lowest = best$lowest,
             df = if (refused) NA else stats::df.residual(made$fit), true_df = reference_df(case),
             decrement = if (is.null(state)) NA else state$decrement,
             minimum = if (is.null(state)) NA else state$minimum, estimates = apart[1L],
             errors = apart[2L], seconds = made$seconds)
  list(row = row, known = known)
}

# --- many ----------------------------------------------------------------------------------------

cache <- file.path(".build", "battery")

# A name for this build of the package: its compiled code and its functions.
build_name <- function() {
  home <- system.file(package = "orizzonte")
  files <- list.files(file.path(home, c("libs", "R")), "[.]so$|[.]rdb$", full.names = TRUE)
  substr(rlang::hash(unname(tools::md5sum(files))), 1L, 8L)
}

run_shard <- function(seeds, build) {
  name <- sprintf("%s%06d-%06d.rds", if (hard) "hard-" else "", min(seeds), max(seeds))
  file <- file.path(cache, build, name)
  if (file.exists(file)) return(readRDS(file))
  reference <- file.path(cache, "reference", name)
  known <- if (file.exists(reference)) readRDS(reference) else list()
  rows <- list()
  for (seed in seeds) {
    done <- tryCatch(run_case(seed, known[[as.character(seed)]] %||% list()), error = function(e) {
      stop("seed ", seed, ": ", conditionMessage(e), call. = FALSE)
    })
    known[[as.character(seed)]] <- done$known
    rows <- c(rows, list(done$row))
  }
  rows <- do.call(rbind, rows)
  saveRDS(known, reference)
  saveRDS(rows, file)
  message(format(Sys.time(), "%H:%M:%S"), "  seeds ", min(seeds), " to ", max(seeds), " done")
  rows
}

summarise <- function(x) {
  x$reached <- x$converged & (is.na(x$best) | x$chisq <= x$best + 1e-4 + 1e-7 * abs(x$best))
  x$worse <- x$converged & !x$reached
  # no better optimum is known than the point where the package stopped: the values diverge
  x$off <- !x$converged & !x$refused &
    (is.na(x$best) | x$stopped <= x$best + 1e-3 + 1e-6 * x$best)
  x$false <- x$converged & (!x$minimum %in% TRUE | x$decrement > 1e-4 + 1e-8 * x$chisq)
  share <- function(ok) if (length(ok)) sprintf("%.2f", 100 * mean(ok)) else ""
  most <- function(v) {
    if (all(is.na(v))) "" else formatC(max(v, na.rm = TRUE), format = "e", digits = 1)
  }
  do.call(rbind, lapply(c(names(if (hard) hard_families else families), "all"), function(name) {
    f <- if (name == "all") x else x[x$family == name, ]
    data.frame(family = name, models = nrow(f), "best %" = share(f$reached[!f$strong & !f$off]),
               "best % strong" = share(f$reached[f$strong & !f$off]), worse = sum(f$worse),
               "false" = sum(f$false), missed = sum(!f$converged & !f$refused & !f$off),
               "runs off" = sum(f$off),
               "wrong df" = sum(f$df != f$true_df, na.rm = TRUE), refused = sum(f$refused),
               estimates = most(f$estimates), errors = most(f$errors),
               "mean ms" = round(1000 * mean(f$seconds), 1),
               "max ms" = round(1000 * max(c(0, f$seconds))), check.names = FALSE)
  }))
}

if (sys.nframe() == 0L) {
  hard <- "hard" %in% commandArgs(trailingOnly = TRUE)
  args <- as.integer(setdiff(commandArgs(trailingOnly = TRUE), "hard"))
  models <- if (length(args) > 0L) args[1L] else 10000L
  first <- if (length(args) > 1L) args[2L] else 1L
  build <- build_name()
  for (folder in c("reference", build))
    dir.create(file.path(cache, folder), recursive = TRUE, showWarnings = FALSE)
  seeds <- first - 1L + seq_len(models)
  shards <- split(seeds, (seq_along(seeds) - 1L) %/% 100L)
  parts <- parallel::mclapply(shards, run_shard, build = build, mc.preschedule = FALSE,
                              mc.cores = max(1L, parallel::detectCores()))
  failed <- vapply(parts, inherits, NA, "try-error")
  if (any(failed)) stop(unlist(parts[failed])[1L])
  results <- do.call(rbind, parts)
  cat(sprintf("%s, R %s, orizzonte %s: %d models\n", format(Sys.Date()), getRversion(),
              utils::packageVersion("orizzonte"), nrow(results)))
  print(summarise(results), row.names = FALSE)
  saveRDS(results, file.path(cache, build, "results.rds"))
}
