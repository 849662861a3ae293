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

# Names, and beside each what it is for.
described <- function(names, texts) {
  names <- formatC(names, width = -max(nchar(names)))
  unlist(Map(function(name, text) wrap_lines(paste0(name, "  ", text), 2L, nchar(name) + 4L),
             names, texts), use.names = FALSE)
}
