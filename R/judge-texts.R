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

add_texts(
  total_one_score = paste0(
    "Of the variance of the sum of all items {omega} is {general} (omega hierarchical), of what ",
    "the factors explain in single items {common} (explained common variance): ",
    "a total score measures {general} and little else."),
  total_general_with_parts = paste0(
    "Of the variance of the sum of all items {omega} is {general} (omega hierarchical), of what ",
    "the factors explain in single items {common} (explained common variance): ",
    "a total score can be read as {general}, with something of its parts in it."),
  total_mixture = paste0(
    "Of the variance of the sum of all items {omega} is {general} (omega hierarchical), of what ",
    "the factors explain in single items {common} (explained common variance): ",
    "a total score would mix {general} with its parts: better not add all items up."),
  total_cannot_tell = paste0(
    "Of the variance of the sum of all items {omega} is {general} (omega hierarchical), of what ",
    "the factors explain in single items {common} (explained common variance): ",
    "no verdict."),
  parts_add = paste0(
    "{parts} say{qty(count)}{?s/} much of {qty(count)}{?its/their} own beyond {general}: a score ",
    "of {qty(count)}{?its/their} items tells something more."),
  parts_repeat =
    "The parts say little beyond {general}: scores of their items would mostly repeat it.",
  split_in_group = "In {group}:")
