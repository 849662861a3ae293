# Checks the accessibility of HTML reports with axe-core: of a fit, of a ladder, and the index of a
# study, in light and dark. Needs npm and Chromium; without them the check is skipped with one line.
suppressPackageStartupMessages(library(orizzonte))

skip <- function(what) {
  cat("accessibility: skipped,", what, "\n")
  quit(save = "no")
}
browser <- Filter(nzchar, Sys.which(c("chromium", "chromium-browser", "google-chrome")))
if (length(browser) == 0L) skip("Chromium is not installed")
if (!nzchar(Sys.which("npm"))) skip("npm is not installed")

folder <- file.path(".build", "accessibility")
unlink(file.path(folder, "pages"), recursive = TRUE)
dir.create(file.path(folder, "pages"), showWarnings = FALSE, recursive = TRUE)
axe_file <- file.path(folder, "node_modules", "axe-core", "axe.min.js")
if (!file.exists(axe_file))
  system2("npm", c("install", "--silent", "--no-audit", "--no-fund", "--prefix", folder,
                   "axe-core"),
          stdout = FALSE, stderr = FALSE)
if (!file.exists(axe_file)) skip("axe-core could not be fetched")
axe <- readLines(axe_file, warn = FALSE, encoding = "UTF-8")

# --- pages ---------------------------------------------------------------------------------------

pages <- file.path(folder, "pages")
bp <- read_blueprint(system.file("extdata", "choirs.yaml", package = "orizzonte"))
fit <- suppressMessages(fit_model(bp, choirs))
write_report(fit, file.path(pages, "fit.html"), quiet = TRUE)
ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
write_report(suppressMessages(loosen(ladder, "metric")), file.path(pages, "ladder.html"),
             quiet = TRUE)
study <- file.path(folder, "study")
unlink(study, recursive = TRUE)
dir.create(study)
new_study_files(study)
utils::write.csv(choirs, file.path(study, "choirs.csv"), row.names = FALSE)
suppressMessages(run_study(file.path(study, "study.yaml")))
index <- list.files(study, "^index[.]html$", recursive = TRUE, full.names = TRUE)
invisible(file.copy(index, pages))

# --- the check -----------------------------------------------------------------------------------

# The page with axe in it, which leaves its findings in an element of the page.
run_axe <- paste(
  "document.querySelectorAll('details').forEach(function (part) { part.open = true; });",
  "axe.run(document, {resultTypes: ['violations']}).then(function (found) {",
  "  var out = document.createElement('pre'); out.id = 'axe-findings';",
  "  out.textContent = JSON.stringify(found.violations.map(function (one) {",
  "    return {rule: one.id, impact: one.impact, help: one.help,",
  "            where: one.nodes.slice(0, 3).map(function (node) {",
  "              return node.target.join(' '); }),",
  "            count: one.nodes.length}; }));",
  "  document.body.appendChild(out); });", sep = "\n")

check_page <- function(page, dark) {
  text <- paste(readLines(page, warn = FALSE, encoding = "UTF-8"), collapse = "\n")
  parts <- strsplit(text, "</body>", fixed = TRUE)[[1L]]
  probe <- file.path(dirname(page), paste0("probe-", basename(page)))
  probing <- c("<script>", axe, "</script><script>", run_axe, "</script></body>")
  writeLines(enc2utf8(c(parts[1L], probing, parts[-1L])), probe, useBytes = TRUE)
  profile <- tempfile()
  shown <- suppressWarnings(system2(browser[[1L]], c(
    "--headless", "--no-sandbox", "--disable-gpu", "--window-size=1280,800",
    paste0("--user-data-dir=", profile), if (dark) "--blink-settings=preferredColorScheme=0",
    "--virtual-time-budget=20000", "--dump-dom", shQuote(paste0("file://", normalizePath(probe)))),
    stdout = TRUE, stderr = FALSE))
  found <- regmatches(shown, regexpr("<pre id=\"axe-findings\".*</pre>", shown))
  if (length(found) == 0L) return(list(rule = "no result", where = page))
  found <- gsub("<[^>]*>", "", found)
  for (pair in list(c("&gt;", ">"), c("&lt;", "<"), c("&quot;", "\""), c("&amp;", "&")))
    found <- gsub(pair[1L], pair[2L], found, fixed = TRUE)
  jsonlite::fromJSON(found, simplifyVector = FALSE)
}

failed <- 0L
for (page in list.files(pages, "^[^p].*[.]html$", full.names = TRUE)) for (dark in c(FALSE, TRUE)) {
  found <- check_page(page, dark)
  cat(sprintf("accessibility: %-12s %-5s %d violations\n", basename(page),
              if (dark) "dark" else "light", length(found)))
  for (one in found)
    cat("  ", one$rule, " (", one$impact, "): ", one$help, "; ", one$count, " times, at ",
        paste(unlist(one$where), collapse = ", "), "\n", sep = "")
  failed <- failed + length(found)
}
quit(save = "no", status = if (failed > 0L) 1L else 0L)
