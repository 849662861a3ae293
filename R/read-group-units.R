# The units of constructs in several groups: without equal loadings each group has its own.

# Constructs whose loadings are not held equal across groups: of several loadings fewer than two
# are.
constructs_in_own_units <- function(fit) {
  if (length(fit$layout$groups) < 2L) return(character())
  rows <- fit$layout$rows
  loads <- rows$kind == "loading"
  several <- vapply(split(rows$second[loads], rows$first[loads]),
                    function(items) length(unique(items)), 0L)
  held <- rows$shared & loads & rows$group != fit$layout$groups[1L]
  by_construct <- vapply(names(several), function(name) {
    each <- table(factor(rows$group[held & rows$first == name], fit$layout$groups[-1L]))
    min(each)
  }, 0L)
  intersect(fit$layout$constructs, names(several)[several > 1L & by_construct < 2L])
}

# The caution before numbers of several groups are compared; NULL where loadings are held.
own_units_words <- function(fit) {
  own <- constructs_in_own_units(fit)
  if (length(own)) text_of("own_units", constructs = enumerate(own), count = length(own))
}

# A caveat comes before what it is about.
format_caveat <- function(x) {
  caveat <- attr(x, "caveat")
  if (!is.null(caveat)) c(wrap_lines(paste("CAUTION:", caveat)), "")
}
