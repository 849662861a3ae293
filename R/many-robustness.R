#' Does a conclusion rest on one choice?
#'
#' Refits the model under every defensible choice and judges the claims again: each amendment of the
#' trail taken back (and, of up to four, all combinations), each item left out, normal and robust
#' inference, incomplete cases kept and dropped, with and without each control variable.
#'
#' @param fit A fit from [fit_model()] whose blueprint has claims.
#' @param claims Names of claims, or claims as text by name, such as
#'   `c(H1 = "effect[Calm, Staying] > 0")`; those of the blueprint when `NULL`.
#' @param choices Which kinds of choices: `"amendments"`, `"items"`, `"inference"`, `"rows"`,
#'   `"controls"`.
#' @param criteria The level of the tests and the smallest value that matters, from [criteria()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_robustness`, one row per analysis and claim: `analysis`,
#'   `kind`, `claim`, `estimate`, `se`, `p`, `lower`, `upper`, `standardized`, `verdict`, `same` (as
#'   in the fit itself), `chisq`, `df`, `cfi`, `rmsea`, `status`. The first rows are the fit itself.
#' @section Errors: `orizzonte_error_input` without claims.
#' @references Simonsohn, U., Simmons, J. P., & Nelson, L. D. (2020). Specification curve analysis.
#'   *Nature Human Behaviour, 4*(11), 1208-1214.
#' @seealso [claim()], [verdicts()], [influence.orizzonte_fit()].
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + years) |>
#'   claim(H1 = effect[Belonging, Staying] > 0)
#' robustness(fit_model(bp, choirs), choices = c("items", "controls"))
#' @export
robustness <- function(fit, claims = NULL,
                       choices = c("amendments", "items", "inference", "rows", "controls"),
                       criteria = NULL, ...) {
  check_arguments("robustness")
  check_fit(fit, "robustness")
  check_converged(fit, "robustness")
  criteria <- check_criteria(criteria)
  known <- c("amendments", "items", "inference", "rows", "controls")
  check_words(choices, "`choices`", "c(\"items\", \"controls\")")
  for (choice in choices) choose_one(choice, known, "`choices`")
  fit <- with_claims(fit, claims)
  analyses <- c(list(list(name = "as fitted", kind = "itself", changes = list())),
                unlist(lapply(known[known %in% choices], function(choice) {
                  defensible(fit, choice)
                }), recursive = FALSE))
  parts <- map_with_progress(analyses, function(analysis) judge_analysis(fit, analysis, criteria),
                     text_of("head_analyses"))
  out <- bind_frames(parts)
  itself <- out[out$kind == "itself", ]
  out$same <- out$verdict == itself$verdict[match(out$claim, itself$claim)]
  structure(out, class = c("orizzonte_robustness", "data.frame"),
            title = fit$request$blueprint$title, analyses = length(analyses))
}

# Hypotheses chosen by name, or stated in the call.
with_claims <- function(fit, claims) {
  bp <- fit$request$blueprint
  if (!is.null(claims)) {
    check_words(claims, "`claims`", "c(H1 = \"effect[Calm, Staying] > 0\")")
    if (is.null(names(claims))) {
      unknown <- setdiff(claims, names(bp$claims))
      if (length(unknown))
        abort("name", c(text_of("there_is_no_claim", unknown = quoted(unknown[1L])),
                        did_you_mean(unknown[1L], names(bp$claims)),
                        i = text_of("state_name_claims_c")))
      bp$claims <- bp$claims[claims]
    } else {
      bp$claims <- list()
      for (name in names(claims)) bp <- add_claim(bp, name, claims[[name]])
    }
  }
  if (length(bp$claims) == 0L)
    abort("input", c(text_of("there_are_no_claims"),
                     i = text_of("state_some_claim_blueprint")))
  with_blueprint(fit, bp)
}

# Other defensible analyses: lists of `name`, `kind` and `changes` of the request.
defensible <- function(fit, choice) {
  bp <- fit$request$blueprint
  switch(choice,
         amendments = without_amendments(bp),
         items = without_items(fit, bp),
         inference = other_inference(fit),
         rows = other_rows(fit),
         controls = without_controls(fit, bp))
}

most_combined <- 4L

