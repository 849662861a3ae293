#' Cut-offs made for this model
#'
#' The distributions of CFI, TLI, RMSEA and SRMR if *this* model, at this sample size and with these
#' missing values and this kurtosis, is correctly specified, and if it is misspecified by stated
#' amounts. They yield cut-offs that distinguish the two, shown with the fixed ones (McNeish & Wolf
#' 2023). For a ladder, the same is done for the change of each index from rung to rung.
#'
#' @param x A fit from [fit_model()] or a ladder from [invariance()].
#' @param reps Replicates of each population.
#' @param misspecified The parameters that a misspecified model lacks, in standardized units by
#'   address; each defines a population of its own: `c("covariance[be1, be2]" = .3, "loading[Calm,
#'   be3]" = .4)`; a list of such vectors for several at once; `"correlation[Calm, Calm]" = .8` for
#'   a construct that is actually two. `NULL`: a residual correlation and a cross-loading of the
#'   smallest standardized size that matters (`criteria(smallest =)`) and of three times that size,
#'   and the construct with most items split in two that correlate at .8. For ladders: a loading .2,
#'   an intercept .2 standard deviations and a residual variance 1.5 times as large in the last
#'   group.
#' @inheritParams bootstrap_fit
#' @param draw `"cases"` transforms the cases so that the population model holds exactly, and
#'   resamples them: missing values, skewness, kurtosis and clusters are preserved. `"model"` draws
#'   normal data with the observed pattern of missing values. `NULL`: cases where there are any.
#' @param criteria The fixed cut-offs beside, from [criteria()].
#' @return An object of class `orizzonte_cutoffs`; `as.data.frame()` gives one row per index and
#'   misspecification: `index`, `rung` (of ladders), `misspecification`, `value` (of the fit),
#'   `fixed` (the fixed cut-off for good), `cutoff` with its Monte Carlo interval (`cutoff_lower`,
#'   `cutoff_upper`), `rule` (`"firm"`, `"lenient"` or `"none"`), `settled` (whether more replicates
#'   could not change the rule),
#'   `right_pass` and `wrong_pass` (the proportions of correctly specified and of misspecified
#'   models that pass) with their Monte Carlo errors `right_error` and `wrong_error`, and `verdict`
#'   (`"passes"` or `"fails"` if the value lies outside the Monte Carlo interval of a cut-off whose
#'   rule is settled, otherwise `"cannot_tell"`).
#' @section Rule: A firm cut-off is the value that 95% of the correctly specified models pass and
#'   at most 5% of the misspecified ones; a lenient one has 90 and 10%; if neither exists, the
#'   index cannot distinguish the two.
#' @section Errors: as [bootstrap_fit()]; `orizzonte_error_input` for misspecifications that leave
#'   no positive definite covariance matrix.
#' @references McNeish, D., & Wolf, M. G. (2023). Dynamic fit index cutoffs for confirmatory factor
#'   analysis models. *Psychological Methods, 28*(1), 61-88.
#' @seealso [criteria()], [fit_indices()], [plan_study()].
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' model_cutoffs(fit_model(bp, choirs, incomplete = "drop"), reps = 100, seed = 1)
#' @export
model_cutoffs <- function(x, reps = 500, misspecified = NULL, seed = NULL, draw = NULL,
                          criteria = NULL, folder = NULL, ...) {
  check_arguments("model_cutoffs")
  check_count(reps, "`reps`", 20, 1e5)
  criteria <- check_criteria(criteria)
  check_folder(folder)
  seed <- chosen_seed(seed)
  tests <- cutoff_tests(x)
  fit <- tests[[1L]]$small
  draw <- choose_one(draw %||% if (has_raw_data(fit$sample)) "cases" else "model",
                     c("cases", "model"), "`draw`")
  run <- list(reps = reps, seed = seed, draw = draw, folder = folder)
  parts <- Map(function(test, rung) {
    missed <- misspecified_populations(test, misspecified, rung, criteria)
    right <- index_replicates(test, NULL, run)
    wrong <- lapply(missed$covariances, function(s) index_replicates(test, s, run))
    list(right = right, wrong = wrong, words = missed$words, value = observed_indices(test))
  }, tests, names(tests))
  structure(list(parts = parts, criteria = criteria, run = run, ladder = length(tests) > 1L ||
                   !is.null(tests[[1L]]$large), title = fit$request$blueprint$title,
                 groups = length(fit$layout$groups)), class = "orizzonte_cutoffs")
}

