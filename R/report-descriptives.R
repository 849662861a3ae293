# What the data look like, as far as the model has to do with them.

descriptive_parts <- function(fit) {
  views <- group_views(fit)
  by <- lapply(views, function(view) {
    list(report_table(descriptive_columns(view), code = "variable",
                      caption = text_of("descriptive_statistics")),
         report_fold(text_of("head_correlations"),
                     report_table(correlation_columns(view), code = "variable",
                                                  caption = text_of("correlations_as_observed"),
                                                  note = correlation_note(fit))))
  })
  report_section(text_of("the_data"), report_tabs(by))
}

# n, mean, standard deviation (n - 1), and from single cases range, skewness and excess kurtosis.
descriptive_columns <- function(view) {
  fit <- view$fit
  variables <- view$layout$observed
  words <- all_wordings(fit)
  out <- list(variable = variables)
  if (has_raw_data(fit$sample)) {
    x <- group_data(fit$sample, view$number, variables, fit$request$missing_codes)
    x <- x[view$sample$rows %in% view$sample$used, , drop = FALSE]
    out <- c(out, raw_columns(x))
  } else {
    moments <- observed_moments(view)
    n <- view$moments$n
    out$n <- rep(format_count(n), length(variables))
    if (!is.null(moments$mean)) out$mean <- format_fixed(moments$mean[variables], 2L)
    out$sd <- format_fixed(sqrt(diag(moments$covariance)[variables] * n / (n - 1)), 2L)
  }
  if (any(variables %in% names(words)))
    out$wording <- ifelse(variables %in% names(words), words[variables], "")
  out
}

raw_columns <- function(x) {
  moment <- function(v, k) mean((v - mean(v))^k)
  each <- function(f) {
    apply(x, 2L, function(v) {
      v <- v[!is.na(v)]
      if (length(v) < 2L) NA_real_ else f(v)
    })
  }
  list(n = format_count(colSums(!is.na(x))), missing = format_count(colSums(is.na(x))),
       mean = format_fixed(each(mean), 2L), sd = format_fixed(each(stats::sd), 2L),
       min = format_short(each(min)), max = format_short(each(max)),
       skew = format_fixed(each(function(v) moment(v, 3L) / moment(v, 2L)^1.5), 2L),
       kurtosis = format_fixed(each(function(v) moment(v, 4L) / moment(v, 2L)^2 - 3), 2L))
}

# Four figures, and no zeros that say nothing.
format_short <- function(x) {
  ifelse(is.na(x), "", vapply(x, function(v) formatC(v, digits = 4L, format = "fg"), ""))
}

# The lower triangle; columns go by number, as the rows do.
correlation_columns <- function(view) {
  covariance <- observed_moments(view)$covariance
  sd <- sqrt(diag(covariance))
  r <- covariance / outer(sd, sd)
  text <- matrix(format_share(r), nrow(r))
  text[upper.tri(text, diag = TRUE)] <- ""
  names <- rownames(covariance)
  columns <- lapply(seq_len(ncol(text) - 1L), function(k) text[, k])
  c(list(` ` = as.character(seq_along(names)), variable = names),
    stats::setNames(columns, as.character(seq_along(columns))))
}

correlation_note <- function(fit) {
  if (is_incomplete(fit$sample))
    text_of("from_moments_casewise_maximum")
}
