# Random blueprints for diagrams: 1 to 8 constructs, 3 to 40 items, of every kind of model.

diagram_kinds <- c("measurement", "chain", "mediator", "structural", "second order", "bifactor",
                   "composite", "controls", "growth", "path")

random_blueprint <- function(seed) {
  set.seed(seed)
  kind <- diagram_kinds[1L + seed %% length(diagram_kinds)]
  long <- stats::runif(1) < 0.25
  bp <- orizzonte::blueprint(paste(kind, seed))
  switch(kind, path = random_path(bp), growth = random_growth(bp),
         bifactor = random_bifactor(bp, long), random_structure(bp, kind, long))
}

ticked <- function(x) paste0("`", x, "`")

effects_on <- function(bp, outcome, causes) {
  formula <- paste(ticked(outcome), "~", paste(ticked(causes), collapse = " + "))
  orizzonte::effect(bp, !!str2lang(formula))
}

construct_names <- function(count, long) {
  names <- c("Belonging to the choir", "Calm on stage", "Craft", "Staying another year",
             "Trust in the conductor", "Joy", "Stage fright", "Attendance")
  (if (long) names else LETTERS[1:8])[seq_len(count)]
}

item_names <- function(k, count, long) {
  paste0(letters[k], if (long) "_question_", seq_len(count))
}

random_path <- function(bp) {
  x <- paste0("x", seq_len(sample(1:4, 1)))
  y <- paste0("y", seq_len(sample(2:5, 1)))
  for (k in seq_along(y)) {
    before <- if (k > 1L) sample(y[seq_len(k - 1L)], 1)
    bp <- effects_on(bp, y[k], unique(c(sample(x, 1), before)))
  }
  bp
}

random_growth <- function(bp) {
  times <- sample(3:8, 1)
  loadings <- function(values) {
    str2lang(paste0("c(", paste0("score", seq_along(values), " = ", values, collapse = ", "), ")"))
  }
  bp <- orizzonte::construct(bp, "Level", reflected_in = !!loadings(rep(1, times)))
  bp <- orizzonte::construct(bp, "Growth", reflected_in = !!loadings(seq_len(times) - 1))
  if (stats::runif(1) < 0.5) bp <- effects_on(effects_on(bp, "Level", "age"), "Growth", "age")
  bp
}

random_bifactor <- function(bp, long) {
  count <- sample(2:4, 1)
  sizes <- pmax(3L, pmin(6L, stats::rpois(count, 4)))
  name <- construct_names(count, long)
  items <- lapply(seq_len(count), function(k) item_names(k, sizes[k], long))
  bp <- orizzonte::construct(bp, "General", reflected_in = !!unlist(items))
  for (k in seq_len(count)) bp <- orizzonte::construct(bp, name[k], reflected_in = !!items[[k]])
  orizzonte::uncorrelate(bp, !!c("General", name))
}

# Constructs with items, and the relations that the kind of model puts between them.
random_structure <- function(bp, kind, long) {
  count <- if (kind == "measurement") sample(1:8, 1) else sample(2:6, 1)
  sizes <- pmax(3L, pmin(if (count > 6L) 5L else 6L, stats::rpois(count, 4)))
  name <- construct_names(count, long)
  for (k in seq_len(count))
    bp <- orizzonte::construct(bp, name[k], reflected_in = !!item_names(k, sizes[k], long))
  if (kind == "composite") {
    bp <- orizzonte::construct(bp, "Index", composed_of = !!paste0("w", 1:sample(2:5, 1)))
    bp <- effects_on(bp, name[1L], "Index")
  }
  if (kind == "second order" && count >= 3L)
    bp <- orizzonte::construct(bp, "Whole", reflected_in = !!name)
  if (kind == "chain") for (k in seq_len(count)[-1L]) bp <- effects_on(bp, name[k], name[k - 1L])
  if (kind == "mediator") bp <- effects_on(bp, name[count], name[-count])
  if (kind == "mediator" && count > 2L) bp <- effects_on(bp, name[2L], name[1L])
  if (kind %in% c("structural", "composite", "controls")) for (k in seq_len(count)[-1L]) {
    from <- name[seq_len(k - 1L)][stats::runif(k - 1L) < 0.6]
    if (length(from)) bp <- effects_on(bp, name[k], from)
  }
  if (kind == "controls") for (x in c("age", "years")[seq_len(sample(1:2, 1))])
    bp <- effects_on(bp, name[count], x)
  tied <- kind == "measurement" && stats::runif(1) < 0.5 && sizes[1L] > 3L
  if (tied) orizzonte::covary(bp, !!item_names(1, 2, long)) else bp
}

# The arrangement of a blueprint, with the widest possible values.
arrange_blueprint <- function(bp, page = c(10, 6.25)) {
  inside <- function(name) get(name, envir = asNamespace("orizzonte"))
  table <- inside("build_layout")(bp, FALSE)
  count <- length(table$rows$kind)
  strength <- rep(c(0.6, -0.4), length.out = count)
  text <- ifelse(is.na(table$rows$fixed), inside("diagram_text")(strength, strength,
                                                                 "standardized"), "")
  inside("arrange_diagram")(table, text, strength, page = page)
}