# The model itself, or each rung against the one that it is compared with.
cutoff_tests <- function(x) {
  if (!inherits(x, "orizzonte_ladder") && !inherits(x, "orizzonte_loosened")) {
    check_fit(x, "model_cutoffs")
    check_converged(x, "model_cutoffs")
    check_proper(x, "model_cutoffs")
    if (test_of(x)$df == 0)
      abort("input", c(text_of("saturated_no_cutoff"),
                       i = text_of("test_single_parameters_instead")))
    return(list(model = list(small = x, large = NULL)))
  }
  check_ladder(x, "model_cutoffs")
  tests <- Filter(function(test) !is.null(test$large), ladder_tests(x))
  for (test in tests) check_proper(test$small, "model_cutoffs")
  if (length(tests) == 0L)
    abort("input", c(text_of("ladder_has_one_rung"),
                     i = text_of("climb_more_them_invariance")))
  tests
}

judged_indices <- c("cfi", "tli", "rmsea", "srmr")

index_reader <- function(fit) indices_of(fit)[judged_indices]

observed_indices <- function(test) {
  out <- index_reader(test$small)
  if (is.null(test$large)) out else out - index_reader(test$large)
}

# Replicates x indices, of a population with these covariances (a list by group; NULL: the fitted
# model's own).
index_replicates <- function(test, covariances, run) {
  source <- population_source(test$small, covariances, run$draw)
  indices <- function(fit) {
    found <- run_refits(fit, source, run$seed, run$reps, list(index_reader), judged_indices,
                        run$folder)
    found$values[found$status != 0L, ] <- NA_real_
    found$values
  }
  out <- indices(test$small)
  if (is.null(test$large)) out else out - indices(test$large)
}

population_source <- function(fit, covariances, draw) {
  whole <- joint_fit(fit)
  if (draw == "cases") return(null_source(whole, covariances))
  source <- drawn_source(whole, new_drawing("as observed"))
  if (is.null(covariances)) return(source)
  shift <- attr(covariances, "shift")
  source$populations <- Map(function(population, s, g) {
    sd <- sqrt(diag(s))
    population$sd <- unname(sd)
    population$root <- population_root(s / outer(sd, sd))
    population$mean <- as.numeric(shifted_mean(population$mean, s, colnames(s), g, shift))
    population
  }, source$populations, covariances, seq_along(covariances))
  source
}

# Populations for which the model is misspecified: covariances by group, and the parameter that the
# model lacks.
misspecified_populations <- function(test, misspecified, rung, criteria) {
  fit <- joint_fit(test$small)
  groups <- seq_along(fit$layout$groups)
  if (is.null(test$large) || !is.null(misspecified)) {
    misspecified <- check_misspecified(misspecified, fit, criteria)
    return(list(covariances = lapply(misspecified, function(sizes) {
      lapply(groups, function(g) misspecified_moments(fit, g, sizes))
    }), words = vapply(misspecified, misspecified_words, "")))
  }
  misspecified_rung(fit, rung)
}

loading_difference <- 0.2
intercept_difference <- 0.2
residual_ratio <- 1.5

