# Changes of a model as directions in the space of the moments, whitened by the moments that the fit
# implies: near the fit every change of one parameter, and every structure with one degree of
# freedom, is one direction (Rao 1948).

most_direction_cells <- 2e7      # numbers in the largest matrix; beyond, structures are not tested
most_blocks <- 40L
enough_cases <- 0.95     # of all cases: the rarest missing patterns are left out

# Sets of cases that are alike: all of a group, or those of a missing pattern, which are treated
# like a group of their own. list(group, n, variables: numbers of observed ones, covariance: about
# the implied means, mean: observed less implied).
direction_blocks <- function(fit) {
  unlist(Map(function(moments, implied, g) {
    patterns <- moments$patterns %||% list(c(moments, list(variables = seq_len(ncol(
      moments$covariance)))))
    lapply(largest_patterns(patterns), function(pattern) {
      v <- pattern$variables
      free <- is.null(pattern$mean) || is.null(moments$patterns) && fit$layout$saturated_means
      gap <- if (free) rep(0, length(v)) else
        pattern$mean - (if (fit$layout$saturated_means) moments$mean else implied$mean)[v]
      list(group = g, n = pattern$n, variables = v, mean = gap,
           covariance = pattern$covariance + tcrossprod(gap))
    })
  }, core_moments(fit), unname(matrices_of(fit)), seq_along(core_moments(fit))),
  recursive = FALSE)
}

largest_patterns <- function(patterns) {
  n <- vapply(patterns, `[[`, 0, "n")
  order <- order(-n)
  needed <- which(cumsum(n[order]) >= enough_cases * sum(n) - 1e-9)[1L]
  patterns[order[seq_len(needed)]]
}

# The geometry of a fit: its blocks with the inverse roots of their implied covariances, the
# orthonormal tangent space of the fit, and the whitened residual. NULL where it would be too large.
fit_geometry <- function(fit) {
  blocks <- direction_blocks(fit)
  if (length(blocks) > most_blocks * length(fit$layout$groups)) return(NULL)
  structured <- fit$layout$means && !fit$layout$saturated_means
  matrices <- unname(matrices_of(fit))
  blocks <- lapply(blocks, function(block) {
    sigma <- matrices[[block$group]]$covariance[block$variables, block$variables, drop = FALSE]
    block$root <- t(backsolve(chol(sigma), diag(length(block$variables))))
    block$lower <- which(lower.tri(sigma, TRUE), arr.ind = TRUE)
    block$scale <- ifelse(block$lower[, 1L] == block$lower[, 2L], 1 / sqrt(2), 1)
    block
  })
  sizes <- vapply(blocks, function(b) nrow(b$lower) + structured * length(b$variables), 0)
  rows <- sum(sizes)
  if (rows * (length(core_theta(fit)) + 200) > most_direction_cells) return(NULL)
  # `above`: how many rows of a direction belong to earlier blocks
  out <- list(fit = fit, blocks = blocks, structured = structured, matrices = matrices,
              above = as.integer(cumsum(sizes) - sizes), n = sum(vapply(blocks, `[[`, 0, "n")))
  out$tangent <- orthonormal(tangent_directions(out))
  residual <- unlist(lapply(blocks, function(block) {
    implied <- matrices[[block$group]]$covariance[block$variables, block$variables, drop = FALSE]
    half_vector(block, block$covariance - implied, block$mean, structured)
  }))
  out$residual <- drop(off_tangent(out, as.matrix(residual)))
  out
}

# The lower triangle of a symmetric matrix (whitened), so that the sum of squares is half the trace
# of its square; beside it the whitened means where these are structured.
half_vector <- function(block, matrix, mean, structured) {
  white <- block$root %*% matrix %*% t(block$root)
  sqrt(block$n) * c(white[block$lower] * block$scale, if (structured) block$root %*% mean)
}

