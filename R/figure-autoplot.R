# What plot() draws, for those who say autoplot(); registered when ggplot2 is loaded.

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_fit <- function(object, ...) path_diagram(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_ladder <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_amendments <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_trail <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_screen <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_cutoffs <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_plan <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_influence <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_robustness <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_bootstrap <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_quality <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_variance_split <- function(object, ...) plot(object, ...)
