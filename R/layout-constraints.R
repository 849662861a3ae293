# Bounds and equations that are no plain equalities: tapes for the core, one a constraint.

is_constraint <- function(restriction) restriction$smooth || restriction$relation != "=="

# Rows that constraints touch, but for variances kept from turning negative: those leave the scale of a construct free.
constrained_rows <- function(table, bp) {
  rows <- lapply(Filter(is_constraint, bp$restrict), function(r) {
    harmless <- !r$smooth && r$relation == ">=" && identical(r$right, 0) && startsWith(r$left, "variance[")
    if (!harmless) unlist(lapply(restriction_addresses(r), restricted_rows, table = table))
  })
  unique(unlist(rows))
}

# Adds `constraints`: lists of `text`, `tape`, `rows` (of the table, by input of the tape), `bound`; and notes about those that
# follow from the others and are left out. A constraint is written so that it is 0 (or, a bound, not negative).
apply_constraints <- function(table, bp) {
  table$constraints <- list()
  for (restriction in Filter(is_constraint, bp$restrict)) {
    if (restriction$smooth) {
      for (scope in group_scopes(restriction, table)) table$constraints <- c(table$constraints, list(compile_constraint(restriction, table, scope)))
      next
    }
    for (one in table$parameter[restricted_rows(restriction$left, table)]) {
      single <- restriction
      single$left <- one
      table$constraints <- c(table$constraints, list(compile_constraint(single, table)))
    }
  }
  if (length(table$constraints) == 0L) return(table)
  check_constants(table)
  redundant <- redundant_equations(table)
  if (length(redundant)) {
    texts <- vapply(table$constraints[redundant], `[[`, "", "text")
    table$notes <- c(table$notes, redundant_note(texts))
    table$constraints <- table$constraints[-redundant]
  }
  for (constraint in table$constraints) {
    if (constraint$bound) next
    tied <- constraint$rows[is.na(table$fixed[constraint$rows])]
    table$status[tied][table$status[tied] == "free"] <- "tied"
  }
  table
}

redundant_note <- function(text) paste0("Left out, since it follows from the other restrictions: ", text, ".")

compile_constraint <- function(restriction, table, scope = NULL) {
  side <- function(x) if (is.numeric(x)) read_expression(x) else read_expression(str2lang(x))
  sides <- list(side(restriction$left), side(restriction$right))
  if (restriction$relation == "<=") sides <- rev(sides)
  tape <- difference_tape(sides[[1L]], sides[[2L]])
  rows <- vapply(tape$inputs, function(text) {
    found <- restricted_rows(text, table, scope)
    if (length(found) != 1L) abort("restriction", paste0(text, " in ", format_restriction(restriction), " is not one parameter."))
    found
  }, 0L, USE.NAMES = FALSE)
  list(text = paste0(format_restriction(restriction), if (!is.null(scope)) paste0(" (in ", scope, ")")), tape = tape, rows = rows,
       bound = restriction$relation != "==",
       value = if (!restriction$smooth) restriction$right)
}

constraint_jet <- function(constraint, eta) core_expression(constraint$tape, eta[constraint$rows])

# Derivatives by the free parameters.
constraint_gradient <- function(constraint, eta, table) {
  gradient <- numeric(length(table$parameters))
  jet <- constraint_jet(constraint, eta)
  for (i in seq_along(constraint$rows)) {
    at <- which(table$map$entry == constraint$rows[i])
    gradient[table$map$parameter[at]] <- gradient[table$map$parameter[at]] + jet$gradient[i] * table$map$weight[at]
  }
  gradient
}

# A restriction all of whose parameters are fixed is either idle or a contradiction.
check_constants <- function(table) {
  for (constraint in table$constraints) {
    if (anyNA(table$fixed[constraint$rows])) next
    value <- constraint_jet(constraint, table$fixed)$value
    holds <- if (constraint$bound) value >= -1e-10 else abs(value) <= 1e-10
    if (isTRUE(holds)) next
    abort("restriction", c("Restrictions contradict each other.",
                           x = paste0(constraint$text, " cannot hold: ",
                                      enumerate(paste(table$parameter[constraint$rows], "is fixed at", format_exact(table$fixed[constraint$rows]))), ".")))
  }
}

# Equations whose gradient depends on those of the equations before them, at two points where no accident is likely. One whose
# parameters are all fixed follows as well.
redundant_equations <- function(table) {
  equations <- which(!vapply(table$constraints, `[[`, NA, "bound"))
  dependent <- lapply(c(0.3, 1.1), function(phase) {
    eta <- ifelse(is.na(table$fixed), typical_values(table, phase), table$fixed)
    basis <- matrix(0, length(table$parameters), 0L)
    out <- integer()
    for (k in equations) {
      gradient <- constraint_gradient(table$constraints[[k]], eta, table)
      size <- sqrt(sum(gradient^2))
      rest <- gradient - basis %*% crossprod(basis, gradient)
      free <- anyNA(table$fixed[table$constraints[[k]]$rows])
      if (free && (!is.finite(size) || size == 0)) next      # cannot be told at this point
      if (sqrt(sum(rest^2)) <= 1e-9 * size) out <- c(out, k) else basis <- cbind(basis, rest / sqrt(sum(rest^2)))
    }
    out
  })
  intersect(dependent[[1L]], dependent[[2L]])
}

# Middling values, no two alike, so that no accidental equality hides or makes a rank.
typical_values <- function(table, phase = 0) {
  value <- c(loading = 0.7, weight = 0.5, effect = 0.3, covariance = 0.2, variance = 0.6, intercept = 0, mean = 0)[table$head]
  unname(value * (1 + 0.1 * sin(seq_along(value) + phase)))
}

# As the core reads them: rows renumbered to the entries it sees.
core_constraints <- function(table, rows) {
  lapply(table$constraints, function(constraint) {
    list(operation = constraint$tape$operation, argument = constraint$tape$argument,
         inputs = match(constraint$rows, rows), bound = constraint$bound)
  })
}

n_equations <- function(table) sum(!vapply(table$constraints, `[[`, NA, "bound"))

# Rows whose bound the solution lies on, and the text of every active bound.
active_bounds <- function(fit) {
  bounds <- which(vapply(fit$layout$constraints, `[[`, NA, "bound"))
  fit$layout$constraints[bounds[fit$core$active[bounds]]]
}
