# The live page: a local web page whose actions give the next state of the analysis.

#' Work on a model on a local web page
#'
#' Opens a page in your browser on which the whole analysis is done by hand and eye: sort items
#' into constructs, join them by effects and covariances, read the fit and the residuals with the
#' texts of the items, free a parameter with a reason, compare groups, and save the report, the
#' blueprint, a study file, and the R script of everything that was done. Every change is fitted at
#' once. The page belongs to this R session: it listens on this computer only, its address contains
#' a secret that is exchanged for a cookie, and nothing is loaded from elsewhere. Reloading the page
#' keeps its state.
#'
#' @param x A blueprint from [blueprint()], a fit from [fit_model()], or the path of a blueprint
#'   file.
#' @param data A data frame, summary data, or the path of a data file; for a fit its own data.
#'   `NULL` specifies a model without fitting it.
#' @param ... Arguments of [fit_model()] by name, such as `inference = "robust"`.
#' @param port The port to listen on; `NULL` chooses a free one.
#' @param open `TRUE` opens the browser; `FALSE` only prints the address.
#' @return The last fit, or the last blueprint if it was never fitted, invisibly, once the page is
#'   ended with its button *Return to R* or interrupted.
#' @section Errors: `orizzonte_error_package` if the package shiny is not installed;
#'   `orizzonte_error_input` for other kinds of `x` and for a wrong `port`; `orizzonte_error_file`
#'   for a file that cannot be read.
#' @seealso [fit_model()], [amend()], [invariance()] and [write_report()], which the page calls.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' if (interactive()) fit <- live_page(bp, choirs)
#' @export
live_page <- function(x, data = NULL, ..., port = NULL, open = interactive()) {
  name <- if (is.symbol(substitute(data))) deparse_one(substitute(data))
  options <- list(...)
  check_flag(open, "`open`")
  check_page_packages()
  state <- page_from(x, data, name, options)
  run_page(state, checked_port(port), open)
}

page_from <- function(x, data, name, options) {
  unknown <- setdiff(names(options), options_of("fit_model"))
  if (length(options) && (is.null(names(options)) || length(unknown)))
    abort("input", c(text_of("page_options_of_fit", option = quoted(unknown[1L])),
                     did_you_mean(unknown[1L], options_of("fit_model"))))
  source <- list(name = name)
  if (is.character(data) && length(data) == 1L) {
    source <- list(file = data)
    data <- read_data_file(data)
  }
  if (inherits(x, "orizzonte_fit")) {
    options <- utils::modifyList(options_asked(x$request), options)
    data <- data %||% x$sample$data$frame
    x <- x$request$blueprint
  }
  if (is.character(x) && length(x) == 1L) x <- read_blueprint(x)
  if (!inherits(x, "orizzonte_blueprint")) abort("input", text_of("page_x_must_be"))
  if (!is.null(data) && !(is.data.frame(data) || is.matrix(data) || is.list(data)))
    sample_of.default(data, NULL)
  new_page(x, data, source, options)
}

missing_page_packages <- function() {
  needed <- c("shiny", "httpuv", "later", "callr")
  needed[!vapply(needed, function(name) nzchar(system.file(package = name)), NA)]
}

check_page_packages <- function() {
  missing <- missing_page_packages()
  if (length(missing) == 0L) return(invisible())
  abort("package", c(text_of("page_needs_packages", packages = enumerate(missing)),
                     i = text_of("page_install_packages", packages = quoted(missing[1L]))))
}

checked_port <- function(port) {
  if (is.null(port)) return(httpuv::randomPort())
  fine <- is.numeric(port) && length(port) == 1L && port %in% 1024:65535
  if (!fine) abort("input", text_of("page_port_must_be"))
  # the warning that precedes it says no more
  tryCatch(suppressWarnings(close(serverSocket(port))), error = function(e) {
    abort("input", c(text_of("page_port_is_taken", port = port),
                     i = text_of("page_port_leave_out")))
  })
  as.integer(port)
}

