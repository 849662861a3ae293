# The texts of amendments.

add_texts(
  amendment_misspecified = "misspecified",
  amendment_within_chance = "within chance",
  amendment_negligible = "negligible",
  amendment_not_misspecified = "not misspecified",
  amendment_cannot_tell = "cannot tell")
