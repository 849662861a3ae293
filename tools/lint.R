# Lints R code; exits with 1 when there is anything to say.
linters <- lintr::linters_with_defaults(lintr::line_length_linter(160))
# method and column names follow broom and R, layout is by hand, and globals are for R CMD check to find
left_out <- c("object_name_linter", "object_usage_linter", "object_length_linter", "indentation_linter", "cyclocomp_linter",
              "commented_code_linter", "return_linter")
linters <- linters[setdiff(names(linters), left_out)]
folders <- c("R", "tests", "bench", "tools", "data-raw")
found <- do.call(c, lapply(folders, lintr::lint_dir, linters = linters, exclusions = list("RcppExports.R")))
for (lint in found) cat(lint$filename, ":", lint$line_number, ": ", lint$message, "\n", sep = "")
cat(length(found), "lints\n")
quit(save = "no", status = if (length(found)) 1L else 0L)
