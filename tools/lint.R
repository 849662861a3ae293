# Lints R code; exits with 1 when there is anything to say.
found <- c(lintr::lint_dir("R"), lintr::lint_dir("tests"), lintr::lint_dir("bench"), lintr::lint_dir("tools"), lintr::lint_dir("data-raw"))
for (lint in found) cat(lint$filename, ":", lint$line_number, ": ", lint$message, "\n", sep = "")
cat(length(found), "lints\n")
quit(save = "no", status = if (length(found)) 1L else 0L)
