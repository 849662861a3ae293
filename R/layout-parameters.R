# The parameter table: one row for every cell of the model matrices that is not structurally zero.

parameter_families <- c(effect = 0L, covariance = 1L, mean = 2L)

# `means`: whether the data have means. The result is a plain list of columns (cheap to build):
# parameter, kind, first, second, group, meaning (its kind in words), family, row, col, fixed (value
# or NA), class, weight/constant of the scale, assumed (why a row exists without a request), and
# attributes of the model.
layout_parameters <- function(bp, means, observed = NULL) {
  variables <- blueprint_variables(bp)
  constructs <- variables$constructs
  observed <- observed %||% variables$observed
  all <- c(observed, constructs)
  composite <- vapply(bp$constructs, function(x) x$kind == "composite", NA)
  sizes <- lengths(lapply(bp$constructs, `[[`, "items"))
  # a loading points from the construct to its item, a weight from the item to its composite
  weight <- rep(composite, sizes)
  owner <- rep(constructs, sizes)
  item <- unlist(lapply(bp$constructs, `[[`, "items"), use.names = FALSE)
  load_first <- ifelse(weight, item, owner)
  load_second <- ifelse(weight, owner, item)
  from <- bp$effects$from
  to <- bp$effects$to
  endogenous <- all %in% c(load_second, to)
  is_construct <- all %in% constructs
  covariances <- model_covariances(bp, all[!endogenous])
  cov_first <- covariances$first
  cov_second <- covariances$second
  cov_assumed <- covariances$assumed

  varying <- setdiff(all, constructs[composite])     # a composite has no disturbance
  endogenous_varying <- varying %in% all[endogenous]
  v <- length(varying)
  n_cov <- length(cov_first)
  n_mean <- if (means) length(all) else 0L
  kind <- c(ifelse(weight, "weight", "loading"), rep("effect", length(from)), rep("variance", v),
            rep("covariance", n_cov), if (means) ifelse(is_construct, "mean", "intercept"))
  first <- c(load_first, from, varying, cov_first, if (means) all)
  second <- c(load_second, to, rep(NA_character_, v), cov_second, rep(NA_character_, n_mean))
  row <- match(c(load_second, to, varying, cov_first, if (means) all), all)
  col <- match(c(load_first, from, varying, cov_second, if (means) all), all)
  variance_meaning <- rep("variance", v)
  variance_meaning[endogenous_varying] <- "residual variance"
  variance_meaning[endogenous_varying & varying %in% constructs] <- "disturbance variance"
  lower <- endogenous[match(cov_first, all)] | endogenous[match(cov_second, all)]
  latent <- is_construct[match(cov_first, all)] & is_construct[match(cov_second, all)]
  rows <- list(
    kind = kind, first = first, second = second,
    meaning = c(ifelse(weight, "weight", "loading"), rep("effect", length(from)), variance_meaning,
             ifelse(lower, ifelse(latent, "disturbance covariance", "residual covariance"),
                    "covariance"),
             if (means) mean_meaning(is_construct, endogenous)),
    family = rep(parameter_families[c("effect", "covariance", "mean")],
                 c(length(load_first) + length(from), v + n_cov, n_mean)),
    row = row, col = col,
    fixed = c(given_values(bp), rep(NA_real_, length(from) + v + n_cov),
              if (means) ifelse(is_construct, 0, NA_real_)),
    assumed = c(rep(FALSE, length(load_first) + length(from)), rep(TRUE, v), cov_assumed,
                rep(TRUE, n_mean))
  )
  check_composite_covariances(rows, constructs[composite])
  list(rows = rows, observed = observed, constructs = constructs, endogenous = all[endogenous],
       composites = constructs[composite],
       indicators = split_in_order(seq_along(owner), owner, constructs))
}

# The meaning of a row of the mean structure: for endogenous variables, the expected value when all
# predictors are 0.
mean_meaning <- function(is_construct, endogenous) {
  ifelse(!is_construct, "intercept", ifelse(endogenous, "construct intercept", "mean"))
}

