# Many refits of one fit: their source, one chunk of them, and the light fit of each.

# Resampled cases of the fit: within groups, whole clusters.
case_source <- function(fit) {
  list(less = as.integer(fit$request$multiplier == "n-1"), cases = core_cases(joint_fit(fit)))
}

# The same cases with one part left out after the other: single cases or clusters where they are
# few, otherwise as many parts of equal size, in an order determined by the seed.
most_parts <- 400L
part_source <- function(fit, seed, most = most_parts) {
  source <- case_source(fit)
  cases <- source$cases
  shared <- cases[[1L]]$shared
  units <- shared %||% vapply(cases, function(x) {
    if (is.null(x$cluster)) nrow(x$values) else max(x$cluster)
  }, 0L)
  count <- min(sum(units), most)
  part <- with_seed(seed, sample(rep_len(seq_len(count), sum(units))))
  if (count == sum(units)) part <- seq_len(count)
  source$count <- count
  if (!is.null(shared)) {
    source$parts <- lapply(cases, function(x) part[x$cluster])
    return(source)
  }
  ends <- cumsum(units)
  source$parts <- Map(function(x, end, size) {
    own <- part[end - size + seq_len(size)]
    if (is.null(x$cluster)) own else own[x$cluster]
  }, cases, ends, units)
  source
}

# Everything that a chunk of refits needs, since it may run in another process. `readers`: NULL when
# parameters are enough; `expected`: the names of the numbers that the readers return; `overshoot`:
# as in overshoot_of().
new_refit_job <- function(fit, source, seed, readers = NULL, expected = NULL, overshoot = NULL) {
  list(fit = fit, source = source, seed = seed, readers = readers, expected = expected,
       overshoot = overshoot, without_errors = values_alone(readers))
}

# Replicates first to first + count - 1.
refit_chunk <- function(job, first, count) {
  whole <- joint_fit(job$fit)
  read <- !is.null(job$readers)
  plan <- if (read) new_reading_plan(job$fit, job$readers)
  keep <- read && (is.null(plan) || whole$layout$profiled)
  found <- core_refit_many(whole$layout$model, core_moments(whole), core_theta(whole), job$source,
                           job$seed, first, count, 4L, keep)
  out <- list(theta = t(found$theta), chisq = found$discrepancy * colSums(found$n),
              status = found$status, improper = found$improper, trouble = character())
  if (!read) return(out)
  if (!is.null(plan)) return(c(out, list(values = read_at_once(job, found, plan))))
  read_one_by_one(job, found, first, out)
}

# Every replicate as a fit of its own.
read_one_by_one <- function(job, found, first, out) {
  out$values <- matrix(NA_real_, length(found$status), length(job$expected),
                       dimnames = list(NULL, job$expected))
  for (r in which(found$status == 0L)) {
    numbers <- tryCatch(read_numbers(replicate_fit(job, found, first, r), job$readers)$value,
                        error = function(e) conditionMessage(e))
    if (is.character(numbers)) out$trouble <- c(out$trouble, numbers) else
      out$values[r, ] <- numbers[job$expected]
  }
  out
}

# A light fit of replicate r of a chunk: enough for every results function. Where these need single
# cases, they are drawn on demand.
replicate_fit <- function(job, found, first, r) {
  whole <- joint_fit(job$fit)
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
  if (!is.null(job$fit$joint)) light <- marginal_fit(light, job$fit$request, job$fit$layout)
  as_replicate(light)
}

# Results that do not depend on standard errors, which are then not computed.
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
    together <- jointly_observed(own$patterns, ncol(own$covariance))
    c(own, list(unseen = pairs_never_observed(together)))
  }, moments, fit$moments)
}

# The number of cases in which both variables of a pair are observed.
jointly_observed <- function(patterns, size) {
  out <- matrix(0, size, size)
  for (pattern in patterns) {
    v <- pattern$variables
    out[v, v] <- out[v, v] + pattern$n
  }
  out
}

