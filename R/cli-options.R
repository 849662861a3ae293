# Options of the command line, and how the text given to each is read.

# The name under which an option's value is found: its flag with underscores.
option_name <- function(flag) gsub("-", "_", sub("^--", "", flag))

text_option <- function(flag, metavar, help, default = NULL) {
  optparse::make_option(flag, type = "character", default = default, dest = option_name(flag),
                        metavar = metavar, help = help)
}

switch_option <- function(flag, help) {
  optparse::make_option(flag, action = "store_true", default = FALSE, dest = option_name(flag),
                        help = help)
}

# Options of the invariance ladder.
ladder_options <- function() {
  list(
    rungs = text_option("--rungs", "RUNGS",
                        paste0("rungs to fit (default: all that apply, such as ",
                               "\"configural;metric;scalar;strict\")")),
    over = text_option("--over", "WHAT",
                       paste0("groups, times (of repeated constructs) or both (default: all there ",
                              "is)")),
    structural_on = text_option("--structural-on", "RUNG",
                                "the rung to put --structural on (default: scalar)"),
    ladder_against = text_option("--against", "RUNG",
                                 "what changes refer to: previous (default) or first", "previous"),
    structural = text_option("--structural", "WHAT",
                             paste0("held on top of the scalar rung, such as ",
                                    "'variance[constructs]; mean'")),
    loosen = text_option("--loosen", "RUNGS",
                         paste0("release equalities of these rungs until each holds, such as ",
                                "'metric;scalar'")),
    ladder = switch_option("--ladder",
                           "report the invariance ladder of the groups of --by, or of the times"),
    ladder_table = text_option("--table", "TABLE",
                               paste0("only this table: ladder (default as csv), means, ",
                                      "noninvariance or contributions"))
  )
}

figure_options <- function() {
  list(
    what = text_option("--what", "FIGURE",
                       paste0(enumerate(draw_figures, most = 20L, last = " or "),
                              " (default: diagram)"), "diagram"),
    figure = text_option("--out", "FILE", "the figure: .png, .svg or .pdf (required)"),
    values = text_option("--values", "VALUES", "standardized (default), raw, both or none",
                         "standardized"),
    r_squared = switch_option("--r-squared", "R squared inside the constructs of the diagram"),
    reliability = switch_option("--reliability", "omega inside the constructs of the diagram"),
    grey_nonsignificant = switch_option("--grey-nonsignificant",
                                        "draw paths that are not significant at .05 in grey")
  )
}

# Options of every command that fits a model, apart from the groups.
fitting_options <- function() c(setdiff(names(written_options()), c("by", "levels")), "encoding")

# The options of a fit.
case_options <- function() {
  lapply(written_options(), function(option) {
    text_option(option_flag(option$name), option$metavar, option$help)
  })
}

# Options of the commands that refit a model many times.
many_options <- function() {
  list(
    reps = text_option("--reps", "NUMBER", "how many replicates (default: 500)", "500"),
    seed = text_option("--seed", "NUMBER", "a whole number: the same one gives the same numbers"),
    workers = text_option("--workers", "NUMBER",
                          "how many processes share the work (default: one, or your own plan)"),
    resume = text_option("--resume", "FOLDER",
                         "save finished parts there, and continue from them"),
    read = text_option("--what", "READERS",
                       paste0("what to bootstrap: ", enumerate(bootstrap_readers, last = " or "),
                              ", several separated by `;` (default: estimates)"), "estimates"),
    interval = text_option("--interval", "KIND",
                           "bca (default), percentile or bias-corrected", "bca"),
    draw = text_option("--draw", "WHAT",
                       "cases (default), or model for the parametric bootstrap", "cases"),
    test = switch_option("--test", "also the bootstrap test of model fit (Bollen & Stine 1992)"),
    cutoff_draw = text_option("--draw", "WHAT",
                              "cases (moved to fit; default) or model (normal data)"),
    misspecified = text_option("--misspecified", "WHAT",
                         paste0("parameters of the misspecified model, for example ",
                                "'covariance[be1, be2]=.3; ",
                                "loading[Calm, be3]=.4'")),
    extra_figure = text_option("--figure", "FILE", "also a figure: .png, .svg or .pdf"),
    n = text_option("--n", "NUMBERS", "numbers of cases, such as '100; 200; 300' (required)"),
    truth = text_option("--truth", "VALUES",
                        paste0("the population, such as 'loading[Calm, ]=.7; effect[Calm, ",
                               "Staying]=.3' (required)")),
    truth_units = text_option("--truth-units", "UNITS", "standardized (default) or raw",
                              "standardized"),
    missing = text_option("--missing", "SHARE",
                          "share of values missing, or by variable: 'sc1=.2; sc2=.1'"),
    missing_given = text_option("--missing-given", "VARIABLE",
                                "more is missing where this variable is high"),
    skew = text_option("--skew", "NUMBER", "skew of the variables, or by variable"),
    kurtosis = text_option("--kurtosis", "NUMBER", "excess kurtosis, or by variable"),
    power = text_option("--power", "ADDRESSES",
                        paste0("power by formula instead: of these parameters, 'close fit' or ",
                               "'not-close fit'"))
  )
}

