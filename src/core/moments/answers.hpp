// What single columns of answers look like, and all of them together.
#pragma once
#include "../linear/dense.hpp"

namespace orizzonte {

// Missing answers are NaN and left out. NaN in place of what does not exist.
struct Answers {
  double low;     // the smallest answer
  double high;    // the largest one
  double at_low;  // proportion of the cases at these
  double at_high;
  double kurtosis;  // in excess of the normal distribution
  int distinct;     // different answers, counted up to `most_distinct`
};

constexpr int most_distinct = 6;

// The range and the number of different answers come from all cases, the rest from every `step`th.
Answers describe_answers(const Eigen::Ref<const Vector>& column, Eigen::Index step);

// Mardia's (1970) multivariate kurtosis of complete cases (cases x variables): the mean of the
// squared Mahalanobis distances squared, with covariances of divisor n. NaN where these are not
// positive definite.
double multivariate_kurtosis(const Eigen::Ref<const Matrix>& values);

}  // namespace orizzonte
