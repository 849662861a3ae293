#' Means of constructs compared between groups
#'
#' Differences of construct means from a reference group, identified by the equal intercepts
#' (Sörbom 1974), with standard errors by the delta method; standardized by the standard deviation
#' of the construct in the reference group or pooled over groups.
#'
#' @param x A ladder from [invariance()], or a fit in which intercepts are held.
#' @param rung Of a ladder: which rung; `"scalar"` when `NULL`.
#' @param reference Name of the reference group; the first when `NULL`.
#' @param standardize `"reference"` or `"pooled"`: the standard deviation to divide by.
#' @param level Level of the intervals.
#' @param bootstrap An object from [bootstrap_fit()] for this fit. Its standard errors, intervals
#'   and p values replace the theoretical ones; nothing is resampled here.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_latent_means`: `construct`, `group`, `difference`, `se`,
#'   `z`, `p`, `lower`, `upper`, `standardized`, `standardized_se`, `against` (the group,
#'   or time, that the mean is compared with). The attribute `held` counts the equal intercepts of
#'   each construct; `caveat` explains why the differences should not be interpreted (printed first;
#'   `NULL` when there is no caution); `unreleased` gives them with the held intercepts of released
#'   loadings free as well (`NULL` without such).
#' @section Errors: `orizzonte_error_input` when no intercepts are held; `orizzonte_error_name` for
#'   an unknown group or rung.
#' @references
#' Sörbom, D. (1974). A general method for studying differences in factor means and factor
#' structure between groups. *British Journal of Mathematical and Statistical Psychology, 27*(2),
#' 229--239.
#' @seealso [invariance()], whose scalar rung must hold, and [noninvariance()].
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Craft", reflected_in = cr1:cr3)
#' ladder <- suppressMessages(invariance(let_differ(bp, loading[Calm, sc2], intercept[cr3]), choirs,
#'                                       by = setting))
#' latent_means(ladder)
#' @export
latent_means <- function(x, rung = NULL, reference = NULL, standardize = "reference",
                         level = 0.95, bootstrap = NULL, ...) {
  check_arguments("latent_means")
  fit <- rung_fit(x, rung, "latent_means")
  caveat <- caveat_of(x, rung %||% default_rung(x))
  check_converged(fit, "latent_means")
  check_level(level)
  standardize <- choose_one(standardize, c("reference", "pooled"), "`standardize`")
  rows <- fit$layout$rows
  if (!any(rows$shared & rows$kind == "intercept")) {
    abort("input",
          c(text_of("means_constructs_can_be"),
            i = text_of("take_scalar_rung_invariance")))
  }
  reference <- chosen_group(fit$layout, reference)
  constructs <- comparable_constructs(fit$layout)
  places <- compared_places(fit$layout, constructs, reference)
  found <- lapply(places, mean_gap, fit = fit, standardize = standardize)
  columns <- do.call(Map, c(list(c), found))
  out <- c(columns[c("construct", "group", "difference")],
           inference_block(columns$difference, columns$se, level, reference_df(fit)),
           columns[c("standardized", "standardized_se", "against")])
  check_same_bootstrap(bootstrap, fit, "latent_means")
  out <- with_bootstrap(out, bootstrap, "latent_means",
                        compared_name("difference", out), compared_name("standardized", out))
  indicators <- lapply(stats::setNames(constructs, constructs), function(name) {
    unique(rows$second[rows$kind == "loading" & rows$first == name])
  })
  held <- vapply(indicators, function(items) {
    at <- rows$kind %in% c("intercept", "mean") & rows$shared & rows$first %in% items
    length(unique(rows$first[at]))
  }, 0L)
  structure(list_frame_class(out, "orizzonte_latent_means"), reference = reference,
            standardize = standardize, title = fit$request$blueprint$title, caveat = caveat,
            unreleased = unreleased_means(fit, out, places, standardize), held = held,
            left = setdiff(setdiff(fit$layout$constructs, fit$layout$composites), constructs),
            items = lengths(indicators), over = compared_over(fit$layout))
}

# The names of these values in a bootstrap.
compared_name <- function(what, x) {
  paste0(what, "[", x$construct, ifelse(is.na(x$group), "", paste0(" | ", x$group)), "]")
}

# Are intercepts held across groups, over times, or both?
compared_over <- function(layout) {
  rows <- layout$rows
  intercept <- rows$kind == "intercept"
  c(groups = any(rows$over_groups[intercept]), times = any(rows$over_times[intercept]))
}

