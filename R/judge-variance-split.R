#' Split the variance of items into general and specific
#'
#' For bifactor and second-order models: the general, specific and residual variance of each item,
#' what a total score and subscale scores would measure, and whether a total score is justified.
#'
#' @param fit A fit from [fit_model()] whose model has a construct that is general: one that loads
#'   on all items of specific factors it does not covary with (bifactor), or on constructs
#'   (second-order).
#' @param general Name of the general construct; found when `NULL` and there is one only.
#' @param level Level of the intervals.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_variance_split`. `as.data.frame()` gives one row for each
#'   item and group: `item`, `group`, `factor` (its specific factor), `general`, `specific`,
#'   `residual` (proportions of its implied variance, which sum to one), `common_variance` (general
#'   over general plus specific) and `loading_bias` (by how much the general loading would be
#'   overestimated, proportionally, if all items were fitted as one dimension). The object also
#'   contains `scales`, one row per score: `factor`, `group`, `items`, `omega`, `omega_lower`,
#'   `omega_upper`, `omega_hierarchical` with its limits, `own_share` (omega hierarchical over
#'   omega), `prmse_part` and `prmse_total`, the limits of their difference (`added_lower`,
#'   `added_upper`), `explained_common_variance`, `h`, `determinacy`, `effect_bias` and `verdict`.
#'   The first row of each group is the general construct with all items; its verdict is
#'   `"one_score"`, `"mixture"`, `"general_with_parts"` or `"cannot_tell"`, that of a part
#'   `"adds"`, `"repeats"`, `"adds_unreliable"` or `"cannot_tell"`. Further components are
#'   `contamination` (`group`, `percent_uncontaminated`), `schmid_leiman` (of a second-order model:
#'   `item`, `group`, `factor`, `general`, `specific`, standardized loadings), `trouble` (why there
#'   is no verdict) and `reading`, in words.
#' @section Computation: Items are keyed by their general loading. omega is the proportion of
#' the variance of the sum score due to the general and specific factors, omega hierarchical the
#' proportion due to the general factor alone (McDonald 1999; Zinbarg et al. 2005); of a specific
#' factor both are
#'   over its own items, the second with its own part alone (Reise 2012). The explained common
#'   variance is \eqn{\sum\lambda_g^2 / (\sum\lambda_g^2 + \sum\lambda_s^2)} of standardized
#'   loadings; the percentage of uncontaminated correlations is the share of pairs of items that no
#'   specific factor links. A second-order model is read through its Schmid-Leiman form: general
#'   loadings are products, specific ones the loadings times the standard deviation of the
#'   disturbance (Schmid & Leiman 1957); with a negative disturbance variance it has none. Standard
#'   errors come from the delta method, intervals from the logit scale.
#' @section Verdicts: A part has added value if its observed score predicts its own true score
#'   better than the observed total does, in terms of the proportional reduction in mean squared
#'   error (Haberman 2008): `prmse_part` is omega of the part, `prmse_total` the squared covariance
#'   of the true part score and the total over the product of their variances. The verdict is based
#'   on the interval of the difference; if the interval is too wide, the verdict is `"cannot_tell"`.
#'   The total is one score if the lower limit of omega hierarchical is at least .80 (Rodriguez et
#'   al. 2016), a mixture if its upper limit is below .65 (Reise et al. 2013). No verdict is given
#'   where a residual variance is not positive, a standardized loading has a standard error above 1,
#'   or the loadings of a specific factor differ in sign. `h` is construct replicability (Hancock &
#'   Mueller 2001), `determinacy` the correlation of factor scores with the factor (Grice 2001): at
#'   least .90 for single persons, .80 for research on groups. `effect_bias` is the bias of the
#'   effect of the total on an outcome that depends on the general construct alone.
#' @section Errors: `orizzonte_error_input` for a model without a general construct, or with several
#'   and none named; `orizzonte_error_name` for one that is not general;
#'   `orizzonte_error_convergence` for a fit without estimates.
#' @references
#' Grice, J. W. (2001). Computing and evaluating factor scores. *Psychological Methods, 6*(4),
#' 430--450.
#'
#' Haberman, S. J. (2008). When can subscores have value? *Journal of Educational and Behavioral
#' Statistics, 33*(2), 204--229.
#'
#' Hancock, G. R., & Mueller, R. O. (2001). Rethinking construct reliability within latent variable
#' systems. In R. Cudeck, S. du Toit, & D. Sörbom (Eds.), *Structural equation modeling: Present
#' and future* (pp. 195--216). Scientific Software International.
#'
#' McDonald, R. P. (1999). *Test theory: A unified treatment*. Erlbaum.
#'
#' Reise, S. P. (2012). The rediscovery of bifactor measurement models. *Multivariate Behavioral
#' Research, 47*(5), 667--696.
#'
#' Reise, S. P., Scheines, R., Widaman, K. F., & Haviland, M. G. (2013). Multidimensionality and
#' structural coefficient bias in structural equation modeling. *Educational and Psychological
#' Measurement, 73*(1), 5--26.
#'
#' Rodriguez, A., Reise, S. P., & Haviland, M. G. (2016). Evaluating bifactor models: Calculating
#' and interpreting statistical indices. *Psychological Methods, 21*(2), 137--150.
#'
#' Schmid, J., & Leiman, J. M. (1957). The development of hierarchical factor solutions.
#' *Psychometrika, 22*(1), 53--61.
#'
#' Zinbarg, R. E., Revelle, W., Yovel, I., & Li, W. (2005). Cronbach's alpha, Revelle's beta, and
#' McDonald's omega_H. *Psychometrika, 70*(1), 123--133.
#' @seealso [construct_quality()].
#' @examples
#' bp <- blueprint("Musical self-image") |>
#'   construct("Ear", reflected_in = ear1:ear4) |>
#'   construct("Voice", reflected_in = voice1:voice4) |>
#'   construct("Score", reflected_in = score1:score4) |>
#'   construct("Image", reflected_in = c(Ear, Voice, Score))
#' fit <- suppressMessages(fit_model(bp, choirs_bifactor))
#' variance_split(fit)
#' @export
variance_split <- function(fit, general = NULL, level = 0.95, ...) {
  check_arguments("variance_split")
  check_fit(fit, "variance_split")
  check_level(level)
  if (!has_values(fit))
    abort("convergence", c(text_of("there_are_no_estimates_split"),
                           x = text_of("fit_has_groups", fit = fit_status(fit))))
  views <- group_views(fit)
  name <- general_construct(views[[1L]], general)
  parts <- lapply(views, view_split, name = name, level = level)
  frame <- function(what) {
    table <- bind_frames(lapply(parts, function(part) list_frame(part[[what]])))
    table$group <- shown_group(fit$layout, table$group)
    table
  }
  second <- is_second_order(views[[1L]], name)
  out <- list(title = fit$request$blueprint$title, general = name, second_order = second,
              items = frame("items"), scales = frame("scales"),
              trouble = unique(unlist(lapply(parts, `[[`, "trouble"))),
              contamination = frame("contamination"),
              schmid_leiman = if (second) frame("schmid_leiman"), level = level,
              status = solution_state(fit)$status,
              outside = unique(unlist(lapply(parts, `[[`, "outside"))))
  out$scales$verdict <- score_verdicts(out)
  out$reading <- split_reading(out)
  structure(out, class = "orizzonte_variance_split")
}