# A held parameter differs in the last group.
misspecified_rung <- function(fit, rung) {
  last <- length(fit$layout$groups)
  loadings <- own_loadings(fit)
  item <- loadings$item[which.max(abs(loadings$size))]
  construct <- loadings$construct[match(item, loadings$item)]
  covariances <- lapply(seq_len(last), function(g) misspecified_moments(fit, g, numeric()))
  group <- fit$layout$groups[last]
  words <- character()
  if (rung == "metric") {
    size <- stats::setNames(-loading_difference * sign(loadings$size[match(item, loadings$item)]),
                            address_format("loading", construct, item))
    covariances[[last]] <- misspecified_moments(fit, last, size)
    words <- text_of("loading_is_lower", item = item,
                     loading_difference = format_fixed(loading_difference, 2L), group = group)
  } else if (rung == "strict") {
    covariances[[last]][item, item] <- covariances[[last]][item, item] +
      (residual_ratio - 1) * residual_variance(fit, last, item)
    words <- text_of("residual_variance_is_half", item = item, group = group)
  } else if (rung == "scalar") {
    attr(covariances, "shift") <- list(group = last, item = item, size = intercept_difference)
    words <- text_of("intercept_is_standard_deviations", item = item,
                     intercept_difference = format_fixed(intercept_difference, 2L), group = group)
  }
  if (length(words) == 0L) return(list(covariances = list(), words = character()))
  list(covariances = list(covariances), words = words)
}

residual_variance <- function(fit, g, item) {
  at <- match(item, fit$layout$parts[[g]]$observed)
  matrices_of(fit)[[g]]$residual[at, at]
}

# --- what comes of it ----------------------------------------------------------------------------

#' @export
as.data.frame.orizzonte_cutoffs <- function(x, row.names = NULL, optional = FALSE, ...) {
  rows <- unlist(Map(function(part, rung) {
    unlist(lapply(judged_indices, function(index) {
      lapply(seq_along(part$wrong), function(k) cutoff_row(x, part, rung, index, k))
    }), recursive = FALSE)
  }, x$parts, names(x$parts)), recursive = FALSE)
  columns <- do.call(Map, c(list(c), unname(rows)))
  if (!x$ladder) columns$rung <- NULL
  list_frame(columns)
}

cutoff_row <- function(x, part, rung, index, k) {
  right <- part$right[, index]
  wrong <- part$wrong[[k]][, index]
  higher <- higher_is_better(index)
  found <- simulated_cutoff(right, wrong, higher)
  value <- part$value[[index]]
  list(index = index, rung = rung, misspecification = part$words[[k]], value = value,
       fixed = fixed_cutoff(x, index, rung), cutoff = found$cutoff, cutoff_lower = found$lower,
       cutoff_upper = found$upper, rule = found$rule, settled = found$settled,
       right_pass = found$right, right_error = found$right_error, wrong_pass = found$wrong,
       wrong_error = found$wrong_error,
       verdict = rule_cutoff_verdict(value, found$lower, found$upper, found$settled, higher))
}

# The value that enough correctly specified models pass and few enough misspecified ones.
simulated_cutoff <- function(right, wrong, higher) {
  right <- right[is.finite(right)]
  wrong <- wrong[is.finite(wrong)]
  pass <- function(x, at) mean(if (higher) x >= at else x <= at)
  if (length(right) < fewest_replicates || length(wrong) < fewest_replicates)
    return(list(cutoff = NA_real_, lower = NA_real_, upper = NA_real_, rule = "none",
                settled = FALSE, right = NA_real_, right_error = NA_real_, wrong = NA_real_,
                wrong_error = NA_real_))
  at <- vapply(cutoff_kinds, function(kind) {
    ordered_value(right, if (higher) 1 - kind[["right"]] else kind[["right"]], higher)
  }, 0)
  rates <- vapply(at, pass, 0, x = wrong)
  rule <- rule_cutoff(rates)
  # without a cut-off, the rates are those of the last one that was tried
  k <- if (rule == "none") length(at) else match(rule, names(at))
  right_rate <- pass(right, at[[k]])
  share <- if (higher) 1 - cutoff_kinds[[k]][["right"]] else cutoff_kinds[[k]][["right"]]
  near <- pmin(pmax(share + c(-2, 2) * share_error(share, length(right)), 0), 1)
  limits <- vapply(near, function(s) ordered_value(right, s, higher), 0)
  known <- if (rule == "none") NA_real_ else 1
  list(cutoff = known * at[[k]], lower = known * limits[1L], upper = known * limits[2L],
       rule = rule, settled = rule_settled(rates[[k]] * length(wrong), length(wrong),
                                           cutoff_kinds[[k]][["wrong"]]), right = right_rate,
       right_error = share_error(right_rate, length(right)), wrong = rates[[k]],
       wrong_error = share_error(rates[[k]], length(wrong)))
}

