# The state of the live page as a value: the data, every version of the model, and the current view.
# An action gives the next state; nothing here knows of a browser.

# A symbol for the blueprint verbs, which capture their arguments: names that are stored in a
# variable.
utils::globalVariables("all_of")

# A version of the model: its origin, its blueprint, and its fit or the reason why there is none.
# `parent` is the number of the version it was made from. Its data are added with it.
new_version <- function(kind, blueprint, fit = NULL, problem = NULL, parent = 0L, change = NULL) {
  list(kind = kind, blueprint = blueprint, fit = fit, problem = problem, parent = parent,
       change = change)
}

# `source`: a list with the `file` that the data came from, or the `name` of the object. `options`:
# arguments of fit_model() by name.
new_page <- function(blueprint, data = NULL, source = list(), options = list()) {
  state <- list(data = data, source = source, options = options, versions = list(), at = 0L,
                stage = "model", chosen = NULL, group = NULL, arrangement = NULL,
                found = list(), message = NULL)
  with_model(state, blueprint)
}

current_version <- function(state) state$versions[[state$at]]

# The model as specified, fitted where there are data.
with_model <- function(state, blueprint, change = NULL) {
  made <- fitted_model(blueprint, state)
  add_version(state, new_version("model", blueprint, made$fit, made$problem, state$at, change))
}

add_version <- function(state, version) {
  version[c("data", "source")] <- list(state$data, state$source)
  state$versions <- c(state$versions, list(version))
  state$at <- length(state$versions)
  state$found <- list()
  if (!is.null(state$chosen) && !state$chosen %in% known_addresses(version)) state$chosen <- NULL
  state
}

fitted_model <- function(blueprint, state) {
  if (is.null(state$data) || length(blueprint$constructs) + length(blueprint$effects$from) == 0L)
    return(list())
  attempt(do.call(fit_model, c(list(blueprint, state$data), state$options)))
}

# The value of a call as `fit`, or the lines of its error as `problem`.
attempt <- function(code) {
  tryCatch(list(fit = suppressWarnings(suppressMessages(code))),
           orizzonte_error = function(e) list(problem = error_lines(e)))
}

error_lines <- function(e) {
  strsplit(as.character(cli::ansi_strip(conditionMessage(e))), "\n", fixed = TRUE)[[1L]]
}

known_addresses <- function(version) {
  if (!is.null(version$fit)) return(version$fit$layout$rows$parameter)
  layout <- attempt(theory_layout(version$blueprint))$fit
  if (is.null(layout)) character() else layout$rows$parameter
}

# The next state. `action`: a list whose `do` names one of `page_actions`, or a long job, which then
# runs in this process. An error of the package leaves the state unchanged and becomes the message.
page_act <- function(state, action) {
  what <- action$do %||% ""
  act <- page_actions[[what]] %||% if (what %in% names(state_jobs)) job_done
  if (is.null(act)) return(state)
  state$message <- NULL
  next_state <- function() suppressWarnings(suppressMessages(found_for_stage(act(state, action))))
  tryCatch(next_state(), orizzonte_error = function(e) {
    state$message <- error_lines(e)
    # an uploaded file is known by its own name
    if (!is.null(action$file))
      state$message <- gsub(action$file, action$name, state$message, fixed = TRUE)
    state
  })
}

# Actions on the model begin from its blueprint, whose history ends where the theory is changed.
edited <- function(state, edit) {
  with_model(state, edit(without_trail(current_version(state)$blueprint)))
}

amended <- function(state, action, free = NULL, omit = NULL) {
  version <- current_version(state)
  because <- trimws(action$because %||% "")
  if (!nzchar(because)) abort("input", text_of("page_needs_reason"))
  fit <- amend_fit(page_fit(state), free = free, omit = omit, because = because)
  state <- add_version(state, new_version("amend", fit$request$blueprint, fit,
                                          parent = state$at,
                                          change = list(free = free, omit = omit,
                                                        because = because)))
  state$stage <- "amend"
  state
}

# The fit of the current version; an error where there is none.
page_fit <- function(state) {
  current_version(state)$fit %||% abort("input", text_of("page_needs_fit"))
}

page_stages <- c("model", "fit", "amend", "measures", "groups", "report")