# --- which construct is general ------------------------------------------------------------------

is_second_order <- function(view, name) {
  rows <- view$layout$rows
  any(rows$kind == "loading" & rows$first == name & rows$second %in% view$layout$constructs)
}

# Items of a construct among the observed variables, numbered.
own_items <- function(view, name) {
  rows <- view$layout$rows
  own <- rows$kind == "loading" & rows$first == name
  intersect(match(rows$second[own], view$layout$observed), seq_along(view$layout$observed))
}

# The specific factors of a construct: constructs that do not covary with it and load on some of its
# items each (bifactor), or the constructs that it loads on.
specific_factors <- function(view, name) {
  rows <- view$layout$rows
  if (is_second_order(view, name))
    return(intersect(rows$second[rows$kind == "loading" & rows$first == name],
                     view$layout$constructs))
  all <- own_items(view, name)
  others <- setdiff(view$layout$constructs, c(name, view$layout$composites))
  Filter(function(other) {
    own <- own_items(view, other)
    length(own) > 0L && length(own) < length(all) && all(own %in% all) &&
      !is_second_order(view, other) && !covary_in(view, name, other) &&
      !any(rows$kind == "effect" & rows$second %in% c(name, other) &
             rows$first %in% c(name, other))
  }, others)
}

# The specific factors of bifactor models, each with its general construct.
specific_parts <- function(view, names) {
  unlist(lapply(names, function(name) {
    factors <- specific_factors(view, name)
    stats::setNames(rep(name, length(factors)), factors)
  }))
}

