# A solution: the estimates of the core for a layout and moments, completed to one value for every
# row of the parameter table. Only the accessors of this file read it.

new_solution <- function(layout, core) {
  theta <- stats::setNames(rep(NA_real_, length(layout$parameters)), layout$parameters)
  used <- layout$model$used
  if (length(core$theta) == length(used)) theta[used] <- core$theta
  structure(list(theta = theta, eta = values_at(layout, theta), known = core$theta,
                 vcov = core$vcov, discrepancy = core$discrepancy, decrement = core$decrement,
                 status = core$status, starts = core$starts, active = core$active,
                 inflation = core$inflation, history = core$history, proper = core$proper),
            class = "orizzonte_solution")
}

# Every row of the table from the free parameters: eta = K theta + k.
values_at <- function(layout, theta) {
  eta <- layout$rows$constant
  map <- layout$map
  for (i in seq_along(map$entry)) {
    eta[map$entry[i]] <- eta[map$entry[i]] + map$weight[i] * theta[[map$parameter[i]]]
  }
  eta
}

# Saturated means get their closed-form estimates: they are profiled out of the core's estimates.
profile_solution <- function(solution, layout, moments) {
  if (!layout$profiled || anyNA(solution$eta[layout$rows$family != parameter_families[["mean"]]])) {
    return(solution)
  }
  eta <- ifelse(is.na(solution$eta), 0, solution$eta)
  solution$eta <- core_profile_means(full_model(layout), eta, unname(moments))
  rows <- which(layout$rows$kind == "intercept")
  solution$theta[layout$map$parameter[match(rows, layout$map$entry)]] <- solution$eta[rows]
  solution
}

# Parameters at a bound take the value of the bound exactly.
set_active_bounds <- function(solution, layout) {
  for (bound in layout$constraints[which_active(solution, layout)]) {
    if (is.null(bound$value)) next
    alike <- rows_alike(layout, bound)
    solution$eta[alike] <- bound$value
    solution$theta[intersect(layout$rows$parameter[alike], names(solution$theta))] <- bound$value
  }
  solution
}

rows_alike <- function(layout, constraint) {
  pressed <- constraint$rows[is.na(layout$rows$fixed[constraint$rows])]
  layout$rows$class %in% layout$rows$class[pressed]
}

# Numbers of the bounds that hold with equality.
which_active <- function(solution, layout) {
  bounds <- which(vapply(layout$constraints, `[[`, NA, "bound"))
  bounds[solution$active[bounds]]
}

# --- accessors -----------------------------------------------------------------------------------

# All free parameters, named by address; every row; and the parameters that the core knows.
theta_of <- function(fit) fit$solution$theta
values_of <- function(fit) fit$solution$eta
core_theta <- function(fit) fit$solution$known

fit_status <- function(fit) {
  if (has_converged(fit)) return(text_of("status_converged"))
  reason <- stop_reason(fit)
  if (fit$solution$status == 6L) reason else text_of("status_not_converged", reason = reason)
}

# Why estimation stopped before it converged.
stop_reason <- function(fit) text_of(paste0("stopped_", fit$solution$status))

has_converged <- function(fit) fit$solution$status == 0L
has_values <- function(fit) !anyNA(fit$solution$eta)
discrepancy_of <- function(fit) fit$solution$discrepancy
decrement_of <- function(fit) fit$solution$decrement
history_of <- function(fit) fit$solution$history
starts_of <- function(fit) fit$solution$starts
# Did the core find it proper beyond doubt? Not used for values that were changed afterwards.
known_to_be_proper <- function(fit) isTRUE(fit$solution$proper)
inflation_of <- function(fit) fit$solution$inflation
is_active <- function(fit) fit$solution$active

# The active bounds of the solution, as constraints of the layout, and their texts: at an active
# bound chi-square follows a mixture (Shapiro 1985).
active_bounds <- function(fit) fit$layout$constraints[which_active(fit$solution, fit$layout)]
# Rows whose parameter is at a numeric bound: they do not vary.
pinned_rows <- function(fit) {
  bounds <- Filter(function(bound) !is.null(bound$value), active_bounds(fit))
  which(Reduce(`|`, lapply(bounds, rows_alike, layout = fit$layout), FALSE))
}
pinned_parameters <- function(fit) {
  intersect(fit$layout$parameters, fit$layout$rows$parameter[pinned_rows(fit)])
}
active_bound_texts <- function(fit) vapply(active_bounds(fit), `[[`, "", "text")

