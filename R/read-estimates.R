#' Estimates: raw and standardized side by side
#'
#' Standard errors come from the inverse information, expected where the data are complete and
#' observed where values are missing, or from the sandwich where inference is robust, as
#' [fit_model()] was asked; those of standardized values from the delta method with analytic
#' derivatives. Effects and loadings
#' are standardized by both variables' standard deviations, covariances by those of the two
#' variables (of their residuals, for endogenous variables; the effect of a predictor coded 0/1 is
#' standardized by the outcome only), variances by the total variance, and intercepts by the
#' standard deviation.
#'
#' @param fit A fit from [fit_model()].
#' @param level Level of the confidence intervals.
#' @param bootstrap An object from [bootstrap_fit()] for this fit. Its standard errors, intervals
#'   and p values replace the theoretical ones; nothing is resampled here.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_estimates`, one row per parameter: `parameter` (its
#'   address), `group`, `kind` (in words: `mean[X]` of a construct that something points at is a
#'   `"construct intercept"`), `estimate`, `se`, `z`, `p` (two-sided), `lower`, `upper`,
#'   `standardized`, `standardized_se` (by the delta method) and `status`. Quantities follow at the
#'   end. `status`: free, fixed, equal, tied (by an equation), at bound, or derived. Parameters that
#'   are fixed or at a bound have no standard error and no test.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit, or a level outside 0 to
#' 1.
#' @seealso [effects.orizzonte_fit()], [r_squared()], [side_by_side()] for several models, [tidy()]
#'   for pipelines.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' estimates(suppressMessages(fit_model(bp, choirs)))
#' @export
estimates <- function(fit, level = 0.95, bootstrap = NULL, ...) {
  check_arguments("estimates")
  check_fit(fit, "estimates")
  check_level(level)
  check_same_bootstrap(bootstrap, fit, "estimates")
  rows <- fit$layout$rows
  standardized <- standardized_of(fit)
  se <- raw_errors(fit)
  columns <- c(list(parameter = rows$parameter, group = shown_group(fit$layout, rows$group),
                    kind = rows$meaning, estimate = values_of(fit)),
                    inference_block(values_of(fit), se, level, reference_df(fit)),
               list(standardized = standardized$value, standardized_se = standardized$se,
                    status = rows$status))
  if (length(fit$request$blueprint$quantities))
    columns <- Map(c, columns, quantity_rows(fit, level))
  columns <- with_bootstrap(columns, bootstrap, "estimates", columns$parameter,
                            paste0("standardized(", columns$parameter, ")"))
  with_status(structure(list_frame_class(columns, "orizzonte_estimates"),
            level = if (is.null(bootstrap)) level else bootstrap$asked$level,
            bootstrap = bootstrap_note(bootstrap)), fit)
}

# Most rows are one parameter times a weight; the others need the row of the map.
row_errors <- function(layout, vcov) {
  map <- layout$map
  terms <- tabulate(map$entry, length(layout$rows$kind))
  se <- numeric(length(terms))
  single <- terms[map$entry] == 1L
  se[map$entry[single]] <- abs(map$weight[single]) *
    sqrt(pmax(diag(vcov), 0))[map$parameter[single]]
  several <- which(terms > 1L)
  if (length(several)) se[several] <- delta_se(map_matrix(layout)[several, , drop = FALSE], vcov)
  if (anyNA(vcov)) se[] <- NA_real_
  se
}

# Standard errors of all rows; none for fixed parameters and for parameters at an active bound. A
# bound that involves two parameters leaves them as free as an equation does.
raw_errors <- function(fit) {
  cached(fit, "errors", {
    se <- row_errors(fit$layout, vcov_of(fit))
    se[fit$layout$rows$status %in% "fixed"] <- NA
    se[pinned_rows(fit)] <- NA
    se
  })
}

# Rows by parameter label, such as estimates(fit)["effect[Calm, Staying]", ]; an unknown label is
# an error instead of a row of missing values.
#' @export
`[.orizzonte_estimates` <- function(x, i, j, ...) {
  if (nargs() - ...length() > 2L && !missing(i) && is.character(i)) {
    i <- rows_by_label(x, i)
    return(if (missing(j)) x[i, ] else x[i, j, ...])
  }
  NextMethod()
}