# The sample of a replicate, with the parts that results functions use.
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
  if (!is.null(draw$source$cases[[1L]]$shared))
    out <- with_shared_copies(out, drawn, draw$source$cases)
  if (is.null(out[[1L]]$weight)) return(out)
  # weights sum to the number of cases in each replicate
  by <- sum(lengths(drawn)) / sum(vapply(out, function(x) sum(x$weight), 0))
  lapply(out, function(x) replace(x, "weight", list(x$weight * by)))
}

# Rows are ordered by cluster: a new one begins where the first row of its cluster occurs again.
copies_of_clusters <- function(cluster, rows) {
  starts <- !duplicated(cluster)
  cumsum(starts[rows])
}

# Clusters of several groups are drawn for all of them: the second copy of a cluster in one group
# belongs to the second copy in another.
with_shared_copies <- function(out, drawn, cases) {
  keys <- Map(function(one, rows, own) {
    cluster <- own$cluster[rows]
    copy <- stats::ave(one$cluster, cluster, FUN = function(x) match(x, unique(x)))
    paste(cluster, copy)
  }, out, drawn, cases)
  known <- unique(unlist(keys))
  Map(function(one, key) {
    one$cluster <- match(key, known)
    one$shared <- length(known)
    one
  }, out, keys)
}

# The same source with its variables in the form of another model of some of them, whatever the
# order in which that model was written.
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

# All replicates, in any division into parts; `readers` NULL: parameters and chi-square are enough.
run_refits <- function(fit, source, seed, reps, readers = NULL, expected = NULL, folder = NULL,
                       overshoot = NULL, title = "Replicates") {
  job <- new_refit_job(fit, source, seed, readers, expected, overshoot)
  bind_chunks(run_chunks(refit_chunk, job, reps, title, folder))
}

# The results of all chunks, in the order of the replicates.
bind_chunks <- function(chunks) {
  bind <- function(name) do.call(rbind, lapply(chunks, `[[`, name))
  join <- function(name) unlist(lapply(chunks, `[[`, name))
  list(theta = bind("theta"), values = bind("values"), chisq = join("chisq"),
       status = join("status"), improper = join("improper"), trouble = join("trouble"))
}

# Runs many replicates in parts, in this process or on the workers of the user's future plan. Each
# replicate has its own random numbers, so that the results do not depend on the parts.

largest_chunk <- 100L
chunks_by_worker <- 4L
most_workers <- 256L        # a batch system has no end of them: parts stay worth a job

# Calls work(job, first, count) for replicates 1 to reps. Finished parts are kept in `folder`, and
# replicates that are found there are not recomputed.
run_chunks <- function(work, job, reps, title, folder = NULL) {
  workers <- count_workers()
  if (is.na(workers)) {
    note_one_process()
    workers <- 1L
  }
  size <- max(1L, min(largest_chunk, ceiling(reps / (chunks_by_worker * workers))))
  if (!is.null(folder)) {
    release <- lock_folder(folder)
    on.exit(release())
    remove_stale_locks(folder)
  }
  kept <- kept_chunks(folder, job, work)
  done <- replicates_in(kept)
  open <- open_chunks(setdiff(seq_len(reps), done), size)
  told <- progress_reporter(title, length(open))
  finish <- function(chunk, found) {
    keep_chunk(folder, job, work, chunk, found)
    told()
    list(first = chunk[1L], count = length(chunk), found = found)
  }
  made <- if (workers > 1L) run_elsewhere(work, job, open, finish, workers) else
    lapply(open, function(chunk) finish(chunk, work(job, chunk[1L], length(chunk))))
  all <- c(kept, made)
  lapply(all[order(vapply(all, `[[`, 0, "first"))], `[[`, "found")
}

# Splits numbers into runs of consecutive ones that are not longer than a chunk.
open_chunks <- function(numbers, size) {
  if (length(numbers) == 0L) return(list())
  run <- cumsum(c(TRUE, diff(numbers) != 1L))
  unlist(lapply(split(numbers, run), function(x) {
    unname(split(x, (seq_along(x) - 1L) %/% size))
  }), recursive = FALSE, use.names = FALSE)
}

