# Are the parameters identified? By counting, by name, then by local rank.

#' Is the model identified?
#'
#' Counts moments and free parameters, looks at the structure by name, and finds
#' the local rank of the information matrix at several points (Rothenberg 1971):
#' parameters in its null space trade off against each other without changing
#' the fit. [fit_model()] runs the same checks first and refuses models that fail them, with this
#' explanation.
#'
#' @param bp A [blueprint()].
#' @param data A data frame or [summary_data()]; without it the rank is taken at
#'   made-up moments that the model implies.
#' @param by,levels,missing_codes,incomplete,auxiliary,inference As in [fit_model()]; groups need
#'   data.
#' @param adjust,clusters,weights,weight_scale As in [fit_model()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_identification`: a list with
#'   `identified`, `sample` (the cases, in words), `moments`, `parameters`, `df`, `kinds` (counts of
#'   free parameters), `rank`, `lacking` (parameters too many), `trading` (addresses
#'   that trade off), `notes` (parameters that are identified only weakly), `remedies`, `assumed`
#'   and `not_assumed`.
#' @section Errors: as [fit_model()] for names and data.
#' @references
#' Rothenberg, T. J. (1971). Identification in parametric models. *Econometrica, 39*(3), 577--591.
#' @seealso [fit_model()], [rescue()] when the fit itself fails.
#' @examples
#' bp <- blueprint("Two items") |> construct("Belonging", reflected_in = c(be1, be2))
#' identification(bp)
#' identification(bp |> construct("Calm", reflected_in = sc1:sc2), choirs)
#' @export
identification <- function(bp, data = NULL, by = NULL, levels = NULL, missing_codes = NULL,
                           incomplete = "keep", auxiliary = NULL, inference = NULL,
                           adjust = "mean", clusters = NULL, weights = NULL,
                           weight_scale = "groups", ...) {
  check_arguments("identification")
  check_blueprint(bp, "identification")
  request <- request_of(bp, data, "identification")
  if (is.null(data)) {
    if (!is.null(request$by))
      abort("input",
            c(text_of("groups_need_data_here"),
              i = text_of("identification_blueprint_data_column")))
    check_variables(bp)
    layout <- build_layout(group_blueprint(bp, ""), means = mentions_means(bp))
    moments <- plausible_moments(layout)
  } else {
    sample <- sample_of(data, request)
    # auxiliary variables change nothing about identification: they are saturated
    if (length(sample$auxiliary)) sample <- without_auxiliary(sample)
    layout <- unconstrained_layout(request, sample)
    moments <- sample_moments(sample, "n")
    announce_sample(sample)
    for (note in layout$notes) say(note)
  }
  structure(c(list(title = bp$title, with_data = !is.null(data),
                   sample = if (!is.null(data)) sample_header(sample)),
              examine_identification(layout, moments), list_assumptions(layout, bp)),
            class = "orizzonte_identification")
}

examine_identification <- function(layout, moments) {
  counts <- layout_counts(layout)
  # too many parameters: the rank is computed all the same, so that those that trade off can be
  # named
  if (is.null(moments) && length(layout$parts) == 1L) moments <- plausible_moments(layout)
  rank <- if (!is.null(moments)) core_local_rank(layout$model, unname(moments))
  parameters <- length(layout$model$used)
  trading <- if (is.null(rank)) character() else trading_parameters(rank$null_vectors,
      layout$parameters[layout$model$used])
  lacking <- if (is.null(rank)) 0L else parameters - rank$rank
  identified <- counts$df >= 0L && lacking == 0L
  list(identified = identified, moments = counts$moments, parameters = counts$parameters,
       df = counts$df, kinds = format_kinds(counts), equations = counts$equations,
       rank = if (!is.null(rank)) rank$rank + length(layout$parameters) - parameters,
       lacking = lacking, trading = trading, notes = if (identified) resting_on_little(layout) else
       character(), remedies = if (identified) character() else
       unique(unname(remedies(layout, counts, lacking))))
}

