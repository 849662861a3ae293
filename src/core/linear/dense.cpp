#include "dense.hpp"

namespace orizzonte {

namespace {

using Orthogonal = Eigen::CompleteOrthogonalDecomposition<Matrix>;
using Symmetric = Eigen::SelfAdjointEigenSolver<Matrix>;

}  // namespace

Matrix least_squares(const Matrix& a, const Matrix& b) { return Orthogonal(a).solve(b); }

Matrix pseudo_inverse(const Matrix& a) {
  return least_squares(a, Matrix::Identity(a.rows(), a.rows()));
}

bool unique_least_squares(const Matrix& a, const Matrix& b, Matrix& x) {
  const Orthogonal factor(a);
  if (factor.rank() < a.cols()) return false;
  x = factor.solve(b);
  return true;
}

Matrix orthogonal_complement(const Matrix& a) {
  const Orthogonal factor(a);
  Matrix full = Matrix::Identity(a.rows(), a.rows());
  full.applyOnTheLeft(factor.householderQ());
  return full.rightCols(a.rows() - factor.rank());
}

Matrix inverse_of(const Matrix& a) { return a.partialPivLu().inverse(); }

Spectrum spectrum_of(const Matrix& symmetric) {
  const Symmetric solver(symmetric);
  return {solver.eigenvalues(), solver.eigenvectors()};
}

Vector tridiagonal_eigenvalues(const Vector& diagonal, const Vector& beside) {
  Symmetric solver;
  solver.computeFromTridiagonal(diagonal, beside, Eigen::EigenvaluesOnly);
  return solver.eigenvalues();
}

}  // namespace orizzonte
