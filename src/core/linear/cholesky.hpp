// Cholesky factor, solution and inverse of a symmetric positive definite matrix. Small matrices are
// most of the work in small models, and blocked algorithms cost more there than they save; larger
// ones go to Eigen. Nothing is allocated once the size is known.
#pragma once
#include <algorithm>
#include <cmath>

#include "../model.hpp"

namespace orizzonte {

// Does the factor exist? Eigen reports success for a matrix that contains NaN.
template <class Factor>
bool is_definite(const Factor& factor) {
  return factor.info() == Eigen::Success && factor.matrixLLT().diagonal().allFinite();
}

class Cholesky {
 public:
  // Reads the lower triangle; false when the matrix (damping added to its diagonal) is not positive
  // definite.
  bool compute(const Matrix& m, double damping = 0) {
    l_ = m;
    if (damping != 0) l_.diagonal().array() += damping;
    const int n = to_int(l_.rows());
    if (n >= small) return orizzonte::is_definite(Eigen::LLT<Eigen::Ref<Matrix>>(l_));
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

  auto diagonal() const { return l_.diagonal().array(); }

  // M^-1 x, L^-1 x and L^-T x, in the place of x (a vector or a matrix).
  template <class X>
  void solve(X& x) const {
    half_solve(x);
    other_half_solve(x);
  }
  template <class X>
  void half_solve(X& x) const {
    l_.triangularView<Eigen::Lower>().solveInPlace(x);
  }
  template <class X>
  void other_half_solve(X& x) const {
    l_.triangularView<Eigen::Lower>().adjoint().solveInPlace(x);
  }

  // The inverse; `root` is storage for L^-1.
  void inverse(Matrix& root, Matrix& out) const {
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

  // The diagonal of the inverse: the squared norms of the columns of L^-1.
  Vector inverse_diagonal() const {
    Matrix root, out;
    if (to_int(l_.rows()) < small) {
      inverse(root, out);
      return out.diagonal();
    }
    inverse_of_root(root);
    return root.colwise().squaredNorm().transpose();
  }

 private:
  // L^-1 of a large matrix, strip by strip: what is above the diagonal is zero and costs nothing.
  void inverse_of_root(Matrix& root) const {
    const int n = to_int(l_.rows());
    root.setIdentity(n, n);
    for (int j = 0; j < n; j += strip) {
      auto columns = root.block(j, j, n - j, std::min(strip, n - j));
      l_.bottomRightCorner(n - j, n - j).triangularView<Eigen::Lower>().solveInPlace(columns);
    }
  }

  static constexpr int small = 32, strip = 64;
  Matrix l_;
};

}  // namespace orizzonte
