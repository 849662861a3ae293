# Random bad input to every exported function, every kind of file and the command line: no crash, no
# hang, no condition without a class, no wrong result without a warning, no code run.
# Usage: Rscript bench/fuzz.R [cases] [first seed]. Each case has a seed of its own. A fifth of the
# cases in the C locale; beside them up to 500 commands as processes (fuzz-processes.R).
suppressPackageStartupMessages(library(orizzonte))

longest <- 10                     # seconds that a case may take; thrice as long for rescue()
planted_file <- file.path(tempdir(), "planted")
planted_code <- sprintf("`r writeLines('x', '%s')` $(touch %s) %%s\\0 <script>", planted_file,
                        planted_file)

# --- values of every wrong kind ------------------------------------------------------------------

odd_values <- function() {
  list(
  NULL, NA, NaN, Inf, -Inf, TRUE, c(TRUE, NA), 0, -1, 1e308, 0.5, 1:3, integer(), numeric(),
  character(), "", " ", "nonsense", NA_character_, c("a", "b"), "loading[", "a == ", planted_code,
  "\u00e9\u4e2d\U1F3B6", strrep("x", 5000), list(), list(1, "a"), list(a = 1), factor("a"),
  as.Date("2026-01-01"), 1i, as.raw(1), function(x) x, mean, quote(x), quote(f(x)), y ~ x,
  new.env(),
  matrix(1:4, 2), matrix("a", 2, 2), array(1, c(2, 2, 2)), data.frame(), data.frame(a = 1),
  structure(list(), class = "orizzonte_fit"), structure(list(), class = "orizzonte_blueprint"),
  structure(list(), class = "orizzonte_ladder"), structure(1, class = "strange"),
  parse_address("loading[B, be1]"), structure(list(), class = "orizzonte_address"),
  "a\xff\xfe", paste0("x", seq_len(1e5)), seq_len(1e6),
  c(a = 1, 2), stats::setNames(1:2, c("a", "a")), letters, expression(a), 2^31,
  .Machine$integer.max)
}

# --- valid calls ---------------------------------------------------------------------------------

fixtures <- function() {
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4) |>
    construct("C", reflected_in = sc1:sc4)
  data <- choirs[1:200, ]
  quiet <- function(x) suppressWarnings(suppressMessages(x))
  fit <- quiet(fit_model(bp |> effect(C ~ B) |> claim(H = effect[B, C] > 0), data))
  groups <- quiet(fit_model(bp |> hold_equal("loading", "intercept"), data, by = "setting"))
  second <- blueprint("Image") |> construct("Ear", reflected_in = ear1:ear4) |>
    construct("Voice", reflected_in = voice1:voice4) |>
    construct("Score", reflected_in = score1:score4) |>
    construct("Image", reflected_in = c(Ear, Voice, Score))
  list(bp = bp, data = data, fit = fit, groups = groups,
       ladder = quiet(invariance(bp, data, by = "setting", rungs = c("metric", "scalar"))),
       amended = quiet(amend(fit, free = "covariance[be1, be2]", because = "x")),
       base = made_base(data), second = quiet(fit_model(second, choirs_bifactor)),
       boot = quiet(bootstrap_fit(fit, 30, seed = 1, interval = "percentile")),
       summary = summary_data(stats::cov(stats::na.omit(data[paste0("be", 1:4)])), 150))
}

# A table in a database, where one is available.
made_base <- function(data) {
  if (!requireNamespace("RSQLite", quietly = TRUE)) return(NULL)
  base <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  DBI::dbWriteTable(base, "choirs", data)
  base
}

# Each a function's name and its arguments, all by name.
valid_calls <- function(f) {
  c(first_calls(f), further_calls(f), measure_calls(f), many_calls(f))
}

