#' Do parameters stay constant along a variable?
#'
#' Tests whether loadings, intercepts, residual variances or effects are the same at all values of a
#' variable such as age or years of experience, without dividing the cases into groups. The
#' cumulated scores of the cases, in the order of the variable, show change of any form. Changes in
#' the means, variances and covariances of the constructs along the variable are allowed for and do
#' not count as non-invariance.
#'
#' @param fit A fit from [fit_model()] of one group, from data case by case, that converged to a
#'   proper solution.
#' @param along The variable: a column of the data of the fit, bare or quoted; a column of `data`;
#'   or a vector with one value per row. A factor that is not ordered is tested as a set of
#'   categories; ordered factors and variables with fewer than 20 different values as ordered
#'   categories.
#' @param what The tested parameters: `"loadings"`, `"intercepts"`, `"residual variances"`,
#'   `"effects"` (several make several blocks), or addresses such as `"loading[Calm, ]"` as one
#'   block.
#' @param data The data frame to which `along` belongs, with the same rows as the data of the fit.
#'   Fits keep only the columns of their models.
#' @param within Number of bins of the variable in which scores are computed from a model of its
#'   own, such as 4; `NULL` for scores from the fit. Use bins where constructs change strongly along
#'   the variable; the printed result recommends them.
#' @param reps Bootstrap replicates for the bands of the curves; 0 for curves without bands.
#' @param seed Seed of the bootstrap.
#' @param criteria The level of the tests, from [criteria()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_constancy`. The first row of each `block` tests it as a
#'   whole (`parameter` is `NA`), the following rows its parameters one by one: `statistic` and `p`
#'   (Cramér-von Mises; for ordered categories the largest LM statistic over the steps, for
#'   unordered ones the sum), `p_adjusted` (Holm 1979 over the parameters of the block, and over the
#'   blocks in their first rows), `max_lm` and `p_max_lm`
#'   (the largest LM statistic with the p value), `at` (the value of the variable where it
#'   is reached), `difference` (of the parameter between the highest and the lowest third of the
#'   cases, from a fit to the thirds in which the rest of the block is equal), `step` (the order in
#'   which changing parameters were found) and `verdict`: `"changes"`, `"follows_others"`
#'   (significant only as long as another one is held constant), `"no_change"` or `"not_tested"`.
#'
#'   Attributes: `constructs` (by construct, the change of its mean and the ratio of its standard
#'   deviations between the outer thirds), `curves` (see below), `paths` (the processes that
#'   `plot()` draws), `method`, `n`.
#' @section How it is tested: For the tested parameters, the scores of the cases are projected on
#'   those of all other parameters (Neyman 1959), with the mean and the variance of each construct
#'   among them, also where these are fixed to give the construct its scale; the results do not
#'   depend on how the scale is set. Decorrelated by their outer product, cumulated in the order of
#'   the variable, they follow Brownian bridges if nothing changes (Hjort & Koning 2002; Merkle &
#'   Zeileis 2013). The Cramér-von Mises statistic is the mean squared distance from zero, with its
#'   exact distribution; the largest LM statistic between the 10th and the 90th percentile (Andrews
#'   1993) shows where the parameter changes. With ordered categories, the p value comes from 4,000
#'   draws (Merkle, Fan & Zeileis 2014).
#'
#'   A single parameter that changes pulls the others in the opposite direction. Therefore the
#'   parameter with the smallest p value is allowed to change and the remaining ones are tested
#'   again, until none is significant at the level of `criteria` after Holm's correction.
#'
#'   In clustered data, scores are summed over clusters when the variable is constant within them;
#'   otherwise p values come from 999 draws of multipliers, one for each cluster (Lin, Wei & Ying
#'   1993). Incomplete cases contribute their observed values; cases without a value of the variable
#'   are left out, and the model is refitted without them.
#' @section Curves: `attr(x, "curves")` contains the parameters at 11 values of the variable
#'   (quantiles from .05 to .95), each from a model fitted to moments that are weighted by a
#'   Gaussian kernel and from which the local linear trend of each item has been removed
#'   (Hildebrandt, Lüdtke, Robitzsch, Sommer & Wilhelm 2016), in a scale in which the loadings of
#'   each construct average 1 and its intercepts 0 (Little, Slegers & Card 2006): `parameter`, `at`,
#'   `value`, `n` (sum of the weights), `se`, `lower`, `upper` (pointwise), `lower_all`, `upper_all`
#'   (simultaneous, from the bootstrap). Neighbouring points share cases and must not be compared
#'   with one another: use the tests to decide whether a parameter changes. There are no curves for
#'   incomplete data, for categories, or for models other than measurement models without
#'   cross-loadings.
#' @section When there is no p value: With fewer than 100 cases, or fewer than 20 for each tested
#'   dimension; with fewer than 30 clusters, or fewer than 5 for each tested dimension.
#' @section Errors: `orizzonte_error_input` for several groups, weights, equations among parameters,
#'   or a variable of the wrong length; `orizzonte_error_data` for summary data;
#'   `orizzonte_error_convergence` for a fit that did not converge or is improper;
#'   `orizzonte_error_name` for an unknown column.
#' @references
#' Andrews, D. W. K. (1993). Tests for parameter instability and structural change with unknown
#' change point. *Econometrica, 61*(4), 821--856.
#'
#' Hildebrandt, A., Lüdtke, O., Robitzsch, A., Sommer, C., & Wilhelm, O. (2016). Exploring factor
#' model parameters across continuous variables with local structural equation models.
#' *Multivariate Behavioral Research, 51*(2--3), 257--278.
#'
#' Hjort, N. L., & Koning, A. (2002). Tests for constancy of model parameters over time. *Journal of
#' Nonparametric Statistics, 14*, 113--132.
#'
#' Lin, D. Y., Wei, L. J., & Ying, Z. (1993). Checking the Cox model with cumulative sums of
#' martingale-based residuals. *Biometrika, 80*(3), 557--572.
#'
#' Little, T. D., Slegers, D. W., & Card, N. A. (2006). A non-arbitrary method of identifying and
#' scaling latent variables in SEM and MACS models. *Structural Equation Modeling, 13*(1), 59--72.
#'
#' Merkle, E. C., Fan, J., & Zeileis, A. (2014). Testing for measurement invariance with respect to
#' an ordinal variable. *Psychometrika, 79*(4), 569--584.
#'
#' Merkle, E. C., & Zeileis, A. (2013). Tests of measurement invariance without subgroups: A
#' generalization of classical methods. *Psychometrika, 78*(1), 59--82.
#'
#' Neyman, J. (1959). Optimal asymptotic tests of composite statistical hypotheses. In U. Grenander
#' (Ed.), *Probability and statistics* (pp. 213--234). Wiley.
#' @seealso [invariance()] for groups; [plot.orizzonte_constancy()].
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' constancy(fit, along = age, what = c("loadings", "intercepts"), data = choirs)
#' @export
constancy <- function(fit, along, what = "loadings", data = NULL, within = NULL, reps = 0,
                      seed = 1, criteria = NULL, ...) {
  check_arguments("constancy")
  check_fit(fit, "constancy")
  criteria <- check_criteria(criteria)
  check_constancy(fit, what)
  if (!is.null(within)) check_count(within, "`within`", 2, 10)
  check_count(reps, "`reps`", 0, 1e5)
  check_seed(seed)
  asked <- along_variable(rlang::enquo(along), fit, data)
  fit <- fit_with_variable(fit, asked)
  v <- asked$values[joint_fit(fit)$sample$groups[[1L]]$used]
  kind <- along_kind(v)
  v <- along_numbers(v)
  source <- score_source(fit, v, kind, within, criteria$significance)
  blocks <- tested_blocks(source, what)
  found <- lapply(blocks, tested_block, source = source)
  out <- bind_frames(lapply(found, `[[`, "table"))
  first <- is.na(out$parameter)
  out$p_adjusted[first] <- stats::p.adjust(out$p[first], "holm")
  out$verdict[first] <- rule_constancy(out$p_adjusted[first], criteria$significance)
  out$at <- shown_values(out$at, asked$values)
  thirds <- fit_of_thirds(source, blocks)
  out$difference <- third_differences(thirds, out)
  structure(list_frame_class(out, "orizzonte_constancy"), title = fit$request$blueprint$title,
            along = asked$name, kind = kind, n = length(v), missing = asked$missing,
            level = criteria$significance, method = source$method, within = within,
            constructs = construct_changes(thirds), paths = lapply(found, `[[`, "path"),
            values = asked$values, curves = parameter_curves(fit, v, kind, blocks, reps, seed),
            steps = length(unique(v)), reps = reps)
}

