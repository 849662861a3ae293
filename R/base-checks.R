# One check for each type of argument: a classed error states the expected and the given value.

check_string <- function(x, what) {
  if (!is.character(x) || length(x) != 1L || is.na(x) || !nzchar(x)) {
    abort("input", c(text_of("must_be_one_piece", what = what),
                     x = text_of("it_is_of_kind",
                                 value = describe(x)), i = text_of("write_quotes")))
  }
  check_encoding(x, what)
  x
}

# R's text functions stop with an error if bytes are invalid in their declared encoding.
check_encoding <- function(x, what) {
  bad <- x[!is.na(x) & Encoding(x) != "latin1" & !validUTF8(x)]
  if (length(bad) == 0L) return(invisible())
  abort("input", c(text_of("holds_bytes_are_not", what = what),
                   x = text_of("it_is_of_kind", value = describe(bad[1L])),
                   i = text_of("convert_first_iconv_x")))
}

check_blueprint <- function(x, verb) {
  if (inherits(x, "orizzonte_blueprint")) {
    parts <- c("title", "scale", "constructs", "effects", "restrict", "trail")
    if (is.list(x) && all(parts %in% names(x))) return(invisible(x))
    abort("object", c(text_of("blueprint_cannot_be_read"),
                      i = text_of("start_blueprint_title_or")))
  }
  abort("input", c(text_of("first_argument_must_be", verb = verb),
                   x = text_of("it_is_of_kind", value = describe(x)),
                   i = if (is.data.frame(x)) text_of("blueprint_comes_first", verb = verb) else
                     text_of("start_blueprint_title_pipe")))
}

describe <- function(x) {
  if (is.null(x)) return("NULL")
  x <- as_utf8(x)
  if (identical(x, "")) return(text_of("kind_empty_text"))
  if (inherits(x, "orizzonte_blueprint")) return("a blueprint")
  if (inherits(x, "orizzonte_fit")) return("a fitted model")
  if (is.data.frame(x)) return("a data frame")
  if (is.matrix(x)) return(paste("a", typeof(x), "matrix"))
  if (is.function(x)) return("a function")
  if (is.atomic(x) && length(x) == 1L)
    return(text_of("the", ischaracter = if (is.character(x)) "text " else "value ",
                   substr = substr(format(x), 1L, 60L)))
  text_of("object_class", class = class(x)[1L])
}

# Describes a list, or the part of it that is not of a known kind.
describe_part <- function(x, known) {
  if (!is.list(x) || is.object(x)) return(text_of("x_is", value = describe(x)))
  if (length(x) == 0L) return(text_of("x_is_empty_list"))
  strange <- which(!vapply(x, known, NA))[1L]
  name <- names(x)[strange]
  text_of("part_is_of_kind", name = if (is.null(name) || !nzchar(name)) paste("Part", strange) else
    paste("Part", quoted(name)), strange = describe(x[[strange]]))
}

check_words <- function(x, what, example) {
  if (is.character(x) && length(x) > 0L && !anyNA(x)) return(invisible())
  abort("input", c(text_of("must_be_one_text", what = what),
                   x = text_of("it_is_of_kind",
                               value = if (length(x) == 0L) "empty" else describe(x)),
                   i = text_of("such_as", example = example)))
}

# The first line of every function a user calls checks that all required arguments are given and
# that there are no others. `dots`: the function reads its dots itself; `optional`: arguments that
# may be missing although they have no default; `unnamed`: what to write instead of a surplus
# argument. R would complete the names of arguments: they must be written in full.
check_arguments <- function(verb, dots = FALSE, optional = character(), unnamed = NULL) {
  frame <- parent.frame()
  verb_itself <- sys.function(sys.parent())
  known <- formals(verb_itself)
  empty <- names(known)[!nzchar(as.character(known))]
  bare <- empty[vapply(known[empty], is.symbol, NA)]
  needed <- setdiff(bare, c("...", optional))
  # the function of base R, whatever an argument of that name contains
  is_missing <- function(name) eval(as.call(list(base::missing, as.name(name))), frame)
  lacking <- Filter(is_missing, needed)
  if (length(lacking)) {
    if (names(known)[1L] == ".bp" && !".bp" %in% lacking) check_blueprint(frame$.bp, verb)
    abort("input", c(text_of("needs", verb = verb, lacking = lacking[1L]),
                     i = text_of("see_arguments_example", verb = verb)))
  }
  check_quotes(verb_itself, sys.call(sys.parent()), frame)
  if (dots) return(invisible())
  names <- setdiff(names(known), "...")
  strange <- setdiff(names(sys.call(sys.parent())), c(names, ""))[1L] %||% NA
  if (is.na(strange) && eval(quote(...length()), frame) == 0L) return(invisible())
  abort("input", c(text_of("has_no_argument", verb = verb,
                           strange = if (is.na(strange))
                             text_of("unnamed_too_much") else paste0("`", strange, "`")),
                   if (!is.na(strange)) nearest_argument(strange, names),
                   i = if (is.na(strange)) unnamed,
                   i = if (length(names)) paste0("Arguments: ", enumerate(names, most = 12L), ".")))
}

