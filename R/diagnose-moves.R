# The effect of a misspecification on the conclusions (Saris, Satorra & van der Veld 2009; Oberski
# 2014): how far each candidate would move hypotheses, effects, means of constructs or, where there
# are none of these, the correlations of constructs.

move_codes <- c("matters", "open", "harmless")
most_moved_rows <- 50L       # where information about pairs is expensive
refitted_moves <- 3L

# The quantities that conclusions rest on: list of list(target, value, gradient by the parameters of
# the core, se, unit: standard deviations per raw unit or NA, bounded: whether its sign decides,
# row: of the parameter or NA, at: function of the values and matrices of another solution).
focal_quantities <- function(fit) {
  vcov <- vcov_of(fit)
  rows <- fit$layout$rows
  found <- c(focal_claims(fit), unlist(lapply(group_views(fit), focal_parameters),
                                       recursive = FALSE))
  if (length(found) == 0L)
    found <- unlist(lapply(group_views(fit), focal_correlations), recursive = FALSE)
  if (length(found) == 0L) return(list())
  se <- delta_se(do.call(rbind, lapply(unname(found), `[[`, "gradient")), vcov)
  found <- Map(function(one, se) {
    one$se <- se
    one$gradient <- one$gradient[fit$layout$model$used]
    one
  }, unname(found), se)
  Filter(function(one) isTRUE(one$se > 1e-10 * max(1, abs(one$value))), found)
}

focal_claims <- function(fit) {
  claims <- fit$request$blueprint$claims
  if (several_times_or_groups(fit)) return(NULL)
  lapply(seq_along(claims), function(k) {
    parsed <- parse_claim(str2lang(claims[[k]]))
    jet <- tryCatch(difference_jet(parsed$sides, fit), orizzonte_error = function(e) NULL)
    if (is.null(jet)) return(NULL)
    plain <- !grepl("standardized", claims[[k]], fixed = TRUE)
    list(target = names(claims)[k], value = jet$value, gradient = as.numeric(jet$gradient),
         unit = NA_real_, bounded = parsed$relation %in% c(">", "<"), row = NA_integer_,
         at = if (plain) function(light, matrices) difference_jet(parsed$sides, light)$value)
  }) |> Filter(f = Negate(is.null))
}

# With several groups, hypotheses are about parameters that the table already contains.
several_times_or_groups <- function(fit) length(fit$layout$groups) > 1L

focal_parameters <- function(view) {
  rows <- view$layout$rows
  constructs <- view$layout$constructs
  at <- which((rows$kind == "effect" | rows$kind == "mean" & rows$first %in% constructs) &
                is.na(rows$fixed))
  if (length(at) == 0L) return(NULL)
  span <- view$fit$layout$spans[[view$number]]
  sd <- sqrt(pmax(diag(view_matrices(view)$covariance), 1e-300))
  jet <- derived_jet(view$fit, "entry", view$number, span[at])
  lapply(seq_along(at), function(k) {
    i <- at[k]
    unit <- if (rows$kind[i] == "effect") sd[rows$col[i]] / sd[rows$row[i]] else 1 / sd[rows$row[i]]
    list(target = view$fit$layout$rows$parameter[span[i]], value = jet$value[k],
         gradient = jet$gradient[k, ], unit = unit, bounded = FALSE, row = span[i],
         at = function(light, matrices) values_of(light)[span[i]])
  })
}

focal_correlations <- function(view) {
  names <- setdiff(view$layout$constructs, view$layout$composites)
  if (length(names) < 2L) return(NULL)
  pairs <- utils::combn(names, 2L)
  place <- function(name) length(view$layout$observed) + match(name, view$layout$constructs)
  jet <- derived_jet(view$fit, "correlation", view$number, place(pairs[1L, ]), place(pairs[2L, ]))
  number <- view$number
  lapply(seq_len(ncol(pairs)), function(k) {
    a <- place(pairs[1L, k])
    b <- place(pairs[2L, k])
    list(target = shown_address(view$layout, "correlation", pairs[1L, k], pairs[2L, k],
                                view$group),
         value = jet$value[k], gradient = jet$gradient[k, ], unit = 1, bounded = FALSE,
         row = NA_integer_, at = function(light, matrices) {
           s <- matrices[[number]]$covariance
           s[a, b] / (positive_root(s[a, a]) * positive_root(s[b, b]))
         })
  })
}

