# The index page of a study's results, and the files a new study starts from.

# Reports to begin with, then of each step what it came to, its pictures, what it printed and its
# files: links into the folders beside the page. `files` contains the paths of the files by folder.
study_index <- function(study, values, files) {
  tags <- htmltools::tags
  folders <- vapply(seq_along(study$steps), function(k) step_folder(study, k), "")
  kinds <- vapply(study$steps, `[[`, "", "kind")
  reports <- lapply(which(kinds == "report"), function(k) {
    file <- study_report_file(study$steps[[k]]$args)
    link <- function(name, text) tags$li(tags$a(href = study_link(folders[k], name), text))
    list(link(file, text_of("the_report", file = file)),
         link("methods.txt", text_of("methods_results_words_methods")))
  })
  sections <- lapply(seq_along(study$steps), function(k) {
    step <- study$steps[[k]]
    c(list(tags$h2(id = folders[k], plain_line(paste0(k, ". ", step_title(step)))),
           tags$p(plain_line(outcome_sentence(values[[step$name]], study)))),
      step_shown(study, step, folders[k], basename(files[[folders[k]]])))
  })
  contents <- tags$nav(id = "contents", `aria-label` = text_of("head_contents"),
    tags$ul(lapply(seq_along(study$steps), function(k) {
      tags$li(tags$a(href = paste0("#", folders[k]),
                     plain_line(paste0(k, ". ", step_title(study$steps[[k]])))))
    })))
  version <- text_of("orizzonte_seed", package_version_text = package_version_text(),
                     seed = study$seed)
  body <- list(if (length(reports)) list(tags$h2(text_of("head_read_first")), tags$ul(reports)),
               sections, tags$p(class = "note", version))
  html_page(study$title, body, contents)
}

study_link <- function(folder, file) {
  paste(utils::URLencode(c(folder, file), TRUE), collapse = "/")
}

# Pictures as they are, what was printed folded, and every file as a link.
step_shown <- function(study, step, folder, files) {
  tags <- htmltools::tags
  pictures <- files[tolower(tools::file_ext(files)) %in% setdiff(study$figures, "pdf")[1L]]
  printed <- files[tolower(tools::file_ext(files)) == "txt"]
  c(lapply(pictures, function(file) {
      tags$figure(tags$img(src = study_link(folder, file), width = "640",
                           alt = plain_line(text_of("of_the_step", file = file,
                               step = step_label(step)))))
    }),
    lapply(printed, function(file) {
      html_part(report_fold(paste0("Printed: ", file), report_code(
        read_text(file.path(study$results, folder, file)))))
    }),
    list(tags$p(class = "note", "Files: ", lapply(files, function(file) {
      list(tags$a(href = study_link(folder, file), file), " \u00a0 ")
    }))))
}

step_title <- function(step) {
  paste0(words_of("step_title", step$kind),
         if (step$name != step$kind) paste0(" (", step$name, ")"))
}

# The result of a step in one or two sentences.
outcome_sentence <- function(x, study) {
  if (is_ladder(x)) {
    ladder <- if (inherits(x, "orizzonte_loosened")) x$ladder else x
    return(paste(ladder$reading, collapse = " "))
  }
  switch(class(x)[1L],
    orizzonte_fit = if (!has_converged(x)) paste0(fit_status(x), ".") else
      paste0("Converged; ", chisq_text(test_of(x)$chisq, test_of(x)$df, test_of(x)$p), ". ",
             attr(fit_indices(x, study$criteria), "reading")),
    orizzonte_screen = paste(c(text_of("rows_columns_rows_complete", rows = format_count(x$rows),
                                       columns = nrow(x$columns),
                                       complete = format_count(x$complete)),
                               if (nrow(x$advice)) x$advice$advice else
                                 text_of("nothing_be_done")), collapse = " "),
    orizzonte_identification = if (x$identified)
      text_of("identified_degrees_freedom", df = format_count(x$df)) else
      paste(c(text_of("index_not_identified"), x$remedies), collapse = " "),
    orizzonte_amendments = amendments_sentence(x),
    orizzonte_quality = paste(quality_conclusion(x), collapse = " "),
    orizzonte_comparison = paste(c(pair_sentences(x), comparison_reading(x)), collapse = " "),
    orizzonte_bootstrap = bootstrap_sentence(x),
    orizzonte_plan = plan_sentence(x),
    orizzonte_constancy = paste(constancy_reading(x), collapse = " "),
    orizzonte_approximate_means = paste(approximate_reading(x), collapse = " "),
    orizzonte_equivalent = paste(equivalent_reading(x), collapse = " "),
    orizzonte_mediation = paste(mediation_reading(x), collapse = " "),
    "")
}