first_calls <- function(f) {
  list(
    amend = list(fit = f$fit, free = "covariance[be1, be2]", because = "x"),
    amendments = list(fit = f$fit, top = 2, min_drop = 0, kinds = NULL, all = FALSE,
                      criteria = NULL),
    blueprint = list(title = "x", scale = "unit"), claim = list(.bp = f$bp,
                                                                H1 = "loading[B, be2] > 0"),
    compare_groups = list(fit = f$groups), compare_models = list(a = f$fit, b = f$amended),
    confirm = list(fit = f$amended, data = choirs[201:500, ]),
    construct = list(.bp = f$bp, name = "D", reflected_in = c("st1", "st2"), scale = "unit"),
    covary = list(.bp = f$bp, "be1", "be2"), criteria = list(cfi = c(.95, .9), power = .8),
    effect = list(.bp = f$bp, C ~ B), equations = list(fit = f$fit),
    estimates = list(fit = f$fit, level = .9, bootstrap = f$boot),
      expected_scores = list(fit = f$groups,
                                                                      construct = "B"),
    fit_indices = list(fit = f$fit, criteria = NULL, baseline = "independence"),
    fit_model = list(bp = f$bp, data = f$data, by = "setting", levels = c("evening", "weekend"),
                     missing_codes = -9, incomplete = "keep", auxiliary = "years",
                     inference = "robust", adjust = "mean", clusters = NULL, weights = "age"),
    noninvariance = list(ladder = f$ladder, rung = "scalar"),
    group_plot = list(fit = f$groups, kind = "loading", level = .9),
    hold_equal = list(.bp = f$bp, "loading"),
    identification = list(bp = f$bp, data = f$data, incomplete = "drop", inference = "robust",
                          adjust = "mean and variance", auxiliary = NULL, clusters = NULL,
                          weights = NULL),
    implied = list(fit = f$fit), install_command = list(dir = tempdir()),
    invariance = list(bp = f$bp, data = f$data, by = "setting", rungs = "metric",
                      structural = "mean", structural_on = "scalar", levels = NULL,
                      missing_codes = NULL, incomplete = "keep", auxiliary = NULL,
                      inference = "robust", adjust = "mean", clusters = NULL, weights = "age",
                      criteria = NULL, against = "previous"),
    latent_means = list(x = f$ladder, rung = "scalar", reference = "weekend",
                        standardize = "pooled", level = .9),
    leave_out = list(.bp = f$bp, "be4", group = NULL), let_differ = list(.bp = f$bp,
                                                                         "loading[B, be2]"),
    loading_plot = list(fit = f$fit), loosen = list(ladder = f$ladder, rung = "metric", until = "p",
                                                    most = 1, with_intercept = TRUE,
                                                    criteria = NULL),
    main = list(args = "--version"), observed = list(fit = f$fit),
    parse_address = list(address = "loading[B, be2]"),
    path_diagram = list(fit = f$fit, values = "raw"))
}

further_calls <- function(f) {
  out <- function(ending) tempfile(fileext = ending)
  yaml <- out(".yaml")
  write_blueprint(f$bp, yaml)
  limits <- out(".yaml")
  writeLines("cfi: [.96, .92]", limits)
  covariance <- stats::cov(stats::na.omit(f$data[c("be1", "be2", "be3")]))
  list(
    quantity = list(.bp = f$bp, q = "2 * loading[B, be2]"), r_squared = list(fit = f$fit),
    read_blueprint = list(file = yaml), read_criteria = list(file = limits),
    read_summary_data = list(file = system.file("extdata", "choirs-summary.csv",
                                                package = "orizzonte"), group = NULL,
                             divisor = "n"),
    refit = list(object = f$fit, inference = "robust"), relax = list(.bp = f$bp, "mean[B]"),
    rescue = list(bp = f$bp, data = f$data, incomplete = "drop", inference = "normal"),
    residual_map = list(fit = f$fit, in_units = "own_se"),
    restrict = list(.bp = f$bp, "loading[B, be2] == 1"),
    score_test = list(fit = f$fit, "covariance[be1, be2]"),
    screen_data = list(data = f$data, variables = c("be1", "be2"), by = "setting",
                       missing_codes = -9, clusters = "town"),
    set_scale = list(.bp = f$bp, "unit", "B"), side_by_side = list(a = f$fit, b = f$amended),
    split_data = list(data = f$data, share = .5, seed = 1),
    start_at = list(.bp = f$bp, "loading[B, be2]", 1),
    summary_data = list(cov = covariance, n = 100, means = c(1, 2, 3), divisor = "n-1"),
    trail = list(x = f$amended), uncorrelate = list(.bp = f$bp, "B", "C"),
    verdicts = list(fit = f$fit, criteria = NULL, bootstrap = NULL),
    without = list(fit = f$fit, criteria = NULL),
    wording = list(.bp = f$bp, be1 = "text"),
    write_blueprint = list(bp = f$bp, file = out(".yaml")),
    write_report = list(x = f$fit, file = out(".md"), quiet = TRUE, criteria = NULL),
    coef = list(object = f$fit), confint = list(object = f$fit, level = .9),
    vcov = list(object = f$fit), logLik = list(object = f$fit), anova = list(object = f$fit,
                                                                             f$amended),
    predict = list(object = f$fit, method = "bartlett", se.fit = TRUE), plot = list(x = f$ladder),
    residuals = list(object = f$fit, in_units = "own_se", largest = 3),
    simulate = list(object = f$fit, nsim = 1, seed = 1, missing = .1, missing_given = "be1",
                    missing_slope = 1, skew = .5, kurtosis = 1, clusters = 10, between = .1),
    summary = list(object = f$fit),
    update = list(object = f$fit, multiplier = "n"), tidy = list(x = f$fit),
    glance = list(x = f$fit), augment = list(x = f$fit), effects = list(object = f$fit))
}

