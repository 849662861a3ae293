#' Residuals: observed minus implied moments
#'
#' @param object A fit from [fit_model()].
#' @param in_units The unit of residuals. `"covariance"`: differences of covariances (and
#'   means). `"correlation"`: differences of correlations, in which the observed and the
#'   implied matrix are each scaled by the observed standard deviations, so that
#'   the diagonal shows how far variances are off (Bentler 1995); means are
#'   divided by the standard deviations.
#'   `"moment_se"`: over the standard errors of the observed
#'   moments, \eqn{\sqrt{(\sigma_{ii}\sigma_{jj} + \sigma_{ij}^2)/n}} (Jöreskog & Sörbom 1981).
#'   `"own_se"`: over the residuals' own standard errors, in which the
#'   estimation of the parameters is taken into account (the diagonal of
#'   \eqn{(\Gamma - \Delta I^{-1} \Delta')/n} under normality, Bollen 1989): a z, close to standard
#'   normal when the model holds. `NA` for moments that the model reproduces perfectly for any data.
#' @param largest Give a number to get that many pairs as a sorted table, with a sentence on the
#'   meaning of each; `Inf` for all pairs, observed and implied side by side.
#' @param ... Not used.
#' @return Without `largest`, a list of class `orizzonte_moments` with one element per group (`all`
#'   without groups), each with `covariance` and `mean`; printed rounded. With `largest`, a data
#'   frame of class `orizzonte_residuals`: `first`, `second`, `residual`, `observed`, `implied`, `z`
#'   (the residual over its own standard error), `meaning`. Its attribute `parts` says where the
#'   SRMR comes from: `part` (a construct with itself, two constructs, variances, means), `moments`,
#'   `srmr` of that part, and its `share` of the sum of squares.
#' @section Errors: `orizzonte_error_input` for unknown units.
#' @references
#' Bollen, K. A. (1989). *Structural equations with latent variables*. Wiley.
#' @seealso [residual_map()] for a picture, [amendments()] for modification indices,
#'   [fit_indices()].
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' residuals(fit, in_units = "correlation", largest = 5)
#' @export
residuals.orizzonte_fit <- function(object, in_units = "covariance", largest = NULL, ...) {
  check_fit(object, "residuals")
  check_arguments("residuals")
  in_units <- choose_one(in_units, residual_units, "`in_units`")
  if (!is.null(largest)) check_number(largest, "`largest`", 1)
  views <- group_views(object)
  parts <- lapply(views, residual_parts)
  if (is.null(largest))
    return(with_status(structure(Map(residuals_in, views, in_units, parts),
                                 class = "orizzonte_moments", in_units = in_units), object))
  tables <- Map(largest_residuals, views, in_units, parts, largest)
  all <- bind_frames(tables)
  all <- utils::head(all[order(-abs(all$residual)), ], largest)
  rownames(all) <- NULL
  shares <- bind_frames(Map(srmr_parts, views, parts))
  with_status(structure(all, class = c("orizzonte_residuals", "data.frame"),
                        wording = all_wordings(object), in_units = in_units, parts = shares),
              object)
}

residual_units <- c("covariance", "correlation", "own_se", "moment_se")

# Observed and implied moments, and the values that standardize them.
residual_parts <- function(view) {
  seen <- observed_moments(view)
  model <- implied_moments(view)
  list(seen = seen, model = model, sd = sqrt(diag(seen$covariance)),
       means = !is.null(seen$mean) && !view$layout$saturated_means)
}

residuals_in <- function(view, in_units, parts) {
  gap <- without_rounding(parts$seen$covariance - parts$model$covariance,
                          outer(parts$sd, parts$sd))
  gap_mean <- if (!is.null(parts$seen$mean))
    without_rounding(parts$seen$mean - parts$model$mean, parts$sd)
  by <- switch(in_units,
    covariance = list(covariance = 1, mean = 1),
    correlation = list(covariance = outer(parts$sd, parts$sd), mean = parts$sd),
    moment_se = moment_errors(view, parts),
    own_se = residual_errors(view, parts))
  list(covariance = gap / by$covariance, mean = if (!is.null(gap_mean)) gap_mean / by$mean)
}

# Rounding error, in units of the moments, is set to zero.
without_rounding <- function(gap, unit) {
  gap[!is.na(gap) & abs(gap) < 1e-12 * unit] <- 0
  gap
}