# One column per free parameter of the fit, within the space that its equations and active bounds
# allow.
tangent_directions <- function(geometry) {
  core <- geometry$fit$layout$model
  by_entry <- lapply(seq_along(core$family), function(e) {
    if (!e %in% core$map_entry) return(NULL)
    entry_direction(geometry, core$family[e], core$group[e], core$row[e], core$col[e])
  })
  out <- vapply(seq_len(core$parameters), function(k) {
    at <- which(core$map_parameter == k)
    Reduce(`+`, Map(function(e, w) w * by_entry[[e]], core$map_entry[at], core$map_weight[at]))
  }, numeric(length(geometry_rows(geometry))))
  held <- c(which(!vapply(geometry$fit$layout$constraints, `[[`, NA, "bound")),
            which(is_active(geometry$fit)))
  if (length(held) == 0L) return(out)
  gradient <- vapply(geometry$fit$layout$constraints[held], constraint_gradient,
                     numeric(length(theta_of(geometry$fit))), eta = values_of(geometry$fit),
                     layout = geometry$fit$layout)
  gradient <- gradient[core$used, , drop = FALSE]
  null <- qr.Q(qr(gradient), complete = TRUE)[, -seq_len(qr(gradient)$rank), drop = FALSE]
  out %*% null
}

geometry_rows <- function(geometry) {
  unlist(lapply(geometry$blocks, function(b) {
    seq_len(nrow(b$lower) + geometry$structured * length(b$variables))
  }))
}

# The derivative of the moments by one cell of the model matrices, whitened: a matrix of rank two.
entry_direction <- function(geometry, family, group, row, col) {
  unlist(lapply(geometry$blocks, function(block) {
    v <- block$variables
    if (block$group != group)
      return(numeric(nrow(block$lower) + geometry$structured * length(v)))
    at <- geometry$matrices[[group]]
    effect <- family == parameter_families[["effect"]]
    total <- drop(block$root %*% at$total[v, row])
    low <- numeric(nrow(block$lower))
    if (family != parameter_families[["mean"]]) {
      other <- drop(block$root %*% (if (effect) at$covariance[v, col] else at$total[v, col]))
      half <- if (!effect && row == col) 0.5 else 1
      i <- block$lower[, 1L]
      j <- block$lower[, 2L]
      low <- half * (total[i] * other[j] + other[i] * total[j]) * block$scale
    }
    moved <- if (family == parameter_families[["mean"]]) total else
      if (effect) total * at$mean[col] else 0 * total
    sqrt(block$n) * c(low, if (geometry$structured) moved)
  }))
}

# An orthonormal basis of the space of some columns, from the pivoted root of their products. A
# second step restores the orthogonality that the first one loses to rounding (Yamamoto et al.
# 2015). A column counts as dependent on others as in the core's test of identification.
orthonormal <- function(columns) {
  size <- sqrt(colSums(columns^2))
  columns <- columns[, size > 0, drop = FALSE] / rep(size[size > 0], each = nrow(columns))
  if (ncol(columns) == 0L) return(columns)
  found <- core_pivoted_root(core_crossproduct(columns, columns), smallest_direction^2)
  own <- seq_len(nrow(found$root))
  over_root <- function(basis, root) core_product(basis, backsolve(root, diag(length(own))))
  basis <- over_root(columns[, found$pivot[own], drop = FALSE], found$root[, own, drop = FALSE])
  over_root(basis, chol(core_crossproduct(basis, basis)))
}

smallest_direction <- 1e-6

# Minus the projection on the tangent space.
off_tangent <- function(geometry, vectors) {
  vectors - core_product(geometry$tangent, core_crossproduct(geometry$tangent, vectors))
}

# Draws of the residual under the model: Wishart matrices of each block, normal means.
null_residuals <- function(geometry, draws) {
  out <- with_seed(1L, do.call(rbind, lapply(geometry$blocks, function(block) {
    p <- length(block$variables)
    at <- block$lower[, 1L] + (block$lower[, 2L] - 1L) * p
    found <- if (block$n > p + 1) {
      matrix(stats::rWishart(draws, block$n, diag(p)), p * p)
    } else {
      vapply(seq_len(draws), function(b) {
        c(crossprod(matrix(stats::rnorm(ceiling(block$n) * p), ncol = p)))
      }, numeric(p * p))
    }
    part <- (found / block$n - c(diag(p)))[at, , drop = FALSE] * block$scale
    rbind(part, if (geometry$structured) matrix(stats::rnorm(p * draws), p) / sqrt(block$n)) *
      sqrt(block$n)
  })))
  off_tangent(geometry, out)
}

