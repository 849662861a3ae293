# The palette, defined once: a dusk-to-dawn ramp, told apart by colour-blind readers and in grey.
palette_dusk <- c(deep = "#1F3A5F", slate = "#5B7189", mist = "#E7EDF3", sand = "#F6EFDF", dune = "#D9C39A", amber = "#B8641B", ink = "#1F2A33")
