# Maximum likelihood of mean and covariance structures by a generic optimiser, in plain R,
# independent of the package: model matrices from the definitions, and their own analytic gradient.
# Fast enough to try many starts on thousands of models.

# `cells`: one row for each cell that is not zero: matrix ("B", "Psi", "alpha"), row, col (names),
# value (a number where fixed, NA where free), label (cells of one label are one parameter; "" is a
# parameter of its own), group (a number). `equations`: a list by label of expressions in other
# labels. `lower`, `upper`: bounds by label.
ml_model <- function(observed, latent, cells, means = FALSE, equations = list(),
                     lower = numeric(), upper = numeric()) {
  all <- c(observed, latent)
  free <- is.na(cells$value)
  label <- ifelse(nzchar(cells$label), cells$label, paste0("cell", seq_len(nrow(cells))))
  labels <- setdiff(unique(label[free]), names(equations))
  known <- c(labels, names(equations))
  slopes <- lapply(equations, function(e) stats::deriv(e, all.vars(e)))
  bound <- function(x, default) {
    out <- stats::setNames(rep(default, length(labels)), labels)
    out[names(x)] <- x
    out
  }
  list(observed = observed, all = all, means = means, cells = cells, labels = labels,
       known = known, equations = slopes, groups = max(cells$group),
       index = ifelse(free, match(label, known), 0L), row = match(cells$row, all),
       col = match(cells$col, all), seen = seq_along(observed),
       lower = bound(lower, -Inf), upper = bound(upper, Inf))
}

# All labels from the parameters, with the Jacobian where there are equations.
ml_expand <- function(model, theta) {
  names(theta) <- model$labels
  out <- list(value = theta, jacobian = NULL)
  if (length(model$equations) == 0L) return(out)
  jacobian <- rbind(diag(length(theta)), matrix(0, length(model$equations), length(theta)))
  for (k in seq_along(model$equations)) {
    found <- eval(model$equations[[k]], as.list(theta))
    out$value <- c(out$value, as.numeric(found))
    slope <- attr(found, "gradient")
    jacobian[length(theta) + k, match(colnames(slope), model$labels)] <- slope
  }
  out$jacobian <- jacobian
  out
}

# Model matrices and implied moments of one group; NULL where I - B is singular.
ml_group <- function(model, value, g) {
  size <- length(model$all)
  at <- which(model$cells$group == g)
  v <- ifelse(model$index[at] > 0L, value[pmax(model$index[at], 1L)], model$cells$value[at])
  b <- psi <- matrix(0, size, size)
  alpha <- numeric(size)
  kind <- model$cells$matrix[at]
  i <- model$row[at]
  j <- model$col[at]
  b[cbind(i, j)[kind == "B", , drop = FALSE]] <- v[kind == "B"]
  psi[cbind(i, j)[kind == "Psi", , drop = FALSE]] <- v[kind == "Psi"]
  psi[cbind(j, i)[kind == "Psi", , drop = FALSE]] <- v[kind == "Psi"]
  alpha[i[kind == "alpha"]] <- v[kind == "alpha"]
  total <- tryCatch(solve(diag(size) - b), error = function(e) NULL)
  if (is.null(total)) return(NULL)
  phi <- total %*% tcrossprod(psi, total)
  nu <- drop(total %*% alpha)
  list(total = total, phi = phi, nu = nu, sigma = phi[model$seen, model$seen, drop = FALSE],
       mu = nu[model$seen], at = at, i = i, j = j, kind = kind)
}

