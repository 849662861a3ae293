// Is a solution proper?
#pragma once
#include "../model.hpp"

namespace orizzonte {

// Is the matrix of (residual) variances and covariances of every group positive semi-definite, but
// for `slack` of the variances (none: positive definite)? It is not whenever a variance is
// negative, a correlation of constructs beyond 1 or R-squared outside of 0 to 1.
bool is_proper(const Model& model, const Vector& eta, double slack);

}  // namespace orizzonte
