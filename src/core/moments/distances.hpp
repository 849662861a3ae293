// Squared Mahalanobis distances of single cases, each from its observed variables.
#pragma once
#include "../linear/cholesky.hpp"

namespace orizzonte {

struct Distances {
  Vector squared;   // NaN where the covariances of its variables are not positive definite
  Vector observed;  // how many variables a case has
};

// `values`: cases x variables, NaN where missing. Each set of observed variables is factorized
// once, in units in which the variances are 1, so that very different variances cost no digits.
Distances case_distances(const Eigen::Ref<const Matrix>& values, const Vector& mean,
                         const Matrix& covariance);

}  // namespace orizzonte
