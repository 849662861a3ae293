# Who may open the live page, and what the browser may send.

inside <- asNamespace("orizzonte")
key <- strrep("ab", 32L)
request <- function(host = "127.0.0.1:4321", cookie = paste0("orizzonte-4321=", key), ...) {
  list(HTTP_HOST = host, HTTP_COOKIE = cookie, ...)
}
allowed <- function(...) inside$page_allowed(request(...), key, 4321L)

test_that("only this computer, with the cookie, from the page itself, is let in", {
  expect_true(allowed())
  expect_true(allowed("localhost:4321"))
  expect_true(allowed(cookie = paste0("other=1; orizzonte-4321=", key, "; more=2")))
  expect_true(allowed(HTTP_ORIGIN = "http://127.0.0.1:4321"))
  expect_false(allowed("127.0.0.1:4322"))
  expect_false(allowed("evil.example:4321"))
  expect_false(inside$page_allowed(list(HTTP_COOKIE = paste0("orizzonte-4321=", key)), key, 4321L))
  for (origin in c("http://evil.example", "null", "http://127.0.0.1:4322",
                   "https://127.0.0.1:4321"))
    expect_false(allowed(HTTP_ORIGIN = origin))
  for (cookie in list(NULL, "", "orizzonte-4321", "orizzonte-4321=", paste0("orizzonte-1=", key),
                      paste0("orizzonte-4321=", substr(key, 1L, 63L)),
                      paste0("orizzonte-4321=", key, "a"), paste0("xorizzonte-4321=", key)))
    expect_false(allowed(cookie = cookie))
})

test_that("the secret of the address is exchanged for a cookie that scripts cannot read", {
  skip_if_not_installed("shiny")
  ui <- inside$page_ui(key, 4321L)
  answer <- ui(list(HTTP_HOST = "127.0.0.1:4321", QUERY_STRING = paste0("?key=", key)))
  expect_identical(answer$status, 302L)
  expect_match(answer$headers$`Set-Cookie`, "^orizzonte-4321=.*HttpOnly.*SameSite=Strict")
  expect_identical(answer$headers$Location, "/")
  expect_identical(answer$headers$`Cache-Control`, "no-store")
  for (wrong in list(list(HTTP_HOST = "127.0.0.1:4321"),
                     list(HTTP_HOST = "127.0.0.1:4321", QUERY_STRING = "?key=abab"),
                     list(HTTP_HOST = "evil.example", QUERY_STRING = paste0("?key=", key)),
                     list(HTTP_HOST = "evil.example",
                          HTTP_COOKIE = paste0("orizzonte-4321=", key))))
    expect_identical(ui(wrong)$status, 403L)
  page <- as.character(ui(request()))
  expect_match(page, "id=\"panel\"", fixed = TRUE)
  # nothing is loaded from outside
  expect_false(grepl("(src|href)=\"?(https?:)?//", page))
  secrets <- replicate(20L, inside$page_secret())
  expect_identical(anyDuplicated(secrets), 0L)
  expect_true(all(nchar(secrets) >= 32L))
})

test_that("windows have states of their own, and what they send is read as texts", {
  expect_identical(inside$window_name("0123456789abcdef"), "0123456789abcdef")
  for (odd in list(NULL, 1, "short", c("0123456789abcdef", "x"), "0123456789abcde/",
                   strrep("a", 65L)))
    expect_identical(inside$window_name(odd), "unnamed")
  action <- inside$page_action(list(do = "use_data", name = "../../a.CSV",
                                    content = jsonlite::base64_enc(charToRaw("a,b\n1,2\n"))))
  expect_identical(dirname(action$file), tempdir())
  expect_match(action$file, "[.]csv$")
  expect_null(action$content)
  state <- inside$page_from(blueprint("x"), NULL, NULL, list())
  state <- inside$page_act(state, action)
  expect_identical(names(state$data), c("a", "b"))
  expect_identical(state$source$file, "../../a.CSV")
})

test_that("files to take away are the blueprint, the script, the study and reports", {
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  state <- inside$page_from(bp, choirs, "choirs", list())
  bytes <- function(name) jsonlite::base64_dec(inside$page_file(state, name)$content)
  text <- function(name) rawToChar(bytes(name))
  file <- tempfile(fileext = ".yaml")
  writeBin(bytes("blueprint"), file)
  expect_equal(read_blueprint(file)$constructs, bp$constructs)
  expect_match(text("script"), "fit_model(bp, data)", fixed = TRUE)
  expect_match(text("study"), "blueprint.yaml", fixed = TRUE)
  report <- inside$report_job$work(inside$current_version(state)$fit, "report.html")
  expect_match(rawToChar(report), "<!DOCTYPE html>", fixed = TRUE)
  expect_identical(inside$page_file(state, "../etc"), list())
  empty <- inside$page_from(blueprint("x"), NULL, NULL, list())
  expect_identical(inside$page_file(empty, "html"), list())
})