# Each revision of the trail undone; if they are few, all combinations. Revisions that left items
# out are kept.
without_amendments <- function(bp) {
  revisions <- which(lengths(bp$trail$revisions$changes) > 0L)
  count <- length(revisions)
  if (count == 0L) return(list())
  sets <- if (count > most_combined) as.list(revisions) else
    unlist(lapply(seq_len(count), function(k) {
      utils::combn(count, k, function(at) revisions[at], simplify = FALSE)
    }), recursive = FALSE)
  made <- lapply(sets, function(set) {
    changes <- unlist(bp$trail$revisions$changes[set], recursive = FALSE)
    reduced <- Reduce(taken_back, changes, bp)
    if (is.null(reduced)) return(NULL)
    list(name = paste("not:", change_sentence(changes)), kind = "amendments",
         changes = list(blueprint = reduced))
  })
  Filter(Negate(is.null), made)
}

# A blueprint as if one change had not been made; NULL when there is no such blueprint.
taken_back <- function(bp, change) {
  if (is.null(bp)) return(NULL)
  if (change$what == "fix") {
    keep <- vapply(bp$restrict, format_restriction, "") != change$address
    bp$restrict <- bp$restrict[keep]
    return(if (all(keep)) NULL else bp)
  }
  if (change$what != "free" || !grepl("[", change$address, fixed = TRUE)) return(NULL)
  if (change$address %in% bp$let_differ) {
    bp$let_differ <- setdiff(bp$let_differ, change$address)
    return(bp)
  }
  if (grepl("[=<>]=", change$address)) return(NULL)
  before <- if (is.na(change$from)) 0 else change$from
  suppressMessages(add_restriction(bp, call("==", str2lang(change$address), before)))
}

without_items <- function(fit, bp) {
  items <- unlist(lapply(names(bp$constructs), function(name) {
    x <- bp$constructs[[name]]
    own <- x$items[x$items %in% fit$layout$observed]
    if (x$kind == "composite" || length(own) < 3L) character() else own
  }))
  claimed <- unlist(lapply(bp$claims, claim_addresses))
  touched <- vapply(items, function(item) any(mentions(claimed, item)), NA)
  lapply(items[!touched], function(item) {
    list(name = paste("without item", item), kind = "items",
         changes = list(blueprint = function() suppressMessages(leave_out(bp, !!item))))
  })
}

other_inference <- function(fit) {
  if (!is.null(fit$request$clusters) || !is.null(fit$request$weights) ||
      !has_raw_data(fit$sample)) return(list())
  other <- if (is_robust(fit$request)) "normal" else "robust"
  changes <- list(inference = other)
  if (other == "normal") changes$adjust <- "mean"
  list(list(name = paste(other, "inference"), kind = "inference", changes = changes))
}

other_rows <- function(fit) {
  keeps <- fit$request$incomplete == "keep"
  incomplete <- if (keeps) is_incomplete(fit$sample) else
    rows_of_groups(fit$sample) > sample_n(fit$sample)
  if (!incomplete || !is.null(fit$joint)) return(list())
  list(list(name = paste("incomplete cases", if (keeps) "dropped" else "kept"), kind = "rows",
            changes = list(incomplete = if (keeps) "drop" else "keep")))
}

# Observed predictors that no hypothesis refers to.
without_controls <- function(fit, bp) {
  claimed <- unlist(lapply(bp$claims, claim_addresses))
  controls <- intersect(unique(bp$effects$from), fit$layout$observed)
  controls <- setdiff(controls, c(bp$effects$to, unlist(lapply(bp$constructs, `[[`, "items"))))
  controls <- controls[!vapply(controls, function(x) any(mentions(claimed, x)), NA)]
  sets <- c(as.list(controls), if (length(controls) > 1L) list(controls))
  lapply(sets, function(set) {
    list(name = paste("without", enumerate(set)), kind = "controls",
         changes = list(blueprint = function() suppressMessages(leave_out(bp, !!set))))
  })
}

mentions <- function(addresses, name) {
  vapply(addresses, function(text) {
    address <- parse_address(text)
    name %in% c(address$first, address$second)
  }, NA)
}

