# What is said of a sample: which cases are used, what is kept and what that supposes, what is left
# out, what to beware of.

thin_coverage <- 0.1        # share of the cases that have both variables of a pair
many_patterns <- 0.5        # of the cases
many_left_out <- 0.05       # share of the rows that have no group

# The number of cases, by group.
cases_text <- function(sample) size_words(sample, cases_by_group(sample), rows_of_groups(sample))

# The first line of what is printed of a fit: all cases, and what became of the others.
sample_header <- function(sample) {
  paste0(cases_text(sample), if (is_incomplete(sample)) kept_words(sample), left_words(sample))
}

# What is said once, when a sample is made.
sample_notes <- function(sample) {
  total <- vapply(sample$groups, `[[`, 0, "total")
  c(coding_notes(sample$coding), sample$group_notes, code_sentences(sample$look),
    if (!is_incomplete(sample))
      dropped_words(sample, sample$groups[[1L]]$notes, total - cases_by_group(sample), total),
    if (is_incomplete(sample) || nzchar(left_words(sample))) paste0(sample_header(sample), "."),
    incomplete_notes(sample), look_notes(sample$look, sample$robust))
}

# The same where the header stands above.
remaining_notes <- function(sample) {
  setdiff(sample_notes(sample), paste0(sample_header(sample), "."))
}

announce_sample <- function(sample) {
  for (note in sample_notes(sample)) say(note)
  for (trouble in sample_warnings(sample)) warn("data", trouble)
}

# "; 95 have missing values and are kept (...)", and the rows that are not.
kept_words <- function(sample) {
  with <- total_of(sample, "with_missing")
  empty <- total_of(sample, "empty")
  text_of("kept_casewise_ml_missing", with = format_count(with),
          with_2 = if (with == 1L) text_of("one_incomplete") else text_of("several_incomplete"),
          empty = if (empty > 0L) text_of("without_any_value_left", empty = count_of(empty, "row"),
                                          empty_2 = if (empty == 1L) "is" else "are"),
          sample = if (length(told_by(sample))) text_of("auxiliary_not_model",
              sample = enumerate(told_by(sample))))
}

told_by <- function(sample) c(sample$auxiliary, sample$with_auxiliary)

# Rows that belong to no group or no cluster.
left_words <- function(sample) {
  one <- function(count, column) {
    if (count > 0L)
      text_of("without_value_left_out", count = count_of(count, "row"), column = column,
              count_2 = if (count == 1L) " is" else " are")
  }
  paste0(c(one(sample$ungrouped, sample$by), one(sample$unclustered, sample$clusters), ""),
         collapse = "")
}

total_of <- function(sample, what) {
  sum(vapply(sample$groups, function(group) as.numeric(group[[what]] %||% 0), 0))
}

# Predictors with holes become part of what is modelled; pairs that nobody answered together tell
# nothing.
incomplete_notes <- function(sample) {
  holes <- unique(unlist(lapply(sample$groups, function(group) names(group$holes))))
  holed <- intersect(sample$predictors, holes)
  two <- intersect(holed, unlist(lapply(sample$groups, `[[`, "two_valued")))
  c(if (length(sample$idle_auxiliary))
      text_of("nothing_model_is_missing", idle_auxiliary = enumerate(sample$idle_auxiliary)),
    if (length(holed))
      text_of("predictors_missing_values_now", holed = enumerate(holed),
              two = if (length(two)) text_of("these_two_values_only", two = enumerate(two),
                                             two_2 = if (length(two) == 1L) " takes" else " take")),
    many_patterns_words(sample),
    unlist(lapply(names(sample$groups), function(g) unseen_words(sample, g))))
}

# More missing patterns than make sense of: nearly each case misses something else.
many_patterns_words <- function(sample) {
  count <- sum(lengths(lapply(sample$groups, `[[`, "patterns")))
  cases <- sum(cases_by_group(sample))
  if (count <= many_patterns * cases || cases < 20) return(NULL)
  text_of("missing_patterns_among_cases", count = format_count(count), cases = format_count(cases),
          instruction = instruction("see_missing"))
}

unseen_words <- function(sample, g) {
  group <- sample$groups[[g]]
  unseen <- group$unseen
  if (NROW(unseen) == 0L) return(NULL)
  names <- group$blocks[[1L]]$variables
  pairs <- paste(names[unseen[, 2L]], "with", names[unseen[, 1L]])
  text_of("never_observed_same_case", value = in_group(sample, g),
          pairs = enumerate(pairs, most = 8L),
          pairs_2 = if (length(pairs) == 1L) "their covariance" else "these covariances",
          pairs_3 = if (length(pairs) == 1L) "it counts" else "they count")
}

sample_warnings <- function(sample) {
  thin <- unlist(lapply(names(sample$groups), function(g) {
    least <- sample$groups[[g]]$thinnest
    if (length(least$share) == 0L || least$share >= thin_coverage) return(NULL)
    text_of("only_cases_have_both", share = format_fixed(100 * least$share, 1L),
            value = in_group(sample, g), pair = enumerate(least$pair))
  }))
  clusters <- count_clusters(sample)
  c(thin, ordered_words(sample), many_left_words(sample, sample$ungrouped, sample$by),
    many_left_words(sample, sample$unclustered, sample$clusters),
    if (isTRUE(clusters < few_clusters))
      text_of("fewer_than_standard_errors", clusters = count_of(clusters, "cluster"),
              clusters_2 = sample$clusters, few_clusters = few_clusters))
}

many_left_words <- function(sample, count, column) {
  if (count <= many_left_out * sample$total_rows) return(NULL)
  text_of("have_no_value_are", count = count_of(count, "row"),
          total_rows = format_count(sample$total_rows), column = column)
}
