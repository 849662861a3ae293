#' Fit indices, with the baseline and saturated models beside them
#'
#' How well the model reproduces the observed moments: each index with its cut-offs, and a summary
#' in words. Printed with the models it is compared with.
#'
#' @section Formulas:
#' With *N* cases, discrepancy *F*, \eqn{\chi^2 = NF}, *q* free parameters,
#' *p* variables and a baseline model *b* in which variables that something
#' points at are uncorrelated (covariances among exogenous observed variables
#' stay free, as in the model; `baseline = "independence"` zeroes them too):
#' * `cfi` = 1 - max(\eqn{\chi^2} - df, 0) / max(\eqn{\chi^2_b} - df_b, \eqn{\chi^2} - df, 0)
#'   (Bentler 1990)
#' * `tli` = (\eqn{\chi^2_b}/df_b - \eqn{\chi^2}/df) / (\eqn{\chi^2_b}/df_b - 1) (Tucker & Lewis
#'   1973)
#' * `nfi` = 1 - \eqn{\chi^2/\chi^2_b} (Bentler & Bonett 1980); `rfi` its ratio
#'   form (Bollen 1986); `ifi` = (\eqn{\chi^2_b - \chi^2})/(\eqn{\chi^2_b} - df) (Bollen 1989)
#' * `chisq_swain`, `p_swain`: \eqn{\chi^2} corrected for the sample size, the sum over groups of
#'   \eqn{\{1 - [p(2p^2 + 3p - 1) - q(2q^2 + 3q - 1)]/[12 d (n - 1)]\}(n - 1)F} with *d* degrees
#'   of freedom of the covariances, *t* their free parameters and
#'   \eqn{q = (\sqrt{1 + 8t} - 1)/2} (Swain 1975; Herzog & Boomsma 2009); a parameter that groups
#'   share counts in each by the group's share of the cases. It is given for complete data with
#'   saturated means, also for the scaled test of a single group; with several groups or robust
#'   inference, each group must have at least three cases per variable. Where they exist, exact fit
#'   is judged by `p_swain`, because the uncorrected test of a correct model of many variables
#'   rejects far too often in small samples. CFI, TLI, RMSEA and differences of \eqn{\chi^2} are not
#'   corrected by it
#' * `rmsea` = \eqn{\sqrt{\max(\chi^2 - df, 0)/(N\,df)}} with a 90% interval from
#'   the noncentral \eqn{\chi^2} and the *p* value of close fit, RMSEA <= .05 (Browne & Cudeck 1993)
#' * with G groups, `rmsea` and its bounds are multiplied by \eqn{\sqrt{G}} (Steiger 1998); `srmr`
#'   and `gfi` are means over the groups, weighted by their size
#' * `srmr`: root mean square of (s_ij - sigma_ij)/sqrt(s_ii s_jj) over the lower
#'   triangle with the diagonal, and the means when structured (Bentler 1995)
#' * `gfi` = 1 - tr\[(S^-1 S - I)^2\]/tr\[(S^-1 S)^2\] with the implied inverse;
#'   `agfi` = 1 - p(p+1)/(2 df) (1 - gfi) (Jöreskog & Sörbom 1981)
#' * `aic` = -2 log L + 2q; `bic` = -2 log L + q log N; `bic_adjusted` with
#'   (N + 2)/24 (Sclove 1987); `ecvi` = F + 2q/N (Browne & Cudeck 1993)
#' * `critical_n`: the largest sample at which \eqn{\chi^2} would not be
#'   significant at .05 (Hoelter 1983)
#' * log-likelihoods, AIC and BIC are those of the data at the estimates; with
#'   `multiplier = "n-1"` these are not maximum-likelihood values, and their differences do not
#'   follow \eqn{\chi^2}.
#'
#' @param fit A fit from [fit_model()].
#' @param criteria Cut-offs in two tiers, from [criteria()]; conventions, not laws.
#' @param baseline `"exogenous free"` or `"independence"`, see the formulas; `"equal over times"`,
#'   of [repeated()] constructs: in addition, each item has one mean and one variance at all times,
#'   so that models with equal intercepts or residual variances contain it (Widaman & Thompson
#'   2003).
#' @param bootstrap An object from [bootstrap_fit()] for this fit. Its standard errors, intervals
#'   and p values replace the theoretical ones; nothing is resampled here.
#' @param ... Must be empty: an argument by another name is an error.
#' @param x An object from `fit_indices()`.
#' @param all Whether to print all indices in blocks instead of the seven that are usually reported.
#' @return A data frame of class `orizzonte_indices` with all indices: `index`, `value`, `lower`,
#'   `upper`, `cutoff`, `verdict` (good, acceptable, poor, or `NA`) and `block` (exact, approximate
#'   or relative). The attribute `reading` summarizes them in words.
#' @section Errors: `orizzonte_error_input` for criteria that do not come from [criteria()].
#' @section Corrected figures:
#'   Where inference is robust, `chisq`, `p`, `cfi`, `tli`, `rmsea` with its interval and
#'   `p_close_fit` are corrected by the inflation c of \eqn{\chi^2} (Satorra & Bentler 1994;
#'   Brosseau-Liard, Savalei & Li 2012; Brosseau-Liard & Savalei 2014; Li & Bentler 2006):
#'   RMSEA\eqn{^2} = G max(T - c df, 0) / (N df), CFI = 1 - max(T - c df, 0) /
#'   max(T_B - c_B df_B, T - c df, 0). With missing values the likelihood ratio shrinks as more
#'   values are missing. Therefore, `cfi`, `tli` and `rmsea` come from N times the complete-data
#'   discrepancy of the saturated moments, and c is the mean of that over df (after Zhang & Savalei
#'   2023). The uncorrected values follow as `chisq_normal`, `p_normal`, `cfi_normal`, `tli_normal`,
#'   `rmsea_normal`, then c as `chisq_inflation`; with `adjust = "mean and variance"` `df_adjusted`
#'   are the degrees of freedom of the corrected \eqn{\chi^2}. NFI, RFI, IFI, GFI, AGFI and ECVI are
#'   not corrected. With weights there is no likelihood: AIC, BIC and ECVI are `NA`.
#' @references
#' Bentler, P. M. (1990). Comparative fit indexes in structural models. *Psychological Bulletin,
#' 107*(2), 238--246.
#'
#' Bentler, P. M., & Bonett, D. G. (1980). Significance tests and goodness of fit in the analysis
#' of covariance structures. *Psychological Bulletin, 88*(3), 588--606.
#'
#' Bollen, K. A. (1986). Sample size and Bentler and Bonett's nonnormed fit index. *Psychometrika,
#' 51*(3), 375--377.
#'
#' Bollen, K. A. (1989). *Structural equations with latent variables*. Wiley.
#'
#' Brosseau-Liard, P. E., & Savalei, V. (2014). Adjusting incremental fit indices for nonnormality.
#' *Multivariate Behavioral Research, 49*(5), 460--470.
#'
#' Brosseau-Liard, P. E., Savalei, V., & Li, L. (2012). An investigation of the sample performance
#' of two nonnormality corrections for RMSEA. *Multivariate Behavioral Research, 47*(6), 904--930.
#'
#' Browne, M. W., & Cudeck, R. (1993). Alternative ways of assessing model fit. In K. A. Bollen &
#' J. S. Long (Eds.), *Testing structural equation models* (pp. 136--162). Sage.
#'
#' Herzog, W., & Boomsma, A. (2009). Small-sample robust estimators of noncentrality-based and
#' incremental model fit. *Structural Equation Modeling, 16*(1), 1--27.
#'
#' Hoelter, J. W. (1983). The analysis of covariance structures: Goodness-of-fit indices.
#' *Sociological Methods & Research, 11*(3), 325--344.
#'
#' Li, L., & Bentler, P. M. (2006). *Robust statistical tests for evaluating the hypothesis of close
#' fit of misspecified mean and covariance structural models* (Statistics preprint 506). UCLA.
#'
#' Satorra, A., & Bentler, P. M. (1994). Corrections to test statistics and standard errors in
#' covariance structure analysis. In A. von Eye & C. C. Clogg (Eds.), *Latent variables analysis*
#' (pp. 399--419). Sage.
#'
#' Sclove, S. L. (1987). Application of model-selection criteria to some problems in multivariate
#' analysis. *Psychometrika, 52*(3), 333--343.
#'
#' Steiger, J. H. (1998). A note on multiple sample extensions of the RMSEA fit index. *Structural
#' Equation Modeling, 5*(4), 411--419.
#'
#' Swain, A. J. (1975). *Analysis of parametric structures for variance matrices* (doctoral
#' dissertation). University of Adelaide.
#'
#' Tucker, L. R., & Lewis, C. (1973). A reliability coefficient for maximum likelihood factor
#' analysis. *Psychometrika, 38*(1), 1--10.
#'
#' Widaman, K. F., & Thompson, J. S. (2003). On specifying the null model for incremental fit
#' indices in structural equation modeling. *Psychological Methods, 8*(1), 16--37.
#'
#' Zhang, X., & Savalei, V. (2023). New computations for RMSEA and CFI following FIML and TS
#' estimation with missing data. *Psychological Methods, 28*(2), 263--283.
#' @seealso [criteria()] for the cut-offs, [compare_models()] for several models,
#'   [residuals.orizzonte_fit()] for where the misfit is.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' fit_indices(fit, criteria = criteria(cfi = c(.96, .92)))
#' @export
fit_indices <- function(fit, criteria = NULL, baseline = "exogenous free", bootstrap = NULL,
                        ...) {
  check_arguments("fit_indices")
  check_fit(fit, "fit_indices")
  baseline <- choose_one(baseline, baseline_kinds, "`baseline`")
  if (baseline == "equal over times" && !fit$layout$several_times)
    abort("input", c(text_of("baseline_equal_over_times"),
                     i = text_of("declare_them_repeated")))
  criteria <- check_criteria(criteria)
  value <- indices_of(fit, baseline)
  df <- value[["df"]]
  pressed <- active_bound_texts(fit)
  lower <- upper <- rep(NA_real_, length(value))
  if (length(pressed) == 0L) {
    basis <- basis_of(fit)
    bounds <- rmsea_bounds(basis$chisq, df, moments_n(fit), groups = length(core_moments(fit)),
                           inflation = basis$inflation)
    lower[names(value) == "rmsea"] <- bounds[1L]
    upper[names(value) == "rmsea"] <- bounds[2L]
  }
  check_same_bootstrap(bootstrap, fit, "fit_indices")
  if (!is.null(bootstrap)) {
    limits <- with_bootstrap(list(), bootstrap, "fit_indices", names(value))
    lower <- limits$lower
    upper <- limits$upper
  }
  invalid <- unit_note(fit)
  judged <- judge_indices(value, criteria, df, has_converged(fit) && is.null(invalid))
  out <- list_frame(list(index = names(value), value = unname(value), lower = lower, upper = upper,
                         cutoff = judged$cutoff, verdict = judged$verdict,
                         block = index_blocks(names(value))))
  if (!has_converged(fit)) invalid <- text_of("fit_has_not_converged")
  out <- structure(
    out, class = c("orizzonte_indices", "data.frame"), corrections = correction_words(fit),
    reading = invalid %||%
      paste(c(state_reading(fit), read_indices(out, df, criteria, pressed, sound(fit)),
              small_numbers(fit)), collapse = " "))
  with_status(out, fit)
}

