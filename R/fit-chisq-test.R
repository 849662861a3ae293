# The chi-square test of a fit and of the difference between two fits, and its replacements when
# normality is not assumed: sandwich standard errors, scaled tests, and the corrections that fit
# indices need. These are sums over single cases, computed in the core.

# The cases behind the moments of each group, as the core reads them.
core_cases <- function(fit) {
  cached(fit, "cases", unname(lapply(names(fit$sample$groups), function(g) {
    group <- fit$sample$groups[[g]]
    x <- group_data(fit$sample, g, group$blocks[[1L]]$variables, fit$request$missing_codes, TRUE)
    list(values = unname(x), weight = group$weight, cluster = group$shared %||% group$cluster,
         shared = group$shared_count)
  })))
}

# H^-1 J H^-1 of the parameters that the core estimates, and of profiled intercepts (White 1982).
sandwich_of <- function(fit) {
  cached(fit, "sandwich", core_sandwich(fit$layout$model, core_moments(fit), core_theta(fit),
                                        core_cases(fit), fit$layout$profiled))
}

# Estimates over their standard errors follow t with C - 1 degrees of freedom where standard errors
# come from C clusters, otherwise a normal distribution.
reference_df <- function(fit) {
  clusters <- count_clusters(fit$sample)
  if (is.na(clusters)) Inf else clusters - 1
}

# The corrected test: T / c (Satorra & Bentler 1994; Yuan & Bentler 2000 with missing values), or
# with mean and variance T d / tr(U Gamma) on d = tr(U Gamma)^2 / tr((U Gamma)^2) degrees of
# freedom.
robust_test <- function(fit, plain, df) {
  cached(fit, "robust_test", {
    if (df <= 0 || !has_converged(fit)) {
      list(chisq = plain, df = df, p = upper_p(plain, df), chisq_normal = plain,
           inflation = NA_real_, df_adjusted = NA_real_)
    } else {
      scale <- scaling_of(fit)
      found <- scaled_chisq(plain, df, scale$trace, if (is_adjusted(fit)) scale$trace_squared)
      c(found[c("chisq")], list(df = df), found["p"],
        list(chisq_normal = plain, inflation = scale$trace / df,
             df_adjusted = found$df_adjusted))
    }
  })
}

is_adjusted <- function(fit) fit$request$adjust == "mean and variance"

scaled_chisq <- function(plain, df, trace, trace_squared = NULL) {
  if (is.na(trace) || trace <= 0)
    return(list(chisq = NA_real_, p = NA_real_, df_adjusted = NA_real_))
  if (is.null(trace_squared)) {
    chisq <- plain * df / trace
    return(list(chisq = chisq, p = upper_p(chisq, df), df_adjusted = NA_real_))
  }
  reference <- trace^2 / trace_squared
  chisq <- plain * reference / trace
  list(chisq = chisq, p = upper_p(chisq, reference), df_adjusted = reference)
}

# tr(U Gamma) of a fit, and tr((U Gamma)^2) if the requested adjustment needs it.
scaling_of <- function(fit) {
  fit <- joint_fit(fit)
  cached(fit, "scaling", {
    if (is_incomplete(fit$sample)) {
      own <- incomplete_scalings(fit)[[1L]]
      list(trace = if (own$admissible) own$trace else NA_real_)
    } else {
      scaling_at(fit, core_theta(fit))
    }
  })
}

scaling_at <- function(fit, theta) {
  found <- core_scaling(fit$layout$model, core_moments(fit), theta, core_cases(fit),
                        is_adjusted(fit))
  if (!found$admissible) return(list(trace = NA_real_, trace_squared = NA_real_))
  found
}

# The difference of two nested models: scaled by the corrections of both (Satorra & Bentler 2001),
# or, where that is not positive or the variance is also requested, from both models evaluated at
# the estimates of the smaller model (Satorra & Bentler 2010).
robust_difference <- function(small, large, plain, df, adjusted) {
  factor <- robust_test_trace(small) - robust_test_trace(large)
  if (adjusted || !isTRUE(factor > 0)) return(difference_at(small, large, plain, df, adjusted))
  found <- scaled_chisq(plain, df, factor)
  list(chisq = found$chisq, df = df, p = difference_p(found$chisq, df), chisq_normal = plain)
}

robust_test_trace <- function(fit) if (test_of(fit)$df == 0) 0 else scaling_of(fit)$trace