#' @export
`[.orizzonte_effects` <- `[.orizzonte_estimates`

rows_by_label <- function(x, labels) {
  at <- match(labels, x$parameter)
  if (!anyNA(at)) return(at)
  unknown <- labels[is.na(at)][1L]
  abort("address", c(text_of("no_such_row", unknown = quoted(unknown)),
                     nearest_address(unknown, x$parameter)))
}

#' @export
print.orizzonte_estimates <- function(x, n = NULL, ...) {
  needed <- c("parameter", "kind", "estimate", "se", "z", "p", "standardized", "status")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  shown <- first_rows(x, n)
  put_lines(heading_with_status(text_of("head_estimates"), x),
            estimate_table(printed_estimates(shown)), rows_left(x, shown),
            if (!is.null(attr(x, "bootstrap"))) c("", wrap_lines(attr(x, "bootstrap"))))
  invisible(x)
}

printed_estimates <- function(x) {
  interval <- if (all(c("lower", "upper") %in% names(x))) {
    interval <- ifelse(is.na(x$lower), "",
                       paste0("[", format_number(x$lower), ", ", format_number(x$upper), "]"))
    level <- attr(x, "level")
    stats::setNames(list(interval), if (is.null(level)) "interval" else text_of("interval_title",
        level = format(100 * level)))
  }
  status <- ifelse(x$status %in% c("free", "derived"), "", x$status)
  c(list(parameter = x$parameter, estimate = format_number(x$estimate), se = format_number(x$se)),
    interval,
    list(z = format_fixed(x$z, 2L), p = format_p(x$p),
         standardized = format_share(x$standardized, 3L),
         status = status), user_columns(x))
}

# An interval contains the information of standard error and p value.
estimate_table <- function(columns) {
  with_interval <- any(grepl("interval", names(columns), fixed = TRUE))
  format_table(columns, c(FALSE, rep(TRUE, length(columns) - 2L), FALSE),
               spare = c("z", if (with_interval) c("p", "se")))
}

# The texts of items.

# The blueprint's wordings, and column labels where it has none.
all_wordings <- function(fit) {
  labels <- fit$sample$labels
  wording <- fit$request$blueprint$wording
  c(wording, labels[setdiff(names(labels), names(wording))])
}

# The wordings of all items that some parameters are about.
format_wordings <- function(parameters, wording) {
  if (length(wording) == 0L) return(NULL)
  named <- unlist(lapply(parameters, function(text) {
    address <- tryCatch(parse_address(text), error = function(e) NULL)
    c(address$first, address$second)
  }))
  shown <- intersect(names(wording), named)
  if (length(shown) == 0L) return(NULL)
  width <- max(nchar(shown))
  c("", "Item texts",
    wrap_lines(paste0(formatC(shown, width = -width), "  \"", wording[shown], "\""), 2L,
               width + 4L))
}

# Anything an expression may name, as a value with derivatives by the free parameters (a "jet"); all
# derivatives are computed by the core in one place.

quantity_codes <- c(entry = 0L, standardized = 1L, covariance = 2L, mean = 3L, total = 4L,
                    indirect = 5L, correlation = 6L, r_squared = 7L, sd_ratio = 8L)

# Quantities by number of group and variables (or row): values, a gradient each, and standard
# errors.
derive <- function(fit, what, group, a, b = a, errors = FALSE) {
  size <- length(a)
  none <- matrix(0, 0L, 0L)
  vcov <- if (errors) vcov_of(fit) else none
  if (anyNA(vcov)) vcov <- none
  core_derive(whole_model(fit), values_of(fit), rep_len(quantity_codes[what], size),
              as.integer(rep_len(group, size)), as.integer(a), as.integer(b),
              coded_variables(fit), vcov)
}

