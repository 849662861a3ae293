# Auxiliary variables: outside the model, but telling of what is missing. The model is fitted
# jointly with them, their covariances with each other and with every residual of an observed
# variable free, so that they cost no degree of freedom and hold nothing (Graham 2003). What is read
# is the model alone; what is tested rests on the joint fit.

joint_blueprint <- function(bp, auxiliary) {
  observed <- blueprint_variables(bp)$observed
  pairs <- rbind(expand.grid(first = auxiliary, second = observed, stringsAsFactors = FALSE),
                 all_pairs(auxiliary))
  constructs <- names(bp$constructs)
  apart <- expand.grid(first = auxiliary, second = constructs, stringsAsFactors = FALSE)
  bp$covary <- Map(c, bp$covary, as.list(pairs))
  bp$uncorrelate <- Map(c, bp$uncorrelate, as.list(apart))
  bp
}

all_pairs <- function(names) {
  at <- which(lower.tri(diag(length(names))), arr.ind = TRUE)
  data.frame(first = names[at[, 2L]], second = names[at[, 1L]])
}

# The fit of a model beside auxiliary variables: the model's own layout, its part of the joint
# solution, and the joint fit.
beside_auxiliary <- function(joint, request, layout = met_layout(request, sample)) {
  sample <- without_auxiliary(joint$sample)
  known <- joint$solution
  theta <- known$theta[layout$parameters]
  used <- match(layout$parameters[layout$model$used], joint$layout$parameters)
  at <- match(used, joint$layout$model$used)
  eta <- known$eta[match(layout$rows$parameter, joint$layout$rows$parameter)]
  own <- length(known$vcov) > 0L
  solution <- utils::modifyList(unclass(known), list(
    theta = theta, eta = eta, known = unname(known$known[at]),
    vcov = if (own) known$vcov[at, at, drop = FALSE] else known$vcov,
    inflation = if (length(known$inflation)) known$inflation[at] else known$inflation))
  layout$rows$status <- joint$layout$rows$status[match(layout$rows$parameter,
      joint$layout$rows$parameter)]
  fit <- new_fit(request, sample, layout, structure(solution, class = class(known)))
  fit$joint <- joint
  fit
}

# The sample of the model's variables alone.
without_auxiliary <- function(sample) {
  gone <- sample$auxiliary
  sample$groups <- lapply(sample$groups, function(group) {
    block <- group$blocks[[1L]]
    keep <- which(!block$variables %in% gone)
    group$blocks <- list(part_of_block(block, keep))
    group$patterns <- lapply(group$patterns, function(pattern) {
      part_of_block(pattern, which(!pattern$variables %in% gone))
    })
    inside <- group$unseen[, 1L] %in% keep & group$unseen[, 2L] %in% keep
    group$unseen <- matrix(match(group$unseen[inside, ], keep), ncol = 2L)
    group$holes <- group$holes[!names(group$holes) %in% gone]
    group
  })
  sample$with_auxiliary <- gone
  sample$auxiliary <- character()
  sample$joint <- FALSE
  sample
}

# The sample to fit again, auxiliary variables included.
sample_behind <- function(fit) {
  sample <- whole_fit(fit)$sample
  sample$joint <- FALSE
  sample
}

# The fit that likelihoods, scores and tests are those of.
whole_fit <- function(fit) fit$joint %||% fit
