# Addresses of databases are not echoed; control characters do not reach the terminal; texts of
# tables are not formulas.

secret <- "pl4nted"
addresses <- paste0(c("postgresql://me:%s@host/base?table=x",
                      "postgresql://me:p?%s/q@host/base?table=x",
                      "postgresql://me:a/%s@host/base", "postgresql://%s@host/base?table=x",
                      "postgresql://host/base?table=x&sslpassword=%s",
                      "postgresql://host/base?table=x&%%70assword=%s",
                      "postgresql://host/base?table=x&%%2570assword=%s",
                      "postgresql:host=h password=%s dbname=x", "mysql://me:%s@host/base",
                      "https://me:%s@host/data.csv", "sqlite:x.db?table=a;pwd=%s",
                      "sqlite:x.db?secret=%s", "postgres:host=h;PassWord = %s",
                      "postgresql://host/base?api_token=%s"))
addresses <- vapply(addresses, sprintf, "", secret, USE.NAMES = FALSE)

test_that("an address with a user or a password is refused, and no part of it is shown", {
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  for (address in addresses) {
    for (code in list(quote(collect_summary(address, bp)), quote(read_blueprint(address)),
                      quote(read_summary_data(address)), quote(run_study(address)),
                      quote(run_command(c("fit", "x.yaml", address))),
                      quote(run_command(c("run", address))))) {
      said <- utils::capture.output(type = "message", found <- tryCatch(eval(code),
                                                                        error = identity))
      shown <- c(said, if (inherits(found, "condition"))
        c(conditionMessage(found), utils::capture.output(print(found))))
      expect_false(any(grepl(secret, shown)), label = paste(address, deparse(code)))
      if (inherits(found, "condition")) expect_s3_class(found, "orizzonte_error") else
        expect_identical(found, 2L)
    }
  }
  # an address in a study
  folder <- fresh_folder()
  suppressMessages(write_blueprint(bp, file.path(folder, "b.yaml")))
  writeLines(c(paste0("data: \"", addresses[2], "\""), "blueprints: {b: b.yaml}", "steps:",
               "  - check: {blueprint: b}"), file.path(folder, "s.yaml"))
  found <- tryCatch(suppressMessages(run_study(file.path(folder, "s.yaml"))), error = identity)
  expect_s3_class(found, "orizzonte_error")
  expect_false(any(grepl(secret, utils::capture.output(print(found)))))
})

test_that("plain files and words are no addresses", {
  expect_false(any(looks_like_database(c("choirs.csv", "C:/a/b.csv", "a b.csv", "loading[a, b]",
                                         "effect[a, b] > 0", "note: this", NA))))
  expect_identical(public_address("choirs.csv"), "choirs.csv")
  expect_identical(public_address("sqlite:choirs.db?table=x"), "sqlite:...")
  expect_false(holds_secret("sqlite:choirs.db?table=x"))
  expect_true(holds_secret("sqlite:choirs.db?table=x&password=y"))
})

test_that("control characters are visible in prints and errors, never sent", {
  bad <- paste0("\033]0;owned\007\033[2J", "\u009b31m\u202eabc", "\b\r")
  shows <- function(x) {
    lines <- utils::capture.output(print(x))
    expect_false(any(unlist(lapply(lines, utf8ToInt)) %in% hidden_codes))
    expect_match(paste(lines, collapse = ""), "<U+001B>", fixed = TRUE)
  }
  title <- paste("T", bad)
  data <- choirs[1:100, c("setting", paste0("sc", 1:4))]
  bp <- blueprint(title) |> construct("Calm", reflected_in = sc1:sc4) |> wording(sc1 = bad)
  shows(bp)
  fit <- quiet_fit(bp, data)
  shows(fit)
  shows(summary(fit))
  odd <- data
  odd$setting <- ifelse(odd$setting == "evening", bad, "weekend")
  shows(quiet_fit(bp, odd, by = "setting"))
  shows(suppressMessages(amend(fit, free = "covariance[sc1, sc2]", because = bad)) |> trail())
  names(odd)[2] <- bad
  for (found in list(tryCatch(fit_model(bp, odd), error = identity),
                     tryCatch(fit_model(bp, data, by = all_of(bad)), error = identity),
                     tryCatch(read_blueprint(bad), error = identity))) {
    expect_s3_class(found, "orizzonte_error")
    expect_false(grepl("\033", conditionMessage(found), fixed = TRUE))
  }
  expect_identical(visible_controls("a\tb\nc"), "a\tb\nc")
  expect_identical(visible_controls(NA_character_), NA_character_)
  expect_identical(visible_controls("caf\u00e9 \u03c7\u00b2"), "caf\u00e9 \u03c7\u00b2")
})

test_that("texts that a spreadsheet would run are marked as text; numbers and plain texts are not",
          {
  texts <- c("=1+1", "+cmd|' /C calc'!A0", "-2+3+cmd|' /C calc'!A0", "@SUM(A1)", " =x", "\t=x",
             "a=b",
             "-.31", "-0.31 (0.02)", "+1.5", "-3", "[-.1, .2]", "", NA, "- dash")
  file <- tempfile(fileext = ".csv")
  table <- list_frame(list(`=name` = texts, number = seq_along(texts) * -1.5))
  write_table(table, file)
  back <- utils::read.csv(file, check.names = FALSE, na.strings = NULL, colClasses = "character")
  expect_identical(names(back)[1], "'=name")
  marked <- startsWith(back[[1]], "'")
  expect_identical(which(marked), c(1:6, 15L))
  expect_identical(sub("^'", "", back[[1]][c(1:4, 7:12)]), texts[c(1:4, 7:12)])
  expect_identical(as.numeric(back$number), table$number)
  write_table(table, file, guard = FALSE)
  expect_identical(utils::read.csv(file, check.names = FALSE)[[1]][1], "=1+1")
  folder <- fresh_folder()
  data <- choirs[1:100, c("setting", paste0("sc", 1:4))]
  data$setting <- ifelse(data$setting == "evening", "=1+1", "weekend")
  bp <- blueprint("x") |> construct("Calm", reflected_in = sc1:sc4)
  fit <- quiet_fit(bp, data, by = "setting")
  suppressMessages(write_tables(fit, folder, "csv"))
  cells <- unlist(lapply(list.files(folder, "csv$", full.names = TRUE), function(f) {
    unlist(utils::read.csv(f, header = FALSE, colClasses = "character"))
  }))
  expect_false(any(grepl("^=", cells)))
  csv <- file.path(folder, "d.csv")
  utils::write.csv(data, csv, row.names = FALSE, na = "")
  suppressMessages(write_blueprint(bp, file.path(folder, "b.yaml")))
  said <- command("fit", file.path(folder, "b.yaml"), csv, "--by", "setting", "--format", "csv")
  expect_match(said$out, "\"'=1+1\"", fixed = TRUE)
  said <- command("fit", file.path(folder, "b.yaml"), csv, "--by", "setting", "--format", "csv",
                  "--unguarded")
  expect_match(said$out, "\"=1+1\"", fixed = TRUE)
})
