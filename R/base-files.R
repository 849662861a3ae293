# Files as text: a file that cannot be read is refused with the reason, and its encoding is never
# guessed.

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

# Files are written beside their target, checked and renamed: until the new file is complete, the
# old one stays as it was.

# The path of the file that is written: symbolic links are followed; folders, devices and pipes are
# refused.
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
  # the message of R names a temporary file
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

# A file that `make(path)` writes by itself (a graphics device, another package), completely or not
# at all. `whole` checks that the bytes are complete.
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

# Reads a YAML file with all values as text: `y`, `n`, `on`, `no` and numbers are kept as written,
# and nothing is evaluated.

read_yaml_file <- function(file) {
  check_readable(file)
  if (file.size(file) > largest_yaml)
    abort("file", text_of("is_larger_than_megabytes", file = quoted(file), e6 = largest_yaml / 1e6))
  text <- read_text(file)
  if (!nzchar(trimws(text))) abort("file", text_of("is_empty", file = quoted(file)))
  check_yaml(text, file)
  as_text <- function(x) x
  # Its conditions are signalled afterwards: an error in one handler would be caught by the other
  found <- tryCatch(
    yaml::read_yaml(text = text, eval.expr = FALSE, handlers = list(
      `bool#yes` = as_text, `bool#no` = as_text, int = as_text, float = as_text,
      `float#fix` = as_text, `float#exp` = as_text, `int#hex` = as_text, `int#oct` = as_text,
      `int#base60` = as_text, `float#base60` = as_text, `timestamp#ymd` = as_text
    )),
    warning = identity, error = identity
  )
  if (inherits(found, "condition")) unreadable_yaml(file, found)
  found
}

unreadable_yaml <- function(file, condition) {
  abort("file", c(text_of("is_not_readable_yaml", file = quoted(file)),
                  x = conditionMessage(condition)))
}

# --- the supported part of YAML ------------------------------------------------------------------

# Blueprints and studies need a small part of YAML. Before the tree is built, yaml_scan.cpp reads
# the text token by token. It refuses anchors, aliases, tags, directives, complex keys and second
# documents, as well as excessive nesting and numbers of entries.
largest_yaml <- 2e6         # bytes
deepest_yaml <- 100L
most_yaml_entries <- 20000L

yaml_refusals <- c("reference", "tag", "complex_key", "directive", "second_document",
                   "block_header", "depth", "entries")

check_yaml <- function(text, file) {
  found <- yaml_outline(text, deepest_yaml, most_yaml_entries)
  if (found[1L] == 0L) return(invisible())
  why <- yaml_refusals[found[1L]]
  in_quotes <- c(i = text_of("if_is_meant_text"))
  what <- switch(why,
    reference = c(text_of("anchors_aliases_are_not"), in_quotes),
    tag = c(text_of("tags_are_not_supported"), in_quotes),
    complex_key = c(text_of("complex_keys_are_not"), in_quotes),
    directive = text_of("directives_are_not_supported"),
    second_document = c(text_of("second_document_begins"), i = text_of("keep_one_document_file")),
    block_header = c(text_of("text_must_not_follow"), in_quotes),
    depth = text_of("file_is_nested_more", deepest_yaml = deepest_yaml),
    entries = text_of("file_has_more_than", most_yaml_entries = format_count(most_yaml_entries)))
  what[1L] <- text_of("line", file = quoted(file), found = found[2L], what = what[1L])
  abort("file", what)
}

mapping <- function(x, where, file) {
  if (is.null(x) || length(x) == 0L || (is.list(x) && !is.null(names(x)))) return(invisible())
  abort("file", text_of("must_hold_key_value", file = file, where = where))
}

known_keys <- function(keys, allowed, file, where = NULL) {
  if (anyDuplicated(keys))
    abort("file", text_of("key_stands_twice_in_file", file = file,
                          keys = quoted(keys[duplicated(keys)][1L])))
  unknown <- setdiff(keys, allowed)
  if (length(unknown) == 0L) return(invisible())
  abort("file",
        c(text_of("unknown_key_of_file", file = file, unknown = quoted(unknown[1L]),
                  where = if (!is.null(where)) text_of("blueprint_in", where = where)),
          did_you_mean(unknown[1L], allowed),
          i = text_of("keys_are", allowed = enumerate(allowed, most = 20L))))
}

yaml_text <- function(x) {
  plain <- grepl("^[A-Za-z][A-Za-z0-9_]*$", x) &
    !grepl("^(y|n|yes|no|on|off|true|false|null|free)$", x, ignore.case = TRUE)
  escaped <- gsub("\n", "\\\\n",
                  gsub("\t", "\\\\t", gsub("\"", "\\\\\"", gsub("\\", "\\\\", x, fixed = TRUE))))
  unname(ifelse(plain, x, paste0("\"", escaped, "\"")))
}

# Folders that this package fills. A manifest lists every file with its size and hash, and a lock
# keeps a second process away. Files that the manifest does not list are never replaced or removed.

