# Every number in a passage comes from the results functions: a parser takes the numbers out of the
# text and looks for each among their values, at the same rounding.

measured <- read_blueprint(extdata("models/measurement.yaml"))
start <- read_blueprint(extdata("choirs-start.yaml"))
concerts <- blueprint("Calm over two concerts") |>
  repeated("Calm", times = list(Calm_first = ca1_t1:ca4_t1, Calm_second = ca1_t2:ca4_t2))

# A work as it is cited in a text.
as_cited <- function(keys) sub(" ([0-9]{4})$", ", \\1", keys)

# The text without addresses, quoted titles, names and years of the literature, version and file
# names, which contain digits that are not results.
told_numbers <- function(text, names) {
  text <- paste(text, collapse = " ")
  for (key in as_cited(reference_keys)) text <- gsub(key, "", text, fixed = TRUE)
  text <- gsub("\"[^\"]*\"|orizzonte [0-9.]+", "", text)
  text <- gsub("[a-z_]+\\[[^]]*\\]", "", gsub("\\[(?=[-.0-9])", "", text, perl = TRUE))
  text <- gsub("\\([A-Z][^()]* [0-9]{4}[^()]*\\)|[0-9]{4}\\)", "", text)
  for (name in names[order(-nchar(names))]) text <- gsub(name, "", text, fixed = TRUE)
  text <- gsub("\\b(H[0-9]+|Model [0-9]+)\\b", "", text)
  numbers <- regmatches(text, gregexpr("-?[0-9]*[.]?[0-9]+(,[0-9]{3})*", text))[[1]]
  unique(sub("^-", "", numbers))
}

# All numbers of some tables, in every rounding that texts use.
given_numbers <- function(...) {
  values <- abs(unlist(lapply(list(...), function(x) {
    if (is.data.frame(x)) unlist(lapply(unclass(x), function(v) if (is.numeric(v)) v)) else
      if (is.numeric(x)) as.numeric(x)
  })))
  values <- values[is.finite(values)]
  unique(c(format_share(values), format_share(values, 3L), format_fixed(values, 2L),
           format_fixed(values, 1L), format_fixed(values), format_number(values), format_p(values),
           format_count(values), vapply(values, short_number, ""), ".001"))
}

# Counted in the data themselves: rows with missing values, and missing values, in per cent.
missing_percentages <- function(fit) {
  x <- do.call(rbind, lapply(seq_along(fit$sample$groups), function(g) {
    is.na(as.matrix(group_data(fit$sample, g, fit$layout$observed, fit$request$missing_codes)))
  }))
  100 * c(mean(rowSums(x) > 0), mean(x))
}

variable_names <- function(fit) c(fit$layout$observed, fit$layout$constructs, fit$layout$groups)

expect_told <- function(text, given, names = character(), label) {
  told <- told_numbers(text, names)
  expect_gt(length(told), 4)
  expect_equal(setdiff(told, given), character(), info = label)
}

fit_numbers <- function(fit) {
  counts <- c(sum(cases_by_group(fit$sample)), cases_by_group(fit$sample), n_free(fit),
              length(fit$layout$constructs), length(fit$layout$observed),
              length(fit$layout$composites), length(fit$layout$groups),
              total_of(fit$sample, "with_missing"), fit$sample$total_rows,
              count_clusters(fit$sample), 90,
              length(fit$request$blueprint$claims), 95, missing_percentages(fit),
              fit$sample$total_rows - sum(cases_by_group(fit$sample)))
  limits <- unlist(unclass(criteria())[c("cfi", "tli", "rmsea", "srmr")])
  claimed <- if (has_converged(fit) && length(fit$request$blueprint$claims)) verdicts(fit)
  family <- if (!is.null(claimed))
    c(stats::p.adjust(ifelse(is.na(claimed$p_one_sided), claimed$p, claimed$p_one_sided), "holm"),
      nrow(claimed))
  indices <- if (has_converged(fit)) fit_indices(fit)
  paths <- if (has_converged(fit)) effects(fit)
  given_numbers(estimates(fit), paths, indices, r_squared(fit), claimed, family, counts, limits,
                if (length(fit$request$blueprint$trail)) trail(fit))
}

