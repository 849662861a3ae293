# The verdicts of a ladder on its rungs and steps, in populations where the truth is known.
two <- blueprint("Two constructs") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4)
items <- c(paste0("be", 1:4), paste0("sc", 1:4))

# Exact moments of a group with two constructs, as summary data.
group_of <- function(n, loadings = rep(0.7, 8), means = c(0, 0), variances = c(1, 1), r = 0.4,
                     intercepts = numeric(8)) {
  load <- cbind(c(loadings[1:4], rep(0, 4)), c(rep(0, 4), loadings[5:8]))
  phi <- diag(sqrt(variances)) %*% matrix(c(1, r, r, 1), 2) %*% diag(sqrt(variances))
  covariance <- load %*% phi %*% t(load) + diag(0.5, 8)
  dimnames(covariance) <- list(items, items)
  summary_data(covariance * n / (n - 1), n, means = drop(intercepts + load %*% means))
}
capture_text <- function(x) paste(capture.output(print(x)), collapse = " ")
climb <- function(..., blueprint = two) suppressMessages(invariance(blueprint, ...))

test_that("where chi-square rejects what no index objects to, the single equalities decide", {
  one <- climb(list(a = group_of(900), b = group_of(900, replace(rep(0.7, 8), 6, 0.5))),
               rungs = "metric")
  t <- as.data.frame(one)
  expect_lt(t$p_change[2], 0.05)
  expect_gt(t$cfi_change[2], -0.01)
  expect_equal(t$verdict[2], "doubtful")
  expect_equal(t$broken[2], "p")
  tested <- one$details$metric
  expect_equal(tested$parameter[tested$verdict == "differs"], "loading[Calm, sc2 | b]")
  # p values of score tests, Holm-adjusted (1979)
  score <- amendments(one$fits$metric, kinds = "equality across groups", top = 0)
  expect_equal(tested$p, score$p[match(tested$parameter, score$parameter)], tolerance = 1e-8)
  expect_equal(tested$p_holm, stats::p.adjust(tested$p, "holm"))
  expect_match(paste(one$reading, collapse = " "),
               text_pattern("likely_to_differ", which = "loading[Calm, sc2 | b]"))
  expect_output(print(one), text_pattern("single_equalities_rung_leading", rung = "metric"))
  spread <- climb(list(a = group_of(6000),
                       b = group_of(6000, 0.7 + c(1, -1, 1, -1, -1, 1, -1, 1) * 0.03)),
                  rungs = "metric")
  expect_equal(spread$table$verdict[2], "holds_small_differences")
  # each differs by itself, and none after Holm's adjustment: the adjusted p value decides
  expect_lt(max(spread$details$metric$p), 0.05)
  expect_equal(spread$details$metric$verdict, rep("holds", 8))
  expect_match(paste(spread$reading, collapse = " "), text_pattern("spread_differences"))
  expect_match(spread$reading[1], text_pattern("allowed", rung = "metric"))
  same <- climb(list(a = group_of(900), b = group_of(900)), rungs = "metric")
  expect_equal(same$table$verdict, c("fits", "holds"))
  expect_null(same$details$metric)
})

test_that("what rests on a rung that fails says so, and readers put it first", {
  data <- list(a = group_of(500), b = group_of(500, intercepts = c(1, 0, 0, 0, 0, 0.8, 0, 0)))
  ladder <- climb(data)
  expect_equal(ladder$table$verdict[3:4], c("fails", "holds"))
  expect_equal(ladder$table$rests_on, c(NA, NA, NA, "scalar"))
  expect_equal(ladder$table$rests_on_verdict[4], "fails")
  expect_match(paste(ladder$reading, collapse = " "), "Up to metric: .* The scalar rung fails")
  means <- latent_means(ladder)
  expect_match(attr(means, "caveat"), text_pattern("caveat_rung"))
  printed <- capture.output(print(means))
  expect_lt(grep("CAUTION", printed)[1], grep("Belonging", printed)[1])
  gaps <- noninvariance(ladder)
  expect_match(attr(gaps, "caveat"), text_pattern("rung_fails", rung = "scalar"))
  expect_output(print(gaps), "CAUTION: The scalar rung fails")
  json <- jsonlite::fromJSON(ladder_json(ladder, NULL, means, gaps))
  expect_match(json$caveat, text_pattern("rung_fails", rung = "scalar"))
  expect_equal(json$rungs$status, rep("proper", 4))
  # once the differing parameters are released, the later steps are possible
  mended <- loosen(ladder, "scalar")
  expect_setequal(mended$released$parameter, c("intercept[be1 | b]", "intercept[sc2 | b]"))
  expect_null(attr(latent_means(mended), "caveat"))
  # a rung below fails: everything above depends on it
  low <- climb(list(a = group_of(500), b = group_of(500, rep(c(0.9, 0.4), 4))))
  expect_equal(low$table$verdict[2], "fails")
  expect_equal(low$table$rests_on_verdict[3], "fails")
  expect_match(attr(latent_means(low), "caveat"), text_pattern("rung_fails", rung = "metric"))
  expect_output(print(low), "Next: loosen(ladder, \"metric\")", fixed = TRUE)
  # a separate fit: poor, or acceptable
  apart <- climb(list(a = group_of(500), b = group_of(500, rep(c(1.2, 0.2), 4))))$fits$scalar
  expect_match(attr(latent_means(apart), "caveat"), text_pattern("caveat_fit"))
  expect_null(attr(latent_means(mended$fit), "caveat"))
})

