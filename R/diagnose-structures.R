# Items whose single residual covariances share one cause: blocks that share more variance pairwise
# than their constructs explain, and constructs that appear to be two.

# Three or more items that share more variance pairwise than their constructs explain: one
# additional construct accounts for it.
shared_residuals <- function(fit, offered) {
  unlist(lapply(unname(group_views(fit)), function(view) {
    here <- offered$group %in% view$group
    own <- lapply(offered[c("parameter", "change", "verdict", "expected_change", "p",
                            "modification_index")], function(x) x[here])
    lapply(view_shared_residuals(view, own), function(block) {
      structure(block, group = named_group(view$layout, view$group))
    })
  }), recursive = FALSE)
}

view_shared_residuals <- function(view, columns) {
  covariance <- columns$change %in% residual_kinds
  hot <- which(covariance & columns$verdict == "stands_out" & columns$expected_change > 0 &
               columns$p < 0.01)
  # only the largest: a block is clearly visible, or there is none
  hot <- utils::head(hot[order(-columns$modification_index[hot])], 30L)
  pairs <- lapply(columns$parameter[hot], parse_address)
  rows <- view$layout$rows
  free <- which(rows$meaning == "residual covariance" & view$eta > 0)
  first <- c(vapply(pairs, `[[`, "", "first"), rows$first[free])
  second <- c(vapply(pairs, `[[`, "", "second"), rows$second[free])
  strength <- c(columns$modification_index[hot], rep(Inf, length(free)))
  linked_blocks(first, second, strength, view$layout$observed)
}

# Sets of three or more of which every two are linked, the strongest links first.
linked_blocks <- function(first, second, strength, observed) {
  names <- unique(c(first, second))
  link <- matrix(FALSE, length(names), length(names), dimnames = list(names, names))
  link[cbind(c(first, second), c(second, first))] <- TRUE
  blocks <- list()
  for (i in order(-strength)) {
    block <- c(first[i], second[i])
    if (any(vapply(blocks, function(b) all(block %in% b), NA))) next
    repeat {
      more <- Filter(function(x) all(link[x, block]), setdiff(names, block))
      if (length(more) == 0L) break
      block <- c(block, more[1L])
    }
    if (length(block) >= 3L) blocks <- c(blocks, list(intersect(observed, block)))
  }
  unique(blocks)
}

# --- structures with one degree of freedom ------------------------------------------------------

structure_draws <- 999L
most_listed_items <- 12L        # of a construct, up to which all partitions are tried
structure_families <- c("split", "method_factor", "general_factor")

# Structured alternatives, each one direction in the space of the moments: a construct split in two,
# a factor of all items that are keyed alike, a general factor of all items. The best of each family
# is tested by the maximum of its statistics under the model (Westfall & Young 1993), all families
# together with the single changes by the smallest of their p values. The best ones are fitted when
# that is significant. A data frame with attributes `p_joint` and `leads`: without rows and with NA
# where the geometry would be too large; NULL where there is nothing to test.
find_structures <- function(fit, real) {
  if (test_of(fit)$df == 0L || !has_converged(fit)) return(NULL)
  geometry <- tryCatch(fit_geometry(fit), error = function(e) NULL)
  if (is.null(geometry)) return(untested_structures())
  candidates <- structure_candidates(geometry)
  if (length(candidates$family) == 0L) return(NULL)
  z <- unlist(lapply(candidates$structures, structure_statistics))
  singles <- single_changes(geometry)
  z_single <- drop(along_changes(geometry, singles, geometry$residual))
  tested <- cached(fit, "structure null", structure_null(geometry, candidates$structures, singles))
  z <- z / tested$sd
  z_single <- abs(z_single) / tested$sd_single
  families <- c(split = "split", method = "method")
  test <- ifelse(candidates$family == "split", "split", "method")
  largest <- c(tapply(z, factor(test, families), max), single = if (length(z_single))
    max(z_single) else NA)
  null <- list(split = tested$draws[test == "split", , drop = FALSE],
               method = tested$draws[test == "method", , drop = FALSE],
               single = abs(tested$single))
  known <- names(largest)[!is.na(largest)]
  maxima <- lapply(null[known], function(x) apply(x, 2L, max))
  p <- vapply(known, function(name) p_from_draws(largest[[name]], maxima[[name]]), 0)
  each <- vapply(maxima, function(x) rank(-x, ties.method = "max") / (length(x) + 1),
                 numeric(ncol(tested$draws)))
  p_joint <- (1 + sum(apply(each, 1L, min) <= min(p) + 1e-12)) / (ncol(tested$draws) + 1)
  leads <- known[which.max(largest[known])]
  # each structure against the largest of its family
  own <- vapply(seq_along(z), function(i) p_from_draws(z[i], maxima[[test[i]]]), 0)
  structure(structures_frame(geometry, candidates, z, own, p_joint, real),
            p_joint = p_joint, leads = leads)
}

