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