test_that("every number told of a fit is found among its readers", {
  amended <- suppressMessages(amend(quiet_fit(start, choirs), free = covariance[be1, be2],
                                    because = "both are about being greeted"))
  pressed <- quiet_fit(blueprint("Pressed") |> construct("Belonging", reflected_in = be1:be4) |>
                         construct("Calm", reflected_in = sc1:sc4) |>
                         effect(Calm ~ Belonging + years), choirs[1:80, ])
  subjects <- list(
    one = quiet_fit(measured, choirs), claims = amended,
    groups = quiet_fit(start, choirs, by = "setting"),
    robust = quiet_fit(start, choirs, inference = "robust", incomplete = "drop"),
    clusters = suppressWarnings(quiet_fit(measured, choirs, clusters = "town")),
    times = quiet_fit(hold_equal(concerts, loading, intercept, across = "times"), choirs_concerts),
    small = pressed,
    composite = quiet_fit(read_blueprint(extdata("choirs.yaml")) |>
                            construct("Resources", composed_of = c(rooms, scores, coach)) |>
                            effect(Staying ~ Resources), choirs))
  for (name in names(subjects)) {
    fit <- subjects[[name]]
    text <- methods_text(fit)
    expect_told(as.character(text), fit_numbers(fit), variable_names(fit), name)
    expect_true(all(vapply(text$references, nchar, 0L) > 40))
  }
})

test_that("what is improper or has not converged is said and not interpreted", {
  improper <- suppressWarnings(quiet_fit(
    blueprint("Heywood") |> construct("A", reflected_in = wa1:wa4) |>
      construct("C", reflected_in = cl1:cl3), choirs_troubled, missing_codes = -9))
  text <- as.character(methods_text(improper))
  expect_match(text, "improper", all = FALSE)
  expect_no_match(paste(text, collapse = " "), "Standardized loadings")
  expect_told(text, fit_numbers(improper), variable_names(improper), "improper")
  stuck <- improper
  stuck$solution$status <- 1L
  stuck <- stamped(stuck)
  text <- paste(as.character(methods_text(stuck)), collapse = " ")
  expect_match(text, text_pattern("model_did_not_converge"))
  expect_no_match(text, "CFI")
})

