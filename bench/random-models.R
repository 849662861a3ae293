# Random identified models in named families, each with the same model for an independent reference
# and a sample drawn near it: shared by the battery and by the comparison of versions. Needs
# tests/oracles/generic-ml.R.

`%||%` <- function(x, default) if (is.null(x)) default else x

# A case: `blueprint`; `model`, `truth` and `moments` of the reference, in units of about 1; `data`,
# the same moments in the user's units (`unit` by variable) as summary data.
random_case <- function(seed, family = NULL) {
  set.seed(seed)
  family <- family %||% names(families)[1L + seed %% length(families)]
  spec <- c(families, hard_families)[[family]]()
  strong <- seed %/% length(families) %% 2L == 1L || isTRUE(spec$wild)
  model <- ml_model(spec$observed, spec$latent, spec$cells, spec$means, spec$equations %||% list(),
                    spec$lower %||% numeric(), spec$upper %||% numeric())
  free <- is.na(spec$cells$value)
  label <- model$known[model$index[free]]
  truth <- vapply(split(spec$cells$true[free], label), mean, 0)[model$labels]
  p <- length(spec$observed)
  unit <- stats::setNames(10^(if (isTRUE(spec$common)) rep(stats::runif(1L, -4, 4), p) else
    stats::runif(p, -4, 4)), spec$observed)
  blueprint <- spec$blueprint
  if (length(spec$bounds)) {
    at <- spec$bounds$at * ifelse(startsWith(spec$bounds$address, "variance"), unit[[1L]]^2, 1)
    blueprint <- restrict_all(blueprint, sprintf("%s >= %.17g", spec$bounds$address, at))
  }
  shift <- if (spec$means || stats::runif(1L) < 0.5) 0 * unit else stats::runif(p, -1e5, 1e5)
  moments <- lapply(seq_len(model$groups), function(g) {
    sampled(ml_group(model, ml_expand(model, truth)$value, g), spec$observed, strong, spec$means,
            isTRUE(spec$wild))
  })
  data <- lapply(moments, function(m) {
    s <- m$covariance * m$n / (m$n - 1) * tcrossprod(unit)
    means <- if (spec$means) as.numeric(m$mean * unit) else if (any(shift != 0)) shift
    summary_data(s, m$n, means = means)
  })
  names(data) <- paste0("g", seq_along(data))
  list(seed = seed, family = family, strong = strong, blueprint = blueprint, model = model,
       truth = truth, moments = moments, data = if (length(data) > 1L) data else data[[1L]],
       unit = unit, scale = spec$scale, bounded = isTRUE(spec$bounded), wild = isTRUE(spec$wild))
}

# Moments of a sample: from the model plus many small factors (Tucker, Koopman & Linn 1969), larger
# ones under strong misfit.
sampled <- function(at, names, strong, means, wild = FALSE) {
  p <- nrow(at$sigma)
  size <- if (wild) stats::runif(1L, 0.3, 0.8) else if (strong) stats::runif(1L, 0.12, 0.3) else
    stats::runif(1L, 0, 0.08)
  minor <- matrix(stats::rnorm(p * 10, 0, size), p)
  sigma <- at$sigma + tcrossprod(minor) * sqrt(tcrossprod(diag(at$sigma)))
  # half of the strongly misspecified ones are unrelated to the model
  if (wild && stats::runif(1L) < 0.5) {
    any <- stats::rWishart(1L, p + sample(1:10, 1L), diag(p))[, , 1L]
    sigma <- any / sqrt(tcrossprod(diag(any))) * sqrt(tcrossprod(diag(at$sigma)))
  }
  n <- round(exp(stats::runif(1L, log(max(50, 4 * p)), log(50000))))
  s <- stats::rWishart(1L, n - 1, sigma)[, , 1L] / n
  mean <- if (means) {
    at$mu + drop(crossprod(chol(sigma), stats::rnorm(p))) / sqrt(n) +
      if (strong) stats::rnorm(p, 0, if (wild) 0.6 else 0.15) * sqrt(diag(sigma)) else 0
  }
  dimnames(s) <- list(names, names)
  list(n = n, covariance = s, mean = mean)
}

