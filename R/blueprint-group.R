# What a blueprint says about one group: statements that name another are left aside.
group_blueprint <- function(bp, group) {
  names_another <- function(text) {
    named <- parse_address(text)$group
    !is.null(named) && !group %in% named
  }
  # only what has a bar can name a group
  elsewhere <- function(texts) {
    texts <- texts[grepl("|", texts, fixed = TRUE)]
    length(texts) > 0L && any(vapply(texts, names_another, NA))
  }
  bp$restrict <- Filter(function(r) !elsewhere(restriction_addresses(r)), bp$restrict)
  bp$relax <- Filter(Negate(elsewhere), bp$relax)
  gone <- if (nzchar(group)) bp$left_out[[group]]
  bp$left_out <- list()
  if (length(gone)) bp <- suppressMessages(leave_out(bp, !!gone))
  bp
}
