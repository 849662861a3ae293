# Many refits of one fit: what they draw from, one chunk of them, and the light fit of each.

# Cases of the fit drawn again: within groups, whole clusters.
case_source <- function(fit) {
  list(less = as.integer(fit$request$multiplier == "n-1"), cases = core_cases(whole_fit(fit)))
}

# The same cases less one part after the other: single cases or clusters where they are few, else as
# many parts of equal size, in an order that the seed gives.
most_parts <- 400L
part_source <- function(fit, seed, most = most_parts) {
  source <- case_source(fit)
  cases <- source$cases
  units <- vapply(cases, function(x) {
    if (is.null(x$cluster)) nrow(x$values) else max(x$cluster)
  }, 0L)
  count <- min(sum(units), most)
  part <- with_seed(seed, sample(rep_len(seq_len(count), sum(units))))
  if (count == sum(units)) part <- seq_len(count)
  ends <- cumsum(units)
  source$parts <- Map(function(x, end, size) {
    own <- part[end - size + seq_len(size)]
    if (is.null(x$cluster)) own else own[x$cluster]
  }, cases, ends, units)
  source$count <- count
  source
}

# What a chunk of refits needs, whole: it may run elsewhere. `readers`: NULL when parameters are
# enough; `expected`: names of the numbers they give; `overshoot`: as in overshoot_of().
new_refit_job <- function(fit, source, seed, readers = NULL, expected = NULL, overshoot = NULL) {
  list(fit = fit, source = source, seed = seed, readers = readers, expected = expected,
       overshoot = overshoot, without_errors = values_alone(readers))
}

# Replicates first to first + count - 1.
refit_chunk <- function(job, first, count) {
  whole <- whole_fit(job$fit)
  keep <- !is.null(job$readers)
  found <- core_refit_many(whole$layout$model, core_moments(whole), core_theta(whole), job$source,
                           job$seed, first, count, 4L, keep)
  out <- list(theta = t(found$theta), chisq = found$discrepancy * colSums(found$n),
              status = found$status, improper = found$improper, trouble = character())
  if (!keep) return(out)
  out$values <- matrix(NA_real_, count, length(job$expected),
                       dimnames = list(NULL, job$expected))
  for (r in which(found$status == 0L)) {
    numbers <- tryCatch(read_numbers(replicate_fit(job, found, first, r), job$readers)$value,
                        error = function(e) conditionMessage(e))
    if (is.character(numbers)) out$trouble <- c(out$trouble, numbers) else
      out$values[r, ] <- numbers[job$expected]
  }
  out
}

# A light fit of replicate r of a chunk: enough for every reader. Where readers go to single cases,
# these are drawn when asked for.
replicate_fit <- function(job, found, first, r) {
  whole <- whole_fit(job$fit)
  less <- job$source$less
  moments <- named_moments(found$moments[[r]], whole)
  solution <- whole$solution
  solution$known <- found$theta[, r]
  solution$theta[whole$layout$model$used] <- solution$known
  solution$eta <- values_at(whole$layout, replace(solution$theta, is.na(solution$theta), 0))
  solution$discrepancy <- found$discrepancy[r]
  solution$vcov <- matrix(0, 0L, 0L)
  solution$inflation <- numeric()
  solution$proper <- FALSE
  solution$active[] <- FALSE
  solution <- profile_solution(solution, whole$layout, moments)
  light <- new_fit(whole$request, replicate_sample(whole$sample, moments, less), whole$layout,
                   solution, moments)
  light$overshoot <- job$overshoot
  if (job$without_errors)
    light$cache$vcov <- matrix(NA_real_, length(solution$theta), length(solution$theta))
  draw <- job[c("source", "seed")]
  delayedAssign("cases", replicate_cases(whole, draw, first + r - 1L),
                assign.env = light$cache)
  if (!is.null(job$fit$joint)) light <- beside_auxiliary(light, job$fit$request, job$fit$layout)
  as_replicate(light)
}

# Readers whose values do not hang on standard errors: these are not made, then.
values_alone <- function(readers) {
  known <- list(estimates, effects, r_squared, fit_indices, construct_quality)
  all(vapply(readers, function(f) any(vapply(known, identical, NA, f)), NA))
}

