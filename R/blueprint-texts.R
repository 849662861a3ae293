# Texts and instructions on blueprints.

add_instructions(
  run_study_file = instruct("Run it: run_study(file).", text = "Run it: orizzonte run {file}"),
  restrict_where = instruct("with restrict()", text = "under `restrict:` in the blueprint"))