covary_in <- function(view, one, other) {
  rows <- view$layout$rows
  own <- rows$kind == "covariance" & rows$first %in% c(one, other) &
    rows$second %in% c(one, other)
  any(own & !rows$fixed %in% 0)
}

general_construct <- function(view, name) {
  constructs <- setdiff(view$layout$constructs, view$layout$composites)
  usable <- Filter(function(one) length(specific_factors(view, one)) > 0L, constructs)
  if (length(usable) == 0L)
    abort("input", c(text_of("variance_split_needs_bifactor"),
                     x = text_of("no_construct_one_loads"),
                     i = text_of("such_construct_general_reflected")))
  if (is.null(name)) {
    if (length(usable) == 1L) return(usable)
    abort("input", c(text_of("several_constructs_are_general", usable = enumerate(usable)),
                     i = text_of("name_one_variance_split", usable = quoted(usable[1L]))))
  }
  check_string(name, "`general`")
  if (!name %in% usable)
    abort("name", c(text_of("is_no_general_construct", name = quoted(name)),
                    i = paste0("General: ", enumerate(usable), ".")))
  name
}

# --- one group -----------------------------------------------------------------------------------

# Loadings on the general construct and on each specific factor, over all items, wherever possible
# in units of a factor with variance 1. A second-order model in its Schmid-Leiman form.
split_loadings <- function(view, name) {
  general <- item_loadings(view, name)
  factors <- specific_factors(view, name)
  second <- is_second_order(view, name)
  specific <- lapply(stats::setNames(factors, factors), function(factor) {
    loadings <- item_loadings(view, factor)
    loadings$variance <- if (second) disturbance_variance(view, factor) else
      construct_variance(view, factor)
    loadings
  })
  list(general = c(general, list(variance = construct_variance(view, name))),
       specific = specific, second = second)
}

disturbance_variance <- function(view, name) {
  rows <- view$layout$rows
  at <- which(rows$kind == "variance" & rows$first == name)
  derived_jet(view$fit, "entry", view$number, view$fit$layout$spans[[view$number]][at])
}

view_split <- function(view, name, level) {
  loadings <- split_loadings(view, name)
  items <- loadings$general$items
  key <- keys_of(loadings$general)
  shares <- item_shares(view, loadings)
  one <- one_dimension(view, loadings, key)
  common <- shares$general / (shares$general + shares$specific)
  scales <- c(split_scores(view, name, loadings, key, level),
              added_columns(view, loadings, key, level), factor_worth(view, loadings, key))
  scales$own_share <- scales$omega_hierarchical / scales$omega
  scales$effect_bias <- c(one$effect_bias, rep(NA_real_, length(scales$factor) - 1L))
  list(items = c(list(item = view$layout$observed[items],
                      group = rep(view$group, length(items))), shares,
                 list(common_variance = common, loading_bias = one$loading_bias)),
       scales = scales, trouble = split_trouble(view, loadings, key),
       contamination = list(group = view$group,
                            percent_uncontaminated = uncontaminated(loadings)),
       schmid_leiman = if (loadings$second) schmid_leiman(view, loadings, shares$factor),
       outside = view$layout$observed[items][shares$other > 1e-8])
}