# --- pieces --------------------------------------------------------------------------------------

cell <- function(matrix, row, col = row, value = NA, true = 0, label = "", group = 1L) {
  data.frame(matrix = matrix, row = row, col = col, value = as.numeric(value), true = true,
             label = label, group = group)
}
covariances <- function(names, true, group = 1L) {
  if (length(names) < 2L) return(NULL)
  pairs <- utils::combn(names, 2L)
  cell("Psi", pairs[1L, ], pairs[2L, ], true = true, group = group)
}
residual_cells <- function(items, theta, label = "", group = 1L) {
  cell("Psi", items, true = theta, label = label, group = group)
}
random_loadings <- function(k, low = 0.45, high = 0.9) {
  stats::runif(k, low, high) * sample(c(1, 1, 1, -1), k, TRUE)
}
pick_scale <- function(loadings, choices = c("marker", "unit", "average")) {
  scale <- sample(choices, 1L)
  if (scale == "average" && any(loadings < 0)) "marker" else scale
}

# Latent variables in other units: factor by name.
rescale_cells <- function(cells, factor) {
  by <- function(name) ifelse(name %in% names(factor), factor[name], 1)
  row <- by(cells$row)
  col <- by(cells$col)
  times <- ifelse(cells$matrix == "B", row / col, ifelse(cells$matrix == "Psi", row * col, row))
  cells$true <- cells$true * as.numeric(times)
  cells
}

# Cells whose loadings and variances are all free, converted to the scale of the blueprint:
# "average" as "marker" on the first item. `held`: are loadings equal across groups?
on_scale <- function(cells, constructs, markers, scale, held = FALSE) {
  for (g in unique(cells$group)) {
    here <- cells$group == g
    for (k in seq_along(constructs)) {
      name <- constructs[k]
      loading <- here & cells$matrix == "B" & cells$row == markers[k] & cells$col == name
      variance <- here & cells$matrix == "Psi" & cells$row == name & cells$col == name
      first <- here & scale == "unit" & (!held || g == 1L)
      factor <- if (scale == "unit") 1 / sqrt(cells$true[variance]) else cells$true[loading]
      if (scale != "unit" || !held || g == 1L)
        cells[here, ] <- rescale_cells(cells[here, ], stats::setNames(factor, name))
      if (scale != "unit") cells$value[loading] <- 1
      if (scale == "unit" && any(first)) cells$value[variance] <- 1
    }
  }
  cells
}

# Constructs with items of their own, as cells with free loadings and variances.
measured <- function(sizes, low = 0.45, high = 0.9) {
  constructs <- LETTERS[seq_along(sizes)]
  items <- stats::setNames(lapply(seq_along(sizes), function(k) {
    paste0(letters[k], seq_len(sizes[k]))
  }), constructs)
  observed <- unlist(items, use.names = FALSE)
  loading <- random_loadings(length(observed), low, high)
  list(constructs = constructs, items = items, observed = observed, loading = loading,
       markers = vapply(items, `[`, "", 1L),
       cells = rbind(cell("B", observed, rep(constructs, sizes), true = loading),
                     residual_cells(observed, pmax(0.15, 1 - loading^2))))
}

correlations <- function(m) {
  phi <- diag(m)
  if (m > 1L) phi[lower.tri(phi)] <- stats::runif(m * (m - 1) / 2, -0.2, 0.6)
  phi[upper.tri(phi)] <- t(phi)[upper.tri(phi)]
  while (min(eigen(phi)$values) < 0.1) phi <- 0.8 * phi + 0.2 * diag(m)
  phi
}

declare <- function(bp, items, extra = list()) {
  for (name in names(items))
    bp <- construct(bp, name, reflected_in = all_of(c(items[[name]], extra[[name]])))
  bp
}

# --- families ------------------------------------------------------------------------------------

