# Files as text: what cannot be read says why, and no byte is guessed at.

check_readable <- function(file) {
  check_path(file, "`file`")
  if (!file.exists(file)) {
    folder <- dirname(file)
    abort("file", c(paste0("There is no file ", quoted(file), "."),
                    if (dir.exists(folder)) did_you_mean(basename(file), list.files(folder))
                    else c(x = paste0("There is no folder ", quoted(folder), " either.")),
                    i = text_of("paths_relative", folder = getwd())))
  }
  if (dir.exists(file)) abort("file", paste0(quoted(file), " is a folder, not a file."))
  if (!is_regular_file(file))
    abort("file", paste0(quoted(file), " is no regular file (a device or a pipe)."))
  if (file.access(file, 4L) != 0L)
    abort("file", paste0("You may not read ", quoted(file), "."))
  if (file.size(file) == 0) abort("file", paste0(quoted(file), " is empty."))
}

# The whole file as one UTF-8 text with plain line ends, its bytes checked.
read_text <- function(file, encoding = "UTF-8") {
  check_string(encoding, "`encoding`")
  bytes <- tryCatch(readBin(file, "raw", n = file.size(file)), error = function(e) {
    abort("file", c(paste0("Cannot read ", quoted(file), "."), x = conditionMessage(e)))
  })
  wide <- length(bytes) > 1L && (identical(bytes[1:2], as.raw(c(0xff, 0xfe))) ||
                                   identical(bytes[1:2], as.raw(c(0xfe, 0xff))))
  if (wide || any(bytes == as.raw(0L))) {
    abort("file",
          c(paste0(quoted(file), if (wide) " is UTF-16, which is not read." else
                   " is not a text file."),
            i = "Save it as plain text in UTF-8 (data as CSV)."))
  }
  mark <- length(bytes) > 2L && identical(bytes[1:3], as.raw(c(0xef, 0xbb, 0xbf)))
  if (mark) bytes <- bytes[-(1:3)]
  text <- rawToChar(bytes)
  if (toupper(encoding) %in% c("UTF-8", "UTF8")) {
    check_utf8(text, file)
  } else {
    text <- tryCatch(iconv(text, encoding, "UTF-8"), error = function(e) {
      abort("input", c(paste0("There is no encoding ", quoted(encoding), "."),
                       i = "Such as \"latin1\" or \"windows-1252\"; iconvlist() names all."))
    })
    if (is.na(text)) abort("file", paste0(quoted(file), " is not ", encoding, "."))
  }
  Encoding(text) <- "UTF-8"
  text <- gsub("\r\n?", "\n", text)
  paste0(sub("\n[[:space:]]*$", "", text), "\n")
}

check_utf8 <- function(text, file) {
  if (validUTF8(text)) return(invisible())
  lines <- strsplit(text, "\r\n?|\n", useBytes = TRUE)[[1L]]
  bad <- which(!validUTF8(lines))[1L]
  abort("file", c(paste0(quoted(file), ", line ", bad, ": a byte that is not UTF-8."),
                  i = paste0("Save the file as UTF-8, or say what it is: encoding = \"latin1\" ",
                             "(on the command line --encoding latin1).")))
}
