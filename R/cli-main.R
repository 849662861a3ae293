#' The command line
#'
#' `main()` runs one command of the command line, such as `fit`, `report` or `run`;
#' `orizzonte --help` lists all commands, and `orizzonte fit --help` describes the arguments of one
#' command. Tables go to standard output, messages to standard error; tables fit the width of the
#' terminal, or the number of columns given by the shell variable `COLUMNS`. Exit codes: 0 done (an
#' improper solution gives a warning and is reported in `status`), 1 not identified or not
#' converged, 2 bad input or usage, 3 an internal error, 130 interrupted, 141 when the program that
#' reads the output has ended before.
#'
#' @param args Words of the command line.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The exit code, invisibly. Outside an interactive session R quits with it.
#' @section Errors: None leaves it: they are printed on standard error and become exit codes, 2
#'   for bad input, 1 for a model that is not identified or has not converged, 3 for an error of
#'   ours.
#' @seealso [install_command()] to put the command on the path.
#' @examples
#' main("--help")
#' @export
main <- function(args = commandArgs(trailingOnly = TRUE), ...) {
  check_arguments("main")
  if (!is.character(args) || anyNA(args))
    abort("input", text_of("args_must_be_texts"))
  if (length(args) > most_words)
    abort("size", text_of("command_line_words_most", args = format_count(length(args)),
                          most_words = format_count(most_words)))
  before <- widen_locale()
  width <- options(width = window_width())
  if (interactive() || !missing(args)) {
    on.exit({
      Sys.setlocale("LC_CTYPE", before)
      options(width)
    })
    return(invisible(run_command(args)))
  }
  output$bytes <- rawConnection(raw(), "w")
  output$sent <- 0
  sink(output$bytes)
  code <- run_command(args)
  sink()
  quit(save = "no", status = send_output() %||% code)
}

# The C locale contains ASCII characters only and would lose letters, also in the files written: its
# UTF-8 variant replaces it. Returns the previous locale.
widen_locale <- function() {
  before <- Sys.getlocale("LC_CTYPE")
  if (!before %in% c("C", "POSIX")) return(before)
  for (name in c("C.UTF-8", "C.utf8", "en_US.UTF-8"))
    if (nzchar(suppressWarnings(Sys.setlocale("LC_CTYPE", name)))) break
  before
}

# The width given by the shell, else by the terminal, else by R.
window_width <- function() {
  told <- suppressWarnings(as.integer(Sys.getenv("COLUMNS")))
  if (told %in% seq_len(10000L)) return(max(narrowest_window, told))
  if (!interactive() && isatty(stdout())) max(narrowest_window, cli::console_width()) else
    getOption("width")
}

# Runs a command and returns its exit code; never quits.
run_command <- function(args) {
  tryCatch(
    withCallingHandlers(dispatch(args),
      warning = function(w) {
        tell("Warning: ", conditionMessage(w))
        invokeRestart("muffleWarning")
      },
      orizzonte_message = function(m) {
        if (!"--quiet" %in% args) tell(sub("\n$", "", conditionMessage(m)))
        invokeRestart("muffleMessage")
      }),
    orizzonte_error_identification = function(e) complain(e, 1L),
    orizzonte_error = function(e) complain(e, 2L),
    interrupt = function(e) {
      cat("Interrupted.\n", file = stderr())
      130L
    },
    error = function(e) {
      tell(text_of("is_internal_error_not"), conditionMessage(e),
           text_of("please_report_command_if"))
      3L
    }
  )
}

complain <- function(e, code) {
  tell("Error: ", rlang::cnd_message(e))
  code
}

dispatch <- function(args) {
  for (arg in args) check_no_password(arg)
  if (length(args) == 0L || args[1L] %in% c("--help", "-h", "help")) {
    put_lines(cli_overview())
    return(0L)
  }
  if (args[1L] == "--version") {
    cat("orizzonte ", package_version_text(), "\n", sep = "")
    return(0L)
  }
  commands <- cli_commands()
  command <- commands[[args[1L]]]
  if (is.null(command) || !args[1L] %in% names(commands)) {
    abort("usage", c(text_of("there_is_no_command", args = quoted(args[1L])),
                     did_you_mean(args[1L], names(commands)),
                     i = text_of("commands_try_orizzonte_help",
                                 commands = enumerate(names(commands)))))
  }
  given <- parse_arguments(args[1L], command, args[-1L])
  if (is.null(given)) return(0L)
  check_out(args[1L], given)
  go_on_from(given)
  on.exit(go_on_from(NULL))
  command$run(given)
}

# Checked before any work: the output file can be written and is not one of the inputs.
check_out <- function(command, given) {
  if (is.null(given$out) || command %in% c("demo", "run")) return(invisible())
  check_target(given$out, "usage")
  protect_inputs(given$out, c(given$files, given$criteria))
}