# All indices by name, computed from the result of measures_by_group().
index_values <- function(fit, each, kind = baseline_kinds[1L]) {
  test <- test_of(fit)
  df <- test$df
  n <- moments_n(fit)
  q <- n_free(joint_fit(fit))
  structured <- fit$layout$means && !fit$layout$saturated_means
  total <- function(name) sum(vapply(each, `[[`, 0, name))
  weighted <- function(name) sum(vapply(each, function(x) x[[name]] * x$n, 0)) / n
  base <- baseline_of(fit, each, kind)
  basis <- if (kind == baseline_kinds[1L]) basis_of(fit) else index_basis(fit, base, kind)
  plain <- function(x) if (length(active_bound_texts(fit)) > 0L) NA_real_ else x
  good <- weighted("gfi")
  parts <- if (structured) total("chisq_means") else NA_real_
  reference <- if (is.na(test$df_adjusted)) df else test$df_adjusted
  values <- c(
    chisq = test$chisq, df = df, p = plain(test$p), small_sample_values(fit),
    chisq_per_df = if (df > 0) test$chisq / reference else NA,
    chisq_covariances = test$chisq_normal - parts, chisq_means = parts,
    noncentral_indices(basis, df, base$df),
    comparative_indices(test$chisq_normal, df, base$chisq, base$df)[c("nfi", "rfi", "ifi")],
    rmsea_values(fit, basis, df, plain),
    srmr = weighted("srmr"), gfi = good,
    agfi = if (df > 0) 1 - total("covariances") / df * (1 - good) else NA,
    likelihood_values(fit, total, q, base),
    critical_n = plain(critical_n(test$chisq / n, reference, sample_n(fit$sample) - n)),
    baseline_values(base, n, total("moments")), uncorrected_values(fit, test, base, plain)
  )
  values[intersect(names(index_words), names(values))]
}

