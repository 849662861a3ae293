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
