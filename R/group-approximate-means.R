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

# The print of approximate means of many groups.

# Which means may be ranked, what ranking would require, and which groups are left out.
approximate_reading <- function(x) {
  recovery <- x$recovery
  each <- text_of("approximate_each", construct = recovery$construct,
                  r = format_share(recovery$correlation, 3L),
                  share = paste0(format_count(round(100 * recovery$share)), "%"))
  said <- function(verdict) {
    own <- recovery$verdict == verdict
    if (any(own)) text_of(paste0("approximate_", verdict), each = enumerate(each[own], most = 12L))
  }
  uncertain <- recovery$correlation < ranking_correlation & !is.na(recovery$cases_needed)
  biased <- recovery$share > 0.1 & !rule_too_different(recovery$share)
  different <- rule_too_different(recovery$share)
  c(said("rank"), said("do_not_rank"), text_of("approximate_criterion"),
    if (any(uncertain)) text_of("approximate_needed", each = enumerate(paste(
      recovery$construct[uncertain], needed_words(recovery$cases_needed[uncertain])),
      most = 12L)),
    if (any(biased)) text_of("approximate_tenth", names = enumerate(recovery$construct[biased])),
    if (any(different))
      text_of("approximate_too_different", names = enumerate(recovery$construct[different])),
    if (length(x$left_out)) text_of("approximate_left_out", groups = enumerate(x$left_out)))
}

# Numbers of cases larger than in any study are not written out.
needed_words <- function(cases) {
  ifelse(cases > 10000, text_of("approximate_many_cases"), format_count(cases))
}

# A line for the figure.
approximate_short <- function(x) {
  said <- function(verdict) {
    own <- x$recovery$construct[x$recovery$verdict == verdict]
    if (length(own)) text_of(paste0("approximate_short_", verdict), names = enumerate(own))
  }
  paste(c(said("rank"), said("do_not_rank")), collapse = " ")
}

# Means from the highest to the lowest, by construct.
approximate_columns <- function(x, construct) {
  own <- x$means[x$means$construct == construct, ]
  own <- own[order(-own$mean), ]
  titled(list(group = own$group, n = format_count(x$n[own$group]),
              mean = format_fixed(own$mean, 2L),
              se = ifelse(is.na(own$se), "", format_fixed(own$se, 2L)),
              interval = ifelse(is.na(own$se), "", shown_interval(own$lower, own$upper)),
              variance = format_fixed(own$variance, 2L)))
}

# Sentences on the parameters that differ, with their groups.
differing_words <- function(x, construct) {
  own <- x$noninvariant[x$noninvariant$construct == construct & x$noninvariant$differs, ]
  if (nrow(own) == 0L) return(text_of("approximate_none_differ"))
  key <- paste0(own$parameter, "[", own$item, "]")
  vapply(unique(key), function(one) {
    text_of("approximate_differs", parameter = one,
            groups = enumerate(own$group[key == one], most = 12L))
  }, "", USE.NAMES = FALSE)
}

set_words <- function(x, construct) {
  sets <- x$sets[[construct]]
  if (is.null(sets)) return(NULL)
  if (length(sets) == 1L) return(text_of("approximate_one_set"))
  each <- vapply(sets, function(set) paste0("(", enumerate(set, most = 12L), ")"), "")
  text_of("approximate_sets", count = length(sets), each = enumerate(each, most = 12L))
}

approximate_note <- function(x) {
  text_of("approximate_note", reference = x$reference)
}

#' @export
print.orizzonte_approximate_means <- function(x, ...) {
  put_lines(heading(text_of("approximate_title", by = x$by %||% text_of("approximate_groups"))),
            wrap_lines(approximate_reading(x)))
  for (construct in unique(x$means$construct)) {
    columns <- approximate_columns(x, construct)
    put_lines("", construct, format_table(columns, names(columns) != "group"), "",
              wrap_lines(differing_words(x, construct)), wrap_lines(set_words(x, construct)))
  }
  put_lines("", wrap_lines(approximate_note(x)), "", next_step("approximate_next"))
  invisible(x)
}

# Approximate invariance over many groups (Asparouhov & Muthén 2014): means and variances of one
# construct that leave most loadings and intercepts alike and a few different. Pure.

# `estimates`: `loading` and `intercept` (items x groups) from constructs of mean 0 and variance 1,
# `n` cases; the first group is the reference. Returns the means and variances in units of the
# reference, the aligned loadings and intercepts, and the raw solution.
align_groups <- function(estimates, starts = 6L, from = NULL) {
  first <- from %||% alignment_start(estimates)
  best <- NULL
  noise <- with_seed(1L, matrix(stats::rnorm(length(first) * starts, sd = 0.3), ncol = starts))
  for (k in seq_len(starts)) {
    found <- alignment_optimum(estimates, first + if (k > 1L) noise[, k] else 0,
                               if (is.null(from)) alignment_path else alignment_epsilon)
    if (is.null(best) || found$value < best$value - 1e-9) best <- found
  }
  raw <- alignment_parameters(best$par)
  sd <- exp(raw$log_sd - raw$log_sd[1L])
  mean <- raw$mean / exp(raw$log_sd[1L])
  slope <- sweep(estimates$loading, 2L, sd, "/")
  list(loss = best$value, mean = mean, sd = sd, loading = slope,
       intercept = estimates$intercept - sweep(slope, 2L, mean, "*"), par = best$par, raw = raw)
}