# Standard errors of the observed moments, under normality.
moment_errors <- function(view, parts) {
  spread <- spread_of(view)
  if (!is.null(spread)) return(lapply(spread_parts(view, spread$observed), sqrt))
  sigma <- parts$model$covariance
  n <- view$moments$n
  list(covariance = sqrt((outer(diag(sigma), diag(sigma)) + sigma^2) / n),
       mean = sqrt(diag(sigma) / n))
}

# Where data are incomplete or inference is robust: sampling variances of the observed moments and
# of residuals, from the core; otherwise NULL.
spread_of <- function(view) {
  fit <- view$fit
  if (!has_converged(fit)) return(NULL)
  whole <- joint_fit(fit)
  found <- if (is_incomplete(fit$sample)) {
    incomplete_scalings(whole)[[1L]]
  } else if (is_robust(fit$request)) {
    cached(fit, "moment_spread", core_moment_spread(fit$layout$model, core_moments(fit),
                                                    core_theta(fit), core_cases(fit)))
  }
  if (length(found$observed) < view$number) return(NULL)
  lapply(found[c("observed", "residual")], `[[`, view$number)
}

# Their packed form as a matrix and a vector, of the model's own variables.
spread_parts <- function(view, packed) {
  joint <- joint_fit(view$fit)
  names <- joint$layout$parts[[view$number]]$observed
  p <- length(names)
  known <- lower.tri(diag(p), diag = TRUE)
  unseen <- joint$moments[[view$number]]$unseen
  if (NROW(unseen)) known[unseen] <- FALSE
  covariance <- matrix(NA_real_, p, p, dimnames = list(names, names))
  covariance[known] <- packed[seq_len(sum(known))]
  covariance[upper.tri(covariance)] <- t(covariance)[upper.tri(covariance)]
  own <- view$layout$observed
  list(covariance = covariance[own, own, drop = FALSE],
       mean = stats::setNames(utils::tail(packed, p), names)[own])
}

# Standard errors of the residuals: the sampling variance that remains after the parameters have
# been fitted to the data.
residual_errors <- function(view, parts) {
  names <- colnames(parts$model$covariance)
  p <- length(names)
  at <- which(lower.tri(diag(p), diag = TRUE), arr.ind = TRUE)
  covariance <- matrix(NA_real_, p, p, dimnames = list(names, names))
  covariance[at] <- covariance_residual_errors(view, parts, at)
  covariance[upper.tri(covariance)] <- t(covariance)[upper.tri(covariance)]
  list(covariance = covariance,
       mean = stats::setNames(mean_residual_errors(view, parts, seq_len(p)), names))
}

# Residuals of selected pairs and means.
covariance_residual_errors <- function(view, parts, at) {
  observed <- moment_errors(view, parts)$covariance[at]^2
  spread <- spread_of(view)
  followed <- if (is.null(spread)) moment_followed(view, "covariance", at[, 1L], at[, 2L]) else
    observed - spread_parts(view, spread$residual)$covariance[at]
  left_error(observed, followed)
}

mean_residual_errors <- function(view, parts, at) {
  if (!parts$means) return(rep(NA_real_, length(at)))
  observed <- moment_errors(view, parts)$mean[at]^2
  spread <- spread_of(view)
  followed <- if (is.null(spread)) moment_followed(view, "mean", at, at) else
    observed - spread_parts(view, spread$residual)$mean[at]
  left_error(observed, followed)
}

# NA for residuals that are zero but for rounding and the tolerance of the fit (up to 1e-6 standard
# errors): the model reproduces these moments whatever the data are.
left_error <- function(variance, followed) {
  out <- variance - followed
  out[out < 1e-6 * variance] <- NA
  sqrt(out)
}

# The variance of implied moments that comes from the estimates of the parameters. Saturated means
# do not contribute to it.
moment_followed <- function(view, what, a, b) {
  fit <- view$fit
  vcov <- core_vcov(fit)
  if (nrow(vcov) == 0L) return(rep(NA_real_, length(a)))
  model <- fit$layout$model
  core_derive(model, values_of(fit)[model$rows], rep(quantity_codes[[what]], length(a)),
              rep(view$number, length(a)), as.integer(a), as.integer(b),
              coded_variables(fit), vcov)$se^2
}