# --- what is asked ------------------------------------------------------------------------------

constancy_blocks <- c("loadings", "intercepts", "residual variances", "effects")

check_constancy <- function(fit, what) {
  check_converged(fit, "constancy")
  if (!has_raw_data(fit$sample))
    abort("data", c(text_of("constancy_needs_cases"), i = text_of("fit_data_themselves")))
  check_words(what, "`what`", "\"loadings\"")
  if (length(fit$layout$groups) > 1L)
    abort("input", c(text_of("constancy_one_group"), i = text_of("constancy_each_group")))
  if (is_weighted(fit$sample)) abort("input", text_of("constancy_no_weights"))
  if (n_equations(joint_fit(fit)$layout) > 0L || length(active_bounds(fit)))
    abort("input", c(text_of("constancy_no_equations"), i = text_of("constancy_restrict_linear")))
  if (!is_proper(fit))
    abort("convergence", c(text_of("constancy_improper"), i = text_of("rescue_may_help")))
}

is_proper <- function(fit) !identical(solution_state(fit)$status, "improper")

# The variable by its name in the data, or as a vector: `values` for all rows of the data, `name`,
# and which rows have none (`missing`).
along_variable <- function(quosure, fit, data) {
  frame <- fit$sample$data$frame
  if (!is.null(data)) check_same_data(data, fit)
  source <- if (is.null(data)) frame else data
  bare <- is.symbol(rlang::quo_get_expr(quosure))
  given <- if (bare) as.character(rlang::quo_get_expr(quosure)) else rlang::eval_tidy(quosure)
  named <- is.character(given) && length(given) == 1L
  name <- if (named) given else deparse_one(rlang::quo_get_expr(quosure))
  values <- if (!named) given else if (given %in% names(source)) source[[given]] else
    vector_of_caller(quosure, bare, nrow(frame))
  if (named && is.null(values))
    abort("name", c(text_of("constancy_no_column", name = quoted(given)),
                    did_you_mean(given, names(source)),
                    i = if (is.null(data)) text_of("constancy_give_data")))
  if (is.numeric(values) && length(fit$request$missing_codes))
    values[values %in% fit$request$missing_codes] <- NA
  if (!is.atomic(values) || length(values) != nrow(frame))
    abort("input", c(text_of("constancy_along_length", rows = format_count(nrow(frame))),
                     x = text_of("it_is_of_kind", value = describe(values))))
  if (inherits(values, c("Date", "POSIXt"))) values <- as.numeric(values)
  if (is.numeric(values) && any(is.infinite(values)))
    abort("input", text_of("constancy_infinite", row = which(is.infinite(values))[1L]))
  list(values = if (is.character(values) || is.logical(values)) factor(values) else values,
       name = name, missing = which(is.na(values)))
}