# Options of one command through optparse; NULL after --help.
parse_arguments <- function(name, command, args) {
  csv <- if ("format" %in% command$options) "unguarded"
  options <- unname(cli_options()[c(command$options, csv)])
  usage <- text_of("orizzonte_options", name = name,
                   files = if (length(command$files)) paste0(" ",
                       paste(command$files, collapse = " ")))
  parser <- optparse::OptionParser(usage = usage, option_list = options, add_help_option = FALSE,
                                   description = command$help, epilogue = command$example,
                                   formatter = print_command_help)
  if (any(c("--help", "-h") %in% args)) {
    optparse::print_help(parser)
    return(NULL)
  }
  check_flags(args, options, name)
  args <- with_negative_values(args, options)
  parsed <- tryCatch(optparse::parse_args(parser, args = args, positional_arguments = TRUE),
                     error = function(e) {
    bare <- grepl("requires an argument", conditionMessage(e))
    flag <- sub('.*flag "([^"]*)".*', "--\\1", conditionMessage(e))
    abort("usage", c(if (bare) text_of("option_needs_value", flag = flag[1L], name = name) else
      text_of("cannot_read_options", name = name, value = conditionMessage(e)),
                     i = text_of("see_orizzonte_help", name = name)))
  })
  needed <- sum(!startsWith(command$files, "["))
  most <- if (any(grepl("...", command$files, fixed = TRUE))) Inf else length(command$files)
  if (length(parsed$args) < needed || length(parsed$args) > most) {
    abort("usage",
          c(text_of("orizzonte_takes_was_given", name = name,
                    files = if (length(command$files)) enumerate(command$files) else "no files",
                    args = if (length(parsed$args)) enumerate(quoted(parsed$args)) else "none"),
                     i = paste0("Example: ", sub("\n.*", "", command$example))))
  }
  c(parsed$options, list(files = parsed$args))
}

# A value such as -9,999 would be taken for an option: it is tied to the one before it.
with_negative_values <- function(args, options) {
  takes <- vapply(options, function(o) if (o@action %in% "store_true") "" else o@long_flag, "")
  at <- which(args %in% takes[nzchar(takes)])
  at <- at[grepl("^-[0-9.]", args[at + 1L])]
  if (length(at) == 0L) return(args)
  args[at] <- paste0(args[at], "=", args[at + 1L])
  args[-(at + 1L)]
}

check_flags <- function(args, options, name) {
  flags <- sub("=.*$", "", args[startsWith(args, "--")])
  known <- c(vapply(options, function(o) o@long_flag, ""), "--help")
  twice <- flags[duplicated(flags)]
  if (length(twice))
    abort("usage", c(text_of("option_is_given_twice", twice = twice[1L]),
                     i = text_of("give_once_several_values")))
  unknown <- setdiff(flags, known)
  if (length(unknown)) {
    abort("usage", c(text_of("orizzonte_has_no_option", name = name, unknown = unknown[1L]),
                     nearest_option(unknown[1L], known),
                     i = paste0("Options: ", enumerate(known), ".")))
  }
}

# The option that was meant when a value looks like an option.
nearest_option <- function(unknown, known) {
  setting <- values_as_arguments[chartr("-", "_", sub("^--", "", unknown))]
  parts <- strsplit(gsub("\"", "", setting, fixed = TRUE), " = ", fixed = TRUE)[[1L]]
  flag <- option_flag(parts[1L])
  if (flag %in% known) c(i = text_of("did_you_mean_argument", word = paste(flag, parts[2L]))) else
    did_you_mean(unknown, known)
}

#' Put the command on the path
#'
#' Writes a small launcher called `orizzonte` that starts this installation.
#'
#' @param dir A folder on your `PATH`, such as `"~/.local/bin"`.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The path of the launcher, invisibly.
#' @section Errors: `orizzonte_error_file` when the folder does not exist or
#'   cannot be written to.
#' @seealso [main()], which the command runs.
#' @examples
#' install_command(tempdir())
#' @export
install_command <- function(dir, ...) {
  check_arguments("install_command")
  check_path(dir, "`dir`")
  dir <- path.expand(dir)
  if (!dir.exists(dir))
    abort("file",
          c(text_of("no_such_folder", folder = quoted(dir)),
            i = text_of("create_put_your_path")))
  library <- dirname(system.file(package = "orizzonte"))
  target <- file.path(dir, "orizzonte")
  write_text(target, c("#!/usr/bin/env Rscript",
                       paste0(".libPaths(c(", deparse(library), ", .libPaths()))"),
                       "orizzonte::main()"))
  Sys.chmod(target, "0755")
  on_path <- normalizePath(dir) %in%
    suppressWarnings(normalizePath(strsplit(Sys.getenv("PATH"), .Platform$path.sep)[[1L]]))
  say(text_of("installed_at", target = target),
      if (!on_path) text_of("is_not_your_path", dir = dir))
  invisible(target)
}

most_words <- 10000L  # of a command line, far above any that is typed

# Help of the command line.

cli_overview <- function() {
  commands <- cli_commands()
  c(text_of("orizzonte_confirmatory_factor_structural"), "",
    "Usage: orizzonte COMMAND ... [options]", "", text_of("commands_order_work"),
    described(names(commands), vapply(commands, `[[`, "", "does")), "",
    text_of("orizzonte_command_help_shows"),
    text_of("new_here_start_orizzonte"))
}

# The form in which the parser of arguments shows its own help.
print_command_help <- function(parser) {
  put_lines(parser@usage, "", wrap_lines(parser@description), "", "Options:",
            option_lines(parser@options), "", "Example:", paste0("  ", parser@epilogue))
}

option_lines <- function(options) {
  flags <- vapply(options, function(o) {
    paste0(o@long_flag, if (!o@action %in% "store_true") paste0(" ", o@metavar))
  }, "")
  described(flags, vapply(options, function(o) o@help, ""))
}

# Names with their purposes.
described <- function(names, texts) {
  names <- formatC(names, width = -max(nchar(names)))
  unlist(Map(function(name, text) wrap_lines(paste0(name, "  ", text), 2L, nchar(name) + 4L),
             names, texts), use.names = FALSE)
}
