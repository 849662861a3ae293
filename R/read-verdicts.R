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
  beyond <- ifelse(jet$value > 0, p / 2, 1 - p / 2)       # one-sided p of "above zero"
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
  if (is.na(jet$value)) return(judged("not_judged", text_of("claim_undefined")))
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

# NA where it cannot vary (fixed, held equal, or at a bound) and where it does not exist.
claim_error <- function(jet, vcov) {
  if (is.na(jet$value)) return(NA_real_)
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

# Properties of the data that explain why a model does not converge or is improper. Each finding is
# a list of `kind`, `construct`, `items` and `text`.

# A finding about a construct and items, in words.
finding <- function(kind, construct, items, ...) {
  list(list(kind = kind, construct = construct, items = items, text = paste0(...)))
}

# Correlations of the items of a construct without the variance that a general construct shares.
inside_correlations <- function(items, general, items_of, r) {
  if (is.null(general)) return(r[items, items])
  partial_correlations(r, items_of[[general]])[items, items]
}

# Reverse-keyed items, constructs whose items hardly correlate, and items that correlate with no
# construct.
items_evidence <- function(name, items_of, r, n, told) {
  findings <- list()
  add <- function(...) findings <<- c(findings, finding(...))
  items <- items_of[[name]]
  if (length(items) < 2L) return(list())
  general <- general_over(name, items_of)
  inside <- inside_correlations(items, general, items_of, r)
  once <- if (is.null(general)) "" else text_of("once_is_out", general = general)
  off <- inside[lower.tri(inside)]
  against <- if (is.null(general)) opposed(inside, n) else opposed(r[items, items], n)
  for (item in setdiff(against, told)) {
    others <- mean(r[item, setdiff(items, against)])
    add("keying", name, item, text_of("keyed_against_others", item = item, construct = name,
                                      correlation = format_share(others, 2L)))
  }
  weak <- mean(abs(off)) < 0.2
  if (weak) {
    add(if (is.null(general)) "weak construct" else "weak specific factor", name, items,
        text_of("hardly_a_construct", count = length(items), construct = name,
                correlation = format_share(mean(abs(off)), 2L), once = once))
  } else if (length(items) > 2L) {
    # an item that correlates with none of the others, once a near-duplicate pair is counted as one
    # item
    share <- vapply(items, function(item) mean(abs(inside[item, setdiff(items, item)])), 0)
    limit <- if (is.null(general)) 0.15 else 0.08
    for (item in items[share < limit]) {
      add("weak item", name, item,
          text_of("item_hardly_correlates", item = item, construct = name, once = once,
                  correlation = format_share(share[[item]], 2L)))
    }
  }
  findings
}

# Two items that relate differently to the remaining variables; three items whose correlations imply
# an impossible loading.
few_items_evidence <- function(name, items_of, r, observed) {
  findings <- list()
  add <- function(...) findings <<- c(findings, finding(...))
  items <- items_of[[name]]
  if (!length(items) %in% 2:3 || !is.null(general_over(name, items_of))) return(list())
  outside <- setdiff(observed, items)
  if (length(items) == 2L && length(outside)) {
    # each item's relation to the remaining variables, signed by the strongest one
    profile <- r[items, outside, drop = FALSE]
    link <- drop(profile %*% sign(colSums(profile * abs(profile)))) / length(outside)
    if (min(abs(link)) < 0.25 * max(abs(link)) ||
        prod(sign(link)) != sign(r[items[1L], items[2L]])) {
      add("two items", name, items,
          text_of("two_items_relate_differently", construct = name, first = items[1L],
                  first_link = format_share(link[1L], 2L), second = items[2L],
                  second_link = format_share(link[2L], 2L)))
    }
  }
  if (length(items) == 3L) {
    for (k in seq_along(items)) {
      others <- items[-k]
      share <- r[items[k], others[1L]] * r[items[k], others[2L]] /
        r[others[1L], others[2L]]
      if (is.finite(share) && (share > 1 || share < 0)) {
        correlations <- format_share(r[items, items][lower.tri(diag(3L))], 2L)
        add("three items", name, items[k],
            text_of("three_items_impossible", construct = name, item = items[k],
                    correlations = paste(correlations, collapse = ", "),
                    squared = format_share(share, 2L)))
        break
      }
    }
  }
  findings
}

# `covariance` of the observed variables, `data` the rows behind it when there are any.
find_evidence <- function(layout, covariance, n, data = NULL, rows = NULL) {
  r <- stats::cov2cor(covariance)
  findings <- list()
  add <- function(...) findings <<- c(findings, finding(...))
  items_of <- lapply(stats::setNames(layout$constructs, layout$constructs),
                     function(name) construct_items(layout, name))
  reflective <- setdiff(layout$constructs, layout$composites)
  pairs <- which(abs(r) > 0.95 & lower.tri(r), arr.ind = TRUE)
  for (i in seq_len(nrow(pairs))) {
    pair <- colnames(r)[sort(pairs[i, ])]
    owner <- names(Filter(function(items) all(pair %in% items), items_of))
    add("duplicate", owner, pair,
        text_of("nearly_same_item", first = pair[1L], second = pair[2L],
                correlation = format_share(r[pair[1L], pair[2L]], 3L)))
  }
  for (name in reflective) {
    told <- unlist(lapply(findings, function(f) if (f$kind == "keying") f$items))
    findings <- c(findings, items_evidence(name, items_of, r, n, told),
                  few_items_evidence(name, items_of, r, layout$observed))
  }
  for (pair in construct_pairs(reflective, items_of)) {
    a <- items_of[[pair[1L]]]
    b <- items_of[[pair[2L]]]
    # two parts of a general construct: by the correlations that remain without it
    general <- intersect(general_over(pair[1L], items_of), general_over(pair[2L], items_of))
    left <- if (length(general)) partial_correlations(r, items_of[[general]]) else r
    once <- if (length(general)) text_of("once_is_out", general = general)
    across <- mean(abs(left[a, b]))
    within <- mean(c(abs(left[a, a][lower.tri(left[a, a])]),
                     abs(left[b, b][lower.tri(left[b, b])])))
    if (across > 0.9 * within && across > 0.2) {
      add("one construct", pair, c(a, b),
          text_of("perhaps_one_construct", first = pair[1L], second = pair[2L],
                  across = format_share(across, 2L), within = format_share(within, 2L),
                  once = once))
    }
  }
  parameters <- length(unique(layout$map$parameter))     # of this group
  if (n < 5 * parameters && n < 200) {
    add("small sample", character(), character(),
        text_of("improper_common_in_small", rows = count_of(n, "row"),
                parameters = count_of(parameters, "free parameter")))
  }
  far <- outlying_rows(data, rows, covariance)
  if (length(far)) {
    findings <- c(findings,
                  list(list(kind = "outlier", construct = character(),
                            items = character(), rows = far,
                            text = text_of("far_from_all_others",
                                           far = if (length(far) == 1L) "row " else "rows ",
                                           far_2 = enumerate(far),
                                           far_3 = if (length(far) == 1L) " lies" else " lie"))))
  }
  findings
}

# A construct measured by all of another's items and by additional ones: the general one of a
# bifactor model.
general_over <- function(name, items_of) {
  own <- items_of[[name]]
  wider <-
    names(Filter(function(items) all(own %in% items) && length(items) > length(own), items_of))
  if (length(wider)) wider[1L]
}

# Correlations of items once their one common factor (iterated principal axis) is removed.
partial_correlations <- function(r, items) {
  r <- r[items, items]
  communality <- rep(0.5, length(items))
  for (i in 1:200) {
    reduced <- r
    diag(reduced) <- communality
    decomposed <- eigen(reduced, symmetric = TRUE)
    loading <- decomposed$vectors[, 1L] * sqrt(max(decomposed$values[1L], 0))
    new <- pmin(loading^2, 0.98)
    if (max(abs(new - communality)) < 1e-8) break
    communality <- new
  }
  out <- (r - tcrossprod(loading)) / sqrt(outer(1 - communality, 1 - communality))
  diag(out) <- 1
  out
}

construct_pairs <- function(names, items_of) {
  if (length(names) < 2L) return(list())
  pairs <- utils::combn(names, 2L, simplify = FALSE)
  Filter(function(pair) {
    a <- items_of[[pair[1L]]]
    b <- items_of[[pair[2L]]]
    length(a) > 1L && length(b) > 1L && !any(a %in% b)
  }, pairs)
}

# Rows of the original data whose squared distance (of their observed values from the mean) has a
# probability below .01 / n.
outlying_rows <- function(data, rows, covariance) {
  if (is.null(data) || nrow(data) <= ncol(data) + 1L) return(integer())
  mean <- colMeans(data, na.rm = TRUE)
  p <- rep(NA_real_, nrow(data))
  for (at in rows_by_pattern(data)) {
    v <- which(!is.na(data[at[1L], ]))
    own <- data[at, v, drop = FALSE]
    distance <- tryCatch(stats::mahalanobis(own, mean[v], covariance[v, v, drop = FALSE]),
                         error = function(e) NULL)
    if (is.null(distance)) return(integer())
    p[at] <- stats::pchisq(distance, length(v), lower.tail = FALSE, log.p = TRUE)
  }
  far <- which(p < log(0.01 / nrow(data)))
  far <- far[order(p[far])]
  unname(if (is.null(rows)) far else rows[far])
}

# The evidence for a fit, by group; `known`: row numbers in the given data.
all_evidence <- function(fit, known = NULL) {
  found <- lapply(unname(group_views(fit)), view_evidence, known = known)
  involved <- troubled_variables(fit)
  c(code_evidence(fit$sample$look), lapply(unlist(found, recursive = FALSE), function(f) {
    c(f, list(involved = any(c(f$construct, f$items) %in% involved)))
  }))
}

# Codes come first: all further findings are computed without the rows that contain them.
code_evidence <- function(look) {
  if (length(look$codes) == 0L) return(NULL)
  list(list(kind = "code", construct = character(), items = names(look$codes),
            text = paste(code_sentences(look), text_of("what_else_is_found")),
            involved = TRUE))
}

# The rows without any value that looks like a code for missing.
without_codes_rows <- function(data, codes) {
  odd <- lapply(names(codes), function(name) {
    if (name %in% colnames(data)) data[, name] %in% as.numeric(names(codes[[name]]))
  })
  !Reduce(`|`, Filter(length, odd), logical(nrow(data)))
}

view_evidence <- function(view, known) {
  fit <- view$fit
  block <- view$sample$blocks[[1L]]
  v <- view$layout$observed
  used <- view$sample$used
  data <- if (has_raw_data(fit$sample)) {
    group_data(fit$sample, view$number, v, fit$request$missing_codes, used = TRUE)
  }
  rows <- if (is.null(known)) used else known[used]
  covariance <- block$covariance[v, v, drop = FALSE]
  n <- block$n
  codes <- fit$sample$look$codes
  if (length(codes) && !is.null(data)) {
    keep <- without_codes_rows(data, codes) & stats::complete.cases(data)
    data <- data[keep, , drop = FALSE]
    rows <- rows[keep]
    n <- nrow(data)
    clean <- if (n > 2L) stats::cov(data)
    if (is.null(clean) || !isTRUE(all(diag(clean) > 0))) return(list())
    covariance <- clean
  }
  found <- find_evidence(view$layout, covariance, n, data, rows)
  lapply(found, function(f) {
    f$text <- paste0(group_lead(view$layout, view$group), f$text)
    f$group <- named_group(view$layout, view$group)
    f
  })
}

# Constructs with problems first; at most eight.
fit_evidence <- function(fit) {
  found <- all_evidence(fit)
  utils::head(found[order(!vapply(found, `[[`, NA, "involved"))], 8L)
}

# Variables in the improper parts and, for a fit that did not converge, in diverging parameters.
troubled_variables <- function(fit) {
  if (!has_values(fit)) return(character())
  layout <- fit$layout
  rows <- match(improper_parts(fit)$parameter, layout$rows$parameter)
  rows <- rows[!is.na(rows)]
  if (!has_converged(fit)) {
    running <- layout$rows$kind %in% arrow_kinds &
      abs(suppressWarnings(standardized_of(fit)$value)) > 2
    rows <- c(rows, which(running))
  }
  names <- stats::na.omit(unique(c(layout$rows$first[rows], layout$rows$second[rows])))
  first <- layout_of_group(layout, 1L)
  c(names, Filter(function(name) any(construct_items(first, name) %in% names), layout$constructs))
}
