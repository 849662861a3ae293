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
  told <- progress_teller(title, length(open))
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
