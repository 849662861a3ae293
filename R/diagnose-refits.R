# The leading candidates freed and fitted: real drops, real estimates, and why they differ from what
# was predicted.

# Each freed by itself; also says which lead to the same moments.
refit_leaders <- function(fit, leaders) {
  size <- length(leaders$parameter)
  out <- list(drop = rep(NA_real_, size), estimate = rep(NA_real_, size),
              equivalent = rep(NA_character_, size), explanation = rep("", size),
              status = rep(NA_character_, size), df = as.integer(leaders$df), refits = list())
  if (size == 0L) return(out)
  with <- core_with(fit, leaders)
  with$tests <- score_core(fit, with, TRUE)
  implied <- vector("list", size)
  refits <- map_with_progress(seq_len(size), function(i) refit_leader(fit, leaders, with, i),
                      text_of("head_refits"))
  out$refits <- refits
  for (i in seq_len(size)) {
    found <- refits[[i]]
    for (name in c("drop", "estimate", "explanation", "status"))
      out[[name]][i] <- found[[name]] %||% out[[name]][i]
    if (is.null(found$core)) next
    implied[[i]] <- found[c("core", "eta")]
    for (j in which(abs(out$drop[seq_len(i - 1L)] - out$drop[i]) < 1e-4)) {
      if (!is.na(out$equivalent[i]) || !same_moments(fit, implied[[i]], implied[[j]])) next
      out$equivalent[i] <- leaders$parameter[j]
    }
  }
  out
}

# The better of two optima, from where the fit stands and from our own start, as amend() takes it.
refit_leader <- function(fit, leaders, with, i) {
  lost <- list(status = "not converged", explanation = text_of("amended_model_does_not"))
  chisq <- stats::deviance(fit)
  if (length(leaders$members[[i]])) {
    found <- refit_together(fit, leaders$members[[i]])
    if (!found$ok) return(lost)
    together <- score_jointly(fit, leaders$members[[i]])$with
    freed <- freed_core(together$core, together$entry, together$constraint)
    return(list(drop = core_drop(fit, freed, found, NULL, leaders$df[i])))
  }
  core <- freed_core(with$core, with$entry[i], with$constraint[i])
  start <- core_theta(fit) + leaders$expected_change[i] * with$tests$response[, i]
  if (with$entry[i] > 0L) start <- c(start, now_at(fit, leaders, i) + leaders$full_change[i])
  found <- core_refit(fit, core, start)
  other <- core_refit(fit, core, rep(NaN, core$parameters), 4L)
  if (other$ok && (!found$ok || other$chisq < found$chisq - 1e-6)) found <- other
  if (!found$ok) return(lost)
  predicted <- leaders$modification_index[i]
  drop <- core_drop(fit, core, found, start = c(core_theta(fit), if (leaders$entry[i] > 0L ||
    with$entry[i] > 0L) now_at(fit, leaders, i)), 1L)
  far <- abs(drop - predicted) > max(0.25 * predicted, 1)
  trouble <- improper_refit(fit, core, found$eta)
  list(drop = drop,
       estimate = if (with$entry[i] > 0L) found$eta[with$entry[i]] else
         slack_at(fit, leaders$constraint[i], layout_entries(fit, found$eta)),
       status = if (length(trouble)) "improper" else "proper",
       explanation = if (length(trouble)) {
         text_of("amended_model_is_improper", trouble = enumerate(trouble, most = 2L))
       } else if (far) {
         explain_gap(fit, found, leaders, i, with$entry[i])
       },
       core = core, eta = found$eta)
}

# Describes the improper parts of a refit that the original fit does not have.
improper_refit <- function(fit, core, eta) {
  values <- layout_entries(fit, eta)
  matrices <- core_implied(core, eta)
  found <- bind_troubles(lapply(group_views(fit), function(view) {
    view$eta <- values[fit$layout$spans[[view$number]]]
    view$matrices <- matrices[[view$number]]
    view_improper(view)
  }))
  found$trouble[!found$parameter %in% improper_parts(fit)$parameter]
}

# Do two refits imply the same moments?
same_moments <- function(fit, one, other) {
  sd <- lapply(core_moments(fit), function(moments) sqrt(diag(moments$covariance)))
  moments <- lapply(list(one, other), function(x) {
    unlist(Map(function(implied, sd) {
      p <- seq_along(sd)
      c(implied$covariance[p, p] / outer(sd, sd),
        if (!fit$layout$saturated_means) implied$mean[p] / sd)
    }, core_implied(x$core, x$eta), sd))
  })
  max(abs(moments[[1L]] - moments[[2L]])) < 1e-6
}

# The value a candidate has now, whether fixed, equal or not in the model.
now_at <- function(fit, candidates, i) {
  if (candidates$entry[i] > 0L) values_of(fit)[candidates$entry[i]] else candidates$value[i]
}

# The amount by which the left side of an equality exceeds the right.
slack_at <- function(fit, constraint, eta) {
  constraint_jet(fit$layout$constraints[[constraint]], eta)$value
}

# Why reality is far from the prediction. `entry` is the candidate's number in the model that was
# refitted.
explain_gap <- function(fit, found, leaders, i, entry) {
  # an optimum of the fit itself that is better than the one it is at?
  if (entry > 0L && !leaders$change[i] %in% equality_kinds) {
    again <- core_refit(fit, fit$layout$model, found$theta[seq_len(fit$layout$model$parameters)],
                        4L)
    if (again$ok && again$chisq < stats::deviance(fit) - 1e-4) {
      return(text_of("fit_itself_was_not", chisq = format_fixed(again$chisq)))
    }
  }
  expected <- now_at(fit, leaders, i) + leaders$full_change[i]
  estimate <- if (entry > 0L) found$eta[entry] else NA
  se <- sqrt(leaders$variance[i]) / leaders$information[i]
  if (!is.na(estimate) && abs(estimate - expected) > 2 * se) {
    return(text_of("amended_model_reaches_another", estimate = format_number(estimate),
                   expected = format_number(expected)))
  }
  text_of("large_change_quadratic_prediction")
}
