# Plain, calm text: rules, aligned columns, numbers.

output_width <- function() min(100L, table_width())

rule_mark <- function() if (isTRUE(l10n_info()[["UTF-8"]])) "\u2500" else "-"

# Prepares text for the terminal: control characters are made visible, and statistical symbols are
# spelt out if the session cannot show them.
showable <- function(text) {
  text <- visible_controls(text)
  if (isTRUE(l10n_info()[["UTF-8"]])) text else spelt_out(text)
}

# Shows control characters, and characters that change the direction of writing, as <U+001B>, so
# that a title or a value cannot control the terminal. Line breaks and tabs are kept.
visible_controls <- function(text) {
  if (!is.character(text)) return(text)
  known <- as_utf8(text)
  # a quick search for candidates, by bytes so that the locale does not matter
  at <- which(!is.na(known) & grepl(maybe_hidden, known, perl = TRUE, useBytes = TRUE))
  for (k in at) {
    codes <- utf8ToInt(known[k])
    hidden <- codes %in% hidden_codes
    if (!any(hidden)) next
    letters <- intToUtf8(codes, multiple = TRUE)
    letters[hidden] <- sprintf("<U+%04X>", codes[hidden])
    text[k] <- paste(letters, collapse = "")
  }
  text
}
maybe_hidden <- "[\\x01-\\x08\\x0b-\\x1f\\x7f]|\\xc2[\\x80-\\x9f]|\\xe2\\x80|\\xe2\\x81"
hidden_codes <- c(1:8, 11:31, 127:159, 0x200e, 0x200f, 0x202a:0x202e, 0x2066:0x2069)

# Also for figures, since a plain PDF device has no such letters.
spelt_out <- function(text) {
  for (k in seq_along(letters_for)) text <- gsub(names(letters_for)[k], letters_for[[k]], text)
  text
}

letters_for <- stats::setNames(c("chi2", "R2", "d ", "+-", "-"),
                               c("\u03c7\u00b2", "R\u00b2", "\u0394", "\u00b1", "\u2212"))

# Columns by the titles they are shown under. A name in code that is not ASCII is lost in the C
# locale, hence these.
titled <- function(columns) {
  at <- match(names(columns), names(column_titles))
  names(columns)[!is.na(at)] <- column_titles[at[!is.na(at)]]
  columns
}

column_titles <- c(
  chisq = "\u03c7\u00b2", r_squared = "R\u00b2", chisq_change = "\u0394\u03c7\u00b2",
  df_change = "\u0394df", cfi_change = "\u0394CFI", rmsea_change = "\u0394RMSEA",
  srmr_change = "\u0394SRMR", aic_change = "\u0394AIC", bic_change = "\u0394BIC",
  p_change = "p of \u0394\u03c7\u00b2", loading_difference = "\u0394loading",
  intercept_difference = "\u0394intercept")

heading <- function(text) {
  text <- showable(text)
  mark <- rule_mark()
  paste0(strrep(mark, 2L), " ", text, " ", strrep(mark, max(2L, output_width() - nchar(text) - 4L)))
}

wrap_lines <- function(text, indent = 0L, hang = indent) {
  unlist(lapply(showable(text), strwrap_keep, indent = indent, hang = hang))
}

# strwrap() folds runs of spaces, which carry the alignment here.
strwrap_keep <- function(line, indent, hang) {
  width <- output_width()
  out <- character()
  rest <- paste0(strrep(" ", indent), line)
  while (nchar(rest) > width) {
    breaks <- gregexpr(" ", substr(rest, 1L, width + 1L), fixed = TRUE)[[1L]]
    breaks <- breaks[breaks > hang + 2L]
    if (length(breaks) == 0L) break
    at <- max(breaks)
    out <- c(out, sub(" +$", "", substr(rest, 1L, at - 1L)))
    rest <- paste0(strrep(" ", hang), substr(rest, at + 1L, nchar(rest)))
  }
  c(out, rest)
}

format_fixed <- function(x, digits = 3L) {
  out <- formatC(x, digits = digits, format = "f")
  out <- sub("^-(0[.]?0*)$", "\\1", out)          # no negative zero
  out[is.na(x)] <- ""
  # indices and tests in full, with thousands; estimates on a large scale with an exponent
  big <- !is.na(x) & abs(x) >= 1e6
  full <- big & digits < 3L & abs(x) < 1e12
  out[big] <- formatC(x[big], digits = 3L, format = "e")
  out[full] <- formatC(x[full], digits = digits, format = "f", big.mark = ",")
  out
}

# Estimates on any scale: three decimals, or more significant digits when three decimals would show
# only zeros.
format_number <- function(x) {
  out <- format_fixed(x)
  small <- !is.na(x) & x != 0 & abs(x) < 0.01
  out[small] <- formatC(x[small], digits = 3L, format = "g")
  out
}

format_p <- function(p) {
  out <- sub("^0", "", formatC(p, digits = 3L, format = "f"))
  out[!is.na(p) & p < 0.001] <- "< .001"
  out[is.na(p)] <- ""
  out
}

