#' Judge the claims
#'
#' The result for each [claim()]: the difference of its two sides with a delta-method standard
#' error, and whether it is supported.
#'
#' @section Criteria:
#' * a direction or an order: the one-sided *p* below `significance`; *contradicted* when the other
#'   side is that significant;
#' * some relation (`!=`): the two-sided *p* below `significance`;
#' * no relation (`==`): supported when an equivalence test (two one-sided tests, TOST; Schuirmann
#'   1987) at `significance` places the standardized value within `smallest` of zero, for a value
#'   that merely is not significant supports nothing; *contradicted* when it is significantly
#'   different and not within the margin; else *cannot tell*.
#'
#' A claim that one parameter is equal or larger in one group than in another is standardized by the
#' standard deviations of its variables pooled over these groups (taken as known), because
#' standardized values of each group would differ whenever variances do.
#'
#' @param fit A fit from [fit_model()] whose blueprint has claims.
#' @param criteria The level of the tests, and the smallest standardized value that matters, from
#'   [criteria()].
#' @param bootstrap An object from [bootstrap_fit()] for this fit, with [verdicts()] in `what`. Its
#'   standard errors, intervals and p values replace the theoretical ones; nothing is resampled
#'   here.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_verdicts`, one row per claim: `claim`, `statement`,
#'   `estimate` (left minus right), `se`, `z`, `p` (two-sided), `p_one_sided` (of the direction
#'   claimed), `p_equivalence` (of the equivalence test, the larger of its two p values),
#'   `p_deciding` (of the test that decides: the one-sided p value of a direction, the two-sided one
#'   of a difference or of a contradicted equality, else that of the equivalence test),
#'   `p_adjusted` (the same, adjusted for all claims of the table; Holm 1979), `lower`, `upper`,
#'   `standardized`, `standardized_se`, `verdict` (`"supported"`, `"contradicted"`,
#'   `"not_supported"`, `"cannot_tell"`, `"not_judged"`) and `criterion`.
#' @section Errors: `orizzonte_error_convergence` for a fit that did not converge;
#'   `orizzonte_error_restriction` or `orizzonte_error_name` for a claim about a parameter that is
#'   not in the model.
#' @references
#' Holm, S. (1979). A simple sequentially rejective multiple test procedure. *Scandinavian Journal
#' of Statistics, 6*(2), 65--70.
#'
#' Schuirmann, D. J. (1987). A comparison of the two one-sided tests procedure and the power
#' approach for assessing the equivalence of average bioavailability. *Journal of
#' Pharmacokinetics and Biopharmaceutics, 15*(6), 657--680.
#' @seealso [claim()], [criteria()].
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + age) |>
#'   claim(H1 = effect[Belonging, Staying] > 0, H2 = effect[age, Staying] == 0)
#' verdicts(suppressMessages(fit_model(bp, choirs)))
#' @export
verdicts <- function(fit, criteria = NULL, bootstrap = NULL, ...) {
  check_arguments("verdicts")
  check_fit(fit, "verdicts")
  check_converged(fit, "verdicts")
  criteria <- check_criteria(criteria)
  claims <- fit$request$blueprint$claims
  check_same_bootstrap(bootstrap, fit, "verdicts")
  rows <- unlist(lapply(names(claims), function(name) {
    judge <- function(scope) judge_claim(fit, name, claims[[name]], criteria, scope, bootstrap)
    lapply(text_scopes(claim_addresses(claims[[name]]), fit$layout), judge)
  }), recursive = FALSE)
  empty <- list(claim = character(), statement = character(), estimate = numeric(), se = numeric(),
                z = numeric(), p = numeric(), p_one_sided = numeric(),
                p_equivalence = numeric(), p_deciding = numeric(), p_adjusted = numeric(),
                lower = numeric(), upper = numeric(), standardized = numeric(),
                standardized_se = numeric(), verdict = character(), criterion = character())
  columns <- if (length(rows)) do.call(Map, c(list(c), rows)) else empty
  columns$p_adjusted <- stats::p.adjust(columns$p_deciding, "holm")
  structure(list_frame_class(columns, "orizzonte_verdicts"), title = fit$request$blueprint$title,
            trouble = improper_parts(fit)$trouble,
            caveat = if (any(vapply(claims, compares_groups, NA, fit = fit))) own_units_words(fit))
}

