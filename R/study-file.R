# A study file is checked key by key; errors name the line.

study_keys <- function() {
  c("title", "data", "encoding", names(written_options()), "blueprints", "criteria", "seed",
    "results", "figures", "steps")
}

# The formats of figures; a page of an index shows the first one.
study_figures <- c("svg", "png", "pdf")

# The keys of each kind of step; the first one is required.
step_keys <- list(
  screen = c("blueprint", "by"), check = "blueprint", fit = c("blueprint", "by"),
  diagnose = c("of", "top"), amend = c("of", "free", "fix", "omit", "split", "into", "because"),
  compare = "of", quality = c("of", "leave_out"),
  invariance = c("blueprint", "by", "over", "rungs", "structural", "loosen"),
  bootstrap = c("of", "reps", "what", "interval"),
  plan = c("blueprint", "n", "truth", "truth_units", "reps"),
  constancy = c("of", "along", "what", "within", "reps"), approximate = c("of", "reference"),
  equivalent = c("of", "before"), mediation = c("of", "from", "to", "reps", "interval"),
  report = c("of", "file", "parts"))

# The types of values of a step; all other values are one piece of text.
step_texts <- c("of", "free", "fix", "omit", "rungs", "structural", "loosen", "what", "parts",
                "before")
step_counts <- c("reps", "top", "within")
step_choices <- list(leave_out = c("short", "all", "none"), over = c("groups", "times", "both"),
                     truth_units = c("standardized", "raw"))

# The kind of result of each step, which `of` of later steps may refer to.
step_gives <- c(fit = "fit", amend = "fit", compare = "comparison", quality = "quality",
                invariance = "ladder", bootstrap = "bootstrap", constancy = "constancy",
                approximate = "approximate", equivalent = "equivalent", mediation = "mediation")
step_takes <- list(diagnose = "fit", amend = "fit", compare = "fit", quality = "fit",
                   bootstrap = "fit", constancy = "fit", approximate = c("fit", "ladder"),
                   equivalent = "fit", mediation = "fit",
                   report = c("fit", "comparison", "quality", "ladder", "bootstrap", "constancy",
                              "approximate", "equivalent", "mediation"))

# `results_anywhere` and `anywhere` allow the results, or all paths, to be outside the folder of the
# study file.
read_study <- function(file, results_anywhere = TRUE, anywhere = TRUE) {
  content <- read_yaml_file(file)
  lines <- strsplit(read_text(file), "\n", fixed = TRUE)[[1L]]
  if (!is.list(content) || is.null(names(content)))
    abort("study", c(text_of("is_not_study_file", file = quoted(file)),
                     i = text_of("holds_keys_such_data")))
  if ("constructs" %in% names(content))
    abort("study", c(text_of("is_blueprint_not_study", file = quoted(file)),
                     i = instruction("fit_blueprint_file", file = shell_word(file)),
                     i = instruction("new_study")))
  study <- new_study(content, file, lines)
  check_study_paths(study, file, lines, results_anywhere, anywhere)
  study
}

# `refuse(key, message, step)`: an error with the line of a key, of a step when one is given.
new_study <- function(content, file, lines) {
  refuse <- study_refusal(file, lines)
  check_study_keys(names(content), study_keys(), refuse)
  for (key in c("data", "blueprints", "steps"))
    if (is.null(content[[key]])) refuse(NULL, text_of("key_is_missing", key = quoted(key)))
  folder <- dirname(file)
  text <- function(key, default = NULL) {
    if (is.null(content[[key]])) return(default)
    if (!is.character(content[[key]]) || length(content[[key]]) != 1L)
      refuse(key, text_of("must_be_one_piece", what = key))
    content[[key]]
  }
  blueprints <- study_blueprints(content$blueprints, folder, refuse)
  asked <- lapply(written_options(), function(option) {
    switch(option$kind, codes = unlist(study_numbers(content[[option$name]])), levels = ,
           columns = unlist(content[[option$name]]), text(option$name))
  })
  steps <- study_steps(content$steps, names(blueprints), refuse)
  structure(list(title = text("title", "A study"), file = file,
                 data = study_path(text("data"), folder, "data", refuse),
                 encoding = text("encoding", "UTF-8"), asked = Filter(Negate(is.null), asked),
                 blueprints = blueprints,
                 criteria = study_criteria(content$criteria, folder, refuse),
                 criteria_file = if (is.character(content$criteria))
                   beside(content$criteria[1L], folder),
                 seed = study_count(content$seed, "seed", refuse) %||% 1,
                 results = beside(text("results", "results"), folder),
                 figures = study_formats(content$figures, refuse), steps = steps),
            class = "orizzonte_study")
}

