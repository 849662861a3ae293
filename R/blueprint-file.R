#' Read and write a blueprint file
#'
#' A blueprint file is YAML that holds the same state as the blueprint; the
#' round trip is exact (numbers with up to 17 digits; `y`, `n`, `on`, `no` stay
#' text). Nothing in a file is ever evaluated: expressions are read as addresses
#' and numbers only. A schema for editors is in
#' `system.file("schema", "blueprint.schema.json", package = "orizzonte")`.
#'
#' @param file Path of the YAML file.
#' @param bp A blueprint.
#' @param ... Must be empty: an argument by another name is an error.
#' @return `read_blueprint()` a blueprint; `write_blueprint()` the path, invisibly.
#' @section Errors: `orizzonte_error_file` when the file cannot be read, has an
#'   unknown key (the nearest is named) or a value of the wrong kind.
#' @seealso [blueprint()], [read_summary_data()].
#' @examples
#' file <- system.file("extdata", "choirs.yaml", package = "orizzonte")
#' bp <- read_blueprint(file)
#' copy <- tempfile(fileext = ".yaml")
#' write_blueprint(bp, copy)
#' identical(read_blueprint(copy), bp)
#' @export
read_blueprint <- function(file, ...) {
  check_arguments("read_blueprint")
  content <- read_yaml_file(file)
  if (!is.list(content) || is.null(names(content))) {
    abort("file",
          c(text_of("is_not_blueprint_file", file = quoted(file)),
            i = text_of(if (grepl("[.](csv|tsv|txt)$", file, ignore.case = TRUE))
              "blueprint_file_comes_first" else "holds_keys_such_title")))
  }
  blueprint_from(content, file)
}

blueprint_keys <- c("title", "scale", "constructs", "effects", "covary", "uncorrelate", "restrict",
                    "relax", "start_at", "quantities", "claims", "wording",
                    "left_out", "repeated", "hold_equal", "hold_equal_times", "let_differ",
                    "let_differ_times", "trail",
                    "arrangement")
construct_keys <- c("reflected_in", "composed_of", "scale")

# Errors that occur while a part of the file is read name that part.
located <- function(file, where, code) {
  rlang::try_fetch(code, orizzonte_error = function(e) {
    if (inherits(e, "orizzonte_error_file")) rlang::cnd_signal(e)
    abort("file", text_of("in_of", where = where, file = file), parent = e)
  })
}

construct_from <- function(bp, name, part, file) {
  where <- text_of("construct", name = quoted(name))
  mapping(part, where, file)
  known_keys(names(part), construct_keys, file, where)
  if (!is.null(part$reflected_in) && !is.null(part$composed_of)) {
    abort("file", text_of("has_both_reflected_composed", file = file, where = where))
  }
  kind <- if (is.null(part$composed_of)) "reflective" else "composite"
  items <- file_items(part$reflected_in %||% part$composed_of, where, file)
  scale <- if (!is.null(part$scale)) file_text(part$scale, where, file)
  located(file, where, add_construct(bp, name, items$names, items$values, scale, kind))
}

blueprint_from <- function(content, file) {
  if (all(c("steps", "blueprints") %in% names(content)))
    abort("file", c(text_of("is_study_not_blueprint", file = quoted(file)),
                    i = instruction("run_study_file", file = shell_word(file))))
  known_keys(names(content), blueprint_keys, file)
  in_file <- function(where, code) located(file, where, code)
  bp <- in_file("title or scale", blueprint(file_text(content$title %||% "Untitled", "title", file),
                                            file_text(content$scale %||% "marker", "scale", file)))
  mapping(content$constructs, "constructs", file)
  for (name in names(content$constructs)) {
    bp <- construct_from(bp, name, content$constructs[[name]], file)
  }
  mapping(content$repeated, "repeated", file)
  for (name in names(content$repeated)) {
    times <- times_from(content$repeated[[name]], name, file)
    bp <- in_file("repeated", add_repeated(bp, name, times))
  }
  for (text in texts_of(content$effects, "effects", file))
    bp <- in_file("effects", add_effects(bp, file_expression(text, file)))
  for (verb in c("covary", "uncorrelate")) {
    for (pair in as.list(content[[verb]]))
      bp <- in_file(verb, add_pairs(bp, texts_of(pair, verb, file), verb))
  }
  for (text in texts_of(content$restrict, "restrict", file)) {
    bp <- in_file("restrict", add_restriction(bp, file_expression(text, file)))
  }
  for (text in texts_of(content$relax, "relax", file))
    bp <- in_file("relax", add_relaxed(bp, file_expression(text, file)))
  mapping(content$start_at, "start_at", file)
  for (address in names(content$start_at)) {
    value <- suppressWarnings(as.numeric(file_text(content$start_at[[address]], "start_at", file)))
    bp <- in_file("start_at", add_start(bp, file_expression(address, file), value))
  }
  mapping(content$quantities, "quantities", file)
  for (name in names(content$quantities)) {
    bp <- in_file("quantities",
                  add_quantity(bp, name,
                               file_expression(file_text(content$quantities[[name]], "quantities",
                                   file), file)))
  }
  mapping(content$claims, "claims", file)
  for (name in names(content$claims)) {
    bp <- in_file("claims",
                  add_claim(bp, name,
                            file_expression(file_text(content$claims[[name]], "claims", file),
                                            file)))
  }
  mapping(content$wording, "wording", file)
  bp <- in_file("wording",
                add_wordings(bp, lapply(content$wording, file_text, what = "wording", file = file)))
  bp <- held_from(bp, content, file, in_file)
  bp$trail <- trail_from(content$trail, file)
  bp$arrangement <- arrangement_from(content$arrangement, file)
  bp
}

