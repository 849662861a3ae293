# The levels of invariance: their order, and the equalities that each adds.

# Each rung is tested against the one below: configural is always there, and the order is fixed.
rungs_in_order <- function(rungs) {
  ordered <- intersect(names(rung_adds), c("configural", rungs))
  asked <- unique(rungs)
  if (!"configural" %in% asked) say(text_of("configural_rung_is_fitted"))
  if (!identical(intersect(ordered, asked), asked))
    say(text_of("rungs_in_order", rungs = enumerate(ordered)))
  ordered
}

check_rungs <- function(rungs, structural) {
  unknown <- setdiff(rungs, names(rung_adds))
  if (length(unknown)) {
    abort("input", c(text_of("there_is_no_rung", unknown = quoted(unknown[1L])),
                     did_you_mean(unknown[1L], names(rung_adds)),
                     i = paste0("Rungs: ", enumerate(names(rung_adds)), ".")))
  }
  known <- c(hold_kinds, hold_slices)
  unknown <- setdiff(structural, known)
  if (length(unknown)) {
    abort("input", c(text_of("structural_does_not_know", unknown = quoted(unknown[1L])),
                     did_you_mean(unknown[1L], known)))
  }
}

# The constraints that each rung adds to those before it. Second-order factors have rungs of
# their own, which come after those of what measures them (Chen, Sousa & West 2005).
rung_adds <- list(configural = character(), metric = c("loading[items]", "weight"),
                  second_order_metric = "loading[constructs]", scalar = "intercept",
                  second_order_scalar = c("loading[constructs]", "mean[lower_order]"),
                  strict = c("variance[items]", "covariance[items]"))

rung_hold <- function(rung, rungs) {
  below <- names(rung_adds)[seq_len(match(rung, names(rung_adds)))]
  unique(unlist(rung_adds[below[!startsWith(below, "second_order") | below %in% rungs]]))
}

default_rungs <- function(bp) {
  constructs <- names(bp$constructs)
  higher <-
    any(vapply(bp$constructs, function(x) {
      x$kind == "reflective" &&
      any(x$items %in% constructs)
    }, NA))
  names(rung_adds)[higher | !startsWith(names(rung_adds), "second_order")]
}

# Without means nothing is known about intercepts: asked for, that is an error; otherwise their
# rungs are left out.
rungs_without_means <- function(rungs, asked) {
  about_means <- c("scalar", "second_order_scalar", "mean", "intercept", "mean[lower_order]")
  impossible <- intersect(asked, about_means)
  if (length(impossible)) {
    abort("data", c(text_of("data_carry_no_means", impossible = quoted(impossible[1L])),
                    i = text_of("give_raw_data_or")))
  }
  left <- intersect(rungs, about_means)
  if (length(left)) say(text_of("rungs_without_means", count = length(left),
                                rungs = enumerate(left)))
  setdiff(rungs, left)
}

# The rung that each rung is tested against: the previous one, or the first.
rungs_before <- function(rungs, against = "previous") {
  if (against == "first") return(c(NA, rep(1L, length(rungs) - 1L)))
  c(NA, seq_along(rungs)[-length(rungs)])
}

# Rungs that hold loadings, for which SRMR may change more (Chen 2007).
loading_rungs <- c("metric", "second_order_metric")

# The argument `rungs` for a ladder with one more rung; the first rung is always included.
rungs_with <- function(rung, rungs) {
  all <- intersect(names(rung_adds), c(rungs, rung))[-1L]
  if (length(all) == 1L) quoted(all) else paste0("c(", paste(quoted(all), collapse = ", "), ")")
}

# A rung that the ladder has. One that it could have is reached by climbing further.
check_rung <- function(rung, ladder) {
  check_string(rung, "`rung`")
  rungs <- names(ladder$fits)
  if (rung %in% rungs) return(invisible())
  abort("name", c(text_of("ladder_has_no_rung", rung = quoted(rung)), did_you_mean(rung, rungs),
                  i = text_of("rungs_of_ladder", rungs = enumerate(rungs)),
                  i = if (rung %in% names(rung_adds))
                    text_of("climb_to_rung", rungs = rungs_with(rung, rungs))))
}
