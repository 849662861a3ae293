# Times: which time a row of the parameter table is of, and what it is whatever the time.

# `time` (a number; NA for what has none) and `over`: alike for rows that differ in their time only.
# What links two times, such as the covariance of an item's residuals, has none.
rows_over_times <- function(rows, repeated) {
  size <- length(rows$kind)
  if (length(repeated) == 0L)
    return(list(time = rep(NA_integer_, size), over = rep(NA_character_, size)))
  places <- repeated_places(repeated)
  first <- match(rows$first, places$name)
  second <- match(rows$second, places$name)
  alone <- is.na(rows$second)
  time <- places$time[first]
  time[!alone] <- ifelse(places$time[second[!alone]] == time[!alone], time[!alone], NA)
  one <- places$label[first]
  other <- ifelse(alone, "", places$label[second])
  swap <- rows$kind == "covariance" & !alone & !is.na(one) & !is.na(other) & one > other
  label <- paste(rows$kind, ifelse(swap, other, one), ifelse(swap, one, other), sep = "\r")
  list(time = as.integer(time), over = ifelse(is.na(time), NA_character_, label))
}

# The same thing at the first time at which it was asked: names as they are, for what has no time.
label_over_times <- function(names, repeated) {
  if (length(repeated) == 0L) return(names)
  places <- repeated_places(repeated)
  at <- match(names, places$name)
  ifelse(is.na(at), names, places$label[at])
}

# What is held together: rows of one class that are the same but for their group, or their time.
held_sets <- function(rows) {
  key <- ifelse(rows$over_times, rows$over, addresses_without_group(rows))
  paste(rows$class, key, sep = "\r")
}

# Which of these an equality is.
held_change <- function(rows, at) {
  held_changes[ifelse(rows$over_groups[at] & rows$over_times[at], "both",
                      ifelse(rows$over_times[at], "times", "groups"))]
}
