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
