#' Fix, equate or bound parameters, or relate them by an equation
#'
#' `loading[Calm, sc4] == 0.8` fixes a parameter; `loading[Calm, sc1] ==
#' loading[Calm, sc2]` makes two equal; `variance[Calm] >= 0` and
#' `effect[Calm, Staying] <= 1` bound one. Any smooth equation or inequality of
#' addresses is understood too, such as `variance[sc1] == 1 - loading[Calm,
#' sc1]^2` or `loading[Calm, sc1] >= loading[Calm, sc2]`, written with `+ - * / ^
#' ( )`, `exp()`, `log()` and `sqrt()`. A slice (`loading[Calm, ]`,
#' `variance[sc1:sc4]`, `variance[items]`) on the left of a single address or
#' number applies the statement to each parameter in it. Fixing a covariance
#' that is not in the model adds it as a fixed value. A later statement about
#' the same parameter replaces an earlier one, with a message.
#'
#' Equations are met exactly (constrained scoring; Aitchison & Silvey 1958) and
#' each takes one free parameter off the count. A parameter at an active bound is reported as *at
#' bound*, without a standard error or a test. The \eqn{\chi^2} of such a fit follows a mixture of
#' distributions (Shapiro 1985), so that no ordinary *p* value is given.
#'
#' @param .bp A blueprint.
#' @param ... Statements, as above; strings are read as statements too, and `all_of(x)` or
#'   `paste0()` gives them.
#' @return The blueprint with the restrictions added.
#' @section Errors: `orizzonte_error_restriction` for statements of another form; contradictions are
#' reported when the model is laid out or
#'   fitted, and a restriction that follows from the others is named and left
#'   out.
#' @references
#' Aitchison, J., & Silvey, S. D. (1958). Maximum-likelihood estimation of parameters subject to
#' restraints. *Annals of Mathematical Statistics, 29*(3), 813--828.
#'
#' Shapiro, A. (1985). Asymptotic distribution of test statistics in the analysis of moment
#' structures under inequality constraints. *Biometrika, 72*(1), 133--144.
#' @seealso [relax()] for the opposite, [hold_equal()] across groups, [without()] for the change in
#' fit due to a restriction.
#' @examples
#' blueprint("Stage calm") |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   restrict(loading[Calm, sc2] == loading[Calm, sc3], variance[sc4] == 25) |>
#'   restrict(variance[items] >= 0)
#' @export
restrict <- function(.bp, ...) {
  check_arguments("restrict", dots = TRUE)
  check_blueprint(.bp, "restrict")
  statements <- captured_statements(rlang::enquos(...), "restrict()")
  if (length(statements) == 0L)
    abort("input",
          c(text_of("restrict_needs_statement"), i = text_of("such_restrict_loading_calm")))
  for (statement in unname(statements)) .bp <- add_restriction(.bp, statement)
  .bp
}

# A restriction is a list of `left` and `right` (each the text of an address or expression, or a
# number), `relation` (==, >= or <=) and `smooth`: whether a side is more than one address or
# number.
add_restriction <- function(bp, statement) {
  if (is.character(statement)) {
    text <- statement
    statement <- parsed_text(text, function(condition) {
      abort("restriction", text_of("not_restriction", value = quoted(text)))
    })
  }
  new <- parse_restriction(statement)
  key <- format_restriction(new)
  known <- vapply(bp$restrict, format_restriction, "")
  if (key %in% known)
    abort("duplicate", text_of("same_restriction_is_declared", key = key))
  if (!new$smooth && new$relation == "==" && new$left %in% bp$relax) {
    say(text_of("no_longer_relaxed", parameter = new$left))
    bp$relax <- setdiff(bp$relax, new$left)
  }
  if (!new$smooth && is.numeric(new$right)) {
    older <- vapply(bp$restrict, function(r) {
      !r$smooth && r$left == new$left &&
      r$relation == new$relation && is.numeric(r$right)
    }, NA)
    if (any(older)) {
      say(text_of("restricted_anew", earlier = known[older], now = key))
      bp$restrict <- bp$restrict[!older]
    }
  }
  bp$restrict <- c(bp$restrict, list(new))
  bp
}