# Two decimals as for correlations: a number that cannot exceed 1 has no leading zero.
format_share <- function(x, digits = 2L) {
  out <- sub("^(-?)0[.]", "\\1.", format_fixed(x, digits))
  out[is.na(x)] <- ""
  out
}

format_limits <- function(lower, upper, digits = 2L) {
  ifelse(is.na(lower), "",
         paste0("[", format_share(lower, digits), ", ", format_share(upper, digits), "]"))
}

# The limits of an interval in the units of its estimate.
interval_text <- function(lower, upper) {
  ifelse(is.na(lower), "", paste0("[", format_number(lower), ", ", format_number(upper), "]"))
}

format_count <- function(n) {
  formatC(round(as.numeric(n)), format = "f", digits = 0L, big.mark = ",")
}

# The shortest text that reads back as the same number.
format_exact <- function(x) {
  vapply(x, function(value) {
    for (digits in c(15L, 16L, 17L)) {
      text <- formatC(value, digits = digits, format = "g", width = 1L)
      if (as.numeric(text) == value) return(text)
    }
    text
  }, "")
}

short_number <- function(x) {
  if (x < 1)
  sub("^0\\.", ".", formatC(x, digits = max(2L, nchar(format(x)) - 2L), format = "f")) else
  format(x)
}

# "= .012", or "< .001".
p_clause <- function(p) ifelse(p %in% NA | p >= 0.001, paste("=", format_p(p)), "< .001")

with_error <- function(estimate, se) {
  paste0(format_number(estimate), ifelse(is.na(se), "", paste0(" (", format_number(se), ")")))
}

capital <- function(text) paste0(toupper(substr(text, 1L, 1L)), substring(text, 2L))

# Numbers below ten are written as words, as journals ask for.
number_word <- function(n) {
  words <- c("one", "two", "three", "four", "five", "six", "seven", "eight", "nine")
  if (n %in% seq_along(words)) words[n] else format_count(n)
}

plural <- function(word) sub("ys$", "ies", paste0(word, "s"))

# Text of any encoding as UTF-8: text without a declared encoding is read as UTF-8 where it is
# valid, otherwise as Latin-1. A word is quoted so that a shell reads it unchanged.
shell_word <- function(x) {
  if (grepl("^[A-Za-z0-9_./=:,+@%-]+$", x) && x != "...") return(x)
  paste0("'", gsub("'", "'\\\\''", x), "'")
}

as_utf8 <- function(x) {
  if (!is.character(x)) return(x)
  if (all(Encoding(x) == "unknown") && !any(grepl("[^ -~\t\n]", x, useBytes = TRUE))) return(x)
  unmarked <- Encoding(x) != "latin1" & !is.na(x)
  whole <- validUTF8(x)
  Encoding(x[unmarked & whole]) <- "UTF-8"
  Encoding(x[unmarked & !whole]) <- "latin1"
  enc2utf8(x)
}

# A wrapped text on one line.
one_line <- function(text) trimws(gsub(" +", " ", paste(text, collapse = " ")))

# Tables as text: aligned, and within the window.

# Columns of text, with numbers aligned to the right. In a window that is too narrow for all
# columns, as many of those listed in `spare` as necessary are left out, the first ones first, and a
# line names them. Where that is not enough, the last column continues below if it contains words;
# otherwise the columns are printed in blocks below each other, each of which repeats the first
# column.
format_table <- function(columns, right = rep(TRUE, length(columns)), indent = 2L,
                         spare = character()) {
  cells <- Map(padded_cells, names(columns), columns, right)
  room <- table_width() - indent
  spared <- spared_columns(cells, match(spare, names(columns)), room)
  kept <- setdiff(seq_along(cells), spared)
  lines <- if (wrapped_last(cells[kept], right[kept], room))
    lines_with_words(cells[kept], room) else
    unlist(lapply(column_blocks(cells[kept], room), function(block) {
      c(if (block[1L] > 2L) "", paste_cells(cells[kept][c(1L, setdiff(block, 1L))]))
    }))
  if (length(spared))
    lines <- c(lines, wrap_to(text_of("wider_window_also",
                                      spared = enumerate(showable(names(columns)[spared]))), room))
  sub(" +$", "", paste0(strrep(" ", indent), lines))
}

# The width of tables. Running text is narrower, because short lines are easier to read.
table_width <- function() max(narrowest_window, getOption("width", 80L))
narrowest_window <- 60L

padded_cells <- function(title, values, to_right) {
  values <- showable(c(title, values))
  width <- nchar(values, "width")
  pad <- strrep(" ", max(width) - width)
  if (to_right) paste0(pad, values) else paste0(values, pad)
}

paste_cells <- function(cells) do.call(paste, c(unname(cells), sep = "  "))

cells_width <- function(cells) sum(vapply(cells, function(x) nchar(x[1L], "width") + 2L, 0L)) - 2L