# Cross-loadings and residual covariances where the model stays identified.
factor_family <- function() {
  m <- sample(1:4, 1L)
  made <- measured(if (m == 1L) sample(4:7, 1L) else sample(3:5, m, replace = TRUE))
  scale <- pick_scale(made$loading)
  phi <- correlations(m)
  cells <- rbind(made$cells, cell("Psi", made$constructs, true = 1),
                 covariances(made$constructs, phi[lower.tri(phi)]))
  cross <- if (m > 1L && stats::runif(1L) < 0.6) utils::tail(made$items[[2L]], 1L)
  long <- which(lengths(made$items) > 3L)
  pair <- if (length(long) && length(made$observed) > 4L && stats::runif(1L) < 0.6)
    made$items[[long[1L]]][2:3]
  if (length(cross)) cells <- rbind(cells, cell("B", cross, "A", true = stats::runif(1, -0.3, 0.3)))
  if (length(pair)) cells <- rbind(cells, cell("Psi", pair[1L], pair[2L], true = 0.05))
  if (length(cross)) scale <- if (scale == "average") "marker" else scale
  bp <- declare(blueprint("battery", scale = scale), made$items, list(A = cross))
  if (length(pair)) bp <- covary(bp, all_of(pair))
  list(blueprint = bp, cells = on_scale(cells, made$constructs, made$markers, scale),
       observed = made$observed, latent = made$constructs, means = FALSE, scale = scale)
}

# Recursive effects; variables without a predictor covary.
recursive_effects <- function(names, chance = 0.7) {
  out <- NULL
  for (k in seq_along(names)[-1L]) {
    from <- names[seq_len(k - 1L)][stats::runif(k - 1L) < chance]
    if (length(from)) out <- rbind(out, data.frame(from = from, to = names[k]))
  }
  out %||% data.frame(from = names[1L], to = names[2L])
}
with_effects <- function(bp, effects) {
  for (to in unique(effects$to)) {
    bp <- effect(bp, stats::reformulate(effects$from[effects$to == to], to))
  }
  bp
}
effect_cells <- function(effects, variance = 0.6) {
  strength <- stats::runif(nrow(effects), 0.15, 0.5) * sample(c(1, 1, -1), nrow(effects), TRUE)
  causes <- as.numeric(table(effects$to)[effects$to])
  cell("B", effects$to, effects$from, true = strength / sqrt(causes))
}

structural_family <- function() {
  m <- sample(2:4, 1L)
  made <- measured(sample(3:5, m, replace = TRUE))
  scale <- pick_scale(made$loading)
  effects <- recursive_effects(made$constructs)
  outside <- setdiff(made$constructs, effects$to)
  cells <- rbind(made$cells, cell("Psi", made$constructs,
                                  true = ifelse(made$constructs %in% outside, 1, 0.7)),
                 covariances(outside, 0.2), effect_cells(effects))
  list(blueprint = with_effects(declare(blueprint("battery", scale = scale), made$items), effects),
       cells = on_scale(cells, made$constructs, made$markers, scale), observed = made$observed,
       latent = made$constructs, means = FALSE, scale = scale)
}

path_family <- function() {
  x <- paste0("x", seq_len(sample(1:3, 1L)))
  y <- paste0("y", seq_len(sample(2:4, 1L)))
  effects <- rbind(data.frame(from = sample(x, length(y), TRUE), to = y),
                   if (stats::runif(1L) < 0.8) recursive_effects(y, 0.5))
  outside <- intersect(x, effects$from)
  observed <- c(outside, y)
  cells <- rbind(cell("Psi", observed, true = ifelse(observed %in% outside, 1, 0.7)),
                 covariances(outside, 0.2), effect_cells(effects))
  list(blueprint = with_effects(blueprint("battery"), effects), cells = cells, observed = observed,
       latent = character(), means = FALSE, scale = "marker")
}

# Two outcomes that cause each other, each with an instrument; perhaps their disturbances covary.
feedback_family <- function() {
  effects <- data.frame(from = c("x1", "x2", "y1", "y2"), to = c("y1", "y2", "y2", "y1"))
  after <- stats::runif(1L) < 0.5
  if (after) effects <- rbind(effects, data.frame(from = c("y1", "y2"), to = "y3"))
  covaried <- stats::runif(1L) < 0.6
  observed <- c("x1", "x2", "y1", "y2", if (after) "y3")
  cells <- rbind(cell("Psi", observed, true = 1), covariances(c("x1", "x2"), 0.2),
                 effect_cells(effects), if (covaried) cell("Psi", "y1", "y2", true = 0.2))
  bp <- with_effects(blueprint("battery"), effects)
  list(blueprint = if (covaried) covary(bp, y1, y2) else bp, cells = cells, observed = observed,
       latent = character(), means = FALSE, scale = "marker")
}

