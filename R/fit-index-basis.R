# What fit indices take from corrected tests: the baseline's scaling beside that of the model.

# The model of complete independence but for what is free among predictors (see baseline_model()),
# as the core reads a model: its scaling is needed like that of any other.
baseline_core <- function(fit, independence = FALSE) {
  independent_core(unname(fit$layout$parts), fit$layout$auxiliary, is_incomplete(fit$sample),
                   independence)
}

# Of observed variables alone, a part a group.
independent_core <- function(parts, auxiliary, means, independence) {
  rows <- lapply(seq_along(parts), function(g) {
    p <- length(parts[[g]]$observed)
    block <- if (independence) integer() else
      which(!parts[[g]]$observed %in% parts[[g]]$endogenous)
    pairs <- which(lower.tri(diag(p)), arr.ind = TRUE)
    beside <- which(parts[[g]]$observed %in% auxiliary)
    free <- (pairs[, 1L] %in% block & pairs[, 2L] %in% block) | pairs[, 1L] %in% beside |
      pairs[, 2L] %in% beside
    pairs <- pairs[free, , drop = FALSE]
    list(family = c(rep(1L, p + nrow(pairs)), if (means) rep(2L, p)),
         group = rep(g, p + nrow(pairs) + if (means) p else 0L),
         row = c(seq_len(p), pairs[, 1L], if (means) seq_len(p)),
         col = c(seq_len(p), pairs[, 2L], if (means) seq_len(p)))
  })
  joined <- lapply(stats::setNames(nm = c("family", "group", "row", "col")), function(what) {
    as.integer(unlist(lapply(rows, `[[`, what)))
  })
  count <- length(joined$row)
  p <- vapply(parts, function(part) length(part$observed), 0L)
  c(list(observed = p, variables = p, places = seq_along(p),
         ranks = unlist(lapply(p, seq_len)), means = means, parameters = count,
         constant = numeric(count), map_entry = seq_len(count), map_parameter = seq_len(count),
         map_weight = rep(1, count), constraints = list(), scales = list()), joined)
}

# Its parameters: the moments themselves, but for missing values.
baseline_theta <- function(fit, model, independence) {
  if (model$means) return(baseline_fit(fit, model, independence)$theta)
  baseline_moments(fit, model)
}

baseline_moments <- function(fit, model) {
  moments <- core_moments(fit)
  vapply(seq_along(model$row), function(k) {
    m <- moments[[model$group[k]]]
    if (model$family[k] == 2L) m$mean[[model$row[k]]] else m$covariance[model$row[k], model$col[k]]
  }, 0)
}

# Fitted once: the likelihood beside auxiliary variables and the scaling both need it.
baseline_fit <- function(fit, model, independence) {
  cached(fit, if (independence) "independence_fit" else "baseline_fit",
         core_fit(model, core_moments(fit), baseline_moments(fit, model), 500L, 1e-12, 0L, 1,
                  FALSE))
}

# Beside auxiliary variables the baseline has no closed form: their covariances stay free in it.
joint_baseline <- function(joint, independence) {
  model <- baseline_core(joint, independence)
  moments <- layout_counts(joint$layout)$moments
  list(chisq = moments_n(joint) * baseline_fit(joint, model, independence)$discrepancy,
       df = moments - model$parameters, parameters = model$parameters)
}

# With missing values: tr(U Gamma), the complete-data discrepancy and its biases, of the model and
# of its baseline.
incomplete_scalings <- function(fit, independence = FALSE) {
  if (!independence) return(cached(fit, "incomplete_scalings", find_scalings(fit, FALSE)))
  find_scalings(fit, TRUE)
}

find_scalings <- function(fit, independence) {
  base <- baseline_core(fit, independence)
  scale_cores(fit, list(fit$layout$model, base),
              list(core_theta(fit), baseline_theta(fit, base, independence)))
}

# Of cores of the fit's data, each at its parameters.
scale_cores <- function(fit, models, thetas, cases = is_robust(fit$request)) {
  known <- saturated_information(fit)
  if (!all(vapply(known, `[[`, NA, "admissible"))) {
    unknown <- list(admissible = FALSE, trace = NA_real_, complete = NA_real_,
                    normal_bias = NA_real_, robust_bias = NA_real_)
    return(rep(list(unknown), length(models)))
  }
  core_incomplete_scaling(models, core_moments(fit), thetas, if (cases) core_cases(fit), known)
}

# The information of the saturated model hangs on the data alone: the last few are kept for all
# models of the same data, outside of any fit, as long as they are not too large.
kept_information <- new.env(parent = emptyenv())
most_kept <- 3L
most_kept_bytes <- 3e8
saturated_information <- function(fit) {
  key <- rlang::hash(fit$moments)
  known <- kept_information$known[[key]]
  if (!is.null(known)) return(known)
  found <- core_saturated_information(fit$layout$model, core_moments(fit))
  all <- c(stats::setNames(list(found), key), utils::head(kept_information$known, most_kept - 1L))
  size <- cumsum(vapply(all, function(x) as.numeric(utils::object.size(x)), 0))
  kept_information$known <- all[seq_along(all) == 1L | size <= most_kept_bytes]
  found
}

# The chi-squares that RMSEA, CFI and TLI are made of, and what a right model would make of them on
# average, over its degrees of freedom: list(chisq, inflation, chisq_baseline, inflation_baseline).
# Complete data: T and c (Brosseau-Liard & Savalei 2012, 2014; Li & Bentler 2006). With missing
# values the likelihood ratio shrinks with what is missing, so N F_C of the saturated moments and
# its bias k / df take their place (after Zhang & Savalei 2023).
index_basis <- function(fit, base, independence = FALSE) {
  fit <- whole_fit(fit)
  test <- test_of(fit)
  plain <- list(chisq = test$chisq_normal, inflation = 1, chisq_baseline = base$chisq,
                inflation_baseline = 1)
  if (test$df <= 0 || !has_converged(fit)) return(plain)
  if (is_incomplete(fit$sample)) {
    found <- incomplete_scalings(fit, independence)
    n <- moments_n(fit)
    bias <- if (is_robust(fit$request)) "robust_bias" else "normal_bias"
    known <- vapply(found, function(x) x$admissible, NA)
    k <- ifelse(known, vapply(found, `[[`, 0, bias), NA_real_)
    complete <- vapply(found, `[[`, 0, "complete")
    return(list(chisq = n * complete[1L] - overshoot_in(fit, "basis"),
                inflation = k[1L] / test$df,
                chisq_baseline = n * complete[2L] - overshoot_in(fit, "basis_baseline"),
                inflation_baseline = k[2L] / base$df))
  }
  if (!is_robust(fit$request)) return(plain)
  model <- baseline_core(fit, independence)
  found <- core_scaling(model, core_moments(fit), baseline_theta(fit, model, independence),
                        core_cases(fit),
                        FALSE)
  known <- found$admissible && base$df > 0
  list(chisq = test$chisq_normal, inflation = test$inflation, chisq_baseline = base$chisq,
       inflation_baseline = if (known) found$trace / base$df else NA_real_)
}
