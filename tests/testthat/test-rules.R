# Rules turn numbers into codes: each is tested just below, at and just above its boundaries.

near <- 1e-9

test_that("one decision from significance, size and power", {
  cases <- expand.grid(significant = c(TRUE, FALSE, NA), large = c(TRUE, FALSE, NA),
                       powerful = c(TRUE, FALSE, NA))
  code <- rule_change(cases$significant, cases$large, cases$powerful)
  expected <- with(cases, ifelse(
    is.na(significant), "cannot_tell",
    ifelse(significant, ifelse(powerful %in% TRUE & large %in% FALSE, "negligible",
                               "misspecified"),
           ifelse(powerful %in% TRUE, "not_misspecified", "cannot_tell"))))
  # written out, since the rule is short: the values that a reader would look up
  table <- c("TRUE TRUE TRUE" = "misspecified", "TRUE FALSE TRUE" = "negligible",
             "TRUE TRUE FALSE" = "misspecified", "TRUE FALSE FALSE" = "misspecified",
             "FALSE TRUE TRUE" = "not_misspecified", "FALSE FALSE TRUE" = "not_misspecified",
             "FALSE TRUE FALSE" = "cannot_tell", "FALSE FALSE FALSE" = "cannot_tell")
  key <- paste(cases$significant, cases$large, cases$powerful)
  known <- key %in% names(table)
  expect_equal(code[known], unname(table[key[known]]))
  expect_equal(code, expected)
})

test_that("the first rung: acceptable by the second tier of CFI and RMSEA, both", {
  k <- criteria(cfi = c(.95, .90), rmsea = c(.06, .08))
  first <- function(cfi, rmsea) rule_first_rung(TRUE, FALSE, cfi, rmsea, k)
  expect_equal(first(.90, .08), "fits")
  expect_equal(first(.90 - near, .08), "fits_poorly")
  expect_equal(first(.90, .08 + near), "fits_poorly")
  expect_equal(first(.90 + near, .08 - near), "fits")
  expect_equal(first(.99, .20), "fits_poorly")
  expect_equal(first(.50, .01), "fits_poorly")
  expect_equal(first(.94, .07), "fits")         # between the tiers
  expect_true(is.na(first(NA_real_, .01)))
  expect_equal(first(.50, NA_real_), "fits_poorly")
  expect_equal(rule_first_rung(TRUE, TRUE, .99, .01, k), "improper")
  expect_equal(rule_first_rung(FALSE, TRUE, .99, .01, k), "not_converged")
})

test_that("a rung fails only by CFI together with another criterion", {
  expect_equal(rule_rung(character(), FALSE, FALSE), "holds")
  expect_equal(rule_rung(character(), TRUE, FALSE), "holds_small_differences")
  expect_equal(rule_rung(character(), TRUE, TRUE), "doubtful")
  for (one in c("cfi", "rmsea", "srmr", "p")) expect_equal(rule_rung(one, TRUE, FALSE), "doubtful")
  expect_equal(rule_rung(c("rmsea", "srmr", "p"), TRUE, FALSE), "doubtful")
  for (two in c("rmsea", "srmr", "p"))
    expect_equal(rule_rung(c("cfi", two), TRUE, FALSE), "fails")
  expect_equal(rule_rung(c("cfi", "rmsea"), TRUE, FALSE, improper = TRUE), "improper")
  # an undetected difference means that the rung holds only if it could have been detected
  weak <- function(...) rule_rung(..., powerful = FALSE)
  expect_equal(weak(character(), FALSE, FALSE), "cannot_tell")
  expect_equal(weak(character(), TRUE, FALSE), "holds_small_differences")
  expect_equal(weak("cfi", FALSE, FALSE), "doubtful")
  expect_equal(weak(c("cfi", "p"), FALSE, FALSE), "fails")
  # released equalities
  part <- function(...) rule_rung(..., released = TRUE)
  expect_equal(part(character(), FALSE, FALSE), "holds_in_part")
  expect_equal(part(character(), TRUE, FALSE), "holds_in_part")
  expect_equal(part("srmr", FALSE, FALSE), "doubtful")
  expect_equal(part(character(), FALSE, FALSE, powerful = FALSE), "cannot_tell")
})

