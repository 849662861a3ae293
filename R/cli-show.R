# The commands that draw and report.

command_draw <- function(given) {
  if (is.null(given$out))
    abort("usage", c(text_of("orizzonte_draw_needs_out"), i = text_of("such_out_diagram_png")))
  values <- choose_one(given$values, c("standardized", "raw", "both", "none"), "--values")
  what <- choose_one(given$what, draw_figures, "--what")
  check_figure_ending(given$out)
  if (what == "groups" && is.null(given$by))
    abort("usage", c(text_of("what_groups_needs_column"), i = text_of("example_by")))
  ladder <- if (what == "ladder") ladder_from_files(given)
  fits <- ladder$fits %||% list(fit_from_files(given))
  fit <- fits[[1L]]
  figure <- switch(what, diagram = path_diagram(fit, values, r_squared = given$r_squared,
                                                reliability = given$reliability,
                                                grey_nonsignificant = given$grey_nonsignificant),
                   quality = plot(construct_quality(fit, leave_out = "none")),
                   split = plot(variance_split(fit)),
                   residuals = residual_map(fit),
                   loadings = loading_plot(fit), amendments = plot(amendments(fit, top = 0)),
                   trail = plot(trail(fit)), groups = group_plot(fit), ladder = plot(ladder))
  written <- save_figure(figure, given$out)
  if (!given$quiet) close_with(text_of("figure_written", files = enumerate(written, most = 40L)),
                               "\n")
  max(vapply(fits, exit_code, 0L))
}

command_report <- function(given) {
  if (is.null(given$out) && is.null(given$tables) && !isTRUE(given$text))
    abort("usage", c(text_of("orizzonte_report_needs_out"),
                     i = text_of("such_out_report_html")))
  if (!is.null(given$out)) check_report_ending(given$out)
  count <- length(given$files)
  if (isTRUE(given$ladder)) {
    if (count > 2L) abort("usage", text_of("ladder_takes_one_blueprint"))
    x <- ladder_from_files(given)
    steps <- loosen_rungs(x, given$loosen)
    if (length(steps)) x <- steps[[length(steps)]]
    fits <- if (inherits(x, "orizzonte_loosened")) x$ladder$fits else x$fits
  } else {
    idle <- Filter(function(name) !is.null(given[[name]]),
                   c("over", "rungs", "structural", "structural_on", "loosen"))
    if (length(idle)) abort("usage", text_of("needs_ladder", idle = gsub("_", "-", idle[1L])))
    fits <- lapply(given$files[-count], function(file) {
      given$files <- c(file, given$files[count])
      fit_from_files(given)
    })
    names(fits) <- make.unique(tools::file_path_sans_ext(basename(given$files[-count])), sep = " ")
    x <- if (length(fits) == 1L) fits[[1L]] else fits
  }
  criteria <- given_criteria(given)
  if (!is.null(given$title) && is.null(given$out)) abort("usage", text_of("title_needs_out"))
  if (!is.null(given$out))
    write_report(x, given$out, quiet = given$quiet, criteria = criteria, title = given$title)
  if (!is.null(given$tables)) write_tables(x, given$tables, criteria = criteria,
                                           quiet = given$quiet)
  if (isTRUE(given$text)) print(methods_text(x, criteria))
  max(vapply(fits, exit_code, 0L))
}