# Loadings and weights that the blueprint fixes, in the order of the items; NA elsewhere.
given_values <- function(bp) {
  unlist(lapply(bp$constructs, function(x) {
    value <- rep(NA_real_, length(x$items))
    if (length(x$fixed)) value[match(names(x$fixed), x$items)] <- x$fixed
    value
  }), use.names = FALSE)
}

# The covariances of a model: those assumed among exogenous variables, and all stated or mentioned
# ones.
model_covariances <- function(bp, exogenous) {
  cov_first <- cov_second <- character()
  cov_assumed <- logical()
  if (length(exogenous) > 1L) {
    index <- which(lower.tri(diag(length(exogenous))), arr.ind = TRUE)
    cov_first <- exogenous[index[, 2L]]
    cov_second <- exogenous[index[, 1L]]
    cov_assumed <- rep(TRUE, length(cov_first))
    if (length(bp$uncorrelate$first)) {
      keep <- !pair_key(cov_first, cov_second) %in%
        pair_key(bp$uncorrelate$first, bp$uncorrelate$second)
      cov_first <- cov_first[keep]
      cov_second <- cov_second[keep]
      cov_assumed <- cov_assumed[keep]
    }
  }
  over <- assumed_over_times(bp, cov_first, cov_second)
  cov_first <- c(cov_first, over$first)
  cov_second <- c(cov_second, over$second)
  cov_assumed <- c(cov_assumed, rep(TRUE, length(over$first)))
  if (length(bp$covary$first)) {
    key <- pair_key(cov_first, cov_second)
    stated <- pair_key(bp$covary$first, bp$covary$second)
    cov_assumed[key %in% stated] <- FALSE
    new <- !stated %in% key
    cov_first <- c(cov_first, bp$covary$first[new])
    cov_second <- c(cov_second, bp$covary$second[new])
    cov_assumed <- c(cov_assumed, rep(FALSE, sum(new)))
  }
  declared <- declared_by_restriction(bp, cov_first, cov_second)
  cov_first <- c(cov_first, declared$first)
  cov_second <- c(cov_second, declared$second)
  cov_assumed <- c(cov_assumed, rep(FALSE, length(declared$first)))
  list(first = cov_first, second = cov_second, assumed = cov_assumed)
}

# Residuals of the same item at two times, except those that are declared uncorrelated.
assumed_over_times <- function(bp, first, second) {
  if (length(bp$repeated) == 0L) return(list(first = character(), second = character()))
  pairs <- repeated_pairs(bp$repeated)
  known <- c(pair_key(first, second), pair_key(bp$uncorrelate$first, bp$uncorrelate$second))
  new <- !pair_key(pairs$first, pairs$second) %in% known
  lapply(pairs, function(x) x[new])
}

check_composite_covariances <- function(rows, composites) {
  bad <- which(rows$kind == "covariance" &
               (rows$first %in% composites | rows$second %in% composites))
  if (length(bad) == 0L) return(invisible())
  address <- address_format("covariance", rows$first[bad[1L]], rows$second[bad[1L]])
  abort("restriction",
        c(text_of("does_not_exist_composite", address = address),
          i = text_of("items_covary_other_exogenous")))
}

split_in_order <- function(x, by, levels) split(x, factor(by, levels = levels))

# A covariance that is only mentioned in restrict() or relax() becomes part of the model.
declared_by_restriction <- function(bp, first, second) {
  out <- list(first = character(), second = character())
  if (length(bp$restrict) + length(bp$relax) == 0L) return(out)
  known <- pair_key(first, second)
  for (mentioned in c(lapply(bp$restrict, restriction_addresses), as.list(bp$relax))) {
    for (side in mentioned) {
      if (!startsWith(side, "covariance[")) next
      address <- parse_address(side)
      if (length(address$first) != 1L || length(address$second) != 1L) next
      key <- pair_key(address$first, address$second)
      if (key %in% known) next
      known <- c(known, key)
      out$first <- c(out$first, address$first)
      out$second <- c(out$second, address$second)
    }
  }
  out
}