# Options of commands on constancy, many groups, equivalent models and mediation.
question_options <- function() {
  list(
    along = text_option("--along", "COLUMN", "the variable along which to test (required)"),
    tested = text_option("--what", "BLOCKS",
                         paste0("loadings (default), intercepts, 'residual variances', effects, ",
                                "separated by `;`; or addresses"), "loadings"),
    within = text_option("--within", "NUMBER",
                         "bins with a model of their own, where constructs change strongly"),
    bands = text_option("--reps", "NUMBER", "bootstrap replicates for bands of curves (default: 0)",
                        "0"),
    reference_group = text_option("--reference", "GROUP",
                                  "whose mean is 0 and variance 1 (default: the largest)"),
    before = text_option("--before", "NAMES",
                         "variables in their order of time, separated by `;`"),
    from = text_option("--from", "NAME", "the predictor (required)"),
    to = text_option("--to", "NAME", "the outcome (required)"),
    mediation_reps = text_option("--reps", "NUMBER",
                                 "bootstrap replicates (default: 1000; 0 for none)", "1000")
  )
}

# Options of the command that judges measures.
quality_options <- function() {
  list(
    quality_table = text_option("--table", "TABLE",
                                paste0("only this table: ", enumerate(quality_tables, most = 20L,
                                    last = " or "),
                                       " (default as csv: quality); split and scores: of a ",
                                       "bifactor or second-order model")),
    leave_out = text_option("--leave-out", "WHICH",
                            paste0("items to try leaving out: short (of constructs that fall ",
                                   "short; default), all or none"), "short"),
    htmt = text_option("--htmt", "FORM",
                       paste0("heterotrait-monotrait ratio: ", enumerate(htmt_forms, last = " or "),
                              " (default: keyed)"), "keyed"),
    general = text_option("--general", "NAME",
                          "the general construct, where there are several (--table split)")
  )
}

study_options <- function() {
  list(
    results = text_option("--out", "FOLDER", "where the results go (default: as the study says)"),
    fresh = switch_option("--fresh", "repeat every step"),
    anywhere = switch_option("--anywhere",
                             "allow paths in the study file that lead outside its folder"),
    port = text_option("--port", "NUMBER", "the port of the live page (default: a free one)"),
    closed = switch_option("--closed", "print the address without opening a browser"))
}

