// The inverse of part of a covariance matrix from the inverse of the whole: with few missing
// variables this costs p^2 instead of p^3.
#pragma once
#include "../model.hpp"

namespace orizzonte {

class Marginal {
 public:
  // False when the matrix is not positive definite.
  bool set(const Matrix& covariance);
  // Worth it: matrices of some size, with few variables missing.
  static bool pays(int seen, int missing) { return seen + missing >= 16 && 3 * missing <= seen; }
  double smallest_ratio() const { return ratio_; }

  // W = P_oo - P_om P_mm^-1 P_mo, the regression of the missing on the observed variables, -P_mm^-1
  // P_mo, its residual covariance matrix P_mm^-1, and log|Sigma_oo| = log|Sigma| + log|P_mm|.
  bool select(const Sequence<int>& seen, const Sequence<int>& missing, Matrix& w);
  double log_determinant = 0;
  Matrix slope, left;

 private:
  Matrix precision_, root_;
  double log_determinant_ = 0, ratio_ = 1;
};

}  // namespace orizzonte
