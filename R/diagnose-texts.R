# The texts of amendments.

add_texts(
  amendment_misspecified = "misspecified",
  amendment_within_chance = "within chance",
  amendment_negligible = "negligible",
  amendment_not_misspecified = "not misspecified",
  amendment_cannot_tell = "cannot tell",

  path_could_be_removed = "could be removed",
  path_needed = "needed",

  confirmed_found_again = "found again",
  confirmed_same_sign = "same sign, not significant",
  confirmed_other_sign = "other sign",
  confirmed_not_known = "cannot be judged")

add_instructions(
  see_not_offered = instruct(
    "amendments(fit, all = TRUE) lists what is not offered, with the reason.",
    text = "Option --all lists what is not offered, with the reason."),
  amend_free = instruct("amend(fit, free = {address}, because = \"...\")",
                        c("amend", "--free", "{address}", "--because", "...", "--out",
                          "next.yaml")),
  amend_fix = instruct("amend(fit, fix = {address} == 0, because = \"...\")",
                       c("amend", "--fix", "{address} == 0", "--because", "...", "--out",
                         "next.yaml")),
  after_without = instruct("estimates(fit), amendments(fit)"),
  adopt_rescue = instruct(
    "rescued$fits[[{attempt}]], or make the change in the blueprint and fit again",
    text = "make the change in the blueprint and fit again"))