# One fixed member fixes its class.
fix_classes <- function(layout, class) {
  for (k in unique(class[duplicated(class)])) {
    members <- which(class == k)
    values <- unique(layout$rows$fixed[members][!is.na(layout$rows$fixed[members])])
    if (length(values) > 1L) {
      abort("restriction", c(text_of("restrictions_contradict_each_other"),
                             x = text_of("must_be_equal_but",
                                         members = enumerate(layout$rows$parameter[members]),
                                         values = enumerate(format_exact(values))),
                             i = text_of("drop_one_fixed_values")))
    }
    if (length(values) == 1L) layout$rows$fixed[members] <- values
  }
  layout
}

# Equalities are classes of rows (union-find by repeated minimum); a class may be fixed.
apply_restrictions <- function(layout, bp) {
  size <- length(layout$rows$parameter)
  class <- seq_len(size)
  layout$rows$touched <- rep(FALSE, size)
  layout$notes <- character()
  plain <- Filter(Negate(is_constraint), bp$restrict)
  scoped <-
    unlist(lapply(plain,
                  function(restriction) {
                    lapply(group_scopes(restriction, layout), function(g) list(restriction, g))
                  }),
                    recursive = FALSE)
  for (pair in scoped) {
    restriction <- pair[[1L]]
    scope <- pair[[2L]]
    rows <- restricted_rows(restriction$left, layout, scope)
    layout$rows$touched[rows] <- TRUE
    if (is.numeric(restriction$right)) {
      clash <- rows[!is.na(layout$rows$fixed[rows]) & layout$rows$fixed[rows] != restriction$right &
                      !(layout$rows$kind[rows] == "mean" & layout$rows$fixed[rows] == 0)]
      if (length(clash)) contradiction(layout, clash[1L], restriction)
      layout$rows$fixed[rows] <- restriction$right
      next
    }
    others <- restricted_rows(restriction$right, layout, scope)
    if (length(others) != 1L && length(others) != length(rows)) {
      abort("restriction",
            c(text_of("two_sides_have_different", restriction = format_restriction(restriction)),
              x = text_of("left_side_means_parameters", rows = length(rows),
                          others = length(others)),
              i = text_of("put_one_parameter_right")))
    }
    layout$rows$touched[others] <- TRUE
    others <- rep_len(others, length(rows))
    apart <- rows != others
    if (any(apart) && all(class[rows[apart]] == class[others[apart]]))
      layout$notes <- c(layout$notes, redundant_note(format_restriction(restriction)))
    for (i in seq_along(rows)) {
      merged <- class == class[rows[i]] | class == class[others[i]]
      class[merged] <- min(class[merged])
    }
  }
  layout$rows$relaxed <- rep(FALSE, size)
  for (text in bp$relax) {
    rows <- restricted_rows(text, layout)
    layout$rows$relaxed[rows] <- TRUE
    layout$rows$fixed[rows] <- NA
  }
  layout <- fix_classes(layout, class)
  layout$rows$class <- class
  layout$rows$constrained <- rep(FALSE, size)
  layout$rows$constrained[constrained_rows(layout, bp)] <- TRUE
  layout
}

contradiction <- function(layout, row, restriction) {
  abort("restriction", c(text_of("restrictions_contradict_each_other"),
                         x = text_of("is_already_fixed_then", row = layout$rows$parameter[row],
                                     row_2 = format_exact(layout$rows$fixed[row]),
                                     restriction = format_restriction(restriction))))
}

# Starting values by parameter.

# Starting values by free parameter, NA where none is given.
layout_starts <- function(layout, bp) {
  out <- rep(NA_real_, length(layout$parameters))
  for (address in names(bp$start_at)) {
    rows <- restricted_rows(address, layout)
    free <- rows[is.na(layout$rows$fixed[rows])]
    if (length(free) == 0L) {
      abort("restriction",
            c(text_of("starting_value_has_nothing", address = address),
              i = text_of("drop_start_or_relax")))
    }
    out[match(layout$rows$class[free], layout$rows$class[layout$leading])] <- bp$start_at[[address]]
  }
  out
}

