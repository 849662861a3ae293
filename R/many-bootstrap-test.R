#' Bootstrap tests
#'
#' Bootstrap p values of model fit, of the difference between two nested models, or of every rung of
#' a ladder. Samples are drawn from data that were transformed to fit the smaller model exactly
#' (Bollen & Stine 1992), so that normality is not assumed.
#'
#' @param x A fit from [fit_model()] or a ladder from [invariance()].
#' @param against Another fit to the same data. One of the two models must be nested in the other;
#'   their difference is tested. `NULL` tests the model itself.
#' @inheritParams bootstrap_fit
#' @return A data frame of class `orizzonte_bootstrap_test`, one row per test: `model` (`rung`),
#'   `against`, `chisq` (or its difference), `df`, `p` (theoretical), `p_bootstrap` \eqn{= (1 +
#'   \#\{T^* \ge T\}) / (B + 1)}, `chisq_transformed` (of the cases made to fit: zero but for
#'   missing values) and `used`.
#' @section How: \eqn{Z = (X - \bar x) S^{-1/2} \hat\Sigma^{1/2} + \hat\mu} within groups. With
#' missing values, the data are transformed within missing patterns (Enders 2002). This is
#' approximate: `chisq_transformed` gives the misfit that remains in the transformed data. Of
#' differences and rungs the smaller
#'   model is made to fit, and both models are fitted to each replicate.
#' @section Errors: as [bootstrap_fit()]; `orizzonte_error_input` for two models that are not
#'   nested.
#' @references Bollen, K. A., & Stine, R. A. (1992). Bootstrapping goodness-of-fit measures in
#'   structural equation models. *Sociological Methods & Research, 21*(2), 205-229.
#'
#'   Enders, C. K. (2002). Applying the Bollen-Stine bootstrap for goodness-of-fit measures to
#'   structural equation models with missing data. *Multivariate Behavioral Research, 37*(3),
#'   359-377.
#' @seealso [bootstrap_fit()], [fit_indices()], [compare_models()], [invariance()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- fit_model(bp, choirs)
#' bootstrap_test(fit, reps = 200, seed = 1)
#' bootstrap_test(fit, against = amend(fit, free = covariance[be1, be2], because = "one stem"),
#'                reps = 200, seed = 1)
#' @export
bootstrap_test <- function(x, against = NULL, reps = 1000, seed = NULL, folder = NULL, ...) {
  check_arguments("bootstrap_test")
  check_count(reps, "`reps`", 2, 1e6)
  check_folder(folder)
  seed <- chosen_seed(seed)
  tests <- tests_within(x, against)
  rows <- lapply(tests, run_null_test, seed = seed, reps = reps, folder = folder)
  columns <- lapply(do.call(Map, c(list(c), rows)), unname)
  structure(list_frame_class(c(list(model = names(tests)), columns), "orizzonte_bootstrap_test"),
            seed = seed, reps = as.integer(reps))
}

# Pairs of the smaller and the larger model (NULL: no restriction), by name.
tests_within <- function(x, against) {
  if (inherits(x, "orizzonte_ladder") || inherits(x, "orizzonte_loosened")) {
    if (!is.null(against))
      abort("input", text_of("rungs_ladder_are_tested"))
    return(ladder_tests(check_ladder(x, "bootstrap_test")))
  }
  check_bootstrap(x, "bootstrap_test")
  if (is.null(against)) return(list(model = list(small = x, large = NULL, against = NA_character_)))
  check_bootstrap(against, "bootstrap_test")
  pair <- compare_pair(x, against, "The model", "the other")
  if (!identical(pair$nested, "yes"))
    abort("input", c(text_of("these_two_models_cannot"),
                     stats::setNames(pair$notes, rep("x", length(pair$notes))),
                     i = text_of("compare_models_shows_both")))
  both <- list(x, against)
  if (test_of(x)$df < test_of(against)$df) both <- rev(both)
  list(model = list(small = both[[1L]], large = both[[2L]], against = "the larger model"))
}

ladder_tests <- function(x) {
  ladder <- if (inherits(x, "orizzonte_loosened")) x$ladder else x
  out <- lapply(seq_along(ladder$fits), function(k) {
    against <- ladder$table$against[k]
    list(small = ladder$fits[[k]], large = if (!is.na(against)) ladder$fits[[against]],
         against = against)
  })
  for (test in out) check_bootstrap(test$small, "bootstrap_test")
  stats::setNames(out, names(ladder$fits))
}

