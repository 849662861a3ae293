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

#' Adult amateur choirs (made-up data)
#'
#' Answers of 720 singers of made-up choirs in three towns, on sliders from 0 to
#' 100, with column labels that hold the item texts. About 4% of the answers
#' are missing. Built-in features: a pair of similarly worded items (`be1`, `be2`), an item that
#' also reflects another construct (`st2` and Calm), a reverse-keyed item (`sc3`), a weak item
#' (`cr4`), a loading (`sc2`) and an intercept (`cr3`) that differ at weekend, an intercept that
#' falls with age (`sc4`) and an intercept that is higher in the town of Brook (`cr2`).
#'
#' @format `choirs`: a data frame with 720 rows: `singer` (identifier), `setting`
#'   (rehearsal: evening or weekend), `town`, `be1`-`be4` (Belonging), `sc1`-`sc4`
#'   (Calm on stage), `cr1`-`cr4` (Craft), `st1`-`st3` (Staying), `rooms`,
#'   `scores`, `coach` (Resources), `years` in a choir and `age`.
#' @source Simulated by `data-raw/choirs.R` with a fixed seed.
#' @seealso [screen_data()], the first step of an analysis.
#' @examples
#' summary(choirs[c("be1", "sc1", "years")])
"choirs"

#' A bifactor set of made-up choir data
#'
#' One general factor (musical self-image) and three specific factors (ear, voice,
#' score), four items each.
#'
#' @format A data frame with 600 rows and 12 columns, `ear1`-`ear4`,
#'   `voice1`-`voice4`, `score1`-`score4`.
#' @source Simulated by `data-raw/choirs.R` with a fixed seed.
#' @seealso [screen_data()], which is where an analysis of them begins.
#' @examples
#' round(cor(choirs_bifactor), 2)
"choirs_bifactor"

#' A deliberately troubled set of made-up choir data
#'
#' Common problems in practice, to try out how the package reports them: an identifier column, -9
#' for missing answers, a sum score among its items, a constant column, a reverse-keyed item
#' (`cl3`), a near-duplicate pair (`wa3`, `wa4`), a construct that hardly exists (`fu1`-`fu3`) and
#' an outlying row.
#'
#' @format A data frame with 240 rows: `id`, `wa1`-`wa4`, `cl1`-`cl3`,
#'   `fu1`-`fu3`, `warm_sum`, `version`.
#' @source Simulated by `data-raw/choirs.R` with a fixed seed.
#' @seealso [screen_data()], which is where an analysis of them begins.
#' @examples
#' summary(choirs_troubled)
"choirs_troubled"

#' Growth over four concerts, made-up choir data
#'
#' Calm on stage (0 to 100) of 400 new singers at the four concerts of their
#' first year; half of them met a voice coach.
#'
#' @format A data frame with 400 rows: `w1`-`w4`, and `coached` (0 or 1).
#' @source Simulated by `data-raw/choirs.R` with a fixed seed.
#' @seealso [screen_data()], which is where an analysis of them begins.
#' @examples
#' colMeans(choirs_growth)
"choirs_growth"

#' Two concerts, made-up choir data
#'
#' Calm on stage (`ca1`-`ca4`) and joy in singing (`jo1`-`jo3`) of 420 singers at the concerts
#' before (`_t1`) and after (`_t2`) a season of coaching, on sliders from 0 to 100. Some missed the
#' second concert, those who were less calm more often.
#'
#' @format A data frame with 420 rows: `setting`, `ca1_t1`-`ca4_t1`, `jo1_t1`-`jo3_t1`,
#'   `ca1_t2`-`ca4_t2`, `jo1_t2`-`jo3_t2`.
#' @source Simulated by `data-raw/choirs.R` with a fixed seed.
#' @seealso [repeated()] for constructs measured at several times.
#' @examples
#' colMeans(choirs_concerts[-1], na.rm = TRUE)
"choirs_concerts"

#' Eighteen choirs, made-up choir data
#'
#' Joy in singing (`jo1`-`jo5`, sliders from 0 to 100) in 18 choirs. Loadings and intercepts differ
#' a little from choir to choir; eight of the 90 intercepts and four of the 90 loadings differ
#' markedly. Means and standard deviations of joy differ between the choirs.
#'
#' @format A data frame with 2,421 rows: `choir`, `jo1`-`jo5`.
#' @source Simulated by `data-raw/choirs.R` with a fixed seed.
#' @seealso [invariance()], whose levels of equality are too strict for so many groups.
#' @examples
#' round(sapply(split(choirs_eighteen[-1], choirs_eighteen$choir), colMeans))
"choirs_eighteen"
