# Several groups: their parameter tables one below the other, and what is held equal across them.

row_columns <- c("parameter", "head", "first", "second", "group", "role", "family", "row", "col", "fixed", "assumed")

stack_groups <- function(bp, means, observed, groups) {
  strange <- setdiff(names(bp$left_out), groups)
  if (length(strange)) {
    abort("name", c(paste0("Something is left out in group ", quoted(strange[1L]), ", which is not among the groups."), did_you_mean(strange[1L], groups),
                    i = paste0("Groups: ", enumerate(groups), ".")))
  }
  tables <- lapply(groups, function(g) layout_parameters(group_blueprint(bp, g), means, observed[[g]]))
  out <- stats::setNames(lapply(row_columns, function(name) unlist(lapply(tables, `[[`, name), use.names = FALSE)), row_columns)
  sizes <- vapply(tables, function(table) length(table$head), 0L)
  ends <- cumsum(sizes)
  out$group <- rep(groups, sizes)
  out$parameter <- address_format(out$head, out$first, out$second, out$group)
  union_of <- function(name) unique(unlist(lapply(tables, `[[`, name), use.names = FALSE))
  for (name in c("observed", "constructs", "endogenous", "composites")) out[[name]] <- union_of(name) %||% character()
  out$means <- means
  out$groups <- groups
  out$spans <- stats::setNames(Map(function(end, size) seq(end - size + 1L, length.out = size), ends, sizes), groups)
  out$parts <- stats::setNames(Map(function(table, start) {
    c(table[c("observed", "constructs", "endogenous", "composites")], list(indicators = lapply(table$indicators, function(rows) rows + start)))
  }, tables, ends - sizes), groups)
  # the indicators of a construct, in the first group: what readers ask by name
  out$indicators <- out$parts[[1L]]$indicators
  out
}

hold_heads <- c("loading", "loading[items]", "loading[constructs]", "weight", "intercept", "effect", "mean", "mean[indicators]", "variance[items]",
                "variance[constructs]", "covariance[items]", "covariance[constructs]")

# Rows that patterns mean, in every group: a head alone means all of its parameters that measure or relate what is modelled.
pattern_rows <- function(patterns, table, what) {
  unique(unlist(lapply(patterns, function(pattern) {
    if (pattern == "loading") return(which(table$head == "loading"))
    if (pattern == "loading[items]") return(which(table$head == "loading" & !table$second %in% table$constructs))
    if (pattern == "loading[constructs]") return(which(table$head == "loading" & table$second %in% table$constructs))
    if (pattern == "mean[indicators]") return(which(table$head == "mean" & table$first %in% table$second[table$head == "loading"]))
    if (pattern == "weight") return(which(table$head == "weight"))
    if (pattern == "effect") return(which(table$head == "effect"))
    if (pattern == "intercept") return(which(table$head == "intercept" & table$first %in% reflective_items(table)))
    if (pattern == "mean") return(which(table$head == "mean"))
    # only what the model says about items; nothing about observed predictors
    if (pattern %in% c("variance[items]", "covariance[items]")) {
      items <- reflective_items(table)
      head <- sub("\\[.*", "", pattern)
      return(which(table$head == head & table$first %in% items & (head == "variance" | table$second %in% items)))
    }
    if (!grepl("[", pattern, fixed = TRUE)) {
      abort("input", c(paste0("There is nothing to hold called ", quoted(pattern), "."), did_you_mean(pattern, hold_heads),
                       i = paste0(what, " takes ", enumerate(hold_heads, most = 20L), ", or single addresses.")))
    }
    restricted_rows(pattern, table)
  })))
}