alignment_epsilon <- 0.01
alignment_path <- c(0.1, 0.03, alignment_epsilon)   # from a smooth loss to the one that counts

# The mean of the reference is 0. Variances are free with a geometric mean of 1: with that of the
# reference fixed instead, all other loadings would shrink towards 0.
alignment_parameters <- function(par) {
  others <- (length(par)) / 2
  log_sd <- par[others + seq_len(others)]
  list(mean = c(0, par[seq_len(others)]), log_sd = c(-sum(log_sd), log_sd))
}

# Medians over items.
alignment_start <- function(estimates) {
  log_sd <- apply(log(pmax(abs(estimates$loading), 0.05)), 2L, stats::median)
  log_sd <- log_sd - mean(log_sd)
  slope <- sweep(estimates$loading, 2L, exp(log_sd), "/")
  off <- (estimates$intercept - apply(estimates$intercept, 1L, stats::median)) / slope
  mean <- apply(off, 2L, stats::median)
  c((mean - mean[1L])[-1L], log_sd[-1L])
}

# Loss and gradient are computed together and kept for the second call.
alignment_optimum <- function(estimates, par, path) {
  for (epsilon in path) {
    last <- NULL
    at <- function(par) {
      if (!identical(last$par, par))
        last <<- c(list(par = par), alignment_at(estimates, par, epsilon))
      last
    }
    found <- stats::optim(par, function(x) at(x)$value, function(x) at(x)$gradient,
                          method = "BFGS", control = list(maxit = 500L, reltol = 1e-11))
    par <- found$par
  }
  found
}

alignment_at <- function(estimates, par, epsilon = alignment_epsilon) {
  raw <- alignment_parameters(par)
  found <- core_alignment_loss(estimates$loading, estimates$intercept, estimates$n, raw$mean,
                               raw$log_sd, epsilon)
  list(value = found$value,
       gradient = c(found$mean[-1L], found$log_sd[-1L] - found$log_sd[1L]))
}

# Standard errors of means and variances by the implicit function: a change of the estimates moves
# the optimum by -H^-1 M, H the derivatives of the gradient by means and variances and M by the
# estimates. `vcov`: by group, of loadings then intercepts.
alignment_errors <- function(estimates, vcov, aligned) {
  step <- 1e-5
  par <- aligned$par
  items <- nrow(estimates$loading)
  groups <- ncol(estimates$loading)
  hessian <- vapply(seq_along(par), function(k) {
    move <- replace(numeric(length(par)), k, step)
    (alignment_at(estimates, par + move)$gradient - alignment_at(estimates, par - move)$gradient) /
      (2 * step)
  }, numeric(length(par)))
  raw <- aligned$raw
  scale <- exp(raw$log_sd[1L])
  others <- length(par) / 2
  # of means in units of the reference: a / s_1, with log s_1 less the sum of the others
  by_par <- cbind(diag(others), outer(raw$mean[-1L], rep(1, others))) / scale
  variance <- matrix(0, others, others)
  for (g in seq_len(groups)) {
    cross <- vapply(seq_len(2L * items), function(k) {
      moved <- function(by) {
        one <- estimates
        if (k <= items) one$loading[k, g] <- one$loading[k, g] + by else
          one$intercept[k - items, g] <- one$intercept[k - items, g] + by
        alignment_at(one, par)$gradient
      }
      (moved(step) - moved(-step)) / (2 * step)
    }, numeric(length(par)))
    slope <- -by_par %*% solve_square(hessian, cross)
    variance <- variance + slope %*% vcov[[g]] %*% t(slope)
  }
  c(NA, sqrt(pmax(0, diag(variance))))
}

# Standard errors of the aligned loadings and intercepts, with means and variances as known.
aligned_errors <- function(vcov, aligned) {
  items <- nrow(aligned$loading)
  own <- function(g, k) diag(vcov[[g]])[k]
  list(loading = vapply(seq_along(vcov), function(g) {
         sqrt(own(g, seq_len(items))) / aligned$sd[g]
       }, numeric(items)),
       intercept = vapply(seq_along(vcov), function(g) {
         sqrt(own(g, items + seq_len(items)) +
                (aligned$mean[g] / aligned$sd[g])^2 * own(g, seq_len(items)))
       }, numeric(items)))
}

noninvariant_level <- 0.001

# Which groups differ from the others for one item: the set starts with those close to the median;
# then all groups whose p value against the weighted mean of the set is above the level are added,
# until the set is stable.
differing_groups <- function(value, se, level = noninvariant_level) {
  inside <- abs(value - stats::median(value)) <= 2.25 * stats::median(se)
  for (round in 1:30) {
    weight <- inside / se^2
    average <- sum(weight * value) / sum(weight)
    variance <- se^2 + ifelse(inside, -1, 1) / sum(weight)
    z <- (value - average) / sqrt(pmax(variance, 1e-12))
    now <- 2 * stats::pnorm(-abs(z)) > level
    if (all(now == inside) || !any(now)) break
    inside <- now
  }
  list(differs = !inside, z = z, average = average)
}