measure_calls <- function(f) {
  folder <- tempfile()
  dir.create(folder)
  study <- file.path(folder, "tiny.yaml")
  write_blueprint(f$bp, file.path(folder, "bp.yaml"))
  utils::write.csv(f$data, file.path(folder, "data.csv"), row.names = FALSE, na = "")
  writeLines(c("data: data.csv", "blueprints: {b: bp.yaml}", "steps:", "  - check: {blueprint: b}"),
             study)
  list(run_study = list(file = study, results = file.path(folder, "out"), fresh = TRUE,
                        quiet = TRUE), methods_text = list(x = f$fit, criteria = NULL),
       write_tables = list(x = f$fit, folder = tempfile(), formats = "csv", criteria = NULL,
                           quiet = TRUE),
       new_study_files = list(folder = folder, file = "study.yaml"),
       repeated = list(.bp = f$bp, "D", times = list(D1 = c("a1", "a2"), D2 = c("b1", NA)),
                       scale = "unit"),
       construct_quality = list(fit = f$fit, level = .9, criteria = NULL, leave_out = "none",
                                htmt = "absolute", bootstrap = NULL),
       variance_split = list(fit = f$second, general = "Image", level = .9))
}

many_calls <- function(f) {
  truth <- c("loading[ , ]" = .7)
  list(
    bootstrap_fit = list(fit = f$fit, reps = 20, what = NULL, seed = 1, draw = "cases",
                         interval = "percentile", level = .9, improper = "drop", folder = NULL),
    bootstrap_test = list(x = f$fit, against = f$amended, reps = 10, seed = 1, folder = NULL),
    resample_rows = list(fit = f$fit, reps = 2, seed = 1),
    model_cutoffs = list(x = f$fit, reps = 20, misspecified = c("covariance[be1, be2]" = .3),
                         seed = 1, draw = "model", criteria = NULL, folder = NULL),
    power_of = list(x = f$bp, of = "loading[B, be2]", value = 0, n = 100, rmsea = c(.05, .08),
                    truth = truth, truth_units = "standardized", significance = .05, goal = .8),
    plan_study = list(bp = f$bp, n = 60, truth = truth, truth_units = "standardized", reps = 20,
                      seed = 1, fitted = f$bp, missing = .1, missing_given = "be1",
                      missing_slope = 1, skew = .5, kurtosis = 1, clusters = 10, between = .1,
                      inference = "normal", significance = .05, goal = .8, folder = NULL),
    influence = list(model = f$fit, top = 2),
    robustness = list(fit = f$fit, claims = "H", choices = "rows", criteria = NULL),
    collect_summary = list(source = f$data, bp = f$bp, by = "setting",
                           levels = c("evening", "weekend"), missing_codes = -9, chunk = 50,
                           encoding = "UTF-8"),
    database_table = list(connection = f$base, table = "choirs"))
}

# --- running one case ----------------------------------------------------------------------------

# "ok", "classed", or a description of the failure.
outcome <- function(run, limit = longest) {
  sink(nullfile())
  on.exit(sink())
  setTimeLimit(elapsed = 6 * longest, transient = TRUE)
  on.exit(setTimeLimit(), add = TRUE)
  began <- sum(proc.time()[-3L])      # computing time: other work on the machine does not count
  unclassed <- NULL
  found <- tryCatch(withCallingHandlers({
    run()
    "ok"
  }, message = function(m) {
    tryInvokeRestart("muffleMessage")
  }, warning = function(w) {
    if (!inherits(w, "orizzonte_warning")) unclassed <<- paste("warning:", conditionMessage(w))
    tryInvokeRestart("muffleWarning")
  }), orizzonte_error = function(e) "classed",
  error = function(e) paste("error:", paste(conditionMessage(e), collapse = " ")))
  if (found %in% c("ok", "classed") && !is.null(unclassed)) found <- unclassed
  if (sum(proc.time()[-3L]) - began > limit) found <- "hang"
  if (file.exists(planted_file)) {
    unlink(planted_file)
    found <- "code run"
  }
  found
}

