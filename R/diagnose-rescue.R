#' Try the usual remedies for a model in trouble
#'
#' Takes a model that does not converge, is improper or cannot be fitted at all, and tries the usual
#' remedies in this order: first mistakes in the data (codes read as answers, constant or computed
#' columns), then other scale settings and starting values, then the data that cause the trouble
#' (outlying rows, near-duplicate items), bounds, and at last changes of the model that the data ask
#' for (a weak item or specific factor left out, two constructs made one). Every attempt is shown.
#' The model itself is never changed: adopt a remedy only if you can defend it.
#'
#' @section Negative variances:
#' Each is first tested against zero: the rise of \eqn{\chi^2} when it is fixed at zero has, if the
#' variance is zero in the population, the one-sided p value \eqn{P(\chi^2_1 > \Delta)/2}
#' (Kolenikov & Bollen 2012). If it is not significant, the negative estimate may be sampling error.
#'
#' @section Recommended remedies:
#' A remedy has *worked* when its solution is proper (or at a bound) and, on the same data, does not
#' fit significantly worse than the model as written. For other rows or variables, which cannot be
#' compared, exact fit must not be rejected, or CFI and RMSEA must be acceptable by [criteria()].
#'
#' @param bp A [blueprint()].
#' @param data A data frame or [summary_data()].
#' @param by,levels,missing_codes,incomplete,auxiliary,inference As in [fit_model()].
#' @param adjust,clusters,weights,weight_scale As in [fit_model()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_rescue`: a list with `attempts` (a data
#'   frame: `attempt`, `change`, `status`, `chisq`, `df`, `p`, `cfi`, `rmsea`, `chisq_change`,
#'   `df_change` and `p_change` (against the model as written on the same data; one-sided for a
#'   negative variance at zero or at a bound), `trouble`), `fits` (by attempt, `NULL` where
#'   none could be made), `findings` (sentences on the causes of the trouble) and `worked` (the
#'   attempts that are recommended, the least intrusive first). `as.data.frame()` gives `attempts`.
#' @section Errors: as [fit_model()] for unknown names; data that cannot be
#'   analysed are part of the trouble and no error.
#' @references
#' Kolenikov, S., & Bollen, K. A. (2012). Testing negative error variances: Is a Heywood case a
#' symptom of misspecification? *Sociological Methods & Research, 41*(1), 124--167.
#' @seealso [identification()], [screen_data()], [start_at()].
#' @examples
#' bp <- blueprint("Troubled") |>
#'   construct("Warmth", reflected_in = wa1:wa4) |>
#'   construct("Calm", reflected_in = cl1:cl3) |>
#'   construct("Fun", reflected_in = fu1:fu3)
#' rescue(bp, choirs_troubled)
#' @export
rescue <- function(bp, data, by = NULL, levels = NULL, missing_codes = NULL,
                   incomplete = "keep", auxiliary = NULL, inference = NULL, adjust = "mean",
                   clusters = NULL, weights = NULL, weight_scale = "groups", ...) {
  check_arguments("rescue")
  check_blueprint(bp, "rescue")
  if (missing(data))
    abort("input", c(text_of("rescue_needs_data"), i = text_of("give_data_frame_or_summary")))
  request <- request_of(bp, data, "rescue")
  # bad input ends here: it is not a problem of the model
  tryCatch(sample_of(data, request), orizzonte_error_data = function(e) {
    if (!is.data.frame(data) && !is.matrix(data) && !is.list(data)) stop(e)
  })
  if (is.matrix(data) && is.numeric(data)) data <- as.data.frame(data)
  if (is.data.frame(data)) check_columns(data, blueprint_variables(bp)$observed)
  state <- list(bp = bp, data = data, codes = missing_codes, request = request,
                changes = character())
  log <- list()
  findings <- character()
  attempt <- function(label, state, random = NULL) {
    made <- attempt_fit(state, random)
    made$label <- label
    made$state <- state
    log <<- c(log, list(made))
    made
  }
  now <- attempt("as written", state)
  if (now$proper) return(finish_rescue(bp, log, findings, 1L))

  # errors in the data are corrected one after the other, each in addition to the previous
  # corrections
  for (repair in data_repairs(state)) {
    state <- repair$apply(state)
    findings <- c(findings, repair$finding)
    now <- attempt(repair$label, state)
  }
  base <- length(log)
  if (!now$proper && !is.null(now$fit)) {
    for (setting in setdiff(scale_settings, state$bp$scale)) {
      other <- state
      other$bp$scale <- setting
      other$changes <- c(other$changes, text_of("scale_setting", setting = quoted(setting)))
      attempt(paste("scale setting", setting), other)
    }
    attempt("60 random starts", note_change(state, "60 random starts"), random = 60L)
  }
  told <- try_remedies(now, state, attempt)
  finish_rescue(bp, log, c(findings, told), base)
}