test_that("a rung has power where two groups reach it, or the only other one", {
  k <- criteria(power = .75)
  expect_true(rule_powerful(.75, k))
  expect_false(rule_powerful(.75 - near, k))
  expect_true(rule_powerful(c(.2, .75, .75), k))
  expect_false(rule_powerful(c(.2, .75 - near, .75), k))
  expect_true(rule_powerful(c(.2, .75 + near, .75), k))
  expect_false(rule_powerful(NA_real_, k))
  expect_true(rule_powerful(numeric(), k))
})

test_that("criteria of change are broken just above their limits", {
  broken <- function(cfi = 0, rmsea = 0, srmr = 0, p = 1, metric = FALSE, groups = 2,
                     k = criteria()) {
    broken_criteria(list(cfi_change = cfi, rmsea_change = rmsea, srmr_change = srmr, p_change = p),
                    change_limits(k, metric, groups))
  }
  expect_length(broken(cfi = -0.010, rmsea = 0.015, srmr = 0.010), 0)
  expect_equal(broken(cfi = -0.010 - near), "cfi")
  expect_equal(broken(rmsea = 0.015 + near), "rmsea")
  expect_equal(broken(srmr = 0.010 + near), "srmr")
  expect_length(broken(cfi = 0.5, rmsea = -0.5, srmr = -0.5), 0)      # for the better
  # a metric rung allows more in SRMR, and with ten groups or more also in CFI and RMSEA
  expect_length(broken(srmr = 0.030, metric = TRUE), 0)
  expect_equal(broken(srmr = 0.030 + near, metric = TRUE), "srmr")
  expect_length(broken(cfi = -0.020, rmsea = 0.030, metric = TRUE, groups = 10), 0)
  expect_equal(broken(cfi = -0.020 - near, metric = TRUE, groups = 10), "cfi")
  expect_equal(broken(rmsea = 0.030 + near, metric = TRUE, groups = 10), "rmsea")
  expect_equal(broken(cfi = -0.020, rmsea = 0.030, metric = TRUE, groups = 9), c("cfi", "rmsea"))
  expect_equal(broken(cfi = -0.020, groups = 10), "cfi")
  # p only when it was requested
  expect_length(broken(p = 0), 0)
  k <- criteria(p_change = .05)
  expect_length(broken(p = .05, k = k), 0)
  expect_equal(broken(p = .05 - near, k = k), "p")
})

test_that("structural steps: significance and the largest standardized difference", {
  k <- criteria(significance = .05, smallest = .10)
  expect_equal(rule_step(.05, .10 - near, k), "holds")
  expect_equal(rule_step(.05, .10, k), "cannot_tell")
  expect_equal(rule_step(.05 - near, .10 - near, k), "differs_negligibly")
  expect_equal(rule_step(.05 - near, .10, k), "differs")
  expect_equal(rule_step(.01, .50, k, improper = TRUE), "improper")
})

test_that("single equalities: Holm-adjusted p, size and power", {
  k <- criteria(significance = .05, smallest = .10, power = .75)
  one <- function(p, change, power) rule_equality(p, change, power, k)
  expect_equal(one(.05 - near, .10, .2), "differs")
  expect_equal(one(.05 - near, -.10, .2), "differs")
  expect_equal(one(.05 - near, .10 - near, .2), "differs_negligibly")
  expect_equal(one(.05, .50, .75), "holds")
  expect_equal(one(.05, .50, .75 - near), "cannot_tell")
  expect_equal(one(.01, NA, .9), "differs")
  expect_equal(one(c(.01, .9), c(.2, 0), c(.9, .9)), c("differs", "holds"))
})

test_that("what is not testable says why", {
  expect_equal(rule_testable(FALSE, TRUE, NULL), "not_converged")
  expect_equal(rule_testable(TRUE, FALSE, NULL), "not_tested")
  expect_equal(rule_testable(TRUE, TRUE, 0), "nothing_to_hold")
  expect_null(rule_testable(TRUE, TRUE, 1))
})

