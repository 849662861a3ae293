# One group of a fit, as a fit of its own that knows the parameters of all: what readers that look at one group work on.

group_names <- function(fit) fit$layout$groups
has_groups <- function(fit) !is.null(fit$layout$groups)

# The moments of each group, as the core wants them.
core_moments <- function(fit) fit$moments$groups %||% list(fit$moments)

# A list of fits, one for each group (the fit itself when there is one); named by group.
group_views <- function(fit, errors = TRUE) {
  if (!has_groups(fit)) return(list(all = fit))
  vcov <- if (errors) solution_vcov(fit)
  lapply(stats::setNames(group_names(fit), group_names(fit)), group_view, fit = fit, vcov = vcov)
}

group_view <- function(fit, group, vcov = NULL) {
  g <- match(group, group_names(fit))
  out <- fit
  out$layout <- group_layout(fit$layout, g)
  out$sample <- c(fit$sample$groups[[g]], list(by = fit$sample$by, own_rows = fit$sample$rows_of[[g]]))
  out$moments <- fit$moments$groups[[g]]
  out$eta <- fit$eta[fit$layout$spans[[g]]]
  out$core$eta <- if (length(fit$core$eta)) fit$core$eta[which(fit$layout$core$rows %in% fit$layout$spans[[g]])]
  out$core$theta <- fit$theta
  out$vcov <- vcov
  out$estimated <- fit$layout$core$used
  out$group <- group
  out
}

# One group, by name; the first when none is named.
one_group_of <- function(fit, group = NULL) {
  if (!has_groups(fit)) {
    if (!is.null(group)) abort("input", "This fit has no groups.")
    return(fit)
  }
  group <- group %||% group_names(fit)[1L]
  if (!is.character(group) || length(group) != 1L || !group %in% group_names(fit)) {
    abort("name", c(paste0("There is no group ", quoted(as.character(group)[1L]), "."), did_you_mean(as.character(group)[1L], group_names(fit)),
                    i = paste0("Groups: ", enumerate(group_names(fit)), ".")))
  }
  group_view(fit, group, solution_vcov(fit))
}