difference_at <- function(small, large, plain, df, adjusted) {
  small <- joint_fit(small)
  large <- joint_fit(large)
  theta <- reproducing_theta(values_of(small), large, small)
  if (is.null(theta))
    return(list(chisq = NA_real_, df = df, p = NA_real_, chisq_normal = plain))
  if (is_incomplete(small$sample)) {
    there <- scale_cores(large, list(large$layout$model), list(theta))[[1L]]
    found <- scaled_chisq(plain, df, robust_test_trace(small) - there$trace)
  } else {
    there <- scaling_at(large, theta)
    here <- scaling_of(small)
    found <- scaled_chisq(plain, df, here$trace - there$trace,
                          if (adjusted) difference_square(there$whitened, here$whitened))
  }
  list(chisq = found$chisq, df = df, p = found$p, chisq_normal = plain)
}

# tr M^2 of M = Y1 Y1' - Y0 Y0', Y the whitened scores of the larger and of the smaller model.
difference_square <- function(large, small) {
  sum(crossprod(large)^2) - 2 * sum(crossprod(large, small)^2) + sum(crossprod(small)^2)
}

# The moments implied by the smaller model at `eta`, as data for the larger model.
implied_samples <- function(eta, larger, smaller) {
  every <- core_implied(full_model(smaller$layout), eta)
  Map(function(part, own, matrices, moments) {
    at <- match(part$observed, own$observed)
    list(n = moments$n, covariance = matrices$covariance[at, at, drop = FALSE],
         mean = matrices$mean[at])
  }, unname(larger$layout$parts), unname(smaller$layout$parts), every, core_moments(larger))
}

# The parameters with which the larger model has the same implied moments; NULL when there are none.
# Starts at the solution of the smaller model, as far as the two share parameters; then at the
# default starting values.
reproducing_theta <- function(eta, larger, smaller,
                              samples = implied_samples(eta, larger, smaller)) {
  layout <- larger$layout
  shared <- eta[match(layout$rows$parameter[layout$leading], smaller$layout$rows$parameter)]
  shared <- shared[layout$model$used]
  # relative to the smallest difference that the data could show, within numerical precision
  limit <- max(min(1e-8, 1e-3 / moments_n(larger)), 1e-12)
  for (start in list(ifelse(is.na(shared), NaN, shared), numeric())) {
    again <- core_fit(layout$model, samples, as.numeric(start))
    if (is.finite(again$discrepancy) && length(again$theta) && again$discrepancy < limit)
      return(again$theta)
  }
}

# A core with fewer parameters against the fit: the increase of chi-square, scaled as in
# robust_difference(). `theta`: the fit's parameters that are equivalent to the smaller model's.
core_difference <- function(fit, core, found, theta) {
  plain <- found$chisq - stats::deviance(fit)
  df <- fit$layout$model$parameters - core$parameters
  if (!is_robust(fit$request)) return(list(chisq = plain, df = df))
  trace <- function(model, at) {
    made <- if (is_incomplete(fit$sample)) scale_cores(fit, list(model), list(at))[[1L]] else
      core_scaling(model, core_moments(fit), at, core_cases(fit), FALSE)
    if (made$admissible) made$trace else NA_real_
  }
  smaller <- trace(core, found$theta)
  factor <- smaller - robust_test_trace(fit)
  if (!isTRUE(factor > 0)) factor <- smaller - trace(fit$layout$model, theta)
  list(chisq = scaled_chisq(plain, df, factor)$chisq, df = df)
}

# A core with more parameters against the fit: the decrease of chi-square, scaled as in
# robust_difference(). `start`: its parameters that are equivalent to the fit's; NULL where they are
# not needed.
core_drop <- function(fit, core, found, start, df) {
  plain <- stats::deviance(fit) - found$chisq
  if (!is_robust(fit$request)) return(plain)
  trace <- function(at) {
    made <- if (is_incomplete(fit$sample)) scale_cores(fit, list(core), list(at))[[1L]] else
      core_scaling(core, core_moments(fit), at, core_cases(fit), FALSE)
    if (made$admissible) made$trace else NA_real_
  }
  factor <- robust_test_trace(fit) - trace(found$theta)
  if (!isTRUE(factor > 0) && !is.null(start)) factor <- robust_test_trace(fit) - trace(start)
  scaled_chisq(plain, df, factor)$chisq
}

# Notes below tables of differences.
corrected_change_words <- function(request) {
  if (!is_robust(request)) return(NULL)
  c(wrap_lines(text_of("is_corrected_itself_satorra")), "")
}

# The test of the model: chi-square (corrected where inference is robust) with its degrees of
# freedom and p value. No other function computes it.
test_of <- function(fit) {
  plain <- max(0, moments_n(fit) * discrepancy_of(fit) - overshoot_in(fit, "chisq"))
  df <- cached(fit, "df", layout_counts(fit$layout)$df)
  if (is_robust(fit$request)) return(robust_test(fit, plain, df))
  list(chisq = plain, df = df, p = upper_p(plain, df), chisq_normal = plain, inflation = 1,
       df_adjusted = NA_real_)
}

