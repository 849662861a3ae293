// Standardized solutions and explained variance, with analytic Jacobians for the delta method.
#pragma once
#include "matrices.hpp"

namespace orizzonte {

struct Standardized {
  Vector value;               // one per entry; NaN where it does not exist (negative or no variance)
  Matrix jacobian;            // entries x free parameters
  std::vector<Vector> variances;          // diag(Phi) per group, all variables
  std::vector<Matrix> variance_jacobians; // variables x free parameters, per group
};

// Effects times sd(cause) / sd(outcome); covariances divided by the two (residual) standard deviations;
// variances divided by the total variance; means divided by the total standard deviation.
Standardized standardize(const Model& model, const Vector& eta);

}  // namespace orizzonte