test_that("an improper or ill-fitting start is no ground to stand on", {
  poor <- blueprint("One") |> construct("All", reflected_in = c(be1, be2, be3, sc1, sc2, sc3))
  ladder <- climb(list(a = group_of(400), b = group_of(400)), blueprint = poor)
  expect_equal(ladder$table$verdict[1], "fits_poorly")
  expect_equal(ladder$table$verdict[2:4], rep("holds", 3))
  expect_equal(ladder$table$rests_on[2:4], rep("configural", 3))
  expect_match(attr(latent_means(ladder), "caveat"), text_pattern("rung_fits_poorly"))
  expect_output(print(ladder), "Next: amendments(ladder$fits$configural)", fixed = TRUE)
  heywood <- function(n) {
    r <- matrix(0.5, 3, 3, dimnames = list(c("p", "q", "r"), c("p", "q", "r")))
    r[1, 2:3] <- r[2:3, 1] <- 0.8
    diag(r) <- 1
    summary_data(r, n, means = numeric(3), sd = rep(1, 3))
  }
  expect_warning(bad <- suppressMessages(
    invariance(blueprint("P") |> construct("P", reflected_in = c(p, q, r)),
               list(a = heywood(300), b = heywood(300)))), "configural: IMPROPER",
    class = "orizzonte_warning_improper")
  expect_true(all(bad$table$verdict == "improper"))
  expect_true(all(bad$table$status == "improper"))
  expect_no_match(capture.output(print(bad)), "Next: latent_means", fixed = TRUE)
  expect_match(attr(suppressWarnings(latent_means(bad)), "caveat"), "improper")
})

test_that("structural steps are judged by p and size, each on the last that held", {
  steps <- c("variance[constructs]", "covariance[constructs]", "mean")
  many <- climb(list(a = group_of(4000), b = group_of(4000, means = c(0.4, 0.05))),
                structural = steps, rungs = "scalar")
  t <- many$table
  expect_equal(t$verdict[3:5], c("holds", "holds", "differs"))
  expect_equal(t$against[3:5], c("scalar", "variance[constructs]", "covariance[constructs]"))
  for (k in 3:5) {
    base <- many$fits[[t$against[k]]]
    expect_equal(t$chisq_change[k], deviance(many$fits[[k]]) - deviance(base))
    expect_equal(t$df_change[k], df.residual(many$fits[[k]]) - df.residual(base))
  }
  gaps <- many$details$mean
  expect_equal(gaps$difference_std, c(0.4, 0.05), tolerance = 1e-4)
  base <- latent_means(many$fits[["covariance[constructs]"]])
  expect_equal(gaps$difference, base$difference, tolerance = 1e-6)
  expect_equal(gaps$lower, base$lower, tolerance = 1e-4)      # the unit scale: SD is 1
  expect_match(many$reading[length(many$reading)], "mean, on covariance.*: differs .*0\\.40")
  little <- climb(list(a = group_of(20000), b = group_of(20000, means = c(0.05, 0.05))),
                  structural = "mean")
  expect_equal(little$table$verdict[5], "differs_negligibly")
  few <- climb(list(a = group_of(60), b = group_of(60, means = c(0.2, 0))), structural = "mean")
  expect_equal(few$table$verdict[5], "cannot_tell")
  # no step is based on a parameter that differs
  other <- climb(list(a = group_of(2000), b = group_of(2000, variances = c(2, 1))),
                 structural = steps, rungs = "scalar")
  expect_equal(other$table$verdict[3], "differs")
  expect_equal(other$table$verdict[4], "differs")
  expect_equal(other$table$against[4:5], c("scalar", "scalar"))
  expect_equal(ladder_lines(other$table), c(0, 0, 0, 1, 2))
  expect_output(print(other), "covariance\\[constructs\\] +scalar ")
  # releasing the differing parameter makes the next steps possible
  freed <- loosen(other, "variance[constructs]")
  expect_equal(freed$released$parameter, "variance[Belonging | b]")
  expect_equal(freed$ladder$table$against[4], "variance[constructs]")
})