# A bare name that does not name a column may name a vector of the caller.
vector_of_caller <- function(quosure, bare, rows) {
  if (!bare) return(NULL)
  found <- tryCatch(rlang::eval_tidy(quosure), error = function(e) NULL)
  if (is.atomic(found) && length(found) == rows) found
}

check_same_data <- function(data, fit) {
  frame <- fit$sample$data$frame
  if (!is.data.frame(data))
    abort("input", c(text_of("data_must_be_frame"), x = text_of("it_is_of_kind",
                                                                value = describe(data))))
  shared <- intersect(names(frame), names(data))
  same <- nrow(data) == nrow(frame) && setequal(shared, names(frame)) &&
    all(vapply(shared, function(name) {
      isTRUE(all.equal(as.vector(frame[[name]]), as.vector(data[[name]]), check.attributes = FALSE))
    }, NA))
  if (!same)
    abort("input", c(text_of("constancy_other_rows"), i = text_of("constancy_same_data")))
}

fit_with_variable <- function(fit, asked) {
  used <- joint_fit(fit)$sample$groups[[1L]]$used
  if (!any(asked$missing %in% used)) return(fit)
  fit <- refit_quietly(fit, list(data = with_holes(fit, asked$missing)))
  check_converged(fit, "constancy")
  fit
}