# The comparisons: each construct in each group with itself in the reference group; over times with
# itself at the first one, in each group.
compared_places <- function(layout, constructs, reference) {
  over <- compared_over(layout)
  rows <- layout$rows
  between <- if (over[["groups"]]) unlist(lapply(constructs, function(name) {
    lapply(setdiff(layout$groups, reference), function(g) {
      list(construct = name, names = c(name, name), groups = c(g, reference), against = reference)
    })
  }), recursive = FALSE)
  mean <- which(rows$kind == "mean" & rows$first %in% constructs & !is.na(rows$over))
  later <- if (over[["times"]]) unlist(lapply(mean[rows$time[mean] > 1L], function(at) {
    first <- mean[rows$over[mean] == rows$over[at] & rows$group[mean] == rows$group[at]][1L]
    if (first == at) return(NULL)
    names <- rows$first[c(at, first)]
    list(list(construct = paste(names, collapse = " - "), names = names,
              groups = rows$group[c(at, at)], against = names[2L]))
  }), recursive = FALSE)
  c(between, later)
}

# The difference of the means at two places, raw and in standard deviations.
mean_gap <- function(place, fit, standardize) {
  number <- match(place$groups, fit$layout$groups)
  at <- function(name, g) {
    match(name, c(fit$layout$parts[[g]]$observed, fit$layout$parts[[g]]$constructs))
  }
  size <- length(theta_of(fit))
  means <- derive(fit, "mean", number, mapply(at, place$names, number))
  jet <- function(found, i) list(value = found$value[i], gradient = found$gradient[i, ])
  gap <- combine_jets(tape_difference, list(jet(means, 1L), jet(means, 2L)), size)
  among <- spread_places(fit, place, number, standardize)
  variances <- derive(fit, "covariance", among$group, mapply(at, among$name, among$group))
  weight <- vapply(fit$moments[among$group], `[[`, 0, "n")
  weight <- weight / sum(weight)
  spread <- list(value = sum(weight * variances$value),
                 gradient = drop(weight %*% variances$gradient))
  std <- combine_jets(tape_over_root, list(gap, spread), size)
  error <- function(jet) delta_se(matrix(jet$gradient, 1L), vcov_of(fit))
  own <- place$groups[1L]
  list(construct = place$construct, group = shown_group(fit$layout, own),
       difference = gap$value, se = error(gap), standardized = std$value,
       standardized_se = error(std), against = place$against)
}

# The standard deviation used: that of the reference, or that of all groups (both times) pooled.
spread_places <- function(fit, place, number, standardize) {
  if (standardize == "reference") return(list(name = place$names[2L], group = number[2L]))
  if (place$names[1L] != place$names[2L]) return(list(name = place$names, group = number))
  among <- seq_along(fit$layout$groups)
  list(name = rep(place$names[1L], length(among)), group = among)
}

# Constructs whose mean differs between groups, or is held although its indicators would allow it to
# differ.
comparable_constructs <- function(layout) {
  rows <- layout$rows
  Filter(function(name) {
    mean <- rows$kind == "mean" & rows$first == name
    items <- rows$second[rows$kind == "loading" & rows$first == name]
    any(is.na(rows$fixed[mean])) ||
      any(rows$shared & rows$kind %in% c("intercept", "mean") & rows$first %in% items)
  }, setdiff(layout$constructs, layout$composites))
}

# Intercepts that are held although the loading of their item is not: the same differences with
# those intercepts free as well. NULL when there are none, or they cannot be freed.
unreleased_means <- function(fit, means, places, standardize) {
  rows <- fit$layout$rows
  loose <- rows$kind == "loading" & !rows$shared & is.na(rows$fixed) &
    rows$second %in% rows$first[rows$kind == "intercept" & rows$shared]
  loose <- loose & rows$parameter %in% parameters_let_differ(fit)
  held <- rows$parameter[rows$kind == "intercept" & rows$shared &
                           paste(rows$first, rows$group) %in%
                           paste(rows$second, rows$group)[loose]]
  if (length(held) == 0L || !all(releasable(fit, held))) return(NULL)
  bp <- without_trail(fit$request$blueprint)
  for (address in held) bp <- add_different(bp, address)
  other <- tryCatch(refit_quietly(fit, list(blueprint = bp)), orizzonte_error = function(e) NULL)
  if (is.null(other) || !has_converged(other)) return(NULL)
  gaps <- lapply(places, mean_gap, fit = other, standardize = standardize)
  list_frame(list(parameter = rep(enumerate(held), length(gaps)), construct = means$construct,
                  group = means$group, difference = means$difference,
                  difference_freed = unname(vapply(gaps, `[[`, 0, "difference")),
                  se_freed = unname(vapply(gaps, `[[`, 0, "se"))))
}

