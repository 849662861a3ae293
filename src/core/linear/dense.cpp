#include "dense.hpp"

#include <algorithm>
#include <limits>

#include "lapack.hpp"

namespace orizzonte {

namespace {

constexpr double epsilon = std::numeric_limits<double>::epsilon();

// Calls a routine of LAPACK twice: it first says how much storage it needs.
template <class Routine>
void with_storage(const Routine& routine) {
  double needed = 0;
  routine(&needed, -1);
  Vector work(std::max(1, static_cast<int>(needed)));
  routine(work.data(), to_int(work.size()));
}

// Pivots of a QR decomposition below this share of the largest one count as zero.
double rank_tolerance(const Matrix& a) {
  return epsilon * static_cast<double>(std::min(a.rows(), a.cols()));
}

// Returns the rank of a.
int solve_least_squares(Matrix a, const Matrix& b, Matrix& x) {
  const int m = to_int(a.rows()), n = to_int(a.cols()), columns = to_int(b.cols());
  x = Matrix::Zero(n, columns);
  if (m == 0 || n == 0) return 0;
  const int longest = std::max(m, n);
  Matrix right = Matrix::Zero(longest, std::max(1, columns));
  right.topLeftCorner(m, columns) = b;
  Sequence<int> pivots(n, 0);
  const double tolerance = rank_tolerance(a);
  int rank = 0, info = 0;
  with_storage([&](double* work, int size) {
    dgelsy_(&m, &n, &columns, a.data(), &m, right.data(), &longest, pivots.data(), &tolerance,
            &rank, work, &size, &info);
  });
  x = right.topLeftCorner(n, columns);
  return rank;
}

}  // namespace

Matrix scaled_by(const Vector& unit, const Matrix& m) {
  Matrix out = m;
  for (int j = 0; j < m.cols(); ++j)
    for (int i = 0; i < m.rows(); ++i) out(i, j) *= unit[i] * unit[j];
  return out;
}

Matrix centred(Matrix rows, const Vector& mean) {
  for (int j = 0; j < rows.cols(); ++j)
    for (int i = 0; i < rows.rows(); ++i) rows(i, j) -= mean[j];
  return rows;
}

Vector row_products(const Matrix& a, const Matrix& b) {
  Vector out = Vector::Zero(a.rows());
  for (int j = 0; j < a.cols(); ++j)
    for (int i = 0; i < a.rows(); ++i) out[i] += a(i, j) * b(i, j);
  return out;
}

Vector row_squares(const Matrix& m) { return row_products(m, m); }

Vector column_squares(const Matrix& m) {
  Vector out(m.cols());
  for (int j = 0; j < m.cols(); ++j) out[j] = m.col(j).squaredNorm();
  return out;
}

Matrix least_squares(const Matrix& a, const Matrix& b) {
  Matrix x;
  solve_least_squares(a, b, x);
  return x;
}

Matrix pseudo_inverse(const Matrix& a) {
  return least_squares(a, Matrix::Identity(a.rows(), a.rows()));
}

bool unique_least_squares(const Matrix& a, const Matrix& b, Matrix& x) {
  return solve_least_squares(a, b, x) == a.cols();
}

Matrix orthogonal_complement(const Matrix& a) {
  const int m = to_int(a.rows()), n = to_int(a.cols()), most = std::min(m, n);
  if (most == 0) return Matrix::Identity(m, m);
  Matrix factor = a;
  Vector scales(most);
  Sequence<int> pivots(n, 0);
  int info = 0;
  with_storage([&](double* work, int size) {
    dgeqp3_(&m, &n, factor.data(), &m, pivots.data(), scales.data(), work, &size, &info);
  });
  int rank = 0;
  while (rank < most && std::abs(factor(rank, rank)) > rank_tolerance(a) * std::abs(factor(0, 0)))
    ++rank;
  Matrix out = Matrix::Zero(m, m - rank);
  for (int j = 0; j < m - rank; ++j) out(rank + j, j) = 1;
  const int columns = m - rank;
  if (columns == 0) return out;
  with_storage([&](double* work, int size) {
    dormqr_("L", "N", &m, &columns, &most, factor.data(), &m, scales.data(), out.data(), &m, work,
            &size, &info, 1, 1);
  });
  return out;
}

Matrix inverse_of(const Matrix& a) { return a.partialPivLu().inverse(); }

Spectrum spectrum_of(const Matrix& symmetric) {
  const int n = to_int(symmetric.rows());
  Spectrum out{Vector(n), symmetric};
  if (n == 0) return out;
  int info = 0;
  with_storage([&](double* work, int size) {
    dsyev_("V", "L", &n, out.vectors.data(), &n, out.values.data(), work, &size, &info, 1, 1);
  });
  return out;
}

Vector tridiagonal_eigenvalues(const Vector& diagonal, const Vector& beside) {
  const int n = to_int(diagonal.size());
  Vector values = diagonal, used = beside;
  int info = 0;
  dsterf_(&n, values.data(), used.data(), &info);
  return values;
}

Tridiagonal::Tridiagonal(const Matrix& symmetric) : reflectors_(symmetric) {
  const int n = to_int(symmetric.rows());
  diagonal.resize(n);
  beside.resize(std::max(0, n - 1));
  scales_.resize(std::max(0, n - 1));
  if (n == 0) return;
  int info = 0;
  with_storage([&](double* work, int size) {
    dsytrd_("L", &n, reflectors_.data(), &n, diagonal.data(), beside.data(), scales_.data(), work,
            &size, &info, 1);
  });
}

Vector Tridiagonal::out(const Vector& x) const { return product("N", x); }
Vector Tridiagonal::inward(const Vector& x) const { return product("T", x); }

Vector Tridiagonal::product(const char* transposed, Vector x) const {
  const int n = to_int(x.size()), one = 1;
  if (n == 0) return x;
  int info = 0;
  with_storage([&](double* work, int size) {
    dormtr_("L", "L", transposed, &n, &one, reflectors_.data(), &n, scales_.data(), x.data(), &n,
            work, &size, &info, 1, 1, 1);
  });
  return x;
}

}  // namespace orizzonte