# Arguments that take text, in addition to those whose default is a text.
text_arguments <- c("because", "construct", "dir", "file", "folder", "formats", "general", "group",
                    "groups", "inference", "kinds", "name", "over", "results", "rung", "rungs",
                    "scale", "structural", "title")

# Bare words where text is asked for, such as loosen(ladder, metric) or rungs = c(metric, scalar):
# many other arguments take bare names, so that users soon write these in the same way. A variable
# that contains the text is fine.
check_quotes <- function(verb, call, frame) {
  given <- as.list(match.call(verb, call, expand.dots = FALSE, envir = parent.frame(3L)))[-1L]
  known <- formals(verb)
  # a third consecutive word is more often a surplus argument
  given <- given[names(given) %in% c(names(known)[1:2], names(call))]
  bare <- intersect(names(known), names(given)[vapply(given, is_bare, NA)])
  for (name in bare[bare %in% text_arguments | vapply(known[bare], is_text, NA)]) {
    words <- setdiff(all.names(given[[name]]), "c")
    # words that were passed through the dots of another function are not known here
    hint <- if (!any(startsWith(words, ".."))) words_in_quotes(words)
    tryCatch(eval(as.name(name), frame), error = function(e) {
      abort("input", c(text_of("takes_text", name = name), x = paste0(conditionMessage(e), "."),
                       i = text_of("write_in_quotes_hint", hint = if (length(hint)) ": ",
                                   hint_2 = hint)))
    })
  }
}

# A text, or the call that makes several.
is_text <- function(x) {
  is.character(x) || (is.call(x) && all(vapply(as.list(x)[-1L], is.character, NA)))
}

is_bare <- function(x) {
  is.symbol(x) || (is.call(x) && identical(x[[1L]], quote(c)) && all(vapply(x, is.symbol, NA)))
}

words_in_quotes <- function(words) {
  if (length(words) == 1L) return(quoted(words))
  paste0("c(", paste(quoted(words), collapse = ", "), ")")
}

# Other words that people use for an argument.
other_words <- c(items = "reflected_in", indicators = "reflected_in", measured_by = "reflected_in",
                 measures = "reflected_in", formed_by = "composed_of", weights = "composed_of",
                 group = "by", groups = "by", grouping = "by", na = "missing_codes",
                 codes = "missing_codes", missing = "missing_codes", data_file = "data",
                 path = "file", filename = "file", out = "file", model = "bp", reason = "because",
                 why = "because", misses = "misspecified",
                 steps = "rungs", confidence = "level", conf_level = "level")

# Values of arguments that people write as arguments.
values_as_arguments <- c(robust = "inference = \"robust\"", fiml = "incomplete = \"keep\"",
                         listwise = "incomplete = \"drop\"", keep = "incomplete = \"keep\"",
                         drop = "incomplete = \"drop\"")

nearest_argument <- function(strange, known) {
  setting <- values_as_arguments[strange]
  if (sub(" .*", "", setting) %in% known)
    return(c(i = text_of("did_you_mean_argument", word = setting)))
  word <- other_words[strange]
  if (word %in% known) return(c(i = text_of("did_you_mean_argument", word = word)))
  # an abbreviation, or the letters in order with some left out: lvl for level
  longer <- known[startsWith(known, strange)]
  letters <- strsplit(strange, "")[[1L]]
  if (length(longer) == 0L && length(letters) >= 3L && all(grepl("[[:alpha:]]", letters)))
    longer <- grep(paste0("^", paste(letters, collapse = ".*")), known, value = TRUE)
  if (length(longer)) c(i = text_of("did_you_mean_argument", word = longer[1L])) else
    did_you_mean(strange, known)
}

