# Files are written completely or not at all.

test_that("a target that is no regular file is refused, a link is followed, the old file stays", {
  folder <- tempfile()
  dir.create(folder)
  file <- file.path(folder, "a.txt")
  write_text(file, c("one", "zw\u00f6lf"))
  expect_equal(readLines(file, encoding = "UTF-8"), c("one", "zw\u00f6lf"))
  pipe <- file.path(folder, "pipe")
  system2("mkfifo", pipe)
  for (target in c(folder, pipe, file.path(folder, "no", "a.txt")))
    expect_error(write_text(target, "x"), class = "orizzonte_error_file")
  unlink(pipe)
  link <- file.path(folder, "link.txt")
  file.symlink(file, link)
  write_text(link, "two")
  expect_equal(readLines(file), "two")
  expect_equal(Sys.readlink(link), file)
  # a failure half-way leaves the old file, and nothing beside it
  expect_error(write_made(file, function(path) writeLines("half", path), function(bytes) FALSE),
               text_pattern("cannot_make"), class = "orizzonte_error_file")
  expect_error(write_made(file, function(path) stop("no")), "no")
  expect_equal(readLines(file), "two")
  expect_setequal(list.files(folder, all.files = TRUE, no.. = TRUE), c("a.txt", "link.txt"))
  Sys.chmod(file, "0600")
  write_text(file, "three")
  expect_equal(format(file.mode(file)), "600")
  expect_error(protect_inputs(link, file), text_pattern("is_input_is_not"),
               class = "orizzonte_error_usage")
})

test_that("a picture that was cut off is none, and a percent sign is part of a name", {
  plot <- ggplot2::ggplot(choirs, ggplot2::aes(be1, be2))
  folder <- tempfile()
  dir.create(folder)
  for (name in c("a%d.png", "b%03d.svg", "c%.pdf")) {
    save_figure(plot, file.path(folder, name))
    bytes <- readBin(file.path(folder, name), "raw", 1e7)
    expect_true(figure_whole(bytes))
    expect_false(figure_whole(bytes[seq_len(length(bytes) - 200L)]))
  }
  expect_setequal(list.files(folder), c("a%d.png", "b%03d.svg", "c%.pdf"))
  expect_error(save_figure(plot, file.path(folder, "x.bmp")), class = "orizzonte_error_usage")
})

test_that("the command line protects inputs and notices what does not arrive", {
  folder <- tempfile()
  dir.create(folder)
  inside <- function(name) file.path(folder, name)
  for (name in c("choirs.yaml", "choirs.csv"))
    file.copy(system.file("extdata", name, package = "orizzonte"), inside(name))
  before <- tools::md5sum(inside(c("choirs.yaml", "choirs.csv")))
  for (target in c("choirs.yaml", "choirs.csv", ".", "not/there.csv")) {
    found <- command("fit", inside("choirs.yaml"), inside("choirs.csv"), "--out", inside(target))
    expect_equal(found$code, 2, label = target)
  }
  expect_equal(command("fit", inside("choirs.yaml"), inside("choirs.csv"), "--out",
                       "/dev/full")$code, 2)
  expect_equal(command("amend", inside("choirs.yaml"), inside("choirs.csv"), "--free",
                       "loading[Calm, st2]", "--because", "x", "--out",
                       inside("choirs.yaml"))$code, 2)
  expect_identical(tools::md5sum(inside(c("choirs.yaml", "choirs.csv"))), before)
  skip_on_os("windows")
  # the closing message of a command comes after its output
  said <- system(paste(shQuote(file.path(R.home("bin"), "Rscript")), "-e",
                       shQuote("orizzonte::main()"), "amend", shQuote(inside("choirs.yaml")),
                       shQuote(inside("choirs.csv")), "--free 'loading[Calm, st2]'",
                       "--because x --out",
                       shQuote(inside("next.yaml")), "2>&1"), intern = TRUE)
  expect_match(said[length(said)], text_pattern("next_blueprint_written"))
  expect_true(any(grepl("Trail", said)))
  line <- paste(shQuote(file.path(R.home("bin"), "Rscript")), "-e", shQuote("orizzonte::main()"),
                "--version")
  run <- function(redirect) system(paste(line, redirect), ignore.stderr = TRUE)
  expect_equal(run("> /dev/null"), 0)
  expect_equal(run("> /dev/full"), 2)
  expect_equal(run(">&-"), 2)
  # the reader has gone: the command ends quietly, whatever was printed and however often
  for (what in c("--help", paste("fit", shQuote(inside("choirs.yaml")),
                                 shQuote(inside("choirs.csv")))))
    expect_equal(system(paste("cd", shQuote(tempdir()), "&& bash -c", shQuote(paste0(
      sub("--version", what, line, fixed = TRUE), " 2>said | sleep 0; exit ${PIPESTATUS[0]}"))),
      ignore.stderr = TRUE), 141)
  expect_false(any(grepl("Error|internal", readLines(file.path(tempdir(), "said")))))
})
