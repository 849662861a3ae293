second <- blueprint("Musical self-image") |>
  construct("Ear", reflected_in = ear1:ear4) |>
  construct("Voice", reflected_in = voice1:voice4) |>
  construct("Score", reflected_in = score1:score4) |>
  construct("Image", reflected_in = c(Ear, Voice, Score))
bifactor <- blueprint("Musical self-image") |>
  construct("Image", reflected_in = c(ear1:ear4, voice1:voice4, score1:score4)) |>
  construct("Ear", reflected_in = ear1:ear4) |>
  construct("Voice", reflected_in = voice1:voice4) |>
  construct("Score", reflected_in = score1:score4) |>
  uncorrelate(Image, Ear, Voice, Score)

# Values of a fit as matrices, by loops over its table.
loading_of <- function(table, from, to) {
  at <- match(paste0("loading[", from, ", ", to, "]"), table$parameter)
  ifelse(is.na(at), 0, table$estimate[at])
}
variance_of <- function(table, of) {
  table$estimate[match(paste0("variance[", of, "]"), table$parameter)]
}

test_that("a bifactor model is split as its definitions say", {
  fit <- quiet_fit(bifactor, choirs_bifactor)
  found <- variance_split(fit)
  table <- estimates(fit)
  items <- names(choirs_bifactor)
  parts <- c("Ear", "Voice", "Score")
  general <- loading_of(table, "Image", items) * sqrt(variance_of(table, "Image"))
  specific <- vapply(parts, function(f) {
    loading_of(table, f, items) * sqrt(variance_of(table, f))
  }, numeric(12))
  sigma <- general %o% general + specific %*% t(specific) + diag(variance_of(table, items))
  expect_equal(found$items$general, general^2 / diag(sigma), tolerance = 1e-8)
  expect_equal(found$items$specific, rowSums(specific^2) / diag(sigma), tolerance = 1e-8)
  expect_equal(with(found$items, general + specific + residual), rep(1, 12), tolerance = 1e-12)
  scores <- found$scales
  expect_equal(scores$omega_hierarchical[1], sum(general)^2 / sum(sigma), tolerance = 1e-8)
  expect_equal(scores$omega[1], (sum(general)^2 + sum(colSums(specific)^2)) / sum(sigma),
               tolerance = 1e-8)
  own <- 5:8
  expect_equal(scores$omega_hierarchical[3], sum(specific[own, 2])^2 / sum(sigma[own, own]),
               tolerance = 1e-8)
  expect_equal(scores$omega[3], (sum(general[own])^2 + sum(specific[own, 2])^2) /
                 sum(sigma[own, own]), tolerance = 1e-8)
  squares <- c(sum(general^2 / diag(sigma)), colSums(specific^2 / diag(sigma)))
  expect_equal(scores$explained_common_variance, squares / sum(squares), tolerance = 1e-8,
               ignore_attr = TRUE)
  expect_equal(found$contamination$percent_uncontaminated, 1 - 3 * 6 / 66)
  # the error of omega hierarchical by numerical derivatives
  theta <- coef(fit)
  se <- local({
    slope <- numDeriv::grad(function(t) {
      values <- stats::setNames(t, names(theta))
      every <- function(address) ifelse(address %in% names(values), values[address], 1)
      own <- every(paste0("loading[Image, ", items, "]")) * sqrt(values["variance[Image]"])
      of_parts <- vapply(parts, function(f) {
        at <- paste0("loading[", f, ", ", items, "]")
        in_part <- at %in% c(names(values), paste0("loading[", f, ", ", tolower(f), "1]"))
        ifelse(in_part, every(at), 0) * sqrt(values[paste0("variance[", f, "]")])
      }, numeric(12))
      implied <- own %o% own + of_parts %*% t(of_parts) +
        diag(values[paste0("variance[", items, "]")])
      sum(own)^2 / sum(implied)
    }, unname(theta))
    sqrt(drop(slope %*% vcov(fit) %*% slope))
  })
  h <- scores$omega_hierarchical[1]
  expect_equal(scores$omega_hierarchical_lower[1],
               plogis(qlogis(h) - qnorm(.975) * se / (h * (1 - h))), tolerance = 1e-6)
  # the same as in construct_quality(), with residual covariances and negative keys
  expect_equal(h, construct_quality(fit)$table$omega[1], tolerance = 1e-10)
  turned <- choirs_bifactor
  turned$ear2 <- -turned$ear2
  again <- variance_split(quiet_fit(bifactor, turned))
  expect_equal(again$scales$omega_hierarchical, scores$omega_hierarchical, tolerance = 1e-6)
})

