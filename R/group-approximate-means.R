#' Compare the means of many groups under approximate invariance
#'
#' With ten to sixty groups, exact scalar invariance hardly ever holds. Means and variances of the
#' constructs can still be compared if most loadings and intercepts are nearly equal and only a few
#' differ clearly: they are chosen so that the differences concentrate on few parameters
#' (Asparouhov & Muthén 2014), starting from the configural model.
#'
#' @param x A ladder from [invariance()], whose configural rung is used, or a fit of several groups
#'   in which no loadings or intercepts are constrained to be equal.
#' @param reference Name of the reference group, whose means are 0 and variances 1; the largest
#'   group when `NULL`.
#' @param level Level of the intervals.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_approximate_means`. `as.data.frame()` gives one row for
#'   each construct and group: `group`, `construct`, `mean`, `se`, `lower`, `upper` (in standard
#'   deviations of the reference group, where the mean is 0 without a standard error), `variance`.
#'   Further components: `noninvariant`, one row for each item, parameter (`"loading"` or
#'   `"intercept"`) and group, with the aligned `value`, its `average` over the groups that agree,
#'   `z`, and `differs`; `r_squared`, by item and parameter the share of its variance over groups
#'   that the construct explains, and that variance; `recovery`, by construct the correlation of the
#'   means with those found again in simulated data (`correlation`), their root mean squared error
#'   (`rmse`), the share of parameters that differ (`share`), `verdict` (`"rank"` or
#'   `"do_not_rank"`) and `cases_needed` (cases a group at which means could be ranked); `sets`, by
#'   construct the sets of groups within which scalar invariance holds; `left_out`, groups without
#'   an admissible solution.
#' @section How: Configural loadings and intercepts are converted to constructs with mean 0 and
#'   variance 1 in each group. The means and variances minimize the sum over items and pairs of
#'   groups of \eqn{\sqrt{n_g n_h}\,(x^2 + 0.01)^{1/4}}, \eqn{x} the difference of the loadings or
#'   intercepts. The mean of the reference group is 0; the variances have a geometric mean of 1
#'   while the sum is minimized and are then expressed in units of the reference. Standard errors
#'   follow from the configural ones by the implicit function; since the loss has kinks, they are
#'   approximate (about 10% too small in simulations). A parameter differs in a group if the p value
#'   against the weighted mean of the groups that agree is at most .001.
#'
#'   Means may be ranked if those of simulated data, drawn from the solution with the same number of
#'   cases and aligned again, correlate at least .98 with it (Muthén & Asparouhov 2014), and if no
#'   more than a tenth of the parameters differ: beyond that, the means are biased in a way that
#'   such simulations do not show. If more than a quarter differ, the method is no longer reliable.
#'
#'   Each construct is treated on its own, without effects among constructs and without
#'   cross-loadings.
#' @section Errors: `orizzonte_error_input` for fewer than three groups, for constructs of fewer
#'   than three items, items of several constructs, or a fit with parameters that are held equal;
#'   `orizzonte_error_name` for an unknown reference.
#' @references
#' Asparouhov, T., & Muthén, B. (2014). Multiple-group factor analysis alignment. *Structural
#' Equation Modeling, 21*(4), 495--508.
#'
#' Muthén, B., & Asparouhov, T. (2014). IRT studies of many groups: The alignment method.
#' *Frontiers in Psychology, 5*, 978.
#' @seealso [invariance()], [latent_means()] for exact invariance,
#'   [plot()][plot.orizzonte_approximate_means].
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs, by = town))
#' approximate_means(fit)
#' @export
approximate_means <- function(x, reference = NULL, level = 0.95, ...) {
  check_arguments("approximate_means")
  check_level(level)
  fit <- configural_fit(x)
  fit <- without_structure(fit)
  usable <- usable_groups(fit)
  groups <- usable$groups
  n <- vapply(groups, function(g) fit$moments[[g]]$n, 0)
  if (is.null(reference)) reference <- groups[which.max(n)] else chosen_group(fit$layout, reference)
  if (!reference %in% groups)
    abort("input", text_of("approximate_reference_out", reference = quoted(reference)))
  groups <- c(reference, setdiff(groups, reference))
  constructs <- setdiff(fit$layout$constructs, fit$layout$composites)
  found <- map_with_progress(stats::setNames(constructs, constructs), function(name) {
    align_construct(fit, name, groups, level)
  }, text_of("approximate_constructs"))
  table <- function(name) bind_frames(lapply(unname(found), `[[`, name))
  structure(list(title = fit$request$blueprint$title, means = table("means"),
                 noninvariant = table("noninvariant"), r_squared = table("r_squared"),
                 recovery = table("recovery"), sets = lapply(found, `[[`, "sets"),
                 left_out = usable$left_out, reference = reference, level = level,
                 n = stats::setNames(n[match(groups, usable$groups)], groups),
                 by = fit$sample$by), class = "orizzonte_approximate_means")
}