# The share of the variance of configural loadings and intercepts over groups that the means and
# variances of the construct explain.
invariance_r_squared <- function(estimates, aligned) {
  loading <- rowMeans(aligned$loading)
  intercept <- rowMeans(aligned$intercept)
  spread <- function(m) apply(m, 1L, stats::var)
  left <- list(
    loading = estimates$loading - outer(loading, aligned$sd),
    intercept = estimates$intercept - intercept - outer(loading, aligned$mean))
  list(loading = 1 - spread(left$loading) / spread(estimates$loading),
       intercept = 1 - spread(left$intercept) / spread(estimates$intercept),
       loading_variance = spread(estimates$loading),
       intercept_variance = spread(estimates$intercept))
}

recovery_draws <- 100L

# Would means like these be recovered? Estimates are drawn around the aligned solution and aligned
# in the same way; the result is the correlation of these means with the original ones.
alignment_recovery <- function(estimates, vcov, aligned, draws = recovery_draws) {
  items <- nrow(estimates$loading)
  truth <- aligned$mean
  roots <- lapply(vcov, lower_root)
  noise <- with_seed(1L, lapply(seq_len(draws), function(r) {
    lapply(roots, function(root) drop(root %*% stats::rnorm(2L * items)))
  }))
  drawn <- vapply(noise, function(one) {
    own <- estimates
    own$loading <- own$loading + vapply(one, `[`, numeric(items), seq_len(items))
    own$intercept <- own$intercept + vapply(one, `[`, numeric(items), items + seq_len(items))
    found <- align_groups(own, 1L, aligned$par)
    c(stats::cor(found$mean, truth), sqrt(mean((found$mean - truth)^2)))
  }, numeric(2L))
  c(correlation = mean(drawn[1L, ]), rmse = mean(drawn[2L, ]))
}

ranking_correlation <- 0.98

# The number of cases per group at which means could be ranked: standard errors shrink with the root
# of n, so that 1/r^2 - 1 is proportional to 1/n.
cases_to_rank <- function(correlation, n) {
  if (!is.finite(correlation) || correlation <= 0) return(NA_real_)
  ceiling(mean(n) * (1 / correlation^2 - 1) / (1 / ranking_correlation^2 - 1))
}

set_level <- 0.001

# Sets of groups within which loadings and intercepts are equal but for the mean and variance of the
# construct: complete linkage of the Wald distances of all pairs, cut at their .999 quantile.
invariant_sets <- function(estimates, vcov) {
  groups <- ncol(estimates$loading)
  items <- nrow(estimates$loading)
  if (groups < 3L || items < 3L) return(NULL)
  distance <- matrix(0, groups, groups)
  for (g in seq_len(groups - 1L)) for (h in seq(g + 1L, groups))
    distance[g, h] <- distance[h, g] <- pair_distance(estimates, vcov, g, h)
  limit <- stats::qchisq(1 - set_level, 2L * items - 2L)
  tree <- stats::hclust(stats::as.dist(distance), "complete")
  stats::cutree(tree, h = limit)
}

# The least Wald distance of two groups over the mean and variance of the construct in the second,
# by Gauss-Newton steps from medians over the items.
pair_distance <- function(estimates, vcov, g, h) {
  items <- nrow(estimates$loading)
  first <- seq_len(items)
  one <- c(estimates$loading[, g], estimates$intercept[, g])
  loading <- estimates$loading[, h]
  intercept <- estimates$intercept[, h]
  log_sd <- stats::median(log(pmax(abs(loading), 0.05)) - log(pmax(abs(one[first]), 0.05)))
  mean <- stats::median((intercept - one[-first]) / (loading * exp(-log_sd)))
  distance <- Inf
  for (step in 1:12) {
    slope <- loading * exp(-log_sd)
    gap <- c(slope, intercept - mean * slope) - one
    turn <- diag(rep(c(exp(-log_sd), 1), each = items))
    turn[cbind(items + first, first)] <- -mean * exp(-log_sd)
    by <- cbind(c(numeric(items), -slope), c(-slope, mean * slope))
    weighted <- solve_in_units(vcov[[g]] + turn %*% vcov[[h]] %*% t(turn), cbind(by, gap))
    now <- sum(gap * weighted[, 3L])
    if (!is.finite(now)) return(Inf)
    # the weights change with the parameters, so that a step may end above the previous value
    if (abs(distance - now) < 1e-3 * (1 + now)) break
    distance <- min(distance, now)
    move <- solve_in_units(crossprod(by, weighted[, 1:2]), -crossprod(by, weighted[, 3L]))
    mean <- mean + move[1L]
    log_sd <- log_sd + move[2L]
  }
  min(distance, now)
}