# Returns NA if the future package is not installed.
count_workers <- function() {
  if (!requireNamespace("future", quietly = TRUE)) return(NA_integer_)
  min(future::nbrOfWorkers(), most_workers)
}

# The note appears once per session.
noted <- new.env(parent = emptyenv())
note_one_process <- function() {
  if (isTRUE(noted$one_process)) return(invisible())
  noted$one_process <- TRUE
  say(text_of("one_process_does_all"))
}

# Sends out as many parts at once as there are workers. If a worker dies, its part runs here.
run_elsewhere <- function(work, job, open, finish, workers) {
  out <- vector("list", length(open))
  running <- list()
  collect <- function(name) {
    chunk <- open[[as.integer(name)]]
    again <- function(...) {
      say(text_of("worker_was_lost_replicates", chunk = chunk[1L],
                  chunk_2 = utils::tail(chunk, 1L)))
      work(job, chunk[1L], length(chunk))
    }
    promise <- running[[name]]$promise
    found <- if (is.null(promise)) again() else
      tryCatch(future::value(promise), FutureError = again)
    out[[as.integer(name)]] <<- finish(chunk, found)
    running[[name]] <<- NULL
  }
  for (k in seq_along(open)) {
    running[[as.character(k)]] <- list(promise = send_chunk(work, job, open[[k]]))
    for (name in names(Filter(is_ready, running))) collect(name)
    if (length(running) >= workers) collect(names(running)[1L])
  }
  for (name in names(running)) collect(name)
  out
}

# Returns a future, or NULL if it could not be created.
send_chunk <- function(work, job, chunk) {
  first <- chunk[1L]
  count <- length(chunk)
  tryCatch(
    future::future(work(job, first, count), packages = "orizzonte", seed = NULL,
                   globals = list(work = work, job = job, first = first, count = count)),
    FutureError = function(e) NULL
  )
}

is_ready <- function(x) {
  is.null(x$promise) || tryCatch(future::resolved(x$promise), FutureError = function(e) TRUE)
}

# --- kept parts ----------------------------------------------------------------------------------

# Each part is kept as plain data. `parts.jsonl` describes one part per line, with its replicates,
# size and hash; the line is added once the part is complete. Parts that do not match are
# recomputed.
parts_name <- "parts.jsonl"

# The mark identifies the work, and is part of the file names.
chunk_mark <- function(job, work) {
  if (!is.null(job$fit)) job$fit <- unclass(job$fit)[c("request", "moments", "version")]
  if (!is.null(job$readers)) job$readers <- lapply(job$readers, function_mark)
  substr(rlang::hash(list(job, deparse(work))), 1L, 12L)
}

# A function is identified by its code and the variables of its environment.
function_mark <- function(f) {
  home <- environment(f)
  own <- if (!is.null(home) && !isNamespace(home) && !identical(home, globalenv()))
    Filter(Negate(is.function), as.list(home))
  list(deparse(f), own)
}

kept_chunks <- function(folder, job, work) {
  if (is.null(folder)) return(list())
  mark <- chunk_mark(job, work)
  listed <- Filter(function(x) identical(x$mark, mark), listed_parts(folder))
  out <- list()
  taken <- integer()
  for (part in listed) {
    numbers <- part$first - 1L + seq_len(part$count)
    if (any(numbers %in% taken)) next
    found <- read_part(folder, part)
    if (is.null(found)) {
      say(text_of("replicates_computed_again", first = part$first,
                  last = part$first + part$count - 1L, file = file.path(folder, part$path)))
      next
    }
    taken <- c(taken, numbers)
    out <- c(out, list(list(first = part$first, count = part$count, found = found)))
  }
  out
}

# Reads the valid lines of the list. If a part is listed twice, the last line counts.
listed_parts <- function(folder) {
  file <- file.path(folder, parts_name)
  if (!file.exists(file) || is_link(file) || dir.exists(file)) return(list())
  lines <- tryCatch(strsplit(read_text(file), "\n", fixed = TRUE)[[1L]],
                    orizzonte_error = function(e) character())
  parts <- lapply(lines, function(line) {
    tryCatch(part_of_line(line), orizzonte_error = function(e) NULL)
  })
  parts <- Filter(Negate(is.null), parts)
  parts[!duplicated(vapply(parts, `[[`, "", "path"), fromLast = TRUE)]
}

