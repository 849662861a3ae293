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

# Of observed variables alone, a part a group; `alike`: what has one mean and one variance goes by
# one name.
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

# Its parameters: the moments themselves, but for missing values.
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
