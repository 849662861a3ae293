# Long jobs of the live page: in an R process of their own, which can be cancelled, while the page
# goes on. Its progress is the size of a file, in percent.

start_job <- function(kind, version, name = NULL) {
  progress <- tempfile("progress-")
  work <- page_jobs[[kind]]
  # the child loads the package; a copied environment would take the whole session along
  environment(work) <- globalenv()
  process <- callr::r_bg(work, list(version$fit, progress, name), libpath = .libPaths(),
                         supervise = TRUE)
  list(kind = kind, name = name, process = process, progress = progress)
}

page_jobs <- list(
  bootstrap = function(fit, progress, name) {
    run <- function() {
      suppressWarnings(suppressMessages(orizzonte::bootstrap_fit(fit, reps = 1000, seed = 1)))
    }
    if (!requireNamespace("progressr", quietly = TRUE)) return(run())
    options(progressr.enable = TRUE, progressr.interval = 0)
    progressr::with_progress(run(), handlers = progressr::handler_filesize(progress))
  },
  report = function(fit, progress, name) {
    file <- tempfile(fileext = paste0(".", tools::file_ext(name)))
    orizzonte::write_report(fit, file, quiet = TRUE)
    readBin(file, "raw", file.size(file))
  })

job_share <- function(job) {
  size <- file.size(job$progress)
  if (is.na(size)) 0 else min(size, 100) / 100
}

# The result of a job as `fit`, or the lines of its error as `problem`.
job_result <- function(job) {
  tryCatch(list(fit = job$process$get_result()), error = function(e) {
    list(problem = error_lines(e$parent %||% e))
  })
}

end_job <- function(job) {
  if (!is.null(job)) job$process$kill()
  invisible()
}