check_converged <- function(fit, verb) {
  if (has_converged(fit)) return(invisible())
  abort("convergence", c(text_of("needs_fit_converged", verb = verb),
                         x = text_of("one_has", fit = fit_status(fit)),
                         i = text_of("tries_usual_remedies", instruction = instruction("rescue"))))
}

# The moments by group, as the core takes them, and their n (with the multiplier of the request).
core_moments <- function(fit) unname(fit$moments)

moments_n <- function(fit) sum(vapply(fit$moments, `[[`, 0, "n"))

# The parts that every results function uses: groups, matrices, the joint model.

new_fit <- function(request, sample, layout, solution,
                    moments = sample_moments(sample, request$multiplier)) {
  stamped(structure(list(request = request, sample = sample, layout = layout, moments = moments,
                         solution = solution, cache = new.env(parent = emptyenv()),
                         version = package_version_text(), format = fit_format),
                    class = "orizzonte_fit"))
}

# A light fit at other values of the free parameters: enough for every results function.
fit_at <- function(fit, theta) {
  solution <- fit$solution
  solution$theta[] <- theta
  solution$proper <- FALSE
  solution$eta <- values_at(fit$layout, solution$theta)
  solution$known <- unname(solution$theta[fit$layout$model$used])
  new_fit(fit$request, fit$sample, fit$layout, solution, fit$moments)
}

# A light fit to resampled cases: expensive results that nobody reads are left out.
as_replicate <- function(fit) {
  fit$replicate <- TRUE
  fit
}

is_replicate <- function(fit) isTRUE(fit$replicate)

# Free parameters, less one for each equation among them.
n_free <- function(fit) length(fit$layout$parameters) - n_equations(fit$layout)

# The fit that provides likelihoods, scores and tests.
joint_fit <- function(fit) fit$joint %||% fit

# A list by group, also when there is one.
group_views <- function(fit) {
  lapply(stats::setNames(fit$layout$groups, fit$layout$groups), group_view, fit = fit)
}

group_view <- function(fit, group) {
  g <- match(group, fit$layout$groups)
  structure(list(group = group, number = g, fit = fit, layout = layout_of_group(fit$layout, g),
                 eta = values_of(fit)[fit$layout$spans[[g]]], moments = fit$moments[[g]],
                 sample = fit$sample$groups[[g]]), class = "orizzonte_view")
}

# One group by name; the first when none is named.
one_view <- function(fit, group = NULL) group_view(fit, chosen_group(fit$layout, group))

# The model matrices and implied moments of every group, all variables.
matrices_of <- function(fit) {
  cached(fit, "matrices", core_implied(whole_model(fit), values_of(fit)))
}

view_matrices <- function(view) view$matrices %||% matrices_of(view$fit)[[view$number]]

whole_model <- function(fit) cached(fit, "model", full_model(fit$layout))

# Tables of several views below each other.
bind_frames <- function(parts) {
  if (length(parts) == 1L) return(parts[[1L]])
  columns <-
    do.call(Map, c(list(c), unname(lapply(parts, function(part) unclass(json_rows(part))))))
  attributes(columns) <- list(names = names(columns))
  list_frame(columns)
}

# The layout of a model with the variables that its sample has.

# Combines blueprint and data. The request keeps the user's input; the layout has coded predictors.
specified_layout <- function(request, sample) {
  bp <- coded_blueprint(request, sample)
  check_left_out(sample, names(bp$left_out))
  if (length(sample$auxiliary) && !sample$joint) sample <- without_auxiliary(sample)
  stated_layout(bp, has_means(sample), unname(group_variables(sample)), names(sample$groups),
                sample$grouped)
}

coded_blueprint <- function(request, sample) code_blueprint(request$blueprint, sample$coding)

unconstrained_layout <- function(request, sample, stated = specified_layout(request, sample)) {
  bp <- coded_blueprint(request, sample)
  covariance <- pooled_covariance(sample)
  stated$auxiliary <- sample$auxiliary
  layout <- finish_layout(stated, bp, sqrt(diag(covariance)),
                          is_incomplete(sample) || shares_clusters(sample),
                          unseen_by_group(sample))
  layout$notes <- layout_notes(layout, covariance)
  check_quantities(layout, bp)
  check_claims(layout, bp)
  layout
}