# Moments that the model itself implies at moderate values, for a check without data.
plausible_moments <- function(layout) {
  eta <- ifelse(is.na(layout$rows$fixed), typical_values(layout), layout$rows$fixed)
  p <- length(layout$observed)
  for (attempt in 1:20) {
    model <- core_implied(layout$model, eta[layout$model$rows])[[1L]]
    s <- model$covariance[seq_len(p), seq_len(p), drop = FALSE]
    if (smallest_eigenvalue(s) > 1e-3) break
    covarying <- layout$rows$kind %in% c("covariance", "effect") & is.na(layout$rows$fixed)
    eta[covarying] <- eta[covarying] / 2
    if (attempt == 20L) s <- diag(p) + 0.3
  }
  list(list(n = 500, covariance = s, mean = if (layout$means) model$mean[seq_len(p)]))
}

# fit_model() asks before it estimates (by counting) and after (by rank).
check_counts <- function(layout) {
  if (layout_counts(layout)$df < 0L) refuse(layout, examine_identification(layout, NULL))
}

refuse_unidentified <- function(layout, moments) {
  check_offset(layout, moments)
  refuse(layout, examine_identification(layout, moments))
}

# If the mean of a predictor is very many standard deviations from zero, its effects and the
# intercepts cannot be separated in double precision. The model itself may still be identified.
largest_offset <- 1e5
check_offset <- function(layout, moments) {
  if (!layout$model$means) return(invisible())
  causes <- unique(layout$rows$first[layout$rows$kind %in% c("effect", "weight")])
  for (group in moments) {
    own <- intersect(causes, colnames(group$covariance))
    offset <- abs(group$mean[own]) / sqrt(diag(group$covariance)[own])
    far <- own[offset > largest_offset]
    if (length(far) == 0L) next
    abort("data", c(text_of("mean_is_standard_deviations", far = quoted(far[1L]),
                            far_2 = format_count(offset[[far[1L]]])),
                    i = text_of("subtract_constant_from_column")))
  }
}

refuse <- function(layout, found) {
  reason <- if (found$df < 0L) {
    c(text_of("model_cannot_be_identified"),
      x = text_of("moments_free_parameters", moments = found$moments, parameters = found$parameters,
                  kinds = enumerate(found$kinds)))
  } else {
    text_of("model_is_not_identified", lacking = count_of(found$lacking, "more parameter"))
  }
  trading <- if (length(found$trading)) {
    c(x = text_of("these_trade_off_against", trading = enumerate(found$trading, most = 10L)))
  }
  abort("identification",
        c(reason, trading, stats::setNames(found$remedies, rep("i", length(found$remedies)))),
        involved = found$trading)
}

trading_parameters <- function(vectors, names) {
  if (length(vectors) == 0L) return(character())
  weight <- sqrt(rowSums(vectors^2))
  names[weight > 0.05][order(-weight[weight > 0.05])]
}