restriction_relations <- c("==", ">=", "<=")

parse_restriction <- function(statement) {
  text <- deparse_one(statement)
  relation <- if (is.call(statement) && is.symbol(statement[[1L]]))
    as.character(statement[[1L]]) else ""
  if (!relation %in% restriction_relations || length(statement) != 3L) {
    hint <- if (relation %in% c("<", ">"))
      text_of("use_bound_two_mean", relation = relation)
    if (relation %in% c("=", "<-")) hint <- text_of("use_equation")
    abort("restriction", c(text_of("not_restriction", value = text),
                           i = hint %||%
                           paste(text_of("write_address_number_address"),
                                 text_of("such_loading_calm_sc4"))))
  }
  left <- statement[[2L]]
  right <- statement[[3L]]
  if (!is.null(plain_number(left))) {
    swap <- left
    left <- right
    right <- swap
    relation <- c("==" = "==", ">=" = "<=", "<=" = ">=")[[relation]]
  }
  number <- plain_number(right)
  one_address <- function(e) is.call(e) && identical(e[[1L]], quote(`[`))
  if (one_address(left) && (!is.null(number) || (one_address(right) && relation == "=="))) {
    right <- number %||% restriction_address(right, text)
    return(list(left = restriction_address(left, text), relation = relation, right = right,
                smooth = FALSE))
  }
  sides <- lapply(list(left, right), read_expression)
  if (length(sides[[1L]]$inputs) + length(sides[[2L]]$inputs) == 0L) {
    abort("restriction",
          c(text_of("no_address", value = text), i = text_of("example_restriction_sentence")))
  }
  list(left = sides[[1L]]$text, relation = relation, right = number %||% sides[[2L]]$text,
       smooth = TRUE)
}

restriction_address <- function(expression, text) {
  address <- parse_address(expression)
  if (!address$kind %in% names(address_kinds)) {
    abort("restriction",
          c(text_of("is_read_only_cannot", kind = address$kind, value = text),
            i = text_of("restrict_parameters", address_kinds = enumerate(names(address_kinds)))))
  }
  format(address)
}

# A number that is written out, with or without a sign; nothing is evaluated.
plain_number <- function(expression) {
  sign <- 1
  while (is.call(expression) && length(expression) == 2L &&
         as.character(expression[[1L]])[1L] %in% c("-", "+")) {
    if (identical(expression[[1L]], quote(`-`))) sign <- -sign
    expression <- expression[[2L]]
  }
  if (is.numeric(expression) && length(expression) == 1L && is.finite(expression))
    sign * as.numeric(expression) else NULL
}

format_restriction <- function(restriction) {
  right <- if (is.numeric(restriction$right)) format_exact(restriction$right) else restriction$right
  paste(restriction$left, restriction$relation, right)
}

# All addresses a restriction mentions.
restriction_addresses <- function(restriction) {
  sides <- list(restriction$left, restriction$right)
  sides <- Filter(is.character, sides)
  if (!restriction$smooth) return(unlist(sides))
  unique(unlist(lapply(sides, function(text) read_expression(str2lang(text))$inputs)))
}

#' Free parameters that are fixed, equated or bounded
#'
#' Undoes every earlier [restrict()] that mentions the address, a value given in
#' [construct()], or a default: `relax(mean[Slope])` frees the mean of a
#' construct, and relaxing a marker's loading moves the marker to the next item.
#' Relaxing a covariance adds it to the model.
#'
#' @param .bp A blueprint.
#' @param ... Addresses.
#' @return The blueprint with those parameters free.
#' @section Errors: `orizzonte_error_address` for anything but an address.
#' @seealso [restrict()], [hold_equal()].
#' @examples
#' blueprint("Growth") |>
#'   construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1)) |>
#'   construct("Slope", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4 = 3)) |>
#'   restrict(intercept[w1:w4] == 0) |>
#'   relax(mean[Level], mean[Slope])
#' @export
relax <- function(.bp, ...) {
  check_arguments("relax", dots = TRUE)
  check_blueprint(.bp, "relax")
  addresses <- captured_statements(rlang::enquos(...), "relax()")
  if (length(addresses) == 0L)
    abort("input", c(text_of("relax_needs_address"), i = text_of("such_relax_mean_slope")))
  for (address in unname(addresses)) .bp <- add_relaxed(.bp, address)
  .bp
}

