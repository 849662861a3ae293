# Items that say together what single residual covariances say in pieces: blocks that share pairwise
# more than their constructs explain, and constructs that look like two.

# Three or more items that share pairwise more than their constructs explain: one more construct
# says it.
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
  # the leading ones only: a block stands out, or it is none
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

# A construct whose leading residual covariances part its items into two sets: the model with two
# constructs in its place, really fitted, where it says as much as the best of those covariances.
split_constructs <- function(fit, offered, leaders, real) {
  hot <- which(leaders$change == "residual covariance within a construct" &
                 leaders$verdict == "stands_out" & real$status %in% "proper")
  if (length(hot) == 0L) return(NULL)
  Filter(Negate(is.null), lapply(fit$layout$constructs, split_construct, fit = fit,
                                 offered = offered, leaders = leaders, real = real, hot = hot))
}

split_construct <- function(name, fit, offered, leaders, real, hot) {
  items <- construct_items(fit$layout, name)
  inside <- hot[leaders$first[hot] %in% items & leaders$second[hot] %in% items]
  if (length(inside) == 0L || !can_split(fit, name, items)) return(NULL)
  sets <- opposed_sets(fit, name, items, offered)
  if (is.null(sets)) return(NULL)
  found <- fit_split(fit, name, sets)
  if (is.null(found)) return(NULL)
  best <- inside[which.max(real$drop[inside])]
  gain <- found$drop - 2 * found$df
  # what the best single covariance gains, nearly
  single <- real$drop[best] - 2 * real$df[best]
  if (gain < single - max(2, 0.05 * single)) return(NULL)
  same <- abs(found$drop - real$drop[inside]) < 1e-3 & found$df == real$df[inside]
  c(list(construct = name, sets = sets, same_as = leaders$parameter[inside][same],
         best = leaders$parameter[best], says_more = gain > single + 2), found)
}

# Four items or more that measure nothing else, of a construct that no other statement of the
# blueprint is about but effects.
can_split <- function(fit, name, items) {
  bp <- fit$request$blueprint
  construct <- bp$constructs[[name]]
  if (length(items) < 4L || !setequal(construct$items, items) || length(construct$fixed))
    return(FALSE)
  others <- unlist(lapply(bp$constructs[names(bp$constructs) != name], `[[`, "items"))
  if (any(c(name, items) %in% others) || construct$kind != "reflective") return(FALSE)
  statements <- c(bp$relax, names(bp$start_at), bp$let_differ, bp$hold_equal, unlist(bp$covary),
                  unlist(bp$uncorrelate), vapply(bp$restrict, format_restriction, ""))
  about <- vapply(c(name, items), function(x) any(grepl(x, statements, fixed = TRUE)), NA)
  !any(about) && length(bp$left_out) == 0L
}

# Two sets of items, two or more in each: the signs of the leading eigenvector of their residual
# covariances, all that were tested, signed and weighed by their indices.
opposed_sets <- function(fit, name, items, offered) {
  k <- length(items)
  rows <- fit$layout$rows
  loading <- values_of(fit)[rows$kind == "loading" & rows$first == name]
  sign <- stats::setNames(sign(loading), rows$second[rows$kind == "loading" &
      rows$first == name])
  link <- matrix(0, k, k, dimnames = list(items, items))
  for (i in which(offered$first %in% items & offered$second %in% items &
                    offered$kind == "covariance")) {
    pair <- c(offered$first[i], offered$second[i])
    toward <- sign(offered$expected_change[i]) * prod(sign[pair])
    link[pair, pair] <- link[pair, pair] +
      toward * offered$modification_index[i] * (1 - diag(2L))
  }
  first <- eigen(link, symmetric = TRUE)$vectors[, 1L]
  if (any(abs(first) < 1e-8)) return(NULL)
  sets <- unname(split(items, first < 0))
  sets <- sets[order(vapply(sets, function(set) match(set[1L], items), 0L))]
  if (length(sets) == 2L && all(lengths(sets) > 1L)) sets
}

fit_split <- function(fit, name, sets) {
  names <- make.unique(c(fit$layout$constructs, fit$layout$observed, paste0(name, 1:2)))
  names <- utils::tail(names, 2L)
  request <- fit$request
  request$blueprint <- split_blueprint(request$blueprint, name, names, sets)
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
  for (end in c("from", "to")) {
    twice <- bp$effects[[end]] == name
    halves <- lapply(names, function(half) {
      part <- lapply(bp$effects, function(x) x[twice])
      part[[end]][] <- half
      part
    })
    bp$effects <- Map(c, lapply(bp$effects, function(x) x[!twice]), halves[[1L]], halves[[2L]])
  }
  bp$claims <- bp$quantities <- character()
  bp
}

split_sentences <- function(splits) {
  vapply(splits %||% list(), function(x) {
    text_of("two_constructs_beside_falls", construct = x$construct, sets = enumerate(x$sets[[1L]]),
            sets_2 = enumerate(x$sets[[2L]]), drop = format_fixed(x$drop, 2L), df = x$df,
            correlation = enumerate(format_fixed(x$correlation, 2L)),
            same_as = if (length(x$same_as)) {
             text_of("is_same_model_free", same_as = enumerate(x$same_as))
           } else {
             text_of("says_free",
                     says_more = text_of(if (x$says_more) "more_than" else "about_as_much_as"),
                     best = x$best)
           })
  }, "")
}
