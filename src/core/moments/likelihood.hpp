// Likelihoods of the missing patterns of one group under normality.
#pragma once
#include "block.hpp"

namespace orizzonte {

// -2 log-likelihood of the cases of the patterns under a mean vector and a covariance matrix
// (Arbuckle 1996). Missing if the covariance matrix of the variables of a pattern is not positive
// definite.
double pattern_deviance(const Sequence<Block>& patterns, const Matrix& covariance,
                        const Vector& mean);

// -2 log-likelihood of single variables, each with the mean and the variance of the cases that have
// it, added up: in closed form.
double single_deviance(const Sequence<Block>& patterns, const Sequence<int>& variables);

}  // namespace orizzonte