# The proportions of the variance of each item due to the general construct, to the specific factors
# and other constructs, and to the residual.
item_shares <- function(view, loadings) {
  items <- loadings$general$items
  p <- length(view$layout$observed)
  total <- diag(view_matrices(view)$covariance)[items]
  general <- loadings$general$jet$value^2 * loadings$general$variance$value / total
  own <- rep(0, length(items))
  factor <- character(length(items))
  for (name in names(loadings$specific)) {
    part <- loadings$specific[[name]]
    at <- match(part$items, items)
    own[at] <- own[at] + part$jet$value^2 * part$variance$value / total[at]
    factor[at] <- ifelse(nzchar(factor[at]), paste(factor[at], name, sep = ", "), name)
  }
  rows <- view$layout$rows
  variance <- match(view$layout$observed[items], rows$first[rows$kind == "variance"])
  residual <- view$eta[rows$kind == "variance"][variance] / total
  rest <- 1 - general - residual
  list(factor = ifelse(nzchar(factor), factor, NA_character_), general = general,
       specific = rest, residual = residual, other = abs(rest - own))
}

# omega and omega hierarchical of the total and of each part, with their intervals.
split_scores <- function(view, name, loadings, key, level) {
  general <- loadings$general
  all <- general$items
  part_of <- function(part, at) {
    inside <- which(part$items %in% at)
    if (length(inside) == 0L) return(NULL)
    weight <- key[match(part$items[inside], all)]
    jet_times(jet_square(jet_sum(jet_at(part$jet, inside), weight)), part$variance)
  }
  score <- function(at, own) {
    parts <- Filter(Negate(is.null), c(list(part_of(general, at)),
                                       lapply(loadings$specific, part_of, at = at)))
    bottom <- sum_variance(view, at, key[match(at, all)])
    list(omega = jet_over(Reduce(jet_plus, parts), bottom),
         hierarchical = jet_over(part_of(own, at), bottom), items = length(at))
  }
  found <- c(list(score(all, general)), lapply(unname(loadings$specific), function(part) {
    score(part$items, part)
  }))
  df <- reference_df(view$fit)
  limits <- function(what) {
    jets <- bind_jets(lapply(found, `[[`, what))
    c(list(value = jets$value), share_interval(jets$value, jet_error(jets, view$fit), level, df))
  }
  omega <- limits("omega")
  hierarchical <- limits("hierarchical")
  list(factor = c(name, names(loadings$specific)), group = rep(view$group, length(found)),
       items = vapply(found, `[[`, 0L, "items"), omega = omega$value, omega_lower = omega$lower,
       omega_upper = omega$upper, omega_hierarchical = hierarchical$value,
       omega_hierarchical_lower = hierarchical$lower,
       omega_hierarchical_upper = hierarchical$upper,
       explained_common_variance = common_variance(view, loadings))
}

# The proportion of the explained variance (squared standardized loadings) due to each factor.
common_variance <- function(view, loadings) {
  total <- diag(view_matrices(view)$covariance)
  sums <- vapply(c(list(loadings$general), unname(loadings$specific)), function(part) {
    sum(part$jet$value^2 * part$variance$value / total[part$items])
  }, 0)
  sums / sum(sums)
}

# The proportion of pairs of items that no specific factor links.
uncontaminated <- function(loadings) {
  items <- loadings$general$items
  linked <- matrix(FALSE, length(items), length(items))
  for (part in loadings$specific) {
    at <- match(part$items, items)
    linked[at, at] <- TRUE
  }
  1 - mean(linked[lower.tri(linked)])
}

