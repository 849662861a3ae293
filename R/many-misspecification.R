# Populations for which a model is misspecified by stated amounts: the fitted model with one thing
# more in it that the model does not have.

# Default misspecifications (after McNeish & Wolf 2023): one residual correlation and one
# cross-loading the size of the weakest standardized loading, and one construct that should be two.
split_correlation <- 0.8

default_misspecified <- function(fit) {
  layout <- fit$layout
  loadings <- own_loadings(fit)
  if (length(loadings$item) == 0L) return(list())
  size <- round(min(abs(loadings$size)), 2L)
  out <- list()
  counts <- table(loadings$construct)[unique(loadings$construct)]
  largest <- names(counts)[which.max(counts)]
  own <- loadings$construct == largest
  weak <- loadings$item[own][order(abs(loadings$size[own]))]
  pair <- layout$observed[layout$observed %in% weak[1:2]]
  if (length(pair) == 2L && !has_covariance(layout, pair))
    out[[address_format("covariance", pair[1L], pair[2L])]] <- size
  item <- loadings$item[which.min(abs(loadings$size))]
  others <- setdiff(unique(loadings$construct), loadings$construct[loadings$item == item])
  if (length(others)) out[[address_format("loading", others[1L], item)]] <- size
  if (counts[[largest]] >= 4L)
    out[[address_format("correlation", largest, largest)]] <- split_correlation
  Filter(Negate(is.na), Map(function(size, text) possible_size(fit, text, size), out, names(out)))
}

smallest_misspecification <- 0.05

# The size, or the largest part of it that leaves every variable a residual variance; NA when there
# is hardly any.
possible_size <- function(fit, text, size) {
  while (abs(size) >= smallest_misspecification) {
    made <- tryCatch(lapply(seq_along(fit$layout$groups), misspecified_moments, fit = fit,
                            sizes = stats::setNames(size, text)),
                     orizzonte_error = function(e) NULL)
    if (!is.null(made)) return(size)
    size <- round(0.8 * size, 2L)
  }
  NA_real_
}

# Items that load on one construct only, with their standardized loadings in the first group.
own_loadings <- function(fit) {
  rows <- fit$layout$rows
  at <- which(rows$kind == "loading" & rows$second %in% fit$layout$observed &
                rows$group == fit$layout$groups[1L])
  at <- at[!rows$second[at] %in% rows$second[at][duplicated(rows$second[at])]]
  list(construct = rows$first[at], item = rows$second[at],
       size = standardized_of(fit)$value[at])
}

has_covariance <- function(layout, pair) {
  rows <- layout$rows
  any(rows$kind == "covariance" & rows$first %in% pair & rows$second %in% pair)
}

# `misspecified`: a named list of sizes, or of named sizes, by address.
check_misspecified <- function(misspecified, fit) {
  if (!is.null(misspecified) && length(misspecified) == 0L)
    abort("input", c(text_of("misspecified_is_empty"),
                     i = text_of("leave_out_default_misspecifications")))
  if (is.null(misspecified)) misspecified <- default_misspecified(fit)
  usable <- (is.list(misspecified) || is.numeric(misspecified)) &&
    (length(misspecified) == 0L ||
       !is.null(names(misspecified)) && all(nzchar(names(misspecified)))) &&
    all(vapply(misspecified, function(x) is.numeric(x) && length(x) > 0L && all(is.finite(x)), NA))
  if (!usable)
    abort("input", c(text_of("misspecified_must_be_sizes"),
                     x = text_of("it_is_of_kind", value = describe(misspecified)),
                     i = text_of("such_misspecified_c_covariance")))
  named_by_address(stats::setNames(as.list(misspecified), names(misspecified)))
}

# A plain number is called by its address.
named_by_address <- function(misspecified) {
  Map(function(size, name) if (is.null(names(size))) stats::setNames(size, name) else size,
      misspecified, names(misspecified))
}

