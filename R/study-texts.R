# Texts and instructions on studies.

add_instructions(
  fit_blueprint_file = instruct("Fit it: fit_model(read_blueprint(file), data).",
                                text = "Fit it: orizzonte fit {file} DATA"),
  new_study = instruct("new_study_files() writes a study to start from.",
                       text = "orizzonte new study writes a study to start from."),
  run_anywhere = instruct("If you trust the study: run_study(file, anywhere = TRUE).",
                          text = "If you trust the study: orizzonte run {file} --anywhere."),
  move_aside = instruct("To move it aside: file.rename({from}, {to})",
                        text = "To move it aside: mv {path} {new_path}"))
