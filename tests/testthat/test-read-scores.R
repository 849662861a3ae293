items <- c(paste0("be", 1:4), paste0("sc", 1:4))
bp <- blueprint("Two") |>
  construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4)
complete <- complete_choirs(items)
fit <- quiet_fit(bp, complete)
model <- oracle_factor_model(coef(fit), items, c("Belonging", "Calm"),
                             c(`loading[Belonging, be1]` = 1, `loading[Calm, sc1]` = 1))

# From precisions: the information of the observed items, and the prior information.
precision <- function(seen) {
  lambda <- model$lambda[seen, , drop = FALSE]
  crossprod(lambda, solve(model$residual[seen, seen, drop = FALSE], lambda))
}

test_that("scores have errors and determinacies as defined, incomplete rows their own", {
  some <- complete[1:3, ]
  some[2, c("be1", "be2", "sc4")] <- NA
  some[3, paste0("be", 1:4)] <- NA
  seen <- list(items, setdiff(items, c("be1", "be2", "sc4")), paste0("sc", 1:4))
  regression <- predict(fit, some, se.fit = TRUE)
  bartlett <- predict(fit, some, method = "bartlett", se.fit = TRUE)
  for (k in 1:3) {
    after <- solve(solve(model$phi) + precision(seen[[k]]))
    expect_equal(unlist(regression$se.fit[k, ]), sqrt(diag(after)), tolerance = 1e-8)
    expect_equal(unlist(regression$determinacy[k, ]), sqrt(1 - diag(after) / diag(model$phi)),
                 tolerance = 1e-8)
    off <- unlist(some[k, seen[[k]]]) - implied(fit)$all$mean[seen[[k]]]
    by_hand <- after %*% crossprod(model$lambda[seen[[k]], ],
                                   solve(model$residual[seen[[k]], seen[[k]]], off))
    expect_equal(unlist(regression$fit[k, ]), drop(by_hand), tolerance = 1e-7)
  }
  for (k in 1:2) {
    error <- diag(solve(precision(seen[[k]])))
    expect_equal(unlist(bartlett$se.fit[k, ]), sqrt(error), tolerance = 1e-8)
    expect_equal(unlist(bartlett$determinacy[k, ]),
                 sqrt(diag(model$phi) / (diag(model$phi) + error)), tolerance = 1e-8)
  }
  # no item of Belonging is observed in the third row: its score does not exist, that of Calm does
  expect_true(is.na(bartlett$fit$Belonging[3]) && is.na(bartlett$se.fit$Belonging[3]))
  calm <- model$lambda[seen[[3]], "Calm"]
  own <- solve(model$residual[seen[[3]], seen[[3]]], calm)
  off <- unlist(some[3, seen[[3]]]) - implied(fit)$all$mean[seen[[3]]]
  expect_equal(bartlett$fit$Calm[3], sum(own * off) / sum(own * calm), tolerance = 1e-7)
})

test_that("augment() binds scores and errors, and constructs of constructs have Bartlett scores", {
  bound <- augment(fit, complete[1:5, ])
  expect_equal(bound$.Calm_se, predict(fit, complete[1:5, ], se.fit = TRUE)$se.fit$Calm)
  expect_true(all(c(items, ".Belonging", ".Calm", ".Belonging_se") %in% names(bound)))
  second <- blueprint("Image") |>
    construct("Ear", reflected_in = ear1:ear4) |>
    construct("Voice", reflected_in = voice1:voice4) |>
    construct("Score", reflected_in = score1:score4) |>
    construct("Image", reflected_in = c(Ear, Voice, Score))
  whole <- quiet_fit(second, choirs_bifactor)
  found <- predict(whole, method = "bartlett", se.fit = TRUE)
  # by generalised least squares of all items on the general construct alone
  table <- estimates(whole)
  value <- function(address) table$estimate[match(address, table$parameter)]
  parts <- rep(c("Ear", "Voice", "Score"), each = 4)
  slope <- value(paste0("loading[", parts, ", ", names(choirs_bifactor), "]")) *
    value(paste0("loading[Image, ", parts, "]"))
  phi <- value("variance[Image]")
  residual <- implied(whole)$all$covariance - phi * slope %o% slope
  weights <- solve(residual, slope) / sum(slope * solve(residual, slope))
  off <- t(choirs_bifactor) - implied(whole)$all$mean
  expect_equal(found$fit$Image, drop(weights %*% off), tolerance = 1e-7, ignore_attr = TRUE)
  error <- 1 / sum(slope * solve(residual, slope))
  expect_equal(found$se.fit$Image[1], sqrt(error), tolerance = 1e-7)
  expect_equal(found$determinacy$Image[1], sqrt(phi / (phi + error)), tolerance = 1e-7)
  expect_error(predict(fit, se.fit = "yes"), class = "orizzonte_error_input")
})

test_that("composites are what they are composed of", {
  made <- blueprint("Resources") |>
    construct("Resources", composed_of = c(rooms, scores, coach)) |>
    construct("Staying", reflected_in = st1:st3) |>
    effect(Staying ~ Resources)
  own <- quiet_fit(made, complete_choirs(c("rooms", "scores", "coach", "st1", "st2", "st3")))
  data <- augment(own)
  weight <- coef(own)[c("weight[scores, Resources]", "weight[coach, Resources]")]
  sum <- data$rooms + weight[1] * data$scores + weight[2] * data$coach
  for (method in c("regression", "bartlett")) {
    scores <- predict(own, method = method, se.fit = TRUE)
    expect_equal(scores$fit$Resources - mean(scores$fit$Resources), sum - mean(sum),
                 tolerance = 1e-6)
    expect_lt(max(scores$se.fit$Resources), 1e-4)
    expect_equal(scores$determinacy$Resources[1], 1, tolerance = 1e-8)
  }
})