# The configural rung of a ladder, or a fit in which nothing is equal across groups.
configural_fit <- function(x) {
  if (inherits(x, "orizzonte_loosened")) x <- x$ladder
  if (inherits(x, "orizzonte_ladder")) {
    check_ladder(x, "approximate_means")
    x <- x$fits$configural
    if (is.null(x)) abort("input", text_of("approximate_no_configural"))
  }
  check_fit(x, "approximate_means")
  check_grouped(x$layout)
  check_converged(x, "approximate_means")
  rows <- x$layout$rows
  if (any(rows$shared & rows$kind %in% c("loading", "intercept")))
    abort("input", c(text_of("approximate_held"), i = text_of("approximate_held_hint")))
  if (length(x$layout$groups) < 3L) abort("input", text_of("approximate_few_groups"))
  x
}

# Removes effects among constructs, which are not part of the measurement: all constructs covary.
without_structure <- function(fit) {
  bp <- fit$request$blueprint
  constructs <- names(bp$constructs)
  structural <- bp$effects$from %in% constructs | bp$effects$to %in% constructs
  check_aligned(fit)
  if (!any(structural)) return(fit)
  bp <- without_trail(bp)
  bp$effects <- lapply(bp$effects, function(x) x[!structural])
  bp$quantities <- bp$claims <- character()
  bp$covary <- lapply(bp$covary, function(x) {
    x[!(bp$covary$first %in% constructs & bp$covary$second %in% constructs)]
  })
  found <- suppressWarnings(suppressMessages(refit_quietly(fit, list(blueprint = bp))))
  check_converged(found, "approximate_means")
  found
}

# Each construct needs three items of its own; returns the items.
check_aligned <- function(fit) {
  layout <- layout_of_group(fit$layout, 1L)
  rows <- layout$rows
  loading <- rows$kind == "loading"
  items <- rows$second[loading]
  if (anyDuplicated(items) || any(items %in% layout$constructs))
    abort("input", text_of("approximate_cross", item = quoted(c(items[duplicated(items)],
                                                               intersect(items,
                                                                         layout$constructs))[1L])))
  constructs <- setdiff(layout$constructs, layout$composites)
  count <- vapply(constructs, function(name) sum(rows$first[loading] == name), 0L)
  if (length(count) == 0L || any(count < 3L))
    abort("input", text_of("approximate_few_items"))
  if (!layout$means) abort("data", text_of("approximate_no_means"))
  items
}

# Groups without estimates or with negative variances are left out and named.
usable_groups <- function(fit) {
  groups <- fit$layout$groups
  views <- group_views(fit)
  proper <- vapply(views, function(view) {
    matrices <- view_matrices(view)
    observed <- seq_along(view$layout$observed)
    residual <- view$eta[view$layout$rows$kind == "variance"]
    !anyNA(view$eta) && all(residual > 0) &&
      smallest_eigenvalue(matrices$covariance[-observed, -observed, drop = FALSE]) > 0
  }, NA)
  if (sum(proper) < 3L) abort("input", text_of("approximate_few_groups"))
  list(groups = groups[proper], left_out = groups[!proper])
}

