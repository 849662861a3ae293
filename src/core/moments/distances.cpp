#include "distances.hpp"

#include <cmath>
#include <limits>
#include <map>
#include <string>

namespace orizzonte {

Distances case_distances(const Eigen::Ref<const Matrix>& values, const Vector& mean,
                         const Matrix& covariance) {
  const Eigen::Index cases = values.rows();
  const Eigen::Index size = values.cols();
  const Vector unit = covariance.diagonal().cwiseMax(0).cwiseSqrt();
  struct Pattern {
    std::vector<Eigen::Index> variables;
    Cholesky root;
    bool proper = true;
  };
  std::map<std::string, Pattern> patterns;
  Distances out{Vector::Zero(cases), Vector::Zero(cases)};
  std::string key(static_cast<std::size_t>(size), '0');
  for (Eigen::Index i = 0; i < cases; ++i) {
    for (Eigen::Index j = 0; j < size; ++j)
      key[static_cast<std::size_t>(j)] = std::isnan(values(i, j)) ? '0' : '1';
    const auto [at, fresh] = patterns.try_emplace(key);
    Pattern& pattern = at->second;
    if (fresh) {
      for (Eigen::Index j = 0; j < size; ++j)
        if (key[static_cast<std::size_t>(j)] == '1') pattern.variables.push_back(j);
      const auto& variables = pattern.variables;
      const auto count = static_cast<Eigen::Index>(variables.size());
      Matrix block(count, count);
      for (Eigen::Index c = 0; c < count; ++c)
        for (Eigen::Index r = 0; r < count; ++r) {
          const Eigen::Index j = variables[static_cast<std::size_t>(r)];
          const Eigen::Index k = variables[static_cast<std::size_t>(c)];
          block(r, c) = covariance(j, k) / (unit[j] * unit[k]);
        }
      // a variance of zero leaves values that are not finite
      pattern.proper = block.allFinite() && pattern.root.compute(block);
    }
    const auto& variables = pattern.variables;
    out.observed[i] = static_cast<double>(variables.size());
    if (variables.empty()) continue;
    if (!pattern.proper) {
      out.squared[i] = std::numeric_limits<double>::quiet_NaN();
      continue;
    }
    Vector deviation(static_cast<Eigen::Index>(variables.size()));
    for (Eigen::Index k = 0; k < deviation.size(); ++k) {
      const Eigen::Index j = variables[static_cast<std::size_t>(k)];
      deviation[k] = (values(i, j) - mean[j]) / unit[j];
    }
    pattern.root.half_solve(deviation);
    out.squared[i] = deviation.squaredNorm();
  }
  return out;
}

}  // namespace orizzonte
