# The texts on how estimation ended. Numbers are the codes of the core (`Status`).

add_texts(
  status_converged = "converged",
  status_not_converged = "not converged: {reason}",
  stopped_1 = "the iteration limit was reached",
  stopped_2 = "no step decreases the discrepancy any further",
  stopped_3 = "the solution is stationary but not a minimum",
  stopped_4 = "the information matrix is singular at the solution",
  stopped_5 = "no admissible starting values were found",
  stopped_6 = "interrupted",
  stopped_7 = "the restrictions contradict each other")

add_instructions(
  rescue = instruct("rescue(blueprint, data)", "rescue"))

add_texts(
  needs_fit_converged = "{verb}() needs a fit that converged.",
  one_has = "This fit has {fit}.",
  tries_usual_remedies = "{instruction} tries the usual remedies.")