# The Monte Carlo standard error of a proportion.
share_error <- function(share, reps) sqrt(share * (1 - share) / reps)

# The value of a replicate itself, at or beyond the quantile.
ordered_value <- function(x, share, higher) {
  x <- sort(x)
  at <- if (higher) floor(share * length(x) + 1e-9) + 1 else ceiling(share * length(x) - 1e-9)
  x[min(max(at, 1), length(x))]
}

fixed_cutoff <- function(x, index, rung) {
  criteria <- x$criteria
  if (!x$ladder) return(criteria[[index]][1L] %||% NA_real_)
  limits <- change_limits(criteria, rung == "metric", x$groups)
  if (higher_is_better(index)) -unname(limits[index]) else unname(limits[index])
}

#' @export
print.orizzonte_cutoffs <- function(x, ...) {
  put_lines(format_cutoffs(x))
  invisible(x)
}

format_cutoffs <- function(x) {
  table <- as.data.frame(x)
  drawn <- if (x$run$draw == "cases") text_of("cases_themselves_moved_fit") else
    text_of("normal_data_values_missing")
  c(heading(if (x$ladder) text_of("cut_offs_changes_ladder") else
    text_of("cut_offs_model")),
    wrap_lines(text_of("replicates_each_population_seed", reps = format_count(x$run$reps),
                       seed = x$run$seed, drawn = drawn)),
    if (any(!table$settled | table$verdict == "cannot_tell" & table$rule != "none"))
      wrap_lines(text_of("cutoffs_not_settled")),
    unlist(lapply(split(table, factor(paste(table$rung, table$misspecification),
                                      unique(paste(table$rung, table$misspecification)))),
                  cutoff_lines, ladder = x$ladder), use.names = FALSE),
    if (nrow(table) == 0L) c("", text_of("no_misspecification")),
    "", next_step("plot_cutoffs"))
}

cutoff_lines <- function(table, ladder) {
  mark <- if (ladder) "\u0394" else ""
  c("", wrap_lines(text_of("many_if", ladder = if (ladder) paste0(table$rung[1L], ": "),
                           misspecification = table$misspecification[1L])),
    format_table(list(
      index = paste0(mark, toupper(table$index)), value = format_share(table$value, 3L),
      fixed = ifelse(is.na(table$fixed), "", format_share(table$fixed, 3L)),
      `cut-off` = ifelse(is.na(table$cutoff), "none", format_share(table$cutoff, 3L)),
      `+-` = ifelse(is.na(table$cutoff), "", format_share((table$cutoff_upper -
                                                             table$cutoff_lower) / 2, 3L)),
      rule = ifelse(table$rule == "none", "", words_of("cutoff", table$rule)),
      `correct pass` = percent_text(table$right_pass),
      `misspecified pass` = percent_with_error(table$wrong_pass, table$wrong_error),
      verdict = words_of("cutoff", table$verdict)),
      c(FALSE, rep(TRUE, 7L), FALSE), spare = c("correct pass", "+-", "rule")))
}

percent_with_error <- function(share, error) {
  ifelse(is.na(share), "", paste0(percent_text(share), " (", round(100 * error, 1L), ")"))
}

percent_text <- function(x) ifelse(is.na(x), "", paste0(round(100 * x), "%"))

# Populations for which a model is misspecified by stated amounts: the fitted model with one
# additional parameter that the model does not have.