# --- changes of one cell each --------------------------------------------------------------------

# Many changes of one cell of the model matrices. As a matrix of directions they would have as many
# numbers as moments times changes; but the direction of one cell has rank two, so that its product
# with a vector of moments is a product of two columns with the matrix that the vector stands for.
# `norm`: the length of each direction after this projection is subtracted; `taken`: its
# products with the tangent space.
new_changes <- function(geometry, family, group, row, col) {
  out <- list(family = family, group = group, row = row, col = col)
  if (length(row) == 0L) return(c(out, list(norm = numeric(), taken = NULL)))
  before <- squared_lengths(geometry, out)
  taken <- raw_along(geometry, out, geometry$tangent)
  norm <- sqrt(pmax(0, before - rowSums(taken^2)))
  kept <- norm > least_of_own * sqrt(before)
  c(lapply(out, `[`, kept), list(norm = norm[kept], taken = taken[kept, , drop = FALSE]))
}

# A direction of which a smaller proportion lies off the tangent space belongs to the fit.
least_of_own <- 1e-6

# Products of the directions, of length one, with vectors that lie off the tangent space: changes x
# vectors.
along_changes <- function(geometry, changes, vectors) {
  if (length(changes$row) == 0L) return(matrix(0, 0L, NCOL(vectors)))
  raw_along(geometry, changes, as.matrix(vectors)) / changes$norm
}

half_of <- function(changes) {
  diagonal <- changes$family == parameter_families[["covariance"]] & changes$row == changes$col
  ifelse(diagonal, 0.5, 1)
}

# The two columns of each change in one block, whitened: numbers of the columns of `left` and
# `right`.
change_columns <- function(geometry, block, changes) {
  at <- geometry$matrices[[block$group]]
  v <- block$variables
  effect <- changes$family == parameter_families[["effect"]]
  rows <- unique(changes$row)
  to <- unique(changes$col[!effect])
  by <- unique(changes$col[effect])
  list(left = block$root %*% at$total[v, rows, drop = FALSE],
       right = block$root %*% cbind(at$total[v, to, drop = FALSE],
                                    at$covariance[v, by, drop = FALSE]),
       one = match(changes$row, rows),
       other = ifelse(effect, length(to) + match(changes$col, by), match(changes$col, to)),
       mean = ifelse(effect, at$mean[changes$col], 0))
}

squared_lengths <- function(geometry, changes) {
  out <- numeric(length(changes$row))
  for (block in geometry$blocks) {
    mine <- which(changes$group == block$group)
    if (length(mine) == 0L) next
    own <- lapply(changes[c("family", "group", "row", "col")], `[`, mine)
    at <- change_columns(geometry, block, own)
    left <- at$left[, at$one, drop = FALSE]
    right <- at$right[, at$other, drop = FALSE]
    length <- half_of(own)^2 * (colSums(left^2) * colSums(right^2) + colSums(left * right)^2)
    if (geometry$structured) length <- length + at$mean^2 * colSums(left^2)
    out[mine] <- out[mine] + block$n * length
  }
  out
}

raw_along <- function(geometry, changes, vectors) {
  out <- matrix(0, length(changes$row), ncol(vectors))
  for (k in seq_along(geometry$blocks)) {
    block <- geometry$blocks[[k]]
    mine <- which(changes$group == block$group)
    if (length(mine) == 0L) next
    own <- lapply(changes[c("family", "group", "row", "col")], `[`, mine)
    at <- change_columns(geometry, block, own)
    out[mine, ] <- out[mine, ] + sqrt(block$n) * half_of(own) *
      core_bilinear_forms(vectors, geometry$above[k], at$left, at$right, at$one, at$other)
    if (!geometry$structured) next
    means <- vectors[geometry$above[k] + nrow(block$lower) + seq_along(block$variables), ,
                     drop = FALSE]
    out[mine, ] <- out[mine, ] +
      sqrt(block$n) * at$mean * crossprod(at$left, means)[at$one, , drop = FALSE]
  }
  out
}