# The parameters named by let_differ().
parameters_let_differ <- function(fit) {
  rows <- pattern_rows(fit$request$blueprint$let_differ, fit$layout)
  fit$layout$rows$parameter[rows]
}

default_rung <- function(x) {
  if (inherits(x, "orizzonte_loosened")) x <- x$ladder
  if (!inherits(x, "orizzonte_ladder")) return(NULL)
  if ("scalar" %in% names(x$fits)) "scalar" else names(x$fits)[length(x$fits)]
}

# A rung of a ladder, or a fit as it is.
rung_fit <- function(x, rung, reader) {
  if (inherits(x, "orizzonte_loosened")) x <- x$ladder
  if (inherits(x, "orizzonte_ladder")) {
    rung <- rung %||% default_rung(x)
    check_rung(rung, x)
    return(x$fits[[rung]])
  }
  check_fit(x, reader)
  x
}

latent_mean_columns <- function(x) {
  x <- as.list(x)
  group <- if (!all(is.na(x$group))) list(group = ifelse(is.na(x$group), "", x$group))
  c(list(construct = x$construct), group, list(difference = format_number(x$difference),
       se = format_number(x$se),
       interval = paste0("[", format_number(x$lower), ", ", format_number(x$upper), "]"),
       z = format_fixed(x$z, 2L), p = format_p(x$p), `std.` = format_fixed(x$standardized, 2L)))
}

latent_mean_note <- function(x) {
  held <- attr(x, "held")
  if (is.null(held)) return(NULL)
  partial <- held < attr(x, "items")
  counts <- text_of("of_intercepts", partial = names(held)[partial], partial_2 = held[partial],
                    partial_3 = attr(x, "items")[partial])
  left <- attr(x, "left")
  pooled <- attr(x, "standardize") == "pooled"
  over_times <- isTRUE(attr(x, "over")[["times"]])
  text_of("std_standard_deviations_construct",
          attr = if (pooled) "pooled" else text_of("in_reference_group"),
          attr_2 = if (over_times) text_of(if (pooled) "pooled_over_times" else
                                             "first_time_reference"),
          partial = if (any(partial)) text_of("partly_held", counts = enumerate(counts)),
          left = if (length(left)) text_of("not_compared_since_what", left = enumerate(left),
                                           left_2 = if (length(left) == 1L) "it" else "them"))
}

# ", against evening", ", against the first time", or both.
compared_words <- function(x) {
  over <- attr(x, "over") %||% c(groups = TRUE, times = FALSE)
  reference <- attr(x, "reference")
  against <- c(if (over[["groups"]] && !is.null(reference)) reference,
               if (over[["times"]]) text_of("the_first_time"))
  if (length(against)) text_of("compared_against", against = enumerate(against))
}

# The effect of held intercepts of released loadings on the mean differences, if there is any.
unreleased_note <- function(x) {
  u <- attr(x, "unreleased")
  if (is.null(u)) return(NULL)
  moved <- abs(u$difference_freed - u$difference) > 0.1 * u$se_freed
  text_of("held_though_loading_is", parameter = u$parameter[1L],
          moved = if (!any(moved)) text_of("nothing_changes_when_freed") else
           text_of("freed_well", moved = enumerate(text_of("instead_of", construct = u$construct,
               group = ifelse(is.na(u$group), "", text_of("blueprint_in", where = u$group)),
               difference_freed = format_number(u$difference_freed),
               difference = format_number(u$difference))[moved], most = 6L)))
}

