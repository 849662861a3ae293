// Decompositions of dense matrices, each instantiated once: compiling them is slow.
#pragma once
#include "../model.hpp"

namespace orizzonte {

// The least-squares solution of a x = b with the smallest norm, whatever the rank of a.
Matrix least_squares(const Matrix& a, const Matrix& b);
Matrix pseudo_inverse(const Matrix& a);
// Returns false when the solution is not unique, because the columns of a depend on each other.
bool unique_least_squares(const Matrix& a, const Matrix& b, Matrix& x);
// Orthonormal columns that are orthogonal to the columns of a.
Matrix orthogonal_complement(const Matrix& a);

// Inverse of a square matrix that is not symmetric.
Matrix inverse_of(const Matrix& a);

// Eigenvalues in increasing order, with eigenvectors as columns.
struct Spectrum {
  Vector values;
  Matrix vectors;
};
Spectrum spectrum_of(const Matrix& symmetric);
// Eigenvalues of a symmetric tridiagonal matrix.
Vector tridiagonal_eigenvalues(const Vector& diagonal, const Vector& beside);

}  // namespace orizzonte
