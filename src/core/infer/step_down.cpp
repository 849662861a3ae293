#include "step_down.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace orizzonte {

Vector step_down(const Vector& statistic, const std::vector<int>& order,
                 const Eigen::Ref<const Matrix>& null) {
  // draws that equal a statistic up to rounding count as reaching it
  constexpr double rounding = 1e-9;
  const Eigen::Index size = statistic.size();
  const Eigen::Index draws = null.cols();
  Vector exceed = Vector::Zero(size);
  for (Eigen::Index draw = 0; draw < draws; ++draw) {
    double running = -std::numeric_limits<double>::infinity();
    for (Eigen::Index k = size - 1; k >= 0; --k) {
      const Eigen::Index row = order[static_cast<std::size_t>(k)] - 1;
      running = std::max(running, null(row, draw));
      if (running >= statistic[row] - rounding) exceed[row] += 1;
    }
  }
  Vector out(size);
  double largest = 0;
  for (Eigen::Index k = 0; k < size; ++k) {
    const Eigen::Index row = order[static_cast<std::size_t>(k)] - 1;
    largest = std::max(largest, (1 + exceed[row]) / (1 + static_cast<double>(draws)));
    out[row] = std::isnan(statistic[row]) ? std::numeric_limits<double>::quiet_NaN() : largest;
  }
  return out;
}

}  // namespace orizzonte
