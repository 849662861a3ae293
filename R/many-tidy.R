# Tidy generics of what was fitted many times.

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