amendments_sentence <- function(x) {
  if (nrow(x) == 0L) return(text_of("nothing_is_left_could"))
  drop <- x$actual_drop[1L]
  text_of("first_among_what_could", parameter = x$parameter[1L], kind = x$kind[1L],
          modification_index = format_fixed(x$modification_index[1L], 2L),
          drop = if (!is.na(drop)) text_of("after_refitting_falls",
                                           drop = format_fixed(drop, 2L)),
          verdict = words_of("amendment", x$verdict[1L]))
}

# The first few intervals; the rest is in the table.
bootstrap_sentence <- function(x) {
  table <- as.data.frame(x)
  table <- table[!grepl("^(standardized|total)", table$parameter) & !table$se %in% 0, ]
  first <- utils::head(table, 4L)
  text_of("replicates_intervals", reps = format_count(x$asked$reps), level = 100 * x$asked$level,
          upper = paste0(first$parameter, " ", trimws(interval_text(first$lower, first$upper)),
                         collapse = "; "), table = if (nrow(table) > 4L) text_of("and_more_values"))
}

plan_sentence <- function(x) {
  rows <- x$parameters[startsWith(x$parameters$parameter, "effect["), ]
  power <- vapply(unique(rows$parameter), function(one) {
    of <- rows[rows$parameter == one, ]
    text_of("power_is", value = one,
            of = paste0(format_share(of$power), " at ", format_count(of$n), collapse = ", "))
  }, "")
  paste0(paste(c(text_of("data_sets_each_size", reps = format_count(x$reps)),
                 utils::head(power, 4L)),
               collapse = "; "), ".")
}

#' Start a study
#'
#' Writes a commented study file with the blueprints and the data of the made-up choirs into a
#' folder; it runs unchanged.
#'
#' @param folder A folder that exists.
#' @param file Name of the study file.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The path of the study file, invisibly.
#' @section Errors: `orizzonte_error_study` if a file of that name exists; files are never
#' overwritten.
#' @seealso [run_study()].
#' @examples
#' folder <- file.path(tempdir(), "new")
#' dir.create(folder)
#' new_study_files(folder)
#' @export
new_study_files <- function(folder = ".", file = "study.yaml", ...) {
  check_arguments("new_study_files")
  check_path(folder, "`folder`")
  check_path(file, "`file`")
  check_target(file.path(folder, file))
  there <- c(file, study_files)[file.exists(file.path(folder, c(file, study_files)))]
  if (length(there))
    abort("study", c(text_of("is_there_already_nothing", there = quoted(there[1L])),
                     i = text_of("choose_another_folder")))
  invisible(write_study_files(folder, file))
}

study_files <- c("choirs.yaml", "choirs-start.yaml", "choirs.csv")

# Writes the study file and the files that it needs, unless they exist.
write_study_files <- function(folder, file) {
  shipped <- function(name) system.file("extdata", name, package = "orizzonte")
  target <- file.path(folder, file)
  if (!file.exists(target)) write_text(target, readLines(shipped("study.yaml"), encoding = "UTF-8"))
  for (name in study_files) file.copy(shipped(name), file.path(folder, name))
  target
}
