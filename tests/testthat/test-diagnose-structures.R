# Structured alternatives: splits of constructs, method factors, a general factor.

halves <- function(n, r, seed, size = 5) {
  set.seed(seed)
  f <- stats::rnorm(n)
  g <- r * f + sqrt(1 - r^2) * stats::rnorm(n)
  common <- cbind(matrix(f, n, size), matrix(g, n, size))
  data <- as.data.frame(0.7 * common + matrix(stats::rnorm(n * 2 * size), n) * sqrt(0.51))
  stats::setNames(data, paste0("x", seq_len(2 * size)))
}
one <- blueprint("One") |> construct("F", reflected_in = x1:x10)

test_that("a split is found, with statistic, partition and fall of an independent code", {
  fit <- quiet_fit(one, halves(200, 0.75, 5001))
  expect_equal(deviance(fit), 64.987, tolerance = 1e-5)
  found <- amendments(fit, top = 3)
  split <- found$structures
  expect_equal(split$z[1], 5.7587, tolerance = 1e-4)
  expect_identical(c(split$part_one[1], split$part_two[1]),
                   c("x1, x2, x3, x4, x5", "x6, x7, x8, x9, x10"))
  expect_equal(split$drop[1], 26.170, tolerance = 1e-4)
  expect_identical(split$df[1], 1L)
  # an item that belongs to both halves could be on either side; here each has its own
  expect_identical(split$either_side[1], "")
  expect_equal(split$aic_change[1], 2 - 26.170, tolerance = 1e-3)
  expect_true(split$says_as_much[1])
  expect_lt(attr(split, "p_joint"), 0.01)
  expect_identical(attr(split, "leads"), "split")
  two <- quiet_fit(blueprint("Two") |> construct("A", reflected_in = x1:x5) |>
                     construct("B", reflected_in = x6:x10), halves(200, 0.75, 5001))
  expect_equal(split$drop[1], deviance(fit) - deviance(two), tolerance = 1e-6)
  expect_equal(split$correlation[1], stats::cov2cor(implied(two)$all$constructs)[1, 2],
               tolerance = 1e-6)
  # no single change expresses it, and the print does
  expect_false("stands_out" %in% found$verdict)
  expect_output(print(found), text_pattern("structure_split", construct = "F"))
  expect_s3_class(found, "orizzonte_amendments")
  expect_null(found$nonsense)
})

test_that("an item between the halves could be on either side", {
  # in the population x5 reflects both halves equally
  loadings <- cbind(c(rep(0.7, 4), 0.4, rep(0, 5)), c(rep(0, 4), 0.4, rep(0.7, 5)))
  r <- loadings %*% matrix(c(1, 0.6, 0.6, 1), 2) %*% t(loadings)
  diag(r) <- 1
  dimnames(r) <- rep(list(paste0("x", 1:10)), 2)
  split <- amendments(quiet_fit(one, summary_data(r, 400, sd = rep(1, 10))), top = 1)$structures
  expect_match(split$either_side[1], "x5")
  expect_no_match(split$either_side[1], "x1,|x9")
})

test_that("squared statistics of single changes are the modification indices", {
  models <- list(
    quiet_fit(one, halves(200, 0.75, 5001)),
    quiet_fit(blueprint("T") |> construct("A", reflected_in = c(be1, be2, be3, be4)) |>
                construct("B", reflected_in = sc1:sc4) |> effect(B ~ A + years),
              choirs, incomplete = "drop"),
    quiet_fit(blueprint("E") |> construct("A", reflected_in = be1:be4) |>
                construct("B", reflected_in = sc1:sc4) |>
                restrict(loading[A, be2] == loading[A, be3]), choirs, by = setting,
              incomplete = "drop"),
    quiet_fit(hold_equal(blueprint("M") |> construct("A", reflected_in = be1:be4) |>
                           construct("B", reflected_in = sc1:sc4), loading, intercept), choirs,
              by = setting, incomplete = "drop"))
  for (fit in models) {
    geometry <- fit_geometry(fit)
    z <- drop(along_changes(geometry, single_changes(geometry), geometry$residual))
    table <- amendments(fit, top = 0)
    own <- table$kind %in% c("residual covariance within a construct",
                             "residual covariance across constructs", "cross-loading")
    index <- sort(table$modification_index[own], decreasing = TRUE)[1:5]
    expect_lt(max(vapply(index, function(x) min(abs(z^2 - x)), 0)), 1e-4 * (1 + max(index)))
    # the fit is at a stationary point: nothing is left in its tangent space
    expect_lt(max(abs(crossprod(geometry$tangent, geometry$residual))), 1e-8)
  }
})