baseline_of <- function(fit, each, kind = baseline_kinds[1L]) {
  if (!is.null(fit$joint) || kind == "equal over times")
    return(c(fitted_baseline(joint_fit(fit), kind), list(fitted = TRUE)))
  total <- function(name) sum(vapply(each, `[[`, 0, name))
  list(chisq = max(0, total("chisq_baseline") - overshoot_in(fit, "chisq_baseline")),
       df = total("df_baseline"),
       parameters = total("baseline_parameters"))
}

# The basis of RMSEA, CFI and TLI, computed once per fit.
basis_of <- function(fit) {
  cached(fit, "basis", index_basis(fit, baseline_of(fit, measures_of(fit))))
}

small_sample_values <- function(fit) {
  test <- small_sample_test(fit)
  c(chisq_swain = test$chisq %||% NA_real_, p_swain = test$p %||% NA_real_)
}

rmsea_values <- function(fit, basis, df, plain) {
  n <- moments_n(fit)
  groups <- length(core_moments(fit))
  c(rmsea = rmsea_point(basis$chisq, df, n, groups, basis$inflation),
    p_close_fit = plain(close_fit_p(basis$chisq, df, n, groups, basis$inflation)))
}

# Log-likelihoods and the measures based on them; with weights there is no likelihood for comparing
# models.
likelihood_values <- function(fit, total, q, base) {
  known <- if (is_weighted(fit$sample)) NA_real_ else 1
  deviance <- vapply(c(model = "deviance", saturated = "deviance_saturated",
                       baseline = "deviance_baseline"), total, 0)
  if (isTRUE(base$fitted)) deviance[["baseline"]] <- deviance[["saturated"]] + base$chisq
  n <- moments_n(fit)
  c(loglik = -deviance[["model"]] / 2, loglik_saturated = -deviance[["saturated"]] / 2,
    loglik_baseline = -deviance[["baseline"]] / 2,
    known * information_criteria(fit, deviance[["model"]], q),
    ecvi = known * (stats::deviance(fit) / n + 2 * q / n),
    stats::setNames(known * information_criteria(fit, deviance[["baseline"]], base$parameters),
                    paste0(c("aic", "bic", "bic_adjusted"), "_baseline")),
    stats::setNames(known * information_criteria(fit, deviance[["saturated"]], total("moments")),
                    paste0(c("aic", "bic", "bic_adjusted"), "_saturated")))
}