untested_structures <- function() {
  text <- character()
  number <- numeric()
  frame <- list_frame(list(
    family = text, construct = text, part_one = text, part_two = text, either_side = text,
    z = number, p = number, drop = number, df = integer(), aic_change = number,
    correlation = number, share = number, says_as_much = logical()))
  structure(frame, p_joint = NA_real_, leads = NA_character_)
}

p_from_draws <- function(value, draws) (1 + sum(draws >= value - 1e-9)) / (1 + length(draws))

# The best of each family, fitted if the joint p value and its own one are significant.
structures_frame <- function(geometry, candidates, z, p, p_joint, real) {
  fit <- geometry$fit
  best <- unlist(lapply(structure_families, function(family) {
    at <- which(candidates$family == family)
    at <- at[order(-z[at])]
    # for splits the best of each construct
    at[!duplicated(candidates$construct[at])][seq_len(min(2L, length(unique(
      candidates$construct[at]))))]
  }))
  best <- best[!is.na(best)]
  best <- best[order(-z[best])]
  empty <- list(drop = NA_real_, df = NA_integer_, correlation = NA_real_, share = NA_real_)
  fitted <- lapply(best, function(i) {
    if (p_joint > 0.05 || p[i] > 0.05) return(empty)
    found <- if (candidates$family[i] == "split")
      fit_split(fit, candidates$construct[i], candidates$sets[[i]]) else
      fit_method_factor(fit, candidates$sets[[i]][[1L]])
    utils::modifyList(empty, as.list(found[intersect(names(found), names(empty))]))
  })
  get <- function(what) vapply(fitted, function(x) as.numeric(x[[what]])[1L], 0)
  aic <- 2 * get("df") - get("drop")
  singles <- 2 * real$df - real$drop
  least <- suppressWarnings(min(c(aic, singles), na.rm = TRUE))
  joined <- function(k) {
    vapply(candidates$sets[best], function(sets) {
      if (length(sets) < k) "" else paste(sets[[k]], collapse = ", ")
    }, "")
  }
  list_frame(list(
    family = candidates$family[best], construct = candidates$construct[best],
    part_one = joined(1L), part_two = joined(2L),
    either_side = vapply(best, function(i) {
      either_side(geometry, candidates$construct[i], candidates$sets[[i]])
    }, ""), z = z[best], p = p[best],
    drop = get("drop"), df = as.integer(get("df")), aic_change = aic,
    correlation = get("correlation"), share = get("share"),
    says_as_much = !is.na(aic) & aic < -2 & aic <= least + 2))
}

# All structures that are tried: family, construct, sets of items; and `structures`, a list of their
# directions, in the same order. Those that the fit already contains are left out.
structure_candidates <- function(geometry) {
  fit <- geometry$fit
  parts <- Filter(Negate(is.null), c(
    lapply(splittable_constructs(fit), function(name) split_candidates(geometry, name)),
    factor_candidates(geometry)))
  known <- unlist(lapply(parts, function(part) part$structures$own))
  join <- function(what) unlist(lapply(parts, `[[`, what), recursive = FALSE)[known]
  list(family = join("family"), construct = join("construct"), sets = join("sets"),
       structures = lapply(parts, function(part) own_structures(part$structures)))
}