add_relaxed <- function(bp, expression) {
  address <- restriction_address(expression, deparse_one(expression))
  if (address %in% bp$relax) abort("duplicate", text_of("is_relaxed_twice", address = address))
  older <- vapply(bp$restrict, function(r) address %in% restriction_addresses(r), NA)
  if (any(older)) {
    say(text_of("overridden", verb = "relax",
                earlier = enumerate(vapply(bp$restrict[older], format_restriction, ""))))
    bp$restrict <- bp$restrict[!older]
    # to undo a restriction of a free parameter, removing it is enough
    if (!needs_relaxing(bp, parse_address(address))) return(bp)
  }
  bp$relax <- c(bp$relax, address)
  bp
}

# Fixed by default or by construct(): means of constructs, and values in c(w1 = 0).
needs_relaxing <- function(bp, address) {
  if (address$kind == "mean") return(TRUE)
  address$kind %in% c("loading", "weight") &&
    any(vapply(bp$constructs, function(x) any(names(x$fixed) %in% c(address$first, address$second)),
               NA))
}

#' Choose a starting value
#'
#' Starting values are closed-form estimates from the data; a value given here
#' replaces one of them. It is in the units of the model's own scale setting.
#'
#' @param .bp A blueprint.
#' @param address One address.
#' @param value A number.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The blueprint with the starting value.
#' @section Errors: `orizzonte_error_input` when the value is not a number;
#'   `orizzonte_error_restriction` at fitting when the parameter is fixed or
#'   not in the model.
#' @seealso [rescue()], which tries other starts by itself.
#' @examples
#' blueprint("Calm") |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   start_at(loading[Calm, sc4], 0.8)
#' @export
start_at <- function(.bp, address, value, ...) {
  check_arguments("start_at", optional = "value")
  check_blueprint(.bp, "start_at")
  if (missing(address) || missing(value)) {
    abort("input",
          c(text_of("start_needs_address_number"),
            i = text_of("such_start_loading_calm")))
  }
  add_start(.bp, rlang::quo_get_expr(rlang::enquo(address)), value)
}

add_start <- function(bp, expression, value) {
  address <- restriction_address(expression, deparse_one(expression))
  if (!is.numeric(value) || length(value) != 1L || !is.finite(value)) {
    abort("input", c(text_of("starting_value_must_be", address = address),
                     x = text_of("it_is_of_kind", value = describe(value))))
  }
  if (address %in% names(bp$start_at)) say(text_of("overridden", verb = "start_at",
                                                   earlier = address))
  bp$start_at[address] <- as.numeric(value)
  bp
}

