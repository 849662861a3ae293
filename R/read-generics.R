# Base and tidy generics of a fit.

#' Base generics of a fit
#'
#' @param object A fit from [fit_model()].
#' @param parm Parameters, by address; all free ones when missing.
#' @param level Level of the intervals.
#' @param ... Not used.
#' @return `coef()` a vector with one entry for each distinct free parameter,
#'   named by address; `vcov()` its covariance matrix; `confint()` a matrix with
#'   two columns; `logLik()` the log-likelihood; `nobs()` the number of cases;
#'   `deviance()` \eqn{\chi^2} and `df.residual()` its degrees of freedom.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' confint(fit, "loading[Belonging, be3]")
#' AIC(fit)
#' @importFrom stats coef vcov confint logLik nobs deviance df.residual residuals
#' @name generics-of-a-fit
NULL

#' @rdname generics-of-a-fit
#' @export
coef.orizzonte_fit <- function(object, ...) {
  check_arguments("coef")
  theta_of(check_fit(object, "coef"))
}

#' @rdname generics-of-a-fit
#' @export
vcov.orizzonte_fit <- function(object, ...) vcov_of(check_fit(object, "vcov"))

#' @rdname generics-of-a-fit
#' @export
confint.orizzonte_fit <- function(object, parm, level = 0.95, ...) {
  check_arguments("confint", optional = "parm")
  check_level(level)
  theta <- stats::coef(object)
  interval <- inference_block(theta, sqrt(diag(stats::vcov(object))), level)
  percent <- paste(format(100 * c(1 - level, 1 + level) / 2, trim = TRUE), "%")
  out <- matrix(c(interval$lower, interval$upper), ncol = 2L,
                dimnames = list(names(theta), percent))
  if (missing(parm)) return(out)
  if (is.character(parm)) {
    parm <- vapply(parm, function(p) format(parse_address(p)), "")
    unknown <- setdiff(parm, rownames(out))
    if (length(unknown)) {
      abort("address", c(paste0(unknown[1L], " is not a free parameter of this fit."),
                         did_you_mean(unknown[1L], rownames(out))))
    }
  }
  out[parm, , drop = FALSE]
}

#' @rdname generics-of-a-fit
#' @export
logLik.orizzonte_fit <- function(object, ...) {
  check_arguments("logLik")
  check_fit(object, "logLik")
  value <- indices_of(object)[["loglik"]]
  structure(value, df = n_free(object), nobs = stats::nobs(object), class = "logLik")
}

#' @rdname generics-of-a-fit
#' @export
nobs.orizzonte_fit <- function(object, ...) sample_n(check_fit(object, "nobs")$sample)

#' Tidy generics
#'
#' @importFrom generics tidy glance
#' @param x A fit from [fit_model()].
#' @param conf.int Whether to add confidence limits.
#' @param conf.level Their level.
#' @param ... Not used.
#' @return `tidy()`: `term`, `estimate`, `std.error`, `statistic`, `p.value`
#'   (and `conf.low`, `conf.high`), one row a parameter. `glance()`: one row
#'   with the fit indices. Tibbles when the tibble package is installed.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' tidy(fit)
#' glance(fit)
#' @export
tidy.orizzonte_fit <- function(x, conf.int = FALSE, conf.level = 0.95, ...) {
  check_arguments("tidy")
  table <- estimates(x, level = conf.level)
  out <- list(term = table$parameter, estimate = table$estimate, std.error = table$se,
              statistic = table$z, p.value = table$p)
  if (conf.int) out <- c(out, list(conf.low = table$lower, conf.high = table$upper))
  as_tibble_if_possible(list_frame(out))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_fit <- function(x, ...) {
  check_arguments("glance")
  table <- fit_indices(x)
  value <- stats::setNames(table$value, table$index)
  as_tibble_if_possible(list_frame(list(
    statistic = value[["chisq"]], df = value[["df"]], p.value = value[["p"]], cfi = value[["cfi"]],
    tli = value[["tli"]], rmsea = value[["rmsea"]],
    rmsea.conf.low = table$lower[table$index == "rmsea"],
    rmsea.conf.high = table$upper[table$index == "rmsea"],
    srmr = value[["srmr"]], logLik = value[["loglik"]], AIC = value[["aic"]], BIC = value[["bic"]],
    nobs = stats::nobs(x), converged = has_converged(x)
  )))
}

#' @importFrom generics tidy
#' @export
generics::tidy

#' @importFrom generics glance
#' @export
generics::glance
