# Each function runs one kind of step, writes its files to `folder` and returns its result. If
# `folder` is NULL, nothing is written, and tables and figures are not computed.

study_data <- function(study, bp) {
  if (!is_database_address(study$data)) return(read_data_file(study$data, study$encoding,
                                                                text = study_text_columns(study)))
  do.call(collect_summary, c(list(study$data, bp), study$asked[intersect(
    names(study$asked), options_of("collect_summary"))]))
}

# Columns that name groups or clusters anywhere in the study: their values are kept as written.
study_text_columns <- function(study) {
  by <- lapply(study$steps, function(step) step$args$by)
  setdiff(as.character(unlist(c(study$asked$by, study$asked$clusters, by))), c("yes", "none"))
}

# Arguments of fitting: those of the study, without the groups unless a step requests them.
study_request <- function(study, by = NULL) {
  asked <- study$asked
  if (is.null(by) || identical(by, "none")) asked[c("by", "levels")] <- NULL else asked$by <- by
  if (identical(by, "yes")) asked$by <- study$asked$by
  asked
}

# Groups are used by the steps that request them, and always by those that compare them.
step_by <- function(study, step) {
  step$args$by %||% if (step$kind == "invariance") study$asked$by
}

study_blueprint <- function(study, args) read_blueprint(study$blueprints[[args$blueprint]])

print_to <- function(folder, name, ...) {
  if (is.null(folder)) return(invisible())
  lines <- utils::capture.output(for (x in list(...)) {
    print(x)
    cat("\n")
  })
  write_text(file.path(folder, paste0(name, ".txt")), lines)
}

figure_to <- function(study, folder, name, figure) {
  if (is.null(folder) || length(study$figures) == 0L) return(invisible())
  # the layout is computed once for several formats
  drawn <- if (length(study$figures) > 1L) laid_out(figure) else figure
  for (ending in study$figures) save_figure(drawn, file.path(folder, paste0(name, ".", ending)))
}

table_to <- function(folder, name, table) {
  if (is.null(folder)) return(invisible())
  write_table(table, file.path(folder, paste0(name, ".csv")))
}

do_screen <- function(study, args, values, folder) {
  bp <- if (!is.null(args$blueprint)) study_blueprint(study, args)
  data <- study_data(study, bp)
  found <- do.call(screen_data, c(list(data), if (!is.null(bp)) list(bp),
                                  Filter(Negate(is.null), list(
                                    by = args$by, missing_codes = study$asked$missing_codes))))
  print_to(folder, "screen", found)
  table_to(folder, "columns", as.data.frame(found))
  figure_to(study, folder, "screen", plot(found))
  found
}

do_check <- function(study, args, values, folder) {
  bp <- study_blueprint(study, args)
  found <- do.call(identification, c(list(bp, study_data(study, bp)), study_request(study)))
  print_to(folder, "check", bp, found)
  found
}

do_fit <- function(study, args, values, folder) {
  bp <- study_blueprint(study, args)
  fit <- do.call(fit_model, c(list(bp, study_data(study, bp)), study_request(study, args$by)))
  fit_to(study, folder, fit)
  fit
}

fit_to <- function(study, folder, fit) {
  if (is.null(folder)) return(invisible())
  print_to(folder, "summary", summary(fit))
  table_to(folder, "estimates", estimates(fit))
  table_to(folder, "fit-indices", fit_indices(fit, study$criteria))
  table_to(folder, "r-squared", r_squared(fit))
  write_blueprint(fit, file.path(folder, "blueprint.yaml"))
  write_made(file.path(folder, "fit.rds"), function(path) saveRDS(fit, path))
  if (!has_values(fit)) return(invisible())
  figure_to(study, folder, "diagram", path_diagram(fit))
  if ("loading" %in% fit$layout$rows$kind) figure_to(study, folder, "loadings", loading_plot(fit))
}

do_diagnose <- function(study, args, values, folder) {
  fit <- values[[args$of]]
  found <- amendments(fit, top = args$top %||% 10, criteria = study$criteria)
  if (is.null(folder)) return(found)
  residual <- stats::residuals(fit, in_units = "correlation", largest = 10)
  print_to(folder, "diagnosis", residual, found)
  table_to(folder, "amendments", found)
  table_to(folder, "residuals", residual)
  figure_to(study, folder, "residual-map", residual_map(fit))
  found
}

do_amend <- function(study, args, values, folder) {
  texts <- function(key) {
    if (!is.null(args[[key]])) vapply(args[[key]], canonical_text, "", USE.NAMES = FALSE)
  }
  fit <- amend_fit(values[[args$of]], texts("free"), texts("fix"), args$omit, args$because,
                   args$split, parse_halves(args$into, "into"))
  fit_to(study, folder, fit)
  print_to(folder, "trail", trail(fit))
  table_to(folder, "trail", trail(fit))
  fit
}

do_compare <- function(study, args, values, folder) {
  found <- compare_fits(mget(args$of, values), args$of, "previous", "compare_models",
                        study$criteria)
  print_to(folder, "comparison", found)
  table_to(folder, "comparison", found)
  found
}

do_quality <- function(study, args, values, folder) {
  found <- construct_quality(values[[args$of]], criteria = study$criteria,
                             leave_out = args$leave_out %||% "short")
  print_to(folder, "quality", found)
  table_to(folder, "quality", as.data.frame(found))
  if (!is.null(found$pairs)) table_to(folder, "pairs", found$pairs)
  figure_to(study, folder, "quality", plot(found))
  found
}

