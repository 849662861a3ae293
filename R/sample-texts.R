# Texts and instructions on samples.

add_instructions(
  fit_blueprint = instruct("fit_model(blueprint, data)", "fit"),
  screen_with_blueprint = instruct("screen_data(data, blueprint)", "screen"),
  see_missing = instruct("plot(screen_data(data), what = \"missing\")", "screen"),
  robust = instruct("inference = \"robust\"", text = "--inference robust"),
  declare_codes = instruct("missing_codes = {r_codes}", text = "--missing-codes {codes}"),
  use_clusters = instruct("clusters = {address}", text = "--clusters {column}"))