# General and specific standardized loadings; none where a disturbance variance is negative.
schmid_leiman <- function(view, loadings, factor) {
  items <- loadings$general$items
  sd <- sqrt(diag(view_matrices(view)$covariance)[items])
  specific <- rep(0, length(items))
  for (part in loadings$specific) {
    at <- match(part$items, items)
    specific[at] <- specific[at] + part$jet$value * real_root(part$variance$value) / sd[at]
  }
  list(item = view$layout$observed[items], group = rep(view$group, length(items)),
       factor = factor,
       general = loadings$general$jet$value * real_root(loadings$general$variance$value) / sd,
       specific = specific)
}

#' @export
as.data.frame.orizzonte_variance_split <- function(x, row.names = NULL, optional = FALSE, ...) {
  x$items[c("item", "group", "factor", "general", "specific", "residual", "common_variance",
            "loading_bias")]
}

# Is a total score justified? In words; and the printed form.

# The value of each score: the total score, which comes first in each group, and the scores of the
# items of each specific factor.
score_verdicts <- function(x) {
  s <- x$scales
  if (length(x$trouble) || !x$status %in% c("proper", "at bound"))
    return(rep("cannot_tell", length(s$factor)))
  first <- !duplicated(s$group)
  ifelse(first, mapply(rule_total_score, s$omega_hierarchical, s$omega_hierarchical_lower,
                       s$omega_hierarchical_upper),
         mapply(rule_part_score, s$added_lower, s$added_upper, s$omega, s$omega_lower))
}

split_reading <- function(x) {
  if (length(x$trouble)) return(text_of("split_no_verdict", trouble = enumerate(x$trouble)))
  if (!x$status %in% c("proper", "at bound")) return(text_of("split_improper"))
  vapply(seq_along(x$contamination$group), function(k) {
    group <- x$contamination$group[k]
    own <- x$scales[x$scales$group %in% group, ]
    total <- own[1L, ]
    sentence <- text_of(paste0("total_", total$verdict), general = x$general, omega = percent_words(
      total$omega_hierarchical), lower = format_share(total$omega_hierarchical_lower),
      upper = format_share(total$omega_hierarchical_upper))
    parts <- vapply(intersect(part_codes, own$verdict[-1L]), function(code) {
      which <- own$factor[-1L][own$verdict[-1L] == code]
      text_of(paste0("part_", code), parts = enumerate(which), count = length(which),
              general = x$general)
    }, "")
    bias <- if (isTRUE(abs(total$effect_bias) >= 0.05))
      text_of("effect_would_be_biased", general = x$general,
              bias = percent_words(abs(total$effect_bias)),
              direction = if (total$effect_bias < 0) "too small" else "too large")
    paste(c(if (!is.na(group)) text_of("split_in_group", group = group), sentence, parts, bias),
          collapse = " ")
  }, "")
}

#' @export
print.orizzonte_variance_split <- function(x, ...) {
  check_whole(x, c("items", "scales", "contamination", "reading"), "variance_split(fit)")
  put_lines(heading(text_of("general_specific_title", title = x$title)), format_split(x))
  invisible(x)
}

format_split <- function(x) {
  columns <- split_columns(x)
  text <- function(columns) names(columns) %in% c("item", "group", "factor", "score of", "verdict")
  free <- unique(percent_words_each(x$contamination$percent_uncontaminated))
  c(status_caution(x$status),
    text_of("shares_each_item_s"), format_table(columns$items, !text(columns$items)), "",
    text_of("what_scores_would_measure"),
    format_table(columns$scores, !text(columns$scores),
                 spare = c("items", "common variance", "interval", "H", "determinacy")), "",
    unlist(lapply(x$reading, wrap_lines)), "",
    wrap_lines(text_of("general_specific_legend", free = enumerate(free),
                       outside = if (length(x$outside)) text_of("specific_holds_what_other",
                           outside = enumerate(x$outside))),
      0L),
    if (x$second_order && anyNA(x$schmid_leiman$specific))
      wrap_lines(text_of("negative_disturbance_variance_has")))
}