test_that("ladders, comparisons, measures and bootstraps are told with their own numbers", {
  ladder <- suppressMessages(invariance(measured, choirs, by = "setting"))
  loose <- loosen(ladder, "metric", until = "p")
  over <- suppressMessages(invariance(concerts, choirs_concerts))
  for (x in list(ladder, loose, over, loosen(over, "scalar"))) {
    inner <- if (inherits(x, "orizzonte_loosened")) x$ladder else x
    first <- inner$fits[[1]]
    released <- if (inherits(x, "orizzonte_loosened")) x$released
    p <- if (!is.null(released)) difference_p(released$actual_drop, 1)
    details <- unlist(lapply(inner$details, function(d) {
      c(d$p_holm, d$expected_change_std, nrow(d))
    }))
    limits <- c(unlist(inner$limits),
                unlist(unclass(criteria())[c("cfi", "rmsea", "significance")]),
                large_difference * criteria()$smallest)
    given <- c(fit_numbers(first), given_numbers(
      as.data.frame(inner), latent_means(inner), released, p, stats::p.adjust(p, "holm"),
      details, limits, length(unique(released$step))))
    expect_told(as.character(methods_text(x)), given, variable_names(first), "ladder")
  }
  fit <- quiet_fit(start, choirs)
  other <- suppressMessages(amend(fit, free = covariance[be1, be2], because = "alike"))
  compared <- compare_models(fit, other)
  expect_told(as.character(methods_text(compared)), given_numbers(as.data.frame(compared),
                                                                  abs(compared$df_change)),
              c("fit", "other"), "comparison")
  quality <- construct_quality(fit)
  expect_told(as.character(methods_text(quality)),
              given_numbers(quality$table, quality$pairs, quality$loadings, quality$left_out,
                            unlist(unclass(criteria())[c("loading", "ave", "reliability", "htmt")]),
                            95, quality$pairs$correlation^2),
              variable_names(fit), "quality")
  boot <- bootstrap_fit(fit, 20, seed = 3, interval = "percentile")
  expect_told(as.character(methods_text(boot)),
              c(given_numbers(as.data.frame(boot)), "20", "3", "95"), variable_names(fit),
              "bootstrap")
  halves <- split_data(choirs)
  first <- quiet_fit(start, halves$explore)
  amended <- suppressMessages(amend(first, free = covariance[be1, be2], because = "alike"))
  checked <- confirm(amended, halves$confirm)
  text <- as.character(methods_text(checked))
  expect_told(text, given_numbers(checked$indices, checked$difference, checked$parameters),
              variable_names(first), "confirmation")
  expect_match(text, "the residual covariance of be1 and be2", fixed = TRUE)
  expect_no_match(text, "[", fixed = TRUE)
  planned <- suppressMessages(plan_study(
    blueprint("Plan") |> construct("Calm", reflected_in = sc1:sc4) |> effect(st1 ~ Calm),
    n = c(60, 120), truth = c("loading[ , ]" = .7, "effect[ , ]" = .3), reps = 20, seed = 2))
  text <- as.character(methods_text(planned))
  expect_told(text, given_numbers(planned$parameters, planned$sizes, 20, 2, 95, 1, planned$goal,
                                  planned$significance, .5 / sqrt(20)),
              c("Calm", "st1", "sc1", "sc2", "sc3", "sc4"), "plan")
  reached <- with(planned$parameters, n[grepl("^effect", parameter) & power >= planned$goal])
  expect_match(text, if (length(reached)) paste("sample of", min(reached), "was") else
    text_pattern("goal_not_reached", goal = ".80"))
  all <- methods_text(list(fit, quality))
  expect_equal(all$paragraphs, c(methods_text(fit)$paragraphs, methods_text(quality)$paragraphs))
  expect_error(methods_text(3), "needs a fit", class = "orizzonte_error_input")
  expect_error(methods_text(list(fit, 3)), class = "orizzonte_error_input")
})

test_that("parameters are named in words, indirect effects have intervals, codes are stated", {
  words <- function(text) addresses_in_words(text, c("be1", "be2", "odd`] name"))
  expect_identical(
    words(c("loading[Calm, sc2 | weekend]", "covariance[be1, be2]", "covariance[A, B] == 0",
            "variance[be1]", "variance[A]", "loading[A, `odd\\`] name`]", "loading[Calm, ]",
            "standardized(effect[A, B]) > 0.1", "no label", "covariance[items]")),
    c("loading of sc2 on Calm in the weekend group", "residual covariance of be1 and be2",
      "covariance of A and B = 0", "residual variance of be1", "variance of A",
      "loading of odd`] name on A", "loading[Calm, ]", "standardized effect of A on B > 0.1",
      "no label", "covariance[items]"))
  expect_identical(words("loading[A, `my item`]"), "loading of my item on A")
  bp <- blueprint("Mediation") |> construct("Calm", reflected_in = sc1:sc4) |>
    effect(Calm ~ years) |> effect(be1 ~ Calm)
  x <- choirs
  x$be1[1:9] <- -9
  fit <- quiet_fit(bp, x, missing_codes = -9)
  text <- paste(as.character(methods_text(fit)), collapse = " ")
  used <- x[c("sc1", "sc2", "sc3", "sc4", "be1", "years")]
  used[used == -9] <- NA
  share <- function(v) paste0(format_fixed(100 * v, 1L), "%")
  expect_match(text, text_pattern("cases_had_missing_values", codes = ", coded -9 in the data",
                                  share = share(mean(rowSums(is.na(used)) > 0)),
                                  cells = share(mean(is.na(used)))))
  complete <- sum(stats::complete.cases(used))
  dropped <- methods_text(quiet_fit(bp, x, missing_codes = -9, incomplete = "drop"))
  expect_match(paste(as.character(dropped), collapse = " "),
               text_pattern("cases_were_excluded",
                            cases = paste(nrow(used) - complete, "incomplete cases")))
  helped <- quiet_fit(bp, x, missing_codes = -9, auxiliary = "rooms")
  expect_match(paste(as.character(methods_text(helped)), collapse = " "),
               "The auxiliary variable rooms was included")
  indirect <- subset(effects(fit), kind == "indirect")
  expect_match(text, fixed = TRUE, paste0("95% CI ", interval_text(indirect$lower,
                                                                   indirect$upper)))
  expect_no_match(text, "[a-z]\\[[A-Za-z]")
  changed <- suppressMessages(amend(fit, omit = "sc4", because = "it is another matter"))
  expect_match(paste(as.character(methods_text(changed)), collapse = " "),
               text_pattern("was_removed", name = "sc4"))
})

