# Random blueprints for diagrams: 1 to 8 constructs, 3 to 40 items, of every kind of model.

diagram_kinds <- c("measurement", "chain", "mediator", "structural", "second order", "bifactor",
                   "composite", "controls", "growth", "path")

random_blueprint <- function(seed) {
  set.seed(seed)
  kind <- diagram_kinds[1L + seed %% length(diagram_kinds)]
  long <- stats::runif(1) < 0.25
  stems <- if (long) c("Belonging to the choir", "Calm on stage", "Craft", "Staying another year",
                       "Trust in the conductor", "Joy", "Stage fright", "Attendance") else
    LETTERS[1:8]
  items <- function(k, n) paste0(letters[k], if (long) "_question_", seq_len(n))
  declare <- function(bp, count, sizes) {
    for (k in seq_len(count))
      bp <- orizzonte::construct(bp, stems[k], reflected_in = !!items(k, sizes[k]))
    bp
  }
  count <- switch(kind, bifactor = sample(2:4, 1), growth = 2L, measurement = sample(1:8, 1),
                  path = 0L, sample(2:6, 1))
  sizes <- if (count) pmax(3L, pmin(6L, stats::rpois(count, 4)))
  if (count > 6L) sizes[] <- pmin(sizes, 5L)
  bp <- orizzonte::blueprint(paste(kind, seed))
  name <- stems[seq_len(count)]
  to <- function(bp, outcome, causes) {
    orizzonte::effect(bp, !!str2lang(paste(bt(outcome), "~", paste(bt(causes), collapse = " + "))))
  }
  bt <- function(x) paste0("`", x, "`")
  if (kind == "path") {
    x <- paste0("x", seq_len(sample(1:4, 1)))
    y <- paste0("y", seq_len(sample(2:5, 1)))
    for (k in seq_along(y))
      bp <- to(bp, y[k], unique(c(sample(x, 1), if (k > 1L) sample(y[seq_len(k - 1L)], 1))))
    return(bp)
  }
  if (kind == "growth") {
    times <- sample(3:8, 1)
    y <- paste0("score", seq_len(times))
    level <- stats::setNames(rep(1, times), y)
    slope <- stats::setNames(seq_len(times) - 1, y)
    with_values <- function(v) str2lang(paste0("c(", paste0(names(v), " = ", v, collapse = ", "),
                                               ")"))
    bp <- orizzonte::construct(bp, "Level", reflected_in = !!with_values(level))
    bp <- orizzonte::construct(bp, "Growth", reflected_in = !!with_values(slope))
    if (stats::runif(1) < 0.5) bp <- to(to(bp, "Level", "age"), "Growth", "age")
    return(bp)
  }
  if (kind == "bifactor") {
    all <- unlist(lapply(seq_len(count), function(k) items(k, sizes[k])))
    bp <- orizzonte::construct(bp, "General", reflected_in = !!all)
    bp <- declare(bp, count, sizes)
    return(orizzonte::uncorrelate(bp, !!c("General", name)))
  }
  bp <- declare(bp, count, sizes)
  if (kind == "composite") bp <- orizzonte::construct(bp, "Index",
                                                      composed_of = !!paste0("w", 1:sample(2:5, 1)))
  if (kind == "second order" && count >= 3L)
    bp <- orizzonte::construct(bp, "Whole", reflected_in = !!name)
  if (kind == "chain") for (k in seq_len(count)[-1L]) bp <- to(bp, name[k], name[k - 1L])
  if (kind == "mediator") bp <- to(bp, name[count], name[-count])
  if (kind == "mediator" && count > 2L) bp <- to(bp, name[2L], name[1L])
  if (kind %in% c("structural", "composite", "controls")) for (k in seq_len(count)[-1L]) {
    from <- name[seq_len(k - 1L)][stats::runif(k - 1L) < 0.6]
    if (length(from)) bp <- to(bp, name[k], from)
  }
  if (kind == "composite") bp <- to(bp, name[1L], "Index")
  if (kind == "controls") for (x in c("age", "years")[seq_len(sample(1:2, 1))])
    bp <- to(bp, name[count], x)
  if (kind == "measurement" && stats::runif(1) < 0.5 && sizes[1L] > 3L)
    bp <- orizzonte::covary(bp, !!items(1, 2))
  bp
}

# The arrangement of a blueprint, with values as wide as they come.
arrange_blueprint <- function(bp, magnify = 1) {
  inside <- function(name) get(name, envir = asNamespace("orizzonte"))
  table <- inside("build_layout")(bp, FALSE)
  count <- length(table$rows$kind)
  strength <- rep(c(0.6, -0.4), length.out = count)
  text <- ifelse(is.na(table$rows$fixed), inside("diagram_text")(strength, strength,
                                                                 "standardized"), "")
  inside("diagram_layout")(table, text, strength, magnify = magnify)
}