#' Equality across groups, or over times
#'
#' `hold_equal()` states which parameters are equal in all groups, or at all times of [repeated()]
#' constructs; `let_differ()` states the exceptions. Both are part of the model: they are kept in
#' its file and its trail. Without groups (or times) the statements are kept, and a note explains
#' that they have no effect.
#'
#' Both take kinds of parameters, slices and single addresses, bare or quoted:
#' `loading`, `weight`, `intercept` (those of items), `effect`, `mean` (of constructs), `variance`,
#' `covariance`, and the narrower `loading[items]`, `loading[constructs]`, `intercept[items]`,
#' `mean[constructs]`, `mean[lower_order]` (of constructs that measure others), `variance[items]`,
#' `variance[constructs]`, `covariance[items]`, `covariance[constructs]`.
#' `let_differ()` frees exactly the parameters that it names, in one group when the address names
#' one; it takes precedence over `hold_equal()` in any order, and may be used alone, as an exemption
#' from every rung of [invariance()]. `hold_equal()` with the same address revokes it. Kinds never
#' include intercepts of outcomes or parameters of observed predictors.
#'
#' Over times, parameters that differ only in their time are held equal: loadings and intercepts of
#' the same item, variances, and covariances within a time, but never parameters that connect two
#' times. `let_differ()` frees from both; with `across = "times"` it frees over times alone, so that
#' a parameter may differ at this time but remains equal in all groups.
#'
#' A construct's variance that is fixed for its scale is free outside the first group (time) when
#' one of its loadings is held; its mean is when one of its items' intercepts is (Meredith 1993).
#'
#' @param .bp A blueprint.
#' @param ... Kinds, slices or addresses.
#' @param across The dimension across which they are equal: `"groups"` or `"times"`; of
#'   `let_differ()` what they may differ across: `"both"`, or `"times"` alone.
#' @return The blueprint with the statements added.
#' @section Errors: `orizzonte_error_address` for a kind or an address that does not exist, with
#'   the nearest name; `orizzonte_error_input` when nothing is named.
#' @references Meredith, W. (1993). Measurement invariance, factor analysis and factorial
#'   invariance. *Psychometrika, 58*, 525-543.
#' @seealso [invariance()], [loosen()], [restrict()]
#' @examples
#' calm <- blueprint("Calm") |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   hold_equal(loading, intercept) |>
#'   let_differ(loading[Calm, sc2])
#' fit <- fit_model(calm, choirs, by = setting)
#' fit
#' @export
hold_equal <- function(.bp, ..., across = "groups") {
  check_arguments("hold_equal", dots = TRUE)
  check_blueprint(.bp, "hold_equal")
  across <- choose_one(across, c("groups", "times"), "`across`")
  for (text in captured_holds(rlang::enquos(...), "hold_equal"))
    .bp <- add_equal(.bp, text, across)
  .bp
}

#' @rdname hold_equal
#' @export
let_differ <- function(.bp, ..., across = "both") {
  check_arguments("let_differ", dots = TRUE)
  check_blueprint(.bp, "let_differ")
  across <- choose_one(across, names(differ_keys), "`across`")
  for (text in captured_holds(rlang::enquos(...), "let_differ"))
    .bp <- add_different(.bp, text, across)
  .bp
}

held_keys <- c(groups = "hold_equal", times = "hold_equal_times")
differ_keys <- c(both = "let_differ", times = "let_differ_times")

add_equal <- function(bp, text, across = "groups") {
  key <- held_keys[[across]]
  if (text %in% bp[[key]])
    abort("duplicate", text_of("is_held_equal_across", value = text, across = across))
  for (other in differ_keys) if (text %in% bp[[other]]) {
    say(text_of("no_longer_differs", parameter = text))
    bp[[other]] <- setdiff(bp[[other]], text)
  }
  bp[[key]] <- c(bp[[key]], text)
  bp
}

add_different <- function(bp, text, across = "both") {
  own <- differ_keys[[across]]
  if (text %in% bp[[own]]) abort("duplicate", text_of("is_let_differ_twice", value = text))
  concerned <- if (across == "both") held_keys else held_keys[across]
  held <- vapply(concerned, function(key) text %in% bp[[key]], NA)
  if (any(held)) {
    say(text_of("no_longer_held_equal", parameter = text))
    for (key in concerned[held]) bp[[key]] <- setdiff(bp[[key]], text)
  }
  bp[[own]] <- c(bp[[own]], text)
  bp
}

# Kinds and addresses in dots: bare, in quotes, in c(), or from a call that gives texts.
captured_holds <- function(quosures, verb) {
  if (length(quosures) == 0L) {
    abort("input",
          c(text_of("needs_something_name", verb = verb),
            i = text_of("such_loading", verb = verb)))
  }
  vapply(captured_statements(quosures, paste0(verb, "()")), function(part) {
    if (is.character(part)) canonical_text_hold(part) else canonical_hold(part)
  }, "", USE.NAMES = FALSE)
}

canonical_text_hold <- function(text) {
  canonical_hold(parsed_text(text, not_an_address(text)))
}

