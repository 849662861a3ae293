# The literature that texts and reports cite, by author and year.

references_by_key <- function() c(references_a_to_m(), references_m_to_z())

references_a_to_m <- function() {
  c(
    paste0("Arbuckle, J. L. (1996). Full information estimation in the presence of incomplete ",
           "data. In G. A. Marcoulides & R. E. Schumacker (Eds.), Advanced structural equation ",
           "modeling (pp. 243-277). Erlbaum."),
    paste0("Asparouhov, T., & Muth\u00e9n, B. (2014). Multiple-group factor analysis alignment. ",
           "Structural Equation Modeling, 21(4), 495-508."),
    paste0("Bollen, K. A., & Stine, R. A. (1992). Bootstrapping goodness-of-fit measures in ",
           "structural equation models. Sociological Methods & Research, 21(2), 205-229."),
    paste0("Browne, M. W., & Cudeck, R. (1993). Alternative ways of assessing model fit. In K. ",
           "A. Bollen & J. S. Long (Eds.), Testing structural equation models (pp. 136-162). ",
           "Sage."),
    paste0("Chen, F. F. (2007). Sensitivity of goodness of fit indexes to lack of measurement ",
           "invariance. Structural Equation Modeling, 14(3), 464-504."),
    paste0("Cheung, G. W., & Rensvold, R. B. (2002). Evaluating goodness-of-fit indexes for ",
           "testing measurement invariance. Structural Equation Modeling, 9(2), 233-255."),
    paste0("Cronbach, L. J. (1951). Coefficient alpha and the internal structure of tests. ",
           "Psychometrika, 16(3), 297-334."),
    paste0("Cudeck, R., & Browne, M. W. (1983). Cross-validation of covariance structures. ",
           "Multivariate Behavioral Research, 18(2), 147-167."),
    paste0("Efron, B. (1987). Better bootstrap confidence intervals. Journal of the American ",
           "Statistical Association, 82(397), 171-185."),
    paste0("Fornell, C., & Larcker, D. F. (1981). Evaluating structural equation models with ",
           "unobservable variables and measurement error. Journal of Marketing Research, 18(1), ",
           "39-50."),
    paste0("Graham, J. W. (2003). Adding missing-data-relevant variables to FIML-based ",
           "structural equation models. Structural Equation Modeling, 10(1), 80-100."),
    paste0("Haberman, S. J. (2008). When can subscores have value? Journal of Educational and ",
           "Behavioral Statistics, 33(2), 204-229."),
    paste0("Henseler, J., Ringle, C. M., & Sarstedt, M. (2015). A new criterion for assessing ",
           "discriminant validity in variance-based structural equation modeling. Journal of the ",
           "Academy of Marketing Science, 43(1), 115-135."),
    paste0("Holm, S. (1979). A simple sequentially rejective multiple test procedure. ",
           "Scandinavian Journal of Statistics, 6(2), 65-70."),
    paste0("Hu, L., & Bentler, P. M. (1999). Cutoff criteria for fit indexes in covariance ",
           "structure analysis: Conventional criteria versus new alternatives. Structural ",
           "Equation Modeling, 6(1), 1-55."),
    paste0("J\u00f6reskog, K. G. (1971). Simultaneous factor analysis in several populations. ",
           "Psychometrika, 36(4), 409-426."),
    paste0("MacCallum, R. C., Wegener, D. T., Uchino, B. N., & Fabrigar, L. R. (1993). The ",
           "problem of equivalent models in applications of covariance structure analysis. ",
           "Psychological Bulletin, 114(1), 185-199."),
    "McDonald, R. P. (1999). Test theory: A unified treatment. Erlbaum."
  )
}