# Bounds and equations other than simple equalities: one tape per constraint, for the core.

is_constraint <- function(restriction) restriction$smooth || restriction$relation != "=="

# Rows that constraints refer to, except variances that are only kept from turning negative: those
# leave the scale of a construct free.
constrained_rows <- function(layout, bp) {
  rows <- lapply(Filter(is_constraint, bp$restrict), function(r) {
    harmless <- !r$smooth && r$relation == ">=" && identical(r$right, 0) &&
      startsWith(r$left, "variance[")
    if (!harmless) unlist(lapply(restriction_addresses(r), restricted_rows, layout = layout))
  })
  unique(unlist(rows))
}

# Adds `constraints`: lists of `text`, `tape`, `rows` (of the layout, by input of the tape),
# `bound`; and notes about redundant ones, which are left out. A constraint is written so that it is
# 0 (or, for a bound, not negative).
apply_constraints <- function(layout, bp) {
  layout$constraints <- list()
  for (restriction in Filter(is_constraint, bp$restrict)) {
    if (restriction$smooth) {
      for (scope in group_scopes(restriction, layout)) layout$constraints <- c(layout$constraints,
          list(compile_constraint(restriction, layout, scope)))
      next
    }
    for (one in layout$rows$parameter[restricted_rows(restriction$left, layout)]) {
      single <- restriction
      single$left <- one
      layout$constraints <- c(layout$constraints, list(compile_constraint(single, layout)))
    }
  }
  if (length(layout$constraints) == 0L) return(layout)
  check_constants(layout)
  redundant <- redundant_equations(layout)
  if (length(redundant)) {
    texts <- vapply(layout$constraints[redundant], `[[`, "", "text")
    layout$notes <- c(layout$notes, redundant_note(texts))
    layout$constraints <- layout$constraints[-redundant]
  }
  for (constraint in layout$constraints) {
    if (constraint$bound) next
    tied <- constraint$rows[is.na(layout$rows$fixed[constraint$rows])]
    layout$rows$status[tied][layout$rows$status[tied] == "free"] <- "tied"
  }
  layout
}

redundant_note <- function(text) {
  text_of("left_out_since_follows", value = text)
}

compile_constraint <- function(restriction, layout, scope = NULL) {
  side <- function(x) if (is.numeric(x)) read_expression(x) else read_expression(str2lang(x))
  sides <- list(side(restriction$left), side(restriction$right))
  if (restriction$relation == "<=") sides <- rev(sides)
  tape <- difference_tape(sides[[1L]], sides[[2L]])
  rows <- vapply(tape$inputs, function(text) {
    found <- restricted_rows(text, layout, scope)
    if (length(found) != 1L)
      abort("restriction",
            text_of("is_not_one_parameter_in", value = text,
                    restriction = format_restriction(restriction)))
    found
  }, 0L, USE.NAMES = FALSE)
  list(text = paste0(format_restriction(restriction), if (!is.null(scope)) bracket_group(layout,
      scope)), tape = tape, rows = rows,
       bound = restriction$relation != "==",
       value = if (!restriction$smooth) restriction$right)
}

# Value and derivatives by its inputs.
constraint_jet <- function(constraint, eta) {
  inputs <- eta[constraint$rows]
  core_expression(constraint$tape, inputs, diag(length(inputs)))
}

# Derivatives by the free parameters.
constraint_gradient <- function(constraint, eta, layout) {
  gradient <- numeric(length(layout$parameters))
  jet <- constraint_jet(constraint, eta)
  for (i in seq_along(constraint$rows)) {
    at <- which(layout$map$entry == constraint$rows[i])
    gradient[layout$map$parameter[at]] <- gradient[layout$map$parameter[at]] +
      jet$gradient[i] * layout$map$weight[at]
  }
  gradient
}