test_that("a rung rests on the nearest one below it that is not sound", {
  previous <- c(NA, 1, 2, 3)
  expect_equal(rule_foundation(c("fits", "holds", "fails", "holds"), previous), c(NA, NA, NA, 3L))
  expect_equal(rule_foundation(c("fits_poorly", "holds", "holds_small_differences", "doubtful"),
                               previous), c(NA, 1L, 1L, NA))
  expect_equal(rule_foundation(c("fits", "nothing_to_hold", "holds", "holds"), previous),
               rep(NA_integer_, 4))
  expect_equal(rule_foundation(c("fits", "fails", "holds", "differs"), c(NA, 1, 1, 3)),
               rep(NA_integer_, 4))
  # structural steps depend on their rung and on the steps that held
  expect_equal(rule_foundation(c("fits", "fails", "holds", "differs", "holds", "cannot_tell"),
                               c(NA, 1, 2, 3, 3, 5)), c(NA, NA, 2L, 2L, 2L, 2L))
  expect_equal(rule_foundation(c("fits", "holds", "differs_negligibly", "differs"),
                               c(NA, 1, 2, 3)), rep(NA_integer_, 4))
  for (bad in setdiff(ladder_codes, c(sound_codes, step_codes)))
    expect_equal(rule_foundation(c(bad, "holds"), c(NA, 1)), c(NA, 1L))
})

test_that("measures: tiers from their boundary on, and the lower tier decides", {
  expect_equal(rule_tier(.80, c(.80, .70)), "good")
  expect_equal(rule_tier(.80 - near, c(.80, .70)), "acceptable")
  expect_equal(rule_tier(.70, c(.80, .70)), "acceptable")
  expect_equal(rule_tier(.70 - near, c(.80, .70)), "short")
  expect_equal(rule_tier(.85, c(.85, .90), down = TRUE), "good")
  expect_equal(rule_tier(.85 + near, c(.85, .90), down = TRUE), "acceptable")
  expect_equal(rule_tier(.90 + near, c(.85, .90), down = TRUE), "short")
  expect_true(is.na(rule_tier(NA_real_, c(.80, .70))))
  expect_equal(rule_construct(c("good", "good"), 0L), "good")
  expect_equal(rule_construct(c("good", "acceptable"), 0L), "acceptable")
  expect_equal(rule_construct(c("good", "good"), 1L), "falls_short")
  expect_equal(rule_construct(c(NA, "good"), 0L), "good")
  expect_true(is.na(rule_construct(c(NA_character_, NA_character_), 0L)))
})

test_that("every code has words, and every text is asked for by a name that exists", {
  for (code in ladder_codes) expect_true(nzchar(words_of("verdict", code)))
  for (code in setdiff(ladder_codes, sound_codes)) expect_true(nzchar(words_of("unsound", code)))
  expect_equal(words_of("verdict", NA_character_), "")
  expect_false(anyDuplicated(names(texts$table)) > 0L)
  worded <- vapply(texts$table, function(text) is.character(text) && nzchar(text), NA)
  expect_identical(names(texts$table)[!worded], character())
})

test_that("values stay as they are in a text, whatever they hold", {
  for (odd in c("{stop(1)}", "{?s}", "{.val x}", "%s", "<b>", "\\", "{", "{qty(1)}", "\u0394"))
    expect_equal(text_of("rung_fails", rung = odd), paste0("The ", odd, " rung fails."))
  expect_equal(text_of("indices_object", rung = "a", p = "x", count = 1, indices = "i"),
               paste0("On the a rung, \u0394\u03c7\u00b2 is not significant (p = x), but ",
                      "i exceeds its cut-off."))
  expect_equal(text_of("indices_object", rung = "a", p = "x", count = 2, indices = "i, j"),
               paste0("On the a rung, \u0394\u03c7\u00b2 is not significant (p = x), but ",
                      "i, j exceed their cut-offs."))
})