# The contribution of each case (or cluster) to the statistics of the changes: cases x changes.
# `off`: the contributions to the tangent space.
contributions_of_changes <- function(geometry, changes, off) {
  if (length(changes$row) == 0L) return(NULL)
  raw <- over_cases(geometry, length(changes$row), function(block, z) {
    out <- matrix(0, nrow(z), length(changes$row))
    mine <- which(changes$group == block$group)
    if (length(mine) == 0L) return(out)
    own <- lapply(changes[c("family", "group", "row", "col")], `[`, mine)
    at <- change_columns(geometry, block, own)
    left <- core_product(z, at$left)
    right <- core_product(z, at$right)
    product <- left[, at$one, drop = FALSE] * right[, at$other, drop = FALSE]
    expected <- colSums(at$left[, at$one, drop = FALSE] * at$right[, at$other, drop = FALSE])
    out[, mine] <- times_each(less_each(product, expected), half_of(own))
    if (geometry$structured)
      out[, mine] <- out[, mine] + times_each(left[, at$one, drop = FALSE], at$mean)
    out
  })
  times_each(raw - core_product(off, t(changes$taken)), 1 / changes$norm)
}

# --- structures ----------------------------------------------------------------------------------

# Directions (X e)(X e)' of rank one, in all groups, for many e: partitions of the items of one
# construct, for example. `weights`: X by group (observed variables x columns). Every product with a
# direction is a quadratic form in e, so that the products of the columns of X with each other are
# all that is needed. `pairs`: the numbers of two columns each; `gram`: their products by block;
# `tangent`, `residual`: those with the tangent space and the residual (pairs x vectors).
new_span <- function(geometry, weights) {
  size <- ncol(weights[[1L]])
  out <- list(pairs = which(lower.tri(diag(size), TRUE), arr.ind = TRUE),
              columns = lapply(geometry$blocks, function(block) {
                block$root %*% weights[[block$group]][block$variables, , drop = FALSE]
              }))
  out$gram <- lapply(out$columns, crossprod)
  out$tangent <- span_along(geometry, out, geometry$tangent)
  out$residual <- span_along(geometry, out, as.matrix(geometry$residual))
  out
}

# Products of two columns each with vectors: pairs x vectors.
span_along <- function(geometry, span, vectors) {
  Reduce(`+`, lapply(seq_along(geometry$blocks), function(k) {
    own <- span$columns[[k]]
    sqrt(geometry$blocks[[k]]$n) / 2 *
      core_bilinear_forms(vectors, geometry$above[k], own, own, span$pairs[, 1L], span$pairs[, 2L])
  }))
}

# The directions of a span for the columns of `e`, less their projection on the tangent space.
# `forms`: the weight of each pair in each quadratic form (pairs x directions); `norm`, `taken`: as
# for changes of one cell; `own`: whether enough of a direction is not part of the fit.
new_structures <- function(geometry, span, e) {
  same <- span$pairs[, 1L] == span$pairs[, 2L]
  forms <- e[span$pairs[, 1L], , drop = FALSE] * e[span$pairs[, 2L], , drop = FALSE] *
    ifelse(same, 1, 2)
  before <- Reduce(`+`, Map(function(block, gram) {
    block$n / 2 * colSums(e * (gram %*% e))^2
  }, geometry$blocks, span$gram))
  taken <- core_crossproduct(forms, span$tangent)
  norm <- sqrt(pmax(0, before - rowSums(taken^2)))
  list(span = span, forms = forms, norm = norm, taken = taken,
       own = norm > least_of_own * sqrt(before))
}

own_structures <- function(structures) {
  own <- structures$own
  list(span = structures$span, forms = structures$forms[, own, drop = FALSE],
       norm = structures$norm[own], taken = structures$taken[own, , drop = FALSE], own = own[own])
}

# Their products with the residual (NA for those that belong to the fit), and with vectors off the
# tangent space: structures x vectors.
structure_statistics <- function(structures) {
  z <- drop(crossprod(structures$forms, structures$span$residual)) / structures$norm
  replace(z, !structures$own, NA)
}

along_structures <- function(geometry, structures, vectors) {
  core_crossproduct(structures$forms, span_along(geometry, structures$span, vectors)) /
    structures$norm
}

