# Seeds, and random numbers of R's own.

# Random numbers of R's own that leave the caller's where they were.
with_seed <- function(seed, code) {
  before <- get0(".Random.seed", envir = globalenv(), inherits = FALSE)
  on.exit(if (is.null(before)) rm(".Random.seed", envir = globalenv()) else
    assign(".Random.seed", before, envir = globalenv()))
  set.seed(seed, "Mersenne-Twister", "Inversion", "Rejection")
  code
}

# A seed that was given, or one from R's own random numbers.
chosen_seed <- function(seed) {
  if (is.null(seed)) return(sample.int(.Machine$integer.max, 1L))
  check_seed(seed)
  check_count(seed, "`seed`", -.Machine$integer.max)
  as.integer(seed)
}
