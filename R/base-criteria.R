# All cut-offs in one object.

#' Criteria: every cut-off in one value
#'
#' Cut-offs for good and acceptable fit, significance levels, and the smallest effect size of
#' interest. Functions that judge results accept it as `criteria =`. Criteria that are not given
#' keep their defaults. Printing it shows every criterion with its source. They are conventions, not
#' laws.
#'
#' @param significance Level of every test.
#' @param power The power required for a verdict: a result that is not significant is interpreted
#'   only if a change that matters would have been detected with this probability.
#' @param smallest The smallest change that matters, standardized: a loading, an effect, a
#'   correlation of residuals; also the largest value that still counts as none in [verdicts()].
#' @param p,chisq_per_df,cfi,tli,nfi,rfi,ifi,rmsea,p_close_fit,srmr,gfi,agfi,critical_n Two numbers,
#'   from which on an index is good and from which on acceptable; see [fit_indices()].
#' @param loading,reliability,ave,htmt The same for standardized loadings, of omega and alpha, of
#'   the average variance extracted and of the heterotrait-monotrait ratio (from where on *down* it
#'   is good, acceptable); see [construct_quality()].
#' @param cfi_change,rmsea_change,srmr_change The largest change for the worse at which a rung of a
#'   ladder holds, one number for every rung. When `NULL`, the conventions: .010 (CFI), .015
#'   (RMSEA), .030 on metric rungs and .010 later (SRMR); with ten groups or more .020 (CFI) and
#'   .030 (RMSEA) on metric rungs.
#' @param p_change The level below which the *p* of \eqn{\Delta\chi^2} breaks a rung. When `NULL`,
#'   it does not count.
#' @param ... Not used. Every criterion must be given by its full name.
#' @return A list of class `orizzonte_criteria`, one element per criterion. `as.data.frame()` gives
#'   one row per criterion: `criterion`, `value` (the cut-off for good fit), `acceptable`, `source`.
#' @section Sources: Hu & Bentler (1999): CFI, TLI, RMSEA, SRMR. Browne & Cudeck (1993): RMSEA,
#'   close fit. Jöreskog & Sörbom (1981): GFI, AGFI. Wheaton, Muthén, Alwin & Summers (1977),
#'   Carmines & McIver (1981): \eqn{\chi^2}/df. Hoelter (1983): critical N. Saris, Satorra & van der
#'   Veld (2009): power and smallest change. Nunnally (1978): reliability. Fornell & Larcker (1981):
#'   loading, AVE. Henseler, Ringle & Sarstedt (2015): HTMT. Cheung & Rensvold (2002), Chen (2007),
#'   Rutkowski & Svetina (2014): changes.
#' @section Errors: `orizzonte_error_input` for a criterion that is unknown (the nearest is named),
#'   of the wrong length or range, or whose two tiers are in the wrong order.
#' @seealso [read_criteria()] reads them from a file.
#' @references
#' Browne, M. W., & Cudeck, R. (1993). Alternative ways of assessing model fit. In K. A. Bollen &
#' J. S. Long (Eds.), *Testing structural equation models* (pp. 136--162). Sage.
#'
#' Carmines, E. G., & McIver, J. P. (1981). Analyzing models with unobserved variables: Analysis of
#' covariance structures. In G. W. Bohrnstedt & E. F. Borgatta (Eds.), *Social measurement:
#' Current issues* (pp. 65--115). Sage.
#'
#' Chen, F. F. (2007). Sensitivity of goodness of fit indexes to lack of measurement invariance.
#' *Structural Equation Modeling, 14*(3), 464--504.
#'
#' Cheung, G. W., & Rensvold, R. B. (2002). Evaluating goodness-of-fit indexes for testing
#' measurement invariance. *Structural Equation Modeling, 9*(2), 233--255.
#'
#' Fornell, C., & Larcker, D. F. (1981). Evaluating structural equation models with unobservable
#' variables and measurement error. *Journal of Marketing Research, 18*(1), 39--50.
#'
#' Henseler, J., Ringle, C. M., & Sarstedt, M. (2015). A new criterion for assessing discriminant
#' validity in variance-based structural equation modeling. *Journal of the Academy of Marketing
#' Science, 43*(1), 115--135.
#'
#' Hoelter, J. W. (1983). The analysis of covariance structures: Goodness-of-fit indices.
#' *Sociological Methods & Research, 11*(3), 325--344.
#'
#' Hu, L., & Bentler, P. M. (1999). Cutoff criteria for fit indexes in covariance structure
#' analysis: Conventional criteria versus new alternatives. *Structural Equation Modeling, 6*(1),
#' 1--55.
#'
#' Nunnally, J. C. (1978). *Psychometric theory* (2nd ed.). McGraw-Hill.
#'
#' Rutkowski, L., & Svetina, D. (2014). Assessing the hypothesis of measurement invariance in the
#' context of large-scale international surveys. *Educational and Psychological Measurement,
#' 74*(1), 31--57.
#'
#' Wheaton, B., Muthén, B., Alwin, D. F., & Summers, G. F. (1977). Assessing reliability and
#' stability in panel models. *Sociological Methodology, 8*, 84--136.
#' @examples
#' criteria()
#' strict <- criteria(cfi = c(.97, .95), smallest = .2)
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit_indices(suppressMessages(fit_model(bp, choirs)), criteria = strict)
#' @export
criteria <- function(..., significance = 0.05, power = 0.75, smallest = 0.1, p = c(0.05, 0.01),
                     chisq_per_df = c(2, 3), cfi = c(0.95, 0.90), tli = c(0.95, 0.90),
                     nfi = c(0.95, 0.90), rfi = c(0.95, 0.90), ifi = c(0.95, 0.90),
                     rmsea = c(0.06, 0.08), p_close_fit = c(0.05, 0.01), srmr = c(0.08, 0.10),
                     gfi = c(0.95, 0.90), agfi = c(0.90, 0.85), critical_n = c(200, 75),
                     loading = c(0.70, 0.40), reliability = c(0.80, 0.70), ave = c(0.50, 0.40),
                     htmt = c(0.85, 0.90),
                     cfi_change = NULL, rmsea_change = NULL, srmr_change = NULL, p_change = NULL) {
  check_arguments("criteria", dots = TRUE)
  refuse_unknown_criteria(names(list(...)) %||% rep("", ...length()))
  out <- mget(criterion_names)
  check_fraction <- function(name) {
    check_number(out[[name]], paste0("`", name, "`"), .Machine$double.xmin, 1)
  }
  for (name in c("significance", "power")) check_fraction(name)
  check_number(smallest, "`smallest`", .Machine$double.xmin, .Machine$double.xmax)
  for (name in tiered_criteria) out[[name]] <- check_tiers(out[[name]], name)
  for (name in Filter(function(name) !is.null(out[[name]]), change_criteria)) check_fraction(name)
  structure(out, class = "orizzonte_criteria")
}