# Remedies suggested by the data: each alone, then added to the first one, until a remedy works.
# Returns the findings.
try_remedies <- function(now, state, attempt) {
  findings <- character()
  told <- character()
  for (round in 1:5) {
    if (is.null(now$fit)) break
    evidence <- c(negative_variances(now$fit),
                  all_evidence(now$fit, attr(state$data, "orizzonte_rows")))
    key <- vapply(evidence, function(f) paste(c(f$kind, f$group, f$items), collapse = " "), "")
    findings <- c(findings, vapply(evidence[!key %in% told], `[[`, "", "text"))
    told <- c(told, key)
    if (now$proper) break
    remedies <- Filter(function(r) round == 1L || r$once == FALSE, model_remedies(evidence, state))
    made <- lapply(remedies,
                   function(remedy) {
                     attempt(paste(c(state$lead, remedy$label), collapse = ", "),
                             remedy$apply(state))
                   })
    # a variance moved to zero hides a fault and does not end the search for its cause
    hides <- vapply(made, function(m) isTRUE(m$state$at_zero), NA)
    proper <- vapply(made, `[[`, NA, "proper") & !hides
    removes <- vapply(remedies, `[[`, NA, "removes")
    if (any(proper)) {
      # look once more at the remaining faults after the first remedy that worked, for the findings
      now <- made[[which(proper)[1L]]]
      state <- now$state
      next
    }
    onward <- which(removes & !vapply(made, function(m) is.null(m$fit), NA))
    if (length(onward) == 0L) break
    now <- made[[onward[1L]]]
    state <- now$state
    state$lead <- c(state$lead, remedies[[onward[1L]]]$label)
  }
  findings
}

note_change <- function(state, ...) {
  state$changes <- c(state$changes, paste0(...))
  state
}

# `random`: the number of random starts, all of which are used.
fit_state <- function(state, random = NULL) {
  request <- change_request(state$request, list(blueprint = state$bp, missing_codes = state$codes))
  fit_request(request, sample_of(state$data, request), starts = random %||% NA,
              all_starts = !is.null(random))
}

# A fit, or the reason why there is none.
attempt_fit <- function(state, random = NULL) {
  fit <- tryCatch(suppressMessages(suppressWarnings(
    fit_state(state, random))), orizzonte_error = function(e) e)
  # a misspelt name is not a problem of the model
  if (inherits(fit, c("orizzonte_error_name", "orizzonte_error_input"))) stop(fit)
  if (inherits(fit, "condition")) {
    return(list(fit = NULL, proper = FALSE, status = "cannot be fitted",
                trouble = rlang::cnd_header(fit)))
  }
  state <- solution_state(fit)
  list(fit = fit, proper = state$status == "proper", status = state$status, trouble = state$trouble)
}

# Errors in the data, the most certain first. Only of raw data.
data_repairs <- function(state) {
  if (!is.data.frame(state$data)) return(list())
  variables <- intersect(blueprint_variables(state$bp)$observed, names(state$data))
  screen <- screen_columns(state$data, variables, state$bp, NULL, state$codes)
  out <- list()
  codes <- sort(unique(unlist(screen$codes)))
  if (length(codes)) {
    written <- if (length(codes) == 1L) format_exact(codes) else
      paste0("c(", paste(format_exact(codes), collapse = ", "), ")")
    out <- c(out, list(list(
      label = paste("codes", paste(format_exact(codes), collapse = ", "), "as missing"),
      finding = screen$advice$advice[screen$advice$kind == "code"],
      apply = function(state) {
        state$codes <- c(state$codes, codes)
        note_change(state, "missing_codes = ", written)
      })))
  }
  useless <-
    screen$advice[screen$advice$kind %in% c("constant", "empty", "identifier", "dependent"), ]
  for (i in seq_len(nrow(useless))) {
    local({
      name <- useless$columns[i]
      out <<- c(out,
                list(list(label = paste("without", name), finding = useless$advice[i],
                          apply = function(state) drop_variables(state, name))))
    })
  }
  out
}