test_that("releases are listed with their group, and a loading takes its intercept along", {
  loadings <- replace(rep(0.7, 8), 6, 0.35)
  data <- list(a = group_of(800), b = group_of(800),
               c = group_of(800, loadings, means = c(0, 1),
                            intercepts = replace(numeric(8), 6, 0.8)))
  ladder <- climb(data)
  expect_equal(ladder$table$verdict[2] %in% c("doubtful", "fails"), TRUE)
  one <- loosen(ladder, "metric")
  expect_equal(one$released$parameter, c("loading[Calm, sc2 | c]", "intercept[sc2 | c]"))
  expect_equal(one$released$step, c(1L, 1L))
  expect_setequal(one$fit$request$blueprint$let_differ, one$released$parameter)
  expect_match(one$ladder$reading[1],
               "not held: loading[Calm, sc2 | c] and intercept[sc2 | c]", fixed = TRUE)
  both <- latent_means(one)
  expect_equal(both$difference[both$construct == "Calm" & both$group == "c"], 1, tolerance = 1e-3)
  expect_null(attr(both, "unreleased"))
  # without it, the held intercept biases the means: both are shown
  alone <- loosen(ladder, "metric", with_intercept = FALSE)
  expect_equal(alone$released$parameter, "loading[Calm, sc2 | c]")
  biased <- latent_means(alone)
  at <- biased$construct == "Calm" & biased$group == "c"
  expect_gt(abs(biased$difference[at] - 1), 0.01)
  with <- attr(biased, "unreleased")
  expect_equal(with$parameter[1], "intercept[sc2 | c]")
  expect_equal(with$difference_freed, both$difference, tolerance = 1e-5)
  expect_output(print(biased),
                text_pattern("held_though_loading_is", parameter = "intercept[sc2 | c]"))
})

test_that("without power a rung cannot tell, and names the groups that could not show it", {
  small <- climb(list(a = group_of(400), b = group_of(40, rep(c(0.72, 0.68), 4))))
  expect_equal(small$table$verdict, c("fits", rep("cannot_tell", 3)))
  expect_equal(small$table$rests_on, c(NA, NA, "metric", "scalar"))
  expect_true(all(small$power$power < 0.75))
  said <- paste(small$reading, collapse = " ")
  expect_match(said, text_pattern("too_little_power", rungs = "metric, scalar and strict"))
  expect_no_match(said, text_pattern("allowed", rung = "metric"))
  expect_output(print(small), text_pattern("power_of_rungs"))
  # by hand: a score test of each equality against a standardized difference of .30
  fit <- small$fits$metric
  tested <- amendments(fit, kinds = "equality across", top = 0)
  unit <- tested$expected_change_std / tested$expected_change
  information <- tested$modification_index / tested$expected_change^2
  shift <- 0.3 / abs(unit) * sqrt(information)
  power <- stats::pnorm(shift - stats::qnorm(.975)) + stats::pnorm(-shift - stats::qnorm(.975))
  expect_equal(small$power$power[1], stats::median(power), tolerance = 1e-6)
  # the criteria decide: which difference must be detectable, and with which power
  easy <- climb(list(a = group_of(400), b = group_of(40)), criteria = criteria(power = .2))
  expect_equal(easy$table$verdict, c("fits", rep("holds", 3)))
  # three groups: the verdict is about those that could show a difference
  three <- climb(list(a = group_of(400), b = group_of(400), c = group_of(30)), rungs = "metric")
  expect_equal(three$table$verdict[2], "holds")
  expect_match(paste(three$reading, collapse = " "),
               text_pattern("too_little_power_in", rung = "metric", groups = "c"))
  expect_setequal(three$power$group, c("a", "b", "c"))
})