# One instrument only: the disturbances do not covary.
bare_feedback_family <- function() {
  x <- paste0("x", seq_len(sample(1:2, 1L)))
  effects <- rbind(data.frame(from = x, to = "y1"),
                   data.frame(from = c("y1", "y2"), to = c("y2", "y1")))
  observed <- c(x, "y1", "y2")
  cells <- rbind(cell("Psi", observed, true = 1), covariances(x, 0.2), effect_cells(effects))
  list(blueprint = with_effects(blueprint("battery"), effects), cells = cells, observed = observed,
       latent = character(), means = FALSE, scale = "marker")
}

second_order_family <- function() {
  made <- measured(sample(3:4, sample(3:4, 1L), replace = TRUE))
  upper <- random_loadings(length(made$constructs), 0.4, 0.85)
  scale <- pick_scale(c(made$loading, upper), c("marker", "average"))
  cells <- rbind(made$cells, cell("Psi", made$constructs, true = 1 - upper^2),
                 cell("B", made$constructs, "G", true = upper), cell("Psi", "G", true = 1))
  bp <- declare(blueprint("battery", scale = scale), c(made$items, list(G = made$constructs)))
  cells <- on_scale(cells, c(made$constructs, "G"), c(made$markers, "A"), scale)
  list(blueprint = bp, cells = cells, observed = made$observed,
       latent = c(made$constructs, "G"), means = FALSE, scale = scale)
}

# Two specific factors of three items each are not identified: the covariances between their items
# determine the general loadings up to one number, and three covariances are too few for it.
bifactor_family <- function() {
  sizes <- sample(3:5, sample(2:3, 1L), replace = TRUE)
  if (identical(sizes, c(3L, 3L))) sizes[1L] <- 4L
  made <- measured(sizes, 0.3, 0.6)
  general <- stats::runif(length(made$observed), 0.4, 0.75)
  scale <- sample(c("marker", "unit"), 1L)
  own <- made$loading
  cells <- rbind(cell("B", made$observed, "G", true = general),
                 cell("B", made$observed, rep(made$constructs, lengths(made$items)), true = own),
                 residual_cells(made$observed, pmax(0.15, 1 - general^2 - own^2)),
                 cell("Psi", c("G", made$constructs), true = 1))
  bp <- construct(blueprint("battery", scale = scale), "G", reflected_in = all_of(made$observed))
  bp <- uncorrelate(declare(bp, made$items), all_of(c("G", made$constructs)))
  list(blueprint = bp, cells = on_scale(cells, c("G", made$constructs),
                                        c(made$observed[1L], made$markers), scale),
       observed = made$observed, latent = c("G", made$constructs), means = FALSE, scale = scale)
}

composite_family <- function(scales = c("marker", "average")) {
  causes <- paste0("x", seq_len(sample(2:4, 1L)))
  made <- measured(c(sample(3:4, 1L), 3L), 0.5, 0.9)
  weight <- c(1, stats::runif(length(causes) - 1L, 0.4, 1.2))
  scale <- pick_scale(made$loading, scales)
  cells <- on_scale(rbind(made$cells, cell("Psi", made$constructs, true = 0.8),
                          cell("B", c("A", "B", "B"), c("R", "R", "A"),
                               true = c(0.4, 0.3, 0.3) / c(1, 1, length(causes))),
                          cell("Psi", causes, true = 1), covariances(causes, 0.3)),
                    made$constructs, made$markers, scale)
  cells <- rbind(cells, cell("B", "R", causes, value = c(1, rep(NA, length(causes) - 1L)),
                             true = weight))
  bp <- declare(blueprint("battery", scale = scale), made$items) |>
    construct("R", composed_of = all_of(causes)) |> effect(A ~ R, B ~ R + A)
  list(blueprint = bp, cells = cells, observed = c(made$observed, causes),
       latent = c(made$constructs, "R"), means = FALSE, scale = scale)
}

