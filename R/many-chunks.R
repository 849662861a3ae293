# Many replicates in parts: in this process, or wherever the user's plan of the future framework
# sends them. Each replicate has random numbers of its own, so that the parts change nothing.

largest_chunk <- 100L
chunks_by_worker <- 4L
most_workers <- 256L        # a batch system has no end of them: parts stay worth a job

# work(job, first, count) for replicates 1 to reps; `folder` keeps finished parts, and what is found
# there is not made again.
run_chunks <- function(work, job, reps, title, folder = NULL) {
  workers <- count_workers()
  if (is.na(workers)) {
    note_one_process()
    workers <- 1L
  }
  size <- max(1L, min(largest_chunk, ceiling(reps / (chunks_by_worker * workers))))
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

# Runs of numbers, cut where they are longer than a chunk.
open_chunks <- function(numbers, size) {
  if (length(numbers) == 0L) return(list())
  run <- cumsum(c(TRUE, diff(numbers) != 1L))
  unlist(lapply(split(numbers, run), function(x) {
    unname(split(x, (seq_along(x) - 1L) %/% size))
  }), recursive = FALSE, use.names = FALSE)
}

# NA: the package that knows workers is not installed.
count_workers <- function() {
  if (!requireNamespace("future", quietly = TRUE)) return(NA_integer_)
  min(future::nbrOfWorkers(), most_workers)
}

# Once a session.
noted <- new.env(parent = emptyenv())
note_one_process <- function() {
  if (isTRUE(noted$one_process)) return(invisible())
  noted$one_process <- TRUE
  say("One process does all of it: with the package future others can share it, the numbers stay.")
}

# As many parts at once as there are workers; a part whose worker died is done again here.
run_elsewhere <- function(work, job, open, finish, workers) {
  out <- vector("list", length(open))
  running <- list()
  collect <- function(name) {
    chunk <- open[[as.integer(name)]]
    again <- function(...) {
      say(paste0("A worker was lost; its replicates ", chunk[1L], " to ", utils::tail(chunk, 1L),
                 " are done again here."))
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

# A future; where it could not be sent off, what to do when its value is asked for.
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

# --- parts that are kept -------------------------------------------------------------------------

# Parts of the same work only: the names of their files carry its mark.
chunk_mark <- function(job, work) {
  if (!is.null(job$fit)) job$fit <- unclass(job$fit)[c("request", "moments", "version")]
  if (!is.null(job$readers)) job$readers <- lapply(job$readers, function_mark)
  substr(rlang::hash(list(job, deparse(work))), 1L, 12L)
}

# What a function does: its text and the values it brings along.
function_mark <- function(f) {
  home <- environment(f)
  own <- if (!is.null(home) && !isNamespace(home) && !identical(home, globalenv()))
    Filter(Negate(is.function), as.list(home))
  list(deparse(f), own)
}

kept_chunks <- function(folder, job, work) {
  if (is.null(folder)) return(list())
  mark <- paste0("^", chunk_mark(job, work), "-[0-9]+-[0-9]+[.]rds$")
  out <- lapply(list.files(folder, mark, full.names = TRUE), function(file) {
    found <- tryCatch(readRDS(file), error = function(e) NULL, warning = function(w) NULL)
    place <- as.integer(strsplit(sub("[.]rds$", "", basename(file)), "-", fixed = TRUE)[[1L]][2:3])
    if (!is.null(found)) list(first = place[1L], count = place[2L], found = found)
  })
  Filter(Negate(is.null), out)
}

keep_chunk <- function(folder, job, work, chunk, found) {
  if (is.null(folder)) return(invisible())
  name <- paste0(chunk_mark(job, work), "-", chunk[1L], "-", length(chunk), ".rds")
  write_made(file.path(folder, name), function(path) saveRDS(found, path))
}

replicates_in <- function(chunks) {
  as.integer(unlist(lapply(chunks, function(x) x$first - 1L + seq_len(x$count))))
}

check_folder <- function(folder) {
  if (is.null(folder)) return(invisible())
  check_path(folder, "`folder`")
  if (!dir.exists(folder) && !dir.create(folder, showWarnings = FALSE, recursive = TRUE))
    abort("file", c(paste0("The folder ", quoted(folder), " cannot be made."),
                    i = "Name one that you may write to."))
}