align_construct <- function(fit, name, groups, level) {
  own <- lapply(groups, function(g) standard_estimates(fit, name, g))
  items <- own[[1L]]$items
  take <- function(what) vapply(own, `[[`, numeric(length(items)), what)
  estimates <- list(loading = take("loading"), intercept = take("intercept"),
                    n = vapply(own, `[[`, 0, "n"))
  vcov <- lapply(own, `[[`, "vcov")
  aligned <- align_groups(estimates)
  se <- alignment_errors(estimates, vcov, aligned)
  reach <- stats::qnorm((1 + level) / 2) * se
  count <- length(groups)
  means <- list_frame(list(group = groups, construct = rep(name, count), mean = aligned$mean,
                           se = se, lower = aligned$mean - reach, upper = aligned$mean + reach,
                           variance = aligned$sd^2))
  differing <- noninvariant_rows(name, items, groups, vcov, aligned)
  share <- mean(differing$differs)
  recovery <- alignment_recovery(estimates, vcov, aligned)
  r_squared <- invariance_r_squared(estimates, aligned)
  size <- length(items)
  list(means = means, noninvariant = differing,
       r_squared = list_frame(list(
         construct = rep(name, 2L * size), item = rep(items, 2L),
         parameter = rep(c("loading", "intercept"), each = size),
         r_squared = unname(c(r_squared$loading, r_squared$intercept)),
         variance = unname(c(r_squared$loading_variance, r_squared$intercept_variance)))),
       recovery = list_frame(list(
         construct = name, correlation = recovery[["correlation"]], rmse = recovery[["rmse"]],
         share = share, verdict = rule_ranking(recovery[["correlation"]], share),
         cases_needed = cases_to_rank(recovery[["correlation"]], estimates$n))),
       sets = named_sets(invariant_sets(estimates, vcov), groups))
}

# Loadings and intercepts of a group for a construct with mean 0, variance 1 and a positive sum of
# keyed loadings, with their covariance matrix.
standard_estimates <- function(fit, name, group) {
  layout <- fit$layout
  rows <- layout$rows
  loading <- which(rows$kind == "loading" & rows$first == name & rows$group == group)
  items <- rows$second[loading]
  at <- which(rows$kind == "intercept" & rows$group == group)
  intercept <- at[match(items, rows$first[at])]
  variance <- which(rows$kind == "variance" & rows$first == name & rows$group == group)
  mean <- which(rows$kind == "mean" & rows$first == name & rows$group == group)
  eta <- values_of(fit)
  sd <- sqrt(eta[variance])
  sign <- if (sum(eta[loading]) < 0) -1 else 1
  size <- length(items)
  used <- c(loading, intercept, variance, mean)
  # derivatives of (lambda sd, nu + lambda alpha) by loadings, intercepts, variance and mean
  slope <- matrix(0, 2L * size, length(used))
  slope[cbind(seq_len(size), seq_len(size))] <- sd
  slope[seq_len(size), 2L * size + 1L] <- eta[loading] / (2 * sd)
  slope[cbind(size + seq_len(size), size + seq_len(size))] <- 1
  if (length(mean)) {
    slope[cbind(size + seq_len(size), seq_len(size))] <- eta[mean]
    slope[size + seq_len(size), 2L * size + 2L] <- eta[loading]
  }
  by_theta <- slope %*% map_matrix(layout)[used, , drop = FALSE]
  turn <- rep(c(sign, 1), each = size)
  list(items = items, loading = sign * eta[loading] * sd,
       intercept = eta[intercept] + eta[loading] * (if (length(mean)) eta[mean] else 0),
       n = fit$moments[[group]]$n,
       vcov = turn * (by_theta %*% vcov_of(fit) %*% t(by_theta)) * rep(turn, each = 2L * size))
}

noninvariant_rows <- function(name, items, groups, vcov, aligned) {
  errors <- aligned_errors(vcov, aligned)
  bind_frames(unlist(lapply(c("loading", "intercept"), function(what) {
    lapply(seq_along(items), function(i) {
      value <- aligned[[what]][i, ]
      found <- differing_groups(value, errors[[what]][i, ])
      count <- length(groups)
      list_frame(list(construct = rep(name, count), item = rep(items[i], count),
                      parameter = rep(what, count), group = groups, value = unname(value),
                      average = rep(found$average, count), z = unname(found$z),
                      differs = unname(found$differs)))
    })
  }), recursive = FALSE))
}

# Groups by set, the largest set first.
named_sets <- function(found, groups) {
  if (is.null(found)) return(NULL)
  sets <- unname(split(groups, found))
  sets[order(-lengths(sets))]
}

#' @export
as.data.frame.orizzonte_approximate_means <- function(x, row.names = NULL, optional = FALSE, ...) {
  x$means
}
