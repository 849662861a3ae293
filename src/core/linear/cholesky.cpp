#include "cholesky.hpp"

#include <algorithm>
#include <cmath>

namespace orizzonte {

bool Cholesky::compute(const Matrix& m, double damping) {
  l_ = m;
  const int n = to_int(l_.rows());
  for (int j = 0; damping != 0 && j < n; ++j) l_(j, j) += damping;
  if (n >= small) {
    // Eigen reports success for a matrix that contains NaN
    if (Eigen::LLT<Eigen::Ref<Matrix>>(l_).info() != Eigen::Success) return false;
    for (int j = 0; j < n; ++j)
      if (!std::isfinite(l_(j, j))) return false;
    return true;
  }
  for (int j = 0; j < n; ++j) {
    double* column = l_.col(j).data();
    if (!(column[j] > 0) || !std::isfinite(column[j])) return false;
    column[j] = std::sqrt(column[j]);
    const double scale = 1 / column[j];
    for (int i = j + 1; i < n; ++i) column[i] *= scale;
    // two columns at a time, so that each entry is read once for both
    int k = j + 1;
    for (; k + 1 < n; k += 2) {
      const double first = column[k], second = column[k + 1];
      double *target = l_.col(k).data(), *next = l_.col(k + 1).data();
      target[k] -= first * first;
      for (int i = k + 1; i < n; ++i) {
        const double value = column[i];
        target[i] -= value * first;
        next[i] -= value * second;
      }
    }
    if (k < n) l_(k, k) -= column[k] * column[k];
  }
  return true;
}

double Cholesky::log_determinant() const {
  double out = 0;
  for (int j = 0; j < l_.rows(); ++j) out += std::log(l_(j, j));
  return 2 * out;
}

double Cholesky::smallest_pivot() const {
  double out = l_.rows() > 0 ? l_(0, 0) : 1;
  for (int j = 1; j < l_.rows(); ++j) out = std::min(out, l_(j, j));
  return out;
}

double Cholesky::largest_pivot() const {
  double out = l_.rows() > 0 ? l_(0, 0) : 1;
  for (int j = 1; j < l_.rows(); ++j) out = std::max(out, l_(j, j));
  return out;
}

void Cholesky::half_solve(Matrix& x) const { l_.triangularView<Eigen::Lower>().solveInPlace(x); }
void Cholesky::half_solve(Vector& x) const { l_.triangularView<Eigen::Lower>().solveInPlace(x); }
void Cholesky::other_half_solve(Matrix& x) const {
  l_.triangularView<Eigen::Lower>().adjoint().solveInPlace(x);
}
void Cholesky::other_half_solve(Vector& x) const {
  l_.triangularView<Eigen::Lower>().adjoint().solveInPlace(x);
}

void Cholesky::solve(Matrix& x) const {
  half_solve(x);
  other_half_solve(x);
}

void Cholesky::solve(Vector& x) const {
  half_solve(x);
  other_half_solve(x);
}

Matrix Cholesky::solved(Matrix x) const {
  solve(x);
  return x;
}

void Cholesky::inverse(Matrix& root, Matrix& out) const {
  const int n = to_int(l_.rows());
  if (n >= small) {
    inverse_of_root(root);
    out.resize(n, n);
    // (L^-1)' L^-1, in rows of blocks: below the diagonal L^-1 is zero
    for (int i = 0; i < n; i += strip) {
      const int size = std::min(strip, n - i);
      out.block(i, 0, size, i + size).noalias() =
          root.block(i, i, n - i, size).transpose() * root.block(i, 0, n - i, i + size);
    }
    for (int j = 0; j < n; ++j)
      for (int i = j + 1; i < n; ++i) out(j, i) = out(i, j);
    return;
  }
  double scale[small];
  for (int j = 0; j < n; ++j) scale[j] = 1 / l_(j, j);
  root.setZero(n, n);  // L^-1 by forward substitution, column by column
  for (int j = 0; j < n; ++j) {
    double* column = root.col(j).data();
    column[j] = 1;
    for (int k = j; k < n; ++k) {
      const double known = column[k] *= scale[k];
      const double* factor = l_.col(k).data();
      for (int i = k + 1; i < n; ++i) column[i] -= factor[i] * known;
    }
  }
  out.resize(n, n);
  for (int j = 0; j < n; ++j)
    for (int i = j; i < n; ++i)
      out(i, j) = out(j, i) = root.col(i).tail(n - i).dot(root.col(j).tail(n - i));
}

Matrix Cholesky::inverse() const {
  Matrix root, out;
  inverse(root, out);
  return out;
}

Vector Cholesky::inverse_diagonal() const {
  Matrix root;
  if (to_int(l_.rows()) < small) return inverse().diagonal();
  inverse_of_root(root);
  Vector out(root.cols());
  for (int j = 0; j < root.cols(); ++j) out[j] = root.col(j).squaredNorm();
  return out;
}

// L^-1 of a large matrix, strip by strip: the part above the diagonal is zero and is skipped.
void Cholesky::inverse_of_root(Matrix& root) const {
  const int n = to_int(l_.rows());
  root.setIdentity(n, n);
  for (int j = 0; j < n; j += strip) {
    auto columns = root.block(j, j, n - j, std::min(strip, n - j));
    l_.bottomRightCorner(n - j, n - j).triangularView<Eigen::Lower>().solveInPlace(columns);
  }
}

}  // namespace orizzonte