# Of each group, which variables are predictors coded 0/1: their effects are standardized by the
# outcome only.
coded_variables <- function(fit) {
  coding <- fit$sample$coding
  coded <- unlist(Map(coded_names, names(coding), coding), use.names = FALSE)
  unname(lapply(fit$layout$parts, function(part) c(part$observed, part$constructs) %in% coded))
}

# Standardized values of all rows, with gradients and standard errors.
standardized_of <- function(fit) {
  cached(fit, "standardized", {
    rows <- seq_along(fit$layout$rows$kind)
    found <- derive(fit, "standardized", 1L, rows, errors = TRUE)
    found$value[is.nan(found$value)] <- NA_real_
    found$se[is.na(found$se) | found$se < 1e-10] <- NA_real_
    found
  })
}

# Standard deviations per raw unit of one parameter, by the standard deviations of all variables.
parameter_unit <- function(rows, at, sd) {
  switch(names(parameter_families)[match(rows$family[at], parameter_families)],
         effect = sd[rows$col[at]] / sd[rows$row[at]], mean = 1 / sd[rows$row[at]],
         covariance = 1 / (sd[rows$row[at]] * sd[rows$col[at]]))
}

# The jet of a text: a list of `value` and `gradient` (by theta_of()). `scope`: the group of
# addresses that name none.
read_jet <- function(text, fit, scope = NULL) {
  expression <- str2lang(text)
  standardized <- identical(expression[[1L]], quote(standardized))
  address <- parse_address(if (standardized) expression[[2L]] else expression)
  if (address$kind %in% names(address_kinds)) {
    row <- restricted_rows(format(address), fit$layout, scope)
    if (length(row) != 1L) abort("restriction", text_of("is_not_one_parameter", value = text))
    return(one_jet(derive(fit, if (standardized) "standardized" else "entry", 1L, row)))
  }
  group <- address$group %||% scope
  if (address$kind == "quantity") return(quantity_jet(address$first, fit, group))
  g <- match(chosen_group(fit$layout, named_group(fit$layout, group)), fit$layout$groups)
  part <- fit$layout$parts[[g]]
  at <- variable_index(c(address$first, address$second), c(part$observed, part$constructs), text)
  found <- one_jet(derive(fit, address$kind, g, at[1L], at[length(at)]))
  if (!standardized) return(found)
  # an indirect or total effect: times sd of the cause over sd of the outcome
  ratio <- one_jet(derive(fit, "sd_ratio", g, at[1L], at[length(at)]))
  combine_jets(tape_product, list(found, ratio), length(theta_of(fit)))
}

one_jet <- function(found) list(value = found$value, gradient = found$gradient[1L, ])

quantity_jet <- function(name, fit, scope = NULL) {
  known <- fit$request$blueprint$quantities
  if (!name %in% names(known)) {
    abort("name",
          c(text_of("there_is_no_quantity", name = quoted(name)), did_you_mean(name, names(known))))
  }
  expression_jet(str2lang(known[[name]]), fit, scope)
}

expression_jet <- function(expression, fit, scope = NULL) {
  tape <- read_expression(expression, read_only = TRUE)
  combine_jets(tape, lapply(tape$inputs, read_jet, fit = fit, scope = scope), length(theta_of(fit)))
}

# A tape evaluated at several jets, by the chain rule.
combine_jets <- function(tape, jets, size) {
  values <- vapply(jets, `[[`, 0, "value")
  gradients <- matrix(as.numeric(unlist(lapply(jets, `[[`, "gradient"))), length(jets), size,
                      byrow = TRUE)
  core_expression(tape, as.numeric(values), gradients)
}

# Tapes with two inputs, in postfix order.
two_input_tape <- function(...) {
  list(operation = c(tape_input, tape_input, ...), argument = c(0, 1, numeric(...length())))
}
tape_product <- two_input_tape(expression_operators[["*"]])
tape_difference <- two_input_tape(expression_operators[["-"]])
# a / sqrt(b)
tape_over_root <- two_input_tape(expression_functions[["sqrt"]], expression_operators[["/"]])

