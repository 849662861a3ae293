# Every blueprint among the demo models, against the brute-force truth.

demo_models <- list.files(system.file("extdata", "models", package = "orizzonte"),
                          full.names = TRUE)
demo_data <- function(bp) {
  variables <- blueprint_variables(bp)$observed
  data <- Filter(function(d) all(variables %in% names(d)),
                 list(choirs, choirs_bifactor, choirs_growth))[[1]]
  data <-
    as.data.frame(lapply(data[variables], function(x) {
      if (is.factor(x)) as.numeric(x) - 1 else
      as.numeric(x)
    }))
  data[stats::complete.cases(data), ]
}

# The oracle's cells from the parameter table: only its rows and values are used, not the package's
# computations.
table_model <- function(layout) {
  all <- c(layout$observed, layout$constructs)
  rows <- layout$rows
  matrix <- c("B", "Psi", "alpha")[rows$family + 1]
  col <- ifelse(matrix == "alpha", all[rows$row], all[rows$col])
  cells <- data.frame(matrix = matrix, row = all[rows$row], col = col, value = rows$fixed,
                      label = rows$class)
  oracle_model(layout$observed, layout$constructs, cells, means = layout$means)
}

test_that("there is a demo blueprint for every kind of model", {
  expect_setequal(sub(".yaml", "", basename(demo_models), fixed = TRUE),
                  c("regression", "path", "saturated", "measurement", "structural", "feedback",
                    "second-order", "third-order", "bifactor", "bifactor-partial",
                    "composite", "single-item", "growth", "causes", "congeneric", "tau-equivalent",
                    "parallel", "equations"))
})

for (file in demo_models) {
  name <- sub(".yaml", "", basename(file), fixed = TRUE)
  test_that(paste("the demo model agrees with the brute-force truth:", name), {
    bp <- read_blueprint(file)
    data <- demo_data(bp)
    expect_no_warning(fit <- quiet_fit(bp, data))
    expect_output(print(summary(fit)), text_pattern("converged_solution_is_proper"))
    if (name == "equations") return(invisible())           # test-blueprint-restrict.R has its own
    model <- table_model(fit$layout)
    sample <- sample_of(data[model$observed])
    start <- as.numeric(values_of(fit)[match(model$labels, fit$layout$rows$class)])
    set.seed(1)
    oracle <- oracle_fit(model, start * (1 + 0.02 * stats::rnorm(length(start))), sample)
    expect_lt(oracle$decrement, 1e-10)
    order <- match(fit$layout$rows$class[match(names(coef(fit)), fit$layout$rows$parameter)],
                   model$labels)
    expect_agreement(fit, oracle$theta[order], sqrt(diag(oracle$vcov))[order], oracle$chisq)
    copy <- tempfile(fileext = ".yaml")
    write_blueprint(bp, copy)
    expect_identical(read_blueprint(copy), bp)
    drawn <- path_diagram(fit)
    expect_s3_class(drawn, "ggplot")
  })
}

test_that("third-order constructs agree with cells written by hand", {
  items <- list(Belonging = paste0("be", 2:4), Staying = paste0("st", 1:3),
                Calm = c("sc1", "sc2", "sc4"), Craft = paste0("cr", 1:3))
  cells <- oracle_factor_cells(items)
  cells <- cells[!(cells$matrix == "Psi" & cells$row != cells$col), ]
  more <- function(matrix, row, col, value) {
    data.frame(matrix = matrix, row = row, col = col, value = value)
  }
  cells <- rbind(cells, more("B", c("Belonging", "Staying"), "Attachment", 1),
                 more("B", c("Calm", "Craft"), "Confidence", 1),
                 more("B", c("Attachment", "Confidence"), "Choir", 1),
                 more("Psi", c("Attachment", "Confidence", "Choir"),
                      c("Attachment", "Confidence", "Choir"), NA))
  model <- oracle_model(unlist(items, use.names = FALSE),
                        c(names(items), "Attachment", "Confidence", "Choir"), cells)
  data <- complete_choirs(model$observed)
  bp <- read_blueprint(demo_models[basename(demo_models) == "third-order.yaml"])
  expect_oracle(fit_model(bp, summary_data(cov(data), nrow(data))), model, data)
})

