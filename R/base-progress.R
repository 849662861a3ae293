# Progress of work in many parts.

# Seconds after which work is told of: what is over sooner pays nothing for it.
progress <- new.env(parent = emptyenv())
progress$patience <- 0.5

# lapply() that tells how far it is once it has taken a while.
each_told <- function(x, work, title) {
  begun <- proc.time()[["elapsed"]]
  here <- environment()
  told <- NULL
  out <- lapply(seq_along(x), function(k) {
    found <- work(x[[k]])
    if (!is.null(told)) {
      told(1L)
    } else if (proc.time()[["elapsed"]] - begun > progress$patience && k < length(x)) {
      told <<- progress_teller(title, length(x), here)
      told(k)
    }
    found
  })
  stats::setNames(out, names(x))
}

# A function to call with the number of parts that are done since. Whoever handles progress through
# the progressr package gets it there, else there is a bar on a terminal.
progress_teller <- function(title, parts, env = parent.frame()) {
  if (parts < 2L || display$quiet) return(function(...) invisible())
  if (handles_progress()) {
    step <- progressr::progressor(steps = parts, label = title, envir = env)
    return(function(done = 1L) step(amount = done))
  }
  bar <- cli::cli_progress_bar(title, total = parts, .envir = env)
  function(done = 1L) cli::cli_progress_update(inc = done, id = bar, .envir = env)
}

# Is a handler of progress set for all calls, or around this one?
handles_progress <- function() {
  if (!requireNamespace("progressr", quietly = TRUE)) return(FALSE)
  if (isTRUE(tryCatch(progressr::handlers(global = NA), error = function(e) FALSE))) return(TRUE)
  around <- progressr::with_progress
  any(vapply(seq_len(sys.nframe()), function(k) identical(sys.function(k), around), NA))
}