test_that("other words change no result", {
  two <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4)
  results <- function() {
    ladder <- suppressMessages(invariance(two, choirs, by = "setting", structural = "mean"))
    loose <- suppressMessages(loosen(ladder, "scalar"))
    quality <- construct_quality(ladder$fits$configural)
    table <- amendments(ladder$fits$scalar)
    list(as.data.frame(ladder), ladder$details, as.data.frame(loose), loose$released,
         as.data.frame(quality), quality$left_out, as.data.frame(table), glance(ladder),
         glance(quality))
  }
  worded <- results()
  with_keys <- function(code) {
    texts$keys <- TRUE
    on.exit(texts$keys <- FALSE)
    code()
  }
  expect_identical(with_keys(results), worded)
  ladder <- suppressMessages(invariance(two, choirs, by = "setting"))
  expect_true(any(grepl("<verdict_", with_keys(function() format_ladder(ladder)), fixed = TRUE)))
})

test_that("a simulated cut-off is firm, lenient or none by the misspecified models that pass", {
  kinds <- function(firm, lenient) rule_cutoff(c(firm, lenient))
  expect_identical(kinds(0.049, 0), "firm")
  expect_identical(kinds(0.05, 0), "firm")
  expect_identical(kinds(0.051, 0.099), "lenient")
  expect_identical(kinds(0.051, 0.10), "lenient")
  expect_identical(kinds(0.051, 0.101), "none")
  for (higher in c(TRUE, FALSE)) {
    side <- if (higher) 1 else -1
    verdict <- function(value, settled = TRUE) {
      limits <- sort(side * c(0.94, 0.96))
      rule_cutoff_verdict(side * value, limits[1], limits[2], settled, higher)
    }
    expect_identical(verdict(0.96 + 1e-9), "passes")
    expect_identical(verdict(0.96), "passes")
    expect_identical(verdict(0.96 - 1e-9), "cannot_tell")
    expect_identical(verdict(0.94), "cannot_tell")
    expect_identical(verdict(0.94 - 1e-9), "fails")
    expect_identical(verdict(0.99, FALSE), "cannot_tell")
  }
  expect_identical(rule_cutoff_verdict(NA, 0.94, 0.95, TRUE, TRUE), "cannot_tell")
  expect_identical(rule_cutoff_verdict(0.9, NA, NA, TRUE, TRUE), "cannot_tell")
})

test_that("a cut-off is settled when its proportion is two errors from what is allowed", {
  # 0 of n pass: (2/(n + 4)) + 2 sqrt(...) against .05, by hand
  upper <- function(x, n) {
    p <- (x + 2) / (n + 4)
    p + 2 * sqrt(p * (1 - p) / (n + 4))
  }
  n <- min(Filter(function(n) upper(0, n) <= 0.05, 20:300))
  expect_true(rule_settled(0, n, 0.05))
  expect_false(rule_settled(0, n - 1, 0.05))
  expect_false(rule_settled(0.05 * 1000, 1000, 0.05))
  expect_false(rule_settled(51, 1000, 0.05))
  expect_true(rule_settled(90, 1000, 0.05))
})

test_that("claims of direction and of difference are judged strictly below the level", {
  expect_identical(vapply(c(0.049, 0.05, 0.051, 0.949, 0.95, 0.951, NA), rule_direction, "", 0.05),
                   c("supported", "not_supported", "not_supported", "not_supported",
                     "not_supported", "contradicted", "not_judged"))
  # exact in binary: the other side of the level, too
  expect_identical(vapply(c(0.75, 0.75 + 1e-9, 0.25, 0.25 - 1e-9), rule_direction, "", 0.25),
                   c("not_supported", "contradicted", "not_supported", "supported"))
  expect_identical(vapply(c(0.049, 0.05, 0.051, NA), rule_difference_claim, "", 0.05),
                   c("supported", "not_supported", "not_supported", "not_judged"))
})

