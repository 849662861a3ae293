# What a ladder says: which rungs hold by which criteria, and what may therefore be compared.

# Which rung each one rests on: the one before it; the first structural step the rung it was put on.
rungs_before <- function(rungs, on = NULL) {
  previous <- c(NA, seq_along(rungs)[-length(rungs)])
  steps <- which(!rungs %in% names(rung_adds))
  if (length(steps) && !is.null(on) && on %in% rungs) previous[steps[1L]] <- match(on, rungs)
  previous
}

rung_limits <- function(rung, groups, criteria) {
  change_limits(criteria, grepl("metric", rung), groups)
}

judge_rung <- function(columns, k, limits, converged, previous, criteria) {
  if (!converged) return(list(verdict = "not converged", broken = ""))
  if (is.na(previous)) {
    good <- columns$cfi[k] >= criteria$cfi[2L] && columns$rmsea[k] <= criteria$rmsea[2L]
    return(list(verdict = if (is.na(good)) "" else if (good) "fits" else "fits poorly",
                broken = ""))
  }
  if (columns$df_change[k] == 0) return(list(verdict = "nothing to hold", broken = ""))
  changes <- lapply(columns[paste0(c("cfi", "rmsea", "srmr", "p"), "_change")], `[`, k)
  broken <- broken_criteria(changes, limits)
  verdict <- if (length(broken) == 0L) "holds" else if ("cfi" %in% broken && length(broken) > 1L)
    "fails" else "doubtful"
  list(verdict = verdict, broken = paste(toupper(broken), collapse = ", "))
}

rung_allows <-
  c(configural = "the constructs have the same structure; no numbers may be compared yet",
    metric = "effects, covariances and correlations may be compared",
    second_order_metric =
    "effects and covariances of constructs measured by constructs may be compared, too",
    scalar = "means of constructs may be compared",
    second_order_scalar = "means of constructs measured by constructs may be compared, too",
    strict = "sums and means of observed scores may be compared")

rung_asks <-
  c(configural = "the same constructs and items in every group, each with its own values",
    metric = "an item means the same: loadings and weights are equal",
    second_order_metric =
    "constructs measured by constructs mean the same: their loadings are equal",
    scalar =
    paste0("an item starts from the same level: intercepts of items are equal, means of ",
           "constructs may differ"),
    second_order_scalar = "constructs start from the same level, given what they measure",
    strict = "an item is equally exact: residual variances and covariances are equal")

# What the rungs of a ladder ask, one line each.
rung_meanings <- function(ladder) {
  rungs <- names(ladder$fits)
  paste0("**", rungs, "**: ",
         ifelse(rungs %in% names(rung_asks), rung_asks[rungs],
                paste0("`", rungs, "` is equal, too, on top of the ", ladder$on, " rung")))
}

# The rung on which means may be compared, if it is there and has converged.
comparable_rung <- function(ladder) {
  usable <- Filter(function(rung) {
    rung %in% names(ladder$fits) &&
    has_converged(ladder$fits[[rung]]) && ladder$fits[[rung]]$layout$means
  }, "scalar")
  if (length(usable)) usable
}

read_ladder <- function(rungs, verdict, fits) {
  known <- rungs %in% names(rung_allows)
  bad <- which(known & verdict %in% c("fails", "doubtful", "not converged", "fits poorly"))
  held <- which(known & verdict %in% c("holds", "fits"))
  last <- if (length(bad)) held[held < bad[1L]] else held
  top <- if (length(last)) rungs[max(last)]
  if (identical(top, "strict") && !fits[[top]]$layout$means)
    rung_allows[["strict"]] <- rung_allows[["metric"]]
  loose <- if (!is.null(top)) released_addresses(fits[[top]])
  c(if (!is.null(top)) {
    if (length(loose) == 0L) {
      paste0("Up to ", top, ": ", rung_allows[[top]], ".")
    } else {
      # sums of scores carry what is not held; constructs do not
      allowed <- if (top == "strict")
        paste0(rung_allows[["scalar"]],
               ", sums and means of observed scores only without the items concerned") else
        rung_allows[[top]]
      paste0("Up to ", top, ", in part (not held: ", enumerate(loose, most = 4L), "): ",
             allowed, ".")
    }
  }, if (length(bad)) {
    if (verdict[bad[1L]] == "fits poorly")
      paste0("The ", rungs[bad[1L]],
             " model does not fit acceptably: mend it first, in each group.") else
      paste0("The ", rungs[bad[1L]], " rung ",
             switch(verdict[bad[1L]], fails = "fails", doubtful = "is doubtful",
                    "has not converged"), ".")
  })
}

# What a rung would hold, were it not excepted.
released_addresses <- function(fit) {
  bp <- fit$request$blueprint
  rows <- intersect(pattern_rows(bp$hold_equal, fit$layout),
                    pattern_rows(bp$let_differ, fit$layout))
  parameter <- fit$layout$rows$parameter
  unique(without_group(intersect(parameter[rows], parameter[!fit$layout$rows$shared])))
}