split_columns <- function(x) {
  grouped <- !all(is.na(x$scales$group))
  group <- function(table) if (grouped) list(group = table$group)
  items <- c(list(item = x$items$item), group(x$items),
             list(factor = ifelse(is.na(x$items$factor), "", x$items$factor),
                  general = format_share(x$items$general),
                  specific = format_share(x$items$specific),
                  residual = format_share(x$items$residual),
                  `common variance` = format_share(x$items$common_variance)),
             if (x$second_order)
               list(`general loading` = format_share(x$schmid_leiman$general),
                    `specific loading` = format_share(x$schmid_leiman$specific)))
  scales <- x$scales
  whole <- scales$factor == x$general
  limits <- format_limits(ifelse(whole, scales$omega_hierarchical_lower, scales$omega_lower),
                          ifelse(whole, scales$omega_hierarchical_upper, scales$omega_upper))
  scores <- c(list(`score of` = ifelse(whole, text_of("all", general = x$general),
                                       scales$factor)),
              group(scales),
              list(items = format(scales$items), omega = format_share(scales$omega),
                   `own share` = format_share(scales$own_share), interval = limits,
                   `by itself` = format_share(scales$prmse_part),
                   `by the total` = format_share(scales$prmse_total),
                   `added value` = format_limits(scales$added_lower, scales$added_upper),
                   `common variance` = format_share(scales$explained_common_variance),
                   H = format_share(scales$h), determinacy = format_share(scales$determinacy),
                   verdict = words_of("score", scales$verdict)))
  list(items = items, scores = scores)
}

percent_words_each <- function(x) vapply(x, percent_words, "")

# --- the worth of scores of parts -----------------------------------------------------------------

# Loadings of the general construct and of each specific factor on a set of items, keyed, as jets of
# their sums: the contribution of each factor to the sum of these items, in units of the factor.
factor_sums <- function(loadings, key, at) {
  all <- loadings$general$items
  lapply(c(list(loadings$general), unname(loadings$specific)), function(part) {
    inside <- which(part$items %in% at)
    if (length(inside) == 0L) return(NULL)
    list(sum = jet_sum(jet_at(part$jet, inside), key[match(part$items[inside], all)]),
         variance = part$variance)
  })
}

# The covariance of the true scores of two sums of items.
true_covariance <- function(one, other) {
  parts <- Map(function(a, b) {
    if (is.null(a) || is.null(b)) return(NULL)
    jet_times(jet_times(a$sum, b$sum), a$variance)
  }, one, other)
  Reduce(jet_plus, Filter(Negate(is.null), parts))
}

# For one part, by how much its own observed score reduces the mean squared error of its true score,
# proportionally, and by how much the observed total does (Haberman 2008). list(part, total, added):
# jets.
added_value <- function(view, loadings, key, at) {
  all <- loadings$general$items
  own <- factor_sums(loadings, key, at)
  whole <- factor_sums(loadings, key, all)
  true <- true_covariance(own, own)
  part <- jet_over(true, sum_variance(view, at, key[match(at, all)]))
  both <- jet_square(true_covariance(own, whole))
  total <- jet_over(both, jet_times(true, sum_variance(view, all, key)))
  list(part = part, total = total, added = jet_minus(part, total))
}

# The columns of all scores of a group: the total score first, whose added value over itself is not
# defined.
added_columns <- function(view, loadings, key, level) {
  found <- lapply(unname(loadings$specific), function(part) {
    added_value(view, loadings, key, part$items)
  })
  jets <- bind_jets(lapply(found, `[[`, "added"))
  half <- stats::qt((1 + level) / 2, reference_df(view$fit)) * jet_error(jets, view$fit)
  value <- function(what) vapply(found, function(x) x[[what]]$value, 0)
  list(prmse_part = c(NA, value("part")), prmse_total = c(NA, value("total")),
       added_lower = c(NA, jets$value - half), added_upper = c(NA, jets$value + half))
}

