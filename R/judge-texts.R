# The texts on the quality of measures.

add_texts(
  quality_good = "good",
  quality_acceptable = "acceptable",
  quality_falls_short = "falls short: {criteria}",
  quality_part = "part of {whole}: variance_split()")
