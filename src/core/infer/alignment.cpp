#include "alignment.hpp"

#include <cmath>

#include "../linear/dense.hpp"

namespace orizzonte {

AlignmentLoss alignment_loss(const Eigen::Ref<const Matrix>& loadings,
                             const Eigen::Ref<const Matrix>& intercepts,
                             const Eigen::Ref<const Vector>& cases,
                             const Eigen::Ref<const Vector>& mean,
                             const Eigen::Ref<const Vector>& log_sd, double epsilon) {
  const Eigen::Index items = loadings.rows();
  const Eigen::Index groups = loadings.cols();
  const Vector scale = (-log_sd.array()).exp();
  // groups x items, so that the groups of one item are adjacent
  const Matrix slope = scale.asDiagonal() * loadings.transpose();
  const Matrix origin = intercepts.transpose() - mean.asDiagonal() * slope;
  const Vector root = cases.array().sqrt();
  Matrix by_slope = Matrix::Zero(groups, items);
  Matrix by_origin = Matrix::Zero(groups, items);
  double sum = 0;
  const auto add = [&](const Matrix& value, Matrix& derivative) {
    for (Eigen::Index i = 0; i < items; ++i)
      for (Eigen::Index g = 0; g + 1 < groups; ++g)
        for (Eigen::Index h = g + 1; h < groups; ++h) {
          const double difference = value(g, i) - value(h, i);
          const double size = std::sqrt(difference * difference + epsilon);
          const double loss = std::sqrt(size);
          const double weight = root[g] * root[h];
          sum += weight * loss;
          const double slope_of_loss = weight * difference / (2 * size * loss);
          derivative(g, i) += slope_of_loss;
          derivative(h, i) -= slope_of_loss;
        }
  };
  add(slope, by_slope);
  add(origin, by_origin);
  const double total = (root.sum() * root.sum() - cases.sum()) / 2 * static_cast<double>(items);
  AlignmentLoss out;
  out.value = sum / total;
  const Vector through_mean = row_products(by_origin, slope);
  out.by_mean = -through_mean / total;
  out.by_log_sd = (mean.cwiseProduct(through_mean) - row_products(by_slope, slope)) / total;
  return out;
}

}  // namespace orizzonte
