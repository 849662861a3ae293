# Budgets: times of calls as ratios to a reference that is measured in the same run.

elapsed <- function(call, times = 1L) {
  system.time(for (k in seq_len(times)) call())[["elapsed"]] / times
}

rows <- list()
row <- function(work, own, reference, ratio, budget) {
  met <- if (ratio <= budget) "yes" else "NO"
  rows[[length(rows) + 1L]] <<- data.frame(work = work, seconds = signif(own, 3),
    reference = signif(reference, 3), ratio = signif(ratio, 3), budget = signif(budget, 3),
    met = met)
  message(sprintf("%s: %.3g of at most %.3g: %s", work, ratio, budget, met))
}

# Both alternately, so that drift in the speed of a machine affects them equally: medians of the
# times and of the ratios. `fresh` makes the argument of `own` anew, outside of the time: a fit
# remembers what was read from it. `times`: runs of each in one measurement.
compare <- function(work, budget, own, reference, fresh = NULL, repeats = 5L, times = c(1L, 1L)) {
  pairs <- vapply(seq_len(repeats), function(i) {
    x <- if (is.null(fresh)) NULL else fresh()
    c(elapsed(function() if (is.null(fresh)) own() else own(x), times[1L]),
      elapsed(reference, times[2L]))
  }, numeric(2L))
  row(work, stats::median(pairs[1L, ]), stats::median(pairs[2L, ]),
      stats::median(pairs[1L, ] / pairs[2L, ]), budget)
}

# Seconds that loading the package takes beyond loading the packages that it imports.
compare_loading <- function(imports, repeats = 9L) {
  loading <- function(names) {
    code <- paste0("invisible(lapply(c(", toString(dQuote(names, FALSE)), "), loadNamespace))")
    function() {
      system2(file.path(R.home("bin"), "Rscript"), c("--no-init-file", "-e", shQuote(code)),
              stdout = FALSE)
    }
  }
  times <- vapply(seq_len(repeats), function(i) {
    c(elapsed(loading("orizzonte")), elapsed(loading(imports)))
  }, numeric(2L))
  row("loading the package, seconds beyond the packages it imports", stats::median(times[1L, ]),
      stats::median(times[2L, ]), stats::median(times[1L, ] - times[2L, ]), 0.05)
}

# Writes all rows; returns whether every budget was met.
save_rows <- function(name) {
  table <- do.call(rbind, rows)
  writeLines(c(paste0("# ", R.version.string, ", orizzonte ", utils::packageVersion("orizzonte"),
                      " (bench/", name, ".R)"), "",
               utils::capture.output(print(table, row.names = FALSE, right = FALSE))),
             file.path("bench", "results", paste0(name, ".txt")))
  all(table$met == "yes")
}
