# A YAML file, read as text throughout: `y`, `n`, `on`, `no` and numbers stay as they were written,
# and nothing is evaluated.

read_yaml_file <- function(file) {
  check_string(file, "`file`")
  if (!file.exists(file)) {
    abort("file",
          c(paste0("There is no file ", quoted(file), "."),
            did_you_mean(basename(file), list.files(dirname(file)))))
  }
  if (dir.exists(file)) abort("file", paste0(quoted(file), " is a folder, not a file."))
  text <- paste(readLines(file, warn = FALSE, encoding = "UTF-8"), collapse = "\n")
  if (!nzchar(trimws(text))) abort("file", paste0(quoted(file), " is empty."))
  as_text <- function(x) x
  tryCatch(
    yaml::yaml.load(text, eval.expr = FALSE, handlers = list(
      `bool#yes` = as_text, `bool#no` = as_text, int = as_text, float = as_text,
      `float#fix` = as_text, `float#exp` = as_text, `int#hex` = as_text, `int#oct` = as_text,
      `int#base60` = as_text, `float#base60` = as_text, `timestamp#ymd` = as_text
    )),
    error = function(e) {
      abort("file", c(paste0(quoted(file), " is not readable YAML."), x = conditionMessage(e)))
    }
  )
}