# The discrepancy and its gradient in the labels, of one group: dF/dSigma = W - W (S + dd') W.
ml_group_value <- function(model, value, g, sample) {
  m <- ml_group(model, value, g)
  factor <- if (!is.null(m) && all(is.finite(m$sigma)))
    tryCatch(chol(m$sigma), error = function(e) NULL)
  if (is.null(factor)) return(NULL)
  w <- chol2inv(factor)
  s <- sample$covariance
  d <- if (model$means) sample$mean - m$mu else 0 * m$mu
  wd <- drop(w %*% d)
  f <- 2 * sum(log(diag(factor))) + sum(w * s) - sample$log_det - nrow(s) + sum(d * wd)
  outer_part <- w - w %*% s %*% w - tcrossprod(wd)
  size <- length(model$all)
  full <- matrix(0, size, size)
  full[model$seen, model$seen] <- outer_part
  by_nu <- numeric(size)
  by_nu[model$seen] <- -2 * wd
  by_psi <- crossprod(m$total, full %*% m$total)
  by_alpha <- drop(crossprod(m$total, by_nu))
  by_b <- 2 * crossprod(m$total, full %*% m$phi) + tcrossprod(by_alpha, m$nu)
  slope <- numeric(length(m$at))
  place <- cbind(m$i, m$j)
  slope[m$kind == "B"] <- by_b[place[m$kind == "B", , drop = FALSE]]
  twice <- ifelse(m$i == m$j, 1, 2)
  slope[m$kind == "Psi"] <- (twice * by_psi[place])[m$kind == "Psi"]
  slope[m$kind == "alpha"] <- by_alpha[m$i[m$kind == "alpha"]]
  list(f = f, slope = slope, at = m$at)
}

# Value and gradient together, remembered for the last point.
ml_problem <- function(model, sample) {
  n <- vapply(sample, `[[`, 0, "n")
  sample <- lapply(sample, function(x) {
    c(x, log_det = as.numeric(determinant(x$covariance)$modulus))
  })
  last <- NULL
  both <- function(theta) {
    if (!is.null(last) && identical(theta, last$theta)) return(last)
    expanded <- ml_expand(model, theta)
    slope <- numeric(length(expanded$value))
    f <- 0
    for (g in seq_along(sample)) {
      part <- ml_group_value(model, expanded$value, g, sample[[g]])
      if (is.null(part)) {
        last <<- list(theta = theta, f = Inf, gradient = NA_real_ * theta)
        return(last)
      }
      f <- f + n[g] / sum(n) * part$f
      k <- model$index[part$at]
      add <- rowsum(n[g] / sum(n) * part$slope[k > 0L], k[k > 0L])
      slope[as.integer(rownames(add))] <- slope[as.integer(rownames(add))] + add
    }
    if (!is.null(expanded$jacobian)) slope <- drop(slope %*% expanded$jacobian)
    last <<- list(theta = theta, f = f, gradient = slope)
    last
  }
  list(value = function(theta) both(theta)$f, gradient = function(theta) both(theta)$gradient,
       n = sum(n), model = model, sample = sample)
}

# Second derivatives from differences of the analytic gradient; F is -2/n times the log-likelihood.
ml_hessian <- function(problem, theta, step = 1e-5 * pmax(abs(theta), 0.1)) {
  out <- vapply(seq_along(theta), function(k) {
    e <- replace(numeric(length(theta)), k, step[k])
    (problem$gradient(theta + e) - problem$gradient(theta - e)) / (2 * step[k])
  }, theta)
  (out + t(out)) / 2
}

# Expected information from derivatives of the moments: n/2 tr(W dS W dS) + n dm' W dm.
ml_information <- function(problem, theta) {
  model <- problem$model
  expanded <- ml_expand(model, theta)
  size <- length(expanded$value)
  out <- matrix(0, size, size)
  for (g in seq_along(problem$sample)) {
    m <- ml_group(model, expanded$value, g)
    root <- backsolve(chol(m$sigma), diag(nrow(m$sigma)), transpose = TRUE)
    k <- model$index[m$at]
    free <- which(k > 0L)
    whitened <- vapply(free, function(c) {
      i <- m$i[c]
      j <- m$j[c]
      left <- m$total[model$seen, i]
      if (m$kind[c] == "alpha") return(c(numeric(length(model$seen)^2), root %*% left))
      right <- if (m$kind[c] == "B") m$phi[j, model$seen] else m$total[model$seen, j]
      a <- drop(root %*% left)
      b <- drop(root %*% right)
      both <- tcrossprod(a, b) + tcrossprod(b, a)
      if (m$kind[c] == "Psi" && i == j) both <- both / 2
      c(both / sqrt(2), if (m$kind[c] == "B") a * m$nu[j] else 0 * a)
    }, numeric(length(model$seen) * (length(model$seen) + 1L)))
    if (!model$means) whitened <- whitened[seq_len(length(model$seen)^2), , drop = FALSE]
    add <- rowsum(t(whitened), k[free])
    at <- as.integer(rownames(add))
    out[at, at] <- out[at, at] + problem$sample[[g]]$n * tcrossprod(add)
  }
  if (!is.null(expanded$jacobian)) out <- crossprod(expanded$jacobian, out %*% expanded$jacobian)
  dimnames(out) <- list(model$labels, model$labels)
  out
}

