# Starting values by parameter.

# Starting values by free parameter, NA where none is given.
layout_starts <- function(table, bp) {
  out <- rep(NA_real_, length(table$parameters))
  for (address in names(bp$start_at)) {
    rows <- restricted_rows(address, table)
    free <- rows[is.na(table$fixed[rows])]
    if (length(free) == 0L) {
      abort("restriction", c(paste0("The starting value of ", address, " has nothing to start: it is fixed."), i = "Drop start_at(), or relax() it."))
    }
    out[match(table$class[free], table$class[table$leading])] <- bp$start_at[[address]]
  }
  out
}