# Uses the number of cases, whatever the multiplier, as BIC() does.
information_criteria <- function(fit, deviance, q) {
  size <- sample_n(fit$sample)
  c(aic = deviance + 2 * q, bic = deviance + q * log(size),
    bic_adjusted = deviance + q * log((size + 2) / 24))
}

baseline_values <- function(base, n, moments) {
  c(chisq_baseline = base$chisq, df_baseline = base$df, p_baseline = upper_p(base$chisq, base$df),
    ecvi_baseline = base$chisq / n + 2 * base$parameters / n, ecvi_saturated = 2 * moments / n)
}

# Uncorrected values of indices that are corrected for non-normality or missing values.
uncorrected_values <- function(fit, test, base, plain) {
  if (!is_corrected(fit)) return(NULL)
  before <- comparative_indices(test$chisq_normal, test$df, base$chisq, base$df)
  out <- c(cfi_normal = before[["cfi"]], tli_normal = before[["tli"]],
           rmsea_normal = rmsea_point(test$chisq_normal, test$df, moments_n(fit),
                                      length(core_moments(fit))))
  if (!is_robust(fit$request)) return(out)
  c(chisq_normal = test$chisq_normal, p_normal = plain(upper_p(test$chisq_normal, test$df)), out,
    chisq_inflation = test$inflation, if (is_adjusted(fit)) c(df_adjusted = test$df_adjusted))
}