# Parameters that are not at a bound.
ml_loose <- function(model, theta, gradient) {
  at_lower <- theta <= model$lower + 1e-9 & gradient > 0
  at_upper <- theta >= model$upper - 1e-9 & gradient < 0
  !(at_lower | at_upper)
}

# From one start: nlminb with the gradient, then Newton steps while they improve the fit.
ml_from <- function(problem, start) {
  model <- problem$model
  start <- pmin(pmax(start, model$lower), model$upper)
  if (!is.finite(problem$value(start))) return(NULL)
  found <- tryCatch(stats::nlminb(start, problem$value, problem$gradient, lower = model$lower,
                                  upper = model$upper,
                                  control = list(eval.max = 1000, iter.max = 600,
                                                 rel.tol = 1e-14, x.tol = 1e-13)),
                    error = function(e) NULL)
  if (is.null(found) || !is.finite(found$objective)) return(NULL)
  theta <- found$par
  for (i in 1:8) {
    gradient <- problem$gradient(theta)
    loose <- ml_loose(model, theta, gradient)
    step <- tryCatch(-solve(ml_hessian(problem, theta)[loose, loose, drop = FALSE],
                            gradient[loose]), error = function(e) NULL)
    if (is.null(step) || !all(is.finite(step))) break
    trial <- theta
    trial[loose] <- pmin(pmax(theta[loose] + step, model$lower[loose]), model$upper[loose])
    if (!(problem$value(trial) <= problem$value(theta))) break
    small <- max(abs(trial - theta)) < 1e-11
    theta <- trial
    if (small) break
  }
  list(theta = theta, chisq = problem$n * problem$value(theta))
}

# The best optimum of several starts, and the lowest point of all: where parameters diverge there is
# no optimum, however low the discrepancy.
ml_best <- function(problem, starts, best = NULL) {
  lowest <- if (is.null(best)) Inf else best$lowest
  for (start in starts) {
    found <- ml_from(problem, start)
    if (is.null(found)) next
    lowest <- min(lowest, found$chisq)
    if (!is.null(best$theta) && found$chisq >= best$chisq - 1e-7 * (1 + abs(best$chisq))) next
    state <- ml_stationarity(problem, found$theta)
    proven <- state$minimum && state$decrement < 1e-5 + 1e-8 * abs(found$chisq)
    if (proven) best <- found
  }
  list(theta = best$theta, chisq = best$chisq, lowest = lowest)
}

# The drop of chi-square that a Newton step predicts, and whether the Hessian is positive definite,
# along directions without an active bound. Near the edge of the admissible region the usual step is
# too wide for differences to show the curvature: a Hessian that looks indefinite is recomputed with
# small steps, scaled by the expected information.
ml_stationarity <- function(problem, theta, step = 1e-5 * pmax(abs(theta), 0.1)) {
  gradient <- problem$gradient(theta)
  loose <- ml_loose(problem$model, theta, gradient)
  if (!any(loose)) return(list(decrement = 0, minimum = TRUE))
  hessian <- ml_hessian(problem, theta, step)[loose, loose, drop = FALSE]
  minimum <- FALSE
  decrement <- Inf
  if (all(is.finite(hessian))) {
    unit <- 1 / sqrt(pmax(diag(hessian), 1e-300))
    values <- eigen(hessian * tcrossprod(unit), symmetric = TRUE)
    along <- drop(crossprod(values$vectors, gradient[loose] * unit))
    decrement <- problem$n * sum(along^2 / pmax(abs(values$values), 1e-8)) / 2
    minimum <- min(values$values) > -1e-4
  }
  small <- pmin(1e-7 * pmax(abs(theta), 0.1),
                1e-3 / sqrt(pmax(diag(ml_information(problem, theta)) / problem$n, 1e-300)))
  if (!minimum && any(step > small)) return(ml_stationarity(problem, theta, small))
  list(decrement = decrement, minimum = minimum)
}