run_null_test <- function(test, seed, reps, folder) {
  small <- joint_fit(test$small)
  source <- null_source(small)
  chisq_of <- function(fit) {
    run_refits(fit, source_for(source, small, fit), seed, reps, folder = folder)
  }
  found <- chisq_of(small)
  here <- test_of(small)
  observed <- here$chisq_normal
  df <- here$df
  p <- here$p
  drawn <- ifelse(found$status == 0L, found$chisq, NA)
  misfit <- transformed_chisq(small, source)
  if (!is.null(test$large)) {
    large <- joint_fit(test$large)
    other <- chisq_of(large)
    change <- difference_test(small, large)
    observed <- change$chisq_normal
    df <- change$df
    p <- change$p
    drawn <- drawn - ifelse(other$status == 0L, other$chisq, NA)
    misfit <- misfit - transformed_chisq(large, source_for(source, small, large))
  }
  used <- sum(!is.na(drawn))
  list(against = test$against, chisq = observed, df = df, p = p,
       p_bootstrap = if (df > 0) (1 + sum(drawn >= observed, na.rm = TRUE)) / (used + 1) else
         NA_real_,
       chisq_transformed = misfit, used = used)
}

# Transforms the cases so that the model fits them, or so that they have the given covariances (a
# list by group, with a shift of one mean as an attribute); with missing values, within each missing
# pattern.
null_source <- function(fit, covariances = NULL) {
  source <- case_source(fit)
  shift <- attr(covariances, "shift")
  source$cases <- Map(function(cases, moments, matrices, g) {
    p <- ncol(moments$covariance)
    mean <- if (fit$layout$means) matrices$mean[seq_len(p)] else moments$mean
    target <- covariances[[g]] %||% matrices$covariance[seq_len(p), seq_len(p), drop = FALSE]
    mean <- shifted_mean(mean, target, colnames(moments$covariance), g, shift)
    cases$values <- moved_cases(cases$values, moments, target, mean)
    cases
  }, source$cases, unname(fit$moments), matrices_of(fit), seq_along(fit$moments))
  source
}

shifted_mean <- function(mean, target, names, g, shift) {
  if (is.null(shift) || shift$group != g) return(mean)
  at <- match(shift$item, names)
  mean[at] <- mean[at] + shift$size * sqrt(target[at, at])
  mean
}

moved_cases <- function(x, moments, target, mean) {
  for (rows in rows_by_pattern(x)) {
    seen <- which(!is.na(x[rows[1L], ]))
    if (length(seen) == 0L) next
    s <- moments$covariance[seen, seen, drop = FALSE]
    turn <- solve_in_units(root_of(s), root_of(target[seen, seen, drop = FALSE]))
    off <- x[rows, seen, drop = FALSE] - rep(moments$mean[seen], each = length(rows))
    x[rows, seen] <- off %*% turn + rep(mean[seen], each = length(rows))
  }
  x
}

# The symmetric root, in units of the standard deviations.
root_of <- function(s) {
  sd <- sqrt(diag(s))
  parts <- eigen(s / outer(sd, sd), symmetric = TRUE)
  root <- parts$vectors %*% (sqrt(pmax(parts$values, 0)) * t(parts$vectors))
  # R with R'R = S: the root in units, times the units
  root * rep(sd, each = length(sd))
}

# The remaining misfit of the transformed cases.
transformed_chisq <- function(fit, source) {
  source$parts <- lapply(source$cases, function(x) rep(0L, nrow(x$values)))
  job <- new_refit_job(fit, source, 1L)
  found <- refit_chunk(job, 1L, 1L)
  if (found$status == 0L) found$chisq else NA_real_
}

#' @export
print.orizzonte_bootstrap_test <- function(x, ...) {
  needed <- c("model", "against", "chisq", "df", "p", "p_bootstrap", "chisq_transformed", "used")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  put_lines(format_bootstrap_test(x))
  invisible(x)
}

format_bootstrap_test <- function(x) {
  single <- nrow(x) == 1L && is.na(x$against)
  columns <- c(list(model = x$model),
               if (!single) list(against = ifelse(is.na(x$against), "", x$against)),
               list(chisq = format_fixed(x$chisq), df = format_count(x$df), p = format_p(x$p),
                    `p, bootstrap` = format_p(x$p_bootstrap), used = format_count(x$used)))
  names(columns)[names(columns) == "chisq"] <- if (single) "\u03c7\u00b2" else
    "\u03c7\u00b2 or \u0394\u03c7\u00b2"
  left <- x$chisq_transformed[1L]
  c(heading(text_of("bootstrap_test")),
    wrap_lines(text_of("replicates_seed_cases_made", attr = format_count(attr(x, "reps")),
                       attr_2 = attr(x, "seed"))), "",
    format_table(columns, c(FALSE, if (!single) FALSE, rep(TRUE, 5L))),
    if (isTRUE(abs(left) > 0.01 * x$chisq[1L]))
      c("", wrap_lines(text_of("missing_values_cases_can", left = format_fixed(left)))))
}