test_that("each release keeps its own figure, on all rungs, and the search is said", {
  loads <- replace(replace(rep(0.7, 8), 2, 0.3), 7, 0.35)
  levels <- replace(numeric(8), 4, 0.9)
  ladder <- climb(list(a = group_of(600), b = group_of(600, loads, intercepts = levels)))
  first <- loosen(ladder, "metric")
  second <- loosen(first$ladder, "scalar")
  released <- second$ladder$releases
  expect_equal(unique(released$rung), c("metric", "scalar"))
  expect_equal(released$actual_drop,
               c(first$released$actual_drop, second$released$actual_drop))
  drops <- released$actual_drop[!is.na(released$actual_drop)]
  expect_gt(length(unique(drops)), 2)
  methods <- paste(unlist(methods_text(second)), collapse = " ")
  for (k in which(!is.na(released$actual_drop))) {
    expect_match(methods, addresses_in_words(released$parameter[k], paste0("be", 1:4)),
                 fixed = TRUE)
    expect_match(methods, text_pattern("fell_p",
                                       actual_drop = format_fixed(released$actual_drop[k], 2L)))
  }
  expect_match(methods, text_pattern("after_a_search"))
  expect_match(capture_text(second), text_pattern("after_a_search"))
  expect_match(capture_text(second$ladder), text_pattern("searched"))
  expect_equal(second$ladder$table$verdict[2:3], rep("holds_in_part", 2))
  # the ladder alone shows it as well
  alone <- paste(unlist(methods_text(second$ladder)), collapse = " ")
  expect_match(alone, text_pattern("search_is_optimistic"))
  # p values of several differences with one number of degrees of freedom
  expect_equal(difference_p(c(3.84, 10, NA), 1), stats::pchisq(c(3.84, 10, NA), 1, lower = FALSE))
  # a rung above a doubtful one does not hold by itself
  early <- loosen(ladder, "scalar")
  expect_false(early$holds)
  expect_equal(early$rests_on, "metric")
})

test_that("steps of structure say on which rung they rest", {
  ladder <- climb(list(a = group_of(500), b = group_of(500, rep(c(0.9, 0.4), 4),
                                                       means = c(0.5, 0))),
                  structural = "mean")
  expect_equal(ladder$table$rests_on[5], "metric")
  expect_match(utils::tail(ladder$reading, 1L), text_pattern("verdict_on_unsound", rung = "metric"))
})

test_that("groups are compared on the highest sound rung, and free loadings come with a caution", {
  same <- climb(list(a = group_of(900), b = group_of(900)))
  expect_output(print(same), "compare_groups(ladder$fits$strict)", fixed = TRUE)
  configural <- same$fits$configural
  expect_match(attr(compare_groups(configural), "caveat"),
               text_pattern("own_units", constructs = "Belonging and Calm"))
  expect_output(print(compare_groups(configural)), "CAUTION")
  expect_null(attr(compare_groups(same$fits$metric), "caveat"))
  expect_match(group_plot(configural)$labels$subtitle, "own units")
  expect_null(group_plot(same$fits$metric)$labels$subtitle)
  # for a ladder, the caution of the rung
  failing <- climb(list(a = group_of(500), b = group_of(500, rep(c(0.9, 0.4), 4))))
  for (figure in list(group_plot(failing, "intercept"), expected_scores(failing, "Calm"),
                      group_plot(failing, rung = "metric"))) {
    expect_match(figure$labels$subtitle, text_pattern("rung_fails", rung = "metric"))
  }
  expect_null(expected_scores(same, "Calm")$labels$subtitle)
  # two held loadings carry the unit, one does not
  released <- suppressMessages(amend(same$fits$metric,
                                     free = loading[Calm, sc1 | b], because = "a try"))
  expect_null(own_units_words(released))
  for (item in c("sc2", "sc3"))
    released <- suppressMessages(amend(released, free = paste0("loading[Calm, ", item, " | b]"),
                                       because = "a try"))
  expect_match(own_units_words(released), text_pattern("own_units", constructs = "Calm"))
})

test_that("correlations of groups say nothing about equal loadings", {
  groups <- lapply(list(a = group_of(300), b = group_of(300)), function(g) {
    suppressWarnings(summary_data(stats::cov2cor(g$cov), 300))
  })
  expect_error(suppressWarnings(climb(groups)), text_pattern("ladder_needs_covariances"),
               class = "orizzonte_error_data")
})

test_that("improper rungs are said, and never an error of R", {
  set.seed(12)
  weak <- do.call(rbind, lapply(1:5, function(g) {
    f <- stats::rnorm(60)
    x <- sapply(1:4, function(k) (if (g > 3) 0.7 else 0.08) * f + stats::rnorm(60))
    cbind(stats::setNames(as.data.frame(x), paste0("x", 1:4)), country = letters[g])
  }))
  bp <- blueprint("Weak") |> construct("A", reflected_in = x1:x4)
  for (rungs in list("metric", c("metric", "scalar", "strict"))) {
    ladder <- suppressWarnings(climb(weak, blueprint = bp, by = country, rungs = rungs))
    expect_true(all(ladder$table$verdict %in% ladder_codes))
    expect_output(print(ladder))
    expect_s3_class(suppressWarnings(methods_text(ladder)), "orizzonte_text")
  }
})

