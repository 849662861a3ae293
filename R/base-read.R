# Files as text: what cannot be read says why, and no byte is guessed at.

check_readable <- function(file) {
  check_path(file, "`file`")
  if (!file.exists(file)) {
    folder <- dirname(file)
    abort("file", c(text_of("there_is_no_file", file = quoted(file)),
                    if (dir.exists(folder)) did_you_mean(basename(file), list.files(folder))
                    else c(x = text_of("there_is_no_folder", folder = quoted(folder))),
                    i = text_of("paths_relative", folder = getwd())))
  }
  if (dir.exists(file)) abort("file", text_of("is_folder_not_file", file = quoted(file)))
  if (!is_regular_file(file))
    abort("file", text_of("is_no_regular_file", file = quoted(file)))
  if (file.access(file, 4L) != 0L)
    abort("file", text_of("you_may_not_read", file = quoted(file)))
  if (file.size(file) == 0) abort("file", text_of("is_empty", file = quoted(file)))
}

# The whole file as one UTF-8 text with plain line ends, its bytes checked.
read_text <- function(file, encoding = "UTF-8") {
  check_string(encoding, "`encoding`")
  bytes <- tryCatch(readBin(file, "raw", n = file.size(file)), error = function(e) {
    abort("file", c(text_of("cannot_read_file", file = quoted(file)), x = conditionMessage(e)))
  })
  wide <- length(bytes) > 1L && (identical(bytes[1:2], as.raw(c(0xff, 0xfe))) ||
                                   identical(bytes[1:2], as.raw(c(0xfe, 0xff))))
  if (wide || any(bytes == as.raw(0L))) {
    abort("file",
          c(paste0(quoted(file), if (wide) text_of("is_utf_16_which") else
                   text_of("is_not_text_file")),
            i = text_of("save_plain_text_utf")))
  }
  mark <- length(bytes) > 2L && identical(bytes[1:3], as.raw(c(0xef, 0xbb, 0xbf)))
  if (mark) bytes <- bytes[-(1:3)]
  text <- rawToChar(bytes)
  if (toupper(encoding) %in% c("UTF-8", "UTF8")) {
    check_utf8(text, file)
  } else {
    text <- tryCatch(iconv(text, encoding, "UTF-8"), error = function(e) {
      abort("input", c(text_of("there_is_no_encoding", encoding = quoted(encoding)),
                       i = text_of("such_latin1_or_windows")))
    })
    if (is.na(text)) abort("file", text_of("is_not", file = quoted(file), encoding = encoding))
  }
  Encoding(text) <- "UTF-8"
  text <- gsub("\r\n?", "\n", text)
  paste0(sub("\n[[:space:]]*$", "", text), "\n")
}

check_utf8 <- function(text, file) {
  if (validUTF8(text)) return(invisible())
  lines <- strsplit(text, "\r\n?|\n", useBytes = TRUE)[[1L]]
  bad <- which(!validUTF8(lines))[1L]
  abort("file", c(text_of("line_byte_is_not", file = quoted(file), bad = bad),
                  i = text_of("save_file_as_utf8")))
}
