# Properties of the data that explain why a model does not converge or is improper. Each finding is
# a list of `kind`, `construct`, `items` and `text`.

# A finding about a construct and items, in words.
finding <- function(kind, construct, items, ...) {
  list(list(kind = kind, construct = construct, items = items, text = paste0(...)))
}

# Correlations of the items of a construct without the variance that a general construct shares.
inside_correlations <- function(items, general, items_of, r) {
  if (is.null(general)) return(r[items, items])
  partial_correlations(r, items_of[[general]])[items, items]
}

# Reverse-keyed items, constructs whose items hardly correlate, and items that correlate with no
# construct.
items_evidence <- function(name, items_of, r, n, told) {
  findings <- list()
  add <- function(...) findings <<- c(findings, finding(...))
  items <- items_of[[name]]
  if (length(items) < 2L) return(list())
  general <- general_over(name, items_of)
  inside <- inside_correlations(items, general, items_of, r)
  once <- if (is.null(general)) "" else text_of("once_is_out", general = general)
  off <- inside[lower.tri(inside)]
  against <- if (is.null(general)) opposed(inside, n) else opposed(r[items, items], n)
  for (item in setdiff(against, told)) {
    others <- mean(r[item, setdiff(items, against)])
    add("keying", name, item, text_of("keyed_against_others", item = item, construct = name,
                                      correlation = format_share(others, 2L)))
  }
  weak <- mean(abs(off)) < 0.2
  if (weak) {
    add(if (is.null(general)) "weak construct" else "weak specific factor", name, items,
        text_of("hardly_a_construct", count = length(items), construct = name,
                correlation = format_share(mean(abs(off)), 2L), once = once))
  } else if (length(items) > 2L) {
    # an item that correlates with none of the others, once a near-duplicate pair is counted as one
    # item
    share <- vapply(items, function(item) mean(abs(inside[item, setdiff(items, item)])), 0)
    limit <- if (is.null(general)) 0.15 else 0.08
    for (item in items[share < limit]) {
      add("weak item", name, item,
          text_of("item_hardly_correlates", item = item, construct = name, once = once,
                  correlation = format_share(share[[item]], 2L)))
    }
  }
  findings
}

# Two items that relate differently to the remaining variables; three items whose correlations imply
# an impossible loading.
few_items_evidence <- function(name, items_of, r, observed) {
  findings <- list()
  add <- function(...) findings <<- c(findings, finding(...))
  items <- items_of[[name]]
  if (!length(items) %in% 2:3 || !is.null(general_over(name, items_of))) return(list())
  outside <- setdiff(observed, items)
  if (length(items) == 2L && length(outside)) {
    # each item's relation to the remaining variables, signed by the strongest one
    profile <- r[items, outside, drop = FALSE]
    link <- drop(profile %*% sign(colSums(profile * abs(profile)))) / length(outside)
    if (min(abs(link)) < 0.25 * max(abs(link)) ||
        prod(sign(link)) != sign(r[items[1L], items[2L]])) {
      add("two items", name, items,
          text_of("two_items_relate_differently", construct = name, first = items[1L],
                  first_link = format_share(link[1L], 2L), second = items[2L],
                  second_link = format_share(link[2L], 2L)))
    }
  }
  if (length(items) == 3L) {
    for (k in seq_along(items)) {
      others <- items[-k]
      share <- r[items[k], others[1L]] * r[items[k], others[2L]] /
        r[others[1L], others[2L]]
      if (is.finite(share) && (share > 1 || share < 0)) {
        correlations <- format_share(r[items, items][lower.tri(diag(3L))], 2L)
        add("three items", name, items[k],
            text_of("three_items_impossible", construct = name, item = items[k],
                    correlations = paste(correlations, collapse = ", "),
                    squared = format_share(share, 2L)))
        break
      }
    }
  }
  findings
}

