#' Try the usual remedies for a model in trouble
#'
#' Takes a model that does not converge, is improper, or cannot even be fitted,
#' and tries what a careful analyst would, in this order: first mistakes in the
#' data (codes read as answers, constant or computed columns), then other scale
#' settings and starting values, then the data that cause the trouble (outlying
#' rows, near-duplicate items), bounds, and at last changes of the model that
#' the data ask for (a weak item or specific factor left out, two constructs made one).
#' Every attempt is shown. The model is never changed by itself: adopt what can
#' be defended.
#'
#' @param bp A [blueprint()].
#' @param data A data frame or [summary_data()].
#' @param by,levels,missing_codes,incomplete,auxiliary,inference,adjust,clusters,weights As in
#'   [fit_model()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_rescue`: a list with `attempts` (a data
#'   frame: `attempt`, `change`, `status`, `chisq`, `df`, `cfi`, `rmsea`,
#'   `trouble`), `fits` (by attempt, `NULL` where none could be made),
#'   `findings` (sentences: what the trouble was) and `worked` (attempts with a
#'   proper solution, the least intrusive first). `as.data.frame()` gives
#'   `attempts`.
#' @section Errors: as [fit_model()] for unknown names; data that cannot be
#'   analysed are part of the trouble and no error.
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
                   clusters = NULL, weights = NULL, ...) {
  check_arguments("rescue")
  check_blueprint(bp, "rescue")
  if (missing(data))
    abort("input", c(text_of("rescue_needs_data"), i = text_of("give_data_frame_or_summary")))
  request <- request_of(bp, data, "rescue")
  # bad input ends here: it is no trouble of the model
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
  if (now$proper) return(finish_rescue(bp, log, findings))

  # mistakes in the data are put right one after the other, each on top of the last
  for (repair in data_repairs(state)) {
    state <- repair$apply(state)
    findings <- c(findings, repair$finding)
    now <- attempt(repair$label, state)
  }
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
  finish_rescue(bp, log, c(findings, told))
}

# What the data ask for: each remedy alone, then the first on top of which to go on, while nothing
# has worked. Returns the findings.
try_remedies <- function(now, state, attempt) {
  findings <- character()
  told <- character()
  for (round in 1:5) {
    if (is.null(now$fit)) break
    evidence <- all_evidence(now$fit, attr(state$data, "orizzonte_rows"))
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
    proper <- vapply(made, `[[`, NA, "proper")
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

# `random`: so many random starts, all of them made.
fit_state <- function(state, random = NULL) {
  request <- change_request(state$request, list(blueprint = state$bp, missing_codes = state$codes))
  fit_request(request, sample_of(state$data, request), starts = random %||% NA,
              all_starts = !is.null(random))
}

# A fit, or the reason why there is none.
attempt_fit <- function(state, random = NULL) {
  fit <- tryCatch(suppressMessages(suppressWarnings(
    fit_state(state, random))), orizzonte_error = function(e) e)
  # a misspelt name is no trouble of the model
  if (inherits(fit, c("orizzonte_error_name", "orizzonte_error_input"))) stop(fit)
  if (inherits(fit, "condition")) {
    return(list(fit = NULL, proper = FALSE, status = "cannot be fitted",
                trouble = rlang::cnd_header(fit)))
  }
  state <- solution_state(fit)
  list(fit = fit, proper = state$status == "proper", status = state$status, trouble = state$trouble)
}

# Mistakes in the data, from the most certain on. Only of raw data.
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

# leave_out(), with the construct when it would be left without items.
drop_variables <- function(state, names) {
  empty <- names(Filter(function(part) all(part$items %in% names), state$bp$constructs))
  gone <- c(names, empty)
  state$bp <- suppressMessages(leave_out(state$bp, !!gone))
  note_change(state, "leave_out(", paste(address_name(gone), collapse = ", "), ")")
}

# Remedies for the findings, the least intrusive first. `removes`: takes away what the data show to
# be at fault, so that one may go on from there; `once`: tried only on the model as it stands.
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
  add(text_of("variances_items_not_negative"), FALSE,
      function(state) bound_variances(state, "items"),
      once = TRUE)
  if (length(state$bp$constructs))
    add(text_of("variances_constructs_not_negative"), FALSE,
        function(state) bound_variances(state, "constructs"), once = TRUE)
  for (remedy in construct_remedies(evidence)) out <- c(out, list(remedy))
  # groups may have the same trouble
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

# The second construct's items move to the first; what is said about the second falls away.
merge_constructs <- function(state, pair) {
  moved <- setdiff(state$bp$constructs[[pair[2L]]]$items, state$bp$constructs[[pair[1L]]]$items)
  state$bp <- suppressMessages(leave_out(state$bp, !!pair[2L]))
  state$bp$constructs[[pair[1L]]]$items <- c(state$bp$constructs[[pair[1L]]]$items, moved)
  note_change(state, pair[1L], " and ", pair[2L], " as one construct")
}

finish_rescue <- function(bp, log, findings) {
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
  attempts <- list_frame(list(
    attempt = labels,
    change = vapply(log, function(made) paste(made$state$changes, collapse = "; "), ""),
    status = vapply(log, `[[`, "", "status"), chisq = index("chisq"), df = index("df"),
    cfi = index("cfi"), rmsea = index("rmsea"), trouble = vapply(log, `[[`, "", "trouble")))
  structure(list(title = bp$title, attempts = attempts,
                 fits = stats::setNames(lapply(log, `[[`, "fit"), labels),
                 findings = unique(findings), worked = labels[vapply(log, `[[`, NA, "proper")]),
                 class = "orizzonte_rescue")
}

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
    CFI = format_fixed(table$cfi), RMSEA = format_fixed(table$rmsea),
    `trouble left` = table$trouble))
  put_lines(text_of("what_was_tried"),
            format_table(columns, c(TRUE, FALSE, FALSE, TRUE, TRUE, TRUE, TRUE, FALSE)))
  if (length(x$findings))
    put_lines("", text_of("what_the_trouble_was"),
              wrap_lines(paste0("- ", sub("[.]?$", ".", x$findings)), 2L, 4L))
  if (length(x$worked)) {
    put_lines("", text_of("what_worked"))
    for (label in x$worked) {
      put_lines(wrap_lines(paste0("- ", match(label, table$attempt), ". ",
                                  table$change[table$attempt == label]), 2L, 6L))
    }
    put_lines("", text_of("nothing_was_changed_itself"),
              next_step("adopt_rescue", attempt = quoted(x$worked[1L])))
  } else {
    put_lines("", text_of("nothing_worked_no_attempt"))
  }
  invisible(x)
}