index_criteria <- c("p", "chisq_per_df", "cfi", "tli", "nfi", "rfi", "ifi", "rmsea", "p_close_fit",
                    "srmr", "gfi", "agfi", "critical_n")
measure_criteria <- c("loading", "reliability", "ave", "htmt")
tiered_criteria <- c(index_criteria, measure_criteria)
change_criteria <- c("cfi_change", "rmsea_change", "srmr_change", "p_change")
criterion_names <- c("significance", "power", "smallest", tiered_criteria, change_criteria)

# Do larger values indicate better fit?
higher_is_better <- function(name) !name %in% c("chisq_per_df", "rmsea", "srmr", "htmt")

refuse_unknown_criteria <- function(names) {
  unknown <- setdiff(names, criterion_names)
  if (length(unknown) == 0L) return(invisible())
  if (!nzchar(unknown[1L]))
    abort("input", text_of("every_criterion_needs_name"))
  abort("input", c(text_of("there_is_no_criterion", unknown = quoted(unknown[1L])),
                   did_you_mean(unknown[1L], criterion_names),
                   i = paste0("Criteria: ", enumerate(criterion_names, most = 30L), ".")))
}

check_tiers <- function(tiers, name) {
  if (!is.numeric(tiers) || length(tiers) != 2L || anyNA(tiers)) {
    abort("input",
          c(text_of("must_be_two_numbers", name = name),
            x = text_of("it_is_of_kind", value = if (is.numeric(tiers) && length(tiers) <= 10L)
              paste(format(tiers), collapse = ", ") else describe(tiers)),
            i = text_of("such_c", name = name,
                        name_2 = paste(vapply(eval(formals(criteria)[[name]]), short_number, ""),
                             collapse = ", "))))
  }
  if (setequal(names(tiers), c("good", "acceptable"))) tiers <- tiers[c("good", "acceptable")]
  tiers <- unname(tiers)
  most <- if (name %in% c("chisq_per_df", "critical_n")) .Machine$double.xmax else 1
  if (any(tiers < 0 | tiers > most)) {
    abort("input", c(text_of("tiers_are_out_range", name = name),
                     x = text_of("they_are", tiers = paste(format(tiers), collapse = " and "))))
  }
  wrong <- if (higher_is_better(name)) tiers[1L] < tiers[2L] else tiers[1L] > tiers[2L]
  if (wrong)
    abort("input",
          text_of("tiers_are_wrong_order", name = name))
  tiers
}

