# The state of the live page as a value: the data, every version of the model, and what is shown. An
# action gives the next state; nothing here knows of a browser.

# A word of the blueprint verbs, which capture it: names that are stored in a variable.
utils::globalVariables("all_of")

# A version of the model: how it came about, its blueprint, and its fit or the reason why there is
# none. `parent` is the place of the version it was made from. Its data are added with it.
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
with_model <- function(state, blueprint) {
  made <- fitted_model(blueprint, state)
  add_version(state, new_version("model", blueprint, made$fit, made$problem, state$at))
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

# The next state. `action`: a list whose `do` names one of `page_actions`. An error of the package
# leaves everything as it was and becomes the message.
page_act <- function(state, action) {
  act <- page_actions[[action$do %||% ""]]
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
  ladder = function(state, action) {
    by <- if (nzchar(action$by %||% "")) action$by
    state$found$by <- by
    state$found$ladder <- invariance(current_version(state)$blueprint, state$data,
                                     by = all_of(by))
    state$found$loosened <- NULL
    state
  },
  loosen = function(state, action) {
    ladder <- last_page_ladder(state)
    if (is.null(ladder)) return(state)
    state$found$loosened <- c(state$found$loosened, list(loosen(ladder, action$rung)))
    state
  },
  refits = function(state, action) {
    state$found$amendments <- amendments(page_fit(state), top = as.integer(action$top))
    state
  })

# The ladder as it stands after whatever was loosened.
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

# Items that are placed elsewhere leave their constructs; a construct that would be empty goes.
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

# A construct with other items: values and a scale that concern items it no longer has are dropped.
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