part_of_line <- function(line) {
  x <- read_json_text(line)
  checked_entries(list(x))
  whole <- function(v) is.numeric(v) && length(v) == 1L && v == round(v) && v >= 1 && v <= 1e7
  if (!whole(x$first) || !whole(x$count) || !is.character(x$mark))
    refuse_plain(text_of("a_part_without_replicates"))
  x[c("first", "count")] <- lapply(x[c("first", "count")], as.integer)
  if (!identical(x$path, part_name(x$mark, x$first,
                                   x$count))) refuse_plain(text_of("a_part_of_another_name"))
  x
}

part_name <- function(mark, first, count) paste0(mark, "-", first, "-", count, ".json")

# Returns NULL if the part is missing, was altered, or contains other replicates.
read_part <- function(folder, part) {
  if (length(changed_files(folder, list(part)))) return(NULL)
  tryCatch({
    found <- from_plain(read_json_text(read_text(file.path(folder, part$path))))
    rows <- c(NROW(found$theta), length(found$chisq), length(found$status), length(found$improper),
              if (!is.null(found$values)) NROW(found$values))
    whole <- is.list(found) && all(rows == part$count) && is.double(found$theta) &&
      is.double(found$chisq) && is.integer(found$status) && is.character(found$trouble)
    if (whole) found
  }, orizzonte_error = function(e) NULL)
}

keep_chunk <- function(folder, job, work, chunk, found) {
  if (is.null(folder)) return(invisible())
  mark <- chunk_mark(job, work)
  name <- part_name(mark, chunk[1L], length(chunk))
  write_inside(folder, name, plain_json(to_plain(found)))
  entry <- c(file_entries(folder, name)[[1L]],
             list(mark = mark, first = chunk[1L], count = length(chunk)))
  list <- file.path(folder, parts_name)
  if (is_link(list)) abort("file", text_of("is_link_is_not", value = quoted(list)))
  # the leading line break ends a line that a killed process left unfinished
  cat("\n", jsonlite::toJSON(entry, auto_unbox = TRUE, digits = NA), "\n", sep = "", file = list,
      append = TRUE)
}

replicates_in <- function(chunks) {
  as.integer(unlist(lapply(chunks, function(x) x$first - 1L + seq_len(x$count))))
}

check_folder <- function(folder) {
  if (is.null(folder)) return(invisible())
  check_path(folder, "`folder`")
  if (!dir.exists(folder) && !dir.create(folder, showWarnings = FALSE, recursive = TRUE))
    abort("file", c(text_of("folder_cannot_be_made", folder = quoted(folder)),
                    i = text_of("name_one_you_may")))
}

# Extracts numbers by name from the return value of a results function, for bootstrap, simulation
# and planning.

# `what`: NULL for estimates, one function of a fit, or a named list of them. Each gives a named
# numeric vector or a data frame of ours.
check_readers <- function(what) {
  if (is.null(what)) return(list(estimates))
  if (is.function(what)) return(list(what))
  usable <- is.list(what) && length(what) > 0L && all(vapply(what, is.function, NA)) &&
    (length(what) == 1L || !is.null(names(what)) && all(nzchar(names(what))))
  if (!usable)
    abort("input", c(text_of("what_must_be_function"),
                     x = text_of("it_is_of_kind", value = describe(what)),
                     i = text_of("such_what_effects_or")))
  what
}

# Values by name, with their groups; the first results function that returns a name keeps it.
read_numbers <- function(fit, readers) {
  parts <- lapply(seq_along(readers), function(k) numbers_of(readers[[k]](fit), names(readers)[k]))
  value <- unlist(lapply(parts, `[[`, "value"))
  group <- unlist(lapply(parts, `[[`, "group"))
  first <- !duplicated(names(value))
  list(value = value[first], group = group[first])
}

