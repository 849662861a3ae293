# Starting values by parameter.

# Starting values by free parameter, NA where none is given.
layout_starts <- function(layout, bp) {
  out <- rep(NA_real_, length(layout$parameters))
  for (address in names(bp$start_at)) {
    rows <- restricted_rows(address, layout)
    free <- rows[is.na(layout$rows$fixed[rows])]
    if (length(free) == 0L) {
      abort("restriction",
            c(text_of("starting_value_has_nothing", address = address),
              i = text_of("drop_start_or_relax")))
    }
    out[match(layout$rows$class[free], layout$rows$class[layout$leading])] <- bp$start_at[[address]]
  }
  out
}