splittable_constructs <- function(fit) {
  Filter(function(name) {
    length(own_single_items(fit, name)) >= 4L && !name %in% fit$layout$composites
  }, fit$layout$constructs)
}

# Observed items that load on this construct alone, in every group.
own_single_items <- function(fit, name) {
  rows <- fit$layout$rows
  loads <- rows$kind == "loading" & rows$second %in% fit$layout$observed
  items <- unique(rows$second[loads & rows$first == name])
  items[vapply(items, function(item) {
    all(rows$first[loads & rows$second == item] == name)
  }, NA)]
}

# Loadings of items on a construct in one group, named by item; zero elsewhere.
group_loadings <- function(fit, name, g) {
  rows <- fit$layout$rows
  own <- which(rows$kind == "loading" & rows$first == name &
                 rows$group == fit$layout$groups[g])
  stats::setNames(values_of(fit)[own], rows$second[own])
}

# The direction of a split with signs e: (loading x e)(loading x e)'.
split_candidates <- function(geometry, name) {
  fit <- geometry$fit
  items <- own_single_items(fit, name)
  span <- split_span(geometry, name, items)
  signs <- if (length(items) <= most_listed_items) all_partitions(length(items)) else
    searched_partitions(geometry, name, items, span)
  list(family = rep("split", ncol(signs)), construct = rep(name, ncol(signs)),
       sets = lapply(seq_len(ncol(signs)), function(k) {
         list(items[signs[, k] == signs[1L, k]], items[signs[, k] != signs[1L, k]])
       }), structures = new_structures(geometry, span, signs))
}

# The loadings of the items, each in a column of its own.
split_span <- function(geometry, name, items) {
  fit <- geometry$fit
  new_span(geometry, lapply(seq_along(fit$layout$parts), function(g) {
    loading <- group_loadings(fit, name, g)
    observed <- fit$layout$parts[[g]]$observed
    out <- matrix(0, length(observed), length(items), dimnames = list(observed, items))
    here <- intersect(items, observed)
    out[cbind(here, here)] <- loading[here]
    out
  }))
}

# Items that could be on either side of a split: the statistic decreases by less than 1 when they
# change sides.
either_side <- function(geometry, name, sets) {
  if (is.na(name) || length(sets) < 2L) return("")
  items <- unlist(sets)
  signs <- rep(c(1, -1), lengths(sets))
  flipped <- vapply(seq_along(items), function(i) replace(signs, i, -signs[i]),
                    numeric(length(items)))
  z <- structure_statistics(new_structures(geometry, split_span(geometry, name, items),
                                           cbind(signs, flipped)))
  paste(items[which(z[-1L] > z[1L] - 1)], collapse = ", ")
}

# Signs of all partitions into two sets of two or more; the first item is always +.
all_partitions <- function(size) {
  codes <- seq_len(2^(size - 1L)) - 1L
  signs <- rbind(1, vapply(codes, function(code) {
    1 - 2 * bitwAnd(bitwShiftR(code, seq_len(size - 1L) - 1L), 1L)
  }, numeric(size - 1L)))
  minus <- colSums(signs < 0)
  signs[, minus >= 2L & minus <= size - 2L, drop = FALSE]
}