test_that("every partition into two sets of two or more is tried once", {
  for (size in 4:8) {
    signs <- all_partitions(size)
    expect_equal(ncol(signs), 2^(size - 1) - 1 - size)
    expect_false(anyDuplicated(t(signs)) > 0)
    expect_true(all(signs[1, ] == 1))
    expect_true(all(colSums(signs < 0) >= 2 & colSums(signs > 0) >= 2))
  }
})

test_that("with many items the search finds the halves, too", {
  data <- halves(400, 0.6, 11, 7)
  fit <- quiet_fit(blueprint("Long") |> construct("F", reflected_in = x1:x14), data)
  split <- amendments(fit, top = 1)$structures
  expect_identical(split$part_one[1], paste0("x", 1:7, collapse = ", "))
})

test_that("a method factor of reversed items and a general factor are named", {
  set.seed(3)
  n <- 500
  f <- stats::rnorm(n)
  g <- 0.4 * f + stats::rnorm(n) * sqrt(0.84)
  method <- stats::rnorm(n)
  key <- rep(c(1, 1, 1, -1, -1, -1), 2)
  common <- cbind(matrix(f, n, 6), matrix(g, n, 6)) * 0.7
  noise <- matrix(stats::rnorm(n * 12), n) * sqrt(0.51)
  named <- function(x) stats::setNames(as.data.frame(x), paste0("x", 1:12))
  bp <- blueprint("Keys") |> construct("A", reflected_in = x1:x6) |>
    construct("B", reflected_in = x7:x12)
  negative <- named(sweep(common + noise, 2, key, "*") + outer(method, 0.45 * (key < 0)))
  found <- amendments(quiet_fit(bp, negative), top = 2)$structures
  expect_identical(found$family[1], "method_factor")
  expect_identical(found$part_one[1], "x4, x5, x6, x10, x11, x12")
  # acquiescence, whatever the content of the item
  agreeing <- named(sweep(common + noise, 2, key, "*") + 0.35 * method)
  found <- amendments(quiet_fit(bp, agreeing), top = 2)$structures
  expect_identical(found$family[1], "general_factor")
  expect_true(found$share[1] > 0.03 && found$share[1] < 0.3)
})

test_that("a model that holds has no structure, also with heavy tails and missing values", {
  set.seed(21)
  plain <- halves(300, 1, 21)
  heavy <- plain * sqrt(3 / stats::rchisq(300, 5))
  holed <- plain
  holed[matrix(stats::runif(3000) < 0.02, 300)] <- NA
  for (data in list(plain, heavy, holed)) {
    found <- suppressWarnings(amendments(quiet_fit(one, data), top = 1))
    expect_gt(attr(found$structures, "p_joint"), 0.01)
    expect_true(all(is.na(found$structures$drop)) || attr(found$structures, "p_joint") <= 0.05)
  }
  # heavy tails are detected, and single rows are then judged without assuming normality
  expect_false(rule_heavy_tails(2.58))
  expect_true(rule_heavy_tails(2.581))
  expect_false(rule_heavy_tails(-9))
  expect_false(rule_heavy_tails(NULL))
  shown <- function(data, ...) {
    paste(capture.output(print(suppressWarnings(amendments(quiet_fit(one, data, ...), top = 1)))),
          collapse = " ")
  }
  expect_match(shown(heavy), text_pattern("heavy_tails_rows"))
  expect_no_match(shown(plain), text_pattern("heavy_tails_rows"))
  expect_no_match(shown(heavy, inference = "robust"), text_pattern("heavy_tails_rows"))
  expect_gt(kurtosis_z(quiet_fit(one, heavy)), 2.58)
  expect_lt(abs(kurtosis_z(quiet_fit(one, plain))), 2.58)
  by_normal <- amendments(quiet_fit(one, heavy), top = 0)
  by_cases <- amendments(quiet_fit(one, heavy, inference = "robust"), top = 0)
  same <- match(by_normal$parameter, by_cases$parameter)
  expect_lt(min(by_normal$p), min(by_cases$p))
  # except for the draws
  expect_equal(by_normal$p_adjusted, by_cases$p_adjusted[same], tolerance = 0.05)
  expect_equal(by_normal$power, by_cases$power[same], tolerance = 1e-8)
  # a rejected chi-square is then not evidence of misfit
  said <- attr(amendments(quiet_fit(one, plain * exp(stats::rnorm(300, 0, 0.6))), top = 0),
               "nothing")
  expect_match(said, text_pattern("misfit_or_heavy_tails"))
  # too many missing patterns for the tests of structures: a note
  scattered <- plain
  scattered[matrix(stats::runif(3000) < 0.15, 300)] <- NA
  expect_match(shown(scattered), text_pattern("structures_not_tested"))
  # a saturated model has none at all
  three <- quiet_fit(blueprint("T") |> construct("F", reflected_in = x1:x3), plain)
  expect_null(amendments(three)$structures)
})