judge_analysis <- function(fit, analysis, criteria) {
  none <- list(claim = names(fit$request$blueprint$claims))
  make <- function(x) if (is.function(x)) tryCatch(x(), error = identity) else x
  changes <- lapply(analysis$changes, make)
  failed <- Filter(function(x) inherits(x, "error"), changes)
  found <- if (length(failed)) failed[[1L]] else if (length(changes) == 0L) fit else
    tryCatch(suppressWarnings(suppressMessages(refit_quietly(fit, changes))), error = identity)
  if (inherits(found, "error") || !has_converged(found)) {
    status <- if (inherits(found, "orizzonte_error_identification")) "not identified" else
      if (inherits(found, "error")) first_line(conditionMessage(found)) else fit_status(found)
    size <- length(none$claim)
    empty <- rep(NA_real_, size)
    return(analysis_rows(analysis, none$claim, empty, empty, empty, empty, empty, empty,
                         rep("not_analysed", size), empty[1L], empty[1L], empty[1L], empty[1L],
                         status))
  }
  judged <- verdicts(found, criteria)
  index <- indices_of(found)
  analysis_rows(analysis, judged$claim, judged$estimate, judged$se, judged$p, judged$lower,
                judged$upper, judged$standardized, judged$verdict, index[["chisq"]], index[["df"]],
                index[["cfi"]], index[["rmsea"]], solution_state(found)$status)
}

first_line <- function(x) sub("\n.*", "", x)

analysis_rows <- function(analysis, claim, estimate, se, p, lower, upper, standardized, verdict,
                          chisq, df, cfi, rmsea, status) {
  size <- length(claim)
  all <- function(x) rep(unname(x), size)
  list_frame(list(analysis = all(analysis$name), kind = all(analysis$kind), claim = claim,
                  estimate = estimate, se = se, p = p, lower = lower, upper = upper,
                  standardized = standardized, verdict = verdict, same = rep(NA, size),
                  chisq = all(chisq), df = all(df), cfi = all(cfi), rmsea = all(rmsea),
                  status = all(status)))
}

#' @export
print.orizzonte_robustness <- function(x, ...) {
  needed <- c("analysis", "kind", "claim", "estimate", "verdict", "same", "status")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  put_lines(format_robustness(x))
  invisible(x)
}

format_robustness <- function(x) {
  c(heading(text_of("head_robustness")),
    wrap_lines(text_of("one_might_defend_first",
                       analysis = count_of(attr(x, "analyses") %||% length(unique(x$analysis)),
                                           "analysis", "analyses"))),
    unlist(lapply(unique(x$claim), function(name) claim_lines(x[x$claim %in% name, ])),
           use.names = FALSE), "",
    next_step("plot_robustness"))
}

# The results of one hypothesis: a sentence, then one line per analysis.
claim_lines <- function(x) {
  verdict <- words_of("claim", x$verdict)
  verdict <- ifelse(x$verdict == "not_analysed", paste0(verdict, ": ", x$status),
                    ifelse(x$status == "proper", verdict, paste0(verdict, " (", x$status, ")")))
  c("", claim_reading(x), "",
    format_table(list(analysis = x$analysis, estimate = format_number(x$estimate),
                      se = format_number(x$se), p = format_p(x$p),
                      standardized = format_share(x$standardized, 2L), verdict = verdict),
                 c(FALSE, rep(TRUE, 4L), FALSE), spare = c("se", "standardized")))
}

claim_reading <- function(x) {
  itself <- x[x$kind == "itself", ]
  others <- x[x$kind != "itself" & x$verdict != "not_analysed", ]
  differs <- others[!others$same, ]
  known <- x$standardized[!is.na(x$standardized)]
  ends <- if (nrow(others) && length(known))
    text_of("standardized_to", ends = format_share(min(known), 2L),
            ends_2 = format_share(max(known), 2L))
  wrap_lines(text_of(if (nrow(others)) "verdict_in_others" else "verdict_alone",
                     claim = itself$claim, verdict = words_of("claim_was", itself$verdict),
                     differs = nrow(others) - nrow(differs),
                     others = count_of(nrow(others), "other analysis", "other analyses"),
                     differs_2 = if (nrow(differs)) text_of("it_rests_on",
                         verdict = enumerate(paste0(differs$analysis, " (",
                                                 words_of("claim", differs$verdict), ")"),
                                             most = 4L)), ends = ends))
}

