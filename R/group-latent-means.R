#' Means of constructs compared between groups
#'
#' Differences from a reference group, given the intercepts that are held (Sörbom 1974), with delta-method errors; standardized by the
#' standard deviation of the construct in the reference group or pooled over groups.
#'
#' @param x A ladder from [invariance()], or a fit in which intercepts are held.
#' @param rung Of a ladder: which rung; `"scalar"` when `NULL`.
#' @param reference Name of the reference group; the first when `NULL`.
#' @param standardize `"reference"` or `"pooled"`: the standard deviation to divide by.
#' @param level Level of the intervals.
#' @return A data frame of class `orizzonte_latent_means`: `construct`, `group`, `difference`, `se`, `z`, `p`, `lower`, `upper`, `standardized`,
#'   `standardized_se`. The attribute `held` counts the intercepts held for each construct.
#' @section Errors: `orizzonte_error_input` when no intercepts are held; `orizzonte_error_name` for an unknown group or rung.
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |> construct("Craft", reflected_in = cr1:cr3)
#' ladder <- suppressMessages(invariance(bp, choirs, by = "setting", except = c("loading[Calm, sc2]", "intercept[cr3]")))
#' latent_means(ladder)
#' @export
latent_means <- function(x, rung = NULL, reference = NULL, standardize = "reference", level = 0.95) {
  fit <- rung_fit(x, rung, "latent_means")
  check_converged(fit, "latent_means")
  check_level(level)
  standardize <- choose_one(standardize, c("reference", "pooled"), "`standardize`")
  table <- fit$layout
  if (!has_groups(fit) || !any(table$shared & table$head == "intercept")) {
    abort("input", c("Means of constructs can be compared only when intercepts are held across groups.",
                     i = "Take the scalar rung of invariance(), or fit_model(..., by =, hold = c(\"loading\", \"intercept\"))."))
  }
  reference <- reference %||% group_names(fit)[1L]
  views <- group_views(fit)
  base <- one_group_of(fit, reference)
  contexts <- lapply(views, jet_context)
  vcov <- solution_vcov(fit)
  constructs <- comparable_constructs(table)
  rows <- unlist(lapply(constructs, function(name) {
    lapply(setdiff(names(views), reference), function(g) {
      at <- variable_index(name, c(views[[g]]$layout$observed, views[[g]]$layout$constructs), name)
      own <- variable_index(name, c(base$layout$observed, base$layout$constructs), name)
      one <- mean_jet(at, views[[g]], contexts[[g]])
      other <- mean_jet(own, views[[reference]], contexts[[reference]])
      gap <- list(value = one$value - other$value, gradient = one$gradient - other$gradient)
      spread <- if (standardize == "reference") covariance_jet(own, own, views[[reference]], contexts[[reference]]) else pooled_jet(name, views, contexts)
      std <- list(value = gap$value / sqrt(spread$value), gradient = gap$gradient / sqrt(spread$value) - gap$value * spread$gradient / (2 * spread$value^1.5))
      error <- function(jet) delta_se(matrix(jet$gradient, 1L), vcov)
      list(construct = name, group = g, difference = gap$value, se = error(gap), standardized = std$value, standardized_se = error(std))
    })
  }), recursive = FALSE)
  columns <- do.call(Map, c(list(c), rows))
  half <- stats::qnorm((1 + level) / 2) * columns$se
  z <- columns$difference / columns$se
  out <- list(construct = columns$construct, group = columns$group, difference = columns$difference, se = columns$se, z = z, p = 2 * stats::pnorm(-abs(z)),
              lower = columns$difference - half, upper = columns$difference + half, standardized = columns$standardized,
                  standardized_se = columns$standardized_se)
  held <- vapply(constructs, function(name) {
    items <- table$second[table$head == "loading" & table$first == name]
    length(unique(table$first[table$head %in% c("intercept", "mean") & table$shared & table$first %in% items]))
  }, 0L)
  structure(list_frame_class(out, "orizzonte_latent_means"), reference = reference, standardize = standardize, title = fit$blueprint$title, held = held,
            left = setdiff(setdiff(table$constructs, table$composites), constructs),
            items = vapply(constructs, function(name) length(unique(table$second[table$head == "loading" & table$first == name])), 0L))
}

