# Draws the figures of docs/screenshots/ anew from the demo data (pictures of terminals and of pages
# are taken by hand). Usage: R_LIBS=.build/library Rscript tools/screenshots.R
suppressPackageStartupMessages(library(orizzonte))
options(cli.progress_show_after = 1e6)
quietly <- function(code) suppressWarnings(suppressMessages(code))
model <- function(name) {
  read_blueprint(system.file("extdata", "models", paste0(name, ".yaml"), package = "orizzonte"))
}
keep <- function(figure, name) {
  grDevices::png(file.path("docs", "screenshots", paste0(name, ".png")), 12.8, 8, units = "in",
                 res = 100, type = "cairo", bg = "white")
  print(figure)
  grDevices::dev.off()
}
demo <- read_blueprint(system.file("extdata", "choirs.yaml", package = "orizzonte"))
fit <- quietly(fit_model(demo, choirs))
structural <- quietly(fit_model(model("structural"), choirs))
ladder <- quietly(invariance(demo, choirs, by = setting))
keep(path_diagram(fit), "diagram")
keep(path_diagram(structural, r_squared = TRUE), "structural")
keep(plot(bootstrap_fit(structural, 1000, seed = 1, what = effects)), "bootstrap")
keep(plot(construct_quality(fit)), "quality")
concerts <- blueprint("Calm and joy over two concerts") |>
  repeated("Calm", times = list(Calm_first = ca1_t1:ca4_t1, Calm_second = ca1_t2:ca4_t2)) |>
  repeated("Joy", times = list(Joy_first = jo1_t1:jo3_t1, Joy_second = jo1_t2:jo3_t2)) |>
  effect(Calm_second ~ Calm_first + Joy_first, Joy_second ~ Joy_first + Calm_first) |>
  covary(Calm_second, Joy_second) |>
  hold_equal(loading, intercept, across = "times") |>
  let_differ(intercept[ca3_t2])
keep(path_diagram(quietly(fit_model(concerts, choirs_concerts))), "times")
keep(plot(approximate_means(quietly(fit_model(demo, choirs, by = town)))), "many-groups")
calm <- quietly(fit_model(blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4),
                          stats::na.omit(choirs[c(paste0("sc", 1:4), "age")])))
along <- stats::na.omit(choirs[c(paste0("sc", 1:4), "age")])
keep(plot(constancy(calm, age, c("loadings", "intercepts"), data = along, reps = 200),
          show = "curves"), "constancy")
keep(plot(ladder), "invariance")
complete <- quietly(fit_model(model("structural"), choirs, incomplete = "drop"))
keep(plot(model_cutoffs(complete, reps = 300, seed = 1)), "cutoffs")
claimed <- claim(model("structural"), H1 = effect[Calm, Staying] > 0,
                 H2 = effect[Belonging, Staying] > 0)
keep(plot(robustness(quietly(fit_model(claimed, choirs)))), "robustness")