# The smallest steps that would help, the most specific first.
remedies <- function(layout, counts, lacking) {
  lines <- character()
  add <- function(...) lines <<- c(lines, paste0(...))
  for (scale in layout$scales) {
    if (scale$composite) next
    if (scale$kind == "given" && all(is.na(layout$rows$fixed[c(scale$loadings, scale$variance)]))) {
      add(text_of("construct_without_scale", construct = scale$construct,
                  variance = layout$rows$parameter[scale$variance]))
    }
    items <- layout$rows$second[scale$loadings]
    linked <- any(layout$rows$kind %in% c("effect", "covariance", "loading") &
                  is.na(layout$rows$fixed) & layout$rows$second %in% scale$construct |
                    layout$rows$kind %in% c("effect", "covariance") & is.na(layout$rows$fixed) &
                    layout$rows$first == scale$construct)
    free_residual <-
      any(is.na(layout$rows$fixed[layout$rows$kind == "variance" & layout$rows$first %in% items]))
    if (length(items) == 1L && free_residual && items %in% layout$observed) {
      add(scale$construct, text_of("has_one_item_fix"),
          address_format("variance", items), " == 0).")
    } else if (length(items) == 2L && !linked) {
      add(scale$construct,
          text_of("has_two_items_nothing"))
    } else if (length(items) == 2L) {
      add(scale$construct,
          text_of("has_two_items_what"))
    }
  }
  dead_end <- Filter(function(name) !name %in% layout$rows$first[layout$rows$kind == "effect"],
                     layout$composites)
  for (name in dead_end) {
    add(name,
        text_of("is_composite_without_outgoing"))
  }
  for (pair in loops_without_instruments(layout)) {
    add(pair[1L], " and ", pair[2L],
        text_of("point_each_other_each"))
  }
  many <- if (counts$df < 0L) -counts$df else lacking
  add(if (many == 1L)
      text_of("fix_or_equate_one", instruction = instruction("restrict_where"))
      else text_of("fix_or_equate_least", many = many, instruction = instruction("restrict_where")))
  lines
}

# Pairs with effects on each other of which one has no cause of its own.
loops_without_instruments <- function(layout) {
  effects <- which(layout$rows$kind == "effect")
  from <- layout$rows$first[effects]
  to <- layout$rows$second[effects]
  out <- list()
  for (i in seq_along(from)) {
    if (from[i] > to[i] || !any(from == to[i] & to == from[i])) next
    own <- function(a, b) setdiff(from[to == a], c(b, from[to == b]))
    if (length(own(from[i], to[i])) == 0L || length(own(to[i], from[i])) == 0L)
      out <- c(out, list(c(from[i], to[i])))
  }
  out
}

# Identified, but only because of a value that may turn out to be small.
resting_on_little <- function(layout) {
  unlist(lapply(seq_along(layout$groups), function(g) group_on_little(layout_of_group(layout, g))))
}

group_on_little <- function(layout) {
  out <- character()
  for (scale in layout$scales) {
    if (scale$composite || length(scale$loadings) != 2L ||
        !anyNA(layout$rows$fixed[scale$loadings])) next
    links <- layout$rows$parameter[layout$rows$kind %in% c("covariance", "effect") &
                                   is.na(layout$rows$fixed) &
                                (layout$rows$first == scale$construct |
                                 layout$rows$second %in% scale$construct)]
    out <- c(out,
             text_of("has_two_items_rests", construct = scale$construct,
                     links = enumerate(links, most = 4L),
                     links_2 = text_of(if (length(links) == 1L) "if_it_is" else "if_all_are")))
  }
  out
}

#' @export
print.orizzonte_identification <- function(x, ...) {
  put_lines(heading(paste0("Identification: ", x$title)),
            if (!is.null(x$sample)) wrap_lines(paste0(x$sample, ".")))
  put_lines(format_count_line(x))
  put_lines(wrap_lines(paste0("free: ", paste(x$kinds, collapse = ", ")), indent = 2L, hang = 8L))
  if (x$identified) {
    put_lines(text_of("identified_rank_is_full", rank = x$rank,
                      with_data = if (!x$with_data) text_of("at_made_up_moments")))
    if (length(x$notes))
      put_lines(text_of("resting_on_little"), wrap_lines(paste0("- ", x$notes), 2L, 4L))
    put_lines("", next_step("fit_blueprint"))
    return(invisible(x))
  }
  if (x$df < 0L) {
    put_lines(text_of("not_identified_more_free"))
  } else {
    put_lines(text_of("not_identified_rank_is", rank = x$rank,
                      lacking = count_of(x$lacking, "parameter")))
  }
  if (length(x$trading)) {
    put_lines(text_of("these_trade_off_against_each"),
              paste0("  ", x$trading))
  }
  put_lines(text_of("what_would_help"), wrap_lines(paste0("- ", x$remedies), 2L, 4L))
  invisible(x)
}