# One row per quantity, in the columns of estimates().
quantity_rows <- function(fit, level) {
  texts <- fit$request$blueprint$quantities
  places <- unlist(lapply(names(texts), function(name) {
    scopes <- text_scopes(quantity_addresses(texts[[name]]), fit$layout)
    lapply(scopes, function(g) list(name = name, group = g))
  }), recursive = FALSE)
  jets <- lapply(places, function(place) quantity_jet(place$name, fit, place$group))
  groups <- vapply(places, function(place) place$group %||% NA_character_, "")
  groups <- shown_group(fit$layout, groups)
  names <- vapply(places, `[[`, "", "name")
  value <- vapply(jets, `[[`, 0, "value")
  se <- delta_se(do.call(rbind, lapply(jets, `[[`, "gradient")), vcov_of(fit))
  none <- rep(NA_real_, length(value))
  c(list(parameter = address_format("quantity", names, NA_character_, groups), group = groups,
         kind = rep("quantity", length(value)), estimate = value),
         inference_block(value, se, level, reference_df(fit)),
    list(standardized = none, standardized_se = none, status = rep("derived", length(value))))
}

#' Explained variance
#'
#' R² = 1 - residual variance / total variance, for every variable that
#' something points at, with a delta-method standard error.
#'
#' @param fit A fit from [fit_model()].
#' @param bootstrap An object from [bootstrap_fit()] for this fit. Its standard errors, intervals
#'   and p values replace the theoretical ones; nothing is resampled here.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_r_squared`: `variable`, `group`,
#'   `kind` (item, construct or observed outcome), `r_squared`, `se`.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit.
#' @seealso [estimates()], [path_diagram()] with `r_squared = TRUE`.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' r_squared(suppressMessages(fit_model(bp, choirs)))
#' @export
r_squared <- function(fit, bootstrap = NULL, ...) {
  check_arguments("r_squared")
  check_fit(fit, "r_squared")
  rows <- fit$layout$rows
  standardized <- standardized_of(fit)
  at <- which(rows$kind == "variance" & rows$first %in% fit$layout$endogenous)
  variable <- rows$first[at]
  check_same_bootstrap(bootstrap, fit, "r_squared")
  group <- shown_group(fit$layout, rows$group[at])
  columns <- list(variable = variable, group = group, kind = variable_kind(fit$layout, variable),
                  r_squared = 1 - standardized$value[at], se = standardized$se[at])
  label <- r_squared_labels(variable, group)
  with_status(list_frame_class(with_bootstrap(columns, bootstrap, "r_squared", label),
                               "orizzonte_r_squared"), fit)
}

# The names of explained variances in a bootstrap.
r_squared_labels <- function(variable, group) {
  paste0("r_squared[", variable, ifelse(is.na(group), "", paste0(" | ", group)), "]")
}

# The kind of an endogenous variable: construct, item or observed outcome.
variable_kind <- function(layout, variable) {
  items <- layout$rows$second[layout$rows$kind == "loading"]
  ifelse(variable %in% layout$constructs, "construct",
         ifelse(variable %in% items, "item", "observed outcome"))
}

