library(testthat)
library(rowanroot)

test_check("rowanroot")
