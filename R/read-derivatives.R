# Values with derivatives by the free parameters: a vector and a matrix with a row each. What sums
# and ratios of model quantities need for the delta method.

new_jet <- function(value, gradient) list(value = as.numeric(value), gradient = gradient)

# Quantities that the core derives (see quantity_codes), of variables by number.
derived_jet <- function(fit, what, group, a, b = a) {
  if (length(a) == 0L) return(new_jet(numeric(), matrix(0, 0L, length(theta_of(fit)))))
  found <- derive(fit, what, group, a, b)
  new_jet(found$value, found$gradient)
}

jet_sum <- function(jet, weight = rep(1, length(jet$value))) {
  new_jet(sum(weight * jet$value), matrix(colSums(weight * jet$gradient), 1L))
}

jet_times <- function(a, b) {
  new_jet(a$value * b$value, a$gradient * b$value + b$gradient * a$value)
}

jet_over <- function(a, b) {
  value <- a$value / b$value
  new_jet(value, (a$gradient - value * b$gradient) / b$value)
}

jet_plus <- function(a, b) new_jet(a$value + b$value, a$gradient + b$gradient)

jet_minus <- function(a, b) new_jet(a$value - b$value, a$gradient - b$gradient)

jet_square <- function(a) jet_times(a, a)

jet_at <- function(jet, at) new_jet(jet$value[at], jet$gradient[at, , drop = FALSE])

bind_jets <- function(jets) {
  new_jet(unlist(lapply(jets, `[[`, "value")), do.call(rbind, lapply(jets, `[[`, "gradient")))
}

jet_error <- function(jet, fit) delta_se(jet$gradient, vcov_of(fit))

# The interval of a share, on the logit scale: within 0 and 1 (none for what lies outside).
share_interval <- function(value, se, level, df = Inf) {
  inside <- !is.na(value) & value > 0 & value < 1
  value[!inside] <- NA_real_
  half <- stats::qt((1 + level) / 2, df) * se / (value * (1 - value))
  list(lower = stats::plogis(stats::qlogis(value) - half),
       upper = stats::plogis(stats::qlogis(value) + half))
}