# The upward bias of chi-square in fits to resampled cases; 0 for any other fit.
overshoot_in <- function(fit, what) fit$overshoot[[what]] %||% 0

# The test of a smaller model against a larger one: no other function tests differences.
difference_test <- function(small, large, adjusted = is_adjusted(small)) {
  df <- test_of(small)$df - test_of(large)$df
  plain <- stats::deviance(small) - stats::deviance(large)
  if (is_robust(small$request) && df > 0)
    return(robust_difference(small, large, plain, df, adjusted))
  list(chisq = plain, df = df, p = difference_p(plain, df), chisq_normal = plain)
}

# The decrease of chi-square from one fit to the next: scaled by the mean alone, since a trail keeps
# the decrease and its degrees of freedom.
drop_between <- function(fit, amended) -change_test(amended, fit, adjusted = FALSE)$chisq

# The change from `before` to `fit`, whichever of the two is the smaller model.
change_test <- function(fit, before, adjusted = is_adjusted(fit)) {
  if (test_of(fit)$df >= test_of(before)$df) return(difference_test(fit, before, adjusted))
  test <- difference_test(before, fit, adjusted)
  test[c("chisq", "df", "chisq_normal")] <- lapply(test[c("chisq", "df", "chisq_normal")], `-`)
  test
}

#' @rdname generics-of-a-fit
#' @importFrom stats deviance
#' @export
deviance.orizzonte_fit <- function(object, ...) test_of(check_fit(object, "deviance"))$chisq_normal

#' @rdname generics-of-a-fit
#' @importFrom stats df.residual
#' @export
df.residual.orizzonte_fit <- function(object, ...) test_of(check_fit(object, "df.residual"))$df

# With missing values: tr(U Gamma), the complete-data discrepancy and its biases, of the model and
# of its baseline.
incomplete_scalings <- function(fit, kind = baseline_kinds[1L]) {
  if (kind == baseline_kinds[1L])
    return(cached(fit, "incomplete_scalings", find_scalings(fit, kind)))
  find_scalings(fit, kind)
}

find_scalings <- function(fit, kind) {
  base <- baseline_core(fit, kind)
  scale_cores(fit, list(fit$layout$model, base),
              list(core_theta(fit), baseline_theta(fit, base, kind)))
}

# Values of several core models of the same data, each at its own parameters.
scale_cores <- function(fit, models, thetas, cases = is_robust(fit$request)) {
  known <- saturated_information(fit)
  if (!all(vapply(known, `[[`, NA, "admissible"))) {
    unknown <- list(admissible = FALSE, trace = NA_real_, complete = NA_real_,
                    normal_bias = NA_real_, robust_bias = NA_real_)
    return(rep(list(unknown), length(models)))
  }
  core_incomplete_scaling(models, core_moments(fit), thetas, if (cases) core_cases(fit), known)
}

# The information of the saturated model depends on the data alone: the last few are kept for all
# models of the same data, outside of any fit, as long as they are not too large.
kept_information <- new.env(parent = emptyenv())

most_kept <- 3L

most_kept_bytes <- 3e8

many_incomplete <- 60L      # variables: the work grows with their sixth power

saturated_information <- function(fit) {
  key <- rlang::hash(fit$moments)
  known <- kept_information$known[[key]]
  if (!is.null(known)) return(known)
  tell_many(length(group_variables(fit$sample)[[1L]]))
  found <- core_saturated_information(fit$layout$model, core_moments(fit))
  all <- c(stats::setNames(list(found), key), utils::head(kept_information$known, most_kept - 1L))
  size <- cumsum(vapply(all, function(x) as.numeric(utils::object.size(x)), 0))
  kept_information$known <- all[seq_along(all) == 1L | size <= most_kept_bytes]
  found
}

# Given once for each number of variables: replicates of the same model stay silent.
tell_many <- function(size) {
  if (size < many_incomplete || identical(kept_information$told, size)) return(invisible())
  kept_information$told <- size
  say(text_of("correcting_indices", size = size))
}

# The baseline model of incremental fit indices.