test_that("non-invariance is by group, with errors that bootstrap samples confirm", {
  ladder <- climb(list(a = group_of(400), b = group_of(300), c = group_of(350,
                       intercepts = replace(numeric(8), 3, 0.5))))
  gaps <- noninvariance(ladder)
  expect_equal(nrow(gaps), 16)
  expect_equal(gaps$item[which.min(gaps$p)], "be3")
  expect_equal(gaps$group[which.min(gaps$p)], "c")
  expect_equal(gaps$p_adjusted, stats::p.adjust(gaps$p, "holm"))
  expect_gt(length(unique(gaps$p[gaps$item == "be3"])), 1)
  # by hand: the item freed in all groups
  freed <- update(ladder$fits$scalar,
                  blueprint = let_differ(ladder$fits$scalar$request$blueprint,
                                         loading[Belonging, be3], intercept[be3]))
  b <- coef(freed)
  v <- vcov(freed)
  names <- function(g) paste0(c("loading[Belonging, be3 | ", "intercept[be3 | "), g, "]")
  gap <- b[names("c")] - b[names("a")]
  both <- v[c(names("c"), names("a")), c(names("c"), names("a"))]
  contrast <- cbind(diag(2), -diag(2))
  wald <- drop(gap %*% solve(contrast %*% both %*% t(contrast)) %*% gap)
  row <- which(gaps$item == "be3" & gaps$group == "c")
  expect_equal(gaps$chisq[row], wald, tolerance = 1e-5)
  expect_equal(gaps$df[row], 2L)
  weight <- c(b[["mean[Belonging | c]"]], 1)
  sd <- gaps$difference[row] / gaps$d[row]
  expect_equal(gaps$difference[row], sum(weight * gap), tolerance = 1e-5)
  expect_equal(gaps$se[row], sqrt(drop(weight %*% contrast %*% both %*% t(contrast) %*% weight)) /
                 sd, tolerance = 1e-5)
  expect_true(all(gaps$lower < gaps$d & gaps$d < gaps$upper))
  # the status is that of the group, and nothing is due to items that are held
  loose <- loosen(ladder, "scalar", most = 1)
  own <- noninvariance(loose)
  expect_equal(own$status[own$item == "be3"], c("held", "partly free"))
  totals <- attr(own, "totals")
  expect_equal(totals$from_free_items != 0, totals$construct == "Belonging" & totals$group == "c")
})

test_that("the share of each group stands beside its cases, and rises rung by rung", {
  ladder <- suppressMessages(invariance(read_blueprint(extdata("choirs.yaml")), choirs,
                                        by = "town"))
  shown <- ladder_columns(ladder)$shares
  expect_identical(shown$n, format_count(as.numeric(table(choirs$town)[rownames(
    ladder$contributions)])))
  rises <- ladder$contributions[, "scalar"] - ladder$contributions[, "metric"]
  expect_identical(shown$scalar, paste0("+", format_fixed(unname(rises), 2L)))
  expect_identical(shown$configural, format_fixed(unname(ladder$contributions[, 1]), 2L))
  # they add up to the difference in chi-square
  expect_equal(sum(rises), ladder$table$chisq_change[ladder$table$rung == "scalar"],
               tolerance = 1e-6)
})

test_that("a few groups that the model does not fit are named, and cost little", {
  set.seed(5)
  group <- function(unrelated) {
    factors <- matrix(rnorm(300), 150) %*% chol(matrix(c(1, 0.3, 0.3, 1), 2))
    x <- 0.7 * factors[, rep(1:2, each = 4)] + 0.7 * matrix(rnorm(1200), 150)
    if (unrelated) x[] <- rnorm(1200)
    stats::setNames(as.data.frame(x), paste0(rep(c("a", "b"), each = 4), 1:4))
  }
  data <- do.call(rbind, lapply(1:10, function(k) cbind(group(k <= 2), g = sprintf("g%02d", k))))
  bp <- blueprint("Ten groups") |> construct("A", reflected_in = a1:a4) |>
    construct("B", reflected_in = b1:b4)
  expect_little_work(ladder <- suppressWarnings(suppressMessages(
    invariance(bp, data, by = "g"))), 20)
  trouble <- improper_parts(ladder$fits$configural)$parameter
  named <- unique(sub(".*[|] (.*)\\]", "\\1", trouble))
  expect_true(length(named) > 0 && all(named %in% c("g01", "g02")))
  lines <- paste(capture.output(print(ladder)), collapse = " ")
  expect_match(gsub(" +", " ", lines), text_pattern("trouble_in_groups",
                                                    groups = enumerate(named)))
})