# With many items: starting from the signs of the three leading eigenvectors of the weighted
# residual matrix, single items change sides as long as the statistic increases.
searched_partitions <- function(geometry, name, items, span) {
  fit <- geometry$fit
  observed <- fit$layout$parts[[1L]]$observed
  at <- match(items, observed)
  sigma <- geometry$matrices[[1L]]$covariance[seq_along(observed), seq_along(observed)]
  s <- core_moments(fit)[[1L]]$covariance
  half <- solve_in_units(sigma, diag(length(observed)))
  inner <- (half %*% (s - sigma) %*% half)[at, at]
  loading <- group_loadings(fit, name, 1L)[items]
  leading <- eigen(outer(loading, loading) * inner, symmetric = TRUE)$vectors[, 1:3]
  statistic <- function(signs) structure_statistics(new_structures(geometry, span, signs))
  starts <- apply(leading, 2L, function(v) ifelse(v < stats::median(v), -1, 1))
  unique(vapply(seq_len(3L), function(k) {
    now <- starts[, k] * starts[1L, k]
    repeat {
      flipped <- vapply(seq_along(now), function(i) replace(now, i, -now[i]), numeric(length(now)))
      minus <- colSums(flipped < 0)
      flipped <- flipped[, minus >= 2L & minus <= length(now) - 2L, drop = FALSE]
      found <- statistic(cbind(now, flipped))
      gain <- if (length(found) > 1L) max(found[-1L]) - found[1L] else NA
      if (!isTRUE(gain > 1e-8)) break
      now <- flipped[, which.max(found[-1L])]
      now <- now * now[1L]
    }
    now
  }, numeric(length(items))), MARGIN = 2L)
}

# Factors of items keyed alike, in raw direction, each item in proportion to its standard deviation;
# and of all items, where there are several constructs. A list of candidates by factor.
factor_candidates <- function(geometry) {
  fit <- geometry$fit
  rows <- fit$layout$rows
  loads <- which(rows$kind == "loading" & rows$second %in% fit$layout$observed)
  items <- unique(rows$second[loads])
  key <- vapply(items, function(item) sign(sum(values_of(fit)[loads][rows$second[loads] == item])),
                0)
  constructs <- unique(rows$first[loads])
  sets <- list(items[key > 0], items[key < 0])
  family <- rep("method_factor", 2L)
  if (any(lengths(sets) < 2L)) sets <- family <- NULL
  if (length(constructs) > 1L) {
    sets <- c(sets, list(items))
    family <- c(family, "general_factor")
  }
  sets <- sets[lengths(sets) >= 3L | family != "general_factor"]
  if (length(sets) == 0L) return(NULL)
  lapply(seq_along(sets), function(k) {
    span <- new_span(geometry, lapply(seq_along(fit$layout$parts), function(g) {
      observed <- fit$layout$parts[[g]]$observed
      # of the observed variables: a construct may have a negative variance
      sd <- sqrt(diag(geometry$matrices[[g]]$covariance)[seq_along(observed)])
      as.matrix(ifelse(observed %in% sets[[k]], sd, 0))
    }))
    list(family = family[k], construct = NA_character_, sets = list(list(sets[[k]])),
         structures = new_structures(geometry, span, matrix(1)))
  })
}

# Single changes as directions: residual covariances and cross-loadings in each group. Those that
# the fit contains already are left out.
single_changes <- function(geometry) {
  fit <- geometry$fit
  found <- find_candidates(fit)
  open <- which(!nzchar(found$reason) & found$constraint == 0L & !found$change %in% loop_kinds &
                  found$family != parameter_families[["mean"]])
  new_changes(geometry, found$family[open], match(found$group[open], fit$layout$groups),
              found$row[open], found$col[open])
}

# Draws of all statistics under the model: Wishart under normality; where kurtosis requires it or
# inference is robust, multipliers of the contribution of each case, studentized.
structure_null <- function(geometry, structures, singles) {
  robust <- is_robust(geometry$fit$request) || rule_kurtosis(kurtosis_z(geometry$fit))
  count <- sum(lengths(lapply(structures, `[[`, "norm")))
  size <- count + length(singles$row)
  if (robust && sum(cases_by_group(geometry$fit$sample)) * size < most_direction_cells) {
    off <- case_contributions(geometry, geometry$tangent)
    if (!is.null(off)) return(multiplier_null(geometry, structures, singles, off))
  }
  null <- null_residuals(geometry, structure_draws)
  list(draws = do.call(rbind, lapply(structures, along_structures, geometry = geometry,
                                     vectors = null)),
       single = along_changes(geometry, singles, null), sd = rep(1, count),
       sd_single = rep(1, length(singles$row)))
}