# Each address is one class across groups. Freed construct variances and means that this makes estimable follow in free_scales().
hold_across <- function(table, bp, hold, except) {
  size <- length(table$head)
  rows <- setdiff(pattern_rows(hold, table, "`hold`"), pattern_rows(except, table, "`except`"))
  # what was relaxed is not held
  rows <- setdiff(rows, which(table$relaxed & !table$head %in% "mean"))
  plain <- address_format(table$head, table$first, table$second)
  table$within <- tabulate(table$class, size) > 1L
  table$shared <- rep(FALSE, size)
  for (address in unique(plain[rows])) {
    same <- rows[plain[rows] == address]
    if (length(same) < 2L) next
    known <- unique(table$fixed[same][!is.na(table$fixed[same])])
    merged <- table$class %in% table$class[same]
    if (length(known) > 1L) next                   # fixed at different numbers by the user
    table$class[merged] <- min(table$class[merged])
    if (length(known) == 1L) table$fixed[merged] <- known
    table$shared[same] <- TRUE
  }
  table$hold <- hold
  table$except <- except
  free_means(table)
}

# Intercepts of items (and means of constructs that are indicators) held equal let the means of what they measure differ from those
# of the first group, as far as the loadings can tell these means apart.
free_means <- function(table) {
  if (!table$means) return(table)
  for (g in seq_along(table$groups)[-1L]) {
    part <- table$parts[[g]]
    span <- table$spans[[g]]
    held <- span[table$head[span] %in% c("intercept", "mean") & table$shared[span]]
    open <- Filter(function(name) {
      mean <- span[table$head[span] == "mean" & table$first[span] == name]
      items <- table$second[part$indicators[[name]]]
      !name %in% part$composites && length(mean) == 1L && identical(table$fixed[mean], 0) && !table$touched[mean] && !table$shared[mean] &&
        any(table$first[held] %in% items)
    }, part$constructs)
    for (name in open[!told_apart(table, open, part, table$first[held])]) {
      table$notes <- union(table$notes, paste0("mean[", address_name(name), "] stays 0 in every group: the loadings cannot tell it from the other means."))
      open <- setdiff(open, name)
    }
    mean <- span[table$head[span] == "mean" & table$first[span] %in% open]
    table$fixed[mean] <- NA
    table$freed <- c(table$freed, mean)
  }
  table
}

# Which of the means shift what is held in a way that those before them do not: independent columns of the loadings, at values that
# keep fixed and equal ones so and are otherwise haphazard.
told_apart <- function(table, constructs, part, held) {
  if (length(constructs) < 2L) return(rep(TRUE, length(constructs)))
  loadings <- matrix(0, length(held), length(constructs))
  for (k in seq_along(constructs)) {
    rows <- part$indicators[[constructs[k]]]
    value <- ifelse(is.na(table$fixed[rows]), 0.6 + 0.8 * (table$class[rows] * 0.618034) %% 1, table$fixed[rows])
    at <- match(table$second[rows], held)
    loadings[at[!is.na(at)], k] <- value[!is.na(at)]
  }
  factor <- qr(loadings, tol = 1e-8)
  seq_along(constructs) %in% factor$pivot[seq_len(factor$rank)]
}

group_layout <- function(table, g) {
  span <- table$spans[[g]]
  size <- length(table$head)
  out <- table
  for (name in names(table)) {
    if (is.atomic(table[[name]]) && length(table[[name]]) == size && !name %in% c("parameters", "leading", "groups", "observed", "constructs", "freed",
                                                                                  "hold", "except")) out[[name]] <- table[[name]][span]
  }
  part <- table$parts[[g]]
  out[c("observed", "constructs", "endogenous", "composites")] <- part[c("observed", "constructs", "endogenous", "composites")]
  out$indicators <- lapply(part$indicators, match, span)
  inside <- table$map$entry %in% span
  out$map <- list(entry = match(table$map$entry[inside], span), parameter = table$map$parameter[inside], weight = table$map$weight[inside])
  out$scales <- lapply(Filter(function(s) s$group == g, table$scales), function(s) {
    s$group <- 1L
    for (name in c("loadings", "variance", "marker")) s[[name]] <- match(s[[name]], span, 0L)
    s
  })
  out$constraints <- list()
  out$groups <- out$parts <- out$spans <- NULL
  out$every <- TRUE
  out$core <- core_layout(out, keep_means = table$core$means)
  out
}