test_that("a second-order model is split by its Schmid-Leiman form", {
  fit <- quiet_fit(second, choirs_bifactor)
  found <- variance_split(fit)
  table <- estimates(fit)
  items <- names(choirs_bifactor)
  parts <- rep(c("Ear", "Voice", "Score"), each = 4)
  first <- mapply(function(f, i) loading_of(table, f, i), parts, items)
  general <- first * loading_of(table, "Image", parts) * sqrt(variance_of(table, "Image"))
  own <- first * sqrt(variance_of(table, parts))
  sd <- sqrt(diag(implied(fit)$all$covariance)[items])
  expect_equal(found$schmid_leiman$general, general / sd, tolerance = 1e-8, ignore_attr = TRUE)
  expect_equal(found$schmid_leiman$specific, own / sd, tolerance = 1e-8, ignore_attr = TRUE)
  expect_equal(found$items$general, (general / sd)^2, tolerance = 1e-8, ignore_attr = TRUE)
  expect_equal(with(found$items, general + specific + residual), rep(1, 12), tolerance = 1e-12)
  expect_equal(found$scales$omega_hierarchical[1], sum(general)^2 /
                 sum(implied(fit)$all$covariance), tolerance = 1e-8)
  expect_match(found$reading, text_pattern("total_general_with_parts", general = "Image"))
  expect_s3_class(plot(found), "ggplot")
  groups <- choirs_bifactor
  groups$choir <- rep(c("north", "south"), length.out = nrow(groups))
  by <- variance_split(quiet_fit(second, groups, by = "choir"))
  expect_equal(unique(as.data.frame(by)$group), c("north", "south"))
  expect_equal(as.data.frame(variance_split(quiet_fit(second, groups[groups$choir == "south", ])))
               $general, as.data.frame(by)$general[13:24], tolerance = 1e-6)
})

test_that("models without a general construct, or with several, are refused with names", {
  plain <- quiet_fit(blueprint("Plain") |> construct("Ear", reflected_in = ear1:ear4),
                     choirs_bifactor)
  expect_error(variance_split(plain), text_pattern("variance_split_needs_bifactor"),
               class = "orizzonte_error_input")
  fit <- quiet_fit(second, choirs_bifactor)
  expect_error(variance_split(fit, general = "Ear"), "General: Image",
               class = "orizzonte_error_name")
  expect_error(variance_split(fit, general = 3), class = "orizzonte_error_input")
  expect_error(variance_split(1), class = "orizzonte_error_input")
  # a part whose disturbance variance is negative has no loading of its own
  heywood <- fit_at(fit, replace(coef(fit), "variance[Ear]", -5))
  expect_true(all(is.na(variance_split(heywood)$schmid_leiman$specific[1:4])))
})

# Fifteen items, three parts of five, the population as data.
population <- function(general, specific, n = 1e5) {
  part <- rep(1:3, each = 5)
  loadings <- cbind(general, specific * outer(part, 1:3, "=="))
  r <- tcrossprod(loadings) + diag(1 - rowSums(loadings^2))
  dimnames(r) <- rep(list(paste0("x", 1:15)), 2)
  bp <- blueprint("Population", scale = "unit") |>
    construct("G", reflected_in = x1:x15) |> construct("A", reflected_in = x1:x5) |>
    construct("B", reflected_in = x6:x10) |> construct("C", reflected_in = x11:x15) |>
    uncorrelate(G, A, B, C) |> start_at(loading[G, x1], 0.5)
  list(split = variance_split(quiet_fit(bp, summary_data(r, n, sd = rep(1, 15)))),
       loadings = loadings, r = r)
}