# The sample of the model's variables alone.
without_auxiliary <- function(sample) {
  gone <- sample$auxiliary
  sample$groups <- lapply(sample$groups, function(group) {
    block <- group$blocks[[1L]]
    keep <- which(!block$variables %in% gone)
    group$blocks <- list(part_of_block(block, keep))
    group$patterns <- lapply(group$patterns, function(pattern) {
      part_of_block(pattern, which(!pattern$variables %in% gone))
    })
    inside <- group$unseen[, 1L] %in% keep & group$unseen[, 2L] %in% keep
    group$unseen <- matrix(match(group$unseen[inside, ], keep), ncol = 2L)
    group$missing <- group$missing[!names(group$missing) %in% gone]
    group
  })
  sample$with_auxiliary <- gone
  sample$auxiliary <- character()
  sample$joint <- FALSE
  sample
}

# The improper parts of a solution, by address.

# Columns: parameter, value, trouble (a sentence). No rows when the solution is proper.
improper_parts <- function(fit) {
  if (known_to_be_proper(fit)) return(trouble_rows())
  cached(fit, "improper", bind_troubles(lapply(group_views(fit), view_improper)))
}

# Rows of `parameter`, `value` and `trouble`.
trouble_rows <- function(parameter = character(), value = numeric(), trouble = character()) {
  list_frame(list(parameter = parameter, value = value, trouble = trouble))
}

# Most solutions are proper: then there is nothing to bind.
bind_troubles <- function(parts) {
  some <- parts[vapply(parts, function(part) length(part[[1L]]) > 0L, NA)]
  if (length(some)) bind_frames(some) else trouble_rows()
}

view_improper <- function(view) {
  if (anyNA(view$eta)) return(trouble_rows())
  negative <- negative_parts(view)
  beyond <- construct_parts(view)
  bind_troubles(list(negative, beyond, residual_parts_improper(view, nrow(beyond) > 0L)))
}

negative_parts <- function(view) {
  rows <- view$layout$rows
  at <- which(rows$kind == "variance" & view$eta < 0)
  if (length(at) == 0L) return(trouble_rows())
  address <- rows$parameter[at]
  trouble_rows(address, view$eta[at],
               text_of("a_negative", address = address, at = format_number(view$eta[at]),
                       at_2 = rows$meaning[at],
                       at_3 = ifelse(rows$meaning[at] != "variance", text_of("r_squared_above_one"),
                                     "")))
}

# Correlations of constructs beyond 1, or a matrix of them that is not positive semi-definite.
# Constructs with a negative variance have no correlations.
construct_parts <- function(view) {
  layout <- view$layout
  latent <- seq_along(layout$constructs) + length(layout$observed)
  phi <- view_matrices(view)$covariance[latent, latent, drop = FALSE]
  positive <- diag(phi) > 0
  if (sum(positive) < 2L) return(trouble_rows())
  phi <- phi[positive, positive, drop = FALSE]
  constructs <- layout$constructs[positive]
  where <- in_group(layout, view$group)
  correlation <- phi / sqrt(outer(diag(phi), diag(phi)))
  beyond <- which(abs(correlation) > 1 + 1e-8 & lower.tri(correlation), arr.ind = TRUE)
  if (nrow(beyond)) {
    first <- constructs[pmin(beyond[, 1L], beyond[, 2L])]
    second <- constructs[pmax(beyond[, 1L], beyond[, 2L])]
    r <- correlation[beyond]
    address <- address_format("correlation", first, second,
                              shown_group(layout, rep(view$group, length(r))))
    return(trouble_rows(address, r,
                        text_of("correlation_beyond_one", first = first, second = second,
                                where = where, value = format_share(r, 3L))))
  }
  lowest <- smallest_eigenvalue(correlation)
  if (lowest >= -1e-8) return(trouble_rows())
  trouble_rows("correlation[constructs]", lowest,
               text_of("covariance_matrix_constructs_is", where = where))
}

