# What scores of parts are worth beside the total: added value, replicability, determinacy, and what
# it costs to treat all items as one dimension.

# Loadings of the general construct and of each specific factor on a set of items, keyed, as jets of
# their sums: what each factor contributes to the sum of these items, in units of the factor.
factor_sums <- function(loadings, key, at) {
  all <- loadings$general$items
  lapply(c(list(loadings$general), unname(loadings$specific)), function(part) {
    inside <- which(part$items %in% at)
    if (length(inside) == 0L) return(NULL)
    list(sum = jet_sum(jet_at(part$jet, inside), key[match(part$items[inside], all)]),
         variance = part$variance)
  })
}

# The covariance of the true scores of two sums of items.
true_covariance <- function(one, other) {
  parts <- Map(function(a, b) {
    if (is.null(a) || is.null(b)) return(NULL)
    jet_times(jet_times(a$sum, b$sum), a$variance)
  }, one, other)
  Reduce(jet_plus, Filter(Negate(is.null), parts))
}

# For one part, by how much its own observed score reduces the mean squared error of its true score,
# proportionally, and by how much the observed total does (Haberman 2008). list(part, total, added):
# jets.
added_value <- function(view, loadings, key, at) {
  all <- loadings$general$items
  own <- factor_sums(loadings, key, at)
  whole <- factor_sums(loadings, key, all)
  true <- true_covariance(own, own)
  part <- jet_over(true, sum_variance(view, at, key[match(at, all)]))
  both <- jet_square(true_covariance(own, whole))
  total <- jet_over(both, jet_times(true, sum_variance(view, all, key)))
  list(part = part, total = total, added = jet_minus(part, total))
}

# The columns of all scores of a group: the total first, whose own value is not compared with
# itself.
added_columns <- function(view, loadings, key, level) {
  found <- lapply(unname(loadings$specific), function(part) {
    added_value(view, loadings, key, part$items)
  })
  jets <- bind_jets(lapply(found, `[[`, "added"))
  half <- stats::qt((1 + level) / 2, reference_df(view$fit)) * jet_error(jets, view$fit)
  value <- function(what) vapply(found, function(x) x[[what]]$value, 0)
  list(prmse_part = c(NA, value("part")), prmse_total = c(NA, value("total")),
       added_lower = c(NA, jets$value - half), added_upper = c(NA, jets$value + half))
}

# Standardized loadings of the items, keyed, on the general construct and the specific factors.
standard_loadings <- function(view, loadings, key) {
  items <- loadings$general$items
  sd <- sqrt(diag(view_matrices(view)$covariance)[items])
  vapply(c(list(loadings$general), unname(loadings$specific)), function(part) {
    out <- rep(0, length(items))
    at <- match(part$items, items)
    out[at] <- part$jet$value * sqrt(max(part$variance$value, 0)) / sd[at] * key[at]
    out
  }, numeric(length(items)))
}

# Construct replicability H = 1 / (1 + 1 / sum l^2/(1 - l^2)) (Hancock & Mueller 2001), and the
# determinacy of factor scores, the root of the diagonal of L' R^-1 L (Grice 2001).
factor_worth <- function(view, loadings, key) {
  l <- standard_loadings(view, loadings, key)
  items <- loadings$general$items
  r <- stats::cov2cor(view_matrices(view)$covariance[items, items]) * outer(key, key)
  h <- apply(l, 2L, function(x) {
    known <- x != 0 & abs(x) < 1
    if (any(abs(x) >= 1) || !any(known)) return(NA_real_)
    1 / (1 + 1 / sum(x[known]^2 / (1 - x[known]^2)))
  })
  list(h = h, determinacy = sqrt(pmin(diag(t(l) %*% solve_in_units(r, l)), 1)))
}

# What happens to loadings and to an effect when all items are fitted as one dimension although the
# parts are there (Rodriguez, Reise & Haviland 2016): the one-factor model of the implied
# correlations. `effect_bias`: of the effect of the general construct on an outcome that depends on
# nothing else.
one_dimension <- function(view, loadings, key) {
  items <- loadings$general$items
  general <- standard_loadings(view, loadings, key)[, 1L]
  unknown <- list(loading_bias = rep(NA_real_, length(items)), effect_bias = NA_real_)
  if (is_replicate(view$fit)) return(unknown)
  r <- stats::cov2cor(view_matrices(view)$covariance[items, items]) * outer(key, key)
  dimnames(r) <- rep(list(paste0("item", seq_along(items))), 2L)
  r <- (r + t(r)) / 2
  fit <- tryCatch(suppressMessages(suppressWarnings({
    bp <- blueprint("One", scale = "unit") |> construct("One", reflected_in = !!rownames(r))
    fit_model(bp, summary_data(r, 1000))
  })), orizzonte_error = function(e) NULL)
  if (is.null(fit) || solution_state(fit)$status != "proper") return(unknown)
  rows <- fit$layout$rows
  one <- values_of(fit)[rows$kind == "loading"] / sqrt(1 / diag(r))
  one <- one * sign(sum(one))
  weight <- one / (1 - one^2)
  list(loading_bias = ifelse(abs(general) < 0.05, NA_real_, one / general - 1),
       effect_bias = sum(weight * general) / sum(weight * one) - 1)
}

# Why the shares of a group cannot carry a verdict, or NULL: a residual variance that is not
# positive, a loading that is hardly identified, a specific factor whose keyed loadings differ in
# sign.
split_trouble <- function(view, loadings, key) {
  residual <- item_shares(view, loadings)$residual
  items <- loadings$general$items
  rows <- view$layout$rows
  own <- which(rows$kind == "loading" & rows$second %in% view$layout$observed[items])
  se <- standardized_of(view$fit)$se[view$fit$layout$spans[[view$number]][own]]
  specific <- standard_loadings(view, loadings, key)[, -1L, drop = FALSE]
  mixed <- apply(specific, 2L, function(x) any(x > 0) && any(x < 0))
  c(if (any(residual <= 0)) text_of("split_residual_not_positive"),
    if (any(se > 1, na.rm = TRUE)) text_of("split_loading_unidentified"),
    if (any(mixed))
      text_of("split_mixed_signs", factor = enumerate(names(loadings$specific)[mixed])))
}
