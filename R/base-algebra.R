# Linear algebra that several stages need, safe for matrices that are nearly singular.

solve_symmetric <- function(matrix, right) {
  if (anyNA(matrix)) return(rep(NA_real_, length(right)))
  unit <- sqrt(pmax(diag(matrix), 1e-300))
  parts <- eigen(matrix / outer(unit, unit), symmetric = TRUE)
  known <- parts$values > 1e-9
  vectors <- parts$vectors[, known, drop = FALSE]
  drop(vectors %*% (crossprod(vectors, right / unit) / parts$values[known])) / unit
}

smallest_eigenvalue <- function(m) min(eigen(m, symmetric = TRUE, only.values = TRUE)$values)

log_determinant <- function(m) 2 * sum(log(diag(chol(m))))

# Sets of variables linked by non-zero entries.
connected_blocks <- function(m) {
  group <- seq_len(nrow(m))
  links <- which(m != 0 & lower.tri(m), arr.ind = TRUE)
  for (i in seq_len(nrow(links))) {
    ends <- group[links[i, ]]
    group[group == max(ends)] <- min(ends)
  }
  split(seq_len(nrow(m)), group)
}

# The joint statistic, its rank, and the change of each (by a generalised inverse, in units in which
# all informations are 1).
joint_statistic <- function(score, joint, own) {
  unit <- sqrt(pmax(own, 1e-300))
  spectrum <- eigen(joint / outer(unit, unit), symmetric = TRUE)
  known <- spectrum$values > 1e-9
  vectors <- spectrum$vectors[, known, drop = FALSE]
  along <- drop(crossprod(vectors, score / unit))
  list(statistic = sum(along^2 / spectrum$values[known]), df = sum(known),
       change = drop(vectors %*% (along / spectrum$values[known])) / unit, unit = unit)
}