# The data with all variables missing in some rows, so that the rows keep their numbers.
with_holes <- function(fit, rows) {
  frame <- fit$sample$data$frame
  frame[rows, setdiff(names(frame), c(fit$request$by, fit$request$clusters))] <- NA
  frame
}

least_values <- 20L    # different values from which on a variable counts as continuous

along_kind <- function(v) {
  different <- length(unique(v))
  if (different < 2L) abort("input", text_of("constancy_one_value"))
  if (is.factor(v) && !is.ordered(v) && different > 2L) return("unordered")
  if (different < least_values || is.factor(v)) "ordered" else "continuous"
}

along_numbers <- function(v) as.numeric(v)

shown_values <- function(at, values) {
  if (!is.factor(values)) return(at)
  levels(values)[at]
}

# --- scores ------------------------------------------------------------------------------------

# Collects everything the tests of a block need: casewise scores by parameter, their information,
# and the variable.
# Several models, one for each bin in order, with `within`.
score_source <- function(fit, v, kind, within, level) {
  whole <- joint_fit(fit)
  cluster <- core_cases(whole)[[1L]]$cluster
  clustered <- !is.null(cluster)
  constant <- clustered && all(tapply(v, cluster, function(x) length(unique(x)) == 1L))
  method <- if (!is.null(within)) "bins" else if (clustered && !constant) "multipliers" else
    if (constant) "cluster_sums" else "cases"
  out <- list(fit = fit, v = v, kind = kind, cluster = cluster, method = method, level = level)
  if (method %in% c("bins", "multipliers") && kind != "continuous")
    abort("input", text_of("constancy_needs_continuous",
                           kind = text_of(paste0("constancy_kind_", kind))))
  if (method == "bins" && clustered) abort("input", text_of("constancy_bins_clusters"))
  parts <- entry_scores(whole)[[1L]]
  out$parameters <- score_parameters(whole, parts)
  out$own <- by_parameter(parts, out$parameters)
  out$within <- within
  # shared by several tests: fits to bins, and inverses of the information of the nuisance
  out$memory <- new.env(parent = emptyenv())
  out
}

remembered <- function(source, name, value) {
  key <- paste(name, collapse = " ")
  if (is.null(source$memory[[key]])) assign(key, value, envir = source$memory)
  source$memory[[key]]
}

# Derivatives of the log-likelihood of each case by every entry of the parameter table, and the
# expected information, by group: rows in the order of the cases used.
entry_scores <- function(fit) {
  layout <- fit$layout
  model <- whole_model(fit)
  size <- length(layout$rows$kind)
  entries <- model
  entries$constant <- numeric(size)
  entries$parameters <- size
  entries$used <- seq_len(size)
  entries$rows <- seq_len(size)
  entries$map_entry <- entries$map_parameter <- seq_len(size)
  entries$map_weight <- rep(1, size)
  entries$constraints <- list()
  entries$scales <- list()
  scores <- core_case_scores(entries, core_moments(fit), values_of(fit), core_cases(fit))
  information <- core_evaluate(entries, core_moments(fit), values_of(fit))$expected
  lapply(seq_along(scores), function(g) {
    list(scores = scores[[g]], information = information, rows = layout$spans[[g]])
  })
}

# The parameters of one group: the free ones, and those that only give a construct its scale or its
# origin, which may take any value. A list of rows of the parameter table by parameter.
score_parameters <- function(fit, part) {
  layout <- fit$layout
  rows <- layout$rows
  own <- intersect(which(is.na(rows$fixed)), part$rows)
  free <- split(own, factor(rows$class[own], unique(rows$class[own])))
  scales <- unlist(lapply(layout$scales, function(scale) c(scale$marker, scale$variance)))
  means <- which(rows$kind == "mean" & rows$first %in% layout$constructs)
  fixed <- intersect(setdiff(which(!is.na(rows$fixed)), 0L), union(scales, means))
  fixed <- intersect(fixed, part$rows)
  sums <- colSums(part$scores[, fixed, drop = FALSE])
  size <- sqrt(colSums(part$scores[, fixed, drop = FALSE]^2))
  moving <- fixed[abs(sums) < 1e-3 * size]
  found <- unname(c(free, as.list(moving)))
  found[order(vapply(found, `[`, 0L, 1L))]
}