# A construct with some loadings known, written as a user would: c(w1 = 0, w2 = 1, w3).
with_basis <- function(bp, name, items, known) {
  parts <- lapply(seq_along(items), function(k) {
    if (is.na(known[k])) as.name(items[k]) else known[k]
  })
  names(parts) <- ifelse(is.na(known), "", items)
  eval(as.call(list(quote(construct), bp, name, reflected_in = as.call(c(quote(c), parts)))))
}

# Curves over time: the basis known, or two of its values only.
growth_family <- function(latent_basis) {
  times <- sample(if (latent_basis) 4:6 else 3:6, 1L)
  w <- paste0("w", seq_len(times))
  basis <- if (latent_basis) c(0, 1, cumsum(c(1, stats::runif(times - 2L, 0.2, 1.3)))[-1L]) else
    seq_len(times) - 1
  known <- if (latent_basis) c(0, 1, rep(NA, times - 2L)) else basis
  equal <- latent_basis || times == 3L || stats::runif(1L) < 0.5
  predicted <- stats::runif(1L) < 0.4
  size <- 10^stats::runif(1L, 0, 1.5)
  cells <- rbind(cell("B", w, "Level", value = 1), cell("B", w, "Slope", value = known,
                                                        true = basis),
                 cell("Psi", c("Level", "Slope"), true = c(1, stats::runif(1L, 0.05, 0.4))),
                 cell("Psi", "Level", "Slope", true = 0.05),
                 residual_cells(w, stats::runif(1L, 0.3, 0.8), if (equal) "e" else ""),
                 cell("alpha", c("Level", "Slope"), true = c(size, stats::runif(1L, 0.1, 1))),
                 if (predicted) rbind(cell("B", c("Level", "Slope"), "z", true = c(0.3, 0.1)),
                                      cell("Psi", "z", true = 1), cell("alpha", "z", true = 0)))
  bp <- with_basis(with_basis(blueprint("battery"), "Level", w, rep(1, times)), "Slope", w, known)
  if (predicted) bp <- covary(effect(bp, Level ~ z, Slope ~ z), "Level", "Slope")
  bp <- restrict(bp, !!!lapply(w, function(v) str2lang(sprintf("intercept[%s] == 0", v))))
  bp <- relax(bp, "mean[Level]", "mean[Slope]")
  if (equal) {
    bp <- restrict(bp, !!!lapply(w[-1L], function(v) {
      str2lang(sprintf("variance[%s] == variance[w1]", v))
    }))
  }
  list(blueprint = bp, cells = cells, observed = c(w, if (predicted) "z"),
       latent = c("Level", "Slope"), means = TRUE, scale = "given", common = TRUE)
}

# Restrictions given as text.
restrict_all <- function(bp, texts) restrict(bp, !!!lapply(texts, str2lang))

# Loadings equal within a construct, residual variances equal within another.
equality_family <- function() {
  made <- measured(sample(3:5, sample(2:3, 1L), replace = TRUE))
  scale <- sample(c("marker", "unit"), 1L)
  phi <- correlations(length(made$constructs))
  cells <- on_scale(rbind(made$cells, cell("Psi", made$constructs, true = 1),
                          covariances(made$constructs, phi[lower.tri(phi)])),
                    made$constructs, made$markers, scale)
  a <- made$items$A
  b <- made$items$B
  free <- if (scale == "marker") a[-1L] else a
  cells$label[cells$matrix == "B" & cells$col == "A" & is.na(cells$value)] <- "loading"
  cells$label[cells$matrix == "Psi" & cells$row %in% b & cells$row == cells$col] <- "residual"
  bp <- restrict_all(declare(blueprint("battery", scale = scale), made$items), c(
    sprintf("loading[A, %s] == loading[A, %s]", free[-1L], free[1L]),
    sprintf("variance[%s] == variance[%s]", b[-1L], b[1L])))
  list(blueprint = bp, cells = cells, observed = made$observed, latent = made$constructs,
       means = FALSE, scale = scale, common = TRUE)
}