# `covariance` of the observed variables, `data` the rows behind it when there are any.
find_evidence <- function(layout, covariance, n, data = NULL, rows = NULL) {
  r <- stats::cov2cor(covariance)
  findings <- list()
  add <- function(...) findings <<- c(findings, finding(...))
  items_of <- lapply(stats::setNames(layout$constructs, layout$constructs),
                     function(name) construct_items(layout, name))
  reflective <- setdiff(layout$constructs, layout$composites)
  pairs <- which(abs(r) > 0.95 & lower.tri(r), arr.ind = TRUE)
  for (i in seq_len(nrow(pairs))) {
    pair <- colnames(r)[sort(pairs[i, ])]
    owner <- names(Filter(function(items) all(pair %in% items), items_of))
    add("duplicate", owner, pair,
        text_of("nearly_same_item", first = pair[1L], second = pair[2L],
                correlation = format_share(r[pair[1L], pair[2L]], 3L)))
  }
  for (name in reflective) {
    told <- unlist(lapply(findings, function(f) if (f$kind == "keying") f$items))
    findings <- c(findings, items_evidence(name, items_of, r, n, told),
                  few_items_evidence(name, items_of, r, layout$observed))
  }
  for (pair in construct_pairs(reflective, items_of)) {
    a <- items_of[[pair[1L]]]
    b <- items_of[[pair[2L]]]
    # two parts of a general construct: by the correlations that remain without it
    general <- intersect(general_over(pair[1L], items_of), general_over(pair[2L], items_of))
    left <- if (length(general)) partial_correlations(r, items_of[[general]]) else r
    once <- if (length(general)) text_of("once_is_out", general = general)
    across <- mean(abs(left[a, b]))
    within <- mean(c(abs(left[a, a][lower.tri(left[a, a])]),
                     abs(left[b, b][lower.tri(left[b, b])])))
    if (across > 0.9 * within && across > 0.2) {
      add("one construct", pair, c(a, b),
          text_of("perhaps_one_construct", first = pair[1L], second = pair[2L],
                  across = format_share(across, 2L), within = format_share(within, 2L),
                  once = once))
    }
  }
  parameters <- length(unique(layout$map$parameter))     # of this group
  if (n < 5 * parameters && n < 200) {
    add("small sample", character(), character(),
        text_of("improper_common_in_small", rows = count_of(n, "row"),
                parameters = count_of(parameters, "free parameter")))
  }
  far <- outlying_rows(data, rows, covariance)
  if (length(far)) {
    findings <- c(findings,
                  list(list(kind = "outlier", construct = character(),
                            items = character(), rows = far,
                            text = text_of("far_from_all_others",
                                           far = if (length(far) == 1L) "row " else "rows ",
                                           far_2 = enumerate(far),
                                           far_3 = if (length(far) == 1L) " lies" else " lie"))))
  }
  findings
}

# A construct measured by all of another's items and by additional ones: the general one of a
# bifactor model.
general_over <- function(name, items_of) {
  own <- items_of[[name]]
  wider <-
    names(Filter(function(items) all(own %in% items) && length(items) > length(own), items_of))
  if (length(wider)) wider[1L]
}

# Correlations of items once their one common factor (iterated principal axis) is removed.
partial_correlations <- function(r, items) {
  r <- r[items, items]
  communality <- rep(0.5, length(items))
  for (i in 1:200) {
    reduced <- r
    diag(reduced) <- communality
    decomposed <- eigen(reduced, symmetric = TRUE)
    loading <- decomposed$vectors[, 1L] * sqrt(max(decomposed$values[1L], 0))
    new <- pmin(loading^2, 0.98)
    if (max(abs(new - communality)) < 1e-8) break
    communality <- new
  }
  out <- (r - tcrossprod(loading)) / sqrt(outer(1 - communality, 1 - communality))
  diag(out) <- 1
  out
}

construct_pairs <- function(names, items_of) {
  if (length(names) < 2L) return(list())
  pairs <- utils::combn(names, 2L, simplify = FALSE)
  Filter(function(pair) {
    a <- items_of[[pair[1L]]]
    b <- items_of[[pair[2L]]]
    length(a) > 1L && length(b) > 1L && !any(a %in% b)
  }, pairs)
}