pick <- function(x) x[[sample.int(length(x), 1L)]]

# --- the arms ------------------------------------------------------------------------------------

generics <- c("coef", "confint", "influence", "vcov", "logLik", "anova", "predict", "plot",
              "residuals",
              "simulate",
              "summary", "update", "refit", "tidy", "glance", "augment", "effects")

# One or two arguments of a valid call replaced, left out, or one added.
fuzz_argument <- function(f) {
  name <- pick(names(f$calls))
  args <- f$calls[[name]]
  # R's own generics: for objects of other classes R itself is responsible
  generic <- name %in% generics
  changed <- sample.int(length(args), min(length(args), pick(c(1L, 1L, 2L))))
  how <- pick(c("value", "value", "value", "value", "gone", "more"))
  if (generic) {
    how <- "value"
    changed <- setdiff(changed, 1L)
    if (length(changed) == 0L) return(fuzz_argument(f))
  }
  if (how == "gone") {
    # main() alone ends the session, and the default number of replicates would take long
    changed <- changed[!names(args)[changed] %in% "reps"]
    if (name != "main" && length(changed)) args <- args[-changed]
  }
  if (how == "more") args <- c(args, stats::setNames(list(1), pick(c("strange", ""))))
  shown <- ""
  if (how == "value") for (k in changed) {
    value <- pick(f$odd)
    # a name that does not exist is the caller's mistake, which R reports
    if (generic && is.language(value)) value <- list()
    args[k] <- list(value)
    shown <- paste(shown, names(args)[k], "=", substr(paste(deparse(value), collapse = ""), 1, 40))
  }
  fun <- get(name, envir = f$where)
  # plots are drawn, so that lazy parts are evaluated
  list(label = paste0(name, "(", how, shown, ")"), run = function() {
    out <- do.call(fun, args, quote = TRUE)
    if (inherits(out, "ggplot")) ggplot2::ggplot_build(out) else print(out)
  })
}

odd_column <- function(n) {
  pick(list(
  stats::rnorm(n), rep(1, n), rep(NA_real_, n), seq_len(n), sample(c(-9, 0:5), n, TRUE),
  sample(c("a", "b", NA), n, TRUE), factor(sample(c("x", "y"), n, TRUE)), stats::rnorm(n) * 1e200,
  stats::rnorm(n) * 1e-200, c(Inf, stats::rnorm(n - 1L)), as.list(seq_len(n)),
  matrix(stats::rnorm(2 * n), n), data.frame(u = stats::rnorm(n)), rep(NaN, n), complex(n),
  as.raw(rep(1, n)), as.Date("2026-01-01") + seq_len(n), sample(c(TRUE, FALSE), n, TRUE),
  character(n)))
}

fuzz_frame <- function(f) {
  n <- pick(c(1L, 2L, 3L, 5L, 12L, 60L))
  data <- data.frame(row = seq_len(n))
  for (name in c(paste0("be", 1:4), paste0("sc", 1:4), "g"))
    data[[name]] <- if (stats::runif(1) < 0.6) stats::rnorm(n) else odd_column(n)
  if (stats::runif(1) < 0.1) names(data)[2:3] <- c("be1", "be1")
  by <- pick(list(NULL, NULL, "g"))
  what <- pick(c("fit_model", "screen_data", "identification", "rescue"))
  list(label = what, run = function() {
    out <- switch(what, fit_model = fit_model(f$bp, data, by = by),
                  screen_data = screen_data(data), identification = identification(f$bp, data),
                  rescue = if (n < 13L) rescue(f$bp, data))
    print(out)
    if (inherits(out, "orizzonte_fit")) {
      print(summary(out))
      estimates(out)
    }
  })
}