# A sentence with the uncorrected values.
correction_words <- function(fit) {
  if (!is_corrected(fit) || !has_converged(fit) || test_of(fit)$df == 0) return(NULL)
  index <- indices_of(fit)
  before <- paste0("CFI ", format_share(index[["cfi_normal"]], 3L), ", TLI ",
                   format_share(index[["tli_normal"]], 3L), ", RMSEA ",
                   format_share(index[["rmsea_normal"]], 3L))
  missing <- if (is_incomplete(fit$sample))
    text_of("what_is_missing_makes")
  if (!is_robust(fit$request)) return(text_of("from_itself", missing = missing, before = before))
  text_of("corrected_what_is_not", missing = if (length(missing)) paste0(missing, ". "),
          index = format_fixed(index[["chisq_normal"]]), before = before)
}

is_corrected <- function(fit) is_robust(fit$request) || is_incomplete(fit$sample)

indices_of <- function(fit, kind = baseline_kinds[1L]) {
  if (kind != baseline_kinds[1L])
    return(index_values(fit, measures_by_group(fit, TRUE), kind))
  cached(fit, "indices", index_values(fit, measures_of(fit)))
}

judge_indices <- function(value, criteria, df, converged) {
  cutoff <- verdict <- rep(NA_character_, length(value))
  for (name in index_criteria) {
    # exact fit is judged by the p value that is corrected for the sample size, where it exists
    row <- if (name == "p" && !is.na(value[["p_swain"]])) "p_swain" else name
    at <- match(row, names(value))
    tiers <- criteria[[name]]
    cutoff[at] <- paste0(format_tier(criteria, name, 1L), " (", short_number(tiers[2L]), ")")
    if (df <= 0 || !converged) next
    verdict[at] <- rule_index(value[at], tiers, higher_is_better(name))
  }
  list(cutoff = cutoff, verdict = verdict)
}

# The joint reading of the main indices, in words.
read_indices <- function(table, df, criteria, pressed = character(), sound = TRUE) {
  if (df == 0)
    return(text_of("model_is_saturated_df_0_reproduces"))
  main <- c("cfi", "tli", "rmsea", "srmr")
  verdicts <- stats::setNames(table$verdict[match(main, table$index)], toupper(main))
  verdicts <- verdicts[!is.na(verdicts)]
  exact <- table$value[match(c("p_swain", "p"), table$index)]
  corrected <- !is.na(exact[1L])
  exact <- if (corrected) exact[1L] else exact[2L]
  if (is.na(exact) && length(pressed) == 0L)
    return(text_of("fit_cannot_be_judged"))
  first <- if (length(pressed)) {
    text_of("solution_lies_bound_so", pressed = enumerate(pressed))
  } else {
    text_of(if (exact >= criteria$significance) "exact_fit_is_not_rejected" else
      "exact_fit_is_rejected", correction = if (corrected) correction_clause(table))
  }
  by <- function(code) enumerate(names(verdicts)[verdicts == code])
  second <- if (length(unique(verdicts)) == 1L) {
    text_of("all_indicate", indices = by(verdicts[[1L]]), code = words_of("index", verdicts[[1L]]))
  } else {
    codes <- intersect(c("good", "acceptable", "poor"), verdicts)
    each <- vapply(codes, function(code) paste0(by(code), " ", words_of("index", code)), "")
    text_of("indices_disagree", code = paste(each, collapse = "; "))
  }
  advice <- if (!sound) NULL else if (all(verdicts == "good")) {
    if (isTRUE(exact >= criteria$significance)) text_of("look_estimates_next") else
      text_of("look_residuals_what_is")
  } else {
    text_of("look_where_model_is", instruction = instruction("see_residuals"))
  }
  paste(c(paste0(first, "; ", second, "."), advice), collapse = " ")
}