check_criteria <- function(x) {
  if (is.null(x)) return(criteria())
  if (inherits(x, "orizzonte_criteria") && identical(names(x), criterion_names)) return(x)
  abort("input",
        c(text_of("criteria_must_come_from"), x = text_of("it_is_of_kind", value = describe(x)),
                   i = text_of("such_criteria_criteria_cfi")))
}

# The largest change for the worse on a rung: Cheung & Rensvold (2002), Chen (2007); Rutkowski &
# Svetina (2014) with many groups.
change_limits <- function(criteria, metric, groups) {
  many <- metric && groups >= 10L
  c(cfi = criteria$cfi_change %||% if (many) 0.020 else 0.010,
    rmsea = criteria$rmsea_change %||% if (many) 0.030 else 0.015,
    srmr = criteria$srmr_change %||% if (metric) 0.030 else 0.010, p = criteria$p_change)
}

# Criteria of change as they are written: CFI, RMSEA, SRMR, p. A vector of sets of codes.
index_names_of <- function(sets) {
  vapply(sets, function(set) paste(words_of("change_of", codes_in(set)), collapse = ", "), "",
         USE.NAMES = FALSE)
}

# The criteria of change that one model exceeds against another.
broken_criteria <- function(changes, limits) {
  worse <- c(cfi = -changes$cfi_change, rmsea = changes$rmsea_change, srmr = changes$srmr_change)
  broken <- names(worse)[!is.na(worse) & worse > limits[names(worse)] + 1e-12]
  c(broken, if ("p" %in% names(limits) && isTRUE(changes$p_change < limits[["p"]])) "p")
}

# The broken criteria by row, for models that are more restricted than the model before them.
broken_by <- function(columns, criteria) {
  limits <- change_limits(criteria, metric = FALSE, groups = 1L)
  vapply(seq_along(columns$df_change), function(k) {
    if (!isTRUE(columns$df_change[k] > 0)) return("")
    changes <- lapply(columns[paste0(c("cfi", "rmsea", "srmr", "p"), "_change")], `[`, k)
    set_of(broken_criteria(changes, limits))
  }, "")
}

criterion_sources <- c(
  significance = "convention", power = "Saris, Satorra & van der Veld 2009",
  smallest = "Saris, Satorra & van der Veld 2009",
  p = "convention", chisq_per_df = "Wheaton et al. 1977; Carmines & McIver 1981",
  cfi = "Hu & Bentler 1999", tli = "Hu & Bentler 1999",
  nfi = "as CFI", rfi = "as CFI", ifi = "as CFI", rmsea = "Hu & Bentler 1999; Browne & Cudeck 1993",
  p_close_fit = "Browne & Cudeck 1993", srmr = "Hu & Bentler 1999",
  gfi = "J\u00f6reskog & S\u00f6rbom 1981", agfi = "J\u00f6reskog & S\u00f6rbom 1981",
  critical_n = "Hoelter 1983", loading = "Fornell & Larcker 1981; convention",
  reliability = "Nunnally 1978", ave = "Fornell & Larcker 1981; convention",
  htmt = "Henseler, Ringle & Sarstedt 2015",
  cfi_change = "Cheung & Rensvold 2002; Rutkowski & Svetina 2014",
  rmsea_change = "Chen 2007; Rutkowski & Svetina 2014", srmr_change = "Chen 2007",
  p_change = "the likelihood-ratio test")

