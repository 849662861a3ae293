# Starting values by parameter.

# Starting values by free parameter, NA where none is given.
layout_starts <- function(layout, bp) {
  out <- rep(NA_real_, length(layout$parameters))
  for (address in names(bp$start_at)) {
    rows <- restricted_rows(address, layout)
    free <- rows[is.na(layout$rows$fixed[rows])]
    if (length(free) == 0L) {
      abort("restriction",
            c(paste0("The starting value of ", address, " has nothing to start: it is fixed."),
              i = "Drop start_at(), or relax() it."))
    }
    out[match(layout$rows$class[free], layout$rows$class[layout$leading])] <- bp$start_at[[address]]
  }
  out
}