# The correction for the sample size is mentioned where it matters: the two p values differ visibly.
correction_clause <- function(table) {
  p <- table$value[match(c("p_swain", "p"), table$index)]
  if (format_p(p[1L]) == format_p(p[2L])) return(NULL)
  text_of("exact_fit_corrected", corrected = p_clause(p[1L]), plain = p_clause(p[2L]))
}

# A reading begins with the status of the solution.
sound <- function(fit) solution_state(fit)$status %in% c("proper", "at bound", "weak")
state_reading <- function(fit) {
  state <- solution_state(fit)
  if (state$status != "improper") return(NULL)
  text_of("solution_is_improper_mend", trouble = state$trouble)
}

# Indices that need more degrees of freedom or more cases.
small_numbers <- function(fit) {
  df <- test_of(fit)$df
  n <- cases_by_group(fit$sample)
  free <- free_by_group(fit)
  few <- n < 5 * free
  cases <- text_of("cases_free_parameters", value = if (length(n) > 1L) paste0(names(n), ": "),
                   value_2 = format_count(n), free = format_count(free))[few]
  c(if (is.null(small_sample_test(fit)) && has_raw_data(fit$sample) && small_for_chisq(fit))
      text_of("few_cases_bootstrap_test", instruction = instruction("test_model_fit")),
    if (df %in% 1:3)
      text_of("freedom_rmsea_says_little", df = count_of(df, "degree")),
    if (any(few))
      text_of("fewer_than_5_each", cases = enumerate(cases, most = 4L),
              value = if (length(n) > 1L) text_of("also_in_each_group")),
    fewer_clusters_words(fit))
}

index_words <- c(
  chisq = "\u03c7\u00b2", df = "df", p = "p", chisq_swain = "\u03c7\u00b2, sample size",
  p_swain = "p, sample size", chisq_per_df = "\u03c7\u00b2 / df",
  chisq_covariances = "\u03c7\u00b2, covariances",
  chisq_means = "\u03c7\u00b2, means", cfi = "CFI", tli = "TLI", nfi = "NFI", rfi = "RFI",
  ifi = "IFI", rmsea = "RMSEA", p_close_fit = "p of close fit", srmr = "SRMR", gfi = "GFI",
  agfi = "AGFI", loglik = "log-likelihood", loglik_saturated = "  saturated",
  loglik_baseline = "  baseline", aic = "AIC", bic = "BIC", bic_adjusted = "BIC, size-adjusted",
  ecvi = "ECVI", critical_n = "critical N (.05)", chisq_baseline = "\u03c7\u00b2, baseline",
  df_baseline = "df, baseline", p_baseline = "p, baseline", aic_baseline = "AIC, baseline",
  bic_baseline = "BIC, baseline", bic_adjusted_baseline = "adjusted BIC, baseline",
  aic_saturated = "AIC, saturated", bic_saturated = "BIC, saturated",
  bic_adjusted_saturated = "adjusted BIC, saturated", ecvi_baseline = "ECVI, baseline",
  ecvi_saturated = "ECVI, saturated", chisq_normal = "\u03c7\u00b2, uncorrected",
  p_normal = "p, uncorrected", cfi_normal = "CFI, uncorrected", tli_normal = "TLI, uncorrected",
  rmsea_normal = "RMSEA, uncorrected", chisq_inflation = "inflation of \u03c7\u00b2 (c)",
  df_adjusted = "df of the corrected \u03c7\u00b2"
)

format_index <- function(index, value) {
  if (length(index) != 1L) return(unname(mapply(format_index, index, value)))
  if (is.na(value)) return("")
  if (index %in% c("df", "df_baseline", "critical_n")) return(format_count(round(value)))
  if (index %in% c("p", "p_swain", "p_close_fit", "p_baseline", "p_normal")) return(format_p(value))
  if (index %in% bounded_indices) return(format_share(value, 3L))
  format_fixed(value, if (index %in% small_indices) 3L else 2L)
}

