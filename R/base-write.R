# Files are written beside their target, checked and renamed: until the new one is whole, the old
# one stays as it was.

# Where a file may be written: symbolic links followed; a folder, a device or a pipe refused.
check_target <- function(file, class = "file") {
  check_path(file, text_of("name_file_write"))
  folder <- dirname(file)
  if (!dir.exists(folder))
    abort(class, c(text_of("no_such_folder", folder = quoted(folder)),
                   i = text_of("create_first_or_choose")))
  target <- if (file.exists(file)) normalizePath(file) else
    file.path(normalizePath(folder), basename(file))
  if (dir.exists(target)) abort(class, text_of("is_folder_not_file", file = quoted(file)))
  if (file.exists(target) && !is_regular_file(target)) {
    abort(class, c(text_of("is_no_regular_file_device", file = quoted(file)),
                   i = text_of("choose_name_file")))
  }
  target
}

write_bytes <- function(file, bytes, class = "file") {
  target <- check_target(file, class)
  part <- tempfile(paste0(".", basename(target), "-"), tmpdir = dirname(target))
  on.exit(unlink(part), add = TRUE)
  # what R says of a failure names a temporary file
  written <- suppressWarnings(tryCatch({
    connection <- base::file(part, open = "wb")
    tryCatch(writeBin(bytes, connection), finally = close(connection))
    isTRUE(file.size(part) == length(bytes))
  }, error = function(e) FALSE))
  if (written && file.exists(target)) Sys.chmod(part, file.mode(target), use_umask = FALSE)
  moved <- written && suppressWarnings(file.rename(part, target))
  if (!moved) {
    locked <- file.access(dirname(target), 2L) != 0L
    abort(class, c(text_of("cannot_write", name = quoted(file)),
                   x = if (locked) text_of("folder_is_not_writable") else
                     text_of("not_all_could_be"),
                   i = text_of("what_was_there_before")))
  }
  invisible(file)
}

write_text <- function(file, lines, class = "file") {
  text <- paste0(enc2utf8(lines), "\n", collapse = "")
  write_bytes(file, charToRaw(text), class)
}

# What `make(path)` writes by means of its own (a graphics device, another package), whole or not at
# all. `whole` tells whether the bytes are.
write_made <- function(file, make, whole = function(bytes) length(bytes) > 0L, class = "file") {
  check_target(file, class)
  ending <- tools::file_ext(file)
  path <- tempfile(fileext = if (nzchar(ending)) paste0(".", ending) else "")
  on.exit(unlink(path), add = TRUE)
  make(path)
  bytes <- if (file.exists(path)) readBin(path, "raw", file.size(path)) else raw()
  if (!whole(bytes))
    abort(class, c(text_of("cannot_make", file = quoted(file)),
                   i = text_of("is_disk_full_or", tempdir = quoted(tempdir()))))
  write_bytes(file, bytes, class)
}

# Inputs are never written over.
protect_inputs <- function(file, inputs, class = "usage") {
  if (!file.exists(file)) return(invisible())
  same <- normalizePath(inputs[file.exists(inputs)]) == normalizePath(file)
  if (any(same)) abort(class, c(text_of("is_input_is_not", file = quoted(file)),
                                i = text_of("choose_another_name_result")))
}

# Writes CSV with numbers that can be read back exactly. With `guard`, an apostrophe is put before
# texts that a spreadsheet would run as formulas; numbers are never changed.
write_table <- function(x, file = "", guard = display$guarded) {
  columns <- as.list(unclass(x))[names(x)]
  columns <- lapply(columns, function(column) {
    if (is.factor(column)) as.character(column) else column
  })
  text <- which(vapply(columns, is.character, NA))
  exact <- lapply(columns, function(column) {
    if (is.character(column)) return(table_text(column, guard))
    if (!is.double(column)) return(column)
    out <- rep(NA_character_, length(column))
    out[!is.na(column)] <- format_exact(column[!is.na(column)])
    out
  })
  names(exact) <- table_text(names(exact), guard)
  lines <- utils::capture.output(
    utils::write.csv(list_frame(exact), row.names = FALSE, na = "", quote = text))
  if (nzchar(file)) write_text(file, lines) else cat(lines, sep = "\n")
}

# Formatted numbers, such as -.31 (.02), are not formulas.
number_cell <- "^[-+]?[0-9.][-0-9.,()% <]*$"

# The full-width forms of the signs also begin formulas, and so do tabs and carriage returns.
formula_signs <- c("=", "+", "-", "@", "\t", "\r",
                   intToUtf8(c(0xff1d, 0xff0b, 0xff0d, 0xff20), TRUE))

table_text <- function(x, guard) {
  x <- visible_controls(x)
  begins <- substr(sub("^ +", "", x), 1L, 1L)
  formula <- guard & begins %in% formula_signs & !grepl(number_cell, x, useBytes = TRUE)
  x[formula] <- paste0("'", x[formula])
  x
}
