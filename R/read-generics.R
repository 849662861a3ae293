# Base and tidy generics of a fit.

#' Base generics of a fit
#'
#' The methods that R and other packages expect of a model: coefficients with their covariances and
#' intervals, log-likelihood (so that `AIC()` and `BIC()` work), cases, formulas.
#'
#' @param object A fit from [fit_model()].
#' @param parm Parameters, by address; all free ones when missing. Also quantities, such as
#'   `"quantity[ratio]"`.
#' @param level Level of the intervals.
#' @param ... Not used.
#' @return `coef()` a vector with one entry for each distinct free parameter,
#'   named by address (quantities are in [estimates()]); `vcov()` its covariance matrix;
#'   `confint()` a matrix with two columns (`NA` for a parameter at a bound); `logLik()` the
#'   log-likelihood; `nobs()` the number of cases;
#'   `deviance()` \eqn{\chi^2} and `df.residual()` its degrees of freedom; `formula()` a list of
#'   the structural formulas, one for each outcome, also of a blueprint; `model.frame()` the data as
#'   they were used, with one row per row of the data and `NA` in rows that were left out;
#'   `coef(summary(fit))` a matrix of estimates, standard errors, z and p. With auxiliary variables
#'   `logLik()`, and so `AIC()`
#'   and `BIC()`, is that of the model together with the saturated part of the auxiliary variables,
#'   whose parameters are counted there and nowhere else. With weights it is `NA`.
#' @section Errors: `orizzonte_error_address` when `parm` is not a free parameter; `sigma()` is
#'   refused with a pointer, since a model of many variables does not have a single residual
#'   standard deviation.
#' @seealso [estimates()] for all of it in one table, [fit_indices()], [implied()].
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
  se <- sqrt(diag(stats::vcov(object)))
  se[pinned_parameters(object)] <- NA     # as in estimates(): it lies at its bound
  interval <- inference_block(theta, se, level, reference_df(object))
  percent <- paste(format(100 * c(1 - level, 1 + level) / 2, trim = TRUE), "%")
  out <- matrix(c(interval$lower, interval$upper), ncol = 2L,
                dimnames = list(names(theta), percent))
  if (missing(parm)) return(out)
  check_parm(parm, out)
  if (is.character(parm)) {
    parm <- vapply(parm, function(p) format(parse_address(p)), "")
    out <- rbind(out, quantity_limits(object, level, colnames(out)))
    unknown <- setdiff(parm, rownames(out))
    if (length(unknown)) {
      abort("address", c(text_of("is_not_free_parameter", unknown = unknown[1L]),
                         did_you_mean(unknown[1L], rownames(out))))
    }
  }
  out[parm, , drop = FALSE]
}

check_parm <- function(parm, limits) {
  if (is.character(parm) && !anyNA(parm)) return(invisible())
  if (is.numeric(parm) && all(parm %in% seq_len(nrow(limits)))) return(invisible())
  abort("address",
        c(text_of("parm_must_be_names", limits = nrow(limits)), x = text_of("it_is_of_kind",
      value = describe(parm)),
                     i = text_of("such_as", example = quoted(rownames(limits)[1L]))))
}

# The limits of derived quantities, as rows beside the parameters.
quantity_limits <- function(fit, level, columns) {
  table <- estimates(fit, level)
  rows <- table$kind == "quantity"
  matrix(c(table$lower[rows], table$upper[rows]), ncol = 2L,
         dimnames = list(table$parameter[rows], columns))
}

#' @rdname generics-of-a-fit
#' @param x A fit from [fit_model()].
#' @importFrom stats formula
#' @export
formula.orizzonte_fit <- function(x, ...) {
  check_arguments("formula")
  rows <- check_fit(x, "formula")$layout$rows
  effect <- rows$kind == "effect"
  structural_formulas(rows$first[effect], rows$second[effect])
}

#' @rdname generics-of-a-fit
#' @export
formula.orizzonte_blueprint <- function(x, ...) {
  check_blueprint(x, "formula")
  structural_formulas(x$effects$from, x$effects$to)
}

#' @rdname generics-of-a-fit
#' @param formula A fit from [fit_model()].
#' @importFrom stats model.frame
#' @export
model.frame.orizzonte_fit <- function(formula, ...) {
  fitted_rows(check_fit(formula, "model.frame"))
}

#' @rdname generics-of-a-fit
#' @export
coef.orizzonte_summary <- function(object, ...) {
  table <- object$estimates[object$estimates$status == "free", ]
  matrix(c(table$estimate, table$se, table$z, table$p), ncol = 4L,
         dimnames = list(table$parameter, c("estimate", "se", "z", "p")))
}

# One formula for each outcome.
structural_formulas <- function(from, outcome) {
  causes <- split(from, factor(outcome, unique(outcome)))
  lapply(stats::setNames(names(causes), names(causes)), function(name) {
    stats::reformulate(address_name(unique(causes[[name]])), as.name(name), env = baseenv())
  })
}

#' @rdname generics-of-a-fit
#' @importFrom stats sigma
#' @export
sigma.orizzonte_fit <- function(object, ...) {
  abort("input", c(text_of("model_many_variables_has"),
                   i = text_of("residual_variances_stand_estimates")))
}

#' @rdname generics-of-a-fit
#' @export
logLik.orizzonte_fit <- function(object, ...) {
  check_arguments("logLik")
  check_fit(object, "logLik")
  # with weights it is a pseudo-likelihood, which cannot be used to compare models
  value <- if (is_weighted(object$sample)) NA_real_ else indices_of(object)[["loglik"]]
  structure(value, df = n_free(joint_fit(object)), nobs = stats::nobs(object), class = "logLik")
}

#' @rdname generics-of-a-fit
#' @export
nobs.orizzonte_fit <- function(object, ...) sample_n(check_fit(object, "nobs")$sample)
