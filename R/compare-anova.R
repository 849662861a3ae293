#' @rdname compare_models
#' @param object A fit from [fit_model()].
#' @importFrom stats anova
#' @export
anova.orizzonte_fit <- function(object, ...) {
  lapply(list(object, ...), check_fit, reader = "anova")
  labels <- fit_labels(as.list(substitute(list(object, ...)))[-1L], list(object, ...))
  compare_fits(list(object, ...), labels, "previous", "anova")
}
