# From poor fit to a justified model on the command line, step by step as in vignette("amendments").
folder <- tempfile("analysis")
dir.create(folder)
inside <- function(name) file.path(folder, name)
start <- read_blueprint(extdata("choirs-start.yaml"))
write_blueprint(start, inside("one.yaml"))
file.copy(extdata("choirs.csv"), inside("choirs.csv"))

test_that("diagnose shows where it misfits and what would mend it", {
  fit <- quiet_fit(start, choirs)
  text <- command("diagnose", inside("one.yaml"), inside("choirs.csv"), "--top", "3")
  expect_equal(text$code, 0)
  for (part in c("Largest residuals", "Paths that could be removed", "Amendments",
                 "loading\\[Calm, st2\\]",
                 "orizzonte amend .*--free 'loading")) expect_match(text$out,
      part)
  json <- jsonlite::fromJSON(command("diagnose", inside("one.yaml"), inside("choirs.csv"),
                                     "--format", "json", "--quiet")$out)
  expect_equal(json$amendments$modification_index, amendments(fit)$modification_index,
               tolerance = 1e-10)
  expect_equal(json$residuals$residual, residuals(fit, "correlation", largest = Inf)$residual,
               tolerance = 1e-10)
  csv <- utils::read.csv(text = command("diagnose", inside("one.yaml"), inside("choirs.csv"),
                                        "--format", "csv", "--table", "without", "--quiet")$out)
  expect_equal(csv$actual_rise, without(fit)$actual_rise, tolerance = 1e-8)
  expect_equal(command("diagnose", inside("one.yaml"), inside("choirs.csv"), "--top", "many")$code,
               2)
})

test_that("amend writes the next blueprint with its trail, one change at a time", {
  one <- command("amend", inside("one.yaml"), inside("choirs.csv"), "--free",
                 "covariance[be1, be2]", "--because", "both are about being greeted",
                 "--out", inside("two.yaml"))
  expect_equal(one$code, 0)
  expect_match(one$err, text_pattern("next_blueprint_written"))
  two <- command("amend", inside("two.yaml"), inside("choirs.csv"), "--free", "loading[Calm, st2]",
                 "--because", "settled and glad is about calm, too",
                 "--out", inside("three.yaml"), "--format", "json", "--quiet")
  steps <- jsonlite::fromJSON(two$out)$trail
  fit <- quiet_fit(start, choirs)
  by_hand <-
    suppressMessages(amend(fit, free = covariance[be1, be2],
                           because = "both are about being greeted"))
  by_hand <-
    suppressMessages(amend(by_hand, free = loading[Calm, st2],
                           because = "settled and glad is about calm, too"))
  expect_equal(steps$chisq, trail(by_hand)$chisq, tolerance = 1e-9)
  expect_equal(read_blueprint(inside("three.yaml")), by_hand$request$blueprint, tolerance = 1e-7)
  csv <- command("amend", inside("three.yaml"), inside("choirs.csv"), "--omit", "cr4", "--because",
                 "robes are no craft", "--out", inside("four.yaml"),
                 "--format", "csv", "--quiet")
  expect_match(utils::read.csv(text = csv$out)$note[4], "without cr4")
  held <- command("amend", inside("three.yaml"), inside("choirs.csv"), "--fix",
                  "loading[Calm, sc4] == 1", "--out", inside("held.yaml"))
  expect_match(held$err, text_pattern("no_reason_was_given"))
  expect_equal(command("amend", inside("one.yaml"), inside("choirs.csv"), "--free",
                       "loading[Calm, st2]")$code, 2)
  expect_match(command("amend", inside("one.yaml"), inside("choirs.csv"), "--out",
                       inside("x.yaml"))$err, text_pattern("orizzonte_amend_needs_change"))
  wrong <- command("amend", inside("one.yaml"), inside("choirs.csv"), "--free",
                   "loading[Calm, st5]", "--out", inside("x.yaml"))
  expect_equal(wrong$code, 2)
  expect_match(wrong$err, text_pattern("did_you_mean"))
  expect_false(file.exists(inside("x.yaml")))
})

test_that("compare puts any number of blueprints side by side, on the same rows when asked", {
  files <- c(inside("one.yaml"), inside("two.yaml"), inside("three.yaml"), inside("choirs.csv"))
  text <- do.call(command, as.list(c("compare", files)))
  expect_equal(text$code, 0)
  expect_match(text$out, text_pattern("aic_bic_favour", best = "three"))
  table <-
    utils::read.csv(text = do.call(command,
                                   as.list(c("compare", files, "--format", "csv", "--quiet",
                                             "--against", "one")))$out)
  expect_equal(table$nested[2:3], c("yes", "yes"))
  expect_equal(table$df_change[2:3], c(-1, -2))
  json <- jsonlite::fromJSON(command("compare", inside("three.yaml"), inside("four.yaml"),
                                     inside("choirs.csv"), "--same-rows", "--incomplete", "drop",
                                     "--format", "json", "--quiet")$out)
  expect_equal(unique(json$models$n), 625)
  expect_match(json$notes, text_pattern("are_about_different_variables", only = "cr4"), all = FALSE)
  expect_equal(command("compare", inside("one.yaml"), inside("choirs.csv"))$code, 2)
})

test_that("the defended model is drawn and reported with its trail", {
  for (what in c("residuals", "loadings", "amendments", "trail")) {
    drawn <- command("draw", inside("four.yaml"), inside("choirs.csv"), "--what", what, "--out",
                     inside(paste0(what, ".png")))
    expect_equal(drawn$code, 0)
    expect_gt(file.size(inside(paste0(what, ".png"))), 5000)
  }
  expect_equal(command("report", inside("four.yaml"), inside("choirs.csv"), "--out",
                       inside("report.md"))$code, 0)
  page <- paste(readLines(inside("report.md")), collapse = "\n")
  for (part in c(paste("#", text_of("head_trail")), "both are about being greeted",
                 text_of("what_could_be_freed"), paste("#", text_of("head_claims"))))
    expect_match(page, part)
})