test_that("a construct is split with everything it has, and the revision survives a file", {
  bp <- blueprint("Staying") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |> construct("Staying", reflected_in = st1:st3) |>
    effect(Staying ~ Belonging + Calm) |> wording(c(be1 = "Greeted", be3 = "Part of it"))
  fit <- quiet_fit(bp, choirs)
  into <- list(Greeting = c("be1", "be2"), Home = c("be3", "be4"))
  expect_message(amended <- amend(fit, split = Belonging,
                                  into = list(Greeting = c(be1, be2), Home = c(be3, be4)),
                                  because = "two things"), "Greeting")
  by_text <- suppressMessages(amend(fit, split = "Belonging", into = into, because = "two things"))
  expect_equal(deviance(by_text), deviance(amended))
  hand <- quiet_fit(blueprint("Hand") |> construct("Greeting", reflected_in = c(be1, be2)) |>
                      construct("Home", reflected_in = c(be3, be4)) |>
                      construct("Calm", reflected_in = sc1:sc4) |>
                      construct("Staying", reflected_in = st1:st3) |>
                      effect(Staying ~ Greeting + Home + Calm), choirs)
  expect_equal(deviance(amended), deviance(hand), tolerance = 1e-6)
  expect_identical(df.residual(amended), df.residual(hand))
  steps <- as.data.frame(trail(amended))
  expect_match(steps$change[2], "Belonging into Greeting (be1, be2) and Home (be3, be4)",
               fixed = TRUE)
  expect_equal(steps$actual_drop[2], deviance(fit) - deviance(amended), tolerance = 1e-6)
  file <- tempfile(fileext = ".yaml")
  write_blueprint(amended$request$blueprint, file)
  expect_identical(read_blueprint(file), amended$request$blueprint)
  expect_identical(amended$request$blueprint$wording, fit$request$blueprint$wording)
  # an outcome: one construct is two whose disturbances correlate at 1, so the split is larger
  outcome <- quiet_fit(bp |> construct("Craft", reflected_in = cr1:cr4) |>
                         effect(Belonging ~ Craft), choirs)
  split <- suppressMessages(amend(outcome, split = Belonging, into = into, because = "x"))
  expect_lt(deviance(split), deviance(outcome))
  expect_true(is_nested(outcome, split))
})

test_that("what a split cannot be is refused by name", {
  bp <- blueprint("Staying") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4)
  fit <- quiet_fit(bp, choirs)
  try_into <- function(into, split = "Belonging") {
    amend(fit, split = !!split, into = into, because = "x")
  }
  good <- list(A = c("be1", "be2"), B = c("be3", "be4"))
  expect_error(try_into(good, "Belongin"), text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
  expect_error(try_into(list(A = c("be1", "be2"), B = "be3")), text_pattern("split_other_items"),
               class = "orizzonte_error_input")
  expect_error(try_into(list(A = c("be1", "be2"), B = c("be2", "be4"))),
               class = "orizzonte_error_input")
  expect_error(try_into(list(c("be1", "be2"), c("be3", "be4"))), class = "orizzonte_error_input")
  expect_error(try_into(list(Calm = c("be1", "be2"), B = c("be3", "be4"))),
               text_pattern("split_name_taken"), class = "orizzonte_error_input")
  expect_error(try_into(3), class = "orizzonte_error_input")
  expect_error(amend(fit, into = good), class = "orizzonte_error_input")
  named <- quiet_fit(claim(effect(bp, Calm ~ Belonging), H1 = effect[Belonging, Calm] > 0), choirs)
  expect_error(amend(named, split = Belonging, into = good, because = "x"),
               text_pattern("split_is_named", split = "Belonging"),
               class = "orizzonte_error_input")
  # on the command line
  file <- tempfile(fileext = ".yaml")
  write_blueprint(bp, file)
  data <- system.file("extdata", "choirs.csv", package = "orizzonte")
  out <- tempfile(fileext = ".yaml")
  said <- command("amend", file, data, "--split", "Belonging", "--into",
                  "Greeting = be1, be2; Home = be3, be4", "--because", "two things", "--out", out)
  expect_identical(said$code, 0L)
  expect_match(said$out, "split Belonging into Greeting")
  expect_setequal(names(read_blueprint(out)$constructs), c("Greeting", "Home", "Calm"))
  expect_identical(command("amend", file, data, "--split", "Belonging", "--into", "nonsense",
                           "--because", "x", "--out", out)$code, 2L)
  # one without the other is described in the words of the command line
  for (half in list(c("--split", "Belonging"), c("--into", "A = be1, be2; B = be3, be4"))) {
    said <- command("amend", file, data, half, "--because", "x", "--out", out)
    expect_identical(said$code, 2L)
    expect_match(said$err, text_pattern("split_needs_halves"))
    expect_match(said$err, "--split Belonging --into", fixed = TRUE)
    expect_no_match(said$err, "amend(fit", fixed = TRUE)
  }
})

