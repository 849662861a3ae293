# The print of a test of constancy.

constancy_columns <- function(x) {
  whole <- is.na(x$parameter)
  categories <- attr(x, "kind") == "unordered"
  titled(c(list(
    parameter = ifelse(whole, text_of("constancy_all_of", block = x$block), x$parameter),
    statistic = format_fixed(x$statistic, if (attr(x, "kind") == "continuous") 3L else 2L),
    p = format_p(x$p), `p (Holm)` = ifelse(whole & sum(whole) == 1L, "", format_p(x$p_adjusted))),
    if (!categories) list(at = shown_at(x$at),
                          change = ifelse(whole, "", format_number(x$difference))),
    list(verdict = words_of("constancy_verdict", x$verdict))))
}

shown_at <- function(at) {
  if (is.character(at)) return(ifelse(is.na(at), "", at))
  shown <- format(signif(at, 3L), trim = TRUE, scientific = FALSE, drop0trailing = TRUE)
  ifelse(is.na(at), "", shown)
}

constancy_title <- function(x) text_of("constancy_title", along = attr(x, "along"))

# The conclusion of each block, what constructs do along the variable, and what was left out.
constancy_reading <- function(x) {
  c(unlist(lapply(unique(x$block), function(block) block_reading(x, block))),
    construct_reading(x))
}

block_reading <- function(x, block) {
  own <- x[x$block == block, ]
  first <- own[1L, ]
  along <- attr(x, "along")
  if (first$verdict == "not_tested")
    return(text_of("constancy_too_few", block = capital(block)))
  changing <- own[own$verdict == "changes" & !is.na(own$parameter), ]
  changing <- changing[order(changing$step), ]
  if (nrow(changing) == 0L)
    return(text_of(paste0("constancy_block_", first$verdict), block = capital(block),
                   along = along, p = p_equals(first$p_adjusted)))
  c(text_of("constancy_found", along = along, block = block, p = p_equals(first$p_adjusted),
            each = enumerate(changed_words(changing, x))),
    if (any(own$verdict == "follows_others"))
      text_of("constancy_follows",
              each = enumerate(own$parameter[own$verdict == "follows_others"])))
}

changed_words <- function(rows, x) {
  where <- ifelse(is.na(rows$at), "", text_of("constancy_where", at = shown_at(rows$at)))
  size <- ifelse(is.na(rows$difference), "",
                 text_of("constancy_size", difference = format_number(rows$difference)))
  paste0(rows$parameter, ifelse(nzchar(paste0(where, size)), paste0(" (", where,
         ifelse(nzchar(where) & nzchar(size), "; ", ""), size, ")"), ""))
}

construct_reading <- function(x) {
  found <- attr(x, "constructs")
  if (is.null(found)) return(NULL)
  each <- text_of("constancy_construct", construct = found$construct,
                  d = format_fixed(found$d, 2L), ratio = format_fixed(found$sd_ratio, 2L))
  strong <- is.null(attr(x, "within")) && attr(x, "kind") == "continuous" &&
    isTRUE(rule_strong_change(found$d, found$sd_ratio))
  c(text_of("constancy_constructs", along = attr(x, "along"), each = enumerate(each, most = 8L)),
    if (strong) text_of("constancy_strong", instruction = instruction("constancy_within") %||% ""))
}

constancy_note <- function(x) {
  c(text_of(paste0("constancy_method_", attr(x, "kind"))),
    text_of(paste0("constancy_by_", attr(x, "method"))),
    if (length(attr(x, "missing")))
      text_of("constancy_left_out", along = attr(x, "along"),
              count = length(attr(x, "missing"))))
}

#' @export
print.orizzonte_constancy <- function(x, ...) {
  if (!all(c("block", "parameter", "statistic", "verdict") %in% names(x)) ||
      is.null(attr(x, "along"))) return(print(as.data.frame(unclass(x))))
  columns <- constancy_columns(x)
  put_lines(heading(constancy_title(x)), wrap_lines(constancy_reading(x)), "",
            format_table(columns, !names(columns) %in% c("parameter", "verdict")), "",
            wrap_lines(constancy_note(x)))
  if (!is.null(next_step("constancy_next"))) put_lines("", next_step("constancy_next"))
  invisible(x)
}

# "p = .012" or "p < .001".
p_equals <- function(p) paste("p", p_clause(p))