# Indices near 1 that are not bounded by it.
small_indices <- c("chisq_per_df", "ecvi", "ecvi_baseline", "ecvi_saturated", "chisq_inflation")

# Indices that cannot exceed 1, or hardly ever do.
bounded_indices <- c("cfi", "tli", "nfi", "rfi", "ifi", "rmsea", "srmr", "gfi", "agfi",
                     "cfi_normal", "tli_normal", "rmsea_normal")

# Exact fit: the test of the model. Approximate fit: the discrepancy between model and data.
# Relative fit: in comparison with other models.
index_blocks <- function(index) {
  ifelse(grepl("^(rmsea|srmr|gfi|agfi|p_close_fit|chisq_per_df)", index), "approximate",
         ifelse(grepl("^(cfi|tli|nfi|rfi|ifi|loglik|aic|bic|ecvi)|_baseline$", index), "relative",
                "exact"))
}

#' @rdname fit_indices
#' @export
print.orizzonte_indices <- function(x, all = FALSE, ...) {
  if (!all(c("index", "value", "verdict") %in% names(x))) return(print(as.data.frame(unclass(x))))
  check_flag(all, "`all`")
  lines <- if (all && "block" %in% names(x)) unlist(lapply(block_names, function(block) {
    part <- x[x$block == block, ]
    if (any(!is.na(part$value)))
      c("", paste0("  ", text_of(paste0("block_", block))), format_indices_table(part))
  })) else c(format_indices_table(key_indices(x)), more_indices(x))
  put_lines(heading_with_status(text_of("fit_indices"), x), lines,
            wrap_lines(attr(x, "corrections")))
  reading <- attr(x, "reading")
  if (!is.null(reading)) put_lines("", wrap_lines(reading))
  invisible(x)
}

block_names <- c("exact", "approximate", "relative")

# The seven that are usually reported, with the corrected p value of small samples; all rows of a
# selection that holds none of them.
key_indices <- function(x) {
  key <- x[x$index %in% c("chisq", "df", "p", "p_swain", "cfi", "tli", "rmsea", "srmr"), ]
  if (nrow(key) == 0L) return(x)
  key[!is.na(key$value) | key$index != "p_swain", ]
}

more_indices <- function(x) {
  count <- sum(!is.na(x$value))
  if (count > sum(!is.na(key_indices(x)$value)))
    text_of("shows_all", instruction = instruction("all_indices"), value = count)
}

format_key_indices <- function(x) {
  c(heading(text_of("fit_indices")), format_indices_table(key_indices(x)), more_indices(x),
    wrap_lines(attr(x, "corrections")))
}

format_indices_table <- function(x) {
  format_table(index_columns(x), c(FALSE, TRUE, FALSE, FALSE, FALSE))
}

index_columns <- function(x) {
  shown <- x[!is.na(x$value), ]
  interval <- ifelse(is.na(shown$lower), "",
                     format_limits(shown$lower, shown$upper, 3L))
  blank <- function(v) ifelse(is.na(v), "", v)
  list(index = unname(index_words[shown$index]), value = format_index(shown$index, shown$value),
       `90% interval` = interval, `good (acceptable)` = blank(shown$cutoff),
       verdict = words_of("index", shown$verdict))
}

comparison_columns <- c("chisq", "df", "p", "cfi", "tli", "rmsea", "srmr", "aic", "bic")

comparison_measures <- function(fit) as.list(indices_of(fit)[comparison_columns])

# The uncorrected indices, when any of the fits has corrected ones.
uncorrected_columns <- c("chisq_normal", "p_normal", "cfi_normal", "tli_normal", "rmsea_normal",
                         "chisq_inflation", "df_adjusted")
stacked_measures <- function(fits) {
  index <- lapply(unname(fits), indices_of)
  known <- intersect(uncorrected_columns, unlist(lapply(index, names)))
  columns <- c(comparison_columns, known)
  out <- lapply(columns, function(name) vapply(index, function(x) unname(x[name]), 0))
  stats::setNames(out, columns)
}

