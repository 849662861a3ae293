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
  scores <- found$scores
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
  # as construct_quality() has it, with residual covariances and negative keys
  expect_equal(h, construct_quality(fit)$table$omega[1], tolerance = 1e-10)
  turned <- choirs_bifactor
  turned$ear2 <- -turned$ear2
  again <- variance_split(quiet_fit(bifactor, turned))
  expect_equal(again$scores$omega_hierarchical, scores$omega_hierarchical, tolerance = 1e-6)
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
  expect_equal(found$scores$omega_hierarchical[1], sum(general)^2 /
                 sum(implied(fit)$all$covariance), tolerance = 1e-8)
  expect_match(found$reading, text_pattern("total_one_score", general = "Image"))
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
