#include "likelihood.hpp"

#include <cmath>
#include <limits>

#include "../linear/cholesky.hpp"

namespace orizzonte {
namespace {

const double log_two_pi = std::log(2 * std::acos(-1.0));

}  // namespace

double pattern_deviance(const Sequence<Block>& patterns, const Matrix& covariance,
                        const Vector& mean) {
  constexpr double missing = std::numeric_limits<double>::quiet_NaN();
  if (covariance.size() > 0 && !(covariance.diagonal().minCoeff() > 0)) return missing;
  // in units of the variables, so that these do not matter
  const Vector unit = covariance.diagonal().cwiseSqrt();
  Cholesky factor;
  Matrix own, root, inverse;
  Vector off;
  double out = 0;
  for (const Block& block : patterns) {
    const int p = block.variables.size();
    own.resize(p, p);
    off.resize(p);
    double log_unit = 0;
    for (int j = 0; j < p; ++j) {
      const int v = block.variables[j];
      for (int i = 0; i < p; ++i)
        own(i, j) = covariance(block.variables[i], v) / (unit[block.variables[i]] * unit[v]);
      off[j] = (block.mean[j] - mean[v]) / unit[v];
      log_unit += std::log(unit[v]);
    }
    if (!factor.compute(own)) return missing;
    factor.inverse(root, inverse);
    double trace = off.dot(inverse.selfadjointView<Eigen::Lower>() * off);
    for (int j = 0; j < p; ++j)
      for (int i = 0; i < p; ++i)
        trace += inverse(i, j) * block.covariance(i, j) /
                 (unit[block.variables[i]] * unit[block.variables[j]]);
    out += block.n * (p * log_two_pi + factor.log_determinant() + 2 * log_unit + trace);
  }
  return out;
}

double single_deviance(const Sequence<Block>& patterns, const Sequence<int>& variables) {
  double out = 0;
  for (int wanted : variables) {
    double n = 0, sum = 0, squares = 0;
    // twice over the patterns: squares about the mean of all, since those of means far from zero
    // would lose digits
    for (int pass = 0; pass < 2; ++pass)
      for (const Block& block : patterns)
        for (int j = 0; j < block.variables.size(); ++j) {
          if (block.variables[j] != wanted) continue;
          if (pass == 0) {
            n += block.n;
            sum += block.n * block.mean[j];
          } else {
            const double off = block.mean[j] - sum / n;
            squares += block.n * (block.covariance(j, j) + off * off);
          }
        }
    out += n * (log_two_pi + std::log(squares / n) + 1);
  }
  return out;
}

}  // namespace orizzonte
