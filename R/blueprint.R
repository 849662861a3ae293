#' Start a blueprint
#'
#' A blueprint is a model written down: constructs and their items, effects,
#' what covaries, what is fixed or equal. It is a plain value built by small
#' verbs, each of which returns a new blueprint; nothing is estimated while it
#' is built. The verbs are [construct()], [effect()], [covary()],
#' [uncorrelate()], [restrict()], [relax()], [start_at()], [quantity()],
#' [claim()], [leave_out()] and [wording()].
#'
#' @section What is assumed without being asked for:
#' Residual variances of everything that something points at; covariances among
#' all exogenous constructs and observed predictors; free intercepts when means
#' are known; and the scale of each construct. `print()` and `summary()` list
#' all of it. Covariances among disturbances of outcomes are *not* assumed.
#'
#' @param title A short title, used in reports.
#' @param scale How constructs get their unit: `"marker"` (the first loading is
#'   1), `"unit"` (the variance, or disturbance variance, is 1) or `"average"`
#'   (the loadings average 1). [construct()] can override it.
#' @return A blueprint, an object of class `orizzonte_blueprint`.
#' @examples
#' blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = c(sc1, sc2, sc3, sc4))
#' @export
blueprint <- function(title = "Untitled", scale = "marker") {
  check_string(title, "`title`")
  scale <- choose_one(scale, scale_settings, "`scale`")
  structure(list(
    title = title, scale = scale, constructs = list(),
    effects = list(from = character(), to = character()),
    covary = list(first = character(), second = character()),
    uncorrelate = list(first = character(), second = character()),
    restrict = list(), relax = character(), start_at = numeric(), quantities = character(), claims = character(),
    wording = character(), left_out = list(), trail = list()
  ), class = "orizzonte_blueprint")
}

scale_settings <- c("marker", "unit", "average")
scale_words <- c(marker = "one loading of each construct is 1", unit = "construct (or disturbance) variances are 1",
                 average = "the loadings of each construct average 1")

# Constructs, and everything else that is named: observed variables, in the order of first mention.
blueprint_variables <- function(bp) {
  constructs <- names(bp$constructs)
  indicators <- unlist(lapply(bp$constructs, `[[`, "items"), use.names = FALSE)
  # effects are stored cause first; a reader of Staying ~ years meets both, the cause is listed first
  paths <- c(rbind(bp$effects$from, bp$effects$to))
  pairs <- c(rbind(bp$covary$first, bp$covary$second))
  list(constructs = constructs, observed = setdiff(c(indicators, paths, pairs), constructs))
}

# Names met as bare symbols that are also text variables of the caller: all_of() was probably meant.
add_hints <- function(bp, hints) {
  if (length(hints)) attr(bp, "hints") <- unique(c(attr(bp, "hints"), hints))
  bp
}

composite_items <- function(bp, name) if (identical(bp$constructs[[name]]$kind, "composite")) bp$constructs[[name]]$items

pair_key <- function(first, second) {
  if (length(first) == 0L) return(character())     # paste0() would make one key out of nothing
  known <- sort(unique(c(first, second)), method = "radix")       # comparing texts one by one is slow
  low <- match(first, known)
  high <- match(second, known)
  paste0(known[pmin(low, high)], "\r", known[pmax(low, high)])
}

#' @export
print.orizzonte_blueprint <- function(x, ...) {
  cat(format_blueprint(x), sep = "\n")
  invisible(x)
}

format_blueprint <- function(bp) {
  width <- max(nchar(names(bp$constructs)), 0L)
  lines <- c(heading(paste0("Blueprint: ", bp$title)),
             paste0("Scale: ", bp$scale, " (", scale_words[[bp$scale]], ")"))
  if (length(bp$constructs) == 0L && length(bp$effects$from) == 0L) {
    return(c(lines, "", "Empty so far. Add construct(\"Name\", reflected_in = item1:item4) or effect(outcome ~ cause)."))
  }
  if (length(bp$constructs)) {
    described <- vapply(names(bp$constructs), function(name) {
      construct <- bp$constructs[[name]]
      items <- address_name(construct$items)
      fixed <- construct$items %in% names(construct$fixed)
      items[fixed] <- paste0(items[fixed], " (", format_number(construct$fixed[construct$items[fixed]]), ")")
      paste0(formatC(name, width = -width), if (construct$kind == "composite") "  composed of " else "  reflected in ", paste(items, collapse = ", "),
             if (!is.null(construct$scale)) paste0("  [scale: ", construct$scale, "]"))
    }, "")
    lines <- c(lines, "", "Constructs", wrap_lines(described, indent = 2L, hang = width + 4L))
  }
  if (length(bp$effects$from)) {
    outcomes <- unique(bp$effects$to)
    text <- vapply(outcomes, function(o) paste0(o, " ~ ", paste(bp$effects$from[bp$effects$to == o], collapse = " + ")), "")
    lines <- c(lines, "", "Effects", wrap_lines(text, indent = 2L, hang = 4L))
  }
  stated <- c(
    if (length(bp$covary$first)) address_format("covariance", bp$covary$first, bp$covary$second),
    if (length(bp$uncorrelate$first)) paste(address_format("covariance", bp$uncorrelate$first, bp$uncorrelate$second), "== 0"),
    vapply(bp$restrict, format_restriction, ""),
    if (length(bp$relax)) paste("free:", bp$relax),
    if (length(bp$start_at)) paste("start:", names(bp$start_at), "at", format_exact(bp$start_at)),
    if (length(bp$quantities)) paste0(address_format("quantity", names(bp$quantities)), " = ", bp$quantities),
    unlist(lapply(names(bp$left_out), function(g) paste0("left out in group ", g, ": ", enumerate(bp$left_out[[g]])))),
    if (length(bp$claims)) paste0("claim ", names(bp$claims), ": ", bp$claims),
    if (length(bp$trail)) paste0("trail: ", count_of(length(bp$trail$revisions$revision) - 1L, "revision"), "; see trail(blueprint)")
  )
  if (length(stated)) lines <- c(lines, "", "Stated besides", paste0("  ", stated))
  table <- build_layout(bp, means = mentions_means(bp))
  c(lines, "", format_assumptions(table, bp), "", format_counts(table), "",
    "Next: fit_model(blueprint, data)")
}

# Restrictions on intercepts or means need a mean structure even before the data are known.
mentions_means <- function(bp) {
  any(grepl("^(intercept|mean)\\[", c(unlist(lapply(bp$restrict, restriction_addresses)), bp$relax)))
}
