#' orizzonte: from a theory and data to a defensible model
#'
#' Build a model with [blueprint()] and its verbs, fit it with [fit_model()],
#' read it with `summary()`, [estimates()], [fit_indices()], and draw and report
#' it with [path_diagram()] and [write_report()].
#'
#' @section Conventions:
#' Sample moments use divisor *n* and the test statistic is *n F*, where *F* is
#' the maximum likelihood discrepancy (Jöreskog 1969);
#' `fit_model(multiplier = "n-1")` reproduces tables made with *n* - 1.
#' [summary_data()] takes the usual *n* - 1 covariance matrix and converts it.
#'
#' @section Where to look: `vignette("orizzonte")` introduces the first model,
#' `vignette("which-function")` lists the function for each question, and `vignette("glossary")`
#' relates the terms of the field to those of this package.
#' @section Lifecycle: parameter addresses, the columns of tables, the meaning of numbers, and the
#' formats of blueprint, study and summary-data files are stable (files of earlier versions remain
#' readable).
#'   Until version 1.0.0 names of functions and arguments may still change; every change is in
#'   the news.
#'
#' @useDynLib orizzonte, .registration = TRUE
#' @references
#' Jöreskog, K. G. (1969). A general approach to confirmatory maximum likelihood factor analysis.
#' *Psychometrika, 34*(2), 183--202.
#' @importFrom Rcpp evalCpp
#' @importFrom rlang %||%
#' @keywords internal
"_PACKAGE"
