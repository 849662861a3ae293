# Composites rest on the weight that is fixed at 1.

# A composite whose marker weight is near zero has no unit to stand on: its items with the largest weight instead, by composite.
other_marker_weights <- function(fit) {
  layout <- fit$layout
  candidates <- Filter(function(scale) scale$composite && scale$kind == "marker" && length(scale$loadings) > 1L, layout$scales)
  names(candidates) <- vapply(candidates, `[[`, "", "construct")
  if (length(candidates) == 0L || anyNA(fit$eta) || has_groups(fit)) return(character())
  sd <- sqrt(diag(fit$sample$covariance))
  out <- vapply(candidates, function(scale) {
    free <- scale$loadings[is.na(layout$fixed[scale$loadings])]
    size <- abs(fit$eta[c(scale$marker, free)]) * sd[layout$first[c(scale$marker, free)]]
    if (size[1L] < 0.05 * max(size)) names(which.max(size)) else NA_character_
  }, "")
  out[!is.na(out)]
}

refit_with_markers <- function(fit, model, markers, missing_codes, multiplier, starts, seed) {
  bp <- model$blueprint
  for (name in names(markers)) bp$constructs[[name]]$scale <- markers[[name]]
  model$blueprint <- bp
  model$remarked <- TRUE
  scales <- stats::setNames(fit$layout$scales, vapply(fit$layout$scales, `[[`, "", "construct"))
  was <- vapply(names(markers), function(name) fit$layout$parameter[scales[[name]]$marker], "")
  model$layout <- met_layout(bp, model$sample)
  model$layout$notes <- c(model$layout$notes, paste0(was, " is near 0 and cannot carry the scale of ", names(markers), ": ",
                                                     address_format("weight", markers, names(markers)), " = 1 instead."))
  estimate_model(fit$blueprint, model, missing_codes, multiplier, starts, seed)
}
