# Tables in a knitted document, against the printed columns they replace.

knitted <- function(..., chunk = "") {
  skip_if_not_installed("knitr")
  lines <- c(paste0("```{r, echo = FALSE", chunk, "}"), ..., "```")
  strsplit(knitr::knit(text = lines, quiet = TRUE, envir = parent.frame()), "\n")[[1]]
}
quiet <- function(code) suppressWarnings(suppressMessages(code))
fit <- quiet(fit_model(read_blueprint(extdata("choirs-start.yaml")), choirs))
cells <- function(lines, row) {
  rows <- grep("^\\|", lines, value = TRUE)
  trimws(strsplit(gsub("^\\||\\|$", "", rows[row]), "|", fixed = TRUE)[[1]])
}

test_that("estimates, indices and effects are tables with their values", {
  lines <- knitted("estimates(fit)")
  expect_match(cells(lines, 2)[2], "---:", fixed = TRUE)
  second <- estimates(fit)[2, ]
  expect_identical(cells(lines, 4)[1:3], c("`loading[Belonging, be2]`",
                                           format_fixed(second$estimate), format_fixed(second$se)))
  expect_length(grep("^\\|", lines), 2L + nrow(estimates(fit)))
  lines <- knitted("fit_indices(fit)")
  chisq <- cells(lines, grep("\u03c7|chi2", grep("^\\|", lines, value = TRUE))[1])
  expect_identical(chisq[2], format_fixed(deviance(fit), 2L))
  expect_match(paste(lines, collapse = " "), text_pattern("exact_fit_is_rejected"))
  expect_identical(cells(knitted("effects(fit)"), 3)[1], "`effect[Belonging, Staying]`")
  expect_length(grep("^\\|", knitted("r_squared(fit)")), 2L + nrow(r_squared(fit)))
  expect_match(knitted("verdicts(fit)"), "supported", all = FALSE)
})

test_that("amendments, trail, comparison and what stands side by side", {
  other <- quiet(amend(fit, free = covariance[be1, be2], because = "a | b <i>greeting</i> _x_"))
  found <- quiet(amendments(fit, top = 3))
  lines <- knitted("quiet(amendments(fit, top = 3))")
  # three rows, and the effects of those that stand out on the conclusions
  expect_length(grep("^\\| `", lines), 3 + sum(found$relation[1:3] == ""))
  trail_lines <- knitted("trail(other)")
  expect_length(grep("^\\|", trail_lines), 4)
  expect_match(trail_lines, "a \\| b &lt;i>greeting&lt;/i> \\_x\\_", fixed = TRUE, all = FALSE)
  lines <- knitted("compare_models(fit, other)")
  expect_match(paste(lines, collapse = " "), paste("falls by",
                                                 format_fixed(deviance(fit) - deviance(other), 2L)),
               fixed = TRUE)
  expect_match(knitted("side_by_side(fit, other)"), "covariance[be1, be2]", fixed = TRUE,
               all = FALSE)
})

test_that("groups, with their cautions first", {
  ladder <- quiet(invariance(read_blueprint(extdata("models/measurement.yaml")), choirs,
                             by = "setting"))
  expect_match(knitted("ladder"), "^\\| metric \\| configural", all = FALSE)
  lines <- knitted("latent_means(ladder)")
  expect_match(lines[nzchar(lines)][1], "^> CAUTION")
  expect_match(knitted("noninvariance(ladder)"), "^> CAUTION", all = FALSE)
})

test_that("measures, shares of variance, and methods in words", {
  quality <- construct_quality(fit)
  lines <- knitted("quality")
  rows <- grep("^\\| `?(Belonging|Calm|Craft|Staying)", lines, value = TRUE)
  expect_gt(length(rows), 4)               # pairs of constructs below
  omega <- as.data.frame(quality)$omega
  for (k in 1:4) expect_match(rows[k], sub("^0", "", sprintf("%.2f", omega[k])), fixed = TRUE)
  split <- variance_split(quiet(fit_model(read_blueprint(extdata("models/bifactor.yaml")),
                                          choirs_bifactor)))
  lines <- knitted("split")
  table <- as.data.frame(split)
  for (k in c(1, 12)) {
    row <- grep(paste0("^\\| `?", table$item[k], "`? "), lines, value = TRUE)
    expect_match(row[1], sub("^0", "", sprintf("%.2f", table$general[k])), fixed = TRUE)
  }
  expect_match(paste(lines, collapse = " "), "total score")
  text <- methods_text(fit)
  lines <- paste(knitted("text"), collapse = "\n")
  expect_match(lines, "720 cases")
  expect_match(lines, "Arbuckle")
})

test_that("a chunk can ask for the printed form, and a stripped table is still shown", {
  lines <- knitted("estimates(fit)", chunk = ", render = knitr::normal_print")
  expect_match(lines, "Estimates", all = FALSE)
  expect_false(any(grepl("^\\|", lines)))
  expect_false(any(grepl("^\\|", knitted("estimates(fit)[, c('parameter', 'estimate')]"))))
})