# TRUE if a claim names more than one group.
compares_groups <- function(text, fit) {
  groups <- lapply(claim_addresses(text), function(one) parse_address(str2lang(one))$group)
  length(unique(unlist(groups))) > 1L
}

judge_claim <- function(fit, name, text, criteria, scope = NULL, bootstrap = NULL) {
  alpha <- criteria$significance
  margin <- criteria$smallest
  parsed <- parse_claim(str2lang(text))
  vcov <- vcov_of(fit)
  if (!is.null(scope)) name <- paste0(name, bar_group(fit$layout, scope))
  jet <- difference_jet(parsed$sides, fit, scope)
  se <- claim_error(jet, vcov)
  std <- standardized_difference(parsed, fit, scope, jet)
  std_value <- std$value %||% NA_real_
  std_se <- if (is.null(std)) NA_real_ else claim_error(std, vcov)
  test <- claim_test(jet$value, se, std_se, reference_df(fit), alpha)
  if (!is.null(bootstrap)) test <- bootstrapped_claim(test, bootstrap, name)
  se <- test$se
  std_se <- test$std_se
  p <- test$p
  rd <- test$df
  beyond <- if (jet$value > 0) p / 2 else 1 - p / 2       # one-sided p of "above zero"
  one <- switch(parsed$relation, `>` = beyond, `<` = 1 - beyond, NA_real_)
  equality <- parsed$relation == "=="
  within <- if (equality) p_of_equivalence(std_value, std_se, rd, margin) else NA_real_
  level <- short_number(alpha)
  judged <- function(verdict, criterion) {
    deciding <- if (equality && verdict != "contradicted" && !is.na(within)) within else
      if (is.na(one)) p else one
    list(claim = name, statement = text, estimate = jet$value, se = se, z = test$z, p = p,
         p_one_sided = one, p_equivalence = within, p_deciding = deciding, p_adjusted = NA_real_,
         lower = test$lower, upper = test$upper,
         standardized = std_value, standardized_se = std_se, verdict = verdict,
         criterion = criterion)
  }
  if (is.na(se)) return(judged("not_judged", held_reason(fit, text)))
  if (parsed$relation %in% c(">", "<"))
    return(judged(rule_direction(one, alpha), text_of("criterion_one_sided", level = level)))
  if (parsed$relation == "!=")
    return(judged(rule_difference_claim(p, alpha), text_of("criterion_two_sided", level = level)))
  verdict <- rule_equality_claim(p, within < alpha, alpha)
  criterion <- if (is.na(std_se)) "criterion_no_margin" else
    if (verdict == "contradicted") "criterion_different" else
    if (is.null(std$pooled)) "criterion_equivalence" else "criterion_pooled"
  judged(verdict, text_of(criterion, margin = short_number(margin), level = level))
}

claim_test <- function(value, se, std_se, df, alpha) {
  c(inference_block(value, se, 1 - alpha, df), list(std_se = std_se, df = df))
}

bootstrapped_claim <- function(test, bootstrap, name) {
  found <- with_bootstrap(test[c("se", "z", "p", "lower", "upper")], bootstrap, "verdicts", name)
  standard <- bootstrapped_table(bootstrap, "verdicts")
  at <- match(paste0("standardized[", name, "]"), standard$parameter)
  c(found, list(std_se = standard$se[at], df = Inf))
}

difference_jet <- function(sides, fit, scope = NULL) {
  expression_jet(call("-", call("(", sides[[1L]]), call("(", sides[[2L]])), fit, scope)
}

# NA where it cannot vary: fixed, held equal, or at a bound.
claim_error <- function(jet, vcov) {
  se <- delta_se(matrix(jet$gradient, 1L), vcov)
  if (is.na(se) || se <= 1e-10 * max(1, abs(jet$value))) NA_real_ else se
}

held_reason <- function(fit, text) {
  status <- vapply(claim_addresses(text), function(address) {
    row <- match(address, fit$layout$rows$parameter)
    if (is.na(row)) "" else fit$layout$rows$status[row]
  }, "")
  text_of(if (any(status == "at bound")) "claim_at_bound" else "claim_held")
}