# Scores and information by parameter.
by_parameter <- function(part, parameters) {
  gather <- matrix(0, ncol(part$scores), length(parameters))
  gather[cbind(unlist(parameters), rep(seq_along(parameters), lengths(parameters)))] <- 1
  list(scores = part$scores %*% gather,
       information = crossprod(gather, part$information %*% gather))
}

# --- blocks ------------------------------------------------------------------------------------

# Each block: its name and the numbers of its parameters.
tested_blocks <- function(source, what) {
  layout <- joint_fit(source$fit)$layout
  first <- vapply(source$parameters, `[`, 0L, 1L)
  kinds <- block_kinds(layout)[first]
  for (one in what) if (!grepl("[", one, fixed = TRUE)) choose_one(one, constancy_blocks, "`what`")
  words <- what %in% constancy_blocks
  if (!all(words) && any(words)) abort("input", text_of("constancy_words_or_addresses"))
  if (all(words)) {
    what <- unique(what)
    found <- lapply(stats::setNames(what, what), function(one) which(kinds %in% one))
    empty <- names(found)[lengths(found) == 0L]
    if (length(empty)) abort("input", text_of("constancy_nothing_to_test", what = empty[1L]))
    return(Map(function(name, own) list(name = name, own = own), what, found))
  }
  rows <- unlist(lapply(what, function(text) {
    found <- address_match(parse_address(text), layout$rows, layout$constructs)
    if (length(found) == 0L) refuse_unknown(text, layout$rows$parameter)
    found
  }))
  own <- which(vapply(source$parameters, function(x) any(x %in% rows), NA) & !is.na(kinds))
  if (length(own) == 0L) abort("input", text_of("constancy_nothing_to_test",
                                                what = enumerate(what)))
  list(list(name = paste(what, collapse = ", "), own = own))
}

# The kind of block that each row of the parameter table belongs to; NA for others.
block_kinds <- function(layout) {
  rows <- layout$rows
  items <- reflective_items(layout)
  out <- rep(NA_character_, length(rows$kind))
  out[rows$kind == "loading"] <- "loadings"
  out[rows$kind == "intercept" & rows$first %in% items] <- "intercepts"
  out[rows$kind == "variance" & rows$first %in% items] <- "residual variances"
  out[rows$kind == "effect"] <- "effects"
  out
}

# The parameters that are projected out: all except those of the same kinds, which share the scale
# or the origin of a construct with the tested ones. For effects and residual variances, these as
# well.
nuisance_of <- function(source, own, allowed = integer()) {
  layout <- joint_fit(source$fit)$layout
  first <- vapply(source$parameters, `[`, 0L, 1L)
  kinds <- block_kinds(layout)[first]
  together <- intersect(kinds[own], c("loadings", "intercepts"))
  beside <- which(kinds %in% together)
  union(setdiff(seq_along(source$parameters), union(own, beside)), setdiff(allowed, own))
}

# One block as a whole, then its parameters with the forward step.
tested_block <- function(block, source) {
  own <- block$own
  layout <- joint_fit(source$fit)$layout
  label <- vapply(source$parameters[own], function(x) layout$rows$parameter[x[1L]], "")
  whole <- fluctuation_test(source, own, nuisance_of(source, own))
  single <- lapply(own, function(one) fluctuation_test(source, one, nuisance_of(source, one)))
  p <- vapply(single, `[[`, 0, "p")
  forward <- forward_steps(source, own, p)
  table <- list(
    block = rep(block$name, length(own) + 1L), parameter = c(NA, label),
    statistic = c(whole$statistic, vapply(single, `[[`, 0, "statistic")), p = c(whole$p, p),
    p_adjusted = c(NA, stats::p.adjust(p, "holm")),
    max_lm = c(whole$max_lm, vapply(single, `[[`, 0, "max_lm")),
    p_max_lm = c(whole$p_max_lm, vapply(single, `[[`, 0, "p_max_lm")),
    at = c(whole$at, vapply(single, `[[`, 0, "at")),
    difference = NA_real_ + numeric(length(own) + 1L), step = c(NA_integer_, forward$step),
    verdict = c(NA, forward$verdict))
  list(table = list_frame(table),
       path = c(list(block = block$name, parameter = label),
                list(paths = lapply(single, `[[`, "path"), whole = whole$path)))
}

