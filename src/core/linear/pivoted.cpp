#include "pivoted.hpp"

#include <algorithm>
#include <cmath>

namespace orizzonte {

PivotedRoot pivoted_root(const Matrix& symmetric, double tolerance) {
  constexpr int strip = 64;
  const int n = to_int(symmetric.rows());
  Matrix a = symmetric;  // its upper triangle becomes the root
  PivotedRoot out;
  for (int i = 0; i < n; ++i) out.pivot.push_back(i);
  Vector left(n);
  // rows and columns j < k of a symmetric matrix of which the upper triangle is kept
  const auto swap = [&](int j, int k) {
    a.col(j).head(j).swap(a.col(k).head(j));
    for (int i = j + 1; i < k; ++i) std::swap(a(j, i), a(i, k));
    for (int i = k + 1; i < n; ++i) std::swap(a(j, i), a(k, i));
    std::swap(a(j, j), a(k, k));
    std::swap(out.pivot[j], out.pivot[k]);
    std::swap(left[j], left[k]);
  };
  int rank = n;
  for (int first = 0; first < rank; first += strip) {
    const int last = std::min(first + strip, n);
    left = a.diagonal();  // what remains of each diagonal within the strip
    for (int j = first; j < last; ++j) {
      int k = j;
      for (int i = j + 1; i < n; ++i)
        if (left[i] > left[k]) k = i;
      if (!(left[k] > tolerance)) {
        rank = j;
        break;
      }
      if (k != j) swap(j, k);
      const double root = std::sqrt(left[j]);
      const int rest = n - j - 1, done = j - first;
      a(j, j) = root;
      if (done > 0)
        a.row(j).tail(rest).noalias() -=
            a.col(j).segment(first, done).transpose() * a.block(first, j + 1, done, rest);
      a.row(j).tail(rest) /= root;
      left.tail(rest) -= a.row(j).tail(rest).transpose().cwiseAbs2();
    }
    const int rest = n - last;
    if (rank < last || rest == 0) break;
    const Matrix strip_rows = a.block(first, last, last - first, rest);
    a.bottomRightCorner(rest, rest)
        .selfadjointView<Eigen::Upper>()
        .rankUpdate(strip_rows.transpose(), -1);
  }
  out.root = Matrix::Zero(rank, n);
  for (int j = 0; j < n; ++j) {
    const int rows = std::min(j + 1, rank);
    out.root.col(j).head(rows) = a.col(j).head(rows);
  }
  return out;
}

}  // namespace orizzonte