numbers_of <- function(x, name = NULL) {
  if (is.data.frame(x)) return(frame_numbers(x))
  if (inherits(x, "orizzonte_quality")) return(quality_numbers(x))
  if (is.numeric(x) && is.null(dim(x)) && length(x) > 0L && !is.null(names(x)) &&
      all(nzchar(names(x))))
    return(list(value = vapply(x, as.numeric, 0), group = rep(NA_character_, length(x))))
  if (is.numeric(x) && length(x) == 1L && !is.null(name))
    return(list(value = stats::setNames(as.numeric(x), name), group = NA_character_))
  abort("input", c(text_of("what_must_give_named"),
                   x = text_of("it_gave", value = describe(x)),
                   i = text_of("named_numbers_example")))
}

# Columns that describe a value and are not values themselves.
about_values <- "^(se|z|p|df|lower|upper|n|items|rank|level)$|_(se|lower|upper|p|df)$|^p_"

# The first text column names the rows. An address names its own value; columns other than the value
# itself have different names: standardized(loading[Calm, sc1]), r_squared[Calm].
frame_numbers <- function(x) {
  if (inherits(x, "orizzonte_indices")) x <- x[!grepl(no_replicates, x$index), ]
  columns <- as.list(json_rows(x))
  words <- names(columns)[vapply(columns, function(v) is.character(v) || is.factor(v), NA)]
  numeric <- names(columns)[vapply(columns, is.numeric, NA)]
  numeric <- numeric[!grepl(about_values, numeric)]
  if (length(words) == 0L || length(numeric) == 0L)
    abort("input", c(text_of("what_gave_table_without"),
                     i = text_of("needs_first_column_names")))
  row <- as.character(columns[[words[1L]]])
  if (length(row) == 0L)
    abort("input", c(text_of("what_gave_empty_table"),
                     i = text_of("read_something_else_such")))
  group <- if ("group" %in% words) as.character(columns$group) else rep(NA_character_, length(row))
  address <- words[1L] == "parameter"
  marked <- if (address) row else paste0(row, ifelse(is.na(group), "", paste0(" | ", group)))
  labels <- lapply(numeric, function(column) {
    if (column %in% c("estimate", "value")) return(marked)
    if (column == "standardized" && address) return(paste0("standardized(", row, ")"))
    paste0(column, "[", marked, "]")
  })
  out <- unlist(Map(function(label, column) {
    values <- columns[[column]]
    if (column == "estimate" && !is.null(columns$status)) values[columns$status == "fixed"] <- NA
    stats::setNames(as.numeric(values), label)
  }, labels, numeric))
  out <- c(out, support_of(x))
  group <- c(rep(group, length(numeric)), rep(NA_character_, length(out)))[seq_along(out)]
  kept <- !is.na(out)
  list(value = out[kept], group = group[kept])
}

# Values of measures: the table, and the HTMT and correlation of each pair of constructs.
quality_numbers <- function(x) {
  out <- frame_numbers(x$table[setdiff(names(x$table), "largest_shared")])
  if (is.null(x$pairs)) return(out)
  pairs <- frame_numbers(list_frame(list(
    pair = pair_names(x$pairs), group = x$pairs$group, htmt = x$pairs$htmt,
    correlation = x$pairs$correlation)))
  list(value = c(out$value, pairs$value), group = c(out$group, pairs$group))
}

# 1 if a claim is supported, else 0: the mean over replicates is the proportion of support.
support_of <- function(x) {
  if (!inherits(x, "orizzonte_verdicts")) return(NULL)
  stats::setNames(as.numeric(x$verdict == "supported"), paste0("supported[", x$claim, "]"))
}

# Indices without a bootstrap distribution: p is determined by the null hypothesis and not by
# resampling, and likelihoods and indices computed from them have no population value.
no_replicates <- paste0("^(p|p_.*|loglik.*|aic.*|bic.*|gfi|agfi|chisq_covariances|",
                        "chisq_means|chisq_swain|",
                        "chisq_inflation|df.*|ecvi_saturated)$")