#' @export
print.orizzonte_r_squared <- function(x, ...) {
  if (!all(c("variable", "kind", "r_squared", "se") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(heading_with_status(text_of("head_explained_variance"), x), format_r_squared_table(x))
  invisible(x)
}

format_r_squared_table <- function(x) {
  format_table(r_squared_columns(x), c(FALSE, FALSE, TRUE, TRUE, FALSE))
}

r_squared_columns <- function(x) {
  note <- ifelse(is.na(x$r_squared), "",
                 ifelse(x$r_squared > 1 | x$r_squared < 0, "impossible",
                        ifelse(x$r_squared < 0.25, "weak", "")))
  if (!is.null(x$group) && !all(is.na(x$group))) x$variable <- paste0(x$variable, " | ", x$group)
  titled(list(variable = x$variable, kind = x$kind, r_squared = format_share(x$r_squared, 3L),
              se = format_share(x$se, 3L), note = note))
}

# The units of constructs in several groups: without equal loadings each group has its own.

# Constructs whose loadings are not held equal across groups: of several loadings fewer than two
# are.
constructs_in_own_units <- function(fit) {
  if (length(fit$layout$groups) < 2L) return(character())
  rows <- fit$layout$rows
  loads <- rows$kind == "loading"
  several <- vapply(split(rows$second[loads], rows$first[loads]),
                    function(items) length(unique(items)), 0L)
  held <- rows$shared & loads & rows$group != fit$layout$groups[1L]
  by_construct <- vapply(names(several), function(name) {
    each <- table(factor(rows$group[held & rows$first == name], fit$layout$groups[-1L]))
    min(each)
  }, 0L)
  intersect(fit$layout$constructs, names(several)[several > 1L & by_construct < 2L])
}

# The caution that precedes comparisons of numbers between groups; NULL where loadings are held.
own_units_words <- function(fit) {
  own <- constructs_in_own_units(fit)
  if (length(own)) text_of("own_units", constructs = enumerate(own), count = length(own))
}

# A caution precedes the numbers that it is about.
format_caveat <- function(x) {
  caveat <- attr(x, "caveat")
  if (!is.null(caveat)) c(wrap_lines(paste("CAUTION:", caveat)), "")
}

# Values with derivatives by the free parameters: a vector, and a matrix with one row per value.
# Sums and ratios of model quantities use them for the delta method.

new_jet <- function(value, gradient) list(value = as.numeric(value), gradient = gradient)

# Quantities that the core derives (see quantity_codes), of variables by number.
derived_jet <- function(fit, what, group, a, b = a) {
  if (length(a) == 0L) return(new_jet(numeric(), matrix(0, 0L, length(theta_of(fit)))))
  found <- derive(fit, what, group, a, b)
  new_jet(found$value, found$gradient)
}

jet_sum <- function(jet, weight = rep(1, length(jet$value))) {
  new_jet(sum(weight * jet$value), matrix(colSums(weight * jet$gradient), 1L))
}

jet_times <- function(a, b) {
  new_jet(a$value * b$value, a$gradient * b$value + b$gradient * a$value)
}

jet_over <- function(a, b) {
  value <- a$value / b$value
  new_jet(value, (a$gradient - value * b$gradient) / b$value)
}

jet_plus <- function(a, b) new_jet(a$value + b$value, a$gradient + b$gradient)

jet_minus <- function(a, b) new_jet(a$value - b$value, a$gradient - b$gradient)

jet_square <- function(a) jet_times(a, a)

jet_at <- function(jet, at) new_jet(jet$value[at], jet$gradient[at, , drop = FALSE])

bind_jets <- function(jets) {
  new_jet(unlist(lapply(jets, `[[`, "value")), do.call(rbind, lapply(jets, `[[`, "gradient")))
}

jet_error <- function(jet, fit) delta_se(jet$gradient, vcov_of(fit))

# The interval of a proportion, on the logit scale: within 0 and 1 (none for values outside).
share_interval <- function(value, se, level, df = Inf) {
  inside <- !is.na(value) & value > 0 & value < 1
  value[!inside] <- NA_real_
  half <- stats::qt((1 + level) / 2, df) * se / (value * (1 - value))
  list(lower = stats::plogis(stats::qlogis(value) - half),
       upper = stats::plogis(stats::qlogis(value) + half))
}

#' Loadings by item and construct
#'
#' The usual table of a factor analysis: one row per item, one column per construct, and the
#' communality of the item, the proportion of its variance that its constructs explain together.
#'
#' @param fit A fit from [fit_model()].
#' @param values `"standardized"` or `"raw"` loadings; communalities are the same.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_loading_table`, one row per item and group: `item`,
#'   `group`, one column per construct with its loadings (`NA` where an item does not load on it),
#'   and `communality`. The attribute `constructs` gives the column of each construct.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit, and for a model without
#'   loadings.
#' @seealso [loading_plot()] for a figure with intervals and item texts, [estimates()] for standard
#'   errors, [construct_quality()].
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' loading_table(suppressMessages(fit_model(bp, choirs)))
#' @export
loading_table <- function(fit, values = "standardized", ...) {
  check_arguments("loading_table")
  check_fit(fit, "loading_table")
  values <- choose_one(values, c("standardized", "raw"), "`values`")
  rows <- fit$layout$rows
  loads <- which(rows$kind == "loading")
  if (length(loads) == 0L) abort("input", text_of("no_loadings_to_show"))
  standardized <- standardized_of(fit)$value
  value <- if (values == "raw") values_of(fit) else standardized
  key <- unique(data.frame(item = rows$second[loads], group = rows$group[loads]))
  key <- key[order(match(key$group, fit$layout$groups)), ]
  constructs <- unique(rows$first[loads])
  columns <- lapply(constructs, function(name) {
    own <- loads[rows$first[loads] == name]
    value[own][match(paste(key$group, key$item), paste(rows$group[own], rows$second[own]))]
  })
  # a construct may have the name of one of the other columns
  names(columns) <- utils::tail(make.unique(c("item", "group", "communality", constructs)), -3L)
  own <- which(rows$kind == "variance")
  residual <- standardized[own][match(paste(key$group, key$item),
                                      paste(rows$group[own], rows$first[own]))]
  table <- list_frame_class(c(list(item = key$item, group = shown_group(fit$layout, key$group)),
                              columns, list(communality = 1 - residual)),
                            "orizzonte_loading_table")
  with_status(structure(table, constructs = stats::setNames(names(columns), constructs),
                        values = values), fit)
}

#' @export
print.orizzonte_loading_table <- function(x, ...) {
  constructs <- attr(x, "constructs")
  if (!all(c("item", "group", constructs, "communality") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  number <- if (attr(x, "values") == "raw") format_number else format_share
  shown <- function(column) ifelse(is.na(column), "", number(column))
  columns <- c(list(item = x$item), if (!all(is.na(x$group))) list(group = x$group),
               lapply(constructs, function(name) shown(x[[name]])),
               list(communality = ifelse(is.na(x$communality), "", format_share(x$communality))))
  words <- length(columns) - length(constructs) - 1L
  title <- text_of(if (attr(x, "values") == "raw") "head_loading_table_raw" else
    "head_loading_table")
  put_lines(heading_with_status(title, x),
            format_table(columns, c(rep(FALSE, words), rep(TRUE, length(constructs) + 1L))))
  invisible(x)
}

# Intervals from a bootstrap in the tables of results.

# `columns`: of a results function, with se, z, p, lower and upper where it has them; `names`: the
# name of each row in a bootstrap, `standardized` the name of its standardized value. Rows that were
# not bootstrapped are left empty: theoretical values would not be comparable.
with_bootstrap <- function(columns, bootstrap, reader, names, standardized = NULL) {
  if (is.null(bootstrap)) return(columns)
  table <- bootstrapped_table(bootstrap, reader)
  at <- match(names, table$parameter)
  if (all(is.na(at)) && (is.null(standardized) || all(is.na(match(standardized, table$parameter)))))
    abort("input", c(text_of("bootstrap_holds_nothing_shows", reader = reader),
                     i = text_of("make_one_what_or", reader = reader)))
  columns$se <- table$se[at]
  if (!is.null(columns$z)) columns$z <- rep(NA_real_, length(at))
  if (!is.null(columns$p)) columns$p <- table$p[at]
  columns$lower <- table$lower[at]
  columns$upper <- table$upper[at]
  if (!is.null(standardized))
    columns$standardized_se <- table$se[match(standardized, table$parameter)]
  columns
}

# The values of the bootstrap that a results function was given.
bootstrapped_table <- function(bootstrap, reader) {
  if (!inherits(bootstrap, "orizzonte_bootstrap"))
    abort("input", c(text_of("bootstrap_must_come_from", reader = reader),
                     x = text_of("it_is_of_kind", value = describe(bootstrap)),
                     i = text_of("boot_bootstrap_fit_fit")))
  as.data.frame(bootstrap)
}

check_same_bootstrap <- function(bootstrap, fit, reader) {
  if (is.null(bootstrap)) return(invisible())
  bootstrapped_table(bootstrap, reader)
  other <- bootstrap$fit
  same <- identical(names(theta_of(other)), names(theta_of(fit))) &&
    isTRUE(all.equal(theta_of(other), theta_of(fit), tolerance = 1e-8))
  if (same) return(invisible())
  abort("input", c(text_of("bootstrap_is_another_fit"),
                   i = text_of("make_one_fit_bootstrap")))
}

# The bootstrap, if it contains any of these values.
bootstrap_holding <- function(bootstrap, names) {
  if (any(names %in% names(bootstrap$estimate))) bootstrap
}

# Below a table: the source of its standard errors.
bootstrap_note <- function(bootstrap) {
  if (is.null(bootstrap)) return(NULL)
  text_of("standard_errors_intervals_p", reps = format_count(bootstrap$asked$reps),
          p_values = if (bootstrap$asked$reps < fewest_for_p) text_of("too_few_for_p_values") else
            text_of("p_values_at_least", least = short_number(
              signif(least_replicate_p(bootstrap$asked$reps), 2L))),
          seed = bootstrap$asked$seed, interval = interval_words[[bootstrap$asked$interval]])
}

interval_words <- c(bca = "bias-corrected and accelerated", percentile = "percentile",
                    `bias-corrected` = "bias-corrected")

# The values of each group that fit indices need: discrepancies, residuals and determinants.

# `cases`: their number, whatever the multiplier. Log-likelihoods are those of the data at the
# estimates: with the multiplier n - 1 they are not maximum-likelihood values.
group_measures <- function(moments, model, observed, endogenous, structured, means, independence,
                           cases) {
  n <- moments$n
  s <- moments$covariance
  p <- ncol(s)
  dimnames(s) <- list(observed, observed)
  sigma <- model$covariance[seq_len(p), seq_len(p), drop = FALSE]
  mu <- if (structured) model$mean[seq_len(p)]
  log_s <- log_determinant(s)
  ratio <- solve_in_units(sigma, s)
  base <- baseline_model(s, endogenous, n, means, independence, log_s)
  d <- if (structured) moments$mean - mu
  chisq_means <- if (structured) n * sum(d * solve_in_units(sigma, d)) else 0
  log_sigma <- log_determinant(sigma)
  kept <- n / cases                    # S of the data, with divisor n, is this times `s`
  list(n = n, gfi = gfi(ratio), srmr = srmr(s, sigma, if (structured) moments$mean, mu),
       chisq_baseline = base$chisq, df_baseline = base$df,
       baseline_parameters = base$parameters,
       deviance = data_deviance(cases, p, log_sigma, kept * sum(diag(ratio)) + chisq_means / n),
       deviance_saturated = data_deviance(cases, p, log_s, kept * p),
       deviance_baseline = data_deviance(cases, p, base$log_det, kept * p),
       covariances = p * (p + 1) / 2, moments = p * (p + 1) / 2 + if (means) p else 0,
       chisq_means = chisq_means,
       chisq = n * (log_sigma + sum(diag(ratio)) - log_s - p) + chisq_means)
}

# The values of each group that fit indices need, named by group. The mean part of chi-square is n
# (m - mu)' Sigma^-1 (m - mu).
measures_by_group <- function(fit, independence = FALSE) {
  fit <- joint_fit(fit)
  structured <- fit$layout$means && !fit$layout$saturated_means
  # saturated means do not contribute to the discrepancy
  Map(function(part, moments, model, cases) {
    if (is.null(moments$patterns))
      return(group_measures(moments, model, part$observed, part$endogenous, structured,
                            fit$layout$means, independence, cases))
    incomplete_measures(moments, model, part$observed, part$endogenous, structured, independence,
                        own = which(!part$observed %in% fit$layout$auxiliary))
  }, fit$layout$parts, fit$moments, matrices_of(fit), n_by_group(fit$sample))
}

# Computed once for each fit.
measures_of <- function(fit) cached(fit, "measures", measures_by_group(fit))