# A restriction all of whose parameters are fixed is either idle or a contradiction.
check_constants <- function(layout) {
  for (constraint in layout$constraints) {
    if (anyNA(layout$rows$fixed[constraint$rows])) next
    value <- constraint_jet(constraint, layout$rows$fixed)$value
    holds <- if (constraint$bound) value >= -1e-10 else abs(value) <= 1e-10
    if (isTRUE(holds)) next
    abort("restriction", c(text_of("restrictions_contradict_each_other"),
                           x = text_of("cannot_hold", text = constraint$text,
                                    rows = enumerate(paste(layout$rows$parameter[constraint$rows],
                                        "is fixed at",
                                        format_exact(
                                            layout$rows$fixed[constraint$rows]))))))
  }
}

# Equations whose gradient is a linear combination of those of earlier equations, checked at two
# generic points. One whose parameters are all fixed follows as well.
redundant_equations <- function(layout) {
  equations <- which(!vapply(layout$constraints, `[[`, NA, "bound"))
  dependent <- lapply(c(0.3, 1.1), function(phase) {
    eta <- ifelse(is.na(layout$rows$fixed), typical_values(layout, phase), layout$rows$fixed)
    basis <- matrix(0, length(layout$parameters), 0L)
    out <- integer()
    for (k in equations) {
      gradient <- constraint_gradient(layout$constraints[[k]], eta, layout)
      size <- sqrt(sum(gradient^2))
      rest <- gradient - basis %*% crossprod(basis, gradient)
      free <- anyNA(layout$rows$fixed[layout$constraints[[k]]$rows])
      if (free && (!is.finite(size) || size == 0)) next      # not decidable at this point
      if (sqrt(sum(rest^2)) <= 1e-9 * size) out <- c(out, k) else
        basis <- cbind(basis, rest / sqrt(sum(rest^2)))
    }
    out
  })
  intersect(dependent[[1L]], dependent[[2L]])
}

# Moderate values, no two of them equal, so that no accidental equality changes a rank.
typical_values <- function(layout, phase = 0) {
  value <- c(loading = 0.7, weight = 0.5, effect = 0.3, covariance = 0.2, variance = 0.6,
             intercept = 0, mean = 0)[layout$rows$kind]
  unname(value * (1 + 0.1 * sin(seq_along(value) + phase)))
}

# Constraints in the form of the core, with rows renumbered to its entries.
core_constraints <- function(layout, rows) {
  lapply(layout$constraints, function(constraint) {
    list(operation = constraint$tape$operation, argument = constraint$tape$argument,
         inputs = match(constraint$rows, rows), bound = constraint$bound)
  })
}

n_equations <- function(layout) sum(!vapply(layout$constraints, `[[`, NA, "bound"))

# Expressions of addresses are checked when blueprint and data meet.

variable_index <- function(names, all, text) {
  unknown <- setdiff(names, all)
  if (length(unknown)) {
    abort("name", c(text_of("is_not_variable_model", unknown = quoted(unknown[1L]), value = text),
                    did_you_mean(unknown[1L], all)))
  }
  match(names, all)
}

# Can one variable be reached from the other along arrows, in at least a given number of steps?
has_route <- function(layout, from, to, steps) {
  arrows <- layout$rows$kind %in% arrow_kinds
  first <- layout$rows$first[arrows]
  second <- layout$rows$second[arrows]
  at <- unique(second[first == from])
  if (steps > 1L) at <- unique(second[first %in% at])
  while (!to %in% at) {
    more <- setdiff(second[first %in% at], at)
    if (length(more) == 0L) return(FALSE)
    at <- c(at, more)
  }
  TRUE
}

# The effect of a variable on one that it does not reach would be 0 without an error.
check_route <- function(layout, address, text) {
  if (!address$kind %in% c("indirect", "total")) return(invisible())
  steps <- if (address$kind == "indirect") 2L else 1L
  if (has_route(layout, address$first, address$second, steps)) return(invisible())
  back <- has_route(layout, address$second, address$first, steps)
  abort("restriction", c(
    text_of("means_nothing_there_is", value = text, steps = if (steps == 2L) "indirect ",
            first = address$first, second = address$second),
    i = if (back) text_of("there_is_one_from", second = address$second, first = address$first),
    i = text_of("routes_follow_effects_loadings")))
}