# Refuses paths that are outside the folder of the study file after links are resolved.
check_study_paths <- function(study, file, lines, results_anywhere, anywhere) {
  if (anywhere) return(invisible())
  refuse <- study_refusal(file, lines)
  folder <- dirname(file)
  paths <- c(data = study$data, blueprints = unlist(study$blueprints, use.names = FALSE),
             criteria = study$criteria_file, results = if (!results_anywhere) study$results)
  for (k in seq_along(paths)) {
    path <- paths[[k]]
    if (is_database_address(path) || lies_within(path, folder)) next
    key <- sub("[0-9]+$", "", names(paths)[k])
    refuse(key, text_of("lies_outside_folder_study", path = quoted(path)), NULL,
           c(i = instruction("run_anywhere", file = shell_word(file))))
  }
}

# Errors that name the line of a key: within the block of a step, or anywhere.
study_refusal <- function(file, lines) {
  force(lines)
  function(key, message, step = NULL, hint = NULL) {
    line <- study_line(lines, key, step)
    where <- if (length(line)) text_of("at_line", line = line)
    abort("study", c(paste0(file, where, ": ", message), hint))
  }
}

study_line <- function(lines, key, step = NULL) {
  within <- seq_along(lines)
  if (!is.null(step)) {
    start <- grep("^steps[[:space:]]*:", lines)[1L]
    after <- within[within > start]
    items <- after[grepl("^[[:space:]]*- ", lines[after])]
    depth <- nchar(sub("^([[:space:]]*)-.*", "\\1", lines[items]))
    items <- items[depth == min(c(depth, Inf))]
    if (step > length(items)) return(NULL)
    end <- if (step < length(items)) items[step + 1L] - 1L else length(lines)
    within <- items[step]:end
  }
  if (is.null(key)) return(if (is.null(step)) NULL else within[1L])
  words <- strsplit(lines[within], "[][{},:\"'[:space:]]+")
  parts <- strsplit(key, "[][{},:\"'[:space:]]+")[[1L]]
  found <- within[vapply(words, function(x) all(parts %in% x), NA)]
  if (length(found)) found[1L] else within[1L]
}

check_study_keys <- function(keys, known, refuse, step = NULL, where = "") {
  unknown <- setdiff(keys, known)
  if (length(unknown))
    refuse(unknown[1L], text_of("unknown_key", unknown = quoted(unknown[1L]), where = where),
           step,
           c(did_you_mean(unknown[1L], known), i = paste0("Keys: ", enumerate(known, most = 20L),
               ".")))
  if (anyDuplicated(keys))
    refuse(keys[duplicated(keys)][1L], text_of("key_stands_twice",
                                               keys = quoted(keys[duplicated(keys)][1L])), step)
}

# A path relative to a folder.
beside <- function(path, folder) {
  if (folder == "." || grepl("^(/|~|[A-Za-z]:)", path)) path else file.path(folder, path)
}

study_path <- function(path, folder, key, refuse) {
  if (is_database_address(path)) {
    check_no_password(path)
    return(path)
  }
  full <- beside(path, folder)
  if (!nzchar(path) || dir.exists(full))
    refuse(key, text_of("is_no_file", path = quoted(path)), NULL,
           c(i = text_of("paths_count_from_study")))
  if (!file.exists(full))
    refuse(key, text_of("no_such_file_at", path = quoted(path)), NULL,
           c(did_you_mean(path, list.files(folder)), i = text_of("paths_count_from_study")))
  full
}

study_blueprints <- function(content, folder, refuse) {
  if (!is.list(content) && !is.character(content) || is.null(names(content)))
    refuse("blueprints", text_of("blueprints_must_be_names"), NULL,
           c(i = text_of("blueprints_example")))
  lapply(as.list(content), function(path) {
    if (!is.character(path) || length(path) != 1L)
      refuse("blueprints", text_of("each_blueprint_must_be"))
    study_path(path, folder, "blueprints", refuse)
  })
}

study_criteria <- function(x, folder, refuse) {
  if (is.null(x)) return(criteria())
  rlang::try_fetch({
    if (is.character(x) && length(x) == 1L)
      return(read_criteria(study_path(x, folder, "criteria", refuse)))
    refuse_unknown_criteria(names(x) %||% rep("", length(x)))
    do.call(criteria, lapply(x, study_numbers))
  }, orizzonte_error_input = function(e) {
    refuse("criteria", one_line(rlang::cnd_message(e)))
  })
}

