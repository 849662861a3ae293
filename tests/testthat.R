library(testthat)
library(orizzonte)

test_check("orizzonte")