# --- influence of cases --------------------------------------------------------------------------

#' Influence of single cases
#'
#' How much each case (or cluster) changes \eqn{\chi^2} and the parameters: one-step approximations
#' for all cases, and refits without the case for the most influential ones.
#'
#' @param model A fit from [fit_model()], from data case by case.
#' @param top For how many of the most influential cases the model is refitted without the case.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_influence`, one row per case (cluster), the most
#'   influential first: `row` (of the data; where there are clusters, `cluster`,
#'   within each group), `group`, `distance`
#'   (squared distance of the parameters with and without it, in units of their information: a
#'   generalised Cook's distance), `chisq_change` (of \eqn{\chi^2} when it is left out, one step),
#'   `largest` (the parameter that it moves most), `largest_change` (in its standard errors), and
#'   `actual_chisq_change`, `actual_change` from refits. Attribute `changes` holds the changes
#'   of all parameters, one row per case.
#' @section How: without case i parameters move by \eqn{-H^{-1} s_i}, H the observed information and
#'   \eqn{s_i} its score; \eqn{\chi^2} falls by \eqn{2(\ell_{sat,i} - \ell_i) - [s_{\beta,i}' A^{-1}
#'   s_{\beta,i} - s_i' H^{-1} s_i]}, A the information of the saturated moments (Cook 1986; Pek &
#'   MacCallum 2011).
#' @section Errors: `orizzonte_error_data` for a fit of summary data, `orizzonte_error_convergence`
#'   for one that did not converge.
#' @references Cook, R. D. (1986). Assessment of local influence. *Journal of the Royal Statistical
#'   Society: Series B, 48*(2), 133-155.
#'
#'   Pek, J., & MacCallum, R. C. (2011). Sensitivity analysis in structural equation models: Cases
#'   and their influence. *Multivariate Behavioral Research, 46*(2), 202-228.
#' @seealso [refit()] with `omit_rows =`, [screen_data()], [robustness()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' influence(fit_model(bp, choirs))
#' @importFrom stats influence
#' @export
influence.orizzonte_fit <- function(model, top = 5, ...) {
  check_arguments("influence")
  check_fit(model, "influence")
  check_converged(model, "influence")
  check_count(top, "`top`", 0, 1e4)
  if (!has_raw_data(model$sample))
    abort("data", c(text_of("influence_looks_single_cases"),
                    i = text_of("fit_data_themselves")))
  found <- one_step_changes(model)
  order <- order(-found$distance)
  table <- list_frame(found[setdiff(names(found), "changes")])[order, ]
  rownames(table) <- NULL
  table <- cbind(table, real_changes(model, found, order, top, table))
  with_status(structure(table, class = c("orizzonte_influence", "data.frame"),
                        changes = found$changes[order, , drop = FALSE],
                        parameters = ncol(found$changes), df = test_of(model)$df,
                        title = model$request$blueprint$title), model)
}

# The one-step effect of deleting each case or cluster.
one_step_changes <- function(fit) {
  whole <- joint_fit(fit)
  model <- full_model(whole$layout)
  theta <- if (whole$layout$profiled) unname(theta_of(whole)) else core_theta(whole)
  at <- core_evaluate(model, core_moments(whole), theta)
  inverse <- free_inverse(whole, at$observed)
  cases <- core_cases(whole)
  scores <- core_case_scores(model, core_moments(whole), theta, cases)
  parts <- lapply(seq_along(cases), function(g) {
    one_group_changes(whole, g, cases[[g]], scores[[g]], inverse)
  })
  changes <- do.call(rbind, lapply(parts, `[[`, "changes"))
  used <- if (whole$layout$profiled) seq_along(whole$layout$parameters) else
    whole$layout$model$used
  colnames(changes) <- whole$layout$parameters[used]
  own <- setdiff(intersect(colnames(changes), fit$layout$parameters), pinned_parameters(fit))
  se <- sqrt(diag(inverse))[match(own, colnames(changes))]
  scaled <- sweep(changes[, own, drop = FALSE], 2L, se, "/")
  largest <- max.col(abs(scaled), "first")
  join <- function(name) unlist(lapply(parts, `[[`, name))
  unit <- if (is.null(cases[[1L]]$cluster)) "row" else "cluster"
  out <- list(join("unit"), join("group"), join("distance"), join("chisq_change"), own[largest],
              scaled[cbind(seq_along(largest), largest)])
  names(out) <- c(unit, "group", "distance", "chisq_change", "largest", "largest_change")
  c(out, list(changes = changes[, own, drop = FALSE]))
}

