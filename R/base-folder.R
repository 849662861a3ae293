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
