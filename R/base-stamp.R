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