hold_kinds <- c("loading", "weight", "intercept", "effect", "mean", "variance", "covariance")
hold_slices <- c("loading[items]", "loading[constructs]", "intercept[items]", "mean[constructs]",
                 "mean[lower_order]", "variance[items]", "variance[constructs]",
                 "covariance[items]", "covariance[constructs]")

# A rung is a name for the parameters that it holds equal.
rung_hint <- function(text) {
  held <- c(metric = "loading", scalar = "loading, intercept",
            strict = text_of("loading_intercept_variance_items"))[text]
  if (is.na(held)) return(NULL)
  c(i = text_of("hold_what_rung_holds", value = text, held = held))
}

# The stored text of a kind, a slice or an address.
canonical_hold <- function(expression) {
  text <- deparse_one(expression)
  if (text %in% c(hold_kinds, hold_slices)) return(text)
  if (is.symbol(expression)) {
    abort("input", c(text_of("there_is_nothing_hold", value = quoted(text)),
                     rung_hint(text) %||% did_you_mean(text, hold_kinds),
                     i = text_of("kinds_or_single_addresses",
                                 hold_slices = enumerate(c(hold_kinds, hold_slices), most = 20L))))
  }
  restriction_address(expression, text)
}

#' State a hypothesis
#'
#' A claim is an expectation written down before the results are seen: a direction
#' (`effect[a, b] > 0`), no relation (`effect[a, b] == 0`), some relation (`!= 0`) or an order
#' (`effect[a, c] > effect[b, c]`), of parameters, standardized values or quantities. [verdicts()]
#' judges them once the model is fitted. Claims change nothing in the model.
#'
#' @param .bp A blueprint.
#' @param ... `name = statement` pairs; strings are read as statements too. Either side is an
#'   expression as in [quantity()].
#' @return The blueprint with the claims added. A later claim of the same name replaces an earlier
#'   one, with a message.
#' @section Errors: `orizzonte_error_input` for a claim without a name;
#'   `orizzonte_error_restriction` for any other statement.
#' @seealso [verdicts()] judges claims, [quantity()] derives values.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Craft", reflected_in = cr1:cr3) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + Craft + age) |>
#'   claim(H1 = effect[Belonging, Staying] > 0,
#'         H2 = standardized(effect[Belonging, Staying]) > standardized(effect[Craft, Staying]),
#'         H3 = effect[age, Staying] == 0)
#' verdicts(suppressMessages(fit_model(bp, choirs)))
#' @export
claim <- function(.bp, ...) {
  check_arguments("claim", dots = TRUE)
  check_blueprint(.bp, "claim")
  statements <- lapply(rlang::enquos(...), rlang::quo_get_expr)
  if (length(statements) == 0L)
    abort("input",
          c(text_of("claim_needs_name_statement"), i = text_of("such_claim_h1_effect")))
  labels <- names(statements)
  for (i in seq_along(statements)) .bp <- add_claim(.bp, labels[i], statements[[i]])
  .bp
}

claim_relations <- c(">", "<", "==", "!=")

add_claim <- function(bp, name, statement) {
  if (!nzchar(name))
    abort("input", c(text_of("claim_has_no_name", statement = deparse_one(statement)),
                     i = text_of("write_claim_h1_statement")))
  if (is.character(statement)) {
    text <- statement
    statement <- parsed_text(text, function(condition) {
      abort("restriction", text_of("not_claim", value = quoted(text)))
    })
  }
  parsed <- parse_claim(statement)
  text <- paste(parsed$left$text, parsed$relation, parsed$right$text)
  if (name %in% names(bp$claims)) {
    if (identical(bp$claims[[name]], text))
      abort("duplicate", text_of("claim_is_declared_twice", name = quoted(name)))
    say(text_of("overridden", verb = "claim", earlier = name))
  }
  bp$claims[name] <- text
  bp
}