largest_residuals <- function(view, in_units, parts, largest) {
  gaps <- residuals_in(view, in_units, parts)
  names <- colnames(gaps$covariance)
  at <- which(lower.tri(gaps$covariance, diag = TRUE), arr.ind = TRUE)
  residual <- c(gaps$covariance[at], if (parts$means) gaps$mean)
  order <- utils::head(order(-abs(residual), na.last = NA), largest)
  pairs <- at[order[order <= nrow(at)], , drop = FALSE]
  single <- order[order > nrow(at)] - nrow(at)
  # in the order of size: pairs and means were processed separately
  back <- order(c(which(order <= nrow(at)), which(order > nrow(at))))
  scale <- if (in_units == "correlation") parts$sd else rep(1, length(names))
  by <- outer(scale, scale)
  own <- c((parts$seen$covariance - parts$model$covariance)[pairs] /
           covariance_residual_errors(view, parts, pairs),
           if (length(single)) (parts$seen$mean - parts$model$mean)[single] /
           mean_residual_errors(view, parts, single))
  columns <- list(first = c(names[pairs[, 2L]], names[single]),
                  second = c(names[pairs[, 1L]], rep(NA_character_, length(single))),
                  residual = residual[c(order[order <= nrow(at)], order[order > nrow(at)])],
                  observed = c((parts$seen$covariance / by)[pairs],
                               (parts$seen$mean / scale)[single]),
                  implied = c((parts$model$covariance / by)[pairs],
                              (parts$model$mean / scale)[single]),
                  z = own)
  columns <- lapply(columns, function(x) unname(x[back]))
  group <- shown_group(view$layout, rep(view$group, length(order)))
  meaning <- paste0(residual_meaning(columns, in_units),
                    rep(bracket_group(view$layout, view$group), length(order)))
  list_frame(c(list(group = group), columns, list(meaning = meaning)))
}

residual_meaning <- function(columns, in_units) {
  gap <- columns$residual
  size <- if (in_units == "correlation") format_share(abs(gap)) else
    format_number(abs(gap))
  single <- is.na(columns$second)
  same <- !single & columns$first == columns$second
  pair <- text_of("two_of", apart = columns$first, apart_2 = columns$second)
  more <- ifelse(gap > 0, "more", "less")
  higher <- ifelse(gap > 0, "higher", "lower")
  if (in_units %in% c("own_se", "moment_se")) {
    by <- text_of("than_model_implies_standard", gap = format_fixed(abs(gap), 2L))
    return(ifelse(single, text_of("mean_is", first = columns$first, higher = higher, by = by),
                  ifelse(same, text_of("varies", first = columns$first, more = more, by = by),
                         text_of("covary", pair = pair, more = more, by = by))))
  }
  correlation <- in_units == "correlation"
  what <- ifelse(single, text_of("mean_of_variable", variable = columns$first),
                 ifelse(same, columns$first, pair))
  differs <- ifelse(
    single, text_of("mean_is_than_model", first = columns$first, size = size,
                    correlation = if (correlation) " SD ",
                    correlation_2 = if (!correlation) " ", higher = higher),
    ifelse(same, text_of("varies_than_model_implies", first = columns$first, size = size,
                         more = more),
           text_of("than_model_implies", pair = pair,
                   correlation = if (correlation) " correlate " else " covary ", size = size,
                   more = more)))
  ifelse(gap %in% 0, text_of("reproduced", what = what), differs)
}

# The sources of the SRMR: pairs within and between constructs, variances, means; proportion of the
# sum of squares (Bentler 1995).
srmr_parts <- function(view, parts = residual_parts(view)) {
  gap <- (parts$seen$covariance - parts$model$covariance) / outer(parts$sd, parts$sd)
  names <- colnames(gap)
  owner <- main_construct(view, names)
  at <- which(lower.tri(gap), arr.ind = TRUE)
  first <- owner[at[, 2L]]
  second <- owner[at[, 1L]]
  order <- unique(owner)
  swap <- match(first, order) > match(second, order)
  pair <- paste(ifelse(swap, second, first), "with", ifelse(swap, first, second))
  value <- c(gap[at], diag(gap), if (parts$means) (parts$seen$mean - parts$model$mean) / parts$sd)
  part <- c(ifelse(first == second, first, pair), rep("variances", length(names)),
            if (parts$means) rep("means", length(names)))
  part <- part[!is.na(value)]
  value <- value[!is.na(value)]
  kinds <- unique(part)
  square <- vapply(kinds, function(k) sum(value[part == k]^2), 0)
  count <- vapply(kinds, function(k) sum(part == k), 0L)
  total <- sum(value^2)
  list_frame(list(part = kinds, moments = unname(count), srmr = unname(sqrt(square / count)),
                  share = unname(if (total > 1e-20) square / total else square * NA),
                  group = shown_group(view$layout, rep(view$group, length(kinds)))))
}