# Statements that hold parameters equal or let them differ, across groups or over times.
held_from <- function(bp, content, file, in_file) {
  mapping(content$left_out, "left_out", file)
  for (group in names(content$left_out)) {
    names <- texts_of(content$left_out[[group]], "left_out", file)
    bp <- in_file("left_out", leave_out(bp, !!names, group = group))
  }
  holds <- function(key) {
    lapply(texts_of(content[[key]], key, file), function(text) {
      in_file(key, canonical_hold(file_expression(text, file)))
    })
  }
  for (across in names(held_keys)) {
    key <- held_keys[[across]]
    for (text in holds(key)) bp <- in_file(key, add_equal(bp, text, across))
  }
  for (across in names(differ_keys)) {
    key <- differ_keys[[across]]
    for (text in holds(key)) bp <- in_file(key, add_different(bp, text, across))
  }
  bp
}

# Items of each time by position; `~` or an empty entry where an item was not administered.
times_from <- function(part, name, file) {
  where <- text_of("repeated_construct", name = quoted(name))
  mapping(part, where, file)
  lapply(part, function(items) {
    items <- lapply(as.list(items), function(x) x %||% NA_character_)
    if (!all(vapply(items, function(x) is.character(x) && length(x) == 1L, NA)))
      abort("file", text_of("items_must_be_names", file = file, where = where))
    vapply(items, function(x) if (x %in% "~") NA_character_ else x, "")
  })
}

# The trail: a list of revisions, the first of which contains the original blueprint.
trail_from <- function(content, file) {
  if (length(content) == 0L) return(list())
  if (!is.list(content) || !is.null(names(content)))
    abort("file", text_of("trail_must_be_list", file = file))
  rows <- lapply(seq_along(content), function(i) {
    entry <- content[[i]]
    where <- paste("revision", i - 1L, "of the trail")
    mapping(entry, where, file)
    known_keys(names(entry), c(revision_columns, "change", if (i == 1L) "blueprint"), file, where)
    number <- function(name) {
      if (is.null(entry[[name]])) return(NA_real_)
      value <- suppressWarnings(as.numeric(file_text(entry[[name]], where, file)))
      if (is.na(value)) abort("file", text_of("must_be_number", file = file, name = name,
                                              where = where))
      value
    }
    text <- function(name) if (is.null(entry[[name]])) "" else file_text(entry[[name]], where, file)
    stats::setNames(lapply(revision_columns, function(name) {
      if (name == "changes") return(list(changes_from(entry, where, file)))
      if (name %in% revision_texts) text(name) else number(name)
    }), revision_columns)
  })
  if (is.null(content[[1L]]$blueprint)) {
    abort("file", c(text_of("trail_does_not_say", file = file),
                    i = text_of("first_revision_holds_starting")))
  }
  list(start = blueprint_from(content[[1L]]$blueprint, file),
       revisions = do.call(Map, c(list(c), rows)))
}

# Changes are mappings such as {free: address, from: 0, to: 0.5}; files of version 0.1.0 hold one
# text.
changes_from <- function(entry, where, file) {
  if (!is.null(entry[["change"]])) return(older_changes(file_text(entry[["change"]], where, file)))
  lapply(entry$changes, function(change) {
    mapping(change, where, file)
    known_keys(names(change), c(change_words, "from", "to"), file, where)
    what <- intersect(names(change), change_words)
    if (length(what) != 1L)
      abort("file",
            text_of("change_must_be_one", file = file, where = where,
                    change_words = enumerate(change_words)))
    value <- function(name) {
      if (is.null(change[[name]])) NA_real_ else
      as.numeric(file_text(change[[name]], where, file))
    }
    change_of(file_text(change[[what]], where, file), what, value("from"), value("to"))
  })
}

