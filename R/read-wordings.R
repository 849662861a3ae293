# The texts of items.

# The blueprint's wordings, and column labels where it has none.
all_wordings <- function(fit) {
  labels <- fit$sample$labels
  wording <- fit$request$blueprint$wording
  c(wording, labels[setdiff(names(labels), names(wording))])
}

# The wordings of all items that some parameters are about.
format_wordings <- function(parameters, wording) {
  if (length(wording) == 0L) return(NULL)
  named <- unlist(lapply(parameters, function(text) {
    address <- tryCatch(parse_address(text), error = function(e) NULL)
    c(address$first, address$second)
  }))
  shown <- intersect(names(wording), named)
  if (length(shown) == 0L) return(NULL)
  width <- max(nchar(shown))
  c("", "Item texts",
    wrap_lines(paste0(formatC(shown, width = -width), "  \"", wording[shown], "\""), 2L,
               width + 4L))
}