# Movements of all focal quantities by all rows: a data frame, one row for each candidate and
# target. `real`: the leading refits.
row_moves <- function(fit, rows, real, criteria) {
  targets <- tryCatch(focal_quantities(fit), orizzonte_error = function(e) list())
  size <- length(rows$parameter)
  single <- which(rows$df == 1L & lengths(rows$members) == 0L)
  patterns <- sum(lengths(lapply(core_moments(fit), `[[`, "patterns")), 1L)
  if (as.numeric(length(single))^2 * patterns > 5e6) single <- utils::head(single, most_moved_rows)
  if (length(targets) == 0L || length(single) == 0L) return(NULL)
  own <- lapply(rows, function(x) x[single])
  with <- core_with(fit, own)
  response <- responses_of(fit, own, with)
  if (length(response) == 0L) return(NULL)
  change <- own$score / own$information
  se_change <- sqrt(own$variance) / own$information
  # the leading refits as fits, which all quantities read
  light <- lapply(utils::head(real$refits, refitted_moves), function(found) {
    if (!is.null(found$core))
      list(fit = fit_at_entries(fit, layout_entries(fit, found$eta)),
           model = core_implied(found$core, found$eta))
  })
  # rows x targets
  slope <- crossprod(response, vapply(targets, `[[`, numeric(nrow(response)), "gradient"))
  itself <- with$entry > 0L &
    vapply(targets, function(one) own$entry %in% one$row & !is.na(one$row), logical(length(single)))
  slope[itself] <- own$kept[row(slope)[itself]]
  refitted <- matrix(NA_real_, length(single), length(targets))
  for (k in which(single <= length(light))) {
    found <- light[[single[k]]]
    if (is.null(found)) next
    refitted[k, ] <- vapply(targets, function(one) {
      if (is.null(one$at)) NA_real_ else one$at(found$fit, found$model) - one$value
    }, 0)
  }
  # one target after the other for each row
  by_row <- function(x) as.vector(t(x))
  each <- function(name, kind) rep(vapply(targets, `[[`, kind, name), length(single))
  movement <- by_row(slope * change)
  limit <- by_row(abs(slope) * (abs(change) + 1.96 * abs(se_change)))
  value <- each("value", 0)
  list_frame(list(
    parameter = rep(own$parameter, each = length(targets)), target = each("target", ""),
    movement = movement, limit = limit, in_se = abs(movement) / each("se", 0),
    verdict = rule_move(movement, limit,
                        each("bounded", NA) & sign(value + movement) != sign(value),
                        se = each("se", 0), unit = each("unit", 0), criteria$smallest),
    refitted = by_row(refitted)))
}

fit_at_entries <- function(fit, values) {
  solution <- fit$solution
  solution$eta <- values
  new_fit(fit$request, fit$sample, fit$layout, solution, fit$moments)
}

# The worst code of each row and the target that it moves most, in standard errors.
summarized_moves <- function(moves, parameters) {
  none <- list(moves = rep(NA_character_, length(parameters)),
               moves_most = rep(NA_character_, length(parameters)))
  if (is.null(moves)) return(none)
  by <- split(seq_along(moves$parameter), factor(moves$parameter, unique(parameters)))
  found <- lapply(by, function(at) {
    if (length(at) == 0L) return(c(NA_character_, NA_character_))
    worst <- move_codes[move_codes %in% moves$verdict[at]][1L]
    most <- at[moves$verdict[at] == worst]
    c(worst, moves$target[most[which.max(moves$in_se[most])]])
  })
  at <- match(parameters, names(found))
  list(moves = unname(vapply(found, `[`, "", 1L)[at]),
       moves_most = unname(vapply(found, `[`, "", 2L)[at]))
}

# The leading rows and the target that each moves most; NULL when there are none.
move_columns <- function(x, shown) {
  moves <- attr(x, "movements")
  if (is.null(moves)) return(NULL)
  leading <- utils::head(shown$parameter[shown$relation == ""], refitted_moves)
  at <- unlist(lapply(leading, function(parameter) {
    own <- which(moves$parameter == parameter)
    most <- shown$moves_most[match(parameter, shown$parameter)]
    own[moves$target[own] %in% most][1L]
  }))
  at <- at[!is.na(at)]
  if (length(at) == 0L) return(NULL)
  list(change = moves$parameter[at], `moves most` = moves$target[at],
       by = format_number(moves$movement[at]), refitted = format_number(moves$refitted[at]),
       `at most` = format_number(moves$limit[at]),
       conclusion = words_of("move", moves$verdict[at]))
}

format_moves <- function(x, shown) {
  columns <- move_columns(x, shown)
  if (is.null(columns)) return(NULL)
  c("", text_of("moves_title"),
    format_table(columns, c(FALSE, FALSE, TRUE, TRUE, TRUE, FALSE)),
    wrap_lines(text_of("moves_legend", instruction = instruction("all_movements"))))
}
