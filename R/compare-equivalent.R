#' Which other models would fit exactly as well?
#'
#' Lists models that imply the same covariance matrices as a fitted one, but tell another story:
#' with an effect reversed, or replaced by a covariance. No data can distinguish such models; only
#' design, theory and the order in time can (Stelzl 1986; MacCallum, Wegener, Uchino & Fabrigar
#' 1993).
#'
#' @param fit A fit from [fit_model()] without feedback among the variables.
#' @param before Names of variables in their order of time: each comes before those that are named
#'   later and before all that are not named, so that nothing later may be its cause.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_equivalent`, one row per model, those with fewest
#'   changes first (at most ten): `change` (the replaced relation and its replacement), `places`
#'   (number of changes), `chisq_difference` (of the refitted model, zero but for rounding),
#'   `verified` (whether the refit has the same degrees of freedom and \eqn{\chi^2}). Attributes:
#'   `blueprints`, a list of the models by `change`; `tried`, how many candidates were examined;
#'   `fixed`, which variables cannot be caused by others, and why.
#' @section How: Every pair of constructs and observed variables that is linked by an effect or a
#'   covariance is given each of its other states. A candidate counts as equivalent if it reaches
#'   the covariance matrices of the fitted model at three random points with the same tangent space
#'   (Bekker, Merckens & Wansbeek 1994), which is complete for single changes; changes in two places
#'   start from those found. Each model is then refitted. Models with the same measurement part are
#'   equivalent if their constructs' covariance matrices are. In addition, three equivalences of
#'   measurement models are tried: three correlated constructs and a second-order construct; one
#'   construct of four items with a residual covariance, the same with the covariance of the other
#'   pair, and two constructs of two items.
#'
#'   Repeated constructs keep their order in time, observed predictors and their covariances are not
#'   changed, and effects that are restricted stay as they are. A set of exogenous variables that
#'   all covary may be ordered in any way, and is one row.
#' @section Not listed: A residual covariance is equivalent to an additional construct of the two
#'   items with equal loadings (for a positive covariance); an item as the effect of a construct is
#'   its loading. A bifactor model is not equivalent to a second-order model, which is nested in it.
#' @section Errors: `orizzonte_error_input` for a model with feedback; `orizzonte_error_name` for an
#'   unknown name in `before`; `orizzonte_error_convergence` for a fit that did not converge.
#' @references
#' Bekker, P. A., Merckens, A., & Wansbeek, T. J. (1994). *Identification, equivalent models, and
#' computer algebra*. Academic Press.
#'
#' Lee, S., & Hershberger, S. (1990). A simple rule for generating equivalent models in covariance
#' structure modeling. *Multivariate Behavioral Research, 25*(3), 313--334.
#'
#' MacCallum, R. C., Wegener, D. T., Uchino, B. N., & Fabrigar, L. R. (1993). The problem of
#' equivalent models in applications of covariance structure analysis. *Psychological Bulletin,
#' 114*(1), 185--199.
#'
#' Stelzl, I. (1986). Changing a causal hypothesis without changing the fit: Some rules for
#' generating equivalent path models. *Multivariate Behavioral Research, 21*(3), 309--331.
#' @seealso [compare_models()] for models that fit differently.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Calm ~ Belonging, Staying ~ Calm)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' equivalent_models(fit)
#' equivalent_models(fit, before = "Belonging")
#' @export
equivalent_models <- function(fit, before = NULL, ...) {
  check_arguments("equivalent_models")
  check_fit(fit, "equivalent_models")
  check_converged(fit, "equivalent_models")
  frame <- structural_frame(fit, before)
  found <- if (length(frame$name) > 1L) equivalent_graphs(frame) else
    list(models = list(), tried = 0L)
  candidates <- c(lapply(found$models, function(one) {
    list(change = one$change, places = one$places, blueprint = graph_blueprint(fit, frame, one))
  }), equivalent_measures(fit))
  candidates <- utils::head(candidates, most_equivalent)
  refitted <- map_with_progress(candidates, function(one) refit_equivalent(fit, one$blueprint),
                                text_of("equivalent_refits"))
  at <- function(name) vapply(refitted, `[[`, 0, name)
  keep <- rep(TRUE, length(candidates))
  # equivalences of measures are proposed by a pattern, and only count when the refit agrees
  measured <- vapply(candidates, function(one) is.null(one$places), NA)
  verified <- vapply(refitted, `[[`, NA, "verified")
  keep[measured & !verified] <- FALSE
  change <- vapply(candidates, `[[`, "", "change")
  out <- list_frame_class(list(
    change = change[keep],
    places = vapply(candidates[keep], function(one) one$places %||% 1L, 0L),
    chisq_difference = at("difference")[keep], verified = verified[keep]), "orizzonte_equivalent")
  structure(out, title = fit$request$blueprint$title,
            blueprints = stats::setNames(lapply(candidates[keep], `[[`, "blueprint"), change[keep]),
            tried = found$tried, fixed = frame$reasons,
            saturated = is_saturated_graph(frame$graph))
}

