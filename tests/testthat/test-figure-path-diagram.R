test_that("values are shortened by their size", {
  expect_identical(unname(diagram_text(c(0.4567, 12.345, 234.56, NA, -0.5), rep(NA, 5), "raw")),
                   c("0.46", "12.3", "235", "", "-0.50"))
  expect_identical(unname(diagram_text(c(2, 3), c(0.5, NA), "both")), c("2.00 (.50)", "3.00"))
  expect_identical(diagram_text(0, c(-0.001, 0.5, -0.2), "standardized"), c(".00", ".50", "-.20"))
  expect_identical(diagram_text(1, 1, "none"), "")
})

test_that("the diagram is a ggplot that draws, with values chosen and boxes nudged", {
  fit <- demo_fits()$one
  for (values in c("standardized", "raw", "both", "none"))
    expect_s3_class(path_diagram(fit, values), "ggplot")
  file <- tempfile(fileext = ".png")
  save_figure(plot(fit), file)
  expect_gt(file.size(file), 5000)
  expect_error(path_diagram(fit, nudge = data.frame(name = "bee1", dx = 1, dy = 0)),
               text_pattern("did_you_mean", near = "\"be1\""), class = "orizzonte_error_name")
  expect_error(path_diagram(fit, nudge = data.frame(name = "be1", dx = "a", dy = 0)),
               class = "orizzonte_error_input")
  expect_error(path_diagram(fit, nudge = data.frame(name = c("be1", "be1"), dx = 1, dy = 0)),
               "twice", class = "orizzonte_error_input")
  expect_error(path_diagram(fit, values = "std"), class = "orizzonte_error_input")
  expect_error(path_diagram(fit, page = 3), text_pattern("page_must_be_width"),
               class = "orizzonte_error_input")
  expect_error(path_diagram(fit, r_squared = NA), class = "orizzonte_error_input")
})

texts_drawn <- function(plot) {
  unlist(lapply(plot$layers, function(layer) {
    layer$data$text %||% as.character(layer$data$label)
  }))
}

test_that("on request: what is explained, and what is not significant in grey", {
  fit <- demo_fits()$composite
  explained <- r_squared(fit)
  staying <- explained$r_squared[explained$variable == "Staying"]
  shown <- texts_drawn(path_diagram(fit, r_squared = TRUE))
  expect_true(paste("R\u00b2", format_share(staying)) %in% shown)
  expect_false(any(grepl("R\u00b2", texts_drawn(path_diagram(fit)))))
  grey <- path_diagram(fit, grey_nonsignificant = TRUE)
  rows <- estimates(fit)
  drawn <- rows$kind %in% c("loading", "effect", "weight") & !is.na(rows$p)
  faint <- unlist(lapply(grey$layers, function(layer) {
    if (is.null(layer$data$faint) || is.null(layer$data$id)) return(NULL)
    by <- !duplicated(layer$data$id) & layer$data$type %in% arrow_kinds
    sum(layer$data$faint[by])
  }))
  expect_equal(sum(faint), sum(rows$p[drawn] >= 0.05))
  expect_gt(sum(faint), 0)
})

test_that("up to four groups stand side by side in one arrangement, more get a page each", {
  bp <- blueprint("Groups") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4)
  three <- path_diagram(quiet_fit(bp, choirs, by = town))
  expect_s3_class(three, "ggplot")
  boxes <- three$layers[[which(vapply(three$layers, function(x) inherits(x$geom, "GeomTile"), NA))]]
  places <- split(boxes$data[c("name", "x", "y")], boxes$data$panel)
  expect_length(places, 3)
  for (place in places[-1]) expect_equal(place, places[[1]], ignore_attr = TRUE)
  many <- transform(choirs, choir = paste("choir", rep_len(1:6, nrow(choirs))))
  pages <- path_diagram(quiet_fit(bp, many, by = choir))
  expect_s3_class(pages, "orizzonte_pages")
  expect_identical(names(pages), paste("choir", 1:6))
  folder <- fresh_folder()
  files <- save_figure(pages, file.path(folder, "d.png"))
  expect_identical(basename(files), paste0("d-", 1:6, ".png"))
  expect_true(all(file.size(files) > 5000))
  whole <- save_figure(pages, file.path(folder, "d.pdf"))
  expect_identical(basename(whole), "d.pdf")
  expect_s3_class(path_diagram(quiet_fit(bp, many, by = choir), groups = c("choir 2", "choir 5")),
                  "ggplot")
})