test_that("a claim of no difference is supported by equivalence alone", {
  judged <- function(p, equivalent) rule_equality_claim(p, equivalent, 0.05)
  expect_identical(judged(0.049, TRUE), "supported")
  expect_identical(judged(0.9, TRUE), "supported")
  expect_identical(judged(0.049, FALSE), "contradicted")
  expect_identical(judged(0.05, FALSE), "cannot_tell")
  expect_identical(judged(0.051, FALSE), "cannot_tell")
  expect_identical(judged(0.049, NA), "contradicted")
  expect_identical(judged(0.05, NA), "cannot_tell")
  expect_identical(judged(NA, NA), "not_judged")
  # the margin itself is outside: |value| + t se < margin
  se <- (0.1 - 0.05) / qt(0.95, 20)
  near <- function(by) p_of_equivalence(c(-1, 1) * 0.05, se * (1 + by), 20, 0.1) < 0.05
  expect_identical(near(-1e-9), c(TRUE, TRUE))
  expect_identical(near(1e-9), c(FALSE, FALSE))
  expect_false(p_of_equivalence(0.1, 1e-12, 20, 0.1) < 0.05)
  expect_identical(p_of_equivalence(0.05, NA, 20, 0.1), NA_real_)
})

test_that("a fit index meets a tier at its value", {
  for (higher in c(TRUE, FALSE)) {
    tiers <- if (higher) c(0.95, 0.90) else c(0.06, 0.08)
    worse <- if (higher) -1e-9 else 1e-9
    found <- vapply(c(tiers[1] - worse, tiers[1], tiers[1] + worse, tiers[2], tiers[2] + worse, NA),
                    rule_index, "", tiers, higher)
    expect_identical(found, c("good", "good", "acceptable", "acceptable", "poor", NA))
  }
  expect_identical(rule_worst_index(c("good", "poor", "acceptable")), "poor")
  expect_identical(rule_worst_index(c("good", "acceptable", NA)), "acceptable")
  expect_identical(rule_worst_index(c("good", NA)), "good")
  expect_identical(rule_worst_index(NA_character_), NA_character_)
})

test_that("difference tests of nested models: the level itself is not significant", {
  expect_identical(rule_difference(c(0.049, 0.05, 0.051, NA), 1, 0.05),
                   c("fits_worse", "fits_as_well", "fits_as_well", NA))
  expect_identical(rule_difference(c(0.049, 0.05), -1, 0.05), c("fits_better", "fits_as_well"))
})

test_that("a path could be removed above the level, and is needed at it", {
  expect_identical(rule_needed(c(0.049, 0.05, 0.051, NA), 0.05),
                   c("needed", "needed", "could_be_removed", NA))
})

test_that("what was freed is found again with the same sign, below the level", {
  found <- function(fresh = 1, p_fresh = .01, p = .01, size = .5) {
    rule_found_again(1, p, fresh, p_fresh, size, 0.05, 0.10)
  }
  expect_identical(found(c(1, 1, 1, -1, 1), c(0.049, 0.05, 0.051, 0.001, NA)),
                   c("found_again", "same_sign", "same_sign", "other_sign", "not_known"))
  expect_identical(found(NA, NA), "not_known")
  # a parameter that was not significant at first cannot be replicated
  expect_identical(found(p = c(.05 - near, .05, .488, NA)),
                   c("found_again", "not_found_before", "not_found_before", "not_known"))
  # and it must not be small
  expect_identical(found(size = c(.10, .10 - near, -.10, NA)),
                   c("found_again", "too_small", "found_again", "found_again"))
  expect_true(all(rule_found_again(c(1, -1, 0), .01, 1, 0.01, .5, 0.05, .1) %in%
                    confirmation_codes))
})