most_equivalent <- 10L

# Every pair is linked: any other structure with as many links fits as well.
is_saturated_graph <- function(graph) {
  m <- nrow(graph$arrows)
  m > 2L && sum(graph$arrows) > 0 && length(unlist(graph_parameters(graph))) == m * (m - 1) / 2
}

# --- the graph of a fit ------------------------------------------------------------------------

# The variables of the structural part, their graph, and the relations that may be changed.
structural_frame <- function(fit, before) {
  layout <- layout_of_group(fit$layout, 1L)
  rows <- layout$rows
  lower <- rows$second[rows$kind == "loading"]
  indicators <- c(lower, rows$first[rows$kind == "weight"])
  name <- setdiff(c(layout$constructs, layout$observed), indicators)
  m <- length(name)
  effect <- which(rows$kind == "effect" & rows$first %in% name & rows$second %in% name)
  arc <- which(rows$kind == "covariance" & rows$first %in% name & rows$second %in% name)
  graph <- new_graph(matrix(0, m, m), matrix(0, m, m))
  graph$arrows[cbind(match(rows$second[effect], name), match(rows$first[effect], name))] <- 1
  pairs <- cbind(match(rows$first[arc], name), match(rows$second[arc], name))
  graph$arcs[pairs] <- graph$arcs[pairs[, 2:1, drop = FALSE]] <- 1
  if (!is_recursive(graph)) abort("input", c(text_of("equivalent_feedback"),
                                             i = text_of("equivalent_feedback_hint")))
  unknown <- setdiff(before, name)
  if (!is.null(before)) check_words(before, "`before`", "c(\"Belonging\", \"Calm\")")
  if (length(unknown))
    abort("name", c(text_of("equivalent_no_variable", name = quoted(unknown[1L])),
                    did_you_mean(unknown[1L], name)))
  restricted <- restricted_pairs(rows, name)
  observed <- name %in% layout$observed
  exogenous <- rowSums(graph$arrows) == 0
  list(name = name, graph = graph, fixed = observed & exogenous,
       composite = name %in% layout$composites,
       rank = time_ranks(name, before, fit$request$blueprint$repeated), restricted = restricted,
       reasons = list(observed = name[observed & exogenous], before = before))
}

# Pairs whose effect or covariance is not simply free.
restricted_pairs <- function(rows, name) {
  own <- rows$kind %in% c("effect", "covariance") & rows$first %in% name & rows$second %in% name
  odd <- own & (!is.na(rows$fixed) | rows$touched | rows$constrained)
  cbind(match(rows$first[odd], name), match(rows$second[odd], name))
}

# When each variable occurs, as stated in `before` and by the times of repeated constructs; NA where
# nothing is known. Variables that `before` does not name come last.
time_ranks <- function(name, before, repeated) {
  stated <- match(name, before)
  if (length(before)) stated[is.na(stated)] <- Inf
  time <- rep(NA_real_, length(name))
  for (times in repeated) {
    at <- match(names(times), name)
    time[at[!is.na(at)]] <- seq_along(times)[!is.na(at)]
  }
  cbind(stated = stated, time = time)
}

# May each of `i` come before `j`?
may_precede <- function(rank, i, j) !any(rank[i, ] > rank[j, ], na.rm = TRUE)

# Variables that all covary and that have no causes.
exogenous_block <- function(frame) {
  graph <- frame$graph
  free <- which(rowSums(graph$arrows) == 0 & !frame$fixed & !frame$composite)
  if (length(free) < 2L) return(integer())
  complete <- all(graph$arcs[free, free][upper.tri(diag(length(free)))] == 1)
  beyond <- setdiff(seq_along(frame$name), free)
  alike <- length(unique(lapply(free, function(i) graph$arcs[i, beyond]))) == 1L
  ranks <- unique(frame$rank[free, , drop = FALSE])
  restricted <- apply(frame$restricted, 1L, function(pair) all(pair %in% free))
  if (complete && alike && nrow(ranks) == 1L && !any(restricted)) free else integer()
}