# Draws by normal multipliers of the contribution of each case (or cluster), divided by the standard
# deviation that the cases imply. `off`: the contributions to the tangent space.
multiplier_null <- function(geometry, structures, singles, off) {
  off <- less_each(off, colMeans(off))
  normal <- with_seed(1L, matrix(stats::rnorm(nrow(off) * structure_draws), nrow(off)))
  tangent <- list(square = core_crossproduct(off, off), draws = core_crossproduct(off, normal))
  parts <- lapply(structures, draws_of_structures, geometry = geometry, off = off, normal = normal,
                  tangent = tangent)
  each <- contributions_of_changes(geometry, singles, off)
  out <- list(draws = do.call(rbind, lapply(parts, `[[`, "draws")),
              sd = unlist(lapply(parts, `[[`, "sd")), single = NULL, sd_single = numeric())
  if (is.null(each)) return(out)
  each <- less_each(each, colMeans(each))
  out$sd_single <- sqrt(colSums(each^2))
  out$single <- core_crossproduct(each, normal) / out$sd_single
  out
}

# The contribution of a case to a structure is a weighted sum of those to the pairs of its span and
# to the tangent space, and so are the draws; the contributions to thousands of structures are never
# formed.
draws_of_structures <- function(structures, geometry, off, normal, tangent) {
  pairs <- contributions_of_pairs(geometry, structures$span)
  pairs <- less_each(pairs, colMeans(pairs))
  own <- times_each(structures$forms, 1 / structures$norm)
  taken <- -t(structures$taken / structures$norm)
  variance <- colSums(own * core_product(core_crossproduct(pairs, pairs), own)) +
    2 * colSums(own * core_product(core_crossproduct(pairs, off), taken)) +
    colSums(taken * core_product(tangent$square, taken))
  sd <- sqrt(pmax(0, variance))
  list(sd = sd, draws = (core_crossproduct(own, core_crossproduct(pairs, normal)) +
                           core_crossproduct(taken, tangent$draws)) / sd)
}

# The model with one more factor of these items, loadings in proportion to their standard deviations
# and no covariance with anything else: drop, df and the share of each item's variance.
fit_method_factor <- function(fit, items) {
  bp <- without_trail(fit$request$blueprint)
  name <- utils::tail(make.unique(c(fit$layout$constructs, fit$layout$observed, "Factor")), 1L)
  sd <- sqrt(diag(core_moments(fit)[[1L]]$covariance))
  names(sd) <- fit$layout$parts[[1L]]$observed
  others <- setdiff(c(fit$layout$constructs, fit$layout$observed), fit$layout$endogenous)
  other <- tryCatch(suppressWarnings(suppressMessages({
    bp <- construct(bp, name, reflected_in = !!rlang::call2("c", !!!as.list(sd[items])))
    for (one in others) bp <- uncorrelate(bp, !!c(name, one))
    refit_quietly(fit, list(blueprint = bp))
  })), orizzonte_error = function(e) NULL)
  if (is.null(other) || !solution_state(other)$status %in% c("proper", "at bound")) return(NULL)
  test <- difference_test(fit, other, adjusted = FALSE)
  at <- match(name, other$layout$constructs)
  variance <- mean(vapply(group_views(other), function(view) {
    implied_moments(view)$constructs[at, at]
  }, 0))
  list(drop = test$chisq, df = test$df, share = variance)
}

# The model with two constructs in place of one.
fit_split <- function(fit, name, sets) {
  names <- make.unique(c(fit$layout$constructs, fit$layout$observed, paste0(name, 1:2)))
  names <- utils::tail(names, 2L)
  request <- fit$request
  bp <- without_trail(request$blueprint)
  bp$claims <- bp$quantities <- character()
  if (length(statements_about(bp, name))) return(NULL)
  request$blueprint <- split_blueprint(bp, name, names, sets)
  other <- tryCatch(fit_request(request, fit$sample), orizzonte_error = function(e) NULL)
  if (is.null(other) || solution_state(other)$status != "proper") return(NULL)
  test <- difference_test(fit, other, adjusted = FALSE)
  if (is.na(test$chisq)) return(NULL)
  latent <- match(names, other$layout$constructs)
  list(drop = test$chisq, df = test$df, p = test$p, correlation =
         vapply(group_views(other), function(view) {
           stats::cov2cor(implied_moments(view)$constructs)[latent[1L], latent[2L]]
         }, 0))
}