# Constructs whose mean differs between groups, or is held although its indicators would let it differ.
comparable_constructs <- function(table) {
  Filter(function(name) {
    mean <- table$head == "mean" & table$first == name
    items <- table$second[table$head == "loading" & table$first == name]
    any(is.na(table$fixed[mean])) || any(table$shared & table$head %in% c("intercept", "mean") & table$first %in% items)
  }, setdiff(table$constructs, table$composites))
}

# A rung of a ladder, or a fit as it is.
rung_fit <- function(x, rung, reader) {
  if (inherits(x, "orizzonte_loosened")) x <- x$ladder
  if (inherits(x, "orizzonte_ladder")) {
    rung <- rung %||% if ("scalar" %in% names(x$fits)) "scalar" else names(x$fits)[length(x$fits)]
    if (!rung %in% names(x$fits)) abort("name", c(paste0("The ladder has no rung ", quoted(rung), "."), did_you_mean(rung, names(x$fits))))
    return(x$fits[[rung]])
  }
  check_fit(x, reader)
  x
}

# E = T alpha: d E_a / d B_ij = T_ai E_j, d E_a / d alpha_i = T_ai.
mean_jet <- function(a, fit, context) {
  layout <- fit$layout
  t <- context$matrices$total
  e <- context$matrices$mean
  by_entry <- numeric(length(layout$parameter))
  arrows <- layout$head %in% arrow_heads
  by_entry[arrows] <- t[a, layout$row[arrows]] * e[layout$col[arrows]]
  means <- layout$head %in% c("intercept", "mean")
  by_entry[means] <- t[a, layout$row[means]]
  list(value = e[a], gradient = drop(by_entry %*% context$map))
}

# Variance of a construct within groups, weighted by their size.
pooled_jet <- function(name, views, contexts) {
  n <- vapply(views, function(view) view$moments$n, 0)
  parts <- Map(function(view, context) {
    at <- match(name, c(view$layout$observed, view$layout$constructs))
    covariance_jet(at, at, view, context)
  }, views, contexts)
  list(value = sum(n * vapply(parts, `[[`, 0, "value")) / sum(n), gradient = Reduce(`+`, Map(function(part, n) part$gradient * n, parts, n)) / sum(n))
}

latent_mean_columns <- function(x) {
  list(construct = x$construct, group = x$group, difference = format_number(x$difference), se = format_number(x$se),
       interval = paste0("[", format_number(x$lower), ", ", format_number(x$upper), "]"), z = format_fixed(x$z, 2L), p = format_p(x$p),
       `std.` = format_fixed(x$standardized, 2L))
}

latent_mean_note <- function(x) {
  held <- attr(x, "held")
  if (is.null(held)) return(NULL)
  partial <- held < attr(x, "items")
  counts <- paste0(names(held)[partial], " (", held[partial], " of ", attr(x, "items")[partial], " intercepts)")
  left <- attr(x, "left")
  paste0("std.: in standard deviations of the construct ", if (attr(x, "standardize") == "pooled") "pooled within groups." else "in the reference group.",
         if (any(partial)) paste0(" Partly held: ", enumerate(counts), "."),
         if (length(left)) paste0(" Not compared: ", enumerate(left), ", since what measures ", if (length(left) == 1L) "it" else "them", " is not held here."))
}

#' @export
print.orizzonte_latent_means <- function(x, ...) {
  if (!all(c("construct", "group", "difference", "se", "p", "standardized") %in% names(x))) return(print(as.data.frame(unclass(x))))
  cat(heading(paste0("Means of constructs", if (!is.null(attr(x, "reference"))) paste0(", against ", attr(x, "reference")))),
      format_table(latent_mean_columns(x), c(FALSE, FALSE, rep(TRUE, 6L))), sep = "\n")
  note <- latent_mean_note(x)
  if (!is.null(note)) cat("", wrap_lines(note), sep = "\n")
  invisible(x)
}