# Negative variances, each tested against zero (Kolenikov & Bollen 2012): evidence like that of
# all_evidence().
negative_variances <- function(fit) {
  if (!has_converged(fit)) return(list())
  rows <- fit$layout$rows
  negative <- which(rows$kind == "variance" & is.na(rows$fixed) & values_of(fit) < 0)
  negative <- negative[!duplicated(rows$class[negative])]
  errors <- raw_errors(fit)
  Filter(Negate(is.null), lapply(utils::head(negative, 5L), function(k) {
    statement <- paste(rows$parameter[k], "== 0")
    at_zero <- tryCatch(refit_quietly(fit, list(blueprint = suppressMessages(
      add_restriction(fit$request$blueprint, statement))), errors = FALSE),
      orizzonte_error = function(e) NULL)
    if (is.null(at_zero) || !has_converged(at_zero)) return(NULL)
    test <- difference_test(at_zero, fit, adjusted = FALSE)
    p <- p_below_zero(test$chisq)
    list(kind = "negative variance", construct = character(), items = rows$parameter[k],
         statement = statement, involved = TRUE,
         text = text_of(if (isTRUE(p < 0.05)) "variance_below_zero" else "variance_may_be_zero",
                        parameter = rows$parameter[k], estimate = format_number(values_of(fit)[k]),
                        se = if (!is.na(errors[k])) paste0(" (SE ", format_number(errors[k]), ")"),
                        chisq = format_fixed(test$chisq, 2L), p = p_clause(p)))
  }))
}

# leave_out(), with the construct when it would be left without items.
drop_variables <- function(state, names) {
  empty <- names(Filter(function(part) all(part$items %in% names), state$bp$constructs))
  gone <- c(names, empty)
  state$bp <- suppressMessages(leave_out(state$bp, !!gone))
  note_change(state, "leave_out(", paste(address_name(gone), collapse = ", "), ")")
}

# Remedies for the findings, the least intrusive first. `removes`: removes the cause that the data
# show, so that the search may continue from there; `once`: tried only on the model as it stands.
model_remedies <- function(evidence, state) {
  out <- list()
  add <- function(label, removes, apply, once = FALSE) {
    out <<- c(out,
    list(list(label = label, removes = removes, apply = apply, once = once)))
  }
  of_kind <- function(kinds) Filter(function(f) f$kind %in% kinds, evidence)
  for (f in of_kind("outlier")) {
    rows <- f$rows
    written <- if (length(rows) > 1L) paste0("c(", paste(rows, collapse = ", "), ")") else rows
    add(paste("without", if (length(rows) == 1L) "row" else "rows", enumerate(rows, most = 4L)),
        TRUE, function(state) {
      known <- attr(state$data, "orizzonte_rows") %||% seq_len(nrow(state$data))
      state$data <- structure(state$data[!known %in% rows, , drop = FALSE],
                              orizzonte_rows = known[!known %in% rows])
      note_change(state, "data[-", written, ", ]")
    })
  }
  for (f in of_kind("duplicate")) {
    local({
      pair <- f$items
      add(paste("without", pair[2L]), TRUE, function(state) drop_variables(state, pair[2L]))
      add(paste(pair[1L], "and", pair[2L], "covary"), FALSE, function(state) {
        state$bp <- suppressMessages(covary(state$bp, !!pair))
        note_change(state, "covary(", paste(address_name(pair), collapse = ", "), ")")
      })
    })
  }
  for (f in of_kind("negative variance")) {
    local({
      statement <- f$statement
      add(text_of("variance_at_zero", parameter = f$items), FALSE, function(state) {
        state$bp <- suppressMessages(add_restriction(state$bp, statement))
        state$at_zero <- TRUE
        note_change(state, "restrict(", statement, ")")
      }, once = TRUE)
    })
  }
  add(text_of("variances_items_not_negative"), FALSE,
      function(state) bound_variances(state, "items"),
      once = TRUE)
  if (length(state$bp$constructs))
    add(text_of("variances_constructs_not_negative"), FALSE,
        function(state) bound_variances(state, "constructs"), once = TRUE)
  for (remedy in construct_remedies(evidence)) out <- c(out, list(remedy))
  # several groups may have the same problem
  out[!duplicated(vapply(out, `[[`, "", "label"))]
}

