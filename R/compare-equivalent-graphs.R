# Graphs of effects and covariances among m variables, and whether two of them allow the same
# covariance matrices. `arrows[i, j]`: an effect of j on i; `arcs`: symmetric, covariances of
# disturbances or of exogenous variables. Pure.

new_graph <- function(arrows, arcs) list(arrows = arrows, arcs = arcs)

graph_key <- function(graph) {
  paste(c(graph$arrows, graph$arcs[upper.tri(graph$arcs)]), collapse = "")
}

graph_parameters <- function(graph) {
  list(effects = which(graph$arrows == 1), arcs = which(graph$arcs == 1 & upper.tri(graph$arcs)))
}

# Without feedback: every power of the matrix of effects has an empty diagonal.
is_recursive <- function(graph) {
  power <- graph$arrows
  for (k in seq_len(nrow(power))) {
    if (any(diag(power) > 0)) return(FALSE)
    power <- (power %*% graph$arrows > 0) * 1
  }
  TRUE
}

# Effects, covariances and variances as matrices.
graph_matrices <- function(graph, theta) {
  at <- graph_parameters(graph)
  m <- nrow(graph$arrows)
  effects <- psi <- matrix(0, m, m)
  effects[at$effects] <- theta[seq_along(at$effects)]
  psi[at$arcs] <- theta[length(at$effects) + seq_along(at$arcs)]
  psi <- psi + t(psi)
  diag(psi) <- theta[length(at$effects) + length(at$arcs) + seq_len(m)]
  list(effects = effects, psi = psi, total = total_effects(effects))
}

graph_covariance <- function(graph, theta) {
  own <- graph_matrices(graph, theta)
  own$total %*% own$psi %*% t(own$total)
}

# Derivatives of the lower triangle of the covariance matrix by the parameters.
graph_jacobian <- function(graph, theta) {
  own <- graph_matrices(graph, theta)
  sigma <- own$total %*% own$psi %*% t(own$total)
  at <- graph_parameters(graph)
  m <- nrow(sigma)
  lower <- lower.tri(sigma, TRUE)
  column <- function(u, v) {
    d <- outer(u, v)
    (d + t(d))[lower]
  }
  effect <- arrayInd(at$effects, c(m, m))
  arc <- arrayInd(at$arcs, c(m, m))
  columns <- c(
    lapply(seq_len(nrow(effect)), function(k) {
      column(own$total[, effect[k, 1L]], sigma[effect[k, 2L], ])
    }),
    lapply(seq_len(nrow(arc)), function(k) {
      column(own$total[, arc[k, 1L]], own$total[, arc[k, 2L]])
    }),
    lapply(seq_len(m), function(k) column(own$total[, k], own$total[, k]) / 2))
  matrix(unlist(columns), sum(lower))
}

rank_tolerance <- 1e-7
column_rank <- function(jacobian) {
  size <- sqrt(colSums(jacobian^2))
  values <- svd(sweep(jacobian, 2L, ifelse(size > 0, size, 1), "/"))$d
  sum(values > rank_tolerance * values[1L])
}

random_parameters <- function(graph) {
  at <- graph_parameters(graph)
  effects <- length(at$effects)
  c(sample(c(-1, 1), effects, TRUE) * stats::runif(effects, 0.25, 0.7),
    stats::runif(length(at$arcs), -0.3, 0.3), stats::runif(nrow(graph$arrows), 0.7, 1.3))
}

same_matrix <- 1e-16    # sum of squared standardized residuals

# The parameters of a graph that come closest to a covariance matrix, by damped least squares
# (Levenberg 1944; Marquardt 1963) from several starts.
solve_graph <- function(graph, sigma, starts = 6L) {
  lower <- lower.tri(sigma, TRUE)
  weight <- 1 / outer(sqrt(diag(sigma)), sqrt(diag(sigma)))[lower]
  m <- nrow(sigma)
  best <- list(loss = Inf)
  for (start in seq_len(starts)) {
    theta <- random_parameters(graph)
    if (start == 1L) theta[] <- 0
    theta[length(theta) - m + seq_len(m)] <- diag(sigma) * (if (start == 1L) 1 else 0.8)
    found <- descend(graph, theta, sigma, lower, weight)
    if (found$loss < best$loss) best <- found
    if (best$loss < same_matrix) break
  }
  best
}

