#' Estimates: raw and standardized side by side
#'
#' Errors come from the inverse expected information; those of standardized
#' values from the delta method with analytic derivatives. Effects and loadings
#' are standardized by both variables' standard deviations, covariances by those
#' of the two variables (residuals, where something points at them; the effect of
#' a factor coded 0/1 by the outcome's only), variances by
#' the total variance, and intercepts by the standard deviation.
#'
#' @param fit A fit from [fit_model()].
#' @param level Level of the confidence intervals.
#' @return A data frame of class `orizzonte_estimates`, one row a parameter:
#'   `parameter` (its address), `group`, `role`, `estimate`, `se`, `z`, `p`
#'   (two-sided), `lower`, `upper`, `standardized`, `standardized_se` and
#'   Quantities follow at the end. `status`: free, fixed, equal, tied (by an
#'   equation), at bound, or derived. What is
#'   fixed or at a bound has no error and no test.
#' @section Errors: `orizzonte_error_input` for anything but a fit, or a level
#'   outside 0 to 1.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' estimates(suppressMessages(fit_model(bp, choirs)))
#' @export
estimates <- function(fit, level = 0.95) {
  check_fit(fit, "estimates")
  check_level(level)
  layout <- fit$layout
  k <- map_matrix(layout)
  vcov <- solution_vcov(fit)
  se <- delta_se(k, vcov)
  standardized <- standardized_solution(fit)
  untested <- layout$status %in% c("fixed", "at bound")
  se[untested] <- NA
  z <- fit$eta / se
  half <- stats::qnorm((1 + level) / 2) * se
  standardized_se <- delta_se(standardized$jacobian, vcov)
  standardized_se[standardized_se < 1e-10] <- NA
  columns <- list(
    parameter = layout$parameter, group = layout$group, role = layout$role, estimate = fit$eta, se = se, z = z,
    p = 2 * stats::pnorm(-abs(z)), lower = fit$eta - half, upper = fit$eta + half,
    standardized = standardized$value, standardized_se = standardized_se, status = layout$status
  )
  if (length(fit$blueprint$quantities)) columns <- Map(c, columns, quantity_rows(fit, vcov, level))
  list_frame_class(columns, "orizzonte_estimates")
}

# Standardized values with derivatives by the free parameters, in the order of fit$theta.
standardized_solution <- function(fit) {
  core <- core_standardize(full_core(fit), fit$eta)
  core$value[is.nan(core$value)] <- NA_real_
  # the effect of a coded 0/1 predictor is put in standard deviations of the outcome only
  for (row in which(fit$layout$head == "effect" & fit$layout$first %in% coded_predictors(fit))) {
    j <- fit$layout$col[row]
    g <- if (has_groups(fit)) match(fit$layout$group[row], group_names(fit)) else 1L
    variance <- core$variances[[g]][j]
    core$value[row] <- core$value[row] / sqrt(variance)
    core$jacobian[row, ] <- core$jacobian[row, ] / sqrt(variance) - core$value[row] * core$variance_jacobians[[g]][j, ] / (2 * variance)
  }
  core
}

coded_predictors <- function(fit) {
  coding <- fit$options$coding
  unlist(Map(coded_names, names(coding), coding), use.names = FALSE)
}

#' @export
print.orizzonte_estimates <- function(x, ...) {
  needed <- c("parameter", "role", "estimate", "se", "z", "p", "standardized", "status")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  cat(heading("Estimates"), format_estimates_table(x), sep = "\n")
  invisible(x)
}

format_estimates_table <- function(x) {
  interval <- if (all(c("lower", "upper") %in% names(x))) {
    list(`interval` = ifelse(is.na(x$lower), "", paste0("[", format_number(x$lower), ", ", format_number(x$upper), "]")))
  }
  status <- ifelse(x$status %in% c("free", "derived"), "", x$status)
  columns <- c(list(parameter = x$parameter, estimate = format_number(x$estimate), se = format_number(x$se)),
               interval, list(z = format_fixed(x$z, 2L), p = format_p(x$p), standardized = format_fixed(x$standardized), status = status))
  format_table(columns, c(FALSE, rep(TRUE, length(columns) - 2L), FALSE))
}