choose_one <- function(value, choices, what) {
  if (is.character(value) && length(value) == 1L && value %in% choices) return(value)
  abort("input", c(text_of("must_be", what = what,
                           choices = enumerate(quoted(choices), most = 20L, last = " or ")),
                   x = text_of("it_is_of_kind", value = describe(value)),
                   if (is.character(value) && length(value) == 1L) did_you_mean(value, choices)))
}

check_number <- function(x, what, least = -Inf, most = Inf) {
  if (is.numeric(x) && length(x) == 1L && !is.na(x) && x >= least && x <= most) return(invisible())
  ends <- vapply(c(if (abs(least) < 1e-300) 0 else least, most), format, "", scientific = FALSE)
  range <- if (least == 0 && is.infinite(most)) {
    ", not negative"
  } else if (is.finite(least) && is.finite(most)) {
    text_of("between_and", ends = ends[1L], ends_2 = ends[2L])
  } else if (is.finite(least)) {
    text_of("at_least", ends = ends[1L])
  }
  abort("input", c(text_of("must_be_one_number", what = what, range = range),
                   x = text_of("it_is_of_kind", value = describe(x))))
}

# Longer than any system takes; R itself only warns.
check_path <- function(x, what) {
  check_string(x, what)
  if (!isTRUE(l10n_info()[["UTF-8"]]) && is.na(iconv(enc2utf8(x), "UTF-8", ""))) {
    abort("input", c(text_of("has_letters_r_session", what = what),
                     x = text_of("locale_is", sysgetlocale = Sys.getlocale("LC_CTYPE")),
                     i = text_of("start_r_in_utf8")))
  }
  if (nchar(x, "bytes") > 1000L || nchar(basename(x), "bytes") > 200L)
    abort("input", text_of("is_too_long_be", what = what))
}

check_count <- function(x, what, least = 0, most = Inf) {
  check_number(x, what, least, most)
  if (is.finite(x) && x != round(x))
    abort("input", c(text_of("must_be_whole_number", what = what),
                     x = text_of("it_is_of_kind", value = describe(x)),
                     i = text_of("such_as", example = format(round(x), scientific = FALSE))))
}

check_seed <- function(x) {
  check_number(x, "`seed`", -.Machine$integer.max, .Machine$integer.max)
}

check_flag <- function(x, what) {
  if (is.logical(x) && length(x) == 1L && !is.na(x)) return(invisible())
  abort("input", c(text_of("must_be_true_or", what = what), x = text_of("it_is_of_kind",
      value = describe(x))))
}

check_level <- function(level) {
  if (is.numeric(level) && length(level) == 1L && is.finite(level) && level > 0 && level < 1)
    return(invisible())
  abort("input", c(text_of("level_must_be_one"), i = text_of("example_level")))
}

is_summary_list <- function(data) {
  is.list(data) && !is.data.frame(data) && length(data) > 0L &&
    all(vapply(data, inherits, NA, "orizzonte_summary_data"))
}

# A result from which a user may have removed parts: its print needs all of them.
check_whole <- function(x, parts, again) {
  if (all(parts %in% names(x))) return(invisible())
  abort("object", c(text_of("result_cannot_be_printed"),
                    i = text_of("make_again", again = again)))
}

# The first rows of a result that is printed, and a line that counts the remaining ones.
first_rows <- function(x, n) {
  if (is.null(n)) return(x)
  check_count(n, "`n`", 1)
  utils::head(x, n)
}

# Every error and warning has a class and states the problem, its place and a remedy.

abort <- function(class, message, ..., call = NULL) {
  rlang::abort(visible_controls(message), class = c(paste0("orizzonte_error_", class),
                                                    "orizzonte_error"), ...,
               call = call)
}

warn <- function(class, message) {
  rlang::warn(visible_controls(message), class = c(paste0("orizzonte_warning_", class),
                                                   "orizzonte_warning"))
}

# A plain note on standard error; much cheaper than a formatted one.
say <- function(...) {
  text <- showable(paste0(..., collapse = "\n"))
  message(structure(class = c("orizzonte_message", "message", "condition"),
                    list(message = paste0(text, "\n"), call = NULL)))
}