# Standardized loadings of the items, keyed, on the general construct and the specific factors.
standard_loadings <- function(view, loadings, key) {
  items <- loadings$general$items
  sd <- sqrt(diag(view_matrices(view)$covariance)[items])
  vapply(c(list(loadings$general), unname(loadings$specific)), function(part) {
    out <- rep(0, length(items))
    at <- match(part$items, items)
    out[at] <- part$jet$value * sqrt(max(part$variance$value, 0)) / sd[at] * key[at]
    out
  }, numeric(length(items)))
}

# Construct replicability H = 1 / (1 + 1 / sum l^2/(1 - l^2)) (Hancock & Mueller 2001), and the
# determinacy of factor scores, the root of the diagonal of L' R^-1 L (Grice 2001).
factor_worth <- function(view, loadings, key) {
  l <- standard_loadings(view, loadings, key)
  items <- loadings$general$items
  r <- stats::cov2cor(view_matrices(view)$covariance[items, items]) * outer(key, key)
  h <- apply(l, 2L, function(x) {
    known <- x != 0 & abs(x) < 1
    if (any(abs(x) >= 1) || !any(known)) return(NA_real_)
    1 / (1 + 1 / sum(x[known]^2 / (1 - x[known]^2)))
  })
  list(h = h, determinacy = sqrt(pmin(diag(t(l) %*% solve_in_units(r, l)), 1)))
}

# The bias of loadings and of an effect when all items are fitted as one dimension although specific
# factors exist (Rodriguez, Reise & Haviland 2016): the one-factor model of the implied
# correlations. `effect_bias`: of the effect of the general construct on an outcome that depends on
# nothing else.
one_dimension <- function(view, loadings, key) {
  items <- loadings$general$items
  general <- standard_loadings(view, loadings, key)[, 1L]
  unknown <- list(loading_bias = rep(NA_real_, length(items)), effect_bias = NA_real_)
  if (is_replicate(view$fit)) return(unknown)
  r <- stats::cov2cor(view_matrices(view)$covariance[items, items]) * outer(key, key)
  dimnames(r) <- rep(list(paste0("item", seq_along(items))), 2L)
  r <- (r + t(r)) / 2
  fit <- tryCatch(suppressMessages(suppressWarnings({
    bp <- blueprint("One", scale = "unit") |> construct("One", reflected_in = !!rownames(r))
    fit_model(bp, summary_data(r, 1000))
  })), orizzonte_error = function(e) NULL)
  if (is.null(fit) || solution_state(fit)$status != "proper") return(unknown)
  rows <- fit$layout$rows
  one <- values_of(fit)[rows$kind == "loading"] / sqrt(1 / diag(r))
  one <- one * sign(sum(one))
  weight <- one / (1 - one^2)
  list(loading_bias = ifelse(abs(general) < 0.05, NA_real_, one / general - 1),
       effect_bias = sum(weight * general) / sum(weight * one) - 1)
}

# The reason why the proportions of a group cannot support a verdict, or NULL: a residual variance
# that is not positive, a loading that is hardly identified, a specific factor whose keyed loadings
# differ in sign.
split_trouble <- function(view, loadings, key) {
  residual <- item_shares(view, loadings)$residual
  items <- loadings$general$items
  rows <- view$layout$rows
  own <- which(rows$kind == "loading" & rows$second %in% view$layout$observed[items])
  se <- standardized_of(view$fit)$se[view$fit$layout$spans[[view$number]][own]]
  specific <- standard_loadings(view, loadings, key)[, -1L, drop = FALSE]
  mixed <- apply(specific, 2L, function(x) any(x > 0) && any(x < 0))
  c(if (any(residual <= 0)) text_of("split_residual_not_positive"),
    if (any(se > 1, na.rm = TRUE)) text_of("split_loading_unidentified"),
    if (any(mixed))
      text_of("split_mixed_signs", factor = enumerate(names(loadings$specific)[mixed])))
}
