#' Residuals: observed minus implied moments
#'
#' @param object A fit from [fit_model()].
#' @param type `"raw"`: differences of covariances (and means).
#'   `"correlation"`: differences of correlations, in which the observed and the
#'   implied matrix are each scaled by the observed standard deviations, so that
#'   the diagonal shows how far variances are off (Bentler 1995); means are
#'   divided by the standard deviations.
#'   `"normalized"`: raw residuals over the standard errors of the observed
#'   moments, \eqn{\sqrt{(\sigma_{ii}\sigma_{jj} + \sigma_{ij}^2)/n}} (Jöreskog & Sörbom 1981).
#'   `"standardized"`: raw residuals over their own standard errors, in which the
#'   estimation of the parameters is taken into account (the diagonal of
#'   \eqn{(\Gamma - \Delta I^{-1} \Delta')/n} under normality, Bollen 1989): close to standard normal
#'   when the model holds. `NA` where the model reproduces a moment whatever the data are.
#' @param largest Give a number to get that many pairs as a sorted table, with
#'   a sentence on what each means; `Inf` for all pairs, observed and implied side by side.
#' @param ... Not used.
#' @return Without `largest`, a list with one element per group (`all` without
#'   groups), each with `covariance` and `mean`. With `largest`, a data frame of
#'   class `orizzonte_residuals`: `first`, `second`, `residual`, `observed`,
#'   `implied`, `standardized`, `meaning`. Its attribute `parts` says where the SRMR comes
#'   from: `part` (a construct with itself, two constructs, variances, means), `moments`,
#'   `srmr` of that part, and its `share` of the sum of squares.
#' @section Errors: `orizzonte_error_input` for an unknown type.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' residuals(fit, type = "correlation", largest = 5)
#' @export
residuals.orizzonte_fit <- function(object, type = "raw", largest = NULL, ...) {
  check_dots_empty(..., .verb = "residuals")
  type <- choose_one(type, c("raw", "correlation", "standardized", "normalized"), "`type`")
  if (!is.null(largest)) check_number(largest, "`largest`", 1)
  views <- group_views(object, errors = type == "standardized")
  if (is.null(largest)) return(lapply(views, function(view) residuals_of_type(view, type, residual_parts(view))))
  tables <- lapply(views, function(view) largest_residuals(view, type, residuals_of_type(view, type, residual_parts(view)), residual_parts(view), largest))
  if (!has_groups(object)) return(tables[[1L]])
  all <- do.call(rbind, lapply(names(tables), function(g) {
    part <- as.data.frame(tables[[g]])
    part$meaning <- paste0(part$meaning, " (", g, ")")
    cbind(group = rep(g, nrow(part)), part)
  }))
  all <- utils::head(all[order(-abs(all$residual)), ], largest)
  rownames(all) <- NULL
  shares <- do.call(rbind, lapply(names(tables), function(g) cbind(group = g, attr(tables[[g]], "parts"))))
  structure(all, class = c("orizzonte_residuals", "data.frame"), wording = all_wordings(object), type = type, parts = shares)
}

# Observed and implied moments and what scales them.
residual_parts <- function(fit) {
  seen <- observed_moments(fit)
  model <- implied_moments(fit)
  list(seen = seen, model = model, sd = sqrt(diag(seen$covariance)), means = !is.null(seen$mean) && !fit$layout$profiled)
}

residuals_of_type <- function(fit, type, parts) {
  gap <- parts$seen$covariance - parts$model$covariance
  gap_mean <- if (!is.null(parts$seen$mean)) parts$seen$mean - parts$model$mean
  by <- switch(type,
    raw = list(covariance = 1, mean = 1),
    correlation = list(covariance = outer(parts$sd, parts$sd), mean = parts$sd),
    normalized = moment_errors(fit, parts),
    standardized = residual_errors(fit, parts))
  list(covariance = gap / by$covariance, mean = if (!is.null(gap_mean)) gap_mean / by$mean)
}

# Standard errors of the observed moments under normality.
moment_errors <- function(fit, parts) {
  sigma <- parts$model$covariance
  list(covariance = sqrt((outer(diag(sigma), diag(sigma)) + sigma^2) / fit$moments$n), mean = sqrt(diag(sigma) / fit$moments$n))
}

