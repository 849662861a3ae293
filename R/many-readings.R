# The numbers of the usual results functions, for all replicates of a chunk at once: parameters,
# standardized values, R squared and effects need no fit of their own, only the core.

# Terms of these numbers: entries of the parameter table first, then quantities of the core. Each
# number is a product of terms, or a product minus a term. NULL for any other results function, or
# one that needs more than its terms: then every replicate is read as a fit.
new_reading_plan <- function(fit, readers) {
  plans <- lapply(readers, plan_of_reader)
  if (any(vapply(plans, is.null, NA)) || length(fit$request$blueprint$quantities)) return(NULL)
  parts <- lapply(unname(plans), function(plan) plan(fit))
  size <- length(fit$layout$rows$kind)
  # numbers of quantities come after those of the parts before
  before <- c(0L, cumsum(vapply(parts, function(part) length(part$asked$a), 0L)))
  terms <- Map(function(part, shift) {
    lapply(part$terms, function(term) ifelse(term > size, term + shift, term))
  }, parts, utils::head(before, -1L))
  join <- function(...) unlist(lapply(parts, function(part) part[[c(...)]]), use.names = FALSE)
  list(names = join("names"), terms = unlist(terms, recursive = FALSE),
       complement = join("complement"),
       asked = list(what = join("asked", "what"), group = join("asked", "group"),
                    a = join("asked", "a"), b = join("asked", "b")))
}

plan_of_reader <- function(f) {
  if (identical(f, estimates)) return(plan_estimates)
  if (identical(f, r_squared)) return(plan_r_squared)
  if (identical(f, stats::effects) || identical(f, effects.orizzonte_fit)) return(plan_effects)
  NULL
}

new_plan_part <- function(names, terms, asked, complement = rep(FALSE, length(names))) {
  list(names = names, terms = terms, asked = asked, complement = complement)
}

plan_estimates <- function(fit) {
  rows <- fit$layout$rows
  size <- length(rows$kind)
  at <- seq_len(size)
  new_plan_part(c(rows$parameter, paste0("standardized(", rows$parameter, ")")),
                as.list(c(at, size + at)), standardized_quantities(at))
}

plan_r_squared <- function(fit) {
  rows <- fit$layout$rows
  at <- which(rows$kind == "variance" & rows$first %in% fit$layout$endogenous)
  names <- r_squared_labels(rows$first[at], shown_group(fit$layout, rows$group[at]))
  new_plan_part(names, as.list(length(rows$kind) + seq_along(at)), standardized_quantities(at),
                rep(TRUE, length(at)))
}

standardized_quantities <- function(at) {
  list(what = rep("standardized", length(at)), group = rep(1L, length(at)), a = at, b = at)
}

plan_effects <- function(fit) {
  layout <- fit$layout
  size <- length(layout$rows$kind)
  views <- group_views(fit)
  rows <- unlist(lapply(views, function(view) {
    all <- c(view$layout$observed, view$layout$constructs)
    lapply(listed_effects(view, all, items = FALSE, routes = FALSE),
           function(row) c(row, group = view$number))
  }), recursive = FALSE)
  if (length(rows) == 0L)
    return(new_plan_part(character(), list(), list(what = character(), group = integer(),
                                                   a = integer(), b = integer())))
  get <- function(what, type) vapply(rows, function(row) row[[what]], type)
  kind <- get("kind", "")
  parameter <- get("parameter", "")
  count <- length(rows)
  pair <- vapply(rows, `[[`, integer(2L), "pair")
  direct <- kind == "direct"
  # the ratio of standard deviations of every row, then the quantities that are not entries of the
  # table
  asked <- list(what = c(rep("sd_ratio", count), kind[!direct]),
                group = c(get("group", 0L), get("group", 0L)[!direct]),
                a = c(pair[1L, ], pair[1L, !direct]), b = c(pair[2L, ], pair[2L, !direct]))
  value <- integer(count)
  value[direct] <- match(parameter[direct], layout$rows$parameter)
  value[!direct] <- size + count + seq_len(sum(!direct))
  new_plan_part(c(parameter, paste0("standardized(", parameter, ")")),
                c(as.list(value), Map(c, value, size + seq_len(count))), asked)
}

# Replicates x `expected`, of the converged replicates of a chunk; NULL without a plan.
read_at_once <- function(job, found, plan) {
  fit <- job$fit
  whole <- joint_fit(fit)
  layout <- whole$layout
  done <- which(found$status == 0L)
  out <- matrix(NA_real_, length(found$status), length(job$expected),
                dimnames = list(NULL, job$expected))
  if (length(done) == 0L) return(out)
  theta <- matrix(0, length(layout$parameters), length(done))
  theta[layout$model$used, ] <- found$theta[, done]
  eta <- map_matrix(layout) %*% theta + layout$rows$constant
  moments <- if (layout$profiled) found$moments[done] else list()
  if (!is.null(fit$joint))
    eta <- eta[match(fit$layout$rows$parameter, layout$rows$parameter), , drop = FALSE]
  read <- core_derive_many(whole_model(fit), eta, moments, quantity_codes[plan$asked$what],
                           as.integer(plan$asked$group), as.integer(plan$asked$a),
                           as.integer(plan$asked$b), coded_variables(fit))
  terms <- rbind(read$eta, read$value)
  at <- match(job$expected, plan$names)
  for (k in seq_along(at)) {
    value <- Reduce(`*`, lapply(plan$terms[[at[k]]], function(term) terms[term, ]))
    out[done, k] <- if (plan$complement[at[k]]) 1 - value else value
  }
  out[is.nan(out)] <- NA_real_
  out
}