misspecified_words <- function(sizes) {
  enumerate(vapply(names(sizes), function(text) {
    address <- parse_address(text)
    size <- format_fixed(sizes[[text]], 2L)
    switch(address$kind,
           covariance = text_of("residuals_correlate", first = address$first,
                                second = address$second, size = size),
           loading = text_of("also_loads", second = address$second, first = address$first,
                             size = size),
           effect = text_of("has_effect", first = address$first, size = size,
                            second = address$second),
           correlation = text_of("is_two_constructs_correlate", first = address$first, size = size))
  }, ""))
}

# The moments of one group of such a population. `matrices`: those of the fit, all variables.
misspecified_moments <- function(fit, g, sizes) {
  part <- fit$layout$parts[[g]]
  names <- c(part$observed, part$constructs)
  p <- seq_along(part$observed)
  matrices <- matrices_of(fit)[[g]]
  b <- matrices$effects
  psi <- matrices$residual
  phi <- matrices$covariance
  dimnames(b) <- dimnames(psi) <- dimnames(phi) <- list(names, names)
  sd <- sqrt(diag(phi))
  halves <- list()
  for (text in names(sizes)) {
    address <- parse_address(text)
    size <- sizes[[text]]
    check_possible_misspecification(address, text)
    first <- known_to(address$first, names, text)
    if (address$kind == "correlation" && identical(address$first, address$second)) {
      halves[[first]] <- size
      next
    }
    second <- known_to(address$second, names, text)
    if (address$kind == "covariance") {
      both <- size * sqrt(psi[first, first] * psi[second, second])
      psi[first, second] <- psi[second, first] <- both
    } else {
      b[second, first] <- b[second, first] + size * sd[[second]] / sd[[first]]
    }
  }
  psi <- kept_variances(b, psi, diag(phi), names)
  total <- total_effects(b)
  covariance <- (total %*% psi %*% t(total))[p, p, drop = FALSE]
  for (construct in names(halves))
    covariance <- halved_construct(covariance, fit, g, construct, halves[[construct]])
  if (!isTRUE(smallest_eigenvalue(stats::cov2cor(covariance)) > 1e-8))
    abort("input", c(text_of("misspecified_give_covariance_matrix"),
                     i = text_of("take_smaller_sizes")))
  covariance
}

check_possible_misspecification <- function(address, text) {
  single <- length(address$first) == 1L && length(address$second) == 1L && is.null(address$group)
  two <- identical(address$kind, "correlation") && identical(address$first, address$second)
  if (single && (two || address$kind %in% c("covariance", "loading", "effect")))
    return(invisible())
  abort("input", c(text_of("misspecified_cannot_be_made", value = text),
                   i = text_of("one_covariance_loading_or")))
}

known_to <- function(name, names, text) {
  if (name %in% names) return(name)
  abort("name", c(text_of("names_which_model_does", value = text, name = quoted(name)),
                  did_you_mean(name, names)))
}

# Residual variances make room, so that the variances of all variables stay.
kept_variances <- function(b, psi, variance, names) {
  free <- which(diag(psi) != 0)
  found <- residual_variances(variance, total_effects(b), psi, free)
  bad <- which(found <= 0)
  if (length(bad))
    abort("input", c(text_of("misspecified_explain_more_than", bad = names[free[bad[1L]]]),
                     i = text_of("take_smaller_sizes")))
  diag(psi)[free] <- found
  psi
}

# Every second item of a construct is of its other half.
halved_construct <- function(covariance, fit, g, construct, size) {
  items <- fit$layout$parts[[g]]$observed
  rows <- fit$layout$rows
  own <- rows$second[rows$kind == "loading" & rows$first == construct &
                       rows$group == fit$layout$groups[g]]
  own <- intersect(own, items)
  other <- own[seq_along(own) %% 2L == 0L]
  one <- setdiff(own, other)
  if (length(other) == 0L)
    abort("input", c(text_of("has_no_two_items", construct = construct),
                     i = text_of("name_construct_more_items")))
  covariance[one, other] <- size * covariance[one, other]
  covariance[other, one] <- size * covariance[other, one]
  covariance
}
