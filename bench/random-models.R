# Random identified models of several kinds, each with the same model for an independent reference:
# shared by the battery and by the comparison of versions. Needs the oracle's functions.

# A random case of a random kind: a population that only nearly follows the model, a sample from it,
# the blueprint, and the
# same model for the reference, with the population's values to start from.
random_case <- function(seed) {
  set.seed(seed)
  kind <- sample(names(kinds), 1, prob = c(0.3, 0.3, 0.15, 0.15, 0.1))
  case <- kinds[[kind]]()
  observed <- case$model$observed
  p <- length(observed)
  # the population: the model plus many small factors (Tucker, Koopman & Linn 1969)
  sigma <- case$model$build(case$start)[[1]]$sigma
  spread <- sqrt(diag(sigma))
  minor <- matrix(rnorm(p * 10, 0, runif(1, 0, 0.12)), p) * spread
  n <- round(exp(runif(1, log(max(60, 4 * p)), log(2000))))
  unit <- 10^runif(p, -3, 3)
  x <- matrix(rnorm(n * p), n) %*% chol(sigma + minor %*% t(minor))
  colnames(x) <- observed
  c(case, list(kind = kind, n = n, s = cov(x), unit = unit))
}

cell <- function(matrix, row, col, value = NA, true = 0) {
  data.frame(matrix = matrix, row = row,
  col = col, value = value, true = true)
}
residuals_of <- function(items, theta) cell("Psi", items, items, true = theta)
as_reference <- function(observed, latent, cells) {
  free <- is.na(cells$value)
  list(model = oracle_model(observed, latent, cells[c("matrix", "row", "col", "value")]),
       start = cells$true[free])
}
random_loadings <- function(k, low = 0.45, high = 0.9) {
  runif(k, low, high) *
  sample(c(1, 1, 1, -1), k, TRUE)
}
random_blueprint <- function(loadings, choices = c("marker", "unit", "average")) {
  scale <- sample(choices, 1)
  blueprint("battery", scale = if (scale == "average" && any(loadings < 0)) "marker" else scale)
}

# Constructs with their own items, perhaps a cross-loading and a residual covariance; their
# covariances free, or a full recursive
# structure, which is only another way to write the same.
factor_case <- function(structural) {
  m <- sample(if (structural) 2:4 else 1:4, 1)
  sizes <- if (m == 1) sample(4:7, 1) else sample(2:5, m, replace = TRUE)
  if (m > 1 && all(sizes == 2)) sizes[1] <- 3
  constructs <- LETTERS[seq_len(m)]
  items <- lapply(seq_len(m), function(k) paste0(letters[k], seq_len(sizes[k])))
  names(items) <- constructs
  observed <- unlist(items, use.names = FALSE)
  cross <- m > 1 && runif(1) < 0.4
  pair <- if (length(observed) > 6 && runif(1) < 0.4 && max(sizes) > 3)
    items[[which.max(sizes)]][1:2]
  loading <- random_loadings(length(observed))
  phi <- diag(m)
  if (m > 1) phi[lower.tri(phi)] <- runif(m * (m - 1) / 2, -0.2, 0.6)
  phi[upper.tri(phi)] <- t(phi)[upper.tri(phi)]
  while (min(eigen(phi)$values) < 0.1) phi <- 0.8 * phi + 0.2 * diag(m)
  target <- if (cross) items[[2]][length(items[[2]])]
  cells <- rbind(cell("B", observed, rep(constructs, sizes), true = loading),
                 residuals_of(observed, pmax(0.15, 1 - loading^2)),
                 cell("Psi", constructs, constructs, value = 1))
  for (i in seq_len(m)) for (j in seq_len(i - 1))
    cells <- rbind(cells, cell("Psi", constructs[i], constructs[j], true = phi[i, j]))
  if (cross) cells <- rbind(cells, cell("B", target, "A", true = runif(1, -0.3, 0.3)))
  if (!is.null(pair)) cells <- rbind(cells, cell("Psi", pair[1], pair[2]))
  bp <- random_blueprint(loading)
  for (name in constructs)
    bp <- construct(bp, name, reflected_in = all_of(c(items[[name]], if (name == "A") target)))
  if (structural) {
    for (k in seq_len(m)[-1])
      bp <- effect(bp,
                   stats::as.formula(paste(constructs[k], "~", paste(constructs[seq_len(k - 1)],
                       collapse = "+"))))
  }
  if (!is.null(pair)) bp <- covary(bp, all_of(pair))
  c(as_reference(observed, constructs, cells),
    list(blueprint = bp, structural = structural, constructs = constructs))
}