# The inverse along which parameters may move: equations and active bounds are kept.
free_inverse <- function(fit, information) {
  layout <- fit$layout
  pressed <- layout$constraints[is_active(fit) %in% TRUE]
  if (length(pressed) == 0L) return(solve_symmetric(information, diag(nrow(information))))
  used <- if (layout$profiled) seq_along(layout$parameters) else layout$model$used
  slopes <- vapply(pressed, function(constraint) {
    constraint_gradient(constraint, values_of(fit), layout)[used]
  }, numeric(length(used)))
  parts <- qr(slopes)
  along <- qr.Q(parts, complete = TRUE)[, -seq_len(parts$rank), drop = FALSE]
  along %*% solve_symmetric(crossprod(along, information %*% along), t(along))
}

one_group_changes <- function(fit, g, cases, scores, inverse) {
  group <- fit$sample$groups[[g]]
  cases$cluster <- group$cluster
  weight <- cases$weight %||% rep(1, nrow(cases$values))
  fall <- case_falls(fit, g, cases$values)
  unit <- cases$cluster %||% seq_len(nrow(cases$values))
  sum_up <- function(x) rowsum(as.matrix(x), unit, reorder = TRUE)
  s <- sum_up(weight * scores)
  changes <- -s %*% inverse
  quadratic <- rowSums(-changes * s)
  chisq <- saturated_quadratic(fit, g, cases, unit, weight) - quadratic -
    drop(sum_up(weight * fall$likelihood))
  n <- length(unique(unit))
  list(unit = if (is.null(cases$cluster)) group$used else unique_clusters(fit, g),
       group = shown_group(fit$layout, rep(fit$layout$groups[g], n)), distance = quadratic,
       chisq_change = unname(chisq), changes = unname(changes))
}

# Names of the clusters in the order of their numbers.
unique_clusters <- function(fit, g) {
  rows <- fit$sample$groups[[g]]$used
  unique(as.character(fit$sample$data$frame[[fit$request$clusters]][rows]))
}

# 2 (l_sat,i - l_i) of each case, by missing pattern.
case_falls <- function(fit, g, values) {
  p <- seq_len(ncol(values))
  matrices <- matrices_of(fit)[[g]]
  moments <- fit$moments[[g]]
  mean <- if (fit$layout$means) matrices$mean[p] else moments$mean
  out <- numeric(nrow(values))
  for (rows in rows_by_pattern(values)) {
    seen <- which(!is.na(values[rows[1L], ]))
    if (length(seen) == 0L) next
    of <- function(s, m) {
      s <- s[seen, seen, drop = FALSE]
      off <- values[rows, seen, drop = FALSE] - rep(m[seen], each = length(rows))
      log_determinant(s) + rowSums(off * t(solve_in_units(s, t(off))))
    }
    out[rows] <- of(matrices$covariance[p, p, drop = FALSE], mean) -
      of(moments$covariance, moments$mean)
  }
  list(likelihood = out)
}

# s' A^-1 s of the saturated model, closed where data are complete.
saturated_quadratic <- function(fit, g, cases, unit, weight) {
  moments <- fit$moments[[g]]
  x <- cases$values
  p <- ncol(x)
  off <- x - rep(moments$mean, each = nrow(x))
  if (is.null(moments$patterns) && is.null(cases$cluster)) {
    d <- rowSums(off * t(solve_in_units(moments$covariance, t(off))))
    return(weight^2 * (d + (d^2 - 2 * d + p) / 2) / moments$n)
  }
  model <- saturated_core(p)
  theta <- c(moments$covariance[lower.tri(moments$covariance, diag = TRUE)], moments$mean)
  own <- list(moments[c("n", "covariance", "mean", if (!is.null(moments$patterns)) "patterns")])
  s <- rowsum(weight * core_case_scores(model, own, theta, list(cases[c("values")]))[[1L]], unit,
              reorder = TRUE)
  at <- core_evaluate(model, own, theta)
  rowSums(s * t(solve_symmetric(at$observed, t(s))))
}