# --- the search --------------------------------------------------------------------------------

equivalent_graphs <- function(frame) {
  block <- exogenous_block(frame)
  may <- function(i, j) {
    !frame$fixed[j] && !frame$composite[j] && may_precede(frame$rank, i, j)
  }
  movable <- function(i, j) {
    pinned <- any(frame$restricted[, 1L] %in% c(i, j) & frame$restricted[, 2L] %in% c(i, j))
    !pinned && !frame$fixed[i] && !frame$fixed[j] && !frame$composite[i] && !frame$composite[j] &&
      !all(c(i, j) %in% block)
  }
  seen <- graph_key(frame$graph)
  tried <- 0L
  models <- list()
  if (length(block) > 1L) {
    chain <- ordered_block(frame$graph, block)
    if (with_seed(1L, are_equivalent(frame$graph, chain))) models <- list(list(
      graph = chain, places = 1L,
      change = text_of("equivalent_any_order", names = enumerate(frame$name[block]))))
    tried <- 1L
  }
  front <- list(list(graph = frame$graph, changes = character()))
  for (depth in 1:2) {
    following <- list()
    for (one in front) for (step in one_place_changes(one$graph, may, movable)) {
      key <- graph_key(step$graph)
      if (key %in% seen) next
      seen <- c(seen, key)
      # two changes of the same pair are one
      if (depth == 2L && (length(models) >= most_equivalent || !by_rules(one$graph, step))) next
      tried <- tried + 1L
      same <- with_seed(1L, are_equivalent(frame$graph, step$graph))
      if (!same) next
      changes <- c(one$changes, change_text(frame$name, step))
      following <- c(following, list(list(graph = step$graph, changes = changes)))
      models <- c(models, list(list(graph = step$graph, places = depth,
                                    change = paste(changes, collapse = "; "))))
    }
    front <- following
  }
  list(models = models, tried = tried)
}

# Effects in the order of the variables instead of all covariances of a block.
ordered_block <- function(graph, block) {
  for (i in seq_along(block)[-length(block)]) for (j in seq(i + 1L, length(block)))
    graph <- with_state(graph, block[i], block[j], "->")
  graph
}

# Sufficient rules for one replacement (Stelzl 1986; Lee & Hershberger 1990; Raykov & Penev 1999),
# which spare the verification of most candidates in a second place.
by_rules <- function(graph, step) {
  if (step$from == "<-") {
    x <- step$pair[2L]
    y <- step$pair[1L]
  } else {
    x <- step$pair[1L]
    y <- step$pair[2L]
  }
  causes <- function(i) which(graph$arrows[i, ] == 1)
  partners <- function(i) which(graph$arcs[i, ] == 1)
  before <- function(x, y) {
    all(causes(x) %in% c(causes(y), x)) && all(setdiff(partners(x), y) %in% partners(y))
  }
  if (step$from == "<->") {
    if (step$to == "->") return(before(step$pair[1L], step$pair[2L]))
    return(before(step$pair[2L], step$pair[1L]))
  }
  if (step$to == "<->") return(before(x, y))
  setequal(setdiff(causes(y), x), causes(x)) && setequal(setdiff(partners(y), x),
                                                        setdiff(partners(x), y))
}

# Describes a change by the new and the old address.
change_text <- function(name, step) {
  address <- function(state) {
    pair <- name[step$pair]
    switch(state, "->" = address_format("effect", pair[1L], pair[2L]),
           "<-" = address_format("effect", pair[2L], pair[1L]),
           address_format("covariance", pair[1L], pair[2L]))
  }
  text_of("equivalent_instead", new = address(step$to), old = address(step$from))
}

# --- as blueprints -----------------------------------------------------------------------------