# The candidate most like `name`, or NULL when none is close.
nearest <- function(name, candidates, most = 0.45) {
  if (length(name) != 1L || is.na(name)) return(NULL)
  name <- as_utf8(name)
  candidates <- as_utf8(unique(candidates[!is.na(candidates)]))
  if (length(candidates) == 0) return(NULL)
  distance <- utils::adist(tolower(name), tolower(candidates))[1, ]
  # two letters in the wrong order count as one typing error
  distance[sorted_letters(name) == sorted_letters(candidates)] <- 1
  best <- which.min(distance)
  # one of three letters may be wrong: with two wrong letters, be1 would be suggested for sc1
  allowed <- if (nchar(name) <= 3L) 1 else ceiling(most * nchar(name))
  if (distance[best] <= allowed) candidates[best] else NULL
}

sorted_letters <- function(x) {
  vapply(strsplit(tolower(x), ""), function(letters) paste(sort(letters), collapse = ""), "")
}

did_you_mean <- function(name, candidates) {
  near <- nearest(name, candidates)
  if (is.null(near)) NULL else c(i = text_of("did_you_mean", near = quoted(near)))
}

# Whatever is echoed: of anything that looks like the address of a database, only the scheme is
# shown.
quoted <- function(x) paste0("\"", public_address(x), "\"")

# Progress of work in many parts.

# Seconds after which progress is reported; shorter work is not slowed down by it.
progress <- new.env(parent = emptyenv())
progress$patience <- 0.5

# lapply() that reports its progress once it has taken a while.
map_with_progress <- function(x, work, title) {
  begun <- proc.time()[["elapsed"]]
  here <- environment()
  told <- NULL
  out <- lapply(seq_along(x), function(k) {
    found <- work(x[[k]])
    if (!is.null(told)) {
      told(1L)
    } else if (proc.time()[["elapsed"]] - begun > progress$patience && k < length(x)) {
      told <<- progress_reporter(title, length(x), here)
      told(k)
    }
    found
  })
  stats::setNames(out, names(x))
}

# Returns a function to call with the number of parts that were completed since the last call. A
# handler of the progressr package receives the progress; without one, a bar is shown on a terminal.
progress_reporter <- function(title, parts, env = parent.frame()) {
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

database_schemes <- c("sqlite", "postgresql", "postgres", "duckdb", "mysql", "mariadb", "mssql",
                      "sqlserver", "oracle", "odbc", "jdbc")

# An address has a scheme and two slashes, or begins with the name of a database engine, or consists
# of pairs of keys and values that include a password.
looks_like_database <- function(x) {
  known <- paste0("^[[:space:]]*(", paste(database_schemes, collapse = "|"), "):")
  pairs <- text_of("space_alnum_password_passwd")
  !is.na(x) & (grepl("[A-Za-z][A-Za-z0-9+.-]*://", x, useBytes = TRUE) |
                 grepl(paste0(known, "|", pairs), x, ignore.case = TRUE, useBytes = TRUE))
}

# Returns the scheme of an address, and any other text unchanged.
public_address <- function(x) {
  if (!is.character(x)) return(x)
  at <- looks_like_database(x)
  scheme <- regmatches(x[at], regexpr("[A-Za-z][A-Za-z0-9+.-]*(?=:)", x[at], perl = TRUE,
                                       useBytes = TRUE), invert = NA)
  x[at] <- vapply(scheme, function(parts) {
    if (length(parts) > 1L) paste0(parts[2L], ":...") else text_of("address_of_database")
  }, "")
  x
}

# Does an address contain a user before an @, or a key that looks like a password? The percent
# encoding is removed first, up to three times.
holds_secret <- function(x) {
  decoded <- x
  for (times in 1:3) decoded <- decoded_percents(decoded)
  (grepl("://", x, fixed = TRUE) & grepl("@", decoded, fixed = TRUE)) |
    grepl("(pass|pwd|secret|token)[[:alnum:]_-]*[[:space:]]*=", decoded, ignore.case = TRUE)
}

decoded_percents <- function(x) {
  vapply(x, function(one) {
    bytes <- gsub("%(?![0-9A-Fa-f]{2})", "", one, perl = TRUE)
    as_utf8(tryCatch(utils::URLdecode(bytes), error = function(e) one, warning = function(w) one))
  }, "", USE.NAMES = FALSE)
}

# Removes addresses and passwords from the messages of database drivers.
without_addresses <- function(text) {
  text <- gsub("[A-Za-z][A-Za-z0-9+.-]*://[^[:space:]]*", "...", text)
  gsub(paste0("[[:alnum:]_-]*(pass|pwd|secret|token)[[:alnum:]_-]*[[:space:]]*=[[:space:]]*",
              "[^&;[:space:]]*"),
       "...", text, ignore.case = TRUE)
}
