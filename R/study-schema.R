# The JSON schema of study files, for editors: made from the options of a fit and from the keys of
# the steps, and written to inst/schema with the documentation.

text_shape <- list(type = "string")

one_or_more <- function(type) {
  list(oneOf = list(list(type = type), list(type = "array", items = list(type = type))))
}

study_schema <- function() {
  described <- function(shape, description) c(shape, list(description = description))
  keys <- c(
    list(title = text_shape, data = described(text_shape, "A file, or the address of a table."),
         encoding = text_shape),
    lapply(written_options(), option_shape),
    list(blueprints = list(type = "object", additionalProperties = text_shape,
                           description = "name: file of a blueprint."),
         criteria = list(type = list("string", "object"),
                         description = "A file of criteria, or its keys."),
         seed = list(type = "integer"), results = described(text_shape, "Folder of the results."),
         figures = described(one_or_more("string"), paste0("Formats of the figures: ", enumerate(
           study_figures, last = " or "), "; or none.")),
         steps = list(type = "array", items = list(oneOf = lapply(names(step_keys), step_schema)),
                      description = "The steps in order, each of one kind with its arguments.")))
  list("$schema" = "http://json-schema.org/draft-07/schema#", title = "Orizzonte study",
       type = "object", additionalProperties = FALSE,
       required = list("data", "blueprints", "steps"), properties = keys)
}

option_shape <- function(option) {
  shape <- switch(option$kind, choice = list(enum = as.list(option$choices)),
                  columns = one_or_more("string"), codes = list(type = "array"),
                  levels = list(type = list("object", "array")), text_shape)
  c(shape, list(description = option$help))
}

step_schema <- function(kind) {
  keys <- c(lapply(stats::setNames(nm = step_keys[[kind]]), step_shape),
            list(name = c(text_shape,
                          list(description = "The name of the result of this step."))))
  inner <- list(type = list("object", "null"), additionalProperties = FALSE, properties = keys)
  list(type = "object", required = list(kind), additionalProperties = FALSE,
       properties = stats::setNames(list(inner), kind))
}

step_shape <- function(key) {
  if (key %in% step_counts) return(list(type = "integer", minimum = 0))
  if (key %in% step_texts) return(one_or_more("string"))
  if (key %in% names(step_choices)) return(list(enum = as.list(step_choices[[key]])))
  switch(key, n = one_or_more("number"),
         truth = list(type = "object", additionalProperties = list(type = "number")), text_shape)
}

# The text of the file in inst/schema.
study_schema_text <- function() {
  jsonlite::prettify(jsonlite::toJSON(study_schema(), auto_unbox = TRUE), indent = 1)
}