run_page <- function(state, port, open) {
  last <- new.env(parent = emptyenv())
  last$state <- state
  key <- page_secret()
  app <- shiny::shinyApp(page_ui(key, port), page_server(state, key, port, last))
  address <- paste0("http://127.0.0.1:", port, "/")
  say_open <- function(url) {
    say(text_of("page_is_open", address = paste0(address, "?key=", key)))
    say(text_of("page_how_to_stop"))
    if (open) utils::browseURL(paste0(address, "?key=", key))
  }
  tryCatch(suppressPackageStartupMessages(
    shiny::runApp(app, port = port, host = "127.0.0.1", launch.browser = say_open, quiet = TRUE)),
    interrupt = function(e) NULL)
  version <- current_version(last$state)
  invisible(version$fit %||% version$blueprint)
}

# A secret that cannot be guessed: from the system's source of random numbers, not from R's, whose
# seed a script may set. Where there is no such source, from the time, the process and a name.
page_secret <- function() {
  source <- "/dev/urandom"
  if (!file.exists(source)) return(rlang::hash(list(Sys.time(), Sys.getpid(), tempfile())))
  connection <- file(source, "rb", raw = TRUE)
  on.exit(close(connection))
  paste(as.character(readBin(connection, "raw", 32L)), collapse = "")
}

# The live page in a browser: who may open it, the contents that are sent to it, and the input that
# it accepts.

# May this request see the page? It must address this computer by its own name, come from a page of
# ours, and carry the cookie that the secret of the address was exchanged for.
page_allowed <- function(request, key, port) {
  hosts <- page_hosts(port)
  origin <- request$HTTP_ORIGIN
  isTRUE(request$HTTP_HOST %in% hosts) &&
    (is.null(origin) || origin %in% paste0("http://", hosts)) &&
    same_secret(page_cookie(request$HTTP_COOKIE, port), key)
}

# The names by which this computer reaches the page.
page_hosts <- function(port) paste0(c("127.0.0.1:", "localhost:"), port)

page_cookie <- function(text, port) {
  pairs <- strsplit(strsplit(text %||% "", "; *")[[1L]], "=", fixed = TRUE)
  named <- Filter(function(pair) identical(pair[1L], paste0("orizzonte-", port)), pairs)
  if (length(named)) named[[1L]][2L] else ""
}

# Compared in full, so that the time taken tells nothing.
same_secret <- function(given, key) {
  given <- utf8ToInt(given %||% "")
  key <- utf8ToInt(key)
  length(given) == length(key) && sum(bitwXor(given, key)) == 0L
}

page_headers <- list(`Cache-Control` = "no-store", `X-Content-Type-Options` = "nosniff",
                     `Referrer-Policy` = "no-referrer", `X-Frame-Options` = "DENY")

page_ui <- function(key, port) {
  function(request) {
    answer <- function(status, content, more = list()) {
      shiny::httpResponse(status, "text/html; charset=UTF-8", content, c(page_headers, more))
    }
    given <- shiny::parseQueryString(request$QUERY_STRING %||% "")$key
    by_name <- isTRUE(request$HTTP_HOST %in% page_hosts(port))
    if (!is.null(given) && by_name && same_secret(given, key)) {
      cookie <- paste0("orizzonte-", port, "=", key, "; HttpOnly; SameSite=Strict; Path=/")
      return(answer(302L, "", list(Location = "/", `Set-Cookie` = cookie)))
    }
    if (!page_allowed(request, key, port))
      return(answer(403L, htmltools::htmlEscape(text_of("page_no_access"))))
    page_shell()
  }
}

# The page without contents, which come once it is connected.
page_shell <- function() {
  tags <- htmltools::tags
  asset <- function(folder, name) {
    htmltools::HTML(paste(readLines(system.file(folder, name, package = "orizzonte"),
                                    encoding = "UTF-8"), collapse = "\n"))
  }
  words <- list(lost = text_of("page_lost"), working = text_of("page_working"))
  page <- htmltools::tagList(
    tags$head(tags$title(text_of("page_title")),
              tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
              tags$meta(name = "color-scheme", content = "light dark"),
              tags$link(rel = "icon", href = "data:,"),
              tags$style(asset("page", "page.css"))),
    tags$body(
      tags$a(class = "skip", href = "#panel", text_of("page_skip")),
      tags$header(id = "head"),
      tags$main(tags$section(id = "drawing", `aria-label` = text_of("page_diagram_label")),
                tags$section(id = "panel", tabindex = "-1",
                             `aria-label` = text_of("page_stages"))),
      tags$aside(id = "job", hidden = NA, `aria-label` = text_of("page_job_runs"),
                 tags$label(tags$span(text_of("page_job_runs")),
                            tags$progress(max = 1, value = 0)),
                 page_button(text_of("page_cancel"), "cancel", `data-key` = "cancel")),
      tags$div(id = "live", role = "status", `aria-live` = "polite"),
      tags$script(id = "words", type = "application/json",
                  htmltools::HTML(jsonlite::toJSON(words, auto_unbox = TRUE))),
      tags$script(asset("page", "page.js"))))
  structure(page, lang = "en")
}