test_that("populations of known meaning get the verdicts and shares that they should", {
  known <- list(
    list(g = 0.7, s = 0.2, omega = 0.941, omega_h = 0.916, ecv = 0.925, h = 0.935, det = 0.957,
         share = 0.075, part = 0.849, total = 0.894, effect = 0.494,
         verdicts = c("one_score", rep("repeats", 3))),
    list(g = 0.6, s = 0.4, omega = 0.928, omega_h = 0.808, ecv = 0.692, h = 0.894, det = 0.899,
         share = 0.308, part = 0.844, total = 0.738, effect = 0.471,
         verdicts = c("one_score", rep("adds", 3))),
    list(g = 0.35, s = 0.6, omega = 0.875, omega_h = 0.442, ecv = 0.254, h = 0.677, det = 0.665,
         share = 0.746, part = 0.823, total = 0.440, effect = 0.369,
         verdicts = c("mixture", rep("adds", 3))),
    list(g = 0.6, s = rep(c(0.6, 0.2, 0.2), each = 5), omega = 0.926, omega_h = 0.815, ecv = 0.711,
         h = 0.894, det = 0.918, share = 0.5, part = 0.928, total = 0.724, effect = 0.419,
         verdicts = c("one_score", "adds", "repeats", "repeats")),
    list(g = 0.4, s = 0.3, omega = 0.792, omega_h = 0.667, ecv = 0.640, h = 0.741, det = 0.816,
         share = 0.36, part = 0.625, total = 0.602, effect = 0.464,
         verdicts = c("general_with_parts", rep("adds_unreliable", 3))))
  for (one in known) {
    found <- population(rep(one$g, 15), rep_len(one$s, 15))
    scales <- found$split$scales
    expect_equal(round(c(scales$omega[1], scales$omega_hierarchical[1],
                         scales$explained_common_variance[1], scales$h[1], scales$determinacy[1],
                         scales$own_share[2], scales$prmse_part[2], scales$prmse_total[2]), 3),
                 c(one$omega, one$omega_h, one$ecv, one$h, one$det, one$share, one$part, one$total),
                 tolerance = 0.0011)
    expect_equal(0.5 * (1 + scales$effect_bias[1]), one$effect, tolerance = 0.002)
    expect_identical(scales$verdict, one$verdicts)
    # the proportional reduction in mean squared error, from its definition
    own <- 1:5
    true <- tcrossprod(found$loadings)
    cov_total <- sum(true[own, ])
    expect_equal(scales$prmse_total[2], cov_total^2 / (sum(true[own, own]) * sum(found$r)),
                 tolerance = 1e-4)
    expect_equal(found$split$items$common_variance,
                 found$loadings[, 1]^2 / rowSums(found$loadings^2), tolerance = 1e-3)
  }
})

test_that("the interval of added value is the delta method's, by numerical derivatives", {
  fit <- quiet_fit(bifactor, choirs_bifactor)
  scales <- variance_split(fit)$scales
  theta <- coef(fit)
  added <- function(t) {
    moved <- variance_split(fit_at(fit, stats::setNames(t, names(theta))))$scales
    (moved$prmse_part - moved$prmse_total)[2]
  }
  slope <- numDeriv::grad(added, unname(theta), method = "simple")
  se <- sqrt(drop(slope %*% vcov(fit) %*% slope))
  middle <- added(unname(theta))
  expect_equal(c(scales$added_lower[2], scales$added_upper[2]),
               middle + c(-1, 1) * qnorm(.975) * se, tolerance = 1e-3)
})

test_that("no verdict is given where the shares cannot carry one, and the sentence says why", {
  fit <- quiet_fit(bifactor, choirs_bifactor)
  mixed <- replace(coef(fit), "loading[Ear, ear2]", -0.4)
  found <- variance_split(fit_at(fit, mixed))
  expect_match(found$reading, text_pattern("split_no_verdict"))
  expect_match(found$trouble, text_pattern("split_mixed_signs", factor = "Ear"))
  expect_true(all(found$scales$verdict == "cannot_tell"))
  residual <- replace(coef(fit), "variance[ear1]", -1)
  expect_match(variance_split(fit_at(fit, residual))$trouble,
               text_pattern("split_residual_not_positive"), all = FALSE)
})

test_that("a second-order truth never reads as a mixture whose parts say nothing", {
  found <- variance_split(quiet_fit(second, choirs_bifactor))
  verdicts <- found$scales$verdict
  expect_false(verdicts[1] == "mixture" && all(verdicts[-1] == "repeats"))
  for (code in setdiff(part_codes, verdicts[-1]))
    expect_no_match(found$reading, text_pattern(paste0("part_", code)))
  for (code in intersect(part_codes, verdicts[-1]))
    expect_match(found$reading, text_pattern(paste0("part_", code), general = "Image"))
})