# The construct under which each item is shown: the one it loads on most, or its own name.
main_construct <- function(view, names) {
  rows <- view$layout$rows
  at <- which(rows$kind %in% c("loading", "weight"))
  size <- abs(standardized_of(view$fit)$value[view$fit$layout$spans[[view$number]]][at])
  at <- at[order(-size, na.last = TRUE)]
  item <- ifelse(rows$kind[at] == "weight", rows$first[at], rows$second[at])
  owner <- ifelse(rows$kind[at] == "weight", rows$second[at], rows$first[at])
  found <- owner[match(names, item)]
  ifelse(is.na(found), names, found)
}

#' @export
print.orizzonte_residuals <- function(x, ...) {
  if (!all(c("first", "second", "residual", "meaning") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  in_units <- attr(x, "in_units")
  units <- if (!is.null(in_units)) paste0(" (", words_of("residual_unit", in_units), ")")
  put_lines(heading_with_status(text_of("largest_residuals", units = units), x),
            format_residuals_table(x))
  invisible(x)
}

format_residuals_table <- function(x) {
  if (nrow(x) == 0L)
    return(text_of("model_reproduces_every_moment"))
  shown <- if (identical(attr(x, "in_units"), "correlation"))
    function(value) format_share(value, 3L) else format_number
  columns <- list(residual = shown(x$residual), observed = shown(x$observed),
                  implied = shown(x$implied))
  if (!is.null(x$z) && !identical(attr(x, "in_units"), "own_se")) columns$z <- format_fixed(x$z, 2L)
  lines <- format_table(c(columns, list(meaning = x$meaning)), c(rep(TRUE, length(columns)), FALSE),
                        spare = c("implied", "observed"))
  if ("z" %in% names(columns)) lines <- c(lines, text_of("z_residual_over_own"))
  parts <- attr(x, "parts")
  if (!is.null(parts) && !anyNA(parts$share)) {
    parts <- utils::head(parts[order(-parts$share), ], 5L)
    lines <- c(lines, "", text_of("where_srmr_comes_from"), format_table(list(
      part = paste0(parts$part, ifelse(is.na(parts$group), "", paste0(" (", parts$group, ")"))),
      moments = format_count(parts$moments),
          srmr = format_share(parts$srmr, 3L), share = paste0(round(100 * parts$share), "%")),
      c(FALSE, TRUE, TRUE, TRUE)))
  }
  c(lines,
    format_wordings(c(address_format("variance", unique(stats::na.omit(c(x$first, x$second))))),
                    attr(x, "wording")))
}

#' Implied and observed moments
#'
#' The covariances and means of the variables that the model implies at its estimates, and those
#' observed in the data. The print is rounded; the values have full precision. `fitted()` is
#' `implied()`.
#'
#' @param fit,object A fit from [fit_model()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return A list of class `orizzonte_moments` with one element per group (one, named `all`, without
#'   groups), each with `covariance` (a matrix in the units of the data, divisor *n*; variables in
#'   the order of the data) and `mean` (a vector, or `NULL` when the data carry none). `implied()`
#'   also gives `constructs`, the implied covariance matrix of the constructs. `as.data.frame()`
#'   gives one row per moment of the observed variables: `group`, `first`, `second` (`NA` for a
#'   mean)
#'   and `value`.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit.
#' @references Bollen, K. A. (1989). *Structural equations with latent variables*. Wiley.
#' @seealso [residuals.orizzonte_fit()] for their differences, [path_diagram()] for a picture.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' implied(fit)
#' # where the model is off, in the units of the items
#' implied(fit)$all$covariance - observed(fit)$all$covariance
#' @export
implied <- function(fit, ...) {
  check_arguments("implied")
  check_fit(fit, "implied")
  with_status(new_moments(fit, implied_moments), fit)
}

# Moments by group, in the order of the variables in the data.
new_moments <- function(fit, moments_of) {
  in_data <- fit$sample$columns
  out <- lapply(group_views(fit), function(view) {
    moments <- moments_of(view)
    order <- order(match(rownames(moments$covariance), in_data))
    moments$covariance <- moments$covariance[order, order, drop = FALSE]
    if (!is.null(moments$mean)) moments$mean <- moments$mean[order]
    moments
  })
  structure(out, class = "orizzonte_moments")
}

#' @rdname implied
#' @importFrom stats fitted
#' @export
fitted.orizzonte_fit <- function(object, ...) {
  check_arguments("fitted")
  implied(check_fit(object, "fitted"))
}

#' @export
as.data.frame.orizzonte_moments <- function(x, ...) {
  bind_frames(lapply(names(x), function(group) {
    s <- x[[group]]$covariance
    at <- which(lower.tri(s, TRUE), arr.ind = TRUE)
    means <- x[[group]]$mean
    list_frame(list(
      group = rep(group, nrow(at) + length(means)), first = c(rownames(s)[at[, 2L]], names(means)),
      second = c(rownames(s)[at[, 1L]], rep(NA_character_, length(means))),
      value = c(s[at], unname(means))))
  }))
}

#' @export
print.orizzonte_moments <- function(x, ...) {
  if (!all(vapply(x, function(part) is.matrix(part$covariance), NA)))
    return(print(unclass(x)))
  if (!is.null(status_words(x))) put_lines(wrap_lines(status_words(x)), "")
  for (group in names(x)) {
    put_lines(format_moments(x[[group]], if (group != single_group) group, attr(x, "in_units")))
  }
  invisible(x)
}

format_moments <- function(moments, group, in_units = NULL) {
  title <- if (!is.null(in_units)) text_of("residuals",
                                           in_units = words_of("residual_unit", in_units)) else
    if (is.null(moments$constructs)) "Observed moments" else "Implied moments"
  constructs <- moments$constructs
  c(heading(paste0(title, if (!is.null(group)) paste0(": ", group))),
    if (identical(in_units, "correlation")) "Correlations" else "Covariances",
    triangle_table(moments$covariance),
    if (NROW(constructs)) c("", text_of("covariances_of_constructs"), triangle_table(constructs)),
    format_means(moments$mean, !is.null(in_units)))
}

format_means <- function(mean, residual) {
  if (is.null(mean)) return(NULL)
  if (residual && all(mean %in% c(0, NaN)))
    return(c("", text_of("means_are_reproduced_exactly")))
  c("", "Means", format_table(list(variable = names(mean), mean = format_units(mean)),
                              c(FALSE, TRUE)))
}

# The lower triangle with the names of its rows and columns.
triangle_table <- function(m) {
  text <- matrix(format_units(m), nrow(m))
  text[upper.tri(text)] <- ""
  columns <- stats::setNames(lapply(seq_len(ncol(m)), function(k) text[, k]), colnames(m))
  format_table(c(list(` ` = rownames(m)), columns), c(FALSE, rep(TRUE, ncol(m))))
}

# The number of decimals that gives six significant figures for the largest value.
format_units <- function(x) {
  largest <- max(c(1, abs(x[is.finite(x)])))
  format_fixed(x, max(0L, min(3L, 5L - as.integer(floor(log10(largest))))))
}

implied_moments <- function(view) {
  matrices <- view_matrices(view)
  layout <- view$layout
  observed <- layout$observed
  o <- seq_along(observed)
  l <- seq_along(layout$constructs) + length(o)
  constructs <- matrices$covariance[l, l, drop = FALSE]
  dimnames(constructs) <- list(layout$constructs, layout$constructs)
  covariance <- matrices$covariance[o, o, drop = FALSE]
  dimnames(covariance) <- list(observed, observed)
  list(covariance = covariance, mean = if (layout$means) stats::setNames(matrices$mean[o],
      observed), constructs = constructs)
}

#' @rdname implied
#' @export
observed <- function(fit, ...) {
  check_arguments("observed")
  check_fit(fit, "observed")
  new_moments(fit, observed_moments)
}

observed_moments <- function(view) {
  names <- view$layout$observed
  covariance <- view$moments$covariance
  dimnames(covariance) <- list(names, names)
  if (NROW(view$moments$unseen))
    covariance <- without_unobserved_pairs(covariance, view$moments$unseen)
  list(covariance = covariance, mean = if (view$layout$means)
       stats::setNames(view$moments$mean, names))
}