# Standard errors of the residuals: what is left of the sampling variance once the parameters have followed the data.
residual_errors <- function(fit, parts) {
  moment <- moment_errors(fit, parts)
  names <- colnames(parts$model$covariance)
  p <- length(names)
  vcov <- core_vcov(fit)
  jacobian <- moment_jacobian(fit)
  followed <- function(rows) if (nrow(vcov) == 0L) NA else rowSums((jacobian[rows, , drop = FALSE] %*% vcov) * jacobian[rows, , drop = FALSE])
  left <- function(variance, rows) {
    out <- variance - followed(rows)
    out[out < 1e-8 * variance] <- NA
    sqrt(out)
  }
  lower <- lower.tri(diag(p), diag = TRUE)
  size <- p * (p + 1L) / 2L
  covariance <- matrix(NA_real_, p, p, dimnames = list(names, names))
  covariance[lower] <- left(moment$covariance[lower]^2, seq_len(size))
  covariance[upper.tri(covariance)] <- t(covariance)[upper.tri(covariance)]
  mean <- rep(NA_real_, p)
  if (parts$means) mean <- left(moment$mean^2, size + seq_len(p))
  list(covariance = covariance, mean = stats::setNames(mean, names))
}

# Derivatives of the lower triangle of the implied covariances, and of structured means, by the core's parameters:
# d Sigma / d B_ij = a_i c_j' + c_j a_i', d Sigma / d Psi_ij = a_i a_j' + a_j a_i' (halved when i = j),
# d mu / d B_ij = a_i E_j, d mu / d alpha_i = a_i, with A = F T, C = F Phi (McArdle & McDonald 1984).
moment_jacobian <- function(fit) {
  core <- fit$layout$core
  matrices <- model_matrices(fit)
  p <- core$observed
  a <- matrices$total[seq_len(p), , drop = FALSE]
  c <- matrices$covariance[seq_len(p), , drop = FALSE]
  at <- which(lower.tri(diag(p), diag = TRUE), arr.ind = TRUE)
  size <- nrow(at)
  out <- matrix(0, size + if (core$means) p else 0L, core$parameters)
  for (i in seq_along(core$map_entry)) {
    e <- core$map_entry[i]
    row <- core$row[e]
    col <- core$col[e]
    family <- core$family[e]
    x <- a[, row]
    y <- if (family == parameter_families[["effect"]]) c[, col] else a[, col]
    by <- numeric(nrow(out))
    if (family != parameter_families[["mean"]]) {
      by[seq_len(size)] <- x[at[, 1L]] * y[at[, 2L]] + y[at[, 1L]] * x[at[, 2L]]
      if (family == parameter_families[["covariance"]] && row == col) by <- by / 2
    }
    if (core$means && family == parameter_families[["effect"]]) by[size + seq_len(p)] <- x * matrices$mean[col]
    if (core$means && family == parameter_families[["mean"]]) by[size + seq_len(p)] <- x
    k <- core$map_parameter[i]
    out[, k] <- out[, k] + core$map_weight[i] * by
  }
  # a view of one group knows all parameters, the core's errors only those it estimated
  if (is.null(fit$estimated)) out else out[, fit$estimated, drop = FALSE]
}

largest_residuals <- function(fit, type, of_type, parts, largest) {
  names <- colnames(of_type$covariance)
  at <- which(lower.tri(of_type$covariance, diag = TRUE), arr.ind = TRUE)
  scale <- if (type == "correlation") parts$sd else rep(1, length(names))
  own <- if (type == "standardized") of_type else residuals_of_type(fit, "standardized", parts)
  columns <- list(first = names[at[, 2L]], second = names[at[, 1L]], residual = of_type$covariance[at],
                  observed = (parts$seen$covariance / outer(scale, scale))[at], implied = (parts$model$covariance / outer(scale, scale))[at],
                  standardized = own$covariance[at])
  if (parts$means) {
    columns <- Map(c, columns, list(names, rep(NA_character_, length(names)), of_type$mean, parts$seen$mean / scale, parts$model$mean / scale, own$mean))
  }
  order <- utils::head(order(-abs(columns$residual), na.last = NA), largest)
  columns <- lapply(columns, function(x) unname(x[order]))
  columns$meaning <- residual_meaning(columns, type)
  list_frame_class(columns, "orizzonte_residuals") |> structure(wording = all_wordings(fit), type = type, parts = srmr_parts(fit, parts))
}

