#include "answers.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "../linear/cholesky.hpp"

namespace orizzonte {
namespace {

constexpr double singular = 1e-6;  // a pivot of a root of correlations below it

}  // namespace

Answers describe_answers(const Eigen::Ref<const Vector>& column, Eigen::Index step) {
  constexpr double none = std::numeric_limits<double>::quiet_NaN();
  Answers out{none, none, none, none, none, 0};
  std::array<double, most_distinct> seen{};
  for (Eigen::Index i = 0; i < column.size(); ++i) {
    const double value = column[i];
    if (std::isnan(value)) continue;
    // comparisons with NaN are false, so the first answer is both
    if (!(value >= out.low)) out.low = value;
    if (!(value <= out.high)) out.high = value;
    if (out.distinct == most_distinct) continue;
    const auto end = seen.begin() + out.distinct;
    if (std::find(seen.begin(), end, value) == end)
      seen[static_cast<std::size_t>(out.distinct++)] = value;
  }
  double count = 0;
  double sum = 0;
  double low = 0;
  double high = 0;
  for (Eigen::Index i = 0; i < column.size(); i += step) {
    const double value = column[i];
    if (std::isnan(value)) continue;
    count += 1;
    sum += value;
    if (value == out.low) low += 1;
    if (value == out.high) high += 1;
  }
  if (count == 0) return out;
  const double mean = sum / count;
  double second = 0;
  double fourth = 0;
  for (Eigen::Index i = 0; i < column.size(); i += step) {
    if (std::isnan(column[i])) continue;
    const double squared = (column[i] - mean) * (column[i] - mean);
    second += squared;
    fourth += squared * squared;
  }
  out.at_low = low / count;
  out.at_high = high / count;
  out.kurtosis = count * fourth / (second * second) - 3;
  return out;
}

double multivariate_kurtosis(const Eigen::Ref<const Matrix>& values) {
  const auto cases = static_cast<double>(values.rows());
  const Vector mean = values.colwise().sum().transpose() / cases;
  const Matrix off = centred(values, mean);
  const Matrix covariance = off.transpose() * off / cases;
  // in units in which the variances are 1, so that very different variances cost no digits
  const Vector unit = covariance.diagonal().cwiseSqrt().cwiseInverse();
  Cholesky root;
  const Matrix correlation = scaled_by(unit, covariance);
  if (!correlation.allFinite() || !root.compute(correlation) || root.smallest_pivot() < singular)
    return std::numeric_limits<double>::quiet_NaN();
  Matrix white = unit.asDiagonal() * off.transpose();
  root.half_solve(white);
  return column_squares(white).squaredNorm() / cases;
}

}  // namespace orizzonte