test_that("a job runs in another process, tells its progress, and its errors are read", {
  skip_if_not_installed("callr")
  worker <- inside$new_worker()
  on.exit(worker$kill())
  result <- function(work, input) {
    progress <- tempfile()
    deadline <- Sys.time() + 60
    sent <- FALSE
    repeat {
      made <- inside$heard_from(worker)
      if (!is.null(made) || Sys.time() > deadline) return(c(made, share = inside$job_share(
        list(progress = progress))))
      if (!sent && worker$get_state() == "idle") {
        worker$call(inside$run_job, list(work, input, progress), package = TRUE)
        sent <- TRUE
      }
      Sys.sleep(0.02)
    }
  }
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  fit <- quietly(fit_model(bp, choirs))
  here <- inside$state_jobs$bootstrap
  made <- result(here$work, list(fit = fit, reps = 3000))
  expect_identical(made$fit$values, quietly(bootstrap_fit(fit, reps = 3000, seed = 1))$values)
  if (requireNamespace("progressr", quietly = TRUE)) expect_gt(made$share, 0)
  # the process serves the next job, also after an error
  wrong <- result(here$work, list(fit = fit, reps = -1))
  expect_match(wrong$problem[1L], "reps")
  ladder <- result(inside$state_jobs$ladder$work,
                   list(blueprint = bp, data = choirs, by = "setting", over = NULL,
                        options = list(inference = "robust")))
  expect_s3_class(ladder$fit, "orizzonte_ladder")
  worker$kill()
  expect_false(worker$is_alive())
})

test_that("a job that has ended is kept, refused, or explained", {
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  state <- inside$page_from(bp, choirs, "choirs", list())
  job <- inside$new_job(list(do = "refits", top = 5L), list(fit = NULL, top = 5L), state$at)
  kept <- inside$concluded(state, job, list(fit = "found"))
  expect_identical(kept$found$amendments, "found")
  expect_identical(kept$found$refitted, 5L)
  expect_null(kept$message)
  failed <- inside$concluded(state, job, list(problem = "no memory"))
  expect_identical(failed$message, "no memory")
  expect_identical(failed$found$refitted, Inf)
  job$at <- state$at + 1L
  late <- inside$concluded(state, job, list(fit = "found"))
  expect_null(late$found$amendments)
  expect_match(late$message, "version")
})

test_that("what takes longer than the page waits is given up, and nothing is changed", {
  expect_identical(inside$within_seconds(1 + 1, 1), 2)
  expect_error(inside$within_seconds(stop("wrong"), 1), "wrong")
  options_before <- options("show.error.messages", "error")
  spin <- function() repeat sqrt(2)
  expect_null(inside$within_seconds(spin(), 0.1))
  # also where code in between catches the time limit
  expect_null(inside$within_seconds(tryCatch(spin(), error = function(e) "caught"), 0.1))
  expect_identical(options("show.error.messages", "error"), options_before)
  # no time limit remains
  expect_identical(inside$within_seconds({
    Sys.sleep(0.2)
    "there"
  }, 5), "there")
  # the core is stopped in the middle of a fit
  set.seed(1)
  data <- choirs[sample(nrow(choirs), 6000, TRUE), paste0(c("be", "sc"), rep(1:4, each = 2))]
  data[matrix(runif(6000 * 8) < 0.2, 6000)] <- NA
  bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4)
  took <- system.time(none <- inside$within_seconds(quietly(bootstrap_fit(
    fit_model(bp, data), 2000, seed = 1)), 0.4))[["elapsed"]]
  expect_null(none)
  expect_lt(took, 3)
})

test_that("a step gives the state of its action, arranged, wherever it is done", {
  skip_if_not_installed("callr")
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  state <- inside$page_from(bp, choirs, "choirs", list())
  drawn <- inside$page_step(state, NULL, list())$drawn
  action <- list(do = "free", address = "covariance[sc1, sc2]", because = "both of nerves")
  here <- inside$page_step(state, action, drawn)
  expect_identical(inside$current_version(here$state)$kind, "amend")
  expect_identical(here$drawn$of, list(2L, NULL))
  job <- inside$new_job(list(do = "step"), list(state = state, action = action, drawn = drawn), 1L)
  there <- callr::r(inside$run_job, list(inside$job_named("step")$work, job$input, job$progress),
                    package = TRUE, libpath = .libPaths())
  expect_identical(there$places, here$places)
  expect_match(there$places$panel, "both of nerves", fixed = TRUE)
  expect_null(inside$job_share(job))
})

test_that("a report from the page holds the ladder and the bootstrap that were made", {
  skip_if_not_installed("xml2")
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  state <- inside$page_from(bp, choirs, "choirs", list()) |>
    inside$page_act(list(do = "bootstrap", reps = "20"))
  report_of_page <- function(state) {
    input <- inside$report_job$input(state, list(file = "report.html"))
    xml2::read_html(rawToChar(do.call(inside$report_job$work, input)))
  }
  headings <- function(report) xml2::xml_text(xml2::xml_find_all(report, "//h1 | //h2"))
  # without a ladder, the intervals of the estimates are those of the bootstrap
  report <- report_of_page(state)
  expect_match(xml2::xml_text(report), "from 20 bootstrap replicates (seed 1", fixed = TRUE)
  expect_identical(headings(report)[1L], "Calm")
  state <- inside$page_act(state, list(do = "ladder", by = "setting"))
  expect_identical(headings(report_of_page(state)),
                   c("Calm", "The fitted model", "Bootstrap results", "Measurement invariance"))
})