second_order_case <- function() {
  sizes <- sample(3:4, sample(3:4, 1), replace = TRUE)
  constructs <- LETTERS[seq_along(sizes)]
  items <- lapply(seq_along(sizes), function(k) paste0(letters[k], seq_len(sizes[k])))
  observed <- unlist(items)
  loading <- random_loadings(length(observed))
  marker <- match(vapply(items, `[`, "", 1), observed)
  upper <- random_loadings(length(sizes), 0.4, 0.85)
  # markers at 1: the construct takes its first item's unit
  first <- loading[marker]
  cells <-
    rbind(cell("B", observed, rep(constructs, sizes),
               value = ifelse(seq_along(observed) %in% marker, 1, NA),
               true = loading / rep(first, sizes)),
          residuals_of(observed, 1 - loading^2),
          cell("Psi", constructs, constructs, true = (1 - upper^2) * first^2),
          cell("B", constructs, "G", true = upper * first), cell("Psi", "G", "G", value = 1))
  bp <- random_blueprint(c(loading, upper), c("marker", "average"))
  for (k in seq_along(sizes)) bp <- construct(bp, constructs[k], reflected_in = all_of(items[[k]]))
  bp <- construct(bp, "G", reflected_in = all_of(constructs))
  c(as_reference(observed, c(constructs, "G"), cells), list(blueprint = bp))
}

bifactor_case <- function() {
  sizes <- sample(3:5, sample(2:3, 1), replace = TRUE)
  constructs <- LETTERS[seq_along(sizes)]
  items <- lapply(seq_along(sizes), function(k) paste0(letters[k], seq_len(sizes[k])))
  observed <- unlist(items)
  general <- runif(length(observed), 0.4, 0.75)
  own <- runif(length(observed), 0.3, 0.6)
  cells <- rbind(cell("B", observed, "G", true = general),
                 cell("B", observed, rep(constructs, sizes), true = own),
                 residuals_of(observed, pmax(0.15, 1 - general^2 - own^2)),
                 cell("Psi", c("G", constructs), c("G", constructs), value = 1))
  bp <- construct(random_blueprint(1, c("marker", "unit")), "G", reflected_in = all_of(observed))
  for (k in seq_along(sizes)) bp <- construct(bp, constructs[k], reflected_in = all_of(items[[k]]))
  c(as_reference(observed, c("G", constructs), cells),
    list(blueprint = uncorrelate(bp, all_of(c("G", constructs)))))
}

composite_case <- function() {
  size <- sample(2:4, 1)
  causes <- paste0("x", seq_len(size))
  items <- list(A = paste0("a", 1:sample(3:4, 1)), B = paste0("b", 1:3))
  loading <- random_loadings(length(unlist(items)), 0.5, 0.9)
  weight <- c(1, runif(size - 1, 0.4, 1.2))
  both <- unlist(items, use.names = FALSE)
  owner <- rep(names(items), lengths(items))
  marker <- both %in% c("a1", "b1")
  first <- c(A = loading[match("a1", both)], B = loading[match("b1", both)])
  cells <- rbind(cell("B", both, owner, value = ifelse(marker, 1, NA),
                      true = loading / first[owner]), residuals_of(both, 1 - loading^2),
                 cell("Psi", causes, causes, true = 1),
                 cell("B", "R", causes, value = c(1, rep(NA, size - 1)), true = weight),
                 cell("B", c("A", "B", "B"), c("R", "R", "A"),
                      true = c(0.4 * first[["A"]] / size, 0.3 * first[["B"]] / size,
                                0.3 * first[["B"]] / first[["A"]])),
                 cell("Psi", c("A", "B"), c("A", "B"), true = 0.8 * first^2))
  for (i in seq_len(size)) for (j in seq_len(i - 1))
    cells <- rbind(cells, cell("Psi", causes[i], causes[j], true = 0.3))
  bp <- random_blueprint(loading, c("marker", "average"))
  for (name in names(items)) bp <- construct(bp, name, reflected_in = all_of(items[[name]]))
  bp <- construct(bp, "R", composed_of = all_of(causes)) |> effect(A ~ R, B ~ R + A)
  c(as_reference(c(both, causes), c("A", "B", "R"), cells), list(blueprint = bp))
}

kinds <- list(factors = function() factor_case(FALSE), structural = function() factor_case(TRUE),
              second_order = second_order_case, bifactor = bifactor_case,
              composite = composite_case)