# The blueprint with another graph: every relation among the structural variables is stated.
graph_blueprint <- function(fit, frame, found) {
  bp <- without_trail(fit$request$blueprint)
  name <- frame$name
  graph <- found$graph
  own <- bp$effects$from %in% name & bp$effects$to %in% name
  arrows <- which(graph$arrows == 1, arr.ind = TRUE)
  bp$effects <- list(from = c(bp$effects$from[!own], name[arrows[, 2L]]),
                     to = c(bp$effects$to[!own], name[arrows[, 1L]]))
  among <- function(pairs) pairs$first %in% name & pairs$second %in% name
  bp$covary <- lapply(bp$covary, function(x) x[!among(bp$covary)])
  bp$uncorrelate <- lapply(bp$uncorrelate, function(x) x[!among(bp$uncorrelate)])
  exogenous <- rowSums(graph$arrows) == 0
  for (i in seq_along(name)[-length(name)]) for (j in seq(i + 1L, length(name))) {
    key <- if (graph$arcs[i, j] == 1) "covary" else
      if (exogenous[i] && exogenous[j] && pair_state(graph, i, j) == "") "uncorrelate"
    # observed predictors covary anyway
    if (is.null(key) || key == "covary" && exogenous[i] && exogenous[j]) next
    bp[[key]]$first <- c(bp[[key]]$first, name[i])
    bp[[key]]$second <- c(bp[[key]]$second, name[j])
  }
  bp$quantities <- character()
  bp$claims <- character()
  bp$title <- paste0(bp$title, ": ", found$change)
  bp
}

# Does the refitted model have the same degrees of freedom and chi-square?
refit_equivalent <- function(fit, bp) {
  none <- list(difference = NA_real_, verified = FALSE)
  found <- tryCatch(suppressWarnings(suppressMessages(refit_quietly(fit, list(blueprint = bp)))),
                    orizzonte_error = function(e) NULL)
  if (is.null(found) || !has_converged(found)) return(none)
  one <- joint_fit(fit)
  two <- joint_fit(found)
  chisq <- moments_n(one) * discrepancy_of(one)
  difference <- moments_n(two) * discrepancy_of(two) - chisq
  list(difference = difference,
       verified = layout_counts(one$layout)$df == layout_counts(two$layout)$df &&
         abs(difference) < 1e-4 * max(1, chisq))
}

# --- measures ----------------------------------------------------------------------------------

# Other measurement models that may be equivalent: candidates without `places`, kept when a refit
# agrees.
equivalent_measures <- function(fit) {
  bp <- without_trail(fit$request$blueprint)
  bp$quantities <- bp$claims <- character()
  constructs <- bp$constructs
  items <- lapply(constructs, `[[`, "items")
  out <- list()
  add <- function(change, blueprint) {
    blueprint$title <- paste0(bp$title, ": ", change)
    out <<- c(out, list(list(change = change, blueprint = blueprint)))
  }
  higher <- names(constructs)[vapply(items, function(x) any(x %in% names(constructs)), NA)]
  if (length(higher) == 1L && length(items[[higher]]) == 3L && length(bp$effects$from) == 0L) {
    flat <- bp
    flat$constructs[[higher]] <- NULL
    add(text_of("equivalent_correlated", names = enumerate(items[[higher]]), name = higher), flat)
  }
  if (length(constructs) == 3L && length(higher) == 0L && length(bp$effects$from) == 0L &&
      length(bp$uncorrelate$first) == 0L) {
    name <- make.unique(c(names(constructs), "Second_order"))[4L]
    second <- tryCatch(eval(call("construct", bp, name, reflected_in = names(constructs))),
                       orizzonte_error = function(e) NULL)
    if (!is.null(second))
      add(text_of("equivalent_second_order", names = enumerate(names(constructs))), second)
  }
  if (length(constructs) == 1L && length(items[[1L]]) == 4L && length(bp$covary$first) == 1L &&
      length(bp$effects$from) == 0L) {
    pair <- c(bp$covary$first, bp$covary$second)
    rest <- setdiff(items[[1L]], pair)
    if (length(rest) == 2L) {
      other <- bp
      other$covary <- list(first = rest[1L], second = rest[2L])
      add(text_of("equivalent_instead", new = address_format("covariance", rest[1L], rest[2L]),
                  old = address_format("covariance", pair[1L], pair[2L])), other)
      name <- names(constructs)
      halves <- paste0(name, "_", 1:2)
      two <- bp
      two$covary <- list(first = character(), second = character())
      two$constructs[[name]] <- NULL
      two <- add_construct(add_construct(two, halves[1L], pair), halves[2L], rest)
      add(text_of("equivalent_two_constructs", one = enumerate(pair), two = enumerate(rest),
                  old = address_format("covariance", pair[1L], pair[2L])), two)
    }
  }
  out
}

# --- in words ----------------------------------------------------------------------------------

equivalent_reading <- function(x) {
  tried <- text_of("equivalent_tried", tried = attr(x, "tried"))
  held <- attr(x, "fixed")
  c(if (nrow(x) == 0L) text_of("equivalent_none") else
      text_of("equivalent_some", count = nrow(x),
              least = if (nrow(x) >= most_equivalent) text_of("equivalent_least")),
    if (attr(x, "saturated")) text_of("equivalent_saturated"), tried,
    if (length(held$observed)) text_of("equivalent_observed", names = enumerate(held$observed)),
    if (length(held$before)) text_of("equivalent_before", names = enumerate(held$before)))
}