page_actions <- list(
  stage = function(state, action) {
    state$stage <- choose_one(action$stage, page_stages, "`stage`")
    state
  },
  choose = function(state, action) {
    state$chosen <- action$address
    state
  },
  group = function(state, action) {
    state$group <- action$group
    state$chosen <- NULL
    state
  },
  add_construct = function(state, action) {
    name <- trimws(action$name %||% "")
    items <- as.character(unlist(action$items))
    edited(state, function(bp) {
      check_string(name, text_of("the_name_of_construct"))
      kind <- if (identical(action$kind, "composite")) "composite" else "reflective"
      add_construct(items_taken(bp, items), name, items,
                    rep(NA_real_, length(items)), NULL, kind)
    })
  },
  place = function(state, action) {
    items <- as.character(unlist(action$items))
    edited(state, function(bp) {
      put_items(items_taken(bp, items, action$construct), items, action$construct)
    })
  },
  remove = function(state, action) {
    edited(state, function(bp) leave_out(bp, all_of(as.character(unlist(action$items)))))
  },
  relate = function(state, action) {
    relation <- choose_one(action$relation, c("effect", "covariance"), "`relation`")
    edited(state, function(bp) {
      if (relation == "covariance") return(covary(bp, all_of(c(action$first, action$second))))
      add_effects(bp, call("~", as.name(action$second), as.name(action$first)))
    })
  },
  free = function(state, action) amended(state, action, free = action$address),
  omit = function(state, action) {
    if (nzchar(trimws(action$because %||% ""))) return(amended(state, action,
                                                               omit = action$address))
    edited(state, function(bp) leave_out(bp, all_of(action$address)))
  },
  hold = function(state, action) {
    edited(state, function(bp) {
      add_restriction(bp, paste(action$address, "==", action$value))
    })
  },
  equate = function(state, action) {
    edited(state, function(bp) {
      add_restriction(bp, paste(action$address, "==", action$other))
    })
  },
  release = function(state, action) {
    edited(state, function(bp) add_relaxed(bp, str2lang(action$address)))
  },
  open = function(state, action) {
    out <- new_page(read_blueprint(action$file), state$data, state$source, state$options)
    out$stage <- state$stage
    out
  },
  use_data = function(state, action) {
    state$data <- read_data_file(action$file)
    state$source <- list(file = action$name)
    with_model(state, current_version(state)$blueprint)
  },
  go = function(state, action) {
    at <- as.integer(action$version)
    if (length(at) != 1L || is.na(at) || at < 1L || at > length(state$versions)) return(state)
    state$at <- at
    state[c("data", "source")] <- state$versions[[at]][c("data", "source")]
    state$found <- list()
    state
  },
  back = function(state, action) {
    parent <- current_version(state)$parent
    if (parent < 1L) return(state)
    page_actions$go(state, list(version = parent))
  },
  claim = function(state, action) {
    bp <- current_version(state)$blueprint
    name <- trimws(action$name %||% "")
    if (!nzchar(name)) name <- next_claim_name(bp)
    if (name %in% names(bp$claims))
      abort("duplicate", text_of("page_claim_is_taken", name = quoted(name)))
    claimed <- with_model(state, add_claim(bp, name, trimws(action$statement %||% "")),
                          list(claim = name))
    # a hypothesis about a parameter that the model does not have is refused
    problem <- current_version(claimed)$problem
    if (is.null(problem) || is.null(current_version(state)$fit)) return(claimed)
    state$message <- problem
    state
  },
  unclaim = function(state, action) {
    bp <- current_version(state)$blueprint
    bp$claims <- bp$claims[setdiff(names(bp$claims), action$name)]
    with_model(state, bp, list(unclaim = action$name))
  })

# The first of H1, H2, ... that is not in use.
next_claim_name <- function(bp) {
  numbers <- paste0("H", seq_len(length(bp$claims) + 1L))
  setdiff(numbers, names(bp$claims))[1L]
}

# A long job, which the browser's page leaves to another process. `input`: the parts of the state
# and of the action that it needs. `work`: computes. `keep`: the state with the result.
page_job <- function(input, work, keep = NULL) list(input = input, work = work, keep = keep)

