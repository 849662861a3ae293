# Anything an expression may name, as a value with derivatives by the free parameters ("jet"); and derived quantities.

# The jets of several texts: lists of `value` and `gradient` (by fit$theta).
read_jets <- function(fit, texts) {
  context <- jet_context(fit)
  lapply(stats::setNames(texts, texts), read_jet, fit = fit, context = context)
}

# What several jets share, computed once and only when asked for.
jet_context <- function(fit) {
  context <- new.env(parent = emptyenv())
  delayedAssign("map", map_matrix(fit$layout), assign.env = context)
  delayedAssign("standardized", standardized_solution(fit), assign.env = context)
  delayedAssign("matrices", model_matrices(fit), assign.env = context)
  context
}

# `scope`: the group meant by what names none.
read_jet <- function(text, fit, context, scope = NULL) {
  expression <- str2lang(text)
  standardized <- identical(expression[[1L]], quote(standardized))
  address <- parse_address(if (standardized) expression[[2L]] else expression)
  if (address$head %in% names(address_heads)) {
    row <- restricted_rows(format(address), fit$layout, scope)
    if (length(row) != 1L) abort("restriction", paste0(text, " is not one parameter."))
    if (standardized) return(list(value = context$standardized$value[row], gradient = context$standardized$jacobian[row, ]))
    return(list(value = fit$eta[row], gradient = context$map[row, ]))
  }
  if (address$head == "quantity") return(quantity_jet(address$first, fit, context, address$group %||% scope))
  if (has_groups(fit)) {
    fit <- one_group_of(fit, address$group %||% scope)
    context <- jet_context(fit)
  }
  all <- c(fit$layout$observed, fit$layout$constructs)
  switch(address$head,
    r_squared = r_squared_jet(variable_index(address$first, all, text), fit, context),
    correlation = correlation_jet(variable_index(c(address$first, address$second), all, text), fit, context),
    total_jet(address$head, variable_index(c(address$first, address$second), all, text), fit, context))
}

quantity_jet <- function(name, fit, context, scope = NULL) {
  if (!name %in% names(fit$blueprint$quantities)) {
    abort("name", c(paste0("There is no quantity ", quoted(name), "."), did_you_mean(name, names(fit$blueprint$quantities))))
  }
  expression_jet(str2lang(fit$blueprint$quantities[[name]]), fit, context, scope)
}

expression_jet <- function(expression, fit, context = jet_context(fit), scope = NULL) {
  tape <- read_expression(expression, read_only = TRUE)
  inputs <- lapply(tape$inputs, read_jet, fit = fit, context = context, scope = scope)
  values <- vapply(inputs, `[[`, 0, "value")
  jet <- core_expression(tape, values)
  gradient <- numeric(length(fit$theta))
  for (i in seq_along(inputs)) gradient <- gradient + jet$gradient[i] * inputs[[i]]$gradient
  list(value = jet$value, gradient = gradient)
}

# d Phi_ab / d B_ij = T_ai Phi_jb + Phi_aj T_bi; d Phi_ab / d Psi_ij = T_ai T_bj + T_aj T_bi (halved when i = j).
covariance_jet <- function(a, b, fit, context) {
  layout <- fit$layout
  t <- context$matrices$total
  phi <- context$matrices$covariance
  by_entry <- numeric(length(layout$parameter))
  arrows <- layout$head %in% arrow_heads
  i <- layout$row
  j <- layout$col
  by_entry[arrows] <- t[a, i[arrows]] * phi[j[arrows], b] + phi[a, j[arrows]] * t[b, i[arrows]]
  psi <- layout$head %in% c("variance", "covariance")
  both <- t[a, i[psi]] * t[b, j[psi]] + t[a, j[psi]] * t[b, i[psi]]
  by_entry[psi] <- ifelse(i[psi] == j[psi], both / 2, both)
  list(value = phi[a, b], gradient = drop(by_entry %*% context$map))
}

correlation_jet <- function(pair, fit, context) {
  top <- covariance_jet(pair[1L], pair[2L], fit, context)
  one <- covariance_jet(pair[1L], pair[1L], fit, context)
  two <- covariance_jet(pair[2L], pair[2L], fit, context)
  value <- top$value / sqrt(one$value * two$value)
  list(value = value, gradient = top$gradient / sqrt(one$value * two$value) - value / 2 * (one$gradient / one$value + two$gradient / two$value))
}

r_squared_jet <- function(variable, fit, context) {
  layout <- fit$layout
  total <- covariance_jet(variable, variable, fit, context)
  own <- which(layout$head == "variance" & layout$row == variable)
  residual <- if (length(own)) fit$eta[own] else 0
  slope <- if (length(own)) context$map[own, ] else 0
  list(value = 1 - residual / total$value, gradient = -slope / total$value + residual * total$gradient / total$value^2)
}

# d T_ab / d B_ij = T_ai T_jb; `indirect` leaves the direct path out.
total_jet <- function(head, pair, fit, context) {
  layout <- fit$layout
  from <- pair[1L]
  to <- pair[2L]
  t <- context$matrices$total
  arrows <- layout$head %in% arrow_heads
  by_entry <- numeric(length(layout$parameter))
  by_entry[arrows] <- t[to, layout$row[arrows]] * t[layout$col[arrows], from]
  value <- t[to, from] - (from == to)
  direct <- which(arrows & layout$row == to & layout$col == from)
  if (head == "indirect" && length(direct)) {
    value <- value - fit$eta[direct]
    by_entry[direct] <- by_entry[direct] - 1
  }
  list(value = value, gradient = drop(by_entry %*% context$map))
}

# One row a quantity, in the columns of estimates().
quantity_rows <- function(fit, vcov, level) {
  names <- names(fit$blueprint$quantities)
  context <- jet_context(fit)
  places <- unlist(lapply(names, function(name) {
    scopes <- text_scopes(quantity_addresses(fit$blueprint$quantities[[name]]), fit$layout)
    lapply(scopes, function(g) list(name = name, group = g))
  }), recursive = FALSE)
  jets <- lapply(places, function(place) quantity_jet(place$name, fit, context, place$group))
  groups <- vapply(places, function(place) place$group %||% NA_character_, "")
  names <- vapply(places, `[[`, "", "name")
  value <- vapply(jets, `[[`, 0, "value")
  se <- delta_se(do.call(rbind, lapply(jets, `[[`, "gradient")), vcov)
  z <- value / se
  half <- stats::qnorm((1 + level) / 2) * se
  none <- rep(NA_real_, length(value))
  list(parameter = address_format("quantity", names, NA_character_, groups), group = groups, role = rep("quantity", length(value)),
       estimate = value, se = se, z = z, p = 2 * stats::pnorm(-abs(z)), lower = value - half, upper = value + half,
       standardized = none, standardized_se = none, status = rep("derived", length(value)))
}