# Numbered models, with those that could not be refitted.
equivalent_lines <- function(x) {
  paste0(format(seq_len(nrow(x))), ". ", x$change,
         ifelse(x$verified, "", text_of("equivalent_not_refitted")))
}

#' @export
print.orizzonte_equivalent <- function(x, ...) {
  if (!all(c("change", "places", "verified") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(heading(text_of("equivalent_title")), wrap_lines(equivalent_reading(x)))
  if (nrow(x)) put_lines("", wrap_lines(equivalent_lines(x), 2L, 5L))
  put_lines(if (nrow(x)) c("", next_step("equivalent_next")))
  invisible(x)
}

# Graphs of effects and covariances among m variables, and whether two of them allow the same
# covariance matrices. `arrows[i, j]`: an effect of j on i; `arcs`: symmetric, covariances of
# disturbances or of exogenous variables. Pure.

new_graph <- function(arrows, arcs) list(arrows = arrows, arcs = arcs)

graph_key <- function(graph) {
  paste(c(graph$arrows, graph$arcs[upper.tri(graph$arcs)]), collapse = "")
}

graph_parameters <- function(graph) {
  list(effects = which(graph$arrows == 1), arcs = which(graph$arcs == 1 & upper.tri(graph$arcs)))
}

# Without feedback: every power of the matrix of effects has an empty diagonal.
is_recursive <- function(graph) {
  power <- graph$arrows
  for (k in seq_len(nrow(power))) {
    if (any(diag(power) > 0)) return(FALSE)
    power <- (power %*% graph$arrows > 0) * 1
  }
  TRUE
}

# Effects, covariances and variances as matrices.
graph_matrices <- function(graph, theta) {
  at <- graph_parameters(graph)
  m <- nrow(graph$arrows)
  effects <- psi <- matrix(0, m, m)
  effects[at$effects] <- theta[seq_along(at$effects)]
  psi[at$arcs] <- theta[length(at$effects) + seq_along(at$arcs)]
  psi <- psi + t(psi)
  diag(psi) <- theta[length(at$effects) + length(at$arcs) + seq_len(m)]
  list(effects = effects, psi = psi, total = total_effects(effects))
}

graph_covariance <- function(graph, theta) {
  own <- graph_matrices(graph, theta)
  own$total %*% own$psi %*% t(own$total)
}

# Derivatives of the lower triangle of the covariance matrix by the parameters.
graph_jacobian <- function(graph, theta) {
  own <- graph_matrices(graph, theta)
  sigma <- own$total %*% own$psi %*% t(own$total)
  at <- graph_parameters(graph)
  m <- nrow(sigma)
  lower <- lower.tri(sigma, TRUE)
  column <- function(u, v) {
    d <- outer(u, v)
    (d + t(d))[lower]
  }
  effect <- arrayInd(at$effects, c(m, m))
  arc <- arrayInd(at$arcs, c(m, m))
  columns <- c(
    lapply(seq_len(nrow(effect)), function(k) {
      column(own$total[, effect[k, 1L]], sigma[effect[k, 2L], ])
    }),
    lapply(seq_len(nrow(arc)), function(k) {
      column(own$total[, arc[k, 1L]], own$total[, arc[k, 2L]])
    }),
    lapply(seq_len(m), function(k) column(own$total[, k], own$total[, k]) / 2))
  matrix(unlist(columns), sum(lower))
}

rank_tolerance <- 1e-7
column_rank <- function(jacobian) {
  size <- sqrt(colSums(jacobian^2))
  values <- svd(sweep(jacobian, 2L, ifelse(size > 0, size, 1), "/"))$d
  sum(values > rank_tolerance * values[1L])
}

random_parameters <- function(graph) {
  at <- graph_parameters(graph)
  effects <- length(at$effects)
  c(sample(c(-1, 1), effects, TRUE) * stats::runif(effects, 0.25, 0.7),
    stats::runif(length(at$arcs), -0.3, 0.3), stats::runif(nrow(graph$arrows), 0.7, 1.3))
}

same_matrix <- 1e-16    # sum of squared standardized residuals

# The parameters of a graph that reproduce a covariance matrix best, by damped least squares
# (Levenberg 1944; Marquardt 1963) from several starts.
solve_graph <- function(graph, sigma, starts = 6L) {
  lower <- lower.tri(sigma, TRUE)
  weight <- 1 / outer(sqrt(diag(sigma)), sqrt(diag(sigma)))[lower]
  m <- nrow(sigma)
  best <- list(loss = Inf)
  for (start in seq_len(starts)) {
    theta <- random_parameters(graph)
    if (start == 1L) theta[] <- 0
    theta[length(theta) - m + seq_len(m)] <- diag(sigma) * (if (start == 1L) 1 else 0.8)
    found <- descend(graph, theta, sigma, lower, weight)
    if (found$loss < best$loss) best <- found
    if (best$loss < same_matrix) break
  }
  best
}

descend <- function(graph, theta, sigma, lower, weight) {
  loss_at <- function(theta) {
    value <- tryCatch(sum(((graph_covariance(graph, theta) - sigma)[lower] * weight)^2),
                      error = function(e) Inf)
    if (is.finite(value)) value else Inf
  }
  loss <- loss_at(theta)
  damping <- 1e-2
  for (step in 1:200) {
    jacobian <- graph_jacobian(graph, theta) * weight
    residual <- (sigma - graph_covariance(graph, theta))[lower] * weight
    move <- solve_in_units(crossprod(jacobian) + damping * diag(ncol(jacobian)),
                           crossprod(jacobian, residual))
    if (anyNA(move)) break
    now <- loss_at(theta + drop(move))
    if (now < loss) {
      theta <- theta + drop(move)
      gained <- loss - now
      loss <- now
      damping <- max(damping / 10, 1e-14)
      if (gained < 1e-30 || loss < 1e-26) break
    } else {
      damping <- damping * 10
      if (damping > 1e6) break
    }
  }
  list(loss = loss, theta = theta)
}

# Do two graphs allow the same covariance matrices? At random points of the first, the other must
# reach its matrix, with the same tangent space (Bekker, Merckens & Wansbeek 1994).
are_equivalent <- function(graph, other, points = 3L) {
  if (length(unlist(graph_parameters(graph))) != length(unlist(graph_parameters(other))))
    return(FALSE)
  tried <- 0L
  for (attempt in seq_len(10L * points)) {
    theta <- random_parameters(graph)
    sigma <- graph_covariance(graph, theta)
    if (min(eigen(sigma, symmetric = TRUE, only.values = TRUE)$values) < 0.02) next
    found <- solve_graph(other, sigma)
    if (found$loss > same_matrix) return(FALSE)
    one <- graph_jacobian(graph, theta)
    two <- graph_jacobian(other, found$theta)
    rank <- column_rank(one)
    if (column_rank(two) != rank || column_rank(cbind(one, two)) != rank) return(FALSE)
    tried <- tried + 1L
    if (tried == points) return(TRUE)
  }
  FALSE
}

# The state of a pair: "->" (first on second), "<-", "<->".
pair_state <- function(graph, i, j) {
  if (graph$arrows[j, i] == 1) "->" else if (graph$arrows[i, j] == 1) "<-" else
    if (graph$arcs[i, j] == 1) "<->" else ""
}

with_state <- function(graph, i, j, state) {
  graph$arrows[i, j] <- graph$arrows[j, i] <- graph$arcs[i, j] <- graph$arcs[j, i] <- 0
  if (state == "->") graph$arrows[j, i] <- 1
  if (state == "<-") graph$arrows[i, j] <- 1
  if (state == "<->") graph$arcs[i, j] <- graph$arcs[j, i] <- 1
  graph
}

# Every permitted graph that differs in the state of one linked pair. `may(i, j)`: whether i may be
# a cause of j; `movable(i, j)`: whether the pair may change at all. Reversals come first.
one_place_changes <- function(graph, may, movable) {
  m <- nrow(graph$arrows)
  out <- list()
  for (i in seq_len(m - 1L)) for (j in seq(i + 1L, m)) {
    now <- pair_state(graph, i, j)
    if (!nzchar(now) || !movable(i, j) || graph$arcs[i, j] + graph$arrows[i, j] +
        graph$arrows[j, i] > 1) next
    for (state in setdiff(c("->", "<-", "<->"), now)) {
      if (state == "->" && !may(i, j) || state == "<-" && !may(j, i)) next
      other <- with_state(graph, i, j, state)
      if (is_recursive(other))
        out <- c(out, list(list(graph = other, pair = c(i, j), from = now, to = state)))
    }
  }
  out[order(vapply(out, function(one) one$to == "<->", NA))]
}
