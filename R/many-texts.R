# Texts and instructions on what is fitted many times.

add_instructions(
  use_intervals = instruct("estimates(fit, bootstrap = ...) takes these instead of its own",
                           "cutoffs"),
  test_by_bootstrap = instruct(
    "as.data.frame() of this for all digits, bootstrap_test(fit) for the p of the model",
    "cutoffs"),
  plot_cutoffs = instruct("plot() of this", "report",
                          purpose = "to see how far right and wrong models lie apart"),
  refit_without_rows = instruct("refit(fit, omit_rows = ...)",
                                purpose = "to fit without one of them"),
  plot_plan = instruct("plot() of this for power by n, as.data.frame() for all parameters"),
  plot_robustness = instruct("plot() of this", "report"))

add_texts(
  cutoff_firm = "firm",
  cutoff_lenient = "lenient",
  cutoff_none = "none",
  cutoff_passes = "passes",
  cutoff_fails = "fails",
  cutoff_cannot_tell = "cannot tell",
  no_misspecification =
    "No plausible misspecification was found; specify one with `misspecified`.")