# The parameter with the smallest p value is allowed to change, and the others are tested again.
forward_steps <- function(source, own, p) {
  step <- rep(NA_integer_, length(own))
  now <- p
  repeat {
    left <- which(is.na(step))
    # which of two parameters changes is undetermined: at least two must be constant
    if (length(left) < 2L && any(!is.na(step)) || length(left) == 0L) break
    adjusted <- stats::p.adjust(now[left], "holm")
    if (!any(adjusted <= source$level, na.rm = TRUE)) break
    worst <- left[which.min(now[left])]
    step[worst] <- max(c(0L, step), na.rm = TRUE) + 1L
    left <- setdiff(left, worst)
    now[left] <- vapply(own[left], function(one) {
      fluctuation_test(source, one, nuisance_of(source, one, own[!is.na(step)]))$p
    }, 0)
  }
  verdict <- rule_constancy(stats::p.adjust(p, "holm"), source$level, step)
  list(step = step, verdict = verdict)
}

# One set of parameters against its nuisance parameters.
fluctuation_test <- function(source, own, nuisance) {
  if (source$method == "bins") return(binned_test(source, own, nuisance))
  part <- source$own
  inverse <- remembered(source, c("nuisance", nuisance),
                        generalized_inverse(part$information[nuisance, nuisance, drop = FALSE]))
  u <- efficient_scores(part$scores, part$information, own, nuisance, inverse)
  v <- source$v
  if (source$method == "cluster_sums") {
    v <- as.vector(tapply(v, source$cluster, `[`, 1L))
    u <- rowsum(u, source$cluster, reorder = TRUE)
  }
  x <- if (source$method == "multipliers") decorrelated_by(u, source$cluster) else decorrelated(u)
  rank <- ncol(x)
  path <- fluctuation_path(x, v)
  found <- path_statistics(path)
  out <- list(statistic = found$mean, p = NA_real_, max_lm = found$largest, p_max_lm = NA_real_,
              at = found$at, rank = rank, path = path)
  if (source$kind == "ordered") {
    steps <- ordinal_largest(path, rank)
    out[c("statistic", "max_lm", "at", "p", "p_max_lm")] <-
      list(steps$largest, steps$largest, steps$at, steps$p, steps$p)
  } else if (source$kind == "unordered") {
    sums <- categorical_sum(path, rank)
    out[c("statistic", "max_lm", "at", "p")] <- list(sums$statistic, NA_real_, NA_real_, sums$p)
  } else if (source$method == "multipliers") {
    p <- multiplier_p(x, v, source$cluster)
    out[c("p", "p_max_lm")] <- list(p$mean, p$largest)
  } else {
    out[c("p", "p_max_lm")] <- list(bridge_mean_p(found$mean, rank),
                                    bridge_largest_p(found$largest, rank))
  }
  if (!rule_enough_cases(length(source$v), rank, source$cluster))
    out[c("p", "p_max_lm")] <- NA_real_
  out
}

# decorrelated() with the outer product of sums within clusters.
decorrelated_by <- function(u, cluster) {
  sums <- rowsum(u, cluster)
  unit <- sqrt(colMeans(u^2))
  unit[unit == 0] <- 1
  parts <- eigen(crossprod(sweep(sums, 2L, unit, "/")) / nrow(u), symmetric = TRUE)
  keep <- parts$values > least_eigenvalue * max(parts$values, 1)
  sweep(u, 2L, unit, "/") %*%
    sweep(parts$vectors[, keep, drop = FALSE], 2L, sqrt(parts$values[keep]), "/")
}

# Scores from the models of the bins, in which the block is equal.
binned_test <- function(source, own, nuisance) {
  whole <- joint_fit(source$fit)
  kinds <- block_kinds(whole$layout)[unlist(source$parameters[own])]
  held <- c("loading", if ("intercepts" %in% kinds) "intercept")
  fit <- joint_fit(binned_fit(source, held, source$within))
  rows <- whole$sample$groups[[1L]]$used
  parts <- Map(function(part, group) {
    # the entries of a bin are in the order of those of the model of all cases
    part$scores <- part$scores[, part$rows, drop = FALSE]
    part$information <- part$information[part$rows, part$rows, drop = FALSE]
    found <- by_parameter(part, source$parameters)
    i <- found$information
    inverse <- generalized_inverse(i[nuisance, nuisance, drop = FALSE])
    u <- efficient_scores(found$scores, i, own, nuisance, inverse)
    given <- i[own, own, drop = FALSE] -
      i[own, nuisance, drop = FALSE] %*% inverse %*% i[nuisance, own, drop = FALSE]
    list(u = u[order(source$v[match(group$used, rows)]), , drop = FALSE],
         information = given / nrow(u))
  }, entry_scores(fit), fit$sample$groups)
  found <- within_bins(parts, sort(source$v))
  list(statistic = found$mean, p = found$p, max_lm = found$largest, p_max_lm = found$p_largest,
       at = found$at, rank = found$rank, path = NULL)
}

