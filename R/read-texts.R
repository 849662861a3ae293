# Texts and instructions on what a fit holds.

add_instructions(
  see_estimates = instruct("estimates(fit)", "fit"),
  see_summary = instruct("summary(fit_model(blueprint, data))", "fit"),
  see_residuals = instruct("residuals(fit, largest = 10)",
                           text = "the largest residuals (orizzonte diagnose)"),
  all_indices = instruct("fit_indices(fit)", text = "orizzonte fit --table fit_indices"),
  read_fit = instruct("summary(fit), estimates(fit), amendments(fit), path_diagram(fit)", "fit"),
  read_saturated = instruct("summary(fit), estimates(fit), path_diagram(fit)", "fit"),
  read_unconverged = instruct("summary(fit), estimates(fit), path_diagram(fit)", "rescue"),
  after_summary = instruct(paste0("amendments(fit), residual_map(fit), path_diagram(fit), ",
                                  "write_report(fit, \"report.html\")"), "diagnose"),
  after_saturated_summary = instruct(paste0("equations(fit), path_diagram(fit), ",
                                            "write_report(fit, \"report.html\")"),
                                     c("draw", "--out", "diagram.png")),
  rescue_trouble = instruct("rescue(blueprint, data)", "rescue",
                            purpose = "to try the usual remedies and see what each does"),
  first_amendment = instruct("amendments(fit), then amend(fit, free = ..., because = \"...\"),",
                             "diagnose", purpose = "to see what could be amended"),
  confirm_trail = instruct("confirm(fit, fresh_data)", c("confirm", "FRESH"),
                           purpose = "to fit start and end to other cases"),
  or_amend = instruct("Or: amendments(fit) to see what is left"))