do_invariance <- function(study, args, values, folder) {
  bp <- study_blueprint(study, args)
  by <- step_by(study, list(kind = "invariance", args = args))
  more <- Filter(Negate(is.null), list(rungs = args$rungs, over = args$over,
                                       structural = args$structural))
  ladder <- do.call(invariance, c(list(bp, study_data(study, bp), criteria = study$criteria),
                                  study_request(study, by), more))
  shown <- list(ladder)
  for (rung in args$loosen) {
    loosened <- loosen(if (inherits(ladder, "orizzonte_loosened")) ladder$ladder else ladder, rung)
    ladder <- loosened
    shown <- c(shown, list(loosened))
  }
  if (is.null(folder)) return(ladder)
  last <- if (inherits(ladder, "orizzonte_loosened")) ladder$ladder else ladder
  if (!is.null(comparable_rung(last))) {
    means <- latent_means(last)
    table_to(folder, "means", means)
    shown <- c(shown, list(means, noninvariance(last)))
  }
  do.call(print_to, c(list(folder, "ladder"), shown))
  table_to(folder, "ladder", as.data.frame(last))
  figure_to(study, folder, "ladder", plot(last))
  ladder
}

do_bootstrap <- function(study, args, values, folder) {
  known <- list(estimates = estimates, effects = stats::effects, r_squared = r_squared,
                fit_indices = fit_indices, construct_quality = construct_quality,
                verdicts = verdicts)
  what <- args$what %||% "estimates"
  for (one in what) choose_one(one, names(known), "`what`")
  boot <- bootstrap_fit(values[[args$of]], args$reps %||% 500, known[what], seed = study$seed,
                        interval = args$interval %||% "percentile")
  print_to(folder, "bootstrap", boot)
  table_to(folder, "bootstrap", as.data.frame(boot))
  figure_to(study, folder, "bootstrap", plot(boot))
  boot
}

do_plan <- function(study, args, values, folder) {
  plan <- plan_study(study_blueprint(study, args), n = args$n, truth = args$truth,
                     truth_units = args$truth_units %||% "standardized",
                     reps = args$reps %||% 200, seed = study$seed)
  print_to(folder, "plan", plan)
  table_to(folder, "plan", as.data.frame(plan))
  table_to(folder, "sizes", plan$sizes)
  figure_to(study, folder, "plan", plot(plan))
  plan
}

do_constancy <- function(study, args, values, folder) {
  fit <- values[[args$of]]
  found <- constancy(fit, args$along, args$what %||% "loadings", data = study_data(study),
                     within = args$within, reps = args$reps %||% 0, seed = study$seed,
                     criteria = study$criteria)
  print_to(folder, "constancy", found)
  table_to(folder, "constancy", as.data.frame(found))
  if (!is.null(attr(found, "curves"))) {
    table_to(folder, "curves", attr(found, "curves"))
    figure_to(study, folder, "curves", plot(found, show = "curves"))
  }
  if (!is.null(process_points(found))) figure_to(study, folder, "constancy", plot(found))
  found
}

do_approximate <- function(study, args, values, folder) {
  found <- approximate_means(values[[args$of]], reference = args$reference)
  print_to(folder, "approximate-means", found)
  table_to(folder, "approximate-means", as.data.frame(found))
  table_to(folder, "differing", found$noninvariant)
  figure_to(study, folder, "approximate-means", plot(found))
  figure_to(study, folder, "differing", plot(found, show = "items"))
  found
}

do_equivalent <- function(study, args, values, folder) {
  found <- equivalent_models(values[[args$of]], before = args$before)
  print_to(folder, "equivalent", found)
  table_to(folder, "equivalent", as.data.frame(found))
  found
}

do_mediation <- function(study, args, values, folder) {
  fit <- values[[args$of]]
  reps <- args$reps %||% 500
  boot <- if (reps > 0) bootstrap_fit(fit, reps, list(effects = stats::effects), seed = study$seed,
                                      interval = args$interval %||% "percentile")
  found <- mediation(fit, args$from, args$to, bootstrap = boot)
  print_to(folder, "mediation", found)
  table_to(folder, "mediation", as.data.frame(found))
  found
}

do_report <- function(study, args, values, folder) {
  if (is.null(folder)) return(NULL)
  x <- mget(args$of, values)
  if (length(x) == 1L) x <- x[[1L]]
  file <- study_report_file(args)
  if (basename(file) != file)
    abort("input", c(text_of("file_report_is_name"),
                     i = text_of("such_file_report_html")))
  write_report(x, file.path(folder, file), quiet = TRUE, criteria = study$criteria,
               title = study$title, parts = args$parts)
  text <- methods_text(x, study$criteria)
  write_text(file.path(folder, "methods.txt"), c(rbind(text$paragraphs, ""), text$references))
  NULL
}

step_actions <- list(screen = do_screen, check = do_check, fit = do_fit, diagnose = do_diagnose,
                     amend = do_amend, compare = do_compare, quality = do_quality,
                     invariance = do_invariance, bootstrap = do_bootstrap, plan = do_plan,
                     constancy = do_constancy, approximate = do_approximate,
                     equivalent = do_equivalent, mediation = do_mediation,
                     report = do_report)

step_label <- function(step) {
  paste0(step$kind, if (step$name != step$kind) paste0(" (", step$name, ")"))
}

step_folder <- function(study, k) {
  plain <- gsub("[^A-Za-z0-9._-]+", "-", study$steps[[k]]$name)
  sprintf("%02d-%s", k, plain)
}

study_report_file <- function(args) args$file %||% "report.html"
