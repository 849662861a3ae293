# The advice of an error message is what the user meant.

bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4)
message_of <- function(code) {
  found <- tryCatch(suppressMessages(code), error = identity)
  expect_s3_class(found, "orizzonte_error")
  rlang::cnd_message(found)
}

test_that("values that are written as arguments or options are named with their argument", {
  expect_match(message_of(fit_model(bp, choirs, robust = TRUE)), "inference = \"robust\"",
               fixed = TRUE)
  expect_match(message_of(fit_model(bp, choirs, listwise = TRUE)), "incomplete = \"drop\"",
               fixed = TRUE)
  files <- c(extdata("choirs.yaml"), extdata("choirs.csv"))
  expect_match(command("fit", files, "--robust")$err, "--inference robust", fixed = TRUE)
  expect_match(command("fit", files, "--fomat")$err, "--format", fixed = TRUE)
  # where there is no such argument, the nearest name is suggested
  expect_no_match(message_of(residuals(fit_model(bp, choirs), robust = TRUE)), "inference")
})

test_that("an effect that is not in the model is declared, not replaced by a neighbour", {
  text <- message_of(fit_model(claim(bp, H1 = effect[Belonging, Calm] > 0), choirs))
  expect_match(text, "effect(Calm ~ Belonging)", fixed = TRUE)
  expect_no_match(text, "Did you mean")
  # its advice about files works there
  file <- withr::local_tempfile(fileext = ".yaml")
  said <- sub(".* or (.*) under effects.*", "\\1", text)
  said <- sub("\n.*", "", said)
  writeLines(c("title: T", "constructs:", "  Belonging: {reflected_in: [be1, be2, be3, be4]}",
               "  Calm: {reflected_in: [sc1, sc2, sc3, sc4]}", "effects:",
               paste0("  - \"", said, "\"")), file)
  expect_identical(read_blueprint(file)$effects, list(from = "Belonging", to = "Calm"))
  other <- effect(bp, Calm ~ Belonging)
  expect_match(message_of(fit_model(claim(other, H1 = effect[Calm, Belonging] > 0), choirs)),
               "effect[Belonging, Calm]", fixed = TRUE)
  expect_match(message_of(fit_model(claim(bp, H1 = loading[Calm, sc7] > 0), choirs)), "sc1|sc4")
})

test_that("files and swapped arguments are recognised", {
  expect_match(message_of(screen_data("my data.csv")), "read.csv(\"my data.csv\")", fixed = TRUE)
  expect_match(message_of(screen_data(bp, choirs)), "screen_data(data, blueprint)", fixed = TRUE)
  for (verb in c("fit_model", "identification", "rescue", "invariance"))
    expect_match(message_of(get(verb)(choirs, bp)), paste0(verb, "(blueprint, data)"),
                 fixed = TRUE)
  expect_match(command("fit", extdata("choirs.csv"), extdata("choirs.yaml"))$err,
               text_pattern("blueprint_file_comes_first"))
  expect_no_match(message_of(screen_data(3)), "read.csv", fixed = TRUE)
})

test_that("items and blueprints are described in this package's own way", {
  expect_match(message_of(construct(bp, "X", reflected_in = starts_with("cr"))),
               text_pattern("items_by_name"))
  expect_match(message_of(update(bp)), text_pattern("verbs_change_blueprint"))
  mine <- c("cr1", "cr2", "cr3")
  expect_match(message_of(fit_model(construct(bp, "X", reflected_in = mine), choirs)),
               "all_of(mine)", fixed = TRUE)
})

test_that("rows of estimates and effects are found by label, and unknown labels are errors", {
  fit <- quiet_fit(effect(bp, Calm ~ Belonging), choirs)
  table <- estimates(fit)
  at <- which(table$parameter == "loading[Calm, sc2]")
  expect_identical(table["loading[Calm, sc2]", ], table[at, ])
  expect_identical(table["loading[Calm, sc2]", "estimate"], table$estimate[at])
  expect_identical(table[c("loading[Calm, sc2]", "variance[be1]"), c("parameter", "se")]$parameter,
                   c("loading[Calm, sc2]", "variance[be1]"))
  expect_identical(table["estimate"]$estimate, table$estimate)
  expect_identical(nrow(table[table$status == "free", ]), sum(table$status == "free"))
  expect_identical(dim(table[1:3, 1:2]), c(3L, 2L))
  expect_match(message_of(table["loading[Calm, sc7]", ]), "loading[Calm, sc", fixed = TRUE)
  total <- effects(fit)
  expect_identical(total["effect[Belonging, Calm]", "estimate"], total$estimate[1])
  expect_match(message_of(total["effect[Calm, Belonging]", "estimate"]), "Did you mean")
})

test_that("a methods text is a character vector that R's own functions write", {
  text <- methods_text(quiet_fit(bp, choirs))
  expect_identical(capture.output(writeLines(text)), as.character(text))
  expect_match(paste(capture.output(cat(text, sep = "\n")), collapse = " "), "maximum likelihood")
  expect_identical(text$paragraphs, as.character(text))
  expect_type(text$references, "character")
})