state_jobs <- list(
  ladder = page_job(
    function(state, action) {
      list(blueprint = current_version(state)$blueprint, data = state$data,
           by = if (nzchar(action$by %||% "")) action$by,
           over = if (nzchar(action$over %||% "")) action$over,
           options = page_ladder_options(state))
    },
    function(blueprint, data, by, over, options) {
      do.call(invariance, c(list(blueprint, data, by = by, over = over), options))
    },
    function(state, made, input) {
      state$found[c("by", "over", "ladder", "loosened")] <- list(input$by, input$over, made, NULL)
      state
    }),
  loosen = page_job(
    function(state, action) {
      list(ladder = last_page_ladder(state) %||% abort("input", text_of("page_no_ladder")),
           rung = action$rung)
    },
    function(ladder, rung) loosen(ladder, rung),
    function(state, made, input) {
      state$found$loosened <- c(state$found$loosened, list(made))
      state
    }),
  refits = page_job(
    function(state, action) list(fit = page_fit(state), top = as.integer(action$top)),
    function(fit, top) amendments(fit, top = top),
    function(state, made, input) {
      state$found$amendments <- made
      state$found$refitted <- input$top
      state
    }),
  bootstrap = page_job(
    function(state, action) {
      list(fit = page_fit(state), reps = suppressWarnings(as.numeric(action$reps %||% 1000)))
    },
    function(fit, reps) bootstrap_fit(fit, reps = reps, seed = 1),
    function(state, made, input) {
      state$found$bootstrap <- made
      state
    }))

# The options of the page that a ladder takes; the groups are chosen for it.
page_ladder_options <- function(state) {
  state$options[intersect(names(state$options), setdiff(options_of("invariance"),
                                                        c("by", "levels")))]
}

# A report gives the bytes of its file, which the browser saves. It contains all results of the
# version: its fit, with the intervals of a bootstrap, and the ladder.
report_job <- page_job(
  function(state, action) {
    list(fit = page_fit(state), name = action$file, bootstrap = state$found$bootstrap,
         ladder = last_page_ladder(state))
  },
  function(fit, name, bootstrap = NULL, ladder = NULL) {
    file <- tempfile(fileext = paste0(".", tools::file_ext(name)))
    on.exit(unlink(file))
    if (is.null(ladder)) {
      write_report(fit, file, quiet = TRUE, bootstrap = bootstrap)
    } else {
      results <- list(fit, bootstrap, ladder)
      names(results) <- text_of_each(c("page_report_fit", "page_report_bootstrap",
                                       "page_report_ladder"))
      write_report(results[lengths(results) > 0L], file, quiet = TRUE,
                   title = fit$request$blueprint$title)
    }
    readBin(file, "raw", file.size(file))
  })

# The job in this process, without a delay.
job_done <- function(state, action) {
  job <- state_jobs[[action$do]]
  input <- job$input(state, action)
  job$keep(state, do.call(job$work, input), input)
}

# The ladder after all releases.
last_page_ladder <- function(state) {
  loosened <- state$found$loosened
  if (length(loosened)) loosened[[length(loosened)]]$ladder else state$found$ladder
}

# Quick results that a stage shows are computed when it is opened.
found_for_stage <- function(state) {
  fit <- current_version(state)$fit
  if (is.null(fit) || !has_converged(fit)) return(state)
  if (state$stage == "amend" && is.null(state$found$amendments))
    state$found$amendments <- amendments(fit, top = 0)
  if (state$stage == "measures" && is.null(state$found$quality))
    state$found$quality <- attempt(construct_quality(fit, leave_out = "none"))$fit
  state
}

# Items that are moved leave their constructs; a construct that would be empty is removed.
items_taken <- function(bp, items, to = "") {
  for (name in setdiff(names(bp$constructs), to)) {
    left <- setdiff(bp$constructs[[name]]$items, items)
    if (length(left) == length(bp$constructs[[name]]$items)) next
    if (length(left) == 0L) bp <- leave_out(bp, all_of(name)) else
      bp$constructs[[name]] <- with_items(bp$constructs[[name]], left)
  }
  bp
}

put_items <- function(bp, items, construct) {
  known <- bp$constructs[[construct]]
  if (is.null(known))
    abort("name", c(text_of("page_no_construct", name = quoted(construct)),
                    did_you_mean(construct, names(bp$constructs))))
  bp$constructs[[construct]] <- with_items(known, union(known$items, items))
  bp
}

# A construct with other items: values and a scale that refer to items it no longer has are dropped.
with_items <- function(construct, items) {
  construct$items <- items
  construct$fixed <- construct$fixed[intersect(names(construct$fixed), items)]
  if (!is.null(construct$scale) && !construct$scale %in% c(scale_settings, items))
    construct["scale"] <- list(NULL)
  construct
}

# The versions from the last specification of the model to the current one.
version_chain <- function(state) {
  chain <- state$at
  while (state$versions[[chain[1L]]]$kind != "model") chain <- c(state$versions[[chain[1L]]]$parent,
                                                                 chain)
  state$versions[chain]
}

# --- the R script of the page --------------------------------------------------------------------

# The R script of a live page. Run in a new session, it gives the same numbers.