mutated <- function(bytes) {
  for (i in seq_len(sample.int(4L, 1L))) {
    at <- sample.int(length(bytes), 1L)
    bytes <- switch(sample.int(5L, 1L),
                    replace(bytes, at, as.raw(sample.int(255L, 1L))), bytes[-at],
                    append(bytes, charToRaw(pick(c(",", "\"", "\n", "[", "{", ": ", "&a ",
                                                   "\t"))), at),
                    bytes[seq_len(at)], c(bytes[seq_len(at)], bytes[-seq_len(at %/% 2L)]))
    if (length(bytes) == 0L) return(charToRaw("x"))
  }
  bytes
}

# A word of a YAML file in the place of another, or an odd value there: it stays readable.
swapped <- function(bytes) {
  text <- rawToChar(bytes)
  for (i in seq_len(sample.int(2L, 1L))) {
    at <- gregexpr("[A-Za-z0-9_.]+", text)[[1L]]
    words <- substring(text, at, at + attr(at, "match.length") - 1L)
    k <- sample.int(length(at), 1L)
    new <- pick(c(sample(words, 5L), "~", "[]", "{}", "-1", "1e9", "true", "\"\"", "[a, 1]",
                  "{a: 1}"))
    text <- paste0(substr(text, 1L, at[k] - 1L), new,
                   substring(text, at[k] + attr(at, "match.length")[k]))
  }
  charToRaw(text)
}

fuzz_file <- function(f) {
  kind <- pick(c("blueprint", "summary", "criteria", "data", "study"))
  bytes <- (if (kind == "study" && stats::runif(1) < 0.7) swapped else mutated)(f$bytes[[kind]])
  # processes side by side share the folder
  file <- file.path(f$folder, paste0("fuzzed-", Sys.getpid(), if (kind %in% c("summary",
                                                                "data")) ".csv" else ".yaml"))
  list(label = paste(kind, "file"), run = function() {
    writeBin(bytes, file)
    switch(kind, blueprint = print(read_blueprint(file)), summary = print(read_summary_data(file)),
           criteria = print(read_criteria(file)), data = check_shape(file, bytes),
           study = run_study(file, tempfile(), quiet = TRUE))
  })
}

# A table that was read has the fields of its lines, which are counted here in another way.
check_shape <- function(file, bytes) {
  table <- orizzonte:::read_data_file(file)
  if (!is.data.frame(table) || any(bytes == charToRaw("\""))) return(invisible())
  lines <- strsplit(gsub("\r\n?", "\n", rawToChar(bytes)), "\n")[[1L]]
  lines <- lines[seq_len(max(which(nzchar(trimws(lines)))))]
  fields <- nchar(gsub("[^,]", "", lines)) + 1L
  same <- length(unique(fields)) == 1L && nrow(table) == length(lines) - 1L &&
    ncol(table) %in% (fields[1L] - 0:1)
  if (!same) stop("wrong silent answer: ", nrow(table), " x ", ncol(table))
}

tokens <- c("loading", "effect", "variance", "covariance", "mean", "intercept", "total", "quantity",
            "[", "]", "(", ")", ",", "|", "==", ">=", "<=", "=", "~", "+", "-", "*", "/", "^",
            "B", "C",
            "be1", "be2", "items", "constructs", "evening", "1", "0", "1e400", "NA", "`", "\"", "'",
            "system", "('x')", "exp", "sqrt", "function(x)", "x", ":", "$", "@",
            "\\", "\n", ";", "#",
            "standardized", "!!", "%in%", "{", "}", "::", "->", "<-", "\u00e9")

fuzz_text <- function(f) {
  text <- paste(sample(tokens, sample.int(9L, 1L), TRUE), collapse = pick(c("", " ")))
  if (stats::runif(1) < 0.1)
    text <- sprintf("writeLines('x', '%s') == loading[B, be1]", planted_file)
  verb <- pick(c("parse_address", "restrict", "relax", "quantity", "claim", "hold_equal",
                 "let_differ",
                 "start_at", "effect", "covary", "score_test", "amend", "leave_out"))
  list(label = paste0(verb, "(", text, ")"), run = function() {
    switch(verb, parse_address = parse_address(text), restrict = restrict(f$bp, !!text),
           relax = relax(f$bp, !!text), quantity = quantity(f$bp, q = !!text),
           claim = claim(f$bp, H = !!text), hold_equal = hold_equal(f$bp, !!text),
           let_differ = let_differ(f$bp, !!text), start_at = start_at(f$bp, !!text, 1),
           effect = effect(f$bp, !!text), covary = covary(f$bp, !!text, "be1"),
           score_test = score_test(f$fit, !!text), leave_out = leave_out(f$bp, !!text),
           amend = amend(f$fit, free = !!text, because = "x"))
  })
}