# The core's moments with the names of the variables.
named_moments <- function(moments, fit) {
  Map(function(own, known) {
    dimnames(own$covariance) <- dimnames(known$covariance)
    names(own$mean) <- colnames(known$covariance)
    if (length(own$patterns) == 0L) return(own[c("n", "covariance", "mean")])
    together <- seen_together(own$patterns, ncol(own$covariance))
    c(own, list(unseen = unseen_pairs(together)))
  }, moments, fit$moments)
}

# How many cases have both of each pair of variables.
seen_together <- function(patterns, size) {
  out <- matrix(0, size, size)
  for (pattern in patterns) {
    v <- pattern$variables
    out[v, v] <- out[v, v] + pattern$n
  }
  out
}

# The sample of a replicate, as far as readers ask for it.
replicate_sample <- function(sample, moments, less) {
  sample$groups <- Map(function(group, own) {
    block <- group$blocks[[1L]]
    block[c("n", "covariance", "mean")] <- list(own$n + less, own$covariance, own$mean)
    group$blocks <- list(block)
    group$patterns <- lapply(own$patterns, function(pattern) {
      pattern$variables <- block$variables[pattern$variables]
      pattern
    })
    if (length(group$patterns) == 0L) group$patterns <- NULL
    group$unseen <- own$unseen
    group
  }, sample$groups, moments)
  sample
}

# Single cases of a replicate, as core_cases() has them; the copies of a cluster are clusters of
# their own.
replicate_cases <- function(fit, draw, replicate) {
  drawn <- core_replicate_cases(fit$layout$model, draw$source, draw$seed, replicate)
  if (is.null(draw$source$cases))
    return(Map(function(values, population) {
      sizes <- population$clusters
      list(values = values, weight = NULL,
           cluster = if (length(sizes)) rep(seq_along(sizes), sizes))
    }, drawn, draw$source$populations))
  out <- Map(function(rows, cases) {
    list(values = cases$values[rows, , drop = FALSE], weight = cases$weight[rows],
         cluster = if (!is.null(cases$cluster)) copies_of_clusters(cases$cluster, rows))
  }, drawn, draw$source$cases)
  if (is.null(out[[1L]]$weight)) return(out)
  # weights sum to the number of cases, in each replicate anew
  by <- sum(lengths(drawn)) / sum(vapply(out, function(x) sum(x$weight), 0))
  lapply(out, function(x) replace(x, "weight", list(x$weight * by)))
}

# Rows come cluster by cluster: a new one begins where the first row of its cluster comes again.
copies_of_clusters <- function(cluster, rows) {
  starts <- !duplicated(cluster)
  cumsum(starts[rows])
}

# The same source with its variables as another model of some of them has them, whatever the order
# in which that was written.
source_for <- function(source, fit, other) {
  own <- unname(fit$layout$parts)
  wanted <- unname(other$layout$parts)
  places <- Map(function(a, b) match(b$observed, a$observed), own, wanted)
  if (!is.null(source$cases)) {
    source$cases <- Map(function(cases, at) {
      cases$values <- cases$values[, at, drop = FALSE]
      cases
    }, source$cases, places)
  } else {
    source$populations <- Map(function(population, at) replace(population, "kept", list(at)),
                              source$populations, places)
  }
  source
}

# All replicates, in whatever parts; `readers` NULL: parameters and chi-square are enough.
run_refits <- function(fit, source, seed, reps, readers = NULL, expected = NULL, folder = NULL,
                       overshoot = NULL, title = "Replicates") {
  job <- new_refit_job(fit, source, seed, readers, expected, overshoot)
  bind_chunks(run_chunks(refit_chunk, job, reps, title, folder))
}

# What was found in all chunks, in the order of the replicates.
bind_chunks <- function(chunks) {
  bind <- function(name) do.call(rbind, lapply(chunks, `[[`, name))
  join <- function(name) unlist(lapply(chunks, `[[`, name))
  list(theta = bind("theta"), values = bind("values"), chisq = join("chisq"),
       status = join("status"), improper = join("improper"), trouble = join("trouble"))
}