test_that("parallel, tau-equivalent and congeneric items are nested, with the right df", {
  data <- complete_choirs(c("cr1", "cr2", "cr3", "sc1", "sc2", "sc4"))
  fits <- lapply(c("congeneric", "tau-equivalent", "parallel"), function(name) {
    quiet_fit(read_blueprint(demo_models[basename(demo_models) == paste0(name, ".yaml")]), data)
  })
  expect_equal(vapply(fits, df.residual, 0), c(8, 10, 12))
  compared <- anova(fits[[1]], fits[[2]], fits[[3]])
  expect_equal(compared$df_change, c(NA, 2, 2))
  expect_true(all(compared$chisq_change[-1] > 0))
})

test_that("a saturated model and a simple regression are lm(), fit exactly, and say so", {
  data <- complete_choirs(c("be3", "years", "age"))
  fit <- quiet_fit(blueprint("Regression") |> effect(be3 ~ years + age), data)
  reference <- stats::lm(be3 ~ years + age, data)
  expect_equal(unname(coef(fit)[c("effect[years, be3]", "effect[age, be3]", "intercept[be3]")]),
               unname(coef(reference)[c(2, 3, 1)]), tolerance = 1e-8)
  expect_equal(coef(fit)[["variance[be3]"]], mean(stats::residuals(reference)^2), tolerance = 1e-8)
  expect_equal(fit_indices(fit)$value[fit_indices(fit)$index == "cfi"], 1)
  expect_match(attr(fit_indices(fit), "reading"), "saturated")
})

test_that("a growth model without its means is told what is missing", {
  bp <- blueprint("Growth") |>
    construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1)) |>
    construct("Slope", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4 = 3))
  expect_message(fit_model(bp, choirs_growth),
                 text_pattern("means_are_0_intercepts"))
  expect_message(fit_model(bp, choirs_growth), "restrict(intercept[c(w1, w2, w3, w4)] == 0)",
                 fixed = TRUE)
  suppressWarnings(expect_message(fit_model(restrict(bp, intercept[w1:w4] == 0), choirs_growth),
                                  text_pattern("means_are_0_growth",
                                               relax = "relax(mean[Level], mean[Slope])")))
  whole <- restrict(bp, intercept[w1:w4] == 0) |> relax(mean[Level], mean[Slope])
  expect_no_message(fit_model(whole, choirs_growth))
  expect_no_message(fit_model(bp, summary_data(cov(choirs_growth[1:4]), 400)))
})

test_that("overlapping items of a composite are pointed out; a marker weight near zero gives way", {
  set.seed(5)
  n <- 400
  a <- stats::rnorm(n)
  data <- data.frame(a = a, b = a + stats::rnorm(n, 0, 0.2), c = stats::rnorm(n))
  data$y1 <- 0.5 * data$a + 0.5 * data$c + stats::rnorm(n)
  data$y2 <- 0.4 * data$a + 0.4 * data$c + stats::rnorm(n)
  bp <- blueprint("Overlap") |> construct("R", composed_of = c(a, b, c)) |> effect(y1 ~ R) |>
    effect(y2 ~ R)
  expect_message(fit_model(bp, data), text_pattern("items_composite_overlap_variance", name = "R"))
  # exactly unrelated to everything
  data$noise <- stats::residuals(stats::lm(stats::rnorm(n) ~ ., data))
  bp <- blueprint("Marker") |> construct("R", composed_of = c(noise, a, c)) |> effect(y1 ~ R) |>
    effect(y2 ~ R)
  expect_message(fit <- fit_model(bp, data),
                 text_pattern("marker_near_zero", was = "weight[noise, R]", markers = "R"))
  expect_equal(fit$solution$status, 0L)
  named <- blueprint("Named") |> construct("R", composed_of = c(noise, a, c), scale = "a") |>
    effect(y1 ~ R) |> effect(y2 ~ R)
  other <- quiet_fit(named, data)
  expect_equal(deviance(fit), deviance(other), tolerance = 1e-8)
})