# Default misspecifications: a residual correlation and a cross-loading of the smallest size that
# matters and of a clearly larger one, in standardized units, and one construct that should be two.
split_correlation <- 0.8
clear_misspecification <- 3        # times the smallest that matters

default_misspecified <- function(fit, criteria) {
  layout <- fit$layout
  loadings <- own_loadings(fit)
  if (length(loadings$item) == 0L) return(list())
  sizes <- round(criteria$smallest * c(1, clear_misspecification), 2L)
  out <- list()
  add <- function(text) {
    for (size in sizes) out <<- c(out, stats::setNames(list(size), text))
  }
  counts <- table(loadings$construct)[unique(loadings$construct)]
  largest <- names(counts)[which.max(counts)]
  own <- loadings$construct == largest
  weak <- loadings$item[own][order(abs(loadings$size[own]))]
  pair <- layout$observed[layout$observed %in% weak[1:2]]
  if (length(pair) == 2L && !has_covariance(layout, pair))
    add(address_format("covariance", pair[1L], pair[2L]))
  item <- loadings$item[which.min(abs(loadings$size))]
  others <- setdiff(unique(loadings$construct), loadings$construct[loadings$item == item])
  if (length(others)) add(address_format("loading", others[1L], item))
  if (counts[[largest]] >= 4L)
    out[[address_format("correlation", largest, largest)]] <- split_correlation
  Filter(Negate(is.na), Map(function(size, text) possible_size(fit, text, size), out, names(out)))
}

smallest_misspecification <- 0.05

# The size, or the largest part of it that leaves every variable a residual variance; NA when there
# is hardly any.
possible_size <- function(fit, text, size) {
  while (abs(size) >= smallest_misspecification) {
    made <- tryCatch(lapply(seq_along(fit$layout$groups), misspecified_moments, fit = fit,
                            sizes = stats::setNames(size, text)),
                     orizzonte_error = function(e) NULL)
    if (!is.null(made)) return(size)
    size <- round(0.8 * size, 2L)
  }
  NA_real_
}

# Items that load on one construct only, with their standardized loadings in the first group.
own_loadings <- function(fit) {
  rows <- fit$layout$rows
  at <- which(rows$kind == "loading" & rows$second %in% fit$layout$observed &
                rows$group == fit$layout$groups[1L])
  at <- at[!rows$second[at] %in% rows$second[at][duplicated(rows$second[at])]]
  list(construct = rows$first[at], item = rows$second[at],
       size = standardized_of(fit)$value[at])
}

has_covariance <- function(layout, pair) {
  rows <- layout$rows
  any(rows$kind == "covariance" & rows$first %in% pair & rows$second %in% pair)
}

# `misspecified`: a named list of sizes, or of named sizes, by address.
check_misspecified <- function(misspecified, fit, criteria) {
  if (!is.null(misspecified) && length(misspecified) == 0L)
    abort("input", c(text_of("misspecified_is_empty"),
                     i = text_of("leave_out_default_misspecifications")))
  if (is.null(misspecified)) misspecified <- default_misspecified(fit, criteria)
  usable <- (is.list(misspecified) || is.numeric(misspecified)) &&
    (length(misspecified) == 0L ||
       !is.null(names(misspecified)) && all(nzchar(names(misspecified)))) &&
    all(vapply(misspecified, function(x) is.numeric(x) && length(x) > 0L && all(is.finite(x)), NA))
  if (!usable)
    abort("input", c(text_of("misspecified_must_be_sizes"),
                     x = text_of("it_is_of_kind", value = describe(misspecified)),
                     i = text_of("such_misspecified_c_covariance")))
  named_by_address(stats::setNames(as.list(misspecified), names(misspecified)))
}

# A plain number is called by its address.
named_by_address <- function(misspecified) {
  Map(function(size, name) if (is.null(names(size))) stats::setNames(size, name) else size,
      misspecified, names(misspecified))
}