# Remedies for weak items and constructs.
construct_remedies <- function(evidence) {
  out <- list()
  add <- function(label, removes, apply) {
    out <<- c(out, list(list(label = label, removes = removes, apply = apply, once = FALSE)))
  }
  of_kind <- function(kinds) Filter(function(f) f$kind %in% kinds, evidence)
  for (f in of_kind("weak item")) {
    local({
      item <- f$items
      add(paste("without", item), TRUE, function(state) drop_variables(state, item))
    })
  }
  for (f in of_kind(c("weak specific factor", "weak construct"))) {
    local({
      name <- f$construct
      add(paste("without construct", name), TRUE, function(state) {
        state$bp <- suppressMessages(leave_out(state$bp, !!name))
        note_change(state, "leave_out(", address_name(name), ")")
      })
    })
  }
  for (f in of_kind(c("two items", "three items"))) {
    local({
      name <- f$construct
      add(paste("equal loadings of", name), FALSE, function(state) {
        own <- address_format("loading", name, state$bp$constructs[[name]]$items)
        statement <- paste(address_format_all("loading", name), "==", own[1L])
        state$bp <- suppressMessages(add_restriction(state$bp, statement))
        note_change(state, "restrict(", statement, ")")
      })
    })
  }
  for (f in of_kind("one construct")) {
    local({
      pair <- f$construct
      add(paste(pair[1L], "and", pair[2L], "as one"), FALSE,
          function(state) merge_constructs(state, pair))
    })
  }
  out
}

address_format_all <- function(kind, first) paste0(kind, "[", address_name(first), ", ]")

bound_variances <- function(state, what) {
  statement <- paste0("variance[", what, "] >= 0")
  known <- vapply(state$bp$restrict, format_restriction, "")
  if (!statement %in% known) state$bp <- suppressMessages(add_restriction(state$bp, statement))
  note_change(state, "restrict(", statement, ")")
}

# The second construct's items move to the first; statements about the second are removed.
merge_constructs <- function(state, pair) {
  moved <- setdiff(state$bp$constructs[[pair[2L]]]$items, state$bp$constructs[[pair[1L]]]$items)
  state$bp <- suppressMessages(leave_out(state$bp, !!pair[2L]))
  state$bp$constructs[[pair[1L]]]$items <- c(state$bp$constructs[[pair[1L]]]$items, moved)
  note_change(state, pair[1L], " and ", pair[2L], " as one construct")
}

# `base`: the number of the attempt with which the others are compared.
finish_rescue <- function(bp, log, findings, base) {
  labels <- make.unique(vapply(log, `[[`, "", "label"), sep = " ")
  tables <- lapply(log, function(made) {
    if (!is.null(made$fit) && has_values(made$fit))
    fit_indices(made$fit)
  })
  index <- function(name) {
    vapply(tables, function(table) {
    if (is.null(table)) NA_real_ else
    table$value[match(name, table$index)]
    }, 0)
  }
  changes <- lapply(log, change_of_fit, base = log[[base]])
  change <- function(name) vapply(changes, `[[`, 0, name)
  exact <- vapply(log, function(made) {
    if (is.null(made$fit) || !has_converged(made$fit)) NA_real_ else exact_test(made$fit)$p
  }, 0)
  attempts <- list_frame(list(
    attempt = labels,
    change = vapply(log, function(made) paste(made$state$changes, collapse = "; "), ""),
    status = vapply(log, `[[`, "", "status"), chisq = index("chisq"), df = index("df"), p = exact,
    cfi = index("cfi"), rmsea = index("rmsea"), chisq_change = change("chisq"),
    df_change = change("df"), p_change = change("p"),
    trouble = vapply(log, `[[`, "", "trouble")))
  k <- criteria()
  worked <- rule_remedy(attempts$status, exact, attempts$p_change,
                        rule_acceptable_fit(attempts$cfi, attempts$rmsea, k), k$significance)
  # a remedy that only moves a variance to zero or to a bound comes last
  hides <- attempts$status == "at bound" |
    vapply(log, function(made) isTRUE(made$state$at_zero), NA)
  # a model that is proper as written needs no test
  worked[1L] <- worked[1L] || log[[1L]]$proper
  structure(list(title = bp$title, attempts = attempts,
                 fits = stats::setNames(lapply(log, `[[`, "fit"), labels),
                 findings = unique(findings), worked = c(labels[worked & !hides],
                                                         labels[worked & hides])),
                 class = "orizzonte_rescue")
}

