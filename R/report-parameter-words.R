# Parameter labels in words, for texts that leave the program.

# Parameter labels within a text as words ("loading of sc2 on Calm"); what cannot be read as a
# label stays as it is.
addresses_in_words <- function(text, observed) {
  kinds <- paste(c(names(address_kinds), names(readable_kinds)), collapse = "|")
  pattern <- paste0("\\b(", kinds, ")\\[(?:`(?:[^`\\\\]|\\\\.)*`|[^]`])*\\]")
  vapply(text, function(one) {
    found <- gregexpr(pattern, one, perl = TRUE)
    regmatches(one, found) <- lapply(regmatches(one, found), function(addresses) {
      vapply(addresses, address_in_words, "", observed = observed)
    })
    one <- gsub("standardized\\(([^()]*)\\)", "standardized \\1", one)
    gsub(" == ", " = ", one, fixed = TRUE)
  }, "", USE.NAMES = FALSE)
}

address_in_words <- function(address, observed) {
  parsed <- tryCatch(parse_address(address), orizzonte_error_address = function(e) NULL)
  if (is.null(parsed) || !is.null(parsed$pattern) && isTRUE(parsed$pattern)) return(address)
  if (length(parsed$first) != 1L || length(parsed$second) > 1L) return(address)
  kind <- parsed$kind
  two <- kind %in% names(Filter(function(n) n == 2L, c(address_kinds, readable_kinds)))
  if (two && length(parsed$second) == 0L) return(address)
  if (kind %in% c("covariance", "variance") && all(c(parsed$first, parsed$second) %in% observed))
    kind <- paste0("residual_", kind)
  paste0(text_of(paste0("in_words_", kind), first = parsed$first, second = parsed$second),
         if (length(parsed$group)) text_of("in_the_group", where = enumerate(parsed$group)))
}
