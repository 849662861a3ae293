// The inverse of part of a covariance matrix from the inverse of the whole: where few variables are
// missing that costs p^2 instead of p^3.
#pragma once
#include <cmath>

#include "cholesky.hpp"

namespace orizzonte {

class Marginal {
 public:
  // False when the matrix is not positive definite.
  bool set(const Matrix& covariance) {
    Cholesky factor;
    if (!factor.compute(covariance)) return false;
    const auto diagonal = factor.diagonal();
    log_determinant_ = 2 * diagonal.log().sum();
    ratio_ = diagonal.minCoeff() / diagonal.maxCoeff();
    factor.inverse(root_, precision_);
    return true;
  }
  // Worth it: matrices of some size, with few variables missing.
  static bool pays(int seen, int missing) { return seen + missing >= 16 && 3 * missing <= seen; }
  double smallest_ratio() const { return ratio_; }

  // W = P_oo - P_om P_mm^-1 P_mo, the regression of the missing on the seen, -P_mm^-1 P_mo, what it
  // leaves, P_mm^-1, and log|Sigma_oo| = log|Sigma| + log|P_mm|.
  bool select(const Sequence<int>& seen, const Sequence<int>& missing, Matrix& w) {
    const int o = seen.size(), m = missing.size();
    w.resize(o, o);
    for (int j = 0; j < o; ++j)
      for (int i = 0; i < o; ++i) w(i, j) = precision_(seen[i], seen[j]);
    log_determinant = log_determinant_;
    if (m == 0) return true;
    Matrix own(m, m), cross(m, o), root;
    for (int j = 0; j < m; ++j)
      for (int i = 0; i < m; ++i) own(i, j) = precision_(missing[i], missing[j]);
    for (int j = 0; j < o; ++j)
      for (int i = 0; i < m; ++i) cross(i, j) = precision_(missing[i], seen[j]);
    Cholesky factor;
    if (!factor.compute(own)) return false;
    log_determinant += 2 * factor.diagonal().log().sum();
    factor.inverse(root, left);
    slope.noalias() = -left * cross;
    w.noalias() += cross.transpose() * slope;
    return true;
  }
  double log_determinant = 0;
  Matrix slope, left;

 private:
  Matrix precision_, root_;
  double log_determinant_ = 0, ratio_ = 1;
};

}  // namespace orizzonte