references_m_to_z <- function() {
  c(
    paste0("Meredith, W. (1993). Measurement invariance, factor analysis and factorial ",
           "invariance. Psychometrika, 58(4), 525-543."),
    paste0("Merkle, E. C., Fan, J., & Zeileis, A. (2014). Testing for measurement invariance with ",
           "respect to an ordinal variable. Psychometrika, 79(4), 569-584."),
    paste0("Merkle, E. C., & Zeileis, A. (2013). Tests of measurement invariance without ",
           "subgroups: A generalization of classical methods. Psychometrika, 78(1), 59-82."),
    paste0("Muth\u00e9n, B., & Asparouhov, T. (2014). IRT studies of many groups: The alignment ",
           "method. Frontiers in Psychology, 5, 978."),
    paste0("Muth\u00e9n, L. K., & Muth\u00e9n, B. O. (2002). How to use a Monte Carlo study to ",
           "decide on sample size and determine power. Structural Equation Modeling, 9(4), ",
           "599-620."),
    paste0("Neyman, J. (1959). Optimal asymptotic tests of composite statistical hypotheses. In ",
           "U. Grenander (Ed.), Probability and statistics (pp. 213-234). Wiley."),
    paste0("Reise, S. P. (2012). The rediscovery of bifactor measurement models. Multivariate ",
           "Behavioral Research, 47(5), 667-696."),
    paste0("Satorra, A., & Bentler, P. M. (1994). Corrections to test statistics and standard ",
           "errors in covariance structure analysis. In A. von Eye & C. C. Clogg (Eds.), Latent ",
           "variables analysis (pp. 399-419). Sage."),
    paste0("Satorra, A., & Bentler, P. M. (2001). A scaled difference chi-square test statistic ",
           "for moment structure analysis. Psychometrika, 66(4), 507-514."),
    paste0("Sobel, M. E. (1982). Asymptotic confidence intervals for indirect effects in ",
           "structural equation models. Sociological Methodology, 13, 290-312."),
    paste0("S\u00f6rbom, D. (1974). A general method for studying differences in factor means ",
           "and factor structure between groups. British Journal of Mathematical and Statistical ",
           "Psychology, 27(2), 229-239."),
    paste0("Swain, A. J. (1975). Analysis of parametric structures for variance matrices ",
           "(Doctoral dissertation). University of Adelaide."),
    paste0("Vuong, Q. H. (1989). Likelihood ratio tests for model selection and non-nested ",
           "hypotheses. Econometrica, 57(2), 307-333."),
    paste0("White, H. (1982). Maximum likelihood estimation of misspecified models. ",
           "Econometrica, 50(1), 1-25."),
    paste0("Yuan, K.-H., & Bentler, P. M. (2000). Three likelihood-based methods for mean and ",
           "covariance structure analysis with nonnormal missing data. Sociological Methodology, ",
           "30(1), 165-200."),
    paste0("Zhang, X., & Savalei, V. (2023). New computations for RMSEA and CFI following FIML ",
           "and TS estimation with missing data. Psychological Methods, 28(2), 263-283."),
    paste0("Zhao, X., Lynch, J. G., & Chen, Q. (2010). Reconsidering Baron and Kenny: Myths and ",
           "truths about mediation analysis. Journal of Consumer Research, 37(2), 197-206.")
  )
}

# The in-text citations, in the same order.
reference_keys <- c(
  "Arbuckle 1996", "Asparouhov & Muth\u00e9n 2014", "Bollen & Stine 1992",
  "Browne & Cudeck 1993", "Chen 2007",
  "Cheung & Rensvold 2002", "Cronbach 1951", "Cudeck & Browne 1983", "Efron 1987",
  "Fornell & Larcker 1981",
  "Graham 2003", "Haberman 2008", "Henseler et al. 2015", "Holm 1979", "Hu & Bentler 1999",
  "J\u00f6reskog 1971", "MacCallum et al. 1993", "McDonald 1999", "Meredith 1993",
  "Merkle et al. 2014", "Merkle & Zeileis 2013", "Muth\u00e9n & Asparouhov 2014",
  "Muth\u00e9n & Muth\u00e9n 2002",
  "Neyman 1959", "Reise 2012",
  "Satorra & Bentler 1994", "Satorra & Bentler 2001", "Sobel 1982", "S\u00f6rbom 1974",
  "Swain 1975",
  "Vuong 1989", "White 1982", "Yuan & Bentler 2000",
  "Zhang & Savalei 2023", "Zhao et al. 2010"
)

# The works that a text cites, collected while it is written.
cited <- new.env(parent = emptyenv())

# A citation as it is written in a text. The name of the work is noted, because texts may contain
# the user's own words and are never searched for references.
cite <- function(...) {
  keys <- c(...)
  stopifnot(keys %in% reference_keys)
  cited$keys <- union(cited$keys, keys)
  paste(sub(" ([0-9]{4})$", ", \\1", keys), collapse = "; ")
}

# The value of `expr`, and the full references of all works cited while it was computed.
collect_references <- function(expr) {
  before <- cited$keys
  on.exit(cited$keys <- before)
  cited$keys <- character()
  value <- force(expr)
  # ranges of pages have an en dash
  full <- gsub("([0-9])-([0-9])", "\\1\u2013\\2", references_by_key())
  list(value = value, references = full[reference_keys %in% cited$keys])
}