test_that("only what was judged is said to meet criteria", {
  parts <- quiet_fit(read_blueprint(extdata("models/bifactor.yaml")), choirs_bifactor)
  quality <- construct_quality(parts, leave_out = "none")
  expect_identical(quality_conclusion(quality),
                   text_of("judged_constructs_meet", constructs = "General", count = 1))
  text <- paste(as.character(methods_text(quality)), collapse = " ")
  expect_match(text, text_pattern("parts_are_reported_apart", parts = "Ear, Voice and Score"))
  expect_no_match(text, text_pattern("no_construct_falls_short"))
  split <- as.character(methods_text(variance_split(parts)))
  expect_match(split, variance_split(parts)$reading[1], fixed = TRUE)
  test <- bootstrap_test(quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be4),
                                   choirs), reps = 20, seed = 1)
  expect_match(as.character(methods_text(test)),
               text_pattern("bootstrap_test_result", p = p_clause(test$p_bootstrap)))
  improper <- suppressWarnings(quiet_fit(
    blueprint("Heywood") |> construct("A", reflected_in = wa1:wa4) |>
      construct("C", reflected_in = cl1:cl3), choirs_troubled, missing_codes = -9))
  unjudged <- suppressWarnings(construct_quality(improper, leave_out = "none"))
  expect_null(quality_conclusion(unjudged))
  expect_no_match(paste(as.character(methods_text(unjudged)), collapse = " "),
                  text_pattern("no_construct_falls_short"))
})

test_that("references are those that the text cites, whatever words the user has in it", {
  keys_of <- function(text) {
    reference_keys[references_by_key() %in% gsub("\u2013", "-", text$references)]
  }
  written <- function(text) {
    reference_keys[vapply(as_cited(reference_keys), grepl, NA,
                          paste(text$paragraphs, collapse = " "), fixed = TRUE)]
  }
  fit <- quiet_fit(start, choirs)
  ladder <- suppressMessages(invariance(measured, choirs, by = "setting",
                                        rungs = c("metric", "scalar")))
  loosened <- suppressMessages(loosen(ladder, "metric"))
  clustered <- suppressWarnings(
    quiet_fit(measured, transform(choirs, choir = rep_len(1:40, nrow(choirs))),
              clusters = "choir"))
  for (x in list(fit, ladder, loosened, clustered, construct_quality(fit, leave_out = "none"),
                 quiet_fit(measured, choirs[1:300, ], inference = "robust", incomplete = "drop"))) {
    text <- methods_text(x)
    expect_setequal(keys_of(text), written(text))
    expect_gt(length(text$references), 0)
  }
  planted <- "as S\u00f6rbom 1974 and Graham 2003 had it"
  amended <- suppressMessages(amend(fit, free = "covariance[be1, be2]", because = planted))
  text <- methods_text(amended)
  expect_true(any(grepl(planted, text$paragraphs, fixed = TRUE)))
  expect_false(any(c("S\u00f6rbom 1974", "Graham 2003") %in% keys_of(text)))
  expect_error(cite("Nobody 2026"))
})