# The contributions of each case (or cluster) to the quadratic forms of a span: cases x pairs.
contributions_of_pairs <- function(geometry, span) {
  over_cases(geometry, nrow(span$pairs), function(block, z) {
    on <- z %*% span$columns[[block$number]]
    products <- on[, span$pairs[, 1L], drop = FALSE] * on[, span$pairs[, 2L], drop = FALSE]
    less_each(products, span$gram[[block$number]][span$pairs]) / 2
  })
}

# Each column less, or times, one number.
less_each <- function(x, by) x - rep(by, each = nrow(x))
times_each <- function(x, by) x * rep(by, each = nrow(x))

# --- contributions of cases ----------------------------------------------------------------------

# The contribution of each case (or cluster) to the statistics of some directions, without assuming
# normality: cases x directions. NULL without cases.
case_contributions <- function(geometry, directions) {
  over_cases(geometry, ncol(directions), function(block, z) {
    products <- z[, block$lower[, 1L], drop = FALSE] * z[, block$lower[, 2L], drop = FALSE]
    same <- block$lower[, 1L] == block$lower[, 2L]
    products[, same] <- products[, same] - 1
    own <- cbind(times_each(products, block$scale), if (geometry$structured) z)
    rows <- geometry$above[block$number] + seq_len(ncol(own))
    core_product(own, directions[rows, , drop = FALSE]) / sqrt(block$n)
  })
}

# A matrix of cases (or clusters) by columns: `of(block, z)` gives the rows of the cases of a block
# from their whitened deviations. NULL without cases.
over_cases <- function(geometry, columns, of) {
  fit <- geometry$fit
  if (!has_raw_data(fit$sample)) return(NULL)
  cases <- core_cases(fit)
  out <- lapply(seq_along(cases), function(g) {
    x <- cases[[g]]$values
    each <- matrix(0, nrow(x), columns)
    for (k in which(vapply(geometry$blocks, `[[`, 0, "group") == g)) {
      block <- geometry$blocks[[k]]
      block$number <- k
      seen <- !is.na(x)
      mine <- which(rowSums(seen) == length(block$variables) &
                      rowSums(seen[, block$variables, drop = FALSE]) == length(block$variables))
      if (length(mine) == 0L) next
      middle <- if (fit$layout$saturated_means) core_moments(fit)[[g]]$mean else
        geometry$matrices[[g]]$mean
      if (is.null(middle)) middle <- colMeans(x)
      z <- (x[mine, block$variables, drop = FALSE] -
              rep(middle[block$variables], each = length(mine))) %*% t(block$root)
      each[mine, ] <- of(block, z)
    }
    weight <- cases[[g]]$weight
    if (!is.null(weight)) each <- each * weight
    if (is.null(cases[[g]]$cluster)) return(each)
    sums <- rowsum(each, cases[[g]]$cluster)
    if (is.null(cases[[g]]$shared)) return(sums)
    # clusters of several groups add up over groups
    all <- matrix(0, cases[[g]]$shared, ncol(each))
    all[as.integer(rownames(sums)), ] <- sums
    all
  })
  if (is.null(cases[[1L]]$shared)) do.call(rbind, out) else Reduce(`+`, out)
}

# TRUE if the cases have heavy tails although inference assumes normality.
has_heavy_tails <- function(fit) !is_robust(fit$request) && rule_heavy_tails(kurtosis_z(fit))

# Mardia's (1970) test of multivariate kurtosis, over all groups and missing patterns; 0 without
# cases.
kurtosis_z <- function(fit) {
  if (!has_raw_data(fit$sample)) return(0)
  cases <- core_cases(fit)
  parts <- vapply(seq_along(cases), function(g) {
    x <- cases[[g]]$values
    middle <- core_moments(fit)[[g]]$mean %||% colMeans(x)
    sigma <- core_moments(fit)[[g]]$covariance
    found <- core_case_distances(x, middle, sigma)
    expected <- found$observed * (found$observed + 2)
    c(sum(found$squared^2 - expected), 8 * sum(expected))
  }, numeric(2))
  sum(parts[1L, ]) / sqrt(sum(parts[2L, ]))
}