residual_meaning <- function(columns, type) {
  gap <- columns$residual
  size <- if (type == "correlation") sub("^0", "", format_fixed(abs(gap), 2L)) else format_number(abs(gap))
  single <- is.na(columns$second)
  same <- !single & columns$first == columns$second
  pair <- paste0(columns$first, " and ", columns$second)
  more <- ifelse(gap > 0, "more", "less")
  higher <- ifelse(gap > 0, "higher", "lower")
  if (type %in% c("standardized", "normalized")) {
    by <- paste0(" than the model implies, by ", format_fixed(abs(gap), 2L), " standard errors")
    return(ifelse(single, paste0("the mean of ", columns$first, " is ", higher, by),
                  ifelse(same, paste0(columns$first, " varies ", more, by), paste0(pair, " covary ", more, by))))
  }
  correlation <- type == "correlation"
  ifelse(single, paste0("the mean of ", columns$first, " is ", size, if (correlation) " SD ", if (!correlation) " ", higher, " than the model implies"),
         ifelse(same, paste0(columns$first, " varies ", size, " ", more, " than the model implies"),
                paste0(pair, if (correlation) " correlate " else " covary ", size, " ", more, " than the model implies")))
}

# Where the SRMR comes from: pairs within and between constructs, variances, means; share of the sum of squares (Bentler 1995).
srmr_parts <- function(fit, parts = residual_parts(fit)) {
  gap <- (parts$seen$covariance - parts$model$covariance) / outer(parts$sd, parts$sd)
  names <- colnames(gap)
  owner <- main_construct(fit, names)
  at <- which(lower.tri(gap), arr.ind = TRUE)
  first <- owner[at[, 2L]]
  second <- owner[at[, 1L]]
  order <- unique(owner)
  swap <- match(first, order) > match(second, order)
  part <- ifelse(first == second, first, paste(ifelse(swap, second, first), "with", ifelse(swap, first, second)))
  value <- c(gap[at], diag(gap), if (parts$means) (parts$seen$mean - parts$model$mean) / parts$sd)
  part <- c(part, rep("variances", length(names)), if (parts$means) rep("means", length(names)))
  groups <- unique(part)
  square <- vapply(groups, function(g) sum(value[part == g]^2), 0)
  count <- vapply(groups, function(g) sum(part == g), 0L)
  total <- sum(value^2)
  list_frame(list(part = groups, moments = unname(count), srmr = unname(sqrt(square / count)),
                  share = unname(if (total > 1e-20) square / total else square * NA)))
}

# The construct each item stands under: the one it loads on most, or its own name.
main_construct <- function(fit, names) {
  table <- fit$layout
  rows <- which(table$head %in% c("loading", "weight"))
  size <- abs(standardized_solution(fit)$value[rows])
  rows <- rows[order(-size, na.last = TRUE)]
  item <- ifelse(table$head[rows] == "weight", table$first[rows], table$second[rows])
  owner <- ifelse(table$head[rows] == "weight", table$second[rows], table$first[rows])
  found <- owner[match(names, item)]
  ifelse(is.na(found), names, found)
}

#' @export
print.orizzonte_residuals <- function(x, ...) {
  if (!all(c("first", "second", "residual", "meaning") %in% names(x))) return(print(as.data.frame(unclass(x))))
  cat(heading(paste0("Largest residuals", if (!is.null(attr(x, "type"))) paste0(" (", attr(x, "type"), ")"))),
      format_residuals_table(x), sep = "\n")
  invisible(x)
}

format_residuals_table <- function(x) {
  if (nrow(x) == 0L) return("The model reproduces every moment, whatever the data are: there are no residuals.")
  columns <- list(residual = format_number(x$residual), observed = format_number(x$observed), implied = format_number(x$implied))
  if (!is.null(x$standardized) && !identical(attr(x, "type"), "standardized")) columns$`/ error` <- format_fixed(x$standardized, 2L)
  lines <- format_table(c(columns, list(meaning = x$meaning)), c(rep(TRUE, length(columns)), FALSE))
  parts <- attr(x, "parts")
  if (!is.null(parts) && !anyNA(parts$share)) {
    parts <- utils::head(parts[order(-parts$share), ], 5L)
    lines <- c(lines, "", "Where the SRMR comes from", format_table(list(
      part = paste0(parts$part, if (!is.null(parts$group)) paste0(" (", parts$group, ")")), moments = format_count(parts$moments),
          srmr = format_fixed(parts$srmr), share = paste0(round(100 * parts$share), " %")),
      c(FALSE, TRUE, TRUE, TRUE)))
  }
  c(lines, format_wordings(c(address_format("variance", unique(stats::na.omit(c(x$first, x$second))))), attr(x, "wording")))
}