split_blueprint <- function(bp, name, names, sets) {
  at <- match(name, names(bp$constructs))
  old <- bp$constructs[[at]]
  new <- lapply(sets, function(set) {
    old$items <- set
    kept <- is.null(old$scale) || old$scale %in% c(set, scale_settings)
    if (!kept) old["scale"] <- list(NULL)
    old
  })
  bp$constructs <- append(bp$constructs[-at], stats::setNames(new, names), at - 1L)
  # one construct is two whose disturbances correlate at 1
  inside <- vapply(bp$constructs, function(x) name %in% x$items, NA)
  outcome <- name %in% bp$effects$to || any(inside)
  for (one in setdiff(names(bp$constructs), names)) {
    items <- bp$constructs[[one]]$items
    if (name %in% items)
      bp$constructs[[one]]$items <- append(setdiff(items, name), names, match(name, items) - 1L)
  }
  if (outcome)
    bp$covary <- Map(c, bp$covary, list(names[1L], names[2L]))
  for (end in c("from", "to")) {
    twice <- bp$effects[[end]] == name
    halves <- lapply(names, function(half) {
      part <- lapply(bp$effects, function(x) x[twice])
      part[[end]][] <- half
      part
    })
    bp$effects <- Map(c, lapply(bp$effects, function(x) x[!twice]), halves[[1L]], halves[[2L]])
  }
  for (what in c("covary", "uncorrelate")) bp[[what]] <- doubled_pairs(bp[[what]], name, names)
  bp
}

# Pairs with the construct become pairs with each half.
doubled_pairs <- function(pairs, name, halves) {
  one <- lapply(pairs, function(x) replace(x, x == name, halves[1L]))
  other <- lapply(pairs, function(x) replace(x, x == name, halves[2L]))
  named <- pairs$first == name | pairs$second == name
  list(first = c(one$first, other$first[named]), second = c(one$second, other$second[named]))
}

# Sentences on the structures: the joint test, and the structures that fit about as well as the best
# change.
structure_sentences <- function(x) {
  if (is.null(x)) return(NULL)
  if (is.na(attr(x, "p_joint"))) return(text_of("structures_not_tested"))
  if (nrow(x) == 0L) return(NULL)
  if (attr(x, "p_joint") > 0.05)
    return(text_of("no_structure", p_joint = p_clause(attr(x, "p_joint"))))
  shown <- x[x$says_as_much, ]
  if (nrow(shown) == 0L) return(text_of("no_structure_fits_better",
                                        p_joint = p_clause(attr(x, "p_joint"))))
  c(text_of("structure_in_misfit", p_joint = p_clause(attr(x, "p_joint"))),
    vapply(seq_len(nrow(shown)), function(k) {
      row <- shown[k, ]
      text_of(paste0("structure_", row$family), construct = row$construct, part_one = row$part_one,
              part_two = row$part_two,
              either = if (nzchar(row$either_side))
                text_of("either_side", items = row$either_side),
              drop = format_fixed(row$drop, 2L), df = row$df,
              correlation = format_share(row$correlation), share = percent_words(row$share))
    }, ""))
}

# Hypotheses, quantities and statements about single parameters that name a construct.
statements_about <- function(bp, name) {
  texts <- c(bp$claims, bp$quantities, vapply(bp$restrict, format_restriction, ""), bp$relax,
             unlist(bp[c(held_keys, differ_keys)], use.names = FALSE), names(bp$start_at))
  word <- paste0("(^|[^A-Za-z0-9_.])", gsub("([.])", "[.]", name), "($|[^A-Za-z0-9_.])")
  unname(texts[grepl(word, texts)])
}