descend <- function(graph, theta, sigma, lower, weight) {
  loss_at <- function(theta) {
    value <- tryCatch(sum(((graph_covariance(graph, theta) - sigma)[lower] * weight)^2),
                      error = function(e) Inf)
    if (is.finite(value)) value else Inf
  }
  loss <- loss_at(theta)
  damping <- 1e-2
  for (step in 1:200) {
    jacobian <- graph_jacobian(graph, theta) * weight
    residual <- (sigma - graph_covariance(graph, theta))[lower] * weight
    move <- solve_in_units(crossprod(jacobian) + damping * diag(ncol(jacobian)),
                           crossprod(jacobian, residual))
    if (anyNA(move)) break
    now <- loss_at(theta + drop(move))
    if (now < loss) {
      theta <- theta + drop(move)
      gained <- loss - now
      loss <- now
      damping <- max(damping / 10, 1e-14)
      if (gained < 1e-30 || loss < 1e-26) break
    } else {
      damping <- damping * 10
      if (damping > 1e6) break
    }
  }
  list(loss = loss, theta = theta)
}

# Do two graphs allow the same covariance matrices? At random points of the first, the other must
# reach its matrix, with the same tangent space (Bekker, Merckens & Wansbeek 1994).
are_equivalent <- function(graph, other, points = 3L) {
  if (length(unlist(graph_parameters(graph))) != length(unlist(graph_parameters(other))))
    return(FALSE)
  tried <- 0L
  for (attempt in seq_len(10L * points)) {
    theta <- random_parameters(graph)
    sigma <- graph_covariance(graph, theta)
    if (min(eigen(sigma, symmetric = TRUE, only.values = TRUE)$values) < 0.02) next
    found <- solve_graph(other, sigma)
    if (found$loss > same_matrix) return(FALSE)
    one <- graph_jacobian(graph, theta)
    two <- graph_jacobian(other, found$theta)
    rank <- column_rank(one)
    if (column_rank(two) != rank || column_rank(cbind(one, two)) != rank) return(FALSE)
    tried <- tried + 1L
    if (tried == points) return(TRUE)
  }
  FALSE
}

# The state of a pair: "->" (first on second), "<-", "<->".
pair_state <- function(graph, i, j) {
  if (graph$arrows[j, i] == 1) "->" else if (graph$arrows[i, j] == 1) "<-" else
    if (graph$arcs[i, j] == 1) "<->" else ""
}

with_state <- function(graph, i, j, state) {
  graph$arrows[i, j] <- graph$arrows[j, i] <- graph$arcs[i, j] <- graph$arcs[j, i] <- 0
  if (state == "->") graph$arrows[j, i] <- 1
  if (state == "<-") graph$arrows[i, j] <- 1
  if (state == "<->") graph$arcs[i, j] <- graph$arcs[j, i] <- 1
  graph
}

# Every graph that differs in the state of one linked pair and may be. `may(i, j)`: whether i may be
# a cause of j; `movable(i, j)`: whether the pair may change at all. Reversals come first.
one_place_changes <- function(graph, may, movable) {
  m <- nrow(graph$arrows)
  out <- list()
  for (i in seq_len(m - 1L)) for (j in seq(i + 1L, m)) {
    now <- pair_state(graph, i, j)
    if (!nzchar(now) || !movable(i, j) || graph$arcs[i, j] + graph$arrows[i, j] +
        graph$arrows[j, i] > 1) next
    for (state in setdiff(c("->", "<-", "<->"), now)) {
      if (state == "->" && !may(i, j) || state == "<-" && !may(j, i)) next
      other <- with_state(graph, i, j, state)
      if (is_recursive(other))
        out <- c(out, list(list(graph = other, pair = c(i, j), from = now, to = state)))
    }
  }
  out[order(vapply(out, function(one) one$to == "<->", NA))]
}