# How much worse a remedy fits the same data than the model as written: chisq, df, p; NA where the
# data differ. With a negative variance at zero or at a bound the p value is one-sided.
change_of_fit <- function(made, base) {
  none <- list(chisq = NA_real_, df = NA_real_, p = NA_real_)
  if (is.null(made$fit) || is.null(base$fit) || identical(made, base)) return(none)
  same <- identical(made$state$codes, base$state$codes) &&
    identical(attr(made$state$data, "orizzonte_rows"), attr(base$state$data, "orizzonte_rows")) &&
    setequal(sample_variables(made$fit$sample), sample_variables(base$fit$sample))
  if (!same || !has_converged(made$fit) || !has_converged(base$fit)) return(none)
  test <- change_test(made$fit, base$fit, adjusted = FALSE)
  p <- if (test$df < 0L || test$chisq < 1e-6) 1 else
    if (test$df == 0L || isTRUE(made$state$at_zero)) p_below_zero(test$chisq) else test$p
  list(chisq = test$chisq, df = as.numeric(test$df), p = p)
}

# The p value of the rise of chi-square when a negative variance is moved to zero.
p_below_zero <- function(chisq) stats::pchisq(max(chisq, 0), 1, lower.tail = FALSE) / 2

# The cases of the first attempt that could be fitted.
rescued_sample <- function(x) {
  fits <- Filter(Negate(is.null), x$fits)
  if (length(fits)) sample_header(fits[[1L]]$sample)
}

#' @export
as.data.frame.orizzonte_rescue <- function(x, ...) x$attempts

#' @export
print.orizzonte_rescue <- function(x, ...) {
  put_lines(heading(paste0("Rescue: ", x$title)))
  if (!is.null(rescued_sample(x))) put_lines(wrap_lines(paste0(rescued_sample(x), ".")), "")
  table <- x$attempts
  if (nrow(table) == 1L && length(x$worked)) {
    put_lines(text_of("model_converges_is_proper"), "",
              next_step("see_summary"))
    return(invisible(x))
  }
  columns <- titled(list(
    `#` = as.character(seq_len(nrow(table))), attempt = table$attempt, status = table$status,
    chisq = format_fixed(table$chisq, 2L), df = ifelse(is.na(table$df), "", format(table$df)),
    p = format_p(table$p), CFI = format_share(table$cfi, 3L),
    chisq_change = format_fixed(table$chisq_change, 2L), `p (change)` = format_p(table$p_change),
    `trouble left` = table$trouble))
  put_lines(text_of("what_was_tried"),
            format_table(columns, c(TRUE, FALSE, FALSE, rep(TRUE, 6L), FALSE)), "",
            wrap_lines(text_of("change_against_written")))
  if (length(x$findings))
    put_lines("", text_of("what_the_trouble_was"),
              wrap_lines(paste0("- ", sub("[.]?$", ".", x$findings)), 2L, 4L))
  sentences <- function(labels) {
    for (label in labels) {
      put_lines(wrap_lines(paste0("- ", match(label, table$attempt), ". ",
                                  table$change[table$attempt == label]), 2L, 6L))
    }
  }
  if (length(x$worked)) {
    put_lines("", text_of("what_worked"))
    sentences(x$worked)
  }
  rejected <- setdiff(table$attempt[table$status %in% c("proper", "at bound")], x$worked)
  if (length(rejected)) {
    put_lines("", text_of("proper_but_rejected"))
    sentences(rejected)
  }
  if (length(x$worked)) {
    put_lines("", text_of("nothing_was_changed_itself"),
              next_step("adopt_rescue", attempt = quoted(x$worked[1L])))
  } else {
    put_lines("", wrap_lines(text_of("nothing_worked_no_attempt")))
  }
  invisible(x)
}
