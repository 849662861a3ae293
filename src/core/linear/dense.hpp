// Operations on dense matrices that are needed in many places, each compiled once.
#pragma once
#include "../model.hpp"

namespace orizzonte {

Matrix scaled_by(const Vector& unit, const Matrix& m);  // D M D
Matrix centred(Matrix rows, const Vector& mean);        // each row less the mean
Vector row_products(const Matrix& a, const Matrix& b);  // sums of a_ij b_ij over j
Vector row_squares(const Matrix& m);                    // sums of m_ij^2 over j
Vector column_squares(const Matrix& m);                 // sums of m_ij^2 over i

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
// Eigenvalues of a symmetric tridiagonal matrix, in increasing order.
Vector tridiagonal_eigenvalues(const Vector& diagonal, const Vector& beside);

// A symmetric matrix as Q T Q' with T tridiagonal; its lower triangle is read.
class Tridiagonal {
 public:
  explicit Tridiagonal(const Matrix& symmetric);
  Vector diagonal, beside;               // of T
  Vector out(const Vector& x) const;     // Q x
  Vector inward(const Vector& x) const;  // Q' x

 private:
  Vector product(const char* transposed, Vector x) const;
  Matrix reflectors_;
  Vector scales_;
};

}  // namespace orizzonte