# The spare columns that must be left out for the others to fit; none when these do not suffice.
spared_columns <- function(cells, spare, room) {
  spare <- spare[!is.na(spare)]
  for (many in c(0L, seq_along(spare))) {
    gone <- utils::head(spare, many)
    if (cells_width(cells[setdiff(seq_along(cells), gone)]) <= room) return(gone)
  }
  integer()
}

narrowest_words <- 24L

# Does the last column contain words, with enough room left beside the other columns?
wrapped_last <- function(cells, right, room) {
  last <- length(cells)
  last > 1L && cells_width(cells) > room && !right[last] &&
    room - cells_width(cells[-last]) - 2L >= narrowest_words
}

lines_with_words <- function(cells, room) {
  last <- length(cells)
  others <- paste_cells(cells[-last])
  width <- nchar(others[1L], "width")
  unlist(Map(function(before, words) {
    words <- wrap_to(sub(" +$", "", words), room - width - 2L)
    paste0(c(before, rep(strrep(" ", width), length(words) - 1L)), "  ", words)
  }, others, cells[[last]]), use.names = FALSE)
}

wrap_to <- function(text, width) {
  out <- strwrap(text, width + 1L)
  if (length(out)) out else ""
}

# Runs of columns after the first that fit beside it.
column_blocks <- function(cells, room) {
  widths <- vapply(cells, function(x) nchar(x[1L], "width") + 2L, 0L)
  blocks <- list()
  run <- integer()
  for (k in seq_along(cells)[-1L]) {
    if (length(run) && sum(widths[c(1L, run, k)]) - 2L > room) {
      blocks <- c(blocks, list(run))
      run <- integer()
    }
    run <- c(run, k)
  }
  c(blocks, list(if (length(run)) run else 1L))
}

# The only function that prints a value on the screen.

# Line by line. A line that is wider than the window continues below, further to the right; commands
# to be pasted stay on one line.
put_lines <- function(...) {
  lines <- c(...)
  if (length(lines)) writeLines(fold_lines(showable(lines)))
}

fold_lines <- function(lines) {
  width <- table_width()
  wide <- nchar(lines, "width") > width & !grepl(command_line, lines)
  folded <- as.list(lines)
  folded[wide] <- lapply(lines[wide], function(line) {
    start <- nchar(sub("^( *(- |[0-9]+[.] )?).*", "\\1", line))
    text <- strwrap(substring(line, start + 1L), width - start, exdent = if (start) 0L else 2L)
    paste0(c(substr(line, 1L, start), rep(strrep(" ", start), length(text) - 1L)), text)
  })
  unlist(folded)
}

command_line <- "^ *(Next: )?orizzonte "

# A data frame without the cost of data.frame(). Columns that a user added to a result, as they are
# printed. The columns of each result are recorded when it is created.
user_columns <- function(x) {
  own <- setdiff(names(x), attr(x, "columns") %||% names(x))
  lapply(stats::setNames(own, own), function(name) {
    column <- x[[name]]
    if (is.double(column)) format_number(column) else ifelse(is.na(column), "", format(column))
  })
}

rows_left <- function(x, shown) {
  if (nrow(shown) < nrow(x)) text_of("rows_not_shown", count = nrow(x) - nrow(shown))
}

list_frame <- function(columns) {
  structure(columns, class = "data.frame", row.names = .set_row_names(length(columns[[1L]])))
}

list_frame_class <- function(columns, class) {
  structure(list_frame(columns), class = c(class, "data.frame"))
}

as_tibble_if_possible <- function(x) {
  if (requireNamespace("tibble", quietly = TRUE))
  tibble::as_tibble(x) else x
}

json_rows <- function(x) {
  attributes(x)[setdiff(names(attributes(x)), c("names", "row.names"))] <- NULL
  class(x) <- "data.frame"
  x
}

# A proportion as a percentage.
percent_words <- function(share) {
  if (is.na(share)) text_of("unknown_part") else paste0(round(100 * share), "%")
}

# A chi-square with its degrees of freedom and p.
chisq_text <- function(chisq, df, p, mark = "\u03c7\u00b2") {
  paste0(mark, "(", format_count(df), ") = ", format_fixed(chisq, 2L),
         if (!is.na(p)) paste0(", p ", p_clause(p)))
}

# Intervals with fixed decimals; empty where a limit is missing.
shown_interval <- function(lower, upper, digits = 2L) {
  ifelse(is.na(lower) | is.na(upper), "",
         paste0("[", format_fixed(lower, digits), ", ", format_fixed(upper, digits), "]"))
}

# "a, b and c", at most `most` of them
enumerate <- function(x, most = 8L, last = " and ") {
  n <- length(x)
  if (n > most) return(text_of("and_more", seq_len = paste(x[seq_len(most)], collapse = ", "),
                               value = n - most))
  if (n <= 1L) return(paste(x))
  paste0(paste(x[-n], collapse = ", "), last, x[n])
}

count_of <- function(n, one, many = paste0(one, "s")) {
  paste(format_count(n), if (n == 1) one else many)
}
