# An equality held across more than two groups may be released in all of them at once: G - 1 degrees
# of freedom.

# The rows of all groups of each held address, tested together (Rao 1948), as candidates of their
# own. `members` are their numbers among the offered ones, less the first, whose value goes on being
# the common parameter.
joint_equalities <- function(fit, offered, criteria) {
  if (length(fit$layout$groups) < 3L) return(NULL)
  rows <- which(offered$change == held_changes[["groups"]])
  address <- without_group(offered$parameter[rows])
  rows <- rows[address %in% address[duplicated(address)]]
  if (length(rows) == 0L) return(NULL)
  each <- lapply(offered, function(x) x[rows])
  tests <- score_jointly(fit, each)$core
  address <- without_group(each$parameter)
  sets <- split(seq_along(rows), factor(address, levels = unique(address)))
  found <- lapply(sets, function(set) joint_of(tests, set))
  df <- vapply(found, `[[`, 0L, "df")
  index <- vapply(found, `[[`, 0, "statistic")
  significant <- index > stats::qchisq(1 - criteria$significance, pmax(df, 1L))
  of <- function(column, how) {
    vapply(sets, function(set) how(each[[column]][set]), NA, USE.NAMES = FALSE)
  }
  large <- of("expected_change_std", function(x) any(abs(x) >= criteria$smallest, na.rm = TRUE))
  strong <- of("verdict", function(x) all(x %in% c("negligible", "not_misspecified")))
  first <- vapply(sets, `[[`, 0L, 1L)
  out <- lapply(each, function(x) x[first])
  size <- length(sets)
  blank <- rep(NA_real_, size)
  kept <- df > 0L
  columns <- utils::modifyList(out, list(
    parameter = names(sets), group = rep(NA_character_, size),
    change = rep("equality of all groups", size), modification_index = unname(index),
    deflation = unname(index / vapply(found, `[[`, 0, "plain")), df = unname(df),
    p = stats::pchisq(unname(index), pmax(df, 1L), lower.tail = FALSE),
    expected_change = blank, expected_change_std = blank,
    full_change = blank, power = blank,
    verdict = rule_change(significant, large, strong),
    members = unname(lapply(sets, function(set) lapply(each, function(x) x[set[-1L]])))))
  lapply(columns, function(x) x[kept])
}

# Several candidates freed and fitted together, from where the fit stands.
refit_together <- function(fit, candidates, tested = score_jointly(fit, candidates)) {
  change <- joint_of(tested$core)$change
  core <- freed_core(tested$with$core, tested$with$entry, tested$with$constraint)
  moving <- which(tested$with$entry > 0L)
  start <- c(core_theta(fit) + drop(tested$core$response %*% change),
             vapply(moving, function(i) {
               now_at(fit, candidates, i) +
               change[i] * tested$core$kept[i]
             }, 0))
  found <- core_refit(fit, core, start)
  if (found$ok) found else core_refit(fit, core, numeric(), 4L)
}
