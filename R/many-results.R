# Tidy generics of results from many fits.

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_bootstrap <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(bootstrap_table(check_replicates(x, "tidy")), c(parameter = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_bootstrap <- function(x, ...) {
  check_arguments("glance")
  check_replicates(x, "glance")
  as_tibble_if_possible(list_frame(list(
    reps = x$asked$reps, used = sum(x$kept), seed = x$asked$seed, draw = x$asked$draw,
    interval = x$asked$interval, level = x$asked$level, not.converged = sum(x$status != 0L),
    improper = sum(x$improper & x$status == 0L))))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_bootstrap_test <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, stats::setNames(c("term", "statistic"), c(names(x)[1L], "chisq")))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_plan <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x$parameters, c(parameter = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_cutoffs <- function(x, ...) {
  check_arguments("tidy")
  table <- as.data.frame(x)
  tidy_renamed(table, stats::setNames("term", names(table)[1L]))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_power <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, stats::setNames("term", names(x)[1L]))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_robustness <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(claim = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_influence <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, stats::setNames("term", names(x)[1L]))
}

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
