# Texts and instructions on comparisons of models.

add_instructions(
  see_estimates_differ = instruct("side_by_side() shows how estimates differ."))