test_that("a total score is judged by the interval of omega hierarchical", {
  expect_identical(rule_total_score(0.85, 0.80, 0.9), "one_score")
  expect_identical(rule_total_score(0.85, 0.799, 0.9), "general_with_parts")
  expect_identical(rule_total_score(0.6, 0.4, 0.649), "mixture")
  expect_identical(rule_total_score(0.64, 0.5, 0.65), "general_with_parts")
  # below .65 with a short interval
  expect_identical(rule_total_score(0.649, 0.56, 0.709), "mixture")
  expect_identical(rule_total_score(0.649, 0.56, 0.711), "general_with_parts")
  expect_identical(rule_total_score(0.65, 0.60, 0.70), "general_with_parts")
  # from .65 to .80
  expect_identical(rule_total_score(0.72, 0.65, 0.80), "cannot_tell")
  expect_identical(rule_total_score(0.72, 0.651, 0.80), "general_with_parts")
  expect_identical(rule_total_score(0.72, 0.65, 0.799), "general_with_parts")
  expect_identical(rule_total_score(0.72, NA, 0.8), "cannot_tell")
})

test_that("a part is judged by the interval of its added value and by its reliability", {
  expect_identical(rule_part_score(0.001, 0.1, 0.8, 0.70), "adds")
  expect_identical(rule_part_score(0, 0.1, 0.8, 0.75), "cannot_tell")
  expect_identical(rule_part_score(-0.2, -0.001, 0.8, 0.75), "repeats")
  expect_identical(rule_part_score(-0.2, 0, 0.8, 0.75), "cannot_tell")
  expect_identical(rule_part_score(0.001, 0.1, 0.70, 0.699), "cannot_tell")
  expect_identical(rule_part_score(0.001, 0.1, 0.699, 0.65), "adds_unreliable")
  expect_identical(rule_part_score(NA, 0.1, 0.8, 0.75), "cannot_tell")
})

test_that("codes of missing values are numbers or texts, and none of them is missing", {
  for (codes in list(NULL, -9, 7L, c(-9, 99), "n/a")) expect_silent(check_missing_codes(codes))
  for (codes in list(NA, NA_real_, c(-9, NA), NA_character_, TRUE, list(-9), factor("a")))
    expect_error(check_missing_codes(codes), class = "orizzonte_error_input")
  expect_identical(is_code(c(1, -9, NA), NULL), c(FALSE, FALSE, FALSE))
  expect_identical(is_code(c(1, -9, NA), c(-9, 99)), c(FALSE, TRUE, FALSE))
  # a number matches in any notation, and a text is not a number
  expect_identical(is_code(c(1, -9, NA), c("-9", "n/a")), c(FALSE, TRUE, FALSE))
  expect_identical(is_code(c("1", " n/a ", NA), c("-9", "n/a")), c(FALSE, TRUE, FALSE))
  expect_identical(is_code(factor(c("a", "-9")), -9), c(FALSE, TRUE))
})

test_that("the closer of two models is decided by the AIC-type statistic", {
  # p of distinguishable, z and p as in AIC, z and p as in BIC
  expect_identical(rule_closer(c(0.05, 0.049, NA), rep(3, 3), rep(0.001, 3), rep(3, 3),
                               rep(0.001, 3), 0.05),
                   c("cannot_tell", "this", NA))
  expect_identical(rule_closer(rep(0.01, 2), c(2, -2), c(0.05, 0.049), c(2, -2), rep(0.2, 2), 0.05),
                   c("neither", "other"))
  # significant the other way as in BIC
  expect_identical(rule_closer(rep(0.01, 2), c(2, 2), rep(0.04, 2), c(-2, -2),
                               c(0.049, 0.05), 0.05),
                   c("cannot_tell", "this"))
  expect_identical(rule_closer(0.01, 2, 0.3, -2, 0.049, 0.05), "cannot_tell")
})

test_that("replicates give a p value when they are many, few are lost and the estimate is inside", {
  expect_false(rule_replicates_give_p(99, 99, 0, TRUE))
  expect_true(rule_replicates_give_p(100, 100, 0, TRUE))
  expect_true(rule_replicates_give_p(190, 200, 0, TRUE))
  expect_false(rule_replicates_give_p(189, 200, 0, TRUE))
  expect_true(rule_replicates_give_p(100, 100, -1, TRUE))
  expect_false(rule_replicates_give_p(100, 100, 1.001, TRUE))
  expect_false(rule_replicates_give_p(100, 100, 0, FALSE))
})

