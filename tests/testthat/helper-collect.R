# Moments collected from chunks and from databases against the same data in memory: shared by the
# tests of both.

collected_model <- blueprint("Collected") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |> effect(Calm ~ Belonging + years)
quietly <- function(code) suppressWarnings(suppressMessages(code))
far <- transform(choirs, be1 = be1 * 0.055 + 1e6, years = as.integer(years))
variables <- c(paste0("be", 1:4), paste0("sc", 1:4), "years")

# Moments by missing pattern, computed plainly.
plain_patterns <- function(data) {
  x <- as.matrix(as.data.frame(lapply(data[variables], as.numeric)))
  key <- apply(!is.na(x), 1, paste, collapse = "")
  lapply(split(seq_len(nrow(x)), key), function(rows) {
    seen <- which(!is.na(x[rows[1], ]))
    own <- x[rows, seen, drop = FALSE]
    off <- sweep(own, 2, colMeans(own))
    list(n = length(rows), mean = colMeans(own), covariance = crossprod(off) / length(rows))
  })
}
expect_same_moments <- function(collected, data) {
  truth <- plain_patterns(data)
  truth <- truth[grepl("TRUE", names(truth))]
  mine <- collected$patterns
  names(mine) <- vapply(mine, function(b) paste(variables %in% b$variables, collapse = ""), "")
  expect_setequal(names(mine), names(truth))
  scale <- apply(data[variables], 2, sd, na.rm = TRUE)
  for (key in names(truth)) {
    expect_equal(mine[[key]]$n, truth[[key]]$n)
    v <- names(truth[[key]]$mean)
    at <- match(v, mine[[key]]$variables)
    size <- pmax(abs(truth[[key]]$mean), scale[v])
    expect_lt(max(abs(mine[[key]]$mean[at] - truth[[key]]$mean) / size), 1e-10)
    gap <- mine[[key]]$covariance[at, at] - truth[[key]]$covariance
    expect_lt(max(abs(gap) / outer(scale[v], scale[v])), 1e-10)
  }
}
expect_same_fit <- function(source, data = far, ...) {
  whole <- quiet_fit(collected_model, data)
  mine <- quietly(fit_model(collected_model, collect_summary(source, collected_model, ...)))
  expect_lt(abs(deviance(mine) - deviance(whole)), 1e-6)
  expect_lt(max(abs(coef(mine) - coef(whole)) / sqrt(diag(vcov(whole)))), 1e-6)
  expect_lt(max(abs(sqrt(diag(vcov(mine))) / sqrt(diag(vcov(whole))) - 1)), 1e-6)
  grouped <- quiet_fit(collected_model, data, by = "setting", levels = c(W = "weekend",
                                                                         E = "evening"))
  levels <- c(W = "weekend", E = "evening")
  mine <- quietly(fit_model(collected_model, collect_summary(source, collected_model, by = setting,
                                                             levels = levels, ...)))
  expect_identical(names(coef(mine)), names(coef(grouped)))
  expect_lt(abs(deviance(mine) - deviance(grouped)), 1e-6)
  dropped <- quietly(fit_model(collected_model, collect_summary(source, collected_model, ...),
                               incomplete = "drop"))
  expect_equal(nobs(dropped), nobs(quiet_fit(collected_model, data, incomplete = "drop")))
}
written <- function(data, ending = ".csv") {
  file <- tempfile(fileext = ending)
  utils::write.csv(data, file, row.names = FALSE)
  file
}
