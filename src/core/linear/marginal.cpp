#include "marginal.hpp"

#include "cholesky.hpp"

namespace orizzonte {

bool Marginal::set(const Matrix& covariance) {
  Cholesky factor;
  if (!factor.compute(covariance)) return false;
  log_determinant_ = factor.log_determinant();
  ratio_ = factor.smallest_pivot() / factor.largest_pivot();
  factor.inverse(root_, precision_);
  return true;
}

bool Marginal::select(const Sequence<int>& seen, const Sequence<int>& missing, Matrix& w) {
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
  log_determinant += factor.log_determinant();
  factor.inverse(root, left);
  slope.noalias() = -left * cross;
  w.noalias() += cross.transpose() * slope;
  return true;
}

}  // namespace orizzonte