command_words <- c("fit", "check", "screen", "diagnose", "amend", "compare", "invariance", "draw",
                   "report", "quality", "confirm", "run", "new")
words <- c("study", "--fresh", "--tables", "--by", "setting", "town", "--format", "json", "csv",
           "text", "--table", "estimates",
           "means",
           "--out", "--quiet", "--missing-codes", "-9", "--levels", "Evening=evening", "--rungs",
           "metric", "--loosen", "scalar", "--top", "3", "--free", "covariance[be1, be2]",
           "--because",
           "x", "--fix", "--help", "--criteria", "--encoding", "latin1", "--nonsense", "", "--",
           "-x",
           "=", "--by=", "\u00e9")

random_command <- function(given) {
  files <- c(given, tempdir(), "/dev/full", file.path(tempdir(), "none.yaml"))
  args <- c(sample(command_words, 1L), sample(c(words, rep(files, 8L)), sample.int(6L, 1L), TRUE))
  if (stats::runif(1) < 0.6) c(args[1L], given[1:2], args[-1L]) else args
}

fuzz_command <- function(f) {
  args <- random_command(f$files)
  list(label = paste(args, collapse = " "), run = function() {
    heard <- textConnection("said", "w", local = TRUE)
    sink(heard, type = "message")
    code <- tryCatch(orizzonte:::run_command(args), finally = {
      sink(type = "message")
      close(heard)
    })
    if (!code %in% c(0, 1, 2)) stop("exit code ", code, ": ", paste(said, collapse = " "))
  })
}

source(Filter(file.exists, c("bench/fuzz-folders.R", "../../bench/fuzz-folders.R"))[1L],
       local = TRUE)
arms <- list(arguments = fuzz_argument, frames = fuzz_frame, files = fuzz_file, texts = fuzz_text,
             commands = fuzz_command, small = fuzz_small, folders = fuzz_folder, parts = fuzz_parts,
             paths = fuzz_path, escapes = fuzz_escape)
shares <- c(arguments = 0.22, frames = 0.03, files = 0.28, texts = 0.33, commands = 0.01,
            small = 0.095,
            folders = 0.005, parts = 0.01, paths = 0.01, escapes = 0.01)

prepare <- function() {
  f <- fixtures()
  f$calls <- valid_calls(f)
  f$odd <- odd_values()
  f$where <- new.env(parent = asNamespace("orizzonte"))
  f$files <- file.path(tempdir(), c("m.yaml", "d.csv", "s.csv"))
  write_blueprint(f$bp, f$files[1L])
  utils::write.csv(f$data[1:80, ], f$files[2L], row.names = FALSE)
  file.copy(system.file("extdata", "choirs-summary.csv", package = "orizzonte"), f$files[3L],
            overwrite = TRUE)
  raw_of <- function(file) readBin(file, "raw", file.size(file))
  small <- tempfile()
  utils::write.csv(f$data[1:6, c("setting", "be1", "be2")], small, row.names = FALSE, quote = FALSE)
  f$finished <- finished_study(f)
  f$parts <- dir_made(tempfile("parts"))
  f$whole <- suppressMessages(bootstrap_fit(f$fit, 40, seed = 3, interval = "percentile",
                                            folder = f$parts))
  f$folder <- tempfile("read")
  dir.create(f$folder)
  file.copy(f$files[1:2], f$folder)
  study <- c("title: T", "data: d.csv", "by: setting", "blueprints: {m: m.yaml}", "seed: 3",
             "criteria: {cfi: [.96, .92]}", "steps:", "  - check: {blueprint: m}",
             "  - fit: {blueprint: m, name: first}",
             "  - amend: {of: first, free: \"covariance[be1, be2]\", because: \"alike\"}",
             "  - compare: {of: [first, amend]}")
  f$bytes <- list(study = charToRaw(paste0(study, "\n", collapse = "")),
                  blueprint = raw_of(system.file("extdata", "choirs.yaml", package = "orizzonte")),
                  summary = raw_of(f$files[3L]), data = raw_of(small),
                  criteria = charToRaw("cfi: [.96, .92]\nsmallest: .2\np_change: .05\n"))
  f
}

