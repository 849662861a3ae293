# The texts on the quality of measures.

add_texts(
  quality_good = "good",
  quality_acceptable = "acceptable",
  quality_falls_short = "falls short: {criteria}",
  quality_part = "part of {whole}: variance_split()")

add_instructions(
  variance_split = instruct("variance_split(fit)", c("quality", "--table", "split")),
  try_each_item = instruct("construct_quality(fit, leave_out = \"all\")",
                           c("quality", "--leave-out", "all"), purpose = "to try each item"),
  see_wordings = instruct("loading_plot(fit)",
                          c("draw", "--what", "loadings", "--out", "loadings.svg"),
                          purpose = "to see the loadings beside the item wording"))