# Numbers where all are numbers, otherwise the original texts: the caller reports the error.
study_numbers <- function(x) {
  numbers <- suppressWarnings(as.numeric(unlist(x)))
  if (length(numbers) == 0L || anyNA(numbers)) x else numbers
}

study_count <- function(x, key, refuse, step = NULL) {
  if (is.null(x)) return(NULL)
  value <- suppressWarnings(as.numeric(x))
  if (length(value) != 1L || is.na(value) || value != round(value) || value < 0)
    refuse(key, text_of("must_be_whole_number", what = key), step)
  value
}

study_formats <- function(x, refuse) {
  if (is.null(x)) return(study_figures[1L])
  if (identical(x, "none")) return(character())
  found <- unlist(x)
  if (!is.character(found) || anyDuplicated(found))
    refuse("figures", text_of("figures_are_formats", formats = enumerate(study_figures)))
  unknown <- setdiff(found, study_figures)
  if (length(unknown))
    refuse("figures", text_of("no_such_figure_format", unknown = quoted(unknown[1L])), NULL,
           c(did_you_mean(unknown[1L], c(study_figures, "none")),
             i = text_of("figures_are_formats", formats = enumerate(study_figures))))
  found
}

# --- steps ---------------------------------------------------------------------------------------

# Each a list of `kind`, `name` and `args`.
study_steps <- function(content, blueprints, refuse) {
  if (!is.list(content) || !is.null(names(content)) || length(content) == 0L)
    refuse("steps", text_of("steps_must_be_list"), NULL,
           c(i = text_of("steps_example")))
  out <- list()
  for (k in seq_along(content))
    out[[k]] <- study_step(content[[k]], k, out, blueprints, refuse)
  out
}

study_step <- function(entry, k, before, blueprints, refuse) {
  if (is.character(entry) && length(entry) == 1L) entry <- stats::setNames(list(NULL), entry)
  if (!is.list(entry) || length(entry) != 1L || is.null(names(entry)))
    refuse(NULL, text_of("step_is_one_kind"), k,
           c(i = text_of("step_example")))
  kind <- names(entry)
  if (!kind %in% names(step_keys))
    refuse(kind, text_of("there_is_no_step", kind = quoted(kind)), k,
           c(did_you_mean(kind, names(step_keys)),
             i = paste0("Steps: ", enumerate(names(step_keys), most = 20L), ".")))
  args <- as.list(entry[[1L]])
  check_study_keys(names(args), c(step_keys[[kind]], "name"), refuse, k,
                   text_of("in_the_step", kind = kind))
  args <- study_shapes(args, refuse, k)
  used <- vapply(before, `[[`, "", "name")
  name <- args$name %||% utils::tail(make.unique(c(used, kind), sep = "-"), 1L)
  if (name %in% used) refuse("name", text_of("two_steps_are_called", name = quoted(name)), k)
  args$name <- NULL
  args <- study_arguments(kind, args, k, before, blueprints, refuse)
  list(kind = kind, name = name, args = args)
}

# The blueprint, and the earlier step that a step uses: known, and of the right kind.
study_arguments <- function(kind, args, k, before, blueprints, refuse) {
  keys <- step_keys[[kind]]
  if ("blueprint" %in% keys && kind != "screen" || !is.null(args$blueprint)) {
    if (is.null(args$blueprint) && length(blueprints) == 1L) args$blueprint <- blueprints
    if (is.null(args$blueprint)) refuse(NULL, text_of("step_needs_blueprint", kind = kind), k)
    if (!args$blueprint %in% blueprints)
      refuse("blueprint", text_of("there_is_no_blueprint", blueprint = quoted(args$blueprint)), k,
             c(did_you_mean(args$blueprint, blueprints),
               i = paste0("Blueprints: ", enumerate(blueprints), ".")))
  }
  if ("of" %in% keys) {
    gives <- step_gives[vapply(before, `[[`, "", "kind")]
    usable <- vapply(before, `[[`, "", "name")[gives %in% step_takes[[kind]]]
    args$of <- args$of %||% if (length(usable)) utils::tail(usable, 1L)
    if (is.null(args$of) || length(usable) == 0L)
      refuse(NULL, text_of("step_needs_earlier_step", kind = kind), k,
             c(i = text_of("earlier_step_example")))
    unknown <- setdiff(args$of, usable)
    if (length(unknown))
      refuse("of", text_of("is_no_earlier_step", unknown = quoted(unknown[1L]), kind = kind), k,
             c(did_you_mean(unknown[1L], usable),
               i = text_of("such_steps", usable = enumerate(usable))))
  }
  if ("of" %in% keys && !kind %in% c("compare", "report") && length(args$of) > 1L)
    refuse("of", text_of("works_one_step", kind = kind), k, c(i = text_of("example_of_step")))
  if (kind == "compare" && length(args$of) < 2L)
    refuse("of", text_of("compare_takes_two_steps"), k, c(i = text_of("such_first_second")))
  args
}