# rescue() makes some thirty fits and shows its progress.
seconds_of <- function(case) if (startsWith(case$label, "rescue")) 3 * longest else longest

run_cases <- function(seeds, f = prepare()) {
  # files that a case writes under a name of its own are not in the way
  before <- setwd(dir_made(tempfile("cases")))
  on.exit(setwd(before))
  rows <- lapply(seeds, function(seed) {
    set.seed(seed)
    arm <- sample(names(shares), 1L, prob = shares)
    case <- arms[[arm]](f)
    data.frame(seed = seed, arm = arm, outcome = outcome(case$run, seconds_of(case)),
               label = substr(gsub("\n", " ", case$label), 1, 160))
  })
  do.call(rbind, rows)
}

dir_made <- function(path) {
  dir.create(path)
  path
}

tabulate_cases <- function(x, by) {
  kind <- sub(":.*", "", x$outcome)
  kind[grepl("wrong silent", x$outcome)] <- "wrong answer"
  kind[grepl("lost files", x$outcome)] <- "lost files"
  kinds <- c("ok", "classed", "error", "warning", "crash", "hang", "code run", "wrong answer",
             "lost files")
  out <- as.data.frame.matrix(table(factor(x[[by]], unique(x[[by]])), factor(kind, kinds)))
  rbind(out, all = colSums(out))
}

# Shards of 500 cases side by side.
run_shards <- function(seeds) {
  grDevices::pdf(NULL)
  f <- prepare()
  parts <- parallel::mclapply(split(seeds, seq_along(seeds) %/% 500L), run_cases, f = f,
                              mc.preschedule = FALSE, mc.cores = max(1L, parallel::detectCores()))
  lost <- !vapply(parts, is.data.frame, NA)
  if (any(lost)) stop(sum(lost), " parts of 500 cases crashed: ", names(parts)[lost][1L])
  do.call(rbind, parts)
}

# The same in an R session that knows only the C locale.
run_in_c_locale <- function(seeds) {
  callr::r(function(seeds) {
    sys.source("bench/fuzz.R", globalenv())
    get("run_shards", globalenv())(seeds)
  }, list(seeds), env = c(LC_ALL = "C", LANG = "C"), libpath = .libPaths())
}

show_bad <- function(results) {
  bad <- results[!results$outcome %in% c("ok", "classed"), ]
  if (nrow(bad) == 0L) return(0L)
  bad <- bad[!duplicated(paste(sub("\\(.*", "", bad$label), bad$outcome)), ]
  for (i in seq_len(min(nrow(bad), 60L)))
    cat(bad$seed[i], " ", bad$label[i], "\n    ", substr(bad$outcome[i], 1, 150), "\n", sep = "")
  1L
}

# A fifth of the cases runs in the C locale; in addition one in a hundred, at most 500, runs as a
# process.
if (sys.nframe() == 0L) {
  source("bench/fuzz-processes.R")
  args <- as.integer(commandArgs(trailingOnly = TRUE))
  cases <- if (length(args) > 0L) args[1L] else 50000L
  first <- if (length(args) > 1L) args[2L] else 1L
  seeds <- first - 1L + seq_len(cases)
  in_c <- seeds %% 5L == 0L
  results <- list("UTF-8" = run_shards(seeds[!in_c]), "C locale" = run_in_c_locale(seeds[in_c]))
  processes <- run_processes(first - 1L + seq_len(min(500L, max(1L, cases %/% 100L))))
  cat(sprintf("%s, R %s, orizzonte %s: %d cases, seeds %d to %d, and %d processes\n",
              format(Sys.Date()), getRversion(), utils::packageVersion("orizzonte"), cases,
              min(seeds), max(seeds), nrow(processes)))
  for (name in names(results)) {
    cat("\n", name, "\n", sep = "")
    print(tabulate_cases(results[[name]], "arm"))
  }
  cat("\nprocesses of their own\n")
  print(tabulate_cases(processes, "where"))
  together <- run_together(kills = max(2L, cases %/% 300L), pairs = max(1L, cases %/% 600L))
  cat("\nstudies that were killed, and pairs of one study at once\n")
  print(tabulate_cases(together, "where"))
  processes <- rbind(processes, together)
  columns <- c("seed", "label", "outcome")
  quit(status = show_bad(do.call(rbind, lapply(c(unname(results), list(processes)), `[`, columns))))
}