test_that("a row of amendments rests on its own adjusted p value, size and power", {
  level <- 0.05
  row <- function(adjusted, p, large, powerful) rule_amendment(adjusted, p, large, powerful, level)
  expect_identical(row(0.05, 0.001, TRUE, TRUE), "stands_out")
  expect_identical(row(0.05 + near, 0.001, TRUE, TRUE), "within_chance")
  expect_identical(row(0.05, 0.001, FALSE, TRUE), "negligible")
  expect_identical(row(0.05, 0.001, FALSE, FALSE), "stands_out")
  expect_identical(row(0.05, 0.001, NA, TRUE), "stands_out")
  # not significant after adjustment: power words
  expect_identical(row(0.06, 0.05, FALSE, TRUE), "negligible")
  expect_identical(row(0.06, 0.05 + near, FALSE, TRUE), "within_chance")
  expect_identical(row(0.06, 0.01, TRUE, FALSE), "cannot_tell")
  expect_identical(row(0.06, 0.01, TRUE, NA), "cannot_tell")
  expect_identical(row(NA, NA, TRUE, TRUE), "cannot_tell")
  expect_true(all(row(c(0.01, 0.2, 0.3), c(0.001, 0.04, 0.2), c(TRUE, FALSE, TRUE),
                      c(TRUE, TRUE, FALSE)) %in% amendment_codes))
})

test_that("a change matters to a conclusion by its movement, its limit and the boundary", {
  move <- function(movement, limit, crosses = FALSE, unit = 1) {
    rule_move(movement, limit, crosses, se = 0.2, unit = unit, smallest = 0.1)
  }
  expect_identical(move(0.1, 0.1), "matters")
  expect_identical(move(-0.1, 0.1), "matters")
  expect_identical(move(0.1 - near, 0.1), "open")
  expect_identical(move(0.1, 0.1 - near), "harmless")
  expect_identical(move(0.01, 0.02, crosses = TRUE), "matters")
  # another unit: twice as many standard deviations
  expect_identical(move(0.1, 0.05, unit = 2), "matters")
  expect_identical(move(0.1, 0.05 - near, unit = 2), "harmless")
  # without one, half a standard error stands for the smallest size
  expect_identical(move(0.1, 0.1, unit = NA), "matters")
  expect_identical(move(0.05, 0.1, unit = NA), "open")
  expect_identical(move(0.05, 0.1 - near, unit = NA), "harmless")
  expect_identical(move(NA, 0.2), "open")
})

test_that("a remedy is recommended while it does not fit worse, or fits where nothing compares", {
  one <- function(status, p, change, fits = FALSE) rule_remedy(status, p, change, fits, 0.05)
  expect_true(one("proper", .001, .05))
  expect_false(one("proper", .001, .05 - near))
  expect_false(one("proper", .5, .05 - near))
  expect_true(one("at bound", .001, .05 + near))
  expect_true(one("proper", .05, NA))
  expect_false(one("proper", .05 - near, NA))
  expect_true(one("proper", .05 - near, NA, TRUE))
  expect_true(one("proper", NA, NA))
  for (bad in c("improper", "not converged", "cannot be fitted", "weak"))
    expect_false(one(bad, .9, .9, TRUE))
  expect_equal(p_below_zero(2.7055), 0.05, tolerance = 1e-4)
  expect_equal(p_below_zero(-1e-9), 0.5)
})

test_that("an item is keyed the other way when that is significant and not small", {
  # 1.96 / sqrt(n - 3) on Fisher's scale
  limit <- function(n) -tanh(stats::qnorm(.975) / sqrt(n - 3))
  expect_true(rule_reverse_keyed(limit(60) - near, 60))
  expect_false(rule_reverse_keyed(limit(60) + near, 60))
  expect_false(rule_reverse_keyed(-.02, 60))
  expect_true(rule_reverse_keyed(-.20, 1000))
  expect_false(rule_reverse_keyed(-.20 + near, 1000))
  expect_false(rule_reverse_keyed(-.05, 1e5))
  expect_false(rule_reverse_keyed(.5, 1000))
  expect_false(rule_reverse_keyed(-.9, 3))
})
