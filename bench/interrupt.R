# How soon an interrupt stops a fit that never converges: noise in 70 columns, 35 constructs. It is
# sent at several moments; the time until the call returns. Usage: Rscript bench/interrupt.R
noise <- function(begun) {
  set.seed(1)
  x <- as.data.frame(matrix(stats::rnorm(70 * 120), 120))
  names(x) <- paste0("v", 1:70)
  bp <- orizzonte::blueprint("noise")
  for (k in 1:35) {
    bp <- orizzonte::construct(bp, paste0("C", k), reflected_in = !!names(x)[2 * k - 1:0])
  }
  file.create(begun)
  tryCatch({
    orizzonte::fit_model(bp, x)
    NA_real_
  }, interrupt = function(e) as.numeric(Sys.time()))
}

delay_after <- function(seconds) {
  begun <- tempfile()
  process <- callr::r_bg(noise, list(begun), libpath = .libPaths())
  while (!file.exists(begun) && process$is_alive()) Sys.sleep(0.05)
  Sys.sleep(seconds)
  sent <- as.numeric(Sys.time())
  process$interrupt()
  process$wait(60000)
  process$get_result() - sent
}

moments <- c(0.3, 0.6, 1, 1.5, 2, 3, 4, 6)
delays <- vapply(moments, delay_after, 0)
print(data.frame(sent_after = moments, stopped_after = round(delays, 3)), row.names = FALSE)
worst <- max(delays)
cat(sprintf("longest %.3f s; budget 0.2 s: %s\n", worst, if (worst <= 0.2) "yes" else "NO"))
quit(save = "no", status = if (isTRUE(worst <= 0.2)) 0L else 1L)
