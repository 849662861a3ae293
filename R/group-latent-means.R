#' Means of constructs compared between groups
#'
#' Differences from a reference group, given the intercepts that are held (Sörbom 1974), with
#' delta-method standard errors; standardized by the standard deviation of the construct in the
#' reference group or pooled over groups.
#'
#' @param x A ladder from [invariance()], or a fit in which intercepts are held.
#' @param rung Of a ladder: which rung; `"scalar"` when `NULL`.
#' @param reference Name of the reference group; the first when `NULL`.
#' @param standardize `"reference"` or `"pooled"`: the standard deviation to divide by.
#' @param level Level of the intervals.
#' @return A data frame of class `orizzonte_latent_means`: `construct`, `group`, `difference`, `se`,
#'   `z`, `p`, `lower`, `upper`, `standardized`, `standardized_se`. The attribute `held` counts the
#'   intercepts held for each construct.
#' @section Errors: `orizzonte_error_input` when no intercepts are held; `orizzonte_error_name` for
#'   an unknown group or rung.
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Craft", reflected_in = cr1:cr3)
#' ladder <- suppressMessages(invariance(let_differ(bp, loading[Calm, sc2], intercept[cr3]), choirs,
#'                                       by = setting))
#' latent_means(ladder)
#' @export
latent_means <- function(x, rung = NULL, reference = NULL, standardize = "reference",
                         level = 0.95) {
  fit <- rung_fit(x, rung, "latent_means")
  check_converged(fit, "latent_means")
  check_level(level)
  standardize <- choose_one(standardize, c("reference", "pooled"), "`standardize`")
  rows <- fit$layout$rows
  if (!any(rows$shared & rows$kind == "intercept")) {
    abort("input",
          c("Means of constructs can be compared only when intercepts are held across groups.",
            i = paste0("Take the scalar rung of invariance(), or hold_equal(blueprint, ",
                       "loading, intercept).")))
  }
  reference <- chosen_group(fit$layout, reference)
  constructs <- comparable_constructs(fit$layout)
  found <- unlist(lapply(constructs, function(name) {
    lapply(setdiff(fit$layout$groups, reference),
           function(g) mean_gap(fit, name, g, reference, standardize))
  }), recursive = FALSE)
  columns <- do.call(Map, c(list(c), found))
  out <- c(columns[c("construct", "group", "difference")],
           inference_block(columns$difference, columns$se, level),
           columns[c("standardized", "standardized_se")])
  indicators <- lapply(stats::setNames(constructs, constructs), function(name) {
    unique(rows$second[rows$kind == "loading" & rows$first == name])
  })
  held <- vapply(indicators, function(items) {
    at <- rows$kind %in% c("intercept", "mean") & rows$shared & rows$first %in% items
    length(unique(rows$first[at]))
  }, 0L)
  structure(list_frame_class(out, "orizzonte_latent_means"), reference = reference,
            standardize = standardize, title = fit$request$blueprint$title, held = held,
            left = setdiff(setdiff(fit$layout$constructs, fit$layout$composites), constructs),
            items = lengths(indicators))
}

# The difference of one construct's means, raw and in standard deviations.
mean_gap <- function(fit, name, group, reference, standardize) {
  number <- match(c(group, reference), fit$layout$groups)
  place <- function(g) {
    match(name, c(fit$layout$parts[[g]]$observed, fit$layout$parts[[g]]$constructs))
  }
  size <- length(theta_of(fit))
  means <- derive(fit, "mean", number, vapply(number, place, 0L))
  jet <- function(found, i) list(value = found$value[i], gradient = found$gradient[i, ])
  gap <- combine_jets(tape_difference, list(jet(means, 1L), jet(means, 2L)), size)
  among <- if (standardize == "reference") number[2L] else seq_along(fit$layout$groups)
  variances <- derive(fit, "covariance", among, vapply(among, place, 0L))
  weight <- vapply(fit$moments[among], `[[`, 0, "n")
  weight <- weight / sum(weight)
  spread <- list(value = sum(weight * variances$value),
                 gradient = drop(weight %*% variances$gradient))
  std <- combine_jets(tape_over_root, list(gap, spread), size)
  error <- function(jet) delta_se(matrix(jet$gradient, 1L), vcov_of(fit))
  list(construct = name, group = group, difference = gap$value, se = error(gap),
       standardized = std$value, standardized_se = error(std))
}

# Constructs whose mean differs between groups, or is held although its indicators would let it
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

# A rung of a ladder, or a fit as it is.
rung_fit <- function(x, rung, reader) {
  if (inherits(x, "orizzonte_loosened")) x <- x$ladder
  if (inherits(x, "orizzonte_ladder")) {
    rung <- rung %||% if ("scalar" %in% names(x$fits)) "scalar" else names(x$fits)[length(x$fits)]
    if (!rung %in% names(x$fits))
      abort("name", c(paste0("The ladder has no rung ", quoted(rung), "."),
                      did_you_mean(rung, names(x$fits))))
    return(x$fits[[rung]])
  }
  check_fit(x, reader)
  x
}

latent_mean_columns <- function(x) {
  list(construct = x$construct, group = x$group, difference = format_number(x$difference),
       se = format_number(x$se),
       interval = paste0("[", format_number(x$lower), ", ", format_number(x$upper), "]"),
       z = format_fixed(x$z, 2L), p = format_p(x$p), `std.` = format_fixed(x$standardized, 2L))
}

latent_mean_note <- function(x) {
  held <- attr(x, "held")
  if (is.null(held)) return(NULL)
  partial <- held < attr(x, "items")
  counts <- paste0(names(held)[partial], " (", held[partial], " of ", attr(x, "items")[partial],
                   " intercepts)")
  left <- attr(x, "left")
  paste0("std.: in standard deviations of the construct ", if (attr(x, "standardize") == "pooled")
         "pooled within groups." else "in the reference group.",
         if (any(partial)) paste0(" Partly held: ", enumerate(counts), "."),
         if (length(left)) paste0(" Not compared: ", enumerate(left), ", since what measures ",
                                  if (length(left) == 1L) "it" else "them", " is not held here."))
}

#' @export
print.orizzonte_latent_means <- function(x, ...) {
  if (!all(c("construct", "group", "difference", "se", "p", "standardized") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  cat(heading(paste0("Means of constructs", if (!is.null(attr(x, "reference"))) paste0(", against ",
      attr(x, "reference")))), format_table(latent_mean_columns(x), c(FALSE, FALSE, rep(TRUE, 6L))),
      sep = "\n")
  note <- latent_mean_note(x)
  if (!is.null(note)) cat("", wrap_lines(note), sep = "\n")
  invisible(x)
}