# Both sides as expressions that can be read, and the relation between them.
parse_claim <- function(statement) {
  text <- deparse_one(statement)
  relation <- if (is.call(statement) && is.symbol(statement[[1L]]))
    as.character(statement[[1L]]) else ""
  if (!relation %in% claim_relations || length(statement) != 3L) {
    hint <- if (relation %in% c(">=", "<="))
      text_of("use_direction", relation = substr(relation, 1L, 1L))
    abort("restriction", c(text_of("not_claim", value = text),
                           i = hint %||%
                           text_of("write_one_such_effect",
                                   claim_relations = enumerate(claim_relations, last = " or "))))
  }
  sides <- lapply(as.list(statement)[-1L], read_expression, read_only = TRUE)
  if (length(sides[[1L]]$inputs) + length(sides[[2L]]$inputs) == 0L) {
    abort("restriction",
          c(text_of("no_address", value = text), i = text_of("such_effect_belonging_staying")))
  }
  list(left = sides[[1L]], right = sides[[2L]], relation = relation,
       sides = as.list(statement)[-1L])
}

read_claims <- new.env(parent = emptyenv())
claim_addresses <- function(text) {
  read_once(text, read_claims, function(text) {
    parsed <- parse_claim(str2lang(text))
    sub("^standardized\\((.*)\\)$", "\\1", unique(c(parsed$left$inputs, parsed$right$inputs)))
  })
}

#' Name a derived quantity
#'
#' A quantity is a smooth expression of addresses, estimated with a
#' delta-method standard error from analytic derivatives (Bollen 1989). Besides the
#' parameters it may use `standardized(address)`, `total[a, b]`,
#' `indirect[a, b]`, `correlation[a, b]`, `r_squared[b]` and `quantity[name]`
#' of an earlier quantity, joined by `+ - * / ^ ( )`, `exp()`, `log()`, `sqrt()`.
#' It is listed by [estimates()] as `quantity[name]`.
#'
#' @param .bp A blueprint.
#' @param ... `name = expression` pairs; strings are read as expressions too.
#' @return The blueprint with the quantities added. A later quantity of the same
#'   name replaces an earlier one, with a message.
#' @section Errors: `orizzonte_error_input` for a quantity without a name;
#'   `orizzonte_error_restriction` for any other expression, or (when
#'   the model is laid out) mentions a parameter the model does not have.
#' @references
#' Bollen, K. A. (1989). *Structural equations with latent variables*. Wiley.
#' @seealso [effects.orizzonte_fit()], [claim()], [estimates()], which lists quantities.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Craft", reflected_in = cr1:cr3) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + Craft) |>
#'   quantity(ratio = effect[Belonging, Staying] / effect[Craft, Staying])
#' fit <- suppressMessages(fit_model(bp, choirs))
#' tail(as.data.frame(estimates(fit)), 1)
#' @export
quantity <- function(.bp, ...) {
  check_arguments("quantity", dots = TRUE)
  check_blueprint(.bp, "quantity")
  expressions <- lapply(rlang::enquos(...), rlang::quo_get_expr)
  if (length(expressions) == 0L) {
    abort("input",
          c(text_of("quantity_needs_name_expression"),
            i = text_of("such_quantity_ratio_effect")))
  }
  labels <- names(expressions)
  for (i in seq_along(expressions)) .bp <- add_quantity(.bp, labels[i], expressions[[i]])
  .bp
}

quantity_addresses <- function(text) {
  inputs <- read_expression(str2lang(text), read_only = TRUE)$inputs
  sub("^standardized\\((.*)\\)$", "\\1", inputs)
}

add_quantity <- function(bp, name, expression) {
  if (!nzchar(name)) {
    abort("input", c(text_of("quantity_has_no_name", expression = deparse_one(expression)),
                     i = text_of("write_quantity_name_expression")))
  }
  if (is.character(expression)) {
    text <- expression
    expression <- parsed_text(text, function(condition) {
      abort("restriction", text_of("not_expression", value = quoted(text)))
    })
  }
  text <- read_expression(expression, read_only = TRUE)$text
  if (name %in% names(bp$quantities)) {
    if (identical(bp$quantities[[name]], text))
      abort("duplicate", text_of("quantity_is_declared_twice", name = quoted(name)))
    say(text_of("overridden", verb = "quantity", earlier = name))
  }
  bp$quantities[name] <- text
  bp
}
