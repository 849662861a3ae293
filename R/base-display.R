# How results are shown: as a caller in R sees them, unless the command line asks for something else
# before it runs a command.

display <- new.env(parent = emptyenv())
display$command <- NULL  # a function of the words of a command that says it whole; NULL in R
display$quiet <- FALSE   # no progress
display$guarded <- TRUE  # CSV without texts that a spreadsheet would run