manifest_name <- "manifest.json"
manifest_format <- 1L
lock_name <- ".lock"

# --- paths ---------------------------------------------------------------------------------------

is_link <- function(path) {
  target <- Sys.readlink(path)
  !is.na(target) & nzchar(target)
}

# Is a path relative, and does it stay below the folder it refers to?
is_inner_path <- function(path) {
  is.character(path) & !is.na(path) & nzchar(path) &
    !grepl("^([/~\\]|[A-Za-z]:)|\\\\|(^|/)[.][.]?(/|$)|//|[[:cntrl:]]", path)
}

# Is every part of a relative path a real folder or file, and not a symbolic link?
is_unlinked <- function(folder, path) {
  parts <- strsplit(path, "/", fixed = TRUE)[[1L]]
  steps <- Reduce(file.path, parts, accumulate = TRUE)
  !any(is_link(file.path(folder, steps)))
}

# Is a path inside a folder after all symbolic links are resolved? The last parts of the path need
# not exist yet.
lies_within <- function(path, folder) {
  home <- normalizePath(folder, mustWork = FALSE)
  there <- path.expand(path)
  rest <- character()
  while (!file.exists(there) && !is_link(there) && dirname(there) != there) {
    rest <- c(basename(there), rest)
    there <- dirname(there)
  }
  if (any(rest == "..")) return(FALSE)
  full <- normalizePath(there, mustWork = FALSE)
  if (is_link(full)) return(FALSE)
  full == home || startsWith(full, paste0(sub("/$", "", home), "/"))
}

hash_of_file <- function(path) {
  if (!file.exists(path) || dir.exists(path)) return(NA_character_)
  cli::hash_file_sha256(path)
}

# --- the manifest --------------------------------------------------------------------------------

# Describes files by their path, size and hash.
file_entries <- function(folder, paths) {
  lapply(paths, function(path) {
    full <- file.path(folder, path)
    list(path = path, size = file.size(full), sha256 = hash_of_file(full))
  })
}

entry_paths <- function(entries) vapply(entries, `[[`, "", "path")

# Compares files with their entries. Returns "missing" or "altered", named by path, for each file
# that differs.
changed_files <- function(folder, entries) {
  state <- vapply(entries, function(x) {
    full <- file.path(folder, x$path)
    if (!is_unlinked(folder, x$path)) return("altered")
    if (!file.exists(full) || dir.exists(full)) return("missing")
    if (!identical(as.numeric(file.size(full)), as.numeric(x$size)) ||
        !identical(hash_of_file(full), x$sha256)) return("altered")
    ""
  }, "")
  names(state) <- entry_paths(entries)
  state[nzchar(state)]
}

# Returns NULL if the folder has no manifest, and signals an error of class `plain` if the file is
# not a manifest of this version.
read_manifest <- function(folder, name = manifest_name) {
  file <- file.path(folder, name)
  if (!file.exists(file) || dir.exists(file) || is_link(file)) return(NULL)
  text <- tryCatch(read_text(file),
                   orizzonte_error = function(e) refuse_plain(text_of("it_is_not_a_text")))
  found <- read_json_text(text)
  if (!is.list(found) || !identical(found$made_by, "orizzonte") ||
      !identical(as.integer(found$format), manifest_format))
    refuse_plain(text_of("is_not_manifest_version"))
  found
}

# Checks entries that were read from a manifest: every path must stay inside the folder.
checked_entries <- function(entries) {
  usable <- is.list(entries) && all(vapply(entries, function(x) {
    is.list(x) && length(x$path) == 1L && isTRUE(is_inner_path(x$path)) && is.numeric(x$size) &&
      length(x$size) == 1L && is.character(x$sha256) && length(x$sha256) == 1L
  }, NA))
  if (!usable) refuse_plain(text_of("file_is_not_described"))
  entries
}

write_manifest <- function(folder, content) {
  content <- c(list(made_by = "orizzonte", format = manifest_format), content)
  write_inside(folder, manifest_name,
               paste0(jsonlite::toJSON(content, auto_unbox = TRUE, null = "null", digits = NA,
                                       pretty = TRUE), "\n"))
}

# Writes a text completely or not at all. A symbolic link of that name is replaced, not followed,
# because the finished file is renamed.
write_inside <- function(folder, name, text) {
  part <- tempfile(paste0(".", name, "-"), tmpdir = folder)
  on.exit(unlink(part))
  connection <- file(part, open = "wb")
  tryCatch(writeBin(charToRaw(enc2utf8(text)), connection), finally = close(connection))
  if (!suppressWarnings(file.rename(part, file.path(folder, name))))
    abort("file", c(text_of("cannot_write", name = quoted(file.path(folder, name))),
                    i = text_of("is_folder_writable_is")))
}

# Removes the listed files, and folders that this leaves empty.
remove_entries <- function(folder, entries) {
  paths <- entry_paths(entries)
  paths <- paths[vapply(paths, is_unlinked, NA, folder = folder)]
  unlink(file.path(folder, paths))
  inner <- unique(dirname(paths))
  inner <- inner[inner != "."]
  for (path in inner[order(-nchar(inner))])
    if (length(list.files(file.path(folder, path), all.files = TRUE, no.. = TRUE)) == 0L)
      unlink(file.path(folder, path), recursive = TRUE)
}

