# The messages after the commonest mistakes of newcomers (mistakes.R).

test_that("every mistake is told by class, with what to write instead", {
  list <- new.env(parent = environment())
  sys.source(testthat::test_path("mistakes.R"), list)
  told <- lapply(list$mistakes, function(call) {
    tryCatch(suppressMessages(suppressWarnings(eval(call, new.env(parent = list)))),
             error = identity)
  })
  texts <- vapply(list$mistakes, function(call) paste(deparse(call), collapse = " "), "")
  for (k in seq_along(told)) {
    expect_s3_class(told[[k]], "orizzonte_error")
    expect_match(rlang::cnd_message(told[[k]]), "\n(i|\u2139) ", info = texts[k])
  }
  expect_gte(length(told), 50)
  lines <- unlist(Map(function(text, condition) {
    c(paste0("> ", gsub(" +", " ", text)), strsplit(rlang::cnd_message(condition), "\n")[[1L]], "")
  }, texts, told))
  skip_if_not(isTRUE(l10n_info()[["UTF-8"]]))
  lines <- gsub(getwd(), "/home/me/study", lines, fixed = TRUE)
  expect_snapshot(cat(lines, sep = "\n"))
})