# Directions as vectors of moments, less their projection on the tangent space, of length one.
dense_directions <- function(geometry, directions) {
  directions <- off_tangent(geometry, directions)
  sweep(directions, 2L, sqrt(colSums(directions^2)), "/")
}

# Directions a a' of rank one, in all groups; `weights`: a by group, in columns.
dense_of_rank_one <- function(geometry, weights) {
  dense_directions(geometry, do.call(rbind, lapply(geometry$blocks, function(block) {
    y <- block$root %*% weights[[block$group]][block$variables, , drop = FALSE]
    part <- apply(y, 2L, function(a) outer(a, a)[block$lower]) * block$scale
    rbind(part, if (geometry$structured) 0 * y) * sqrt(block$n)
  })))
}

# With missing values, without, and with structured means in two groups.
fits_of_directions <- function() {
  bp <- blueprint("x") |> construct("Calm", reflected_in = sc1:sc4) |>
    construct("Belonging", reflected_in = be1:be4) |> effect(Belonging ~ Calm + years)
  held <- blueprint("h") |> construct("Calm", reflected_in = sc1:sc4) |>
    construct("Craft", reflected_in = cr1:cr3) |> hold_equal(loading, intercept)
  list(quiet_fit(bp, choirs), quiet_fit(bp, stats::na.omit(choirs)),
       quiet_fit(held, choirs, by = setting))
}

test_that("products with structures are those of the directions themselves", {
  for (fit in fits_of_directions()) {
    geometry <- fit_geometry(fit)
    found <- structure_candidates(geometry)
    expect_true(all(c("split", "general_factor") %in% found$family))
    weights <- lapply(seq_along(fit$layout$parts), function(g) {
      observed <- fit$layout$parts[[g]]$observed
      sd <- sqrt(diag(geometry$matrices[[g]]$covariance))[seq_along(observed)]
      vapply(seq_along(found$family), function(k) {
        sets <- found$sets[[k]]
        if (found$family[k] != "split") return(ifelse(observed %in% sets[[1L]], sd, 0))
        loading <- group_loadings(fit, found$construct[k], g)[observed]
        ifelse(observed %in% sets[[1L]], loading, ifelse(observed %in% sets[[2L]], -loading, 0))
      }, numeric(length(observed)))
    })
    directions <- dense_of_rank_one(geometry, weights)
    set.seed(1)
    vectors <- off_tangent(geometry, matrix(rnorm(3 * length(geometry$residual)), ncol = 3))
    expect_equal(do.call(rbind, lapply(found$structures, along_structures, geometry = geometry,
                                       vectors = vectors)),
                 crossprod(directions, vectors), tolerance = 1e-8)
    expect_equal(unlist(lapply(found$structures, structure_statistics)),
                 drop(crossprod(directions, geometry$residual)), tolerance = 1e-8)
    off <- case_contributions(geometry, geometry$tangent)
    changes <- single_changes(geometry)
    null <- multiplier_null(geometry, found$structures, changes, off)
    each <- scale(cbind(case_contributions(geometry, directions),
                        contributions_of_changes(geometry, changes, off)), scale = FALSE)
    sd <- sqrt(colSums(each^2))
    expect_equal(c(null$sd, null$sd_single), sd, tolerance = 1e-6, ignore_attr = TRUE)
    normal <- with_seed(1L, matrix(rnorm(nrow(each) * structure_draws), nrow(each)))
    expect_equal(rbind(null$draws, null$single),
                 crossprod(each / rep(sd, each = nrow(each)), normal), tolerance = 1e-6,
                 ignore_attr = TRUE)
  }
})

test_that("products with directions of single changes are those of the directions themselves", {
  for (fit in fits_of_directions()) {
    geometry <- fit_geometry(fit)
    changes <- single_changes(geometry)
    directions <- vapply(seq_along(changes$row), function(i) {
      entry_direction(geometry, changes$family[i], changes$group[i], changes$row[i],
                      changes$col[i])
    }, numeric(length(geometry$residual)))
    directions <- dense_directions(geometry, directions)
    set.seed(1)
    vectors <- matrix(rnorm(3 * length(geometry$residual)), ncol = 3)
    vectors <- vectors - geometry$tangent %*% crossprod(geometry$tangent, vectors)
    expect_equal(along_changes(geometry, changes, vectors), crossprod(directions, vectors),
                 tolerance = 1e-8)
    off <- case_contributions(geometry, geometry$tangent)
    expect_equal(contributions_of_changes(geometry, changes, off),
                 case_contributions(geometry, directions), tolerance = 1e-6,
                 ignore_attr = TRUE)
  }
})
