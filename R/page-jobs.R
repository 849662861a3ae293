# Long jobs of the live page: in a separate R process, with progress and a way to cancel, while the
# page and its other windows continue.

# An action that takes longer than this is left to the other process, so that no window waits for
# the fit of another one.
page_patience <- 1.5  # seconds

# The value of `code` if it is there within `seconds`, otherwise NULL. The time limit of R stops the
# code with an error that code on the way may have caught: hence the clock decides.
within_seconds <- function(code, seconds) {
  begun <- proc.time()[["elapsed"]]
  late <- function() proc.time()[["elapsed"]] - begun > seconds - 0.01
  # the core asks for interrupts in a context in which R prints an error before it is passed on
  old <- options(show.error.messages = FALSE, error = NULL)
  on.exit({
    setTimeLimit()
    options(old)
  })
  setTimeLimit(elapsed = seconds, transient = TRUE)
  value <- tryCatch(list(code),
                    error = function(e) if (!late()) rlang::cnd_signal(e),
                    interrupt = function(e) if (!late()) rlang::interrupt())
  setTimeLimit()
  if (!late()) value[[1L]]
}

# The result of an action: the next state, the diagram that shows it, and the contents of the
# page. `drawn`: the last diagram as `panel`, and the version and group that it is `of`. Without an
# action the state stays.
page_step <- function(state, action, drawn) {
  if (!is.null(action)) state <- page_act(state, action)
  of <- list(state$at, state$group)
  # a version is arranged once
  if (!identical(drawn$of, of)) {
    panel <- attempt(page_arrangement(current_version(state), state$arrangement, drawn$panel,
                                      state$group))$fit
    drawn <- list(of = of, panel = panel)
  }
  if (!is.null(drawn$panel)) state$arrangement <- arrangement_value(drawn$panel)
  page_contents(state, drawn)
}

page_contents <- function(state, drawn) {
  list(state = state, drawn = drawn, places = page_places(state, drawn$panel))
}

# In addition to the jobs of the state: reports, and actions that take long.
job_named <- function(name) {
  switch(name, report = report_job,
         step = page_job(function(state, action) action$input, page_step),
         state_jobs[[name]])
}

# The refitted drops of amendments are computed without a request: first the five largest, then
# twenty.
next_refits <- function(state) {
  if (state$stage != "amend" || is.null(state$found$amendments)) return(NULL)
  top <- Filter(function(top) top > (state$found$refitted %||% 0L), c(5L, 20L))
  if (length(top)) list(do = "refits", top = top[1L])
}

# Runs in the other process. Its progress is the size of a file, in per cent.
run_job <- function(work, input, progress) {
  run <- function() suppressWarnings(suppressMessages(do.call(work, input)))
  if (!requireNamespace("progressr", quietly = TRUE)) return(run())
  options(progressr.enable = TRUE, progressr.interval = 0)
  # at its own intrusiveness of 5 this handler writes the start only
  progressr::with_progress(run(), handlers = progressr::handler_filesize(
    progress, intrusiveness = 1, clear = FALSE))
}

# A process that has loaded the package before it is needed; it ends with this one.
new_worker <- function() {
  callr::r_session$new(callr::r_session_options(libpath = .libPaths(), supervise = TRUE,
                                                load_hook = quote(loadNamespace("orizzonte"))),
                       wait = FALSE)
}

without_worker <- function(worker) {
  if (!is.null(worker)) worker$kill()
  NULL
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

# The state after a job has ended. A failed job is not repeated without a request.
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

# The single long job that a window may have at a time. `shown`: the state and diagram of the
# window; `show`: shows the result of page_step(); `save`: sends bytes to the browser, under a name.
job_desk <- function(session, shown, show, save) {
  worker <- NULL
  job <- NULL
  tell <- function(...) if (!session$isClosed()) session$sendCustomMessage("job", list(...))
  warm <- function() if (is.null(worker) || !worker$is_alive()) worker <<- new_worker()
  # leaving a job ends its process
  drop_job <- function() {
    if (!is.null(job)) worker <<- without_worker(worker)
    job <<- NULL
  }
  again <- function(state) show(page_contents(state, shown()$drawn))
  say_there <- function(message) again(replace(shown()$state, "message", list(message)))
  # an action, at once if it is quick
  step <- function(action = NULL, state = shown()$state) {
    input <- list(state = state, action = action, drawn = shown()$drawn)
    if (identical(job$action$do, "step")) return(say_there(text_of("page_job_busy")))
    made <- within_seconds(do.call(page_step, input), page_patience)
    if (is.null(made)) begin(list(do = "step", input = input)) else show(made)
  }
  conclude <- function(made) {
    ended <- job
    job <<- NULL
    tell(ended = TRUE)
    if (ended$action$do == "step")
      return(if (is.null(made$problem)) show(made$fit) else say_there(made$problem))
    if (is.null(made$problem) && ended$action$do == "report")
      return(save(ended$input$name, made$fit))
    step(state = concluded(shown()$state, ended, made))
  }
  # asks the process for its progress, until it ends
  attend <- function() {
    if (is.null(job)) return()
    if (!worker$is_alive()) return(conclude(list(problem = text_of("page_job_ended"))))
    made <- heard_from(worker)
    if (!is.null(made)) return(conclude(made))
    if (!job$sent && worker$get_state() == "idle") {
      send_job(worker, job)
      job$sent <<- TRUE
    }
    # a job that ends at once shows no progress
    if (Sys.time() - job$begun > 1) tell(share = job_share(job))
    later::later(attend, 0.05)
  }
  begin <- function(action) {
    if (identical(job$action$do, "refits")) drop_job()
    if (!is.null(job)) return(say_there(text_of("page_job_busy")))
    made <- attempt(job_named(action$do)$input(shown()$state, action))
    if (!is.null(made$problem)) return(say_there(made$problem))
    warm()
    job <<- new_job(action, made$fit, shown()$state$at)
    later::later(attend, 0.01)
  }
  list(
    step = step,
    begin = begin,
    # the process starts before it is needed; refits begin and end without a request
    attend_stage = function(state) {
      warm()
      refits <- next_refits(state)
      running <- identical(job$action$do, "refits")
      if (running && (is.null(refits) || job$at != state$at)) drop_job()
      if (is.null(job) && !is.null(refits)) later::later(function() {
        if (is.null(job) && !session$isClosed() && identical(next_refits(shown()$state), refits))
          begin(refits)
      }, 0.01)
    },
    cancel = function() {
      refits <- identical(job$action$do, "refits")
      drop_job()
      tell(ended = TRUE)
      state <- shown()$state
      if (refits) state$found$refitted <- Inf
      again(state)
    },
    end = function() {
      job <<- NULL
      worker <<- without_worker(worker)
    })
}

# From 0 to 1; NULL while the job has not reported any progress.
job_share <- function(job) {
  size <- file.size(job$progress)
  if (!is.na(size) && size > 0) min(size, 100) / 100
}