# Baseline model: endogenous variables and items are uncorrelated with everything; covariances among
# exogenous observed variables stay free, as in the model. With `independence`, these are zero too.
# Closed form.
baseline_model <- function(s, endogenous, n, means, independence = FALSE,
                           log_s = log_determinant(s)) {
  p <- ncol(s)
  free_block <- if (independence) integer() else which(!colnames(s) %in% endogenous)
  single <- setdiff(seq_len(p), free_block)
  log_det <- sum(log(diag(s)[single]))
  if (length(free_block)) log_det <- log_det +
    log_determinant(s[free_block, free_block, drop = FALSE])
  k <- length(free_block)
  parameters <- length(single) + k * (k + 1) / 2
  list(chisq = max(0, n * (log_det - log_s)), df = p * (p + 1) / 2 - parameters,
       parameters = parameters + if (means) p else 0, log_det = log_det)
}

# Baseline models: exogenous variables covary freely, nothing covaries, or in addition each item has
# one mean and one variance over time (Widaman & Thompson 2003).
baseline_kinds <- c("exogenous free", "independence", "equal over times")

# The baseline (see baseline_model()) as the core reads a model: its scaling is needed like that of
# any other.
baseline_core <- function(fit, kind = baseline_kinds[1L]) {
  times <- kind == "equal over times"
  parts <- unname(fit$layout$parts)
  alike <- if (times) lapply(parts, function(part) {
    label_over_times(part$observed, fit$request$blueprint$repeated)
  })
  independent_core(parts, fit$layout$auxiliary,
                   is_incomplete(fit$sample) || times && fit$layout$means,
                   kind != "exogenous free", alike)
}

# For observed variables alone, one part for each group; `alike`: variables with one common mean and
# variance share one name.
independent_core <- function(parts, auxiliary, means, independence, alike = NULL) {
  rows <- lapply(seq_along(parts), function(g) {
    p <- length(parts[[g]]$observed)
    block <- if (independence) integer() else
      which(!parts[[g]]$observed %in% parts[[g]]$endogenous)
    pairs <- which(lower.tri(diag(p)), arr.ind = TRUE)
    beside <- which(parts[[g]]$observed %in% auxiliary)
    free <- (pairs[, 1L] %in% block & pairs[, 2L] %in% block) | pairs[, 1L] %in% beside |
      pairs[, 2L] %in% beside
    pairs <- pairs[free, , drop = FALSE]
    own <- match(alike[[g]] %||% seq_len(p), alike[[g]] %||% seq_len(p))
    list(family = c(rep(1L, p + nrow(pairs)), if (means) rep(2L, p)),
         group = rep(g, p + nrow(pairs) + if (means) p else 0L),
         row = c(seq_len(p), pairs[, 1L], if (means) seq_len(p)),
         col = c(seq_len(p), pairs[, 2L], if (means) seq_len(p)),
         like = c(own, p + seq_len(nrow(pairs)), if (means) p + nrow(pairs) + own))
  })
  joined <- lapply(stats::setNames(nm = c("family", "group", "row", "col")), function(what) {
    as.integer(unlist(lapply(rows, `[[`, what)))
  })
  like <- paste(joined$group, unlist(lapply(rows, `[[`, "like")))
  parameter <- match(like, unique(like))
  count <- length(joined$row)
  p <- vapply(parts, function(part) length(part$observed), 0L)
  c(list(observed = p, variables = p, places = seq_along(p),
         ranks = unlist(lapply(p, seq_len)), means = means, parameters = max(parameter),
         constant = numeric(count), map_entry = seq_len(count), map_parameter = parameter,
         map_weight = rep(1, count), constraints = list(), scales = list()), joined)
}

# Its parameters: the moments themselves, except with missing values.
baseline_theta <- function(fit, model, kind) {
  if (model$means) return(baseline_fit(fit, model, kind)$theta)
  baseline_moments(fit, model)
}

baseline_moments <- function(fit, model) {
  moments <- core_moments(fit)
  each <- vapply(seq_along(model$row), function(k) {
    m <- moments[[model$group[k]]]
    if (model$family[k] == 2L) m$mean[[model$row[k]]] else m$covariance[model$row[k], model$col[k]]
  }, 0)
  as.numeric(tapply(each, model$map_parameter, mean))
}

# Fitted once: the likelihood beside auxiliary variables and the scaling both need it.
baseline_fit <- function(fit, model, kind) {
  cached(fit, paste("baseline fit", kind),
         core_fit(model, core_moments(fit), baseline_moments(fit, model), 0L, errors = FALSE))
}

# Beside auxiliary variables, whose covariances stay free in it, and with equal moments over time
# the baseline has no closed form.
fitted_baseline <- function(joint, kind) {
  model <- baseline_core(joint, kind)
  moments <- layout_counts(joint$layout)$moments
  list(chisq = moments_n(joint) * baseline_fit(joint, model, kind)$discrepancy,
       df = moments - model$parameters, parameters = model$parameters)
}