# An expression that names no group is evaluated in each group; one that names a group is evaluated
# once.
text_scopes <- function(texts, layout) {
  named <- any(vapply(texts, function(text) !is.null(parse_address(text)$group), NA))
  if (named) list(NULL) else as.list(layout$groups)
}

# Quantities are checked when blueprint and data meet, not only when they are read.
check_quantities <- function(layout, bp) {
  all <- c(layout$observed, layout$constructs)
  defined <- character()
  for (name in names(bp$quantities)) {
    for (text in quantity_addresses(bp$quantities[[name]])) {
      address <- parse_address(text)
      if (address$kind %in% names(address_kinds)) {
        restricted_rows(format(address), layout)
      } else if (address$kind == "quantity") {
        if (!address$first %in% defined) {
          abort("restriction",
                c(text_of("quantity_uses_which_is", name = name, value = text),
                  did_you_mean(address$first, defined)))
        }
      } else {
        variable_index(c(address$first, address$second), all, text)
        check_route(layout, address, text)
      }
    }
    defined <- c(defined, name)
  }
}

# Claims are checked when blueprint and data meet.
check_claims <- function(layout, bp) {
  all <- c(layout$observed, layout$constructs)
  for (name in names(bp$claims)) {
    for (text in claim_addresses(bp$claims[[name]])) {
      address <- parse_address(text)
      if (address$kind %in% names(address_kinds)) {
        restricted_rows(text, layout)
      } else if (address$kind == "quantity") {
        known <- names(bp$quantities)
        if (!address$first %in% known)
          abort("name", c(text_of("claim_uses_which_is", name = name, value = text),
                          did_you_mean(address$first,
            known)))
      } else {
        variable_index(c(address$first, address$second), all, text)
        check_route(layout, address, text)
      }
    }
  }
}

# The rows that an address refers to; `scope`: the group of addresses without one.
restricted_rows <- function(text, layout, scope = NULL) {
  address <- parse_address(text)
  check_group_of_address(layout, address$group, text)
  rows <- address_match(address, layout$rows, layout$constructs, scope)
  if (length(rows)) return(rows)
  if (address$kind %in% c("intercept", "mean") && !layout$means) {
    abort("restriction", c(text_of("cannot_be_restricted_data", value = text),
                           i = text_of("give_raw_data_or_summary")))
  }
  abort("restriction", c(text_of("no_such_parameter_model", value = text),
                         undeclared_effect(address, layout) %||%
                           nearest_address(text, layout$rows$parameter),
                         i = text_of("parameter_column_estimates_print")))
}

# Without a group an address means "in every group, separately": a statement that names none is made
# in each group that has the parameter.
group_scopes <- function(restriction, layout) {
  addresses <- restriction_addresses(restriction)
  named <- any(vapply(addresses, function(text) !is.null(parse_address(text)$group), NA))
  if (named) return(list(NULL))
  first <- parse_address(addresses[1L])
  has <- vapply(layout$groups,
                function(g) length(address_match(first, layout$rows, layout$constructs, g)) > 0L,
                NA)
  as.list(if (any(has)) layout$groups[has] else layout$groups[1L])
}

# How to declare an effect between two variables of the model; NULL for anything else, and where the
# model contains the effect in the opposite direction.
undeclared_effect <- function(address, layout) {
  both <- c(address$first, address$second)
  rows <- layout$rows
  if (address$kind != "effect" || length(both) != 2L ||
      !all(both %in% c(layout$observed, layout$constructs)) ||
      any(rows$kind == "effect" & rows$first == both[2L] & rows$second == both[1L])) return(NULL)
  c(i = text_of("declare_the_effect", from = both[1L], to = both[2L]))
}
