# Completes the core's solution: one value and one row of derivatives for every row of the parameter table.

# Adds `theta` (all free parameters, named by address), `eta` (all rows) and `vcov`. Profiled means get their
# closed-form estimates here; their errors follow lazily in solution_vcov().
complete_solution <- function(fit) {
  layout <- fit$layout
  theta <- stats::setNames(rep(NA_real_, length(layout$parameters)), layout$parameters)
  core_theta <- fit$core$theta
  if (length(core_theta) == length(layout$core$used)) theta[layout$core$used] <- core_theta
  eta <- layout$constant
  if (layout$profiled) theta <- profile_means(fit, theta)
  for (i in seq_along(layout$map$entry)) {
    row <- layout$map$entry[i]
    eta[row] <- eta[row] + layout$map$weight[i] * theta[[layout$map$parameter[i]]]
  }
  for (bound in active_bounds(fit)) {
    pressed <- bound$rows[is.na(layout$fixed[bound$rows])]
    alike <- layout$class %in% layout$class[pressed]
    fit$layout$status[alike] <- "at bound"
    if (is.null(bound$value)) next
    eta[alike] <- bound$value            # exactly, not but for rounding
    theta[intersect(layout$parameter[alike], names(theta))] <- bound$value
  }
  fit$theta <- theta
  fit$eta <- eta
  fit
}

# The layout as the core reads it, means included: for readers, not for fitting.
full_core <- function(fit) {
  if (fit$layout$profiled) core_layout(fit$layout, keep_means = TRUE) else fit$layout$core
}

# Saturated means: mu = m exactly, so alpha = (I - B) E for observed variables, with E of constructs implied
# by their observed causes. Profiling alpha out is exact (Joreskog & Sorbom 1981).
profile_means <- function(fit, theta) {
  if (has_groups(fit)) {
    fit$theta <- theta
    fit$eta <- rep(NA_real_, length(fit$layout$head))
    for (view in group_views(fit, errors = FALSE)) theta <- profile_means(view, theta)
    return(theta)
  }
  layout <- fit$layout
  p <- length(layout$observed)
  parts <- mean_parts(fit)
  rows <- which(layout$head == "intercept")
  theta[layout$map$parameter[match(rows, layout$map$entry)]] <- parts$alpha[layout$row[rows]]
  theta
}

mean_parts <- function(fit) {
  layout <- fit$layout
  p <- length(layout$observed)
  v <- p + length(layout$constructs)
  b <- matrix(0, v, v)
  arrows <- which(layout$family == parameter_families[["effect"]])
  b[cbind(layout$row[arrows], layout$col[arrows])] <- fit$core$eta[arrows]
  o <- seq_len(p)
  l <- seq_len(v - p) + p
  fixed <- numeric(v - p)
  mean_rows <- which(layout$head == "mean")
  fixed[layout$row[mean_rows] - p] <- layout$constant[mean_rows]
  inner <- if (length(l)) solve(diag(length(l)) - b[l, l, drop = FALSE]) else matrix(0, 0L, 0L)
  e <- numeric(v)
  e[o] <- fit$sample$mean
  e[l] <- inner %*% (fixed + b[l, o, drop = FALSE] %*% e[o])
  alpha <- as.numeric((diag(v) - b) %*% e)
  # d alpha_o = - reach[, i] E_j for B_ij; d alpha_o / d m = slope
  reach <- cbind(diag(p), b[o, l, drop = FALSE] %*% inner)
  slope <- diag(p) - b[o, o, drop = FALSE] - reach[, l, drop = FALSE] %*% b[l, o, drop = FALSE]
  list(alpha = alpha, mean = e, reach = reach, slope = slope)
}

# Covariance matrix of all free parameters, in the order of fit$theta: the inverse expected information.
solution_vcov <- function(fit) {
  if (!is.null(fit$vcov)) return(fit$vcov)
  layout <- fit$layout
  size <- length(layout$parameters)
  out <- matrix(NA_real_, size, size, dimnames = list(layout$parameters, layout$parameters))
  used <- layout$core$used
  known <- core_vcov(fit)
  if (nrow(known) != length(used)) return(out)
  out[used, used] <- known
  if (!layout$profiled) return(out)
  parts <- lapply(unname(group_views(fit, errors = FALSE)), profiled_errors, used = used)
  at <- unlist(lapply(parts, `[[`, "at"))
  jacobian <- do.call(rbind, lapply(parts, `[[`, "jacobian"))
  cross <- jacobian %*% known
  out[at, used] <- cross
  out[used, at] <- t(cross)
  out[at, at] <- cross %*% t(jacobian)
  for (part in parts) out[part$at, part$at] <- out[part$at, part$at] + part$own
  out
}

# Of the parameters the core knows. Fits that are mostly compared, such as rungs of a ladder, are made without it.
core_vcov <- function(fit) {
  # a view of one group has the matrix of all
  if (!is.null(fit$vcov)) return(fit$vcov[fit$estimated, fit$estimated, drop = FALSE])
  known <- fit$core$vcov
  if (nrow(known) > 0L || !has_converged(fit)) return(known)
  core_errors(fit$layout$core, core_moments(fit), fit$core$theta)
}

# The closed-form means of one group follow the other parameters (`jacobian`) and the sample means (`own`).
profiled_errors <- function(fit, used) {
  layout <- fit$layout
  parts <- mean_parts(fit)
  jacobian <- matrix(0, length(layout$observed), length(used))
  arrows <- which(layout$map$entry %in% which(layout$family == parameter_families[["effect"]]))
  for (i in arrows) {
    entry <- layout$map$entry[i]
    k <- match(layout$map$parameter[i], used)
    jacobian[, k] <- jacobian[, k] - layout$map$weight[i] * parts$reach[, layout$row[entry]] * parts$mean[layout$col[entry]]
  }
  rows <- which(layout$head == "intercept")
  slope <- parts$slope[layout$row[rows], , drop = FALSE]
  list(at = layout$map$parameter[match(rows, layout$map$entry)], jacobian = jacobian[layout$row[rows], , drop = FALSE],
       own = slope %*% model_covariance(fit) %*% t(slope) / fit$moments$n)
}

model_matrices <- function(fit) core_implied(full_core(fit), fit$eta)[[1L]]

model_covariance <- function(fit) {
  p <- length(fit$layout$observed)
  model_matrices(fit)$covariance[seq_len(p), seq_len(p), drop = FALSE]
}

check_converged <- function(fit, verb) {
  if (has_converged(fit)) return(invisible())
  abort("convergence", c(paste0(verb, "() needs a fit that converged."), x = paste0("This one has ", fit_status(fit), "."),
                         i = "rescue(blueprint, data) tries the usual remedies."))
}
