// Cholesky factor, solution and inverse of a symmetric positive definite matrix. Small models
// consist mostly of small matrices, for which blocked algorithms cost more than they save; larger
// matrices are passed to Eigen. Nothing is allocated once the size is known.
#pragma once
#include "../model.hpp"

namespace orizzonte {

class Cholesky {
 public:
  // Reads the lower triangle; false when the matrix (damping added to its diagonal) is not positive
  // definite.
  bool compute(const Matrix& m, double damping = 0);

  const Matrix& lower() const { return l_; }  // L; the upper triangle has no meaning
  double log_determinant() const;
  double smallest_pivot() const;  // of the diagonal of L; 1 for a matrix without rows
  double largest_pivot() const;

  // M^-1 x, L^-1 x and L^-T x, in the place of x.
  void solve(Matrix& x) const;
  void solve(Vector& x) const;
  void half_solve(Matrix& x) const;
  void half_solve(Vector& x) const;
  void other_half_solve(Matrix& x) const;
  void other_half_solve(Vector& x) const;
  Matrix solved(Matrix x) const;

  // The inverse; `root` is storage for L^-1.
  void inverse(Matrix& root, Matrix& out) const;
  Matrix inverse() const;
  // The diagonal of the inverse: the squared norms of the columns of L^-1.
  Vector inverse_diagonal() const;

 private:
  void inverse_of_root(Matrix& root) const;
  static constexpr int small = 32, strip = 64;
  Matrix l_;
};

}  // namespace orizzonte