test_that("invariance climbs the ladder, loosens a rung, and gives every table", {
  bp <- blueprint("Two settings") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |>
    construct("Craft", reflected_in = cr1:cr3) |> covary(be1, be2)
  write_blueprint(bp, inside("groups.yaml"))
  ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
  text <- command("invariance", inside("groups.yaml"), inside("choirs.csv"), "--by", "setting",
                  "--loosen", "scalar")
  expect_equal(text$code, 0)
  for (part in c("Invariance: Two settings", "Released, in this order",
                 "intercept\\[cr3 \\| weekend\\]", "Means of constructs",
                 "Non-invariance of items")) {
    expect_match(text$out, part)
  }
  csv <- utils::read.csv(text = command("invariance", inside("groups.yaml"), inside("choirs.csv"),
                                        "--by", "setting", "--format", "csv", "--quiet")$out)
  expect_equal(csv$chisq, ladder$table$chisq, tolerance = 1e-9)
  json <- jsonlite::fromJSON(command("invariance", inside("groups.yaml"), inside("choirs.csv"),
                                     "--by", "setting", "--format", "json", "--quiet")$out)
  expect_equal(json$rungs$cfi, ladder$table$cfi, tolerance = 1e-9)
  expect_equal(json$latent_means$difference, latent_means(ladder)$difference, tolerance = 1e-7)
  expect_match(command("invariance", inside("groups.yaml"), inside("choirs.csv"))$err,
               text_pattern("ladder_needs_column_or"))
  write_blueprint(read_blueprint(inside("groups.yaml")) |> hold_equal(loading, intercept),
                  inside("held.yaml"))
  held <- command("fit", inside("held.yaml"), inside("choirs.csv"), "--by", "setting", "--format",
                  "csv", "--quiet")
  expect_equal(sum(utils::read.csv(text = held$out)$status == "held"), 38)
  # commas also work between names of rungs
  both <- command("invariance", extdata("choirs.yaml"), extdata("choirs.csv"), "--by", "setting",
                  "--rungs", "configural,metric", "--loosen", "metric, metric", "--format", "json")
  expect_equal(both$code, 0)
  expect_equal(jsonlite::fromJSON(both$out)$rungs$rung, c("configural", "metric"))
})

test_that("report is about a fit, several, or a ladder; check and amend know groups", {
  folder <- fresh_folder()
  inside <- function(name) file.path(folder, name)
  bp <- blueprint("Two settings") |> construct("Calm", reflected_in = sc1:sc4) |>
    construct("Craft", reflected_in = cr1:cr3)
  write_blueprint(bp, inside("groups.yaml"))
  file.copy(extdata("choirs.csv"), inside("choirs.csv"))
  made <- command("report", inside("groups.yaml"), inside("choirs.csv"), "--by", "setting",
                  "--ladder", "--loosen", "scalar", "--out", inside("groups.md"))
  expect_equal(made$code, 0)
  expect_match(paste(readLines(inside("groups.md")), collapse = " "),
               text_pattern("what_was_released"))
  write_blueprint(hold_equal(bp, loading), inside("held.yaml"))
  freed <- command("amend", inside("held.yaml"), inside("choirs.csv"), "--by", "setting", "--free",
                   "loading[Calm, sc2 | weekend]", "--because", "another stage", "--out",
                   inside("next.yaml"))
  expect_equal(freed$code, 0)
  again <- read_blueprint(inside("next.yaml"))
  expect_identical(again$let_differ, "loading[Calm, sc2 | weekend]")
  fitted <- quiet_fit(again, utils::read.csv(inside("choirs.csv")), by = "setting")
  expect_equal(trail(again)$chisq[2], deviance(fitted), tolerance = 1e-9)
  both <- command("report", inside("held.yaml"), inside("next.yaml"), inside("choirs.csv"), "--by",
                  "setting", "--out", inside("both.md"))
  expect_equal(both$code, 0)
  expect_match(paste(readLines(inside("both.md")), collapse = " "),
               text_pattern("the_models_compared"))
  expect_match(command("report", inside("groups.yaml"), inside("choirs.csv"), "--ladder", "--out",
                       inside("x.md"))$err, text_pattern("ladder_needs_column_or"))
  expect_match(command("report", inside("groups.yaml"), inside("choirs.csv"), "--loosen", "scalar",
                       "--out", inside("x.md"))$err, text_pattern("needs_ladder"))
  writeLines("p_change: .05", inside("criteria.yaml"))
  picked <- command("invariance", inside("groups.yaml"), inside("choirs.csv"), "--by", "town",
                    "--levels", "Hill=Cliff; River=Brook", "--structural", "mean",
                    "--structural-on", "scalar", "--criteria", inside("criteria.yaml"), "--against",
                    "first", "--quiet")
  expect_equal(picked$code, 0)
  for (part in c("Hill 1", "River 2", "configural ", "p .05", "mean "))
    expect_match(picked$out, part, fixed = TRUE)
  expect_match(command("fit", inside("groups.yaml"), inside("choirs.csv"), "--criteria",
                       inside("none.yaml"))$err, text_pattern("there_is_no_file"))
  check <- command("check", inside("held.yaml"), inside("choirs.csv"), "--by", "setting")
  expect_equal(check$code, 0)
  expect_match(check$out, text_pattern("held_equal_across_groups"))
})