# `first`: the state of a new window; `last`: where the latest state is kept.
page_server <- function(first, key, port, last) {
  windows <- new.env(parent = emptyenv())
  function(input, output, session) {
    if (!page_allowed(session$request, key, port) || is.null(session$request$HTTP_ORIGIN)) {
      session$close()
      return(invisible())
    }
    window <- NULL
    drawn <- list()
    sent <- list()
    answered <- 0
    # `made`: the result of page_step()
    show <- function(made) {
      windows[[window]] <- last$state <- made$state
      drawn <<- made$drawn
      jobs$attend_stage(made$state)
      # only what has changed is sent
      places <- made$places
      same <- vapply(names(places), function(name) identical(places[[name]], sent[[name]]), NA)
      sent <<- places
      always <- c("title", "summary", "stage", "version")
      session$sendCustomMessage("show", c(places[!same | names(places) %in% always],
                                          list(answered = answered)))
    }
    shown <- function() list(state = windows[[window]] %||% first, drawn = drawn)
    jobs <- job_desk(session, shown, show, function(name, bytes) {
      session$sendCustomMessage("file", plain_file(name, bytes))
    })
    shiny::observeEvent(input$hello, {
      window <<- window_name(input$hello)
      drawn <<- list()
      sent <<- list()
      jobs$step()
    })
    others <- list(
      download = function(action) {
        wanted <- page_downloads(current_version(shown()$state))
        if (isTRUE(action$name %in% intersect(page_reports, names(wanted))))
          return(jobs$begin(list(do = "report", file = wanted[[action$name]])))
        session$sendCustomMessage("file", page_file(shown()$state, action$name))
      },
      cancel = function(action) jobs$cancel(),
      finish = function(action) shiny::stopApp())
    others[names(state_jobs)] <- list(jobs$begin)
    session$onSessionEnded(jobs$end)
    shiny::observeEvent(input$act, {
      if (is.null(window)) return()
      action <- page_action(input$act)
      answered <<- as.numeric(action$count %||% 0)
      other <- others[[action$do %||% ""]]
      if (is.null(other)) return(jobs$step(action))
      session$sendCustomMessage("answer", list(answered = answered))
      other(action)
    })
  }
}

window_name <- function(text) {
  if (is.character(text) && length(text) == 1L && grepl("^[a-z0-9]{8,64}$", text)) text else
    "unnamed"
}

# Input from the browser: texts only. An uploaded file is written into the session's own temporary
# folder.
page_action <- function(given) {
  given <- Filter(function(x) is.character(x) || is.list(x) || is.numeric(x), as.list(given))
  if (is.null(given$content)) return(given)
  ending <- tolower(tools::file_ext(given$name %||% ""))
  file <- tempfile(fileext = paste0(".", gsub("[^a-z0-9]", "", ending)))
  writeBin(jsonlite::base64_dec(given$content), file)
  given$file <- file
  given$content <- NULL
  given
}

# A file that is written at once: its name and its bytes. Reports are long jobs.
page_file <- function(state, name) {
  version <- current_version(state)
  wanted <- page_downloads(version)
  if (!isTRUE(name %in% setdiff(names(wanted), page_reports))) return(list())
  lines <- switch(name, script = page_script(state), study = page_study(state),
                  blueprint = blueprint_yaml(version$blueprint))
  plain_file(wanted[[name]], charToRaw(paste0(enc2utf8(lines), "\n", collapse = "")))
}

plain_file <- function(name, bytes) {
  list(name = name, content = gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE))
}

# --- jobs of the page ----------------------------------------------------------------------------

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