test_that("a plain PDF device draws every letter without a warning", {
  fit <- demo_fits()$structural
  file <- tempfile(fileext = ".pdf")
  grDevices::pdf(file)
  expect_no_warning(print(path_diagram(fit, r_squared = TRUE)))
  expect_no_warning(print(residual_map(fit)))
  expect_no_warning(print(loading_plot(fit)))
  expect_no_warning(print(plot(amendments(fit, top = 0))))
  expect_no_warning(print(plot(screen_data(choirs))))
  grDevices::dev.off()
  expect_gt(file.size(file), 1000)
})

test_that("reliability and explained variance are tags beside constructs, and an arc around them", {
  fit <- quiet_fit(read_blueprint(extdata("choirs-start.yaml")), choirs)
  texts <- function(plot) unlist(lapply(plot$layers, function(layer) layer$data$text))
  quality <- as.data.frame(construct_quality(fit))
  drawn <- path_diagram(fit, reliability = TRUE, r_squared = TRUE)
  shown <- texts(drawn)
  for (k in seq_len(nrow(quality))) {
    omega <- paste("omega", sub("^0", "", sprintf("%.2f", quality$omega[k])))
    expect_true(any(startsWith(shown, omega)), label = omega)
  }
  explained <- r_squared(fit)
  staying <- explained$r_squared[explained$variable == "Staying"]
  expect_true(any(endsWith(shown, paste("R\u00b2", sub("^0", "", sprintf("%.2f", staying))))))
  # the arc: clockwise from the top, as far as the explained proportion
  arcs <- Filter(function(layer) {
    is.data.frame(layer$data) && all(c("x", "y", "id") %in% names(layer$data)) &&
      identical(layer$aes_params$linewidth, 1.3)
  }, drawn$layers)
  arc <- arcs[[1]]$data[arcs[[1]]$data$id == "Staying", ]
  top <- which.max(arc$y)
  expect_equal(top, 1L)
  expect_gt(arc$x[2], arc$x[1])
  half <- arc$x[1] + (max(arc$x) - arc$x[1]) * cos(pi / 2 - 2 * pi * staying)
  expect_equal(arc$x[nrow(arc)], half, tolerance = 1e-4)
  expect_false(any(grepl("omega|R\u00b2", texts(path_diagram(fit)))))
  groups <- quiet_fit(read_blueprint(extdata("choirs.yaml")), choirs, by = "setting")
  by_group <- as.data.frame(construct_quality(groups))
  shown <- texts(path_diagram(groups, reliability = TRUE))
  for (group in c("evening", "weekend")) {
    omega <- by_group$omega[by_group$construct == "Calm" & by_group$group == group]
    expect_true(paste("omega", sub("^0", "", sprintf("%.2f", omega))) %in% shown, label = group)
  }
})

test_that("a figure that is laid out beforehand is drawn as it would be printed", {
  fit <- quiet_fit(read_blueprint(extdata("choirs-start.yaml")), choirs)
  svg <- function(figure) {
    file <- tempfile(fileext = ".svg")
    save_figure(figure, file)
    gsub("surface[0-9]+", "surface", readLines(file))       # the device counts its figures
  }
  for (figure in list(path_diagram(fit), residual_map(fit), loading_plot(fit)))
    expect_identical(svg(laid_out(figure)), svg(figure))
  pages <- structure(list(residual_map(fit), loading_plot(fit)), class = "orizzonte_pages")
  folder <- tempfile()
  dir.create(folder)
  drawn <- laid_out(pages)
  expect_s3_class(drawn, "orizzonte_pages")
  files <- save_figure(drawn, file.path(folder, "a.png"))
  expect_identical(basename(files), c("a-1.png", "a-2.png"))
  expect_true(all(file.size(files) > 1000))
})

test_that("an item with several loadings stands beside its strongest construct, in every group", {
  start <- quiet_fit(read_blueprint(extdata("choirs-start.yaml")), choirs)
  fit <- suppressMessages(amend(start, free = loading[Calm, st2], because = "calm"))
  owner <- function(layout, strength) {
    arrange_diagram(layout, character(length(strength)), strength)$nodes |>
      (\(nodes) stats::setNames(nodes$owner, nodes$name))()
  }
  rows <- fit$layout$rows
  size <- standardized_of(fit)$value
  both <- rows$kind == "loading" & rows$second == "st2"
  strongest <- rows$first[both][which.max(abs(size[both]))]
  expect_identical(owner(fit$layout, size)[["st2"]], strongest)
  turned <- replace(size, which(both), rev(size[both]))
  expect_identical(owner(fit$layout, turned)[["st2"]], setdiff(rows$first[both], strongest))
})
