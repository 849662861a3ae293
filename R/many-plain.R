# Results of long jobs as plain data (see base-plain.R). The fit itself is not kept; it is
# re-estimated.

to_plain.orizzonte_bootstrap <- function(x) {
  x["fit"] <- list(NULL)
  plain_node(x)
}

# Does a restored value have the parts of a bootstrap or a plan, with matching lengths?
is_whole_result <- function(x) {
  if (inherits(x, "orizzonte_plan"))
    return(is.list(x) && is.data.frame(x$parameters) && is.data.frame(x$sizes) &&
             is.numeric(x$reps) && all(c("n", "parameter", "power") %in% names(x$parameters)))
  count <- NROW(x$values)
  inherits(x, "orizzonte_bootstrap") && is.list(x) && is.double(x$estimate) &&
    !is.null(names(x$estimate)) && is.double(x$values) && is.matrix(x$values) &&
    ncol(x$values) == length(x$estimate) && length(x$group) == length(x$estimate) &&
    length(x$kept) == count && length(x$status) == count && NROW(x$theta) == count &&
    is.list(x$asked) && isTRUE(x$asked$interval %in% names(interval_words)) &&
    isTRUE(x$asked$reps == count) && is.numeric(x$asked$level)
}