residual_parts_improper <- function(view, beyond) {
  layout <- view$layout
  psi <- view_matrices(view)$residual
  all <- c(layout$observed, layout$constructs)
  blocks <- connected_blocks(psi)
  parts <- lapply(blocks[lengths(blocks) > 1L], function(block) {
    # a negative variance is reported as such; the others may still correlate beyond 1
    block <- block[diag(psi)[block] > 0]
    if (length(block) < 2L) return(trouble_rows())
    part <- psi[block, block, drop = FALSE]
    apart <- residual_pairs_improper(layout, part, all[block], view$group)
    if (nrow(apart)) return(apart)
    lowest <- smallest_eigenvalue(part)
    known <- beyond && all(all[block] %in% layout$constructs)
    if (lowest >= -1e-8 || known) return(trouble_rows())
    trouble_rows("covariance[items]", lowest,
                 text_of("covariance_matrix_residuals_is", block = enumerate(all[block]),
                         group = in_group(layout, view$group)))
  })
  bind_troubles(parts)
}

# Residuals that would correlate beyond 1, but for those of constructs.
residual_pairs_improper <- function(layout, part, names, group) {
  r <- stats::cov2cor(part)
  beyond <- which(abs(r) > 1 + 1e-8 & lower.tri(r), arr.ind = TRUE)
  beyond <- beyond[!(names[beyond[, 1L]] %in% layout$constructs &
                       names[beyond[, 2L]] %in% layout$constructs), , drop = FALSE]
  if (nrow(beyond) == 0L) return(trouble_rows())
  first <- names[beyond[, 2L]]
  second <- names[beyond[, 1L]]
  trouble_rows(address_format("covariance", first, second,
                              shown_group(layout, rep(group, length(first)))), r[beyond],
               text_of("residuals_would_correlate_beyond", first = first, second = second,
                       group = in_group(layout, group), beyond = format_share(r[beyond], 3L)))
}

# Parameters that are weakly identified at the solution, though not elsewhere: the standard error of
# each is more than 300 times what it would be if the other parameters were known.
weakly_identified <- function(fit) {
  inflation <- inflation_of(fit)
  if (length(inflation) != length(fit$layout$model$used) || length(inflation) == 0L ||
      max(inflation) < 1e5) return(character())
  names <- fit$layout$parameters[fit$layout$model$used]
  names[order(-inflation)][sort(inflation, decreasing = TRUE) > 0.01 * max(inflation)]
}

# Each trouble in a few words: a negative variance by its value.
short_troubles <- function(improper) {
  ifelse(startsWith(improper$parameter, "variance["),
         paste0(improper$parameter, " = ", format_number(improper$value)), improper$trouble)
}

# The status that precedes the numbers of a solution that is improper or did not converge: kept with
# the results, NULL for all others. Replicates are not printed and need none.
with_status <- function(x, fit) {
  if (is_replicate(fit)) return(x)
  attr(x, "columns") <- names(x)
  state <- solution_state(fit)
  if (state$status %in% c("improper", "not converged"))
    attr(x, "status") <- list(status = state$status,
                              trouble = if (state$status == "improper")
                                improper_parts(fit)$trouble else state$trouble)
  x
}

check_proper <- function(fit, verb) {
  improper <- improper_parts(fit)
  if (nrow(improper) == 0L) return(invisible())
  abort("convergence", c(text_of("needs_proper_solution", verb = verb),
                         x = enumerate(improper$trouble, most = 3L),
                         i = text_of("tries_usual_remedies", instruction = instruction("rescue"))))
}

# The status in words; NULL for a proper solution.
status_words <- function(x) {
  status <- attr(x, "status")
  if (is.null(status)) return(NULL)
  text_of(if (status$status == "improper") "read_first_improper" else "read_first_not_converged",
          trouble = paste(status$trouble, collapse = "; "))
}

# The heading of a result, with its status below.
heading_with_status <- function(title, x) {
  words <- status_words(x)
  c(heading(title), if (!is.null(words)) c(wrap_lines(words), ""))
}

# The most serious problem of a solution: its status and a short description.
solution_state <- function(fit) {
  state <- function(status, trouble) list(status = status, trouble = trouble)
  if (!has_converged(fit))
    return(state("not converged", stop_reason(fit)))
  improper <- improper_parts(fit)
  if (nrow(improper))
    return(state("improper", enumerate(short_troubles(improper), most = 3L)))
  pressed <- active_bound_texts(fit)
  if (length(pressed)) return(state("at bound", paste("at bound:", enumerate(pressed, most = 3L))))
  weak <- weakly_identified(fit)
  if (length(weak)) return(state("weak", paste(text_of("weakly_identified"), enumerate(weak,
      most = 2L))))
  state("proper", "")
}
