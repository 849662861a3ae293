test_that("texts take the room of their letters", {
  # ten digits of 556 thousandths at 10 points, in a font that may be wider
  ten <- text_box("0123456789", 10)$w - 0.04
  expect_equal(ten, 10 * 0.556 * 10 / 72 * widest_font)
  expect_lt(text_box("ill", 10)$w, text_box("WWW", 10)$w / 2)
  expect_gt(text_box("\u5408\u5531", 10)$w, text_box("ab", 10)$w)
  two <- text_box("a\nb", 10)
  expect_equal(two$w, text_box("a", 10)$w)
  expect_gt(two$h, 1.8 * text_box("a", 10)$h)
  expect_gt(text_box("Calm", 10, bold = TRUE)$w, text_box("Calm", 10)$w)
})

test_that("a sans serif font needs no more room than the table says", {
  grDevices::pdf(NULL)
  on.exit(grDevices::dev.off())
  for (text in c("Belonging", "Calm on stage", "-0.63 (0.41)", "R\u00b2 = 0.50")) {
    grob <- grid::textGrob(text, gp = grid::gpar(fontsize = 9))
    drawn <- grid::convertWidth(grid::grobWidth(grob), "inches", valueOnly = TRUE)
    expect_lte(drawn, text_box(text, 9)$w)
    expect_gte(drawn, 0.7 * text_box(text, 9)$w)
  }
})

test_that("long names are wrapped at spaces and joints, at need anywhere", {
  expect_identical(wrap_name(c("Calm", "Belonging to the choir")),
                   c("Calm", "Belonging to\nthe choir"))
  expect_identical(wrap_name("rehearsal_attendance_rate"), "rehearsal_\nattendance_\nrate")
  expect_identical(wrap_name(strrep("x", 30)), paste0(strrep("x", 14), "\n", strrep("x", 14),
                                                      "\nxx"))
  expect_identical(wrap_name(""), "")
  expect_true(all(nchar(strsplit(wrap_name("a b c d e f g h i j k l m n"), "\n")[[1]]) <= 14))
})