# --- the lock ------------------------------------------------------------------------------------

# The lock is a folder with the description of its owner. It is prepared under another name and then
# renamed, which only one of two processes can do. Returns a function that releases the lock.
lock_folder <- function(folder) {
  own <- tempfile(".lock-", tmpdir = folder)
  dir.create(own)
  on.exit(unlink(own, recursive = TRUE))
  me <- this_process()
  writeLines(jsonlite::toJSON(me, auto_unbox = TRUE), file.path(own, "owner.json"))
  lock <- file.path(folder, lock_name)
  for (attempt in 1:3) {
    if (suppressWarnings(file.rename(own, lock)))
      return(function() if (identical(lock_owner(lock), me)) unlink(lock, recursive = TRUE))
    owner <- lock_owner(lock)
    if (!is_lock(lock) || !is_gone(owner)) refuse_locked(folder, owner)
    say(text_of("stale_lock", folder = folder, owner = owner_words(owner)))
    take_stale_lock(folder, lock, owner)
  }
  refuse_locked(folder, lock_owner(lock))
}

# A lock contains the description of its owner and nothing else.
is_lock <- function(path) {
  dir.exists(path) && !is_link(path) &&
    all(list.files(path, all.files = TRUE, no.. = TRUE) %in% "owner.json")
}

# Another process may have taken over the stale lock in the meantime: then it is put back.
take_stale_lock <- function(folder, lock, owner) {
  aside <- tempfile(".lock-", tmpdir = folder)
  if (!suppressWarnings(file.rename(lock, aside))) return(invisible())
  if (identical(lock_owner(aside), owner)) return(unlink(aside, recursive = TRUE))
  suppressWarnings(file.rename(aside, lock))
}

# Removes locks whose process was killed while it prepared them.
remove_stale_locks <- function(folder) {
  for (path in list.files(folder, "^[.]lock-[0-9a-f]+$", all.files = TRUE, full.names = TRUE)) {
    if (is_lock(path) && length(list.files(path)) && is_gone(lock_owner(path)))
      unlink(path, recursive = TRUE)
  }
}

this_process <- function() {
  list(process = Sys.getpid(), host = unname(Sys.info()[["nodename"]]),
       started = format(Sys.time(), "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"),
       born = process_birth(Sys.getpid()))
}

# Reads the state and the start time of a process, on systems with /proc.
process_fields <- function(process) {
  file <- sprintf("/proc/%d/stat", process)
  line <- tryCatch(suppressWarnings(readLines(file, 1L)), error = function(e) "")
  if (!length(line) || !nzchar(line)) return(character(20L))
  fields <- strsplit(sub("^.*\\) ", "", line), " ", fixed = TRUE)[[1L]]
  if (length(fields) >= 20L) fields else character(20L)
}

# Process numbers are reused; the start time tells two processes of the same number apart.
process_birth <- function(process) process_fields(process)[20L]

# Returns NULL if the lock does not describe its owner.
lock_owner <- function(lock) {
  file <- file.path(lock, "owner.json")
  found <- tryCatch(read_json_text(paste(suppressWarnings(readLines(file)), collapse = "\n")),
                    error = function(e) NULL)
  usable <- is.list(found) && is.numeric(found$process) && length(found$process) == 1L &&
    all(vapply(found[c("host", "started", "born")], function(x) {
      is.character(x) && length(x) == 1L
    }, NA))
  if (usable) list(process = as.integer(found$process), host = found$host,
                   started = found$started, born = found$born)
}

# A process of another machine is never assumed to have ended.
is_gone <- function(owner) {
  if (is.null(owner)) return(TRUE)
  if (!identical(owner$host, this_process()$host)) return(FALSE)
  if (is.na(owner$process) || owner$process < 2L) return(TRUE)
  # a process of another user exists although it cannot be signalled
  there <- if (dir.exists("/proc/self")) dir.exists(sprintf("/proc/%d", owner$process)) else
    isTRUE(tools::pskill(owner$process, 0L))
  if (!there) return(TRUE)
  known <- process_fields(owner$process)
  # the process has ended, but its parent has not read the exit code yet
  if (known[1L] %in% c("Z", "X")) return(TRUE)
  now <- known[20L]
  nzchar(now) && nzchar(owner$born) && now != owner$born
}

owner_words <- function(owner) {
  if (is.null(owner)) return(text_of("process_left_no_name"))
  text_of("process_started", process = owner$process, host = owner$host, started = owner$started)
}

refuse_locked <- function(folder, owner) {
  abort("locked", c(text_of("folder_is_use", folder = quoted(folder)),
                    x = text_of("is_locked", owner = owner_words(owner)),
                    i = text_of("wait_until_has_finished",
                                lock_name = quoted(file.path(folder, lock_name)))))
}
