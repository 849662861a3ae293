# Long jobs of the live page: in an R process of their own, with progress and a way to cancel, while
# the page and its other windows go on.

# The refitted drops of amendments follow by themselves: first the five largest, then twenty.
next_refits <- function(state) {
  if (state$stage != "amend" || is.null(state$found$amendments)) return(NULL)
  top <- Filter(function(top) top > (state$found$refitted %||% 0L), c(5L, 20L))
  if (length(top)) list(do = "refits", top = top[1L])
}

# Runs in the other process. Its progress is the size of a file, in percent.
run_job <- function(work, input, progress) {
  run <- function() suppressWarnings(suppressMessages(do.call(work, input)))
  if (!requireNamespace("progressr", quietly = TRUE)) return(run())
  options(progressr.enable = TRUE, progressr.interval = 0)
  # at its own intrusiveness of 5 this handler writes the start only
  progressr::with_progress(run(), handlers = progressr::handler_filesize(
    progress, intrusiveness = 1, clear = FALSE))
}

# A process that has the package loaded by the time it is needed; it ends with this one.
new_worker <- function() {
  callr::r_session$new(callr::r_session_options(libpath = .libPaths(), supervise = TRUE,
                                                load_hook = quote(loadNamespace("orizzonte"))),
                       wait = FALSE)
}

# The result of the job as `fit`, the lines of its error as `problem`, or NULL while it is running.
heard_from <- function(worker) {
  if (worker$poll_process(0) != "ready") return(NULL)
  message <- worker$read()
  if (is.null(message) || message$code == 201L) return(NULL)
  error <- message$error
  if (message$code != 200L) return(list(problem = text_of("page_job_ended")))
  if (!is.null(error)) return(list(problem = error_lines(error$parent %||% error)))
  list(fit = message$result)
}

# A job that waits for its process. `at`: the version of the model that it is about.
new_job <- function(action, input, at) {
  list(action = action, input = input, at = at, sent = FALSE, begun = Sys.time(),
       progress = tempfile("progress-"))
}

send_job <- function(worker, job) {
  worker$call(run_job, list(job_named(job$action$do)$work, job$input, job$progress),
              package = TRUE)
}

# The state after a job has ended. What failed is not tried again by itself.
concluded <- function(state, job, made) {
  state$message <- made$problem
  refits <- job$action$do == "refits"
  if (state$at != job$at) {
    state$message <- text_of("page_job_of_other_version")
  } else if (is.null(made$problem)) {
    state <- job_named(job$action$do)$keep(state, made$fit, job$input)
  } else if (refits) {
    state$found$refitted <- Inf
  }
  state
}

# The one long job that a window may have at a time. `state_of`: the state of the window; `show`:
# shows another state; `save`: gives bytes to the browser, under a name.
job_desk <- function(session, state_of, show, save) {
  worker <- NULL
  job <- NULL
  tell <- function(...) if (!session$isClosed()) session$sendCustomMessage("job", list(...))
  warm <- function() {
    if (is.null(worker) || !worker$is_alive()) worker <<- new_worker()
  }
  # a job is left by ending its process
  drop_job <- function() {
    if (!is.null(job) && !is.null(worker)) {
      worker$kill()
      worker <<- NULL
    }
    job <<- NULL
  }
  conclude <- function(made) {
    ended <- job
    job <<- NULL
    tell(ended = TRUE)
    if (is.null(made$problem) && ended$action$do == "report")
      return(save(ended$input$name, made$fit))
    show(concluded(state_of(), ended, made))
  }
  # asks the process how far it is, until it ends
  attend <- function() {
    if (is.null(job)) return()
    if (!worker$is_alive()) return(conclude(list(problem = text_of("page_job_ended"))))
    made <- heard_from(worker)
    if (!is.null(made)) return(conclude(made))
    if (!job$sent && worker$get_state() == "idle") {
      send_job(worker, job)
      job$sent <<- TRUE
    }
    # what ends at once shows no progress
    if (Sys.time() - job$begun > 1) tell(share = job_share(job))
    later::later(attend, 0.05)
  }
  begin <- function(action) {
    state <- state_of()
    if (identical(job$action$do, "refits")) drop_job()
    if (!is.null(job)) {
      state$message <- text_of("page_job_busy")
      return(show(state))
    }
    made <- attempt(job_named(action$do)$input(state, action))
    if (!is.null(made$problem)) {
      state$message <- made$problem
      return(show(state))
    }
    warm()
    job <<- new_job(action, made$fit, state$at)
    later::later(attend, 0.01)
  }
  list(
    begin = begin,
    # stages that need a process get it before it is asked for; refits begin and end by themselves
    attend_stage = function(state) {
      if (state$stage %in% c("amend", "groups", "report")) warm()
      refits <- next_refits(state)
      running <- identical(job$action$do, "refits")
      if (running && (is.null(refits) || job$at != state$at)) drop_job()
      if (is.null(job) && !is.null(refits)) later::later(function() {
        if (is.null(job) && !session$isClosed() && identical(next_refits(state_of()), refits))
          begin(refits)
      }, 0.01)
    },
    cancel = function() {
      refits <- identical(job$action$do, "refits")
      drop_job()
      tell(ended = TRUE)
      state <- state_of()
      if (refits) state$found$refitted <- Inf
      show(state)
    },
    end = function() {
      job <<- NULL
      if (!is.null(worker)) worker$kill()
    })
}

job_share <- function(job) {
  size <- file.size(job$progress)
  if (is.na(size)) 0 else min(size, 100) / 100
}