# --- fits to parts of the cases in the order of the variable -------------------------------------

# The model in bins of the variable, with some kinds of parameters equal and some addresses not.
binned_fit <- function(source, held, count, differ = character()) {
  remembered(source, c("bins", count, held, differ), fit_to_bins(source, held, count, differ))
}

fit_to_bins <- function(source, held, count, differ) {
  fit <- source$fit
  rows <- joint_fit(fit)$sample$groups[[1L]]$used
  share <- (rank(source$v, ties.method = "average") - 0.5) / length(source$v)
  frame <- fit$sample$data$frame
  name <- make.unique(c(names(frame), ".bin"))[ncol(frame) + 1L]
  frame[[name]] <- NA_character_
  frame[[name]][rows] <- sprintf("bin%02d", pmin(count, floor(share * count) + 1))
  bp <- without_trail(fit$request$blueprint)
  bp$hold_equal <- union(bp$hold_equal, held)
  bp$let_differ <- union(bp$let_differ, differ)
  found <- suppressWarnings(suppressMessages(
    refit_quietly(fit, list(blueprint = bp, data = frame, by = name))))
  check_converged(found, "constancy")
  found
}

# The models of the thirds: with the whole block equal, for the change of the constructs, and with
# one parameter after the other free. NULL for categories without order.
fit_of_thirds <- function(source, blocks) {
  if (source$kind == "unordered") return(NULL)
  layout <- joint_fit(source$fit)$layout
  kinds <- block_kinds(layout)
  attempt <- function(held, differ = character()) {
    tryCatch(binned_fit(source, held, 3L, differ), orizzonte_error = function(e) NULL)
  }
  tested <- unlist(lapply(blocks, function(block) {
    vapply(source$parameters[block$own], `[`, 0L, 1L)
  }))
  singles <- map_with_progress(tested, function(row) {
    held <- c("loading", if (kinds[row] == "intercepts") "intercept")
    free <- if (kinds[row] %in% c("loadings", "intercepts")) layout$rows$parameter[row] else
      character()
    list(address = layout$rows$parameter[row], fit = attempt(held, free))
  }, text_of("constancy_thirds"))
  list(whole = attempt(c("loading", "intercept")), singles = singles)
}

# The parameter in the highest third less that in the lowest one.
third_differences <- function(thirds, out) {
  vapply(out$parameter, function(address) {
    if (is.na(address) || is.null(thirds)) return(NA_real_)
    own <- Filter(function(one) one$address == address, thirds$singles)
    fit <- if (length(own)) own[[1L]]$fit
    if (is.null(fit)) return(NA_real_)
    rows <- fit$layout$rows
    at <- which(addresses_without_group(rows) == address)
    outer <- at[c(1L, length(at))]
    if (length(at) < 2L) NA_real_ else diff(values_of(fit)[outer])
  }, 0, USE.NAMES = FALSE)
}

# By construct: the change of its mean between the outer thirds, in standard deviations of the
# lowest, and the ratio of the standard deviations.
construct_changes <- function(thirds) {
  fit <- thirds$whole
  if (is.null(fit) || length(fit$layout$groups) < 2L) return(NULL)
  views <- group_views(fit)
  names <- setdiff(fit$layout$constructs, fit$layout$composites)
  if (length(names) == 0L) return(NULL)
  moments <- lapply(views[c(1L, length(views))], function(view) {
    matrices <- view_matrices(view)
    at <- match(names, view$layout$constructs) + length(view$layout$observed)
    list(mean = matrices$mean[at], sd = real_root(diag(matrices$covariance)[at]))
  })
  low <- moments[[1L]]
  high <- moments[[2L]]
  list_frame(list(construct = names, d = unname((high$mean - low$mean) / low$sd),
                  sd_ratio = unname(high$sd / low$sd)))
}