# Every value in the form that its key requires.
study_shapes <- function(args, refuse, k) {
  plain <- function(x) is.character(x) && length(x) == 1L && nzchar(x)
  for (key in names(args)) {
    x <- args[[key]]
    if (key %in% step_counts) {
      args[[key]] <- study_count(x, key, refuse, k)
    } else if (key %in% c("n", "truth")) {
      numbers <- study_numbers(x)
      if (!is.numeric(numbers) || key == "truth" && is.null(names(x)))
        refuse(key, text_of("key_must_be", key = key,
                            key_2 = if (key == "n")
                              "numbers." else text_of("addresses_with_numbers")), k,
          c(i = if (key == "n") text_of("example_n_in_study") else
            text_of("example_truth_in_study")))
      if (key == "n") args$n <- unname(numbers) else
        args$truth <- stats::setNames(numbers, names(x))
    } else if (key %in% step_texts) {
      parts <- as.list(x)
      if (!is.null(names(x)) || length(parts) == 0L || !all(vapply(parts, plain, NA)))
        refuse(key, text_of("must_be_one_text_or", key = key), k)
      args[[key]] <- unlist(parts)
    } else if (!plain(x)) {
      refuse(key, text_of("must_be_one_piece", what = key), k)
    }
  }
  args
}

# The JSON schema of study files, for editors: made from the options of a fit and from the keys of
# the steps, and written to inst/schema with the documentation.

text_shape <- list(type = "string")

one_or_more <- function(type) {
  list(oneOf = list(list(type = type), list(type = "array", items = list(type = type))))
}

study_schema <- function() {
  described <- function(shape, description) c(shape, list(description = description))
  keys <- c(
    list(title = text_shape, data = described(text_shape, "A file, or the address of a table."),
         encoding = text_shape),
    lapply(written_options(), option_shape),
    list(blueprints = list(type = "object", additionalProperties = text_shape,
                           description = "name: file of a blueprint."),
         criteria = list(type = list("string", "object"),
                         description = "A file of criteria, or its keys."),
         seed = list(type = "integer"), results = described(text_shape, "Folder of the results."),
         figures = described(one_or_more("string"), paste0("Formats of the figures: ", enumerate(
           study_figures, last = " or "), "; or none.")),
         steps = list(type = "array", items = list(oneOf = lapply(names(step_keys), step_schema)),
                      description = "The steps in order, each of one kind with its arguments.")))
  list("$schema" = "http://json-schema.org/draft-07/schema#", title = "Orizzonte study",
       type = "object", additionalProperties = FALSE,
       required = list("data", "blueprints", "steps"), properties = keys)
}

option_shape <- function(option) {
  shape <- switch(option$kind, choice = list(enum = as.list(option$choices)),
                  columns = one_or_more("string"), codes = list(type = "array"),
                  levels = list(type = list("object", "array")), text_shape)
  c(shape, list(description = option$help))
}

step_schema <- function(kind) {
  keys <- c(lapply(stats::setNames(nm = step_keys[[kind]]), step_shape),
            list(name = c(text_shape,
                          list(description = "The name of the result of this step."))))
  inner <- list(type = list("object", "null"), additionalProperties = FALSE, properties = keys)
  list(type = "object", required = list(kind), additionalProperties = FALSE,
       properties = stats::setNames(list(inner), kind))
}

step_shape <- function(key) {
  if (key %in% step_counts) return(list(type = "integer", minimum = 0))
  if (key %in% step_texts) return(one_or_more("string"))
  if (key %in% names(step_choices)) return(list(enum = as.list(step_choices[[key]])))
  switch(key, n = one_or_more("number"),
         truth = list(type = "object", additionalProperties = list(type = "number")), text_shape)
}

# The text of the file in inst/schema.
study_schema_text <- function() {
  jsonlite::prettify(jsonlite::toJSON(study_schema(), auto_unbox = TRUE), indent = 1)
}
