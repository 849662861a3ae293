# Maximum likelihood from the definitions, in plain R, independent of the package: full model
# matrices, the full Jacobian of all moments by numerical differentiation, Kronecker weights. Slow
# and simple on purpose.

# `cells`: one row per non-zero cell, columns matrix ("B", "Psi", "alpha"), row, col (names), value
# (a number where fixed, NA where free), label (cells with the same label are one parameter; unique
# when omitted), group.
oracle_model <- function(observed, latent, cells, means = FALSE) {
  all <- c(observed, latent)
  if (is.null(cells$label)) cells$label <- seq_len(nrow(cells))
  if (is.null(cells$group)) cells$group <- 1L
  free <- is.na(cells$value)
  labels <- unique(cells$label[free])
  # the positions of the cells of each matrix, by group
  places <- lapply(sort(unique(cells$group)), function(g) {
    lapply(c(b = "B", psi = "Psi", alpha = "alpha"), function(name) {
      of <- which(cells$group == g & cells$matrix == name)
      list(of = of, at = cbind(match(cells$row[of], all), match(cells$col[of], all)))
    })
  })
  build <- function(theta) {
    value <- cells$value
    value[free] <- theta[match(cells$label[free], labels)]
    lapply(places, function(place) {
      b <- psi <- matrix(0, length(all), length(all), dimnames = list(all, all))
      alpha <- stats::setNames(numeric(length(all)), all)
      b[place$b$at] <- value[place$b$of]
      psi[place$psi$at] <- psi[place$psi$at[, 2:1, drop = FALSE]] <- value[place$psi$of]
      alpha[place$alpha$at[, 1L]] <- value[place$alpha$of]
      total <- solve(diag(length(all)) - b)
      phi <- total %*% psi %*% t(total)
      list(sigma = phi[observed, observed, drop = FALSE], mu = drop(total %*% alpha)[observed],
           phi = phi, b = b, psi = psi, alpha = alpha)
    })
  }
  list(build = build, cells = cells, free = free, labels = labels, means = means,
       observed = observed)
}

oracle_discrepancy <- function(model, theta, sample) {
  groups <- model$build(theta)
  n <- sum(vapply(sample, `[[`, 0, "n"))
  total <- 0
  for (g in seq_along(sample)) {
    s <- sample[[g]]$covariance
    sigma <- groups[[g]]$sigma
    if (min(eigen(sigma, symmetric = TRUE, only.values = TRUE)$values) <= 0) return(Inf)
    w <- solve(sigma)
    f <- log(det(sigma)) + sum(diag(s %*% w)) - log(det(s)) - nrow(s)
    if (model$means) {
      d <- sample[[g]]$mean - groups[[g]]$mu
      f <- f + drop(t(d) %*% w %*% d)
    }
    total <- total + sample[[g]]$n / n * f
  }
  total
}

oracle_moments <- function(model, theta) {
  unlist(lapply(model$build(theta),
                function(g) c(g$sigma[lower.tri(g$sigma, TRUE)], if (model$means) g$mu)))
}

duplication <- function(p) {
  index <- matrix(0L, p, p)
  index[lower.tri(index, TRUE)] <- seq_len(p * (p + 1) / 2)
  index[upper.tri(index)] <- t(index)[upper.tri(index)]
  d <- matrix(0, p * p, p * (p + 1) / 2)
  d[cbind(seq_len(p * p), as.vector(index))] <- 1
  d
}

# Score of the log-likelihood and expected information from the full Jacobian and the normal-theory
# weight.
oracle_score <- function(model, theta, sample) {
  # exact: moments are rational
  jacobian <- numDeriv::jacobian(function(x) oracle_moments(model, x), theta, method = "complex")
  groups <- model$build(theta)
  score <- numeric(length(theta))
  information <- matrix(0, length(theta), length(theta))
  at <- 0
  for (g in seq_along(sample)) {
    p <- nrow(sample[[g]]$covariance)
    w <- solve(groups[[g]]$sigma)
    ps <- p * (p + 1) / 2
    # (W x W) vec A = vec(W A W), one column per parameter
    j <- duplication(p) %*% jacobian[at + seq_len(ps), , drop = FALSE]
    weighted <- 0.5 * apply(j, 2, function(a) w %*% matrix(a, p) %*% w)
    gap <- sample[[g]]$covariance - groups[[g]]$sigma
    jm <- NULL
    if (model$means) {
      dm <- sample[[g]]$mean - groups[[g]]$mu
      gap <- gap + dm %*% t(dm)
      jm <- jacobian[at + ps + seq_len(p), , drop = FALSE]
      score <- score + sample[[g]]$n * drop(t(jm) %*% w %*% dm)
      information <- information + sample[[g]]$n * t(jm) %*% w %*% jm
    }
    score <- score + sample[[g]]$n * drop(t(weighted) %*% c(gap))
    information <- information + sample[[g]]$n * t(j) %*% weighted
    at <- at + ps + if (model$means) p else 0
  }
  list(score = score, information = information)
}