page_script <- function(state) {
  chain <- version_chain(state)
  amended <- chain[-1L]
  c(text_of("page_script_head", version = package_version_text()), "library(orizzonte)", "",
    script_data(state), "", script_blueprint(chain[[1L]]$blueprint), "",
    script_fit(state), unlist(lapply(amended, script_amendment)), script_results(state))
}

script_text <- function(x) paste(deparse(as.character(x), width.cutoff = 500L), collapse = " ")

# Data from a file are read again; others are named, and checked.
script_data <- function(state) {
  if (is.null(state$data)) return(text_of("page_script_no_data"))
  file <- state$source$file
  plain <- !is.null(file) && tolower(tools::file_ext(file)) == "csv" && is.data.frame(state$data)
  read <- if (plain) paste0("data <- read.csv(", script_text(file), ")") else
    c(text_of("page_script_placeholder"),
      paste0("data <- ", state$source$name %||% text_of("page_script_your_data")))
  c(read, if (is.data.frame(state$data))
    paste0("stopifnot(nrow(data) == ", nrow(state$data), "L, all(c(",
           paste(vapply(used_columns(state), script_text, ""), collapse = ", "),
           ") %in% names(data)))"))
}

used_columns <- function(state) {
  intersect(names(state$data), c(blueprint_variables(current_version(state)$blueprint)$observed,
                                 state$options$by, state$found$by))
}

# The blueprint in the form of its file, within the script.
script_blueprint <- function(bp) {
  lines <- unlist(strsplit(blueprint_yaml(bp), "\n", fixed = TRUE))
  c("blueprint_file <- tempfile(fileext = \".yaml\")",
    "writeLines(c(", paste0("  ", vapply(lines, script_text, ""),
                            c(rep(",", length(lines) - 1L), "")),
    "), blueprint_file)", "bp <- read_blueprint(blueprint_file)")
}

script_fit <- function(state) {
  if (is.null(state$data)) return("bp")
  c(paste0("fit <- fit_model(bp, data", options_code(state$options), ")"), "fit")
}

script_amendment <- function(version) {
  change <- version$change
  what <- if (length(change$free)) "free" else "omit"
  c(paste0("fit <- amend(fit, ", what, " = all_of(", script_text(change[[what]]), "),"),
    paste0("             because = ", script_text(change$because), ")"))
}

script_results <- function(state) {
  found <- state$found
  reps <- found$bootstrap$asked$reps
  c(if (!is.null(reps)) c("", paste0("bootstrap_fit(fit, reps = ", reps, ", seed = 1)")),
    if (!is.null(found$quality)) c("", "construct_quality(fit, leave_out = \"none\")"),
    if (!is.null(found$ladder))
      c("", paste0("ladder <- invariance(", if (length(version_chain(state)) > 1L)
                     "fit$request$blueprint" else "bp", ", data",
                   if (!is.null(found$by)) paste0(", by = all_of(", script_text(found$by), ")"),
                   if (!is.null(found$over)) paste0(", over = ", script_text(found$over)),
                   options_code(page_ladder_options(state)), ")"), "ladder"),
    unlist(lapply(seq_along(found$loosened), function(k) {
      from <- if (k == 1L) "ladder" else "loosened$ladder"
      c(paste0("loosened <- loosen(", from, ", ",
               script_text(found$loosened[[k]]$rung), ")"), "loosened")
    })))
}

# A study file of the analysis, for a folder that also holds the data and the blueprint, whose
# history of modifications comes with it.
page_study <- function(state) {
  bp <- current_version(state)$blueprint
  found <- state$found
  rungs <- vapply(found$loosened, `[[`, "", "rung")
  steps <- list(
    list(fit = list(blueprint = "model", name = "fit")),
    if (!is.null(found$quality)) list(quality = list(of = "fit", leave_out = "none")),
    if (!is.null(found$bootstrap))
      list(bootstrap = list(of = "fit", reps = found$bootstrap$asked$reps)),
    if (!is.null(found$ladder))
      list(invariance = Filter(length, list(blueprint = "model", by = found$by, over = found$over,
                                            loosen = as.list(rungs)))),
    list(report = list(of = list("fit"), file = "report.html")))
  written <- intersect(names(state$options), names(written_options()))
  lines <- yaml::as.yaml(c(
    list(title = bp$title %||% "", data = basename(state$source$file %||% "data.csv")),
    state$options[written],
    list(seed = 1L, blueprints = list(model = "blueprint.yaml"), steps = Filter(length, steps))))
  c(vapply(setdiff(names(state$options), written), function(name) {
    paste("#", text_of("page_study_without", option = name))
  }, ""), lines)
}
