quantities <- function() {
  blueprint("Staying") |>
    construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = c(sc1, sc2, sc4)) |>
    construct("Staying", reflected_in = st1:st3) |>
    effect(Calm ~ Belonging, Staying ~ Belonging + Calm) |>
    quantity(ratio = effect[Belonging, Staying] / effect[Calm, Staying],
             through = effect[Belonging, Calm] * effect[Calm, Staying],
             share = indirect[Belonging, Staying] / total[Belonging, Staying],
             strength = standardized(effect[Calm, Staying])^2,
             link = correlation[Belonging, Staying], link2 = correlation[be1, st2],
             explained = r_squared[Staying], double = 2 * quantity[ratio])
}

test_that("quantities and their errors agree with numerical derivatives of the definitions", {
  items <- c(paste0("be", 1:4), "sc1", "sc2", "sc4", paste0("st", 1:3))
  fit <- quiet_fit(quantities(), complete_choirs(items))
  layout <- fit$layout
  value <- function(theta) {
    eta <- layout$rows$constant
    for (i in seq_along(layout$map$entry)) {
      eta[layout$map$entry[i]] <- eta[layout$map$entry[i]] +
        layout$map$weight[i] * theta[layout$map$parameter[i]]
    }
    all <- c(layout$observed, layout$constructs)
    b <- psi <- matrix(0, length(all), length(all), dimnames = list(all, all))
    for (i in seq_along(eta)) {
      if (layout$rows$kind[i] %in% c("loading", "effect"))
        b[layout$rows$row[i], layout$rows$col[i]] <- eta[i]
      if (layout$rows$kind[i] %in% c("variance", "covariance")) psi[layout$rows$row[i],
          layout$rows$col[i]] <- psi[layout$rows$col[i], layout$rows$row[i]] <- eta[i]
    }
    total <- solve(diag(length(all)) - b)
    dimnames(total) <- dimnames(b)
    phi <- total %*% psi %*% t(total)
    r <- stats::cov2cor(phi)
    ratio <- b["Staying", "Belonging"] / b["Staying", "Calm"]
    c(ratio, b["Calm", "Belonging"] * b["Staying", "Calm"],
      1 - b["Staying", "Belonging"] / total["Staying", "Belonging"],
      (b["Staying", "Calm"] * sqrt(phi["Calm", "Calm"] / phi["Staying", "Staying"]))^2,
      r["Belonging", "Staying"], r["be1", "st2"],
      1 - psi["Staying", "Staying"] / phi["Staying", "Staying"], 2 * ratio)
  }
  rows <- subset(as.data.frame(estimates(fit)), kind == "quantity")
  expect_equal(rows$estimate, unname(value(coef(fit))), tolerance = 1e-10)
  jacobian <- numDeriv::jacobian(value, coef(fit))
  expect_equal(rows$se, sqrt(diag(jacobian %*% vcov(fit) %*% t(jacobian))), tolerance = 1e-6)
  expect_equal(rows$parameter[1], "quantity[ratio]")
  expect_output(print(summary(fit)), "quantity[share]", fixed = TRUE)
})

test_that("routes add up to the indirect effect", {
  bp <- blueprint("Routes") |> effect(sc1 ~ be1, sc2 ~ be1 + sc1, st1 ~ sc1 + sc2 + be1)
  fit <- quiet_fit(bp, complete_choirs(c("be1", "sc1", "sc2", "st1")))
  table <- as.data.frame(effects(fit, items = TRUE, routes = TRUE))
  own <- subset(table, from == "be1" & to == "st1")
  expect_equal(sum(own$kind == "route"), 3)
  expect_equal(sum(own$estimate[own$kind == "route"]), own$estimate[own$kind == "indirect"],
               tolerance = 1e-10)
  b <- coef(fit)
  expect_equal(own$estimate[own$parameter == "effect[be1, sc1] * effect[sc1, st1]"],
               b[["effect[be1, sc1]"]] * b[["effect[sc1, st1]"]])
  again <- quiet_fit(quantity(bp, way = effect[be1, sc1] * effect[sc1, st1]),
                     complete_choirs(c("be1", "sc1", "sc2", "st1")))
  expect_equal(tail(estimates(again)$se, 1),
               own$se[own$parameter == "effect[be1, sc1] * effect[sc1, st1]"], tolerance = 1e-8)
})

test_that("quantities survive a file, can be overridden, and go with what they mention", {
  file <- tempfile(fileext = ".yaml")
  write_blueprint(quantities(), file)
  expect_identical(read_blueprint(file), quantities())
  expect_message(bp <- quantity(quantities(), ratio = effect[Calm, Staying] / 2), "Overridden")
  expect_equal(bp$quantities[["ratio"]], "effect[Calm, Staying] / 2")
  expect_error(quantity(quantities(), ratio = effect[Belonging, Staying] / effect[Calm, Staying]),
               class = "orizzonte_error_duplicate")
  expect_message(bp <- leave_out(quantities(), Calm), "quantity[ratio]", fixed = TRUE)
  expect_named(bp$quantities, c("share", "link", "link2", "explained", "double"))
})

test_that("a bad quantity is refused by name", {
  expect_error(quantity(quantities(), effect[Calm, Staying]), class = "orizzonte_error_input")
  expect_error(quantity(quantities(), bad = sin(effect[Calm, Staying])),
               class = "orizzonte_error_restriction")
  expect_error(quiet_fit(quantity(quantities(), bad = effect[Calm, Stayin]), choirs),
               text_pattern("did_you_mean"))
  expect_error(quiet_fit(quantity(quantities(), bad = total[Calm, Stayin]), choirs),
               class = "orizzonte_error_name")
  expect_error(quiet_fit(quantity(quantities(), bad = 1 / quantity[later], later = effect[Calm,
      Staying] + 1), choirs), text_pattern("quantity_uses_which_is"))
})

test_that("expressions have exact first and second derivatives", {
  texts <- c("loading[a, b]^2 * effect[c, d] - 3 / variance[e]",
             "exp(-loading[a, b]) + log(variance[e]) * sqrt(effect[c, d])",
             "(loading[a, b] + 2)^effect[c, d]",
             "-(loading[a, b] - effect[c, d])^3 / (1 + variance[e]^2)")
  at <- c(0.7, 1.3, 0.9)
  for (text in texts) {
    tape <- orizzonte:::read_expression(str2lang(text))
    x <- at[match(tape$inputs, c("loading[a, b]", "effect[c, d]", "variance[e]"))]
    plain <- function(v) {
      code <- text
      for (i in seq_along(v))
        code <- gsub(tape$inputs[i], paste0("(", format(v[i], digits = 17), ")"), code,
                     fixed = TRUE)
      eval(str2lang(code))
    }
    jet <- orizzonte:::core_expression(tape, x, diag(length(x)))
    expect_equal(jet$value, plain(x), tolerance = 1e-12)
    expect_equal(jet$gradient, numDeriv::grad(plain, x), tolerance = 1e-7)
    expect_equal(jet$hessian, numDeriv::hessian(plain, x), tolerance = 1e-5)
  }
})
