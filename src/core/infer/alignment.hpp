// The loss of approximate invariance over many groups (Asparouhov & Muthén 2014): how much loadings
// and intercepts differ between groups once each group has its own mean and variance of the
// construct.
#pragma once
#include "../matrices.hpp"

namespace orizzonte {

struct AlignmentLoss {
  double value;
  Vector by_mean;    // derivatives by the mean of each group
  Vector by_log_sd;  // and by the logarithm of its standard deviation
};

// `loadings`, `intercepts`: items x groups, from constructs with mean 0 and variance 1. The loss of
// a difference x is (x^2 + epsilon)^(1/4), weighted by sqrt(n_g n_h).
AlignmentLoss alignment_loss(const Eigen::Ref<const Matrix>& loadings,
                             const Eigen::Ref<const Matrix>& intercepts,
                             const Eigen::Ref<const Vector>& cases,
                             const Eigen::Ref<const Vector>& mean,
                             const Eigen::Ref<const Vector>& log_sd, double epsilon);

}  // namespace orizzonte