# The standardized difference of the two sides of a claim, as a jet; NULL where it has none. One
# parameter in two groups is expressed in one unit (`pooled`): that of the model's scale, by
# standard deviations pooled over the two groups.
standardized_difference <- function(parsed, fit, scope, jet) {
  unit <- pooled_unit(parsed, fit)
  if (!is.null(unit)) return(list(value = jet$value * unit, gradient = jet$gradient * unit,
                                  pooled = TRUE))
  standard <- standardized_sides(parsed, fit)
  if (!is.null(standard)) difference_jet(standard, fit, scope)
}

# Standard deviations per raw unit of a parameter that a claim compares between two groups; NULL for
# other claims.
pooled_unit <- function(parsed, fit) {
  sides <- lapply(parsed$sides, plain_address)
  if (any(lengths(sides) == 0L)) return(NULL)
  at <- match(vapply(sides, format, ""), fit$layout$rows$parameter)
  if (anyNA(at)) return(NULL)
  rows <- fit$layout$rows
  groups <- match(rows$group[at], fit$layout$groups)
  if (groups[1L] == groups[2L] || length(unique(addresses_without_group(rows)[at])) > 1L)
    return(NULL)
  n <- cases_by_group(fit$sample)[groups]
  variances <- vapply(matrices_of(fit)[groups], function(m) diag(m$covariance),
                      numeric(nrow(matrices_of(fit)[[groups[1L]]]$covariance)))
  parameter_unit(rows, at[1L], sqrt(pmax(drop(variances %*% n) / sum(n), 0)))
}

# The address that one side of a claim consists of; NULL for anything else.
plain_address <- function(side) {
  while (is.call(side) && identical(side[[1L]], quote(`(`))) side <- side[[2L]]
  if (!is.call(side) || !identical(side[[1L]], quote(`[`))) return(NULL)
  address <- parse_address(side)
  if (address$kind %in% names(address_kinds)) address
}

# The standardized form of a claim whose sides are single parameters or zero.
standardized_sides <- function(parsed, fit) {
  out <- lapply(parsed$sides, function(side) {
    while (is.call(side) && identical(side[[1L]], quote(`(`))) side <- side[[2L]]
    if (!is.null(plain_number(side))) return(if (plain_number(side) == 0) side)
    if (is.call(side) && identical(side[[1L]], quote(standardized))) return(side)
    if (!is.call(side) || !identical(side[[1L]], quote(`[`))) return(NULL)
    kind <- as.character(side[[2L]])
    if (kind %in% c("correlation", "r_squared")) return(side)
    if (kind %in% c("effect", "loading", "weight", "covariance", "indirect", "total"))
      call("standardized", side)
  })
  if (any(vapply(out, is.null, NA))) NULL else out
}

#' @export
print.orizzonte_verdicts <- function(x, ...) {
  if (!all(c("claim", "statement", "estimate", "p", "verdict", "criterion") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(format_verdicts(x))
  invisible(x)
}

format_verdicts <- function(x) {
  lines <- heading(text_of("head_verdicts"))
  if (nrow(x) == 0L)
    return(c(lines,
             text_of("no_claims")))
  if (length(attr(x, "trouble")))
    lines <- c(lines, text_of("claims_improper"),
               paste0("  - ", attr(x, "trouble")))
  lines <- c(lines, format_caveat(x))
  columns <- verdict_columns(x)
  table <- format_table(columns, c(FALSE, rep(TRUE, length(columns) - 2L), FALSE))
  width <- max(nchar(x$claim))
  c(lines, table, "", wrap_lines(text_of(if (nrow(x) > 1L) "p_of_claims" else "p_of_claim")), "",
    wrap_lines(paste0(formatC(x$claim, width = -width), "  ", x$statement, "  (", x$criterion, ")"),
               2L, width + 4L))
}

verdict_columns <- function(x) {
  c(list(claim = x$claim, estimate = format_number(x$estimate), se = format_number(x$se),
         `std.` = format_share(x$standardized, 2L), z = format_fixed(x$z, 2L),
         p = format_p(x$p_deciding)),
    if (nrow(x) > 1L) list(`p (Holm)` = format_p(x$p_adjusted)),
    list(verdict = words_of("claim", x$verdict)))
}