# A smooth equation between effects: a product, or a square and a number.
equation_family <- function() {
  made <- measured(sample(3:4, 3L, replace = TRUE))
  scale <- sample(c("marker", "unit"), 1L)
  effects <- data.frame(from = c("A", "A", "B"), to = c("B", "C", "C"))
  cells <- on_scale(rbind(made$cells, cell("Psi", made$constructs, true = c(1, 0.8, 0.7)),
                          effect_cells(effects)), made$constructs, made$markers, scale)
  at <- match(paste(effects$to, effects$from),
              ifelse(cells$matrix == "B", paste(cells$row, cells$col), ""))
  cells$label[at] <- c("ab", "ac", "bc")
  kind <- sample(2L, 1L)
  equation <- list(quote(ab * bc), quote(0.2 + bc^2))[[kind]]
  text <- c("effect[A, C] == effect[A, B] * effect[B, C]",
            "effect[A, C] == 0.2 + effect[B, C]^2")[kind]
  value <- stats::setNames(as.list(cells$true[at]), c("ab", "ac", "bc"))
  cells$true[at[2L]] <- eval(equation, value)
  bp <- with_effects(declare(blueprint("battery", scale = scale), made$items), effects)
  list(blueprint = restrict_all(bp, text), cells = cells, observed = made$observed,
       latent = made$constructs, means = FALSE, scale = scale, common = TRUE,
       equations = list(ac = equation))
}

# Bounds below or above the bounded value: on a loading, a residual variance and an effect.
bound_family <- function(active) {
  made <- measured(sample(3:4, 2L, replace = TRUE))
  made$loading <- abs(made$loading)
  cells <- rbind(made$cells, cell("Psi", made$constructs, true = c(1, 0.8)), cell("B", "B", "A"))
  cells$true[cells$matrix == "B"] <- c(made$loading, 0.4)
  cells <- on_scale(cells, made$constructs, made$markers, "marker")
  free <- c(loading = which(cells$matrix == "B" & cells$row == "a2"),
            variance = which(cells$matrix == "Psi" & cells$row == "a3" & cells$col == "a3"),
            effect = which(cells$matrix == "B" & cells$row == "B" & cells$col == "A"))
  address <- c("loading[A, a2]", "variance[a3]", "effect[A, B]")
  cells$label[free] <- names(free)
  true <- cells$true[free]
  chosen <- sort(sample(3L, sample(1:3, 1L)))
  up <- if (active) stats::runif(3L, 0.15, 0.4) else stats::runif(3L, -0.6, -0.3)
  at <- true + up * abs(true)
  bp <- with_effects(declare(blueprint("battery"), made$items), data.frame(from = "A", to = "B"))
  list(blueprint = bp, bounds = list(address = address[chosen], at = at[chosen]), cells = cells,
       observed = made$observed, latent = made$constructs, means = FALSE, scale = "marker",
       common = TRUE, lower = stats::setNames(at[chosen], names(free)[chosen]), bounded = TRUE)
}

# Two or three groups: nothing held, loadings held, or loadings and intercepts.
group_family <- function(held) {
  made <- measured(sample(3:4, sample(1:3, 1L), replace = TRUE))
  if (length(made$constructs) == 1L) made <- measured(sample(4:5, 1L))
  scale <- pick_scale(made$loading)
  level <- if (held) sample(2L, 1L) else 0L
  start <- if (level == 2L) stats::runif(length(made$observed), -3, 3)
  cells <- do.call(rbind, lapply(seq_len(sample(2:3, 1L)), function(g) {
    phi <- correlations(length(made$constructs))
    out <- rbind(made$cells, cell("Psi", made$constructs, true = if (g == 1L) 1 else
      stats::runif(length(made$constructs), 0.6, 1.5)),
      covariances(made$constructs, 0.6 * phi[lower.tri(phi)]),
      if (level == 2L) rbind(cell("alpha", made$observed, true = start),
                             cell("alpha", made$constructs, value = if (g == 1L) 0 else NA,
                                  true = if (g == 1L) 0 else 0.4)))
    out$group <- g
    out
  }))
  cells <- on_scale(cells, made$constructs, made$markers, scale, held)
  loading <- cells$matrix == "B" & is.na(cells$value)
  if (held) cells$label[loading] <- paste("loading", cells$row, cells$col)[loading]
  intercept <- cells$matrix == "alpha" & cells$row %in% made$observed
  if (level == 2L) cells$label[intercept] <- paste("intercept", cells$row)[intercept]
  bp <- declare(blueprint("battery", scale = scale), made$items)
  if (level == 1L) bp <- hold_equal(bp, "loading")
  if (level == 2L) bp <- hold_equal(bp, "loading", "intercept")
  list(blueprint = bp, cells = cells, observed = made$observed, latent = made$constructs,
       means = level == 2L, scale = scale, common = scale == "average")
}