#' @export
print.orizzonte_latent_means <- function(x, ...) {
  if (!all(c("construct", "group", "difference", "se", "p", "standardized") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  columns <- latent_mean_columns(x)
  put_lines(heading(text_of("means_constructs", compared_words = compared_words(x))),
            format_caveat(x),
            format_table(columns, !names(columns) %in% c("construct", "group")))
  note <- latent_mean_note(x)
  if (!is.null(note)) put_lines("", wrap_lines(note))
  unreleased <- unreleased_note(x)
  if (!is.null(unreleased)) put_lines("", wrap_lines(unreleased))
  invisible(x)
}

#' Estimates of groups side by side, with a test of their difference
#'
#' One row per parameter: its estimate in every group, and a Wald test of whether they are equal
#' (moderation by group, for effects). A parameter that is held equal has no test; its standardized
#' values nevertheless differ where variances differ.
#'
#' @param fit A fit from [fit_model()] with groups.
#' @param kinds Kinds to show, such as `"effect"`; loadings, weights, effects and covariances when
#'   `NULL`.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_group_comparison`: `parameter`, for each group
#'   `estimate`, `se` and `standardized` (followed by a dot and the group), `difference`
#'   and `difference_se` (second minus first, with two groups), `wald`, `df`, `p` and `status`.
#' @section Errors: `orizzonte_error_input` for a fit without groups or an unknown kind.
#' @seealso [invariance()] for tests of whole sets of parameters, [group_plot()] for a picture.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging)
#' fit <- suppressMessages(fit_model(hold_equal(bp, loading), choirs, by = setting))
#' compare_groups(fit, kinds = "effect")
#' @export
compare_groups <- function(fit, kinds = NULL, ...) {
  check_arguments("compare_groups")
  check_fit(fit, "compare_groups")
  check_grouped(fit$layout)
  unknown <- setdiff(kinds, names(address_kinds))
  if (length(unknown)) {
    abort("input", c(text_of("no_such_kind", kind = quoted(unknown[1L])),
                     did_you_mean(unknown[1L], names(address_kinds))))
  }
  rows <- fit$layout$rows
  groups <- fit$layout$groups
  plain <- addresses_without_group(rows)
  wanted <-
    unique(plain[rows$kind %in% (kinds %||% c("loading", "weight", "effect", "covariance"))])
  se <- raw_errors(fit)
  standardized <- standardized_of(fit)$value
  places <- paste(plain, rows$group, sep = "\r")
  at <- vapply(groups, function(g) match(paste(wanted, g, sep = "\r"), places),
               integer(length(wanted)))
  at <- matrix(at, length(wanted), dimnames = list(NULL, groups))
  columns <- list(parameter = wanted)
  for (g in groups) {
    columns[[paste0("estimate.", g)]] <- values_of(fit)[at[, g]]
    columns[[paste0("se.", g)]] <- se[at[, g]]
    columns[[paste0("standardized.", g)]] <- standardized[at[, g]]
  }
  tests <- lapply(seq_along(wanted), function(i) test_equal(fit, at[i, !is.na(at[i, ])]))
  get <- function(name) vapply(tests, function(t) as.numeric(t[[name]]), 0)
  columns <- c(columns, list(difference = get("difference"), difference_se = get("difference_se"),
                             wald = get("wald"), df = get("df"), p = get("p"),
                             status = rows$status[at[, 1L]]))
  with_status(structure(list_frame_class(columns, "orizzonte_group_comparison"), groups = groups,
                        title = fit$request$blueprint$title, caveat = own_units_words(fit)), fit)
}

# Wald test that some rows are equal.
test_equal <- function(fit, rows) {
  none <- list(wald = NA_real_, df = NA_integer_, p = NA_real_, difference = NA_real_,
               difference_se = NA_real_)
  vcov <- vcov_of(fit)
  if (length(rows) < 2L || anyNA(vcov)) return(none)
  map <- map_matrix(fit$layout)
  contrast <- map[rows[-1L], , drop = FALSE] - rep(1, length(rows) - 1L) %o% map[rows[1L], ]
  gap <- values_of(fit)[rows[-1L]] - values_of(fit)[rows[1L]]
  variance <- contrast %*% vcov %*% t(contrast)
  test <- wald_test(gap, variance)
  if (max(abs(contrast)) == 0 || test$df == 0L) return(none)
  two <- length(rows) == 2L
  list(wald = test$wald, df = test$df, p = test$p, difference = if (two) gap else NA_real_,
       difference_se = if (two) sqrt(variance[1L]) else NA_real_)
}

#' @export
print.orizzonte_group_comparison <- function(x, ...) {
  groups <- attr(x, "groups")
  if (is.null(groups) || !all(paste0("estimate.", groups) %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  tests <- list(Wald = format_fixed(x$wald, 2L),
                df = ifelse(is.na(x$df), "", format_count(x$df)), p = format_p(x$p),
                status = ifelse(x$status %in% "free", "", x$status))
  if (length(groups) == 2L)
    tests <- c(list(difference = with_error(x$difference, x$difference_se)), tests)
  raw <- stats::setNames(lapply(groups, function(g) {
    with_error(x[[paste0("estimate.", g)]], x[[paste0("se.", g)]])
  }), groups)
  standardized <- stats::setNames(lapply(groups, function(g) {
    format_share(x[[paste0("standardized.", g)]])
  }), groups)
  put_lines(c(heading_with_status(text_of("groups_side_side", attr = attr(x, "title")), x),
              format_caveat(x),
              side_by_side_table(x$parameter, c(raw, tests)), "", "Standardized",
              side_by_side_table(x$parameter, standardized)))
  if (any(x$status %in% "held"))
    put_lines("", wrap_lines(text_of("what_is_held_is")))
  invisible(x)
}

side_by_side_table <- function(parameter, columns) {
  format_table(c(list(parameter = parameter), columns), c(FALSE, !names(columns) %in% "status"))
}