# Every covariance and mean of p variables free, as the core reads a model.
saturated_core <- function(p) {
  pairs <- which(lower.tri(diag(p), diag = TRUE), arr.ind = TRUE)
  entries <- nrow(pairs) + p
  list(observed = p, variables = p, places = 1L, ranks = seq_len(p),
       family = rep(c(1L, 2L), c(nrow(pairs), p)), group = rep(1L, entries),
       row = c(pairs[, 1L], seq_len(p)), col = c(pairs[, 2L], seq_len(p)), means = TRUE,
       parameters = entries, constant = numeric(entries), rows = seq_len(entries),
       map_entry = seq_len(entries), map_parameter = seq_len(entries),
       map_weight = rep(1, entries), used = seq_len(entries), constraints = list(),
       scales = list())
}

# Refits without the most influential cases.
real_changes <- function(fit, found, order, top, table) {
  out <- list_frame(list(actual_chisq_change = rep(NA_real_, nrow(table)),
                         actual_change = rep(NA_real_, nrow(table))))
  leaders <- order[seq_len(min(top, length(order)))]
  if (length(leaders) == 0L) return(out)
  whole <- joint_fit(fit)
  source <- case_source(fit)
  ends <- 0L
  parts <- Map(function(cases, group) {
    unit <- group$cluster %||% seq_len(nrow(cases$values))
    part <- match(ends + unit, leaders, 0L)
    ends <<- ends + max(unit)
    part
  }, source$cases, unname(whole$sample$groups))
  source$parts <- parts
  refits <- refit_chunk(new_refit_job(fit, source, 1L, list(stats::coef), fit$layout$parameters),
                        1L, length(leaders))
  good <- refits$status == 0L
  at <- seq_along(leaders)
  out$actual_chisq_change[at] <- ifelse(good, refits$chisq - test_of(whole)$chisq_normal, NA)
  moved <- refits$values[cbind(at, match(table$largest[at], colnames(refits$values)))]
  se <- sqrt(diag(vcov_of(fit)))[table$largest[at]]
  out$actual_change[at] <- ifelse(good, (moved - theta_of(fit)[table$largest[at]]) / se, NA)
  out
}

#' @export
print.orizzonte_influence <- function(x, ...) {
  needed <- c("distance", "chisq_change", "largest", "largest_change", "actual_chisq_change")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  put_lines(format_influence(x))
  invisible(x)
}

shown_cases <- 10L

format_influence <- function(x) {
  top <- x[seq_len(min(shown_cases, nrow(x))), ]
  unit <- names(x)[1L]
  columns <- list(as.character(top[[unit]]), if (!all(is.na(top$group))) top$group,
                  format_fixed(top$distance), format_fixed(top$chisq_change, 2L),
                  format_fixed(top$actual_chisq_change, 2L), top$largest,
                  format_fixed(top$largest_change, 2L), format_fixed(top$actual_change, 2L))
  names(columns) <- c(unit, "group", "distance", "\u0394\u03c7\u00b2 if deleted", "refitted",
                      "most affected", "change (SE)", "change, refitted")
  columns <- Filter(Negate(is.null), columns)
  left <- !names(columns) %in% c(unit, "group", "most affected")
  c(heading_with_status(text_of("head_influence"), x),
    wrap_lines(text_of("whose_absence_would_move", top = nrow(top),
                       unit = count_of(nrow(x), if (unit == "row") "case" else "cluster"),
                       influence_words = influence_words(x))), "",
    format_table(columns, left, spare = c("change, refitted", "refitted")), "",
    next_step("refit_without_rows"))
}

# Whether any of them is large: a change of half a standard error in a parameter deserves attention.
worth_a_look <- 0.5

influence_words <- function(x) {
  moved <- sum(abs(x$largest_change) >= worth_a_look, na.rm = TRUE)
  if (moved == 0L) return(text_of("none_moves_any_parameter"))
  text_of("parameter_half_standard_error", moved = count_of(moved, "of them moves", "of them move"))
}
