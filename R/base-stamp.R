# A fit knows whether its parts are those it was made of: saved and loaded, or changed by hand.

# What a fit rests on; `joint` is a fit of its own.
stamped_parts <- c("request", "sample", "layout", "moments", "solution")

# Its digest, and where its parts are in this session: as long as they are there, nothing was
# changed.
stamped <- function(fit) {
  fit$digest <- digest_of(fit)
  fit$cache$stamp <- part_places(fit)
  fit
}

# The same fit beside another blueprint, which says more than it needs.
with_blueprint <- function(fit, bp) {
  fit$request$blueprint <- bp
  stamped(fit)
}

# Of numbers and texts; of the sample, which holds the data, names and dimensions only.
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

# Looked at once after a fit was loaded, or when a part is no longer where it was.
check_stamp <- function(x) {
  if (!is.environment(x$cache)) refuse_object("it lacks what was computed of it")
  here <- part_places(x)
  if (identical(x$cache$stamp, here)) return(invisible())
  if (!identical(x$digest, digest_of(x)))
    refuse_object("its parts were changed after it was fitted, or do not belong together")
  # what a file kept of earlier reading is computed again
  rm(list = ls(x$cache, all.names = TRUE), envir = x$cache)
  x$cache$stamp <- here
}
