// The one engine of derivatives: whatever is read off a model, with its gradient by the free
// parameters.
#pragma once
#include "../matrices.hpp"

namespace orizzonte {

// The quantities that can be requested. `a` and `b` are variables (observed first, then
// constructs); for entries `a` is the entry.
enum class Quantity : int {
  Entry = 0,         // an entry of the model matrices
  Standardized = 1,  // the same, standardized
  Covariance = 2,    // Phi_ab, implied covariance of two variables
  Mean = 3,          // E_a
  Total = 4,         // total effect of a on b
  Indirect = 5,      // the same less the direct path
  Correlation = 6,
  RSquared = 7,  // of a
  SdRatio = 8    // sd of a over sd of b, for standardizing an effect of a on b
};

struct Wanted {
  Quantity what;
  int group;
  int a;
  int b;
};

// One row for each quantity; NaN where a variance that is divided by is not positive.
struct Derived {
  Vector value;
  Matrix gradient;  // by free parameters
};

// `plain`: variables (by group) that count as having a standard deviation of 1, such as predictors
// coded 0/1.
Derived derive(const Model& model, const Vector& eta, const Sequence<Wanted>& wanted,
               const Sequence<Sequence<char>>& plain);

// Standard errors by the delta method: sqrt diag(J V J').
Vector delta_errors(const Eigen::Ref<const Matrix>& gradient,
                    const Eigen::Ref<const Matrix>& covariance);

}  // namespace orizzonte