families <- list(
  factor = factor_family, structural = structural_family, path = path_family,
  feedback = feedback_family, "feedback, one instrument" = bare_feedback_family,
  "second order" = second_order_family, bifactor = bifactor_family, composite = composite_family,
  "growth, known basis" = function() growth_family(FALSE),
  "growth, latent basis" = function() growth_family(TRUE), equalities = equality_family,
  equations = equation_family, "bounds, inactive" = function() bound_family(FALSE),
  "bounds, active" = function() bound_family(TRUE), groups = function() group_family(FALSE),
  "groups, held" = function() group_family(TRUE))

# A composite whose effect on an outcome is the product of two others, or a square and a number: the
# latter is another equation on another scale.
composite_equation_family <- function() {
  spec <- composite_family("marker")
  cells <- spec$cells
  at <- match(c("A R", "B R", "B A"), ifelse(cells$matrix == "B", paste(cells$row, cells$col), ""))
  cells$label[at] <- c("ra", "rb", "ab")
  kind <- sample(2L, 1L)
  equation <- list(quote(ra * ab), quote(0.1 + ab^2))[[kind]]
  cells$true[at[2L]] <- eval(equation, stats::setNames(as.list(cells$true[at]), c("ra", "rb",
                                                                                  "ab")))
  spec$cells <- cells
  spec$equations <- list(rb = equation)
  spec$common <- TRUE
  spec$blueprint <- restrict_all(spec$blueprint, c(
    "effect[R, B] == effect[R, A] * effect[A, B]", "effect[R, B] == 0.1 + effect[A, B]^2")[kind])
  spec
}

# Models that are almost unrelated to their data: several optima, of which the lowest is often
# improper.
wild <- function(family) function() c(family(), list(wild = TRUE))

hard_families <- list(
  "composite, equation" = composite_equation_family,
  "growth, wild" = wild(function() growth_family(FALSE)),
  "growth basis, wild" = wild(function() growth_family(TRUE)),
  "groups, wild" = wild(function() group_family(FALSE)),
  "groups held, wild" = wild(function() group_family(TRUE)),
  "second order, wild" = wild(second_order_family), "bifactor, wild" = wild(bifactor_family))

# The same model and data with items, constructs and groups in another order; the first item of each
# construct stays the marker unless `markers` move as well.
in_another_order <- function(case, order, markers = TRUE) {
  set.seed(order)
  one <- function(data, items) {
    data$covariance <- data$covariance[items, items]
    if (!is.null(data$means)) data$means <- data$means[items]
    data$names <- items
    data
  }
  data <- case$data
  grouped <- is.null(data$covariance)
  items <- sample(if (grouped) data[[1]]$names else data$names)
  data <- if (grouped) lapply(data, one, items)[sample(names(data))] else one(data, items)
  bp <- case$blueprint
  bp$constructs <- lapply(bp$constructs, function(construct) {
    kept <- if (markers) character() else construct$items[1]
    moved <- intersect(items, setdiff(construct$items, kept))
    construct$items <- c(kept, moved, setdiff(construct$items, c(kept, moved)))
    construct
  })
  bp$constructs <- bp$constructs[sample(length(bp$constructs))]
  list(blueprint = bp, data = data)
}
