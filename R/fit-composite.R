# Composites rest on the weight that is fixed at 1.

# A composite whose marker weight is near zero has no unit to stand on: the item with the largest
# weight instead.
other_marker_weights <- function(fit) {
  layout <- fit$layout
  candidates <- Filter(function(scale) {
    scale$composite && scale$kind == "marker" &&
    scale$group == 1L &&
    length(scale$loadings) > 1L
  }, layout$scales)
  names(candidates) <- vapply(candidates, `[[`, "", "construct")
  if (length(candidates) == 0L || !has_values(fit) || length(layout$groups) > 1L)
    return(character())
  sd <- sqrt(diag(pooled_covariance(fit$sample)))
  out <- vapply(candidates, function(scale) {
    free <- scale$loadings[is.na(layout$rows$fixed[scale$loadings])]
    at <- c(scale$marker, free)
    size <- abs(values_of(fit)[at]) * sd[layout$rows$first[at]]
    if (size[1L] < 0.05 * max(size)) names(which.max(size)) else NA_character_
  }, "")
  out[!is.na(out)]
}

# The fit on usable weights, with a note; the request stays what the user wrote.
with_usable_weights <- function(fit, starts, seed) {
  markers <- other_marker_weights(fit)
  if (length(markers) == 0L) return(fit)
  request <- fit$request
  for (name in names(markers)) request$blueprint$constructs[[name]]$scale <- markers[[name]]
  scales <- stats::setNames(fit$layout$scales, vapply(fit$layout$scales, `[[`, "", "construct"))
  was <- vapply(names(markers), function(name) fit$layout$rows$parameter[scales[[name]]$marker], "")
  moved <- fit_request(request, fit$sample, starts = starts, seed = seed)
  moved$request <- fit$request
  moved$layout$notes <- c(moved$layout$notes,
                          text_of("marker_near_zero", was = was, markers = names(markers),
                                  markers_2 = address_format("weight", markers, names(markers))))
  stamped(moved)
}
