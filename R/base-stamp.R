# A fit carries a digest of its parts, which shows whether they were changed after it was fitted.

# The parts that the digest covers. The joint fit with auxiliary variables has its own digest.
stamped_parts <- c("request", "sample", "layout", "moments", "solution")

# Adds the digest, and the addresses of the parts in memory: while these are the same, the digest
# need not be computed again.
stamped <- function(fit) {
  fit$digest <- digest_of(fit)
  fit$cache$stamp <- part_places(fit)
  fit
}

# Replaces the blueprint by one that describes the same model, for example with another trail.
with_blueprint <- function(fit, bp) {
  fit$request$blueprint <- bp
  stamped(fit)
}

# The digest covers numbers and texts. The sample contains the data, so that only its names and
# dimensions count.
digest_of <- function(fit) {
  paste0(object_digest(unclass(fit)[setdiff(stamped_parts, "sample")], FALSE),
         object_digest(fit$sample, TRUE))
}

session <- new.env(parent = emptyenv())

part_places <- function(fit) {
  if (is.null(session$mark))
    session$mark <- paste(Sys.getpid(), format(as.numeric(Sys.time()), digits = 17))
  c(session$mark, vapply(unclass(fit)[stamped_parts], rlang::obj_address, ""))
}

# Checks the digest when a fit is first read after loading, or after one of its parts was replaced.
check_stamp <- function(x) {
  if (!is.environment(x$cache)) refuse_object(text_of("lacks_what_was_computed"))
  here <- part_places(x)
  if (identical(x$cache$stamp, here)) return(invisible())
  if (!identical(x$digest, digest_of(x)))
    refuse_object(text_of("parts_were_changed_after"))
  # cached results from a file are not trusted
  rm(list = ls(x$cache, all.names = TRUE), envir = x$cache)
  x$cache$stamp <- here
}

# The shape of what a fit holds: goes up whenever a part gets another meaning. Fits saved by a
# version of the same shape are read, whatever its number.
fit_format <- 4L

package_version_text <- function() unname(getNamespaceVersion("orizzonte"))

check_fit <- function(x, reader) {
  if (!inherits(x, "orizzonte_fit")) {
    abort("input", c(text_of("reads_fitted_model", reader = reader),
                     x = text_of("was_given", value = describe(x)),
                     i = text_of("fit_one_first_fit")))
  }
  parts <- c("request", "sample", "layout", "moments", "solution", "cache", "version")
  if (!all(parts %in% names(x))) refuse_object(text_of("lacks_parts_fit_has"))
  if (!identical(x$format, fit_format))
    refuse_object(text_of("was_made_version_which", version = format(x$version),
                          package_version_text = package_version_text()))
  groups <- if (is.list(x$layout)) length(x$layout$groups) else 0L
  if (groups == 0L || length(x$moments) != groups || length(x$layout$spans) != groups) {
    refuse_object(text_of("parts_do_not_belong"))
  }
  check_stamp(x)
  if (!is.null(x$joint)) check_fit(x$joint, reader)
  invisible(x)
}

# A ladder, or the result of loosen() for one.
check_ladder <- function(x, reader) {
  ladder <- if (inherits(x, "orizzonte_loosened")) x$ladder else x
  parts <- c("fits", "table", "criteria", "limits", "blueprint", "reading")
  if (!inherits(ladder, "orizzonte_ladder") || !is.list(ladder) || !all(parts %in% names(ladder)))
    abort("object", c(text_of("cannot_read_ladder_lacks", reader = reader),
                      i = text_of("make_again_invariance_blueprint")))
  lapply(ladder$fits, check_fit, reader = reader)
  invisible(x)
}

# A fit in the form of another version, or one that was tampered with.
refuse_object <- function(why) {
  abort("object", c(text_of("fit_cannot_be_read"), x = text_of("the_reason", why = why),
                    i = text_of("fit_model_again_fit")))
}

# Computed once a fit, when first asked for.
cached <- function(fit, name, compute) {
  known <- fit$cache[[name]]
  if (!is.null(known)) return(known)
  value <- compute
  if (!is.null(value)) assign(name, value, envir = fit$cache)
  value
}
