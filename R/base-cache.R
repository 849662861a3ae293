# What readers share is computed once a fit, when it is first asked for.

# Computed once a fit, when first asked for.
cached <- function(fit, name, compute) {
  known <- fit$cache[[name]]
  if (!is.null(known)) return(known)
  value <- compute
  if (!is.null(value)) assign(name, value, envir = fit$cache)
  value
}
