# Lints R code and spells words; exits with 1 when there is anything to say. Lines have at most 100
# characters, functions at most 60 lines.
folders <- c("R", "tests", "bench", "tools", "data-raw")

linters <- lintr::linters_with_defaults(lintr::line_length_linter(100))
# method and column names follow broom and R, layout is by hand, and globals are for R CMD check to
# find
left_out <- c("object_name_linter", "object_usage_linter", "object_length_linter",
              "indentation_linter", "cyclocomp_linter", "commented_code_linter", "return_linter")
linters <- linters[setdiff(names(linters), left_out)]
found <- do.call(c, lapply(folders, function(folder) {
  lintr::lint_dir(folder, linters = linters, exclusions = list("RcppExports.R"))
}))
for (lint in found) cat(lint$filename, ":", lint$line_number, ": ", lint$message, "\n", sep = "")

long_functions <- function(file, most = 60L) {
  parsed <- utils::getParseData(parse(file, keep.source = TRUE))
  functions <- parsed[parsed$id %in% parsed$parent[parsed$token == "FUNCTION"], ]
  lines <- functions$line2 - functions$line1 + 1L
  long <- functions$line1[lines > most]
  if (length(long)) paste0(file, ":", long, ": a function of ", lines[lines > most], " lines")
}
files <- list.files(folders, "[.]R$", recursive = TRUE, full.names = TRUE)
long <- unlist(lapply(setdiff(files, "R/RcppExports.R"), long_functions))
cat(long, sep = "\n")

# words of help pages, vignettes, README and NEWS that are in no dictionary nor in inst/WORDLIST
misspelt <- spelling::spell_check_package(".")
for (k in seq_len(nrow(misspelt)))
  cat(misspelt$word[k], ": ", paste(misspelt$found[[k]], collapse = ", "), "\n", sep = "")

count <- length(found) + length(long) + nrow(misspelt)
cat(count, "lints\n")
quit(save = "no", status = if (count) 1L else 0L)
