#include "closed_form.hpp"

#include <algorithm>
#include <cmath>

#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"

namespace orizzonte {

Vector one_factor(const Matrix& r) {
  const int k = to_int(r.rows());
  const Vector sd = r.diagonal().cwiseMax(1e-8).cwiseSqrt();
  if (k == 1) return 0.9 * sd;
  const Matrix c = scaled_by(sd.cwiseInverse(), r);
  Vector direction = c.rowwise().sum();
  for (int i = 0; i < k; ++i)
    direction[i] += 0.01 * (i + 1);  // never exactly orthogonal to the leading one
  for (int i = 0; i < 30; ++i) {
    const Vector next = (c * direction).normalized();
    const bool settled =
        i > 2 && (next - direction).squaredNorm() < 1e-3;  // only the signs are used
    direction = next;
    if (settled) break;
  }
  const Vector sign = direction.unaryExpr([](double x) { return x < 0 ? -1.0 : 1.0; });
  Matrix a = scaled_by(sign, c);
  a.diagonal().setZero();
  const double all = a.sum() / 2;
  Vector out(k);
  for (int i = 0; i < k; ++i) {
    const double row = a.row(i).sum();
    double communality;
    if (k == 2) {
      communality = std::abs(a(0, 1));
    } else {
      const double rest = all - row;
      const double pairs = (row * row - a.row(i).squaredNorm()) / 2;
      communality = rest > 0.05 ? pairs / rest : a.row(i).cwiseAbs().maxCoeff();
    }
    out[i] = sign[i] * sd[i] * std::sqrt(std::min(0.9, std::max(0.05, communality)));
  }
  return out;
}

Vector factor_apart(const Matrix& r, const Pairs& apart, Vector loading) {
  constexpr int rounds = 50;
  const int k = to_int(r.rows());
  for (int round = 0; round < rounds; ++round)
    for (int i = 0; i < k; ++i) {
      double with = 0, square = 0;
      for (int j = 0; j < k; ++j) {
        if (i == j || !apart(i, j)) continue;
        with += r(i, j) * loading[j];
        square += loading[j] * loading[j];
      }
      const double limit = std::sqrt(0.9 * std::max(1e-8, r(i, i)));
      if (square > 0) loading[i] = std::min(limit, std::max(-limit, with / square));
    }
  return loading;
}

void shrink_to_positive(Matrix& m) {
  const Vector diagonal = m.diagonal();
  for (int i = 0; i < 60; ++i) {
    Cholesky factor;
    bool positive = factor.compute(m);
    for (int j = 0; positive && j < m.rows(); ++j)
      positive = factor.lower()(j, j) > 0.15 * std::sqrt(std::max(1e-12, diagonal[j]));
    if (positive) return;
    m *= 0.9;
    m.diagonal() = diagonal;
  }
}

}  // namespace orizzonte