older_changes <- function(text) {
  if (!nzchar(text)) return(list())
  if (text == "changed outside amend()") return(outside_change)
  lapply(strsplit(text, "; ", fixed = TRUE)[[1L]], function(part) {
    what <- sub(" .*", "", part)
    change_of(gsub("^`|`$", "", sub("^[a-z]+ ", "", part)),
              if (what %in% change_words) what else "outside")
  })
}

file_text <- function(x, what, file) {
  if (is.character(x) && length(x) == 1L) return(x)
  abort("file", text_of("must_be_one_piece_text", file = file, what = what))
}

texts_of <- function(x, what, file) {
  x <- unlist(x)
  if (is.null(x)) return(character())
  if (!is.character(x)) abort("file", text_of("must_be_list_texts", file = file, what = what))
  unname(x)
}

# Items are a list of names, or name: number pairs that fix loadings.
file_items <- function(x, where, file) {
  if (is.null(names(x))) {
    names <- texts_of(x, where, file)
    return(list(names = names, values = rep(NA_real_, length(names))))
  }
  values <-
    suppressWarnings(as.numeric(vapply(x, function(v) {
      if (is.null(v) || identical(v, "free"))
      NA_character_ else as.character(v)
    }, "")))
  given <- !vapply(x, function(v) is.null(v) || identical(v, "free"), NA)
  if (any(given & is.na(values)))
    abort("file", text_of("loadings_must_be_numbers", file = file, where = where))
  list(names = names(x), values = values)
}

file_expression <- function(text, file) {
  parsed_text(text, function(condition) {
    abort("file", c(text_of("cannot_read_part", file = file, value = quoted(text)),
                    x = conditionMessage(condition)))
  })
}

#' @rdname read_blueprint
#' @export
write_blueprint <- function(bp, file, ...) {
  check_arguments("write_blueprint")
  if (inherits(bp, "orizzonte_fit")) bp <- bp$request$blueprint
  check_blueprint(bp, "write_blueprint")
  check_string(file, "`file`")
  write_text(file, blueprint_yaml(bp))
}

# A section of names with values; nothing when there are none.
yaml_mapping <- function(key, values, format = yaml_text) {
  if (length(values) == 0L) return(NULL)
  c(paste0(key, ":"), paste0("  ", yaml_text(names(values)), ": ", format(values)))
}

# Written by hand rather than dumped: names that look like yes or 1e3 must come back as text, and a
# reader should meet the keys in the order of work.
blueprint_yaml <- function(bp) {
  lines <- c(paste0("title: ", yaml_text(bp$title)), paste0("scale: ", bp$scale))
  written <- constructs_to_write(bp)
  if (length(written)) {
    described <- vapply(written, function(name) {
      construct <- bp$constructs[[name]]
      if (length(construct$fixed)) {
        value <- rep("free", length(construct$items))
        value[match(names(construct$fixed), construct$items)] <- format_exact(construct$fixed)
        items <- paste0("{", paste0(yaml_text(construct$items), ": ", value, collapse = ", "), "}")
      } else {
        items <- paste0("[", paste(yaml_text(construct$items), collapse = ", "), "]")
      }
      paste0("  ", yaml_text(name), ": {", if (construct$kind == "composite") "composed_of: " else
             "reflected_in: ", items, if (!is.null(construct$scale))
               text_of("scale", scale = yaml_text(construct$scale)), "}")
    }, "")
    lines <- c(lines, "constructs:", unname(described))
  }
  lines <- c(lines, repeated_yaml(bp$repeated))
  if (length(bp$effects$from)) {
    formulas <- effect_runs(bp$effects)
    lines <- c(lines, "effects:", paste0("  - ", yaml_text(formulas)))
  }
  for (verb in c("covary", "uncorrelate")) {
    if (length(bp[[verb]]$first)) {
      lines <- c(lines, paste0(verb, ":"),
                 paste0("  - [", yaml_text(bp[[verb]]$first), ", ",
                        yaml_text(bp[[verb]]$second), "]"))
    }
  }
  if (length(bp$restrict))
    lines <- c(lines, "restrict:",
               paste0("  - ", yaml_text(vapply(bp$restrict, format_restriction, ""))))
  if (length(bp$relax)) lines <- c(lines, "relax:", paste0("  - ", yaml_text(bp$relax)))
  lines <- c(lines, yaml_mapping("start_at", bp$start_at, format_exact),
             yaml_mapping("quantities", bp$quantities), yaml_mapping("claims", bp$claims),
             yaml_mapping("wording", bp$wording))
  if (length(bp$left_out)) {
    lists <- vapply(bp$left_out,
                    function(names) paste0("[", paste(yaml_text(names), collapse = ", "), "]"), "")
    lines <- c(lines, "left_out:", paste0("  ", yaml_text(names(bp$left_out)), ": ", lists))
  }
  for (key in c(held_keys, differ_keys)) {
    if (length(bp[[key]]))
      lines <- c(lines, paste0(key, ": [", paste(yaml_text(bp[[key]]), collapse = ", "), "]"))
  }
  if (length(bp$trail)) lines <- c(lines, "trail:", trail_yaml(bp$trail))
  c(lines, arrangement_yaml(bp$arrangement))
}