unset_changes <- c(cfi_change = ".010 (metric, 10 groups or more: .020)",
                   rmsea_change = ".015 (metric, 10 groups or more: .030)",
                   srmr_change = ".010 (metric: .030)", p_change = "does not count")

#' @export
as.data.frame.orizzonte_criteria <- function(x, ...) {
  x <- check_criteria(x)
  tier <- function(k) {
    vapply(criterion_names, function(name) {
      if (length(x[[name]]) >= k) x[[name]][[k]] else NA_real_
    }, 0, USE.NAMES = FALSE)
  }
  list_frame(list(criterion = criterion_names, value = tier(1L), acceptable = tier(2L),
                  source = criterion_source(x)))
}

# The source of each criterion; "given" when it is not the default.
criterion_source <- function(x) {
  changed <- !mapply(identical, unclass(x), unclass(criteria()))
  unname(ifelse(changed, "given", criterion_sources[criterion_names]))
}

#' @export
print.orizzonte_criteria <- function(x, ...) {
  x <- check_criteria(x)
  first <- vapply(criterion_names, function(name) {
    if (is.null(x[[name]])) unset_changes[[name]] else if (name %in% tiered_criteria)
      format_tier(x, name, 1L) else short_number(x[[name]])
  }, "")
  second <- vapply(criterion_names, function(name) {
    if (name %in% tiered_criteria) format_tier(x,
    name, 2L) else ""
  }, "")
  source <- criterion_source(x)
  shown <- function(title, names) {
    at <- match(names, criterion_names)
    two <- if (all(nzchar(second[at]))) list(good = first[at], acceptable = second[at]) else
      list(value = first[at])
    put_lines("", title,
              format_table(c(list(criterion = names), two, list(source = source[at])),
                           rep(FALSE, length(two) + 2L)))
  }
  put_lines(heading(text_of("head_criteria")), text_of("conventions_not_laws"))
  shown("Tests", criterion_names[1:3])
  shown("Fit indices", index_criteria)
  shown("Measures", measure_criteria)
  shown(text_of("largest_change_worse_which"), change_criteria)
  put_lines("", text_of("next_criteria_cfi_c"))
  invisible(x)
}

format_tier <- function(criteria, name, tier) {
  paste(if (higher_is_better(name)) ">=" else "<=", short_number(criteria[[name]][tier]))
}

#' Read criteria from a file
#'
#' A YAML file with the keys of [criteria()], such as `cfi: [.96, .92]` and `smallest: .2`. Criteria
#' that the file does not name keep their defaults.
#'
#' @param file Path of the YAML file.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object from [criteria()].
#' @section Errors: `orizzonte_error_file` if the file cannot be read or contains values that are
#' not numbers; `orizzonte_error_input` for an unknown criterion (the nearest is named) and as
#'   [criteria()].
#' @seealso [criteria()].
#' @examples
#' file <- tempfile(fileext = ".yaml")
#' writeLines(c("cfi: [.96, .92]", "smallest: .2"), file)
#' read_criteria(file)
#' @export
read_criteria <- function(file, ...) {
  check_arguments("read_criteria")
  content <- read_yaml_file(file)
  if (!is.list(content) || is.null(names(content))) {
    abort("file", c(text_of("is_not_file_criteria", file = quoted(file)),
                    i = text_of("holds_lines_such_cfi")))
  }
  refuse_unknown_criteria(names(content))
  do.call(criteria, Map(criterion_numbers, content, names(content), file))
}

criterion_numbers <- function(value, name, file) {
  out <- suppressWarnings(as.numeric(unlist(value)))
  if (length(out) && !anyNA(out)) return(out)
  abort("file", c(text_of("must_be_numbers", file = quoted(file), name = name),
                  i = text_of("example_criteria_in_file")))
}