# nlminb on the raw definition, then scoring steps until the score vanishes.
oracle_fit <- function(model, start, sample, steps = 100) {
  n <- sum(vapply(sample, `[[`, 0, "n"))
  known <- NULL
  at <- function(theta) {
    if (!identical(known$theta, theta))
      known <<- c(list(theta = theta), oracle_score(model, theta, sample))
    known
  }
  theta <- stats::nlminb(start, function(x) oracle_discrepancy(model, x, sample),
                         function(x) -2 / n * at(x)$score, function(x) 2 / n * at(x)$information,
                         control = list(eval.max = 2000, iter.max = 1000, rel.tol = 1e-13))$par
  for (i in seq_len(steps)) {
    at <- oracle_score(model, theta, sample)
    step <- solve(at$information, at$score)
    if (sum(step * at$score) < 1e-15) break
    while (!is.finite(oracle_discrepancy(model, theta + step, sample))) step <- step / 2
    theta <- theta + step
  }
  list(theta = theta, chisq = n * oracle_discrepancy(model, theta, sample),
       vcov = solve(at$information), groups = model$build(theta), decrement = sum(step * at$score))
}

# Cells of simple-structure measurement: marker loadings 1, everything else free.
oracle_factor_cells <- function(items, unit = FALSE) {
  constructs <- names(items)
  loading <- do.call(rbind, lapply(constructs, function(f) {
    data.frame(matrix = "B", row = items[[f]], col = f,
               value = c(if (unit) NA else 1, rep(NA, length(items[[f]]) - 1)))
  }))
  observed <- unique(unlist(items))
  pairs <- if (length(constructs) > 1) t(utils::combn(constructs, 2)) else matrix(character(), 0, 2)
  rbind(loading,
        data.frame(matrix = "Psi", row = observed, col = observed, value = NA),
        data.frame(matrix = "Psi", row = constructs, col = constructs, value = if (unit) 1 else NA),
        if (nrow(pairs)) data.frame(matrix = "Psi", row = pairs[, 1], col = pairs[, 2], value = NA))
}

oracle_start <- function(model, sample) {
  cells <- model$cells
  sd <- sqrt(diag(sample[[1]]$covariance))
  names(sd) <- model$observed
  fixed <- cells$matrix == "Psi" & cells$row == cells$col & !is.na(cells$value)
  latent <- stats::setNames(sqrt(cells$value[fixed]), cells$row[fixed])
  value <- vapply(seq_len(nrow(cells)), function(i) {
    row <- cells$row[i]
    col <- cells$col[i]
    scale <- function(v) {
      if (v %in% names(sd)) sd[[v]] else if (v %in% names(latent))
      latent[[v]] else mean(sd)
    }
    if (cells$matrix[i] == "B")
      return(if (col %in% names(sd)) 0.1 * scale(row) / scale(col) else
             0.7 * scale(row) / scale(col))
    if (cells$matrix[i] == "Psi" && row == col) return(0.6 * scale(row)^2)
    if (cells$matrix[i] == "Psi") return(0.1 * scale(row) * scale(col))
    if (row %in% names(sd)) sample[[1]]$mean[[match(row, model$observed)]] else 0
  }, 0)
  vapply(model$labels, function(l) mean(value[model$free & cells$label == l]), 0)
}

# A model whose cells are a function of fewer parameters: `expand` gives all free cells from those.
oracle_expanded <- function(model, expand) {
  build <- model$build
  model$build <- function(theta) build(expand(theta))
  model
}