cli_options <- function() {
  c(ladder_options(), figure_options(), case_options(), quality_options(), many_options(),
    question_options(),
    study_options(), list(
    format = text_option("--format", "FORMAT", "text (default), json or csv", "text"),
    json_format = text_option("--format", "FORMAT", "text (default) or json", "text"),
    screen_format = text_option("--format", "FORMAT",
                                "text (default), json, or csv (the columns)", "text"),
    table = text_option("--table", "TABLE",
                        paste0("only this table: ", enumerate(fit_tables, most = 20L,
                            last = " or "),
                               " (default as csv: estimates)")),
    diagnose_table = text_option("--table", "TABLE",
                                 paste0("only this table: amendments (default as csv), residuals, ",
                                        "without, influence or robustness")),
    compare_table = text_option("--table", "TABLE",
                                "only this table: comparison (default as csv) or estimates"),
    top = text_option("--top", "NUMBER", "how many to refit and show (default: 20)", "20"),
    min_drop = text_option("--min-drop", "NUMBER",
                           "leave out what has a smaller modification index (default: 0)", "0"),
    kinds = text_option("--kinds", "KINDS",
                        "kinds to look at, such as 'cross-loading; residual covariance'"),
    all = switch_option("--all", "also list what is not offered, with the reason"),
    free = text_option("--free", "ADDRESS", "what to free, such as 'covariance[be1, be2]'"),
    fix = text_option("--fix", "EQUATION", "what to fix, such as 'effect[age, Staying] == 0'"),
    omit = text_option("--omit", "NAME", "item, construct or path to leave out"),
    split = text_option("--split", "NAME", "construct to be replaced by two"),
    into = text_option("--into", "HALVES",
                       "what takes its place: \"Greeting = be1, be2; Home = be3, be4\""),
    because = text_option("--because", "TEXT", "the reason, kept in the trail"),
    blueprint = text_option("--out", "FILE", "the next blueprint, a .yaml file (required)"),
    against = text_option("--against", "MODEL",
                          paste0("previous (default), first, or the name of a blueprint file ",
                                 "without its ending"), "previous"),
    same_rows = switch_option("--same-rows",
                              "fit all models to the rows that each of them can use"),
    reference = switch_option("--reference",
                              "the saturated and the baseline model as rows of their own"),
    out = text_option("--out", "FILE", "write there instead of to the terminal"),
    unguarded = switch_option(
      "--unguarded", paste0("with csv: do not put an apostrophe before texts that begin with ",
                            "= + - or @, which spreadsheets would run as formulas")),
    folder = text_option("--out", "FOLDER", "output folder (default: orizzonte-demo)",
                         "orizzonte-demo"),
    method = text_option("--method", "NAME", "regression (default) or bartlett", "regression"),
    with_data = switch_option("--with-data", "put the scores beside the columns of DATA"),
    report = text_option("--out", "FILE", "the report: .html, .docx or .md"),
    parts = text_option("--parts", "NAMES",
                        paste0("the sections to include, separated by commas, such as ",
                               "'summary,estimates' (default: all)")),
    title = text_option("--title", "TEXT", "its title (default: those of the models)"),
    tables = text_option("--tables", "FOLDER", "every table and figure of it alone, into a folder"),
    text = switch_option("--text", "print methods and results in words"),
    encoding = text_option("--encoding", "NAME",
                           "what the bytes of DATA are: UTF-8 (default), latin1 or another",
                           "UTF-8"),
    criteria = text_option("--criteria", "FILE",
                           paste0("a YAML file of cut-offs and levels, such as 'cfi: [.96, ",
                                  ".92]'; see ?criteria")),
    quiet = switch_option("--quiet", "no messages on standard error")
  ))
}

fit_tables <- c("estimates", "fit_indices", "r_squared", "residuals", "effects", "implied",
                "observed", "equations", "verdicts", "trail", "loadings")
draw_figures <- c("diagram", "residuals", "loadings", "quality", "split", "amendments", "trail",
                  "groups", "ladder")
quality_tables <- c("quality", "pairs", "loadings", "items", "split", "scores")

# Parts separated by semicolons, since addresses hold commas.
split_words <- function(text) if (!is.null(text)) trimws(strsplit(text, ";", fixed = TRUE)[[1L]])

# Names may hold commas, which is why semicolons separate them; where all parts are known names,
# commas will do as well.
split_names <- function(text, known) {
  unlist(lapply(split_words(text), function(word) {
    parts <- trimws(strsplit(word, ",", fixed = TRUE)[[1L]])
    if (length(parts) > 1L && all(parts %in% known)) parts else word
  }))
}

# 'Evening=1; Weekend=2' as c(Evening = "1", Weekend = "2"); a value alone keeps its name.
parse_levels <- function(text) {
  if (is.null(text)) return(NULL)
  parts <- split_words(text)
  named <- grepl("=", parts, fixed = TRUE)
  stats::setNames(trimws(sub("^[^=]*=", "", parts)),
                  ifelse(named, trimws(sub("=.*", "", parts)), ""))
}

given_criteria <- function(given) if (!is.null(given$criteria)) read_criteria(given$criteria)

parse_codes <- function(text) {
  if (is.null(text)) return(NULL)
  codes <- trimws(strsplit(text, ",", fixed = TRUE)[[1L]])
  codes <- codes[nzchar(codes)]
  if (length(codes) == 0L) {
    abort("usage", c("--missing-codes names no code.",
                     i = text_of("example_missing_codes")))
  }
  numbers <- suppressWarnings(as.numeric(codes))
  if (anyNA(numbers)) codes else numbers
}

bootstrap_readers <- c("estimates", "effects", "r_squared", "fit_indices", "construct_quality",
                       "verdicts")

parse_count <- function(text, option) {
  value <- suppressWarnings(as.numeric(text))
  if (length(value) != 1L || is.na(value) || value < 0)
    abort("usage", text_of("must_be_one_number_not", option = option, value = quoted(text)))
  value
}
