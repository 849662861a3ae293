# A few hundred cases of bench/fuzz.R: bad input of every kind ends in an answer or a classed error.

test_that("nothing bad that is given ends in an error of R's, a wrong answer or code that runs", {
  file <- Filter(file.exists, c("../../bench/fuzz.R", "../../../bench/fuzz.R"))
  skip_if(length(file) == 0L, "the sources are not beside the tests")
  fuzz <- new.env(parent = globalenv())
  sys.source(file[1L], fuzz)
  grDevices::pdf(NULL)
  on.exit(grDevices::dev.off())
  found <- fuzz$run_cases(900000 + 1:500)
  bad <- found[!found$outcome %in% c("ok", "classed"), ]
  expect_equal(nrow(bad), 0L, info = paste(bad$seed, bad$label, bad$outcome, collapse = "; "))
  expect_true(all(table(found$arm)[names(fuzz$arms)] > 0))
  expect_gt(sum(found$outcome == "ok"), 20)
  expect_gt(sum(found$outcome == "classed"), 200)
})

test_that("the cases would notice: an error of R's, a hang, a wrong answer, code that runs", {
  file <- Filter(file.exists, c("../../bench/fuzz.R", "../../../bench/fuzz.R"))
  skip_if(length(file) == 0L, "the sources are not beside the tests")
  fuzz <- new.env(parent = globalenv())
  sys.source(file[1L], fuzz)
  expect_equal(fuzz$outcome(function() stop("x")), "error: x")
  expect_equal(fuzz$outcome(function() warning("x")), "warning: x")
  expect_equal(fuzz$outcome(function() rlang::abort("x", class = "orizzonte_error")), "classed")
  expect_equal(fuzz$outcome(function() 1), "ok")
  expect_equal(fuzz$outcome(function() writeLines("x", fuzz$planted_file)), "code run")
  short <- tempfile(fileext = ".csv")
  bytes <- charToRaw("a,b\n1,2\n3,4\n")
  writeBin(bytes, short)
  expect_error(fuzz$check_shape(short, c(bytes, charToRaw("5,6\n"))), "wrong silent answer")
})