# Rows of the original data whose squared distance (of their observed values from the mean) has a
# probability below .01 / n.
outlying_rows <- function(data, rows, covariance) {
  if (is.null(data) || nrow(data) <= ncol(data) + 1L) return(integer())
  mean <- colMeans(data, na.rm = TRUE)
  p <- rep(NA_real_, nrow(data))
  for (at in rows_by_pattern(data)) {
    v <- which(!is.na(data[at[1L], ]))
    own <- data[at, v, drop = FALSE]
    distance <- tryCatch(stats::mahalanobis(own, mean[v], covariance[v, v, drop = FALSE]),
                         error = function(e) NULL)
    if (is.null(distance)) return(integer())
    p[at] <- stats::pchisq(distance, length(v), lower.tail = FALSE, log.p = TRUE)
  }
  far <- which(p < log(0.01 / nrow(data)))
  far <- far[order(p[far])]
  unname(if (is.null(rows)) far else rows[far])
}

# The evidence for a fit, by group; `known`: row numbers in the given data.
all_evidence <- function(fit, known = NULL) {
  found <- lapply(unname(group_views(fit)), view_evidence, known = known)
  involved <- troubled_variables(fit)
  c(code_evidence(fit$sample$look), lapply(unlist(found, recursive = FALSE), function(f) {
    c(f, list(involved = any(c(f$construct, f$items) %in% involved)))
  }))
}

# Codes come first: all further findings are computed without the rows that contain them.
code_evidence <- function(look) {
  if (length(look$codes) == 0L) return(NULL)
  list(list(kind = "code", construct = character(), items = names(look$codes),
            text = paste(code_sentences(look), text_of("what_else_is_found")),
            involved = TRUE))
}

# The rows without any value that looks like a code for missing.
without_codes_rows <- function(data, codes) {
  odd <- lapply(names(codes), function(name) {
    if (name %in% colnames(data)) data[, name] %in% as.numeric(names(codes[[name]]))
  })
  !Reduce(`|`, Filter(length, odd), logical(nrow(data)))
}

view_evidence <- function(view, known) {
  fit <- view$fit
  block <- view$sample$blocks[[1L]]
  v <- view$layout$observed
  used <- view$sample$used
  data <- if (has_raw_data(fit$sample)) {
    group_data(fit$sample, view$number, v, fit$request$missing_codes, used = TRUE)
  }
  rows <- if (is.null(known)) used else known[used]
  covariance <- block$covariance[v, v, drop = FALSE]
  n <- block$n
  codes <- fit$sample$look$codes
  if (length(codes) && !is.null(data)) {
    keep <- without_codes_rows(data, codes) & stats::complete.cases(data)
    data <- data[keep, , drop = FALSE]
    rows <- rows[keep]
    n <- nrow(data)
    clean <- if (n > 2L) stats::cov(data)
    if (is.null(clean) || !isTRUE(all(diag(clean) > 0))) return(list())
    covariance <- clean
  }
  found <- find_evidence(view$layout, covariance, n, data, rows)
  lapply(found, function(f) {
    f$text <- paste0(group_lead(view$layout, view$group), f$text)
    f$group <- named_group(view$layout, view$group)
    f
  })
}

# Constructs with problems first; at most eight.
fit_evidence <- function(fit) {
  found <- all_evidence(fit)
  utils::head(found[order(!vapply(found, `[[`, NA, "involved"))], 8L)
}

# Variables in the improper parts and, for a fit that did not converge, in diverging parameters.
troubled_variables <- function(fit) {
  if (!has_values(fit)) return(character())
  layout <- fit$layout
  rows <- match(improper_parts(fit)$parameter, layout$rows$parameter)
  rows <- rows[!is.na(rows)]
  if (!has_converged(fit)) {
    running <- layout$rows$kind %in% arrow_kinds &
      abs(suppressWarnings(standardized_of(fit)$value)) > 2
    rows <- c(rows, which(running))
  }
  names <- stats::na.omit(unique(c(layout$rows$first[rows], layout$rows$second[rows])))
  first <- layout_of_group(layout, 1L)
  c(names, Filter(function(name) any(construct_items(first, name) %in% names), layout$constructs))
}