# The chi-square test in small samples: it rejects exact fit too often when cases are few in
# relation to variables.

# The factor that brings the mean of (n - 1) F of a correct model close to its degrees of freedom
# (Swain 1975), `variables` observed with `df` degrees of freedom of their covariances. NA where it
# is not defined: without degrees of freedom, or with too few cases for it to be positive.
swain_factor <- function(variables, df, cases) {
  p <- variables
  t <- p * (p + 1) / 2 - df                          # free parameters of the covariances
  q <- (sqrt(1 + 8 * t) - 1) / 2
  factor <- 1 - (p * (2 * p^2 + 3 * p - 1) - q * (2 * q^2 + 3 * q - 1)) /
    (12 * df * (cases - 1))
  ifelse(df > 0 & t >= 0 & factor > 0, factor, NA_real_)
}

# The degrees of freedom of the covariances of each group: a parameter that several groups share
# counts in each of them by the group's share of the cases.
covariance_df <- function(fit) {
  rows <- fit$layout$rows
  structural <- is.na(rows$fixed) & rows$family != parameter_families[["mean"]]
  group <- match(rows$group[structural], fit$layout$groups)
  cases <- unname(n_by_group(fit$sample))
  cell <- !duplicated(paste(rows$class[structural], group))
  group <- group[cell]
  shared <- rows$class[structural][cell]
  weight <- cases[group] / stats::ave(cases[group], shared, FUN = sum)
  free <- tapply(weight, factor(group, seq_along(cases)), sum)
  free[is.na(free)] <- 0
  free <- free - n_equations(fit$layout) * cases / sum(cases)
  p <- unname(lengths(group_variables(fit$sample)))
  p * (p + 1) / 2 - as.numeric(free)
}

# Chi-square and p value corrected for the sample size: the sum over groups of the factor times
# (n - 1) F; with robust inference, the same factor times the scaled test. NULL where the correction
# does not apply: missing values, structured means, a solution on a bound, auxiliary variables;
# clusters, weights and tests adjusted for the variance, for which it was not tried; and, in several
# groups or with robust inference, fewer than three cases per variable in a group, where it rejects
# correct models too often (bench/small-samples.R).
small_sample_test <- function(fit) {
  test <- test_of(fit)
  df <- test$df
  robust <- is_robust(fit$request)
  groups <- length(fit$layout$groups)
  applies <- df > 0 && !is_incomplete(fit$sample) && is.null(fit$joint) &&
    (!fit$layout$means || fit$layout$saturated_means) && has_converged(fit) &&
    length(active_bound_texts(fit)) == 0L && !is_weighted(fit$sample) &&
    is.na(count_clusters(fit$sample)) && !is_adjusted(fit) && !(robust && groups > 1L)
  if (!applies) return(NULL)
  few <- n_by_group(fit$sample) < 3 * lengths(group_variables(fit$sample))
  if ((robust || groups > 1L) && any(few)) return(NULL)
  cached(fit, "small_sample_test", {
    chisq <- corrected_chisq(fit) / if (robust) test$inflation else 1
    list(chisq = chisq, df = df, p = upper_p(chisq, df))
  })
}

corrected_chisq <- function(fit) {
  each <- measures_of(fit)
  part <- function(name) vapply(each, `[[`, 0, name)
  cases <- unname(n_by_group(fit$sample))
  factor <- swain_factor(lengths(group_variables(fit$sample)), covariance_df(fit), cases)
  # a group that fits by necessity needs no correction
  factor[is.na(factor) & covariance_df(fit) <= 1e-9] <- 1
  sum(factor * (cases - 1) * part("chisq") / part("n"))
}

# The test by which exact fit is judged: corrected for the sample size where that is possible.
exact_test <- function(fit) small_sample_test(fit) %||% test_of(fit)

# TRUE for samples so small that the correction would decrease chi-square by more than a twentieth.
small_for_chisq <- function(fit) {
  factor <- swain_factor(lengths(group_variables(fit$sample)), covariance_df(fit),
                         unname(n_by_group(fit$sample)))
  any(factor < 0.95, na.rm = TRUE)
}
