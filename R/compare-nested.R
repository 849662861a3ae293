#' Compare nested fits
#'
#' A likelihood-ratio test of nested models. Nestedness is checked, not trusted:
#' the larger model must reproduce the moments that the smaller one implies.
#'
#' @param object A fit from [fit_model()].
#' @param ... Further fits to the same variables and people.
#' @return A data frame of class `anova`, from the smallest to the largest
#'   number of degrees of freedom: `model`, `chisq`, `df`, `chisq_change`,
#'   `df_change`, `p_change`, `aic`, `bic`. Changes are `NA` where the models
#'   are not nested, and the heading says so.
#' @section Errors: `orizzonte_error_compare` when the fits differ in their
#'   variables, or in the moments they were fitted to.
#' @examples
#' free <- blueprint("Belonging", scale = "unit") |> construct("Belonging", reflected_in = be1:be4)
#' equal <- restrict(free, loading[Belonging, ] == loading[Belonging, be1])
#' data <- choirs[complete.cases(choirs[paste0("be", 1:4)]), ]
#' anova(fit_model(free, data), fit_model(equal, data))
#' @importFrom stats anova
#' @export
anova.orizzonte_fit <- function(object, ...) {
  fits <- list(object, ...)
  for (fit in fits) check_fit(fit, "anova")
  if (length(fits) < 2L) abort("input", c("anova() compares at least two fits.", i = "anova(fit1, fit2)."))
  names <- fit_labels(as.list(substitute(list(object, ...)))[-1L], fits)
  for (k in seq_along(fits)[-1L]) check_same_moments(fits[[1L]], fits[[k]], names[c(1L, k)])
  df <- vapply(fits, stats::df.residual, 0)
  order <- order(df)
  fits <- fits[order]
  df <- df[order]
  chisq <- vapply(fits, stats::deviance, 0)
  size <- length(fits)
  change <- df_change <- p_change <- rep(NA_real_, size)
  notes <- character()
  for (k in seq_len(size)[-1L]) {
    if (is_nested(fits[[k]], fits[[k - 1L]])) {
      change[k] <- chisq[k] - chisq[k - 1L]
      df_change[k] <- df[k] - df[k - 1L]
      pressed <- vapply(active_bounds(fits[[k - 1L]]), `[[`, "", "text")
      p_change[k] <- if (df_change[k] > 0 && length(pressed) == 0L) upper_p(max(0, change[k]), df_change[k]) else NA
      if (length(pressed)) notes <- c(notes, paste0(names[order][k - 1L], " lies at a bound (", enumerate(pressed), "): no plain p."))
      if (df_change[k] == 0) notes <- c(notes, paste0(names[order][k], " and ", names[order][k - 1L], " are the same model in other words."))
    } else {
      notes <- c(notes, paste0(names[order][k], " is not nested in ", names[order][k - 1L],
                               ": no likelihood-ratio test; compare AIC and BIC instead."))
    }
  }
  out <- list_frame(list(model = names[order], chisq = chisq, df = df, chisq_change = change, df_change = df_change, p_change = p_change,
                         aic = vapply(fits, stats::AIC, 0), bic = vapply(fits, stats::BIC, 0)))
  structure(out, heading = c("Likelihood-ratio tests of nested models", notes), class = c("orizzonte_anova", "anova", "data.frame"))
}

fit_labels <- function(expressions, fits) {
  labels <- vapply(expressions, deparse_one, "")
  long <- nchar(labels) > 30L
  labels[long] <- vapply(fits[long], function(f) f$blueprint$title, "")
  make.unique(labels, sep = " ")
}

check_same_moments <- function(a, b, names) {
  only <- c(setdiff(a$layout$observed, b$layout$observed), setdiff(b$layout$observed, a$layout$observed))
  if (length(only)) {
    abort("compare", c(paste0(names[1L], " and ", names[2L], " are about different variables: \u03c7\u00b2 cannot be compared."),
                       x = paste0("Only in one of them: ", enumerate(only), ".")))
  }
  v <- a$layout$observed
  same <- a$sample$n == b$sample$n && isTRUE(all.equal(a$moments$covariance[v, v], b$moments$covariance[v, v], tolerance = 1e-8, check.attributes = FALSE))
  if (!same) {
    abort("compare", c(paste0(names[1L], " and ", names[2L], " were fitted to different rows: \u03c7\u00b2 cannot be compared."),
                       x = paste0("n = ", a$sample$n, " and ", b$sample$n, "."), i = "Fit both to the same complete rows."))
  }
}

# The larger model, fitted to the smaller one's implied moments, must reproduce them (Bentler & Satorra 2010).
is_nested <- function(smaller, larger) {
  if (!has_converged(smaller) || !has_converged(larger)) return(FALSE)
  v <- larger$layout$observed
  model <- implied(smaller)$all
  sample <- list(n = larger$moments$n, covariance = model$covariance[v, v, drop = FALSE], mean = model$mean[v])
  again <- core_fit(larger$layout$core, list(sample), numeric(), 500L, 1e-12, 4L, 20260101)
  again$status == 0L && again$discrepancy < 1e-8
}

#' @export
print.orizzonte_anova <- function(x, ...) {
  if (!all(c("model", "chisq", "df", "p_change") %in% names(x))) return(print(as.data.frame(unclass(x))))
  notes <- attr(x, "heading")
  cat(heading(notes[1L]), sep = "\n")
  columns <- list(x$model, format_fixed(x$chisq), format_count(x$df), format_fixed(x$chisq_change), ifelse(is.na(x$df_change), "", format(x$df_change)),
                  format_p(x$p_change), format_fixed(x$aic), format_fixed(x$bic))
  names(columns) <- c("model", "\u03c7\u00b2", "df", "\u0394\u03c7\u00b2", "\u0394df", "p", "AIC", "BIC")
  cat(format_table(columns, c(FALSE, rep(TRUE, 7L))), sep = "\n")
  if (length(notes) > 1L) cat("", wrap_lines(notes[-1L]), sep = "\n")
  invisible(x)
}