misspecified_words <- function(sizes) {
  enumerate(vapply(names(sizes), function(text) {
    address <- parse_address(text)
    size <- format_share(sizes[[text]], 2L)
    switch(address$kind,
           covariance = text_of("residuals_correlate", first = address$first,
                                second = address$second, size = size),
           loading = text_of("also_loads", second = address$second, first = address$first,
                             size = size),
           effect = text_of("has_effect", first = address$first, size = size,
                            second = address$second),
           correlation = text_of("is_two_constructs_correlate", first = address$first, size = size))
  }, ""))
}

# The moments of one group of such a population. `matrices`: those of the fit, all variables.
misspecified_moments <- function(fit, g, sizes) {
  part <- fit$layout$parts[[g]]
  names <- c(part$observed, part$constructs)
  p <- seq_along(part$observed)
  matrices <- matrices_of(fit)[[g]]
  b <- matrices$effects
  psi <- matrices$residual
  phi <- matrices$covariance
  dimnames(b) <- dimnames(psi) <- dimnames(phi) <- list(names, names)
  sd <- sqrt(diag(phi))
  halves <- list()
  for (text in names(sizes)) {
    address <- parse_address(text)
    size <- sizes[[text]]
    check_possible_misspecification(address, text)
    first <- known_to(address$first, names, text)
    if (address$kind == "correlation" && identical(address$first, address$second)) {
      halves[[first]] <- size
      next
    }
    second <- known_to(address$second, names, text)
    if (address$kind == "covariance") {
      both <- size * sqrt(psi[first, first] * psi[second, second])
      psi[first, second] <- psi[second, first] <- both
    } else {
      b[second, first] <- b[second, first] + size * sd[[second]] / sd[[first]]
    }
  }
  psi <- kept_variances(b, psi, diag(phi), names)
  total <- total_effects(b)
  covariance <- (total %*% psi %*% t(total))[p, p, drop = FALSE]
  for (construct in names(halves))
    covariance <- halved_construct(covariance, fit, g, construct, halves[[construct]])
  if (!isTRUE(smallest_eigenvalue(stats::cov2cor(covariance)) > 1e-8))
    abort("input", c(text_of("misspecified_give_covariance_matrix"),
                     i = text_of("take_smaller_sizes")))
  covariance
}

check_possible_misspecification <- function(address, text) {
  single <- length(address$first) == 1L && length(address$second) == 1L && is.null(address$group)
  two <- identical(address$kind, "correlation") && identical(address$first, address$second)
  if (single && (two || address$kind %in% c("covariance", "loading", "effect")))
    return(invisible())
  abort("input", c(text_of("misspecified_cannot_be_made", value = text),
                   i = text_of("one_covariance_loading_or")))
}

known_to <- function(name, names, text) {
  if (name %in% names) return(name)
  abort("name", c(text_of("names_which_model_does", value = text, name = quoted(name)),
                  did_you_mean(name, names)))
}

# Residual variances are reduced so that the variances of all variables stay the same.
kept_variances <- function(b, psi, variance, names) {
  free <- which(diag(psi) != 0)
  found <- residual_variances(variance, total_effects(b), psi, free)
  bad <- which(found <= 0)
  if (length(bad))
    abort("input", c(text_of("misspecified_explain_more_than", bad = names[free[bad[1L]]]),
                     i = text_of("take_smaller_sizes")))
  diag(psi)[free] <- found
  psi
}

# Every second item of a construct belongs to its second half.
halved_construct <- function(covariance, fit, g, construct, size) {
  items <- fit$layout$parts[[g]]$observed
  rows <- fit$layout$rows
  own <- rows$second[rows$kind == "loading" & rows$first == construct &
                       rows$group == fit$layout$groups[g]]
  own <- intersect(own, items)
  other <- own[seq_along(own) %% 2L == 0L]
  one <- setdiff(own, other)
  if (length(other) == 0L)
    abort("input", c(text_of("has_no_two_items", construct = construct),
                     i = text_of("name_construct_more_items")))
  covariance[one, other] <- size * covariance[one, other]
  covariance[other, one] <- size * covariance[other, one]
  covariance
}
