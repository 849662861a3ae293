# A blueprint as it is printed: with what is assumed for it, and counts.

#' @export
print.orizzonte_blueprint <- function(x, ...) {
  put_lines(format_blueprint(x))
  invisible(x)
}

format_blueprint <- function(bp) {
  width <- max(nchar(names(bp$constructs)), 0L)
  lines <- c(heading(paste0("Blueprint: ", bp$title)),
             paste0("Scale: ", bp$scale, " (", words_of("scale_setting", bp$scale), ")"))
  if (length(bp$constructs) == 0L && length(bp$effects$from) == 0L) {
    return(c(lines, "",
             text_of("empty_so_far_add")))
  }
  if (length(bp$constructs)) {
    described <- vapply(names(bp$constructs), function(name) {
      construct <- bp$constructs[[name]]
      items <- address_name(construct$items)
      fixed <- construct$items %in% names(construct$fixed)
      items[fixed] <- paste0(items[fixed], " (",
                             format_number(construct$fixed[construct$items[fixed]]), ")")
      paste0(formatC(name, width = -width), if (construct$kind == "composite") "  composed of " else
             "  reflected in ", paste(items, collapse = ", "),
             if (!is.null(construct$scale)) paste0("  [scale: ", construct$scale, "]"))
    }, "")
    lines <- c(lines, "", "Constructs", wrap_lines(described, indent = 2L, hang = width + 4L))
  }
  if (length(bp$effects$from)) {
    outcomes <- unique(bp$effects$to)
    text <- vapply(outcomes,
                   function(o) {
                     paste0(o, " ~ ", paste(bp$effects$from[bp$effects$to == o], collapse = " + "))
                   },
                     "")
    lines <- c(lines, "", "Effects", wrap_lines(text, indent = 2L, hang = 4L))
  }
  stated <- stated_besides(bp)
  if (length(stated)) lines <- c(lines, "", "Stated besides", paste0("  ", stated))
  # what names a group is counted once there are groups
  layout <- build_layout(group_blueprint(bp, ""), means = mentions_means(bp))
  c(lines, "", format_assumptions(layout, bp), "", format_counts(layout), "",
    text_of("next_fit_model_blueprint"))
}

# What is stated besides constructs and effects, a line each.
stated_besides <- function(bp) {
  c(
    if (length(bp$covary$first)) address_format("covariance", bp$covary$first, bp$covary$second),
    if (length(bp$uncorrelate$first))
      paste(address_format("covariance", bp$uncorrelate$first, bp$uncorrelate$second), "== 0"),
    vapply(bp$restrict, format_restriction, ""),
    if (length(bp$relax)) paste("free:", bp$relax),
    if (length(bp$start_at)) paste("start:", names(bp$start_at), "at", format_exact(bp$start_at)),
    if (length(bp$hold_equal))
      text_of("held_equal_across_groups", hold_equal = enumerate(bp$hold_equal, most = 12L)),
    vapply(names(bp$repeated), function(name) {
      text_of("repeated_at", name = name,
              name_2 = enumerate(names(bp$repeated[[name]]), most = 12L))
    }, ""),
    if (length(bp$hold_equal_times))
      text_of("held_equal_over_times",
              hold_equal_times = enumerate(bp$hold_equal_times, most = 12L)),
    if (length(bp$let_differ))
      text_of("free_differ", let_differ = enumerate(bp$let_differ, most = 12L)),
    if (length(bp$quantities))
      paste0(address_format("quantity", names(bp$quantities)), " = ", bp$quantities),
    unlist(lapply(names(bp$left_out), function(g) {
      text_of("left_out_group", value = g, value_2 = enumerate(bp$left_out[[g]]))
    })),
    if (length(bp$claims)) text_of("claim", claims = names(bp$claims), claims_2 = bp$claims),
    if (length(bp$trail))
      text_of("trail_see_trail_blueprint",
              revision = count_of(length(bp$trail$revisions$revision) - 1L, "revision"))
  )
}
