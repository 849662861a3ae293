# Sessions with ASCII letters only, as on a server or in a scheduled job.

in_c_locale <- function(args, env = "LC_ALL=C") {
  suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), shQuote(args), env = env,
                           stdout = TRUE, stderr = TRUE))
}

test_that("prints use letters for the signs that the session cannot show, without a warning", {
  script <- tempfile(fileext = ".R")
  report <- tempfile(fileext = ".md")
  writeLines(c(
    "suppressMessages(library(orizzonte)); options(warn = 2)",
    "bp <- blueprint('B') |> construct('B', reflected_in = be1:be4) |>",
    "  construct('C', reflected_in = sc1:sc4) |> effect(C ~ B)",
    "f <- suppressMessages(fit_model(bp, choirs))",
    "a <- amend(f, free = 'covariance[be1, be2]', because = 'x')",
    "print(a); print(summary(f)); print(trail(a)); print(compare_models(f, a))",
    "print(side_by_side(f, a)); print(confirm(a, choirs[1:300, ])); print(amendments(f))",
    "print(score_test(f, 'covariance[be1, be2]')); print(without(f))",
    "l <- invariance(bp, choirs, by = 'setting'); print(l); print(noninvariance(l, 'scalar'))",
    paste0("write_report(f, ", deparse(report), ", quiet = TRUE)")), script)
  said <- in_c_locale(script)
  expect_false(any(grepl("Error|Warning|U\\+|[^ -~\t]", said)))
  for (sign in c("chi2  df", "R2 of C", "d chi2", "d CFI", "chi2 = ", "chi2 of each group"))
    expect_true(any(grepl(sign, said, fixed = TRUE)), label = sign)
  expect_true(any(grepl("\u03c7\u00b2", readLines(report, encoding = "UTF-8"))))
})

test_that("a column whose name the session cannot write is screened without a warning", {
  script <- tempfile(fileext = ".R")
  writeLines(c("suppressMessages(library(orizzonte)); options(warn = 2)",
               "choirs[['a\\u202eb']] <- choirs$st1", "x <- screen_data(choirs)",
               "cat(x$complete == sum(complete.cases(choirs)))"), script)
  expect_identical(in_c_locale(script), "TRUE")
})

test_that("the command line loses no letter, in no file and on no screen", {
  folder <- tempfile()
  dir.create(folder)
  inside <- function(name) file.path(folder, name)
  data <- choirs[1:300, c("setting", "be1", "be2", "be3", "be4")]
  names(data)[2L] <- "b\u00e9"
  writeLines(enc2utf8(c("title: \u00c9t\u00e9", "constructs:", "  Gr\u00f6\u00dfe:",
                        "    reflected_in: [b\u00e9, be2, be3, be4]")), inside("m.yaml"),
             useBytes = TRUE)
  utils::write.csv(data, inside("d.csv"), row.names = FALSE, fileEncoding = "UTF-8")
  program <- system.file("exec", "orizzonte", package = "orizzonte")
  bytes <- lapply(c("LC_ALL=C", "LC_ALL=C.UTF-8"), function(env) {
    lapply(c("json", "csv", "text", "md", "svg"), function(kind) {
      out <- inside(paste0("out.", kind))
      what <- switch(kind, md = "report", svg = "draw", c("fit", "--format", kind))
      in_c_locale(c(program, what, inside("m.yaml"), inside("d.csv"), "--out", out), env)
      readBin(out, "raw", file.size(out))
    })
  })
  expect_identical(bytes[[1L]], bytes[[2L]])
  expect_match(rawToChar(bytes[[1L]][[1L]]), "Gr\u00f6\u00dfe", useBytes = TRUE)
  said <- in_c_locale(c(program, "fit", inside("m.yaml"), inside("d.csv"), "--quiet"))
  Encoding(said) <- "UTF-8"
  expect_true(any(grepl("Gr\u00f6\u00dfe", said)))
})

test_that("names that a session does not know are refused, with what to do", {
  script <- tempfile(fileext = ".R")
  writeLines(c(
    "suppressMessages(library(orizzonte))",
    "d <- choirs; names(d)[names(d) == 'be1'] <- 'b\\u00e9'",
    "bp <- construct(blueprint('x'), 'B', reflected_in = c('b\\u00e9', 'be2', 'be3'))",
    "e <- tryCatch(fit_model(bp, d), error = identity)",
    "cat(class(e)[1], conditionMessage(e), rlang::cnd_message(e), '\\n')",
    "for (f in list(read_blueprint, read_summary_data, function(x) write_blueprint(bp, x)))",
    "  cat(class(tryCatch(f('\\u00e9.yaml'), error = identity))[1], '\\n')"), script)
  said <- paste(in_c_locale(script), collapse = " ")
  expect_equal(lengths(gregexpr("orizzonte_error_input", said)), 4)
  expect_match(said, "LC_ALL=C.UTF-8", fixed = TRUE)
})