# Constructs of one time are written under `repeated` only if reading it restores them unchanged.
constructs_to_write <- function(bp) {
  times <- unlist(lapply(unname(bp$repeated), names))
  own <- setdiff(names(bp$constructs), times)
  plain <- identical(names(bp$constructs), c(own, times)) &&
    all(vapply(bp$constructs[times], function(x) is.null(x$scale) && length(x$fixed) == 0L, NA))
  if (plain) own else names(bp$constructs)
}

repeated_yaml <- function(repeated) {
  if (length(repeated) == 0L) return(NULL)
  blocks <- lapply(names(repeated), function(name) {
    items <- vapply(repeated[[name]], function(x) {
      paste0("[", paste(ifelse(is.na(x), "~", yaml_text(x)), collapse = ", "), "]")
    }, "")
    c(paste0("  ", yaml_text(name), ":"),
      paste0("    ", yaml_text(names(items)), ": ", items))
  })
  c("repeated:", unlist(blocks))
}

# One block per revision; empty fields are left out.
trail_yaml <- function(trail) {
  rows <- trail$revisions
  unlist(lapply(seq_along(rows$revision), function(i) {
    keys <- unlist(lapply(revision_columns, function(name) {
      if (name == "changes") return(changes_yaml(rows$changes[[i]]))
      value <- rows[[name]][i]
      if (is.na(value) || identical(value, "")) return(NULL)
      paste0(name, ": ", if (is.character(value)) yaml_text(value) else format_exact(value))
    }))
    if (i == 1L) keys <- c(keys, "blueprint:", paste0("  ", blueprint_yaml(trail$start)))
    paste0(c("  - ", rep("    ", length(keys) - 1L)), keys)
  }))
}

changes_yaml <- function(changes) {
  if (length(changes) == 0L) return(NULL)
  c("changes:", vapply(changes, function(change) {
    values <- unlist(change[c("from", "to")])
    values <- values[!is.na(values)]
    paste0("  - {", change$what, ": ", yaml_text(change$address),
           if (length(values))
             paste0(", ", names(values), ": ", format_exact(values), collapse = ""), "}")
  }, ""))
}

# One formula per run of effects on the same outcome, so that their order survives the round trip.
effect_runs <- function(effects) {
  run <- cumsum(c(TRUE, effects$to[-1L] != effects$to[-length(effects$to)]))
  vapply(unique(run), function(r) {
    paste0(address_name(effects$to[run == r][1L]), " ~ ",
           paste(address_name(effects$from[run == r]), collapse = " + "))
  }, "")
}

# A revision of the trail holds values only. Its sentence is composed when it is printed.

revision_texts <- c("because", "status", "note")
revision_columns <- c("revision", "changes", "because", "predicted_drop", "actual_drop", "n",
                      "status", "chisq", "df", "p", "cfi", "tli", "rmsea", "srmr", "aic",
                      "bic", "note")

empty_revisions <- function() {
  stats::setNames(lapply(revision_columns, function(name) {
    if (name == "changes") list() else if (name %in% revision_texts) character() else numeric()
  }), revision_columns)
}

# One change: `what` is done (free, fix, omit; outside when it was made without amend()) to which
# address, equation or name; the value before and after where there is one.
change_words <- c("free", "fix", "omit", "split", "outside")
change_of <- function(address, what, from = NA_real_, to = NA_real_) {
  stopifnot(what %in% change_words)
  list(what = what, address = address, from = from, to = to)
}

outside_change <- list(list(what = "outside", address = "", from = NA_real_, to = NA_real_))

change_sentence <- function(changes) {
  paste(vapply(changes, function(change) {
    if (change$what == "outside") return("changed outside amend()")
    paste(change$what, if (change$what == "omit") address_name(change$address) else change$address)
  }, ""), collapse = "; ")
}

# Addresses that a list of changes frees; how many revisions free something.
freed_addresses <- function(changes) {
  vapply(Filter(function(change) change$what == "free", changes), `[[`, "", "address")
}
count_freed <- function(revisions) {
  sum(vapply(revisions$changes, function(changes) length(freed_addresses(changes)) > 0L, NA))
}
