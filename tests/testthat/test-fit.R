# The fit as an object: kept completely, stored once, refitted in one way, refused when it was
# tampered with.

calm <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
two <- calm |> construct("Belonging", reflected_in = be1:be4)

test_that("refit() changes anything of a request, and is the same as fitting anew", {
  fit <- quiet_fit(two, choirs, missing_codes = -9)
  same <- function(a, b) expect_equal(coef(a), coef(b), tolerance = 1e-9)
  expect_identical(fit$request$missing_codes, -9)
  quiet <- function(...) suppressMessages(refit(fit, ...))
  same(quiet(blueprint = covary(two, be1, be2)), quiet_fit(covary(two, be1, be2), choirs))
  # rows that were incomplete only in other variables are used again
  same(quiet(blueprint = calm), quiet_fit(calm, choirs))
  expect_equal(nobs(quiet(blueprint = calm)), nobs(quiet_fit(calm, choirs)))
  same(quiet(data = choirs[1:400, ]), quiet_fit(two, choirs[1:400, ]))
  same(quiet(omit_rows = 1:100), quiet_fit(two, choirs[-(1:100), ]))
  same(quiet(data = choirs, by = setting), quiet_fit(two, choirs, by = "setting"))
  same(quiet(data = choirs, by = town, levels = c("Brook", "Arden")),
       quiet_fit(two, choirs, by = "town", levels = c("Brook", "Arden")))
  same(suppressMessages(refit(quiet_fit(two, choirs, by = "setting"),
                              levels = c("weekend", "evening"))),
       quiet_fit(two, choirs, by = "setting", levels = c("weekend", "evening")))
  whole <- choirs[stats::complete.cases(choirs), ]
  same(quiet(data = whole, multiplier = "n-1"), quiet_fit(two, whole, multiplier = "n-1"))
  same(suppressMessages(update(fit, data = whole, multiplier = "n-1")),
       quiet(data = whole, multiplier = "n-1"))
  same(quiet(incomplete = "drop", multiplier = "n-1"), quiet_fit(two, choirs, multiplier = "n-1",
                                                                 incomplete = "drop"))
  expect_equal(vcov(quiet(inference = "robust")), vcov(quiet_fit(two, choirs,
                                                                 inference = "robust")))
  expect_equal(vcov(suppressWarnings(quiet(data = choirs, clusters = town))),
               vcov(suppressWarnings(quiet_fit(two, choirs, clusters = "town"))))
  expect_error(refit(fit, blueprnt = calm), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
  expect_error(refit(fit, 3), "unnamed", class = "orizzonte_error_input")
  expect_error(quiet(blueprint = effect(two, years ~ Calm)), text_pattern("fit_keeps_only_columns"),
               class = "orizzonte_error_name")
  same(quiet(blueprint = effect(two, years ~ Calm), data = choirs),
       quiet_fit(effect(two, years ~ Calm), choirs))
  expect_error(quiet(omit_rows = 0), text_pattern("omit_rows_must_be"),
               class = "orizzonte_error_input")
  expect_error(
    refit(fit_model(calm, summary_data(cov(choirs[paste0("sc", 1:4)], use = "complete.obs"), 500)),
          by = setting),
               "summary data", class = "orizzonte_error_input")
})

test_that("a light fit at other values serves every reader", {
  fit <- quiet_fit(effect(two, Calm ~ Belonging), choirs)
  moved <- fit_at(fit, coef(fit) * 1.01)
  expect_equal(unname(coef(moved)), unname(coef(fit)) * 1.01)
  expect_false(isTRUE(all.equal(implied(moved), implied(fit))))
  for (reader in list(estimates, effects, r_squared, fit_indices, equations,
                      function(f) residuals(f, largest = 3))) {
    expect_s3_class(reader(moved), "data.frame")
  }
})

test_that("by may be bare or quoted, and a bare name is never evaluated", {
  setting <- "town"
  bare <- quiet_fit(calm, choirs, by = setting)
  expect_identical(bare$layout$groups, c("evening", "weekend"))
  expect_identical(coef(bare), coef(quiet_fit(calm, choirs, by = "setting")))
  column <- "town"
  expect_error(quiet_fit(calm, choirs, by = column), "all_of\\(column\\)",
               class = "orizzonte_error_name")
  expect_length(quiet_fit(calm, choirs, by = all_of(column))$layout$groups, 3)
  expect_error(quiet_fit(calm, choirs, by = c(setting, town)), text_pattern("must_be_one_column"),
               class = "orizzonte_error_input")
})

test_that("data are stored once, along trails and ladders, in memory and when saved", {
  set.seed(4)
  n <- 17000
  f <- matrix(rnorm(3 * n), n)
  wide <- as.data.frame(0.7 * f[, rep(1:3, each = 4)] + 0.6 * matrix(rnorm(12 * n), n))
  names(wide) <- paste0(rep(c("a", "b", "c"), each = 4), 1:4)
  wide$g <- rep(c("x", "y"), length.out = n)
  bp <- blueprint("Large") |> construct("A", reflected_in = a1:a4) |>
    construct("B", reflected_in = b1:b4) |> construct("C", reflected_in = c1:c4)
  size <- function(x) {
    file <- tempfile()
    on.exit(unlink(file))
    saveRDS(x, file, compress = FALSE)
    file.size(file)
  }
  expect_gt(size(wide), 1.6e6)
  ladder <- suppressMessages(invariance(bp, wide, by = g))
  expect_length(ladder$fits, 4)
  expect_lt(size(ladder) / size(wide), 2)
  capture.output(print(ladder))
  lapply(ladder$fits, function(fit) capture.output(print(summary(fit))))
  # also after results functions were used
  expect_lt(size(ladder) / size(wide), 2)
  one <- quiet_fit(bp, wide)
  trailed <- suppressMessages(amend(one, free = covariance[a1, a2], because = "to see"))
  expect_lt(size(list(one, trailed, quiet_fit(bp, wide), quiet_fit(hold_equal(bp, loading), wide,
      by = "g"))) / size(wide), 2.3)
  expect_identical(one$sample$data, trailed$sample$data)
  expect_identical(one$sample$data, quiet_fit(bp, wide)$sample$data)
  expect_true(environmentIsLocked(one$sample$data))
  file <- tempfile()
  saveRDS(ladder, file)
  expect_equal(as.data.frame(readRDS(file)), as.data.frame(ladder))
  expect_equal(estimates(readRDS(file)$fits$scalar), estimates(ladder$fits$scalar))
})

test_that("what an earlier version of the same form has saved is read by everything", {
  # made by data-raw/saved.R; made again when `fit_format` increases
  saved <- readRDS(test_path("fixtures", "saved.rds"))
  expect_identical(saved$fit$format, fit_format)
  again <- quiet_fit(saved$fit$request$blueprint, saved$data)
  expect_equal(coef(saved$fit), coef(again), tolerance = 1e-6)
  expect_equal(as.data.frame(estimates(saved$fit)), as.data.frame(estimates(again)),
               tolerance = 1e-5)
  expect_equal(deviance(refit(saved$fit)), deviance(again), tolerance = 1e-8)
  expect_output(print(summary(saved$fit)), "CFI")
  expect_output(print(saved$ladder), "metric")
  expect_output(print(latent_means(saved$ladder)), "weekend")
  expect_output(print(saved$quality), "omega")
  expect_equal(nrow(trail(saved$amended)), 2)
  expect_s3_class(path_diagram(saved$amended), "ggplot")
  expect_gt(nrow(amendments(saved$fit, top = 0)), 1)
  for (x in saved[c("fit", "ladder", "quality", "amended", "boot")])
    expect_s3_class(methods_text(x), "orizzonte_text")
})

test_that("a fit from another version or a tampered one is refused by class, never a crash", {
  fit <- quiet_fit(two, choirs)
  old <- fit
  old$version <- "0.0.1"
  expect_equal(estimates(old), estimates(fit))
  old$format <- NULL
  expect_error(estimates(old), text_pattern("was_made_version_which"),
               class = "orizzonte_error_object")
  bare <- structure(list(blueprint = two, layout = fit$layout, core = list()),
                    class = "orizzonte_fit")
  expect_error(summary(bare), class = "orizzonte_error_object")
  fresh <- function(change) {
    x <- new_fit(fit$request, fit$sample, fit$layout, fit$solution, fit$moments)
    eval(change)
    x
  }
  tampered <- expression(
    x$layout$model$row[1] <- 99L,
    x$layout$model$col <- -x$layout$model$col,
    x$layout$model$family[2] <- 7L,
    x$layout$model$map_parameter[3] <- 1000L,
    x$layout$model$map_entry <- x$layout$model$map_entry + 500L,
    x$layout$model$observed <- 800L,
    x$layout$model$constant <- 1,
    x$layout$model$scales[[1]]$loadings <- 77L,
    x$layout$model$row <- as.numeric(x$layout$model$row),
    x$layout$model <- NULL,
    x$moments[[1]]$covariance <- diag(3),
    x$moments[[1]]$n <- NA_real_,
    x$moments <- list(),
    x$solution$known <- 1)
  for (change in tampered)
    expect_error(amendments(fresh(change), top = 0), class = "orizzonte_error_object")
  bounded <- quiet_fit(restrict(calm, loading[Calm, sc2]^2 <= 4), choirs)
  bounded$layout$model$constraints[[1]]$operation <- c(2L, 2L)
  bounded$layout$model$constraints[[1]]$argument <- c(0, 0)
  expect_error(amendments(bounded, top = 0), class = "orizzonte_error_object")
})

test_that("an interrupt stops a fit that would go on for minutes, and nothing is half done", {
  skip_on_os("windows")
  code <- paste(
    paste0("library(orizzonte); set.seed(1); x <- as.data.frame(matrix(rnorm(70 * 120), 120)); ",
           "names(x) <- paste0('v', 1:70);"),
    paste0("bp <- blueprint('noise'); for (k in 1:35) bp <- construct(bp, paste0('C', k), ",
           "reflected_in = !!names(x)[2 * k - 1:0]);"),
    paste0("cat('ready\\n'); out <- tryCatch({fit_model(bp, x); 'ended'}, interrupt = ",
           "function(e) 'stopped'); cat(out, '\\n')"))
  expect_identical(interrupted_run(code), c("ready", "stopped"))
})

test_that("readers build nothing anew: no layout, and each shared thing once", {
  fit <- quiet_fit(effect(two, Calm ~ Belonging), choirs)
  ladder <- suppressMessages(invariance(two, choirs, by = setting))
  built <- 0L
  space <- asNamespace("orizzonte")
  original <- get("stack_groups", space)
  on.exit(assignInNamespace("stack_groups", original, "orizzonte"))
  assignInNamespace("stack_groups", function(...) {
    built <<- built + 1L
    original(...)
  }, "orizzonte")
  capture.output(print(summary(fit)), print(ladder), print(fit), print(estimates(fit)),
                 print(residuals(fit, largest = 5)))
  expect_identical(built, 0L)
  expect_true(all(c("indices", "standardized", "errors") %in% ls(fit$cache)))
})
