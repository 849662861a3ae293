#include "drawn.hpp"

#include <cmath>
#include <limits>
#include <numeric>

#include "../moments/reduce.hpp"

namespace orizzonte {
namespace {

constexpr double turn = 6.283185307179586;  // 2 pi

// Standard normal numbers, two at a time (Box & Muller 1958).
void fill_normal(Random& random, Matrix& out) {
  double* at = out.data();
  const int size = to_int(out.size());
  for (int i = 0; i < size; i += 2) {
    const double radius = std::sqrt(-2 * std::log(random.uniform()));
    const double angle = turn * random.uniform();
    at[i] = radius * std::cos(angle);
    if (i + 1 < size) at[i + 1] = radius * std::sin(angle);
  }
}

// a + b z + c z^2 + d z^3 with a = -c, in place; rows are variables.
void bend(const Matrix& cubic, Matrix& z) {
  if (cubic.rows() == 0) return;
  for (int i = 0; i < z.cols(); ++i)
    for (int v = 0; v < z.rows(); ++v) {
      const double x = z(v, i);
      z(v, i) = -cubic(v, 1) + x * (cubic(v, 0) + x * (cubic(v, 1) + x * cubic(v, 2)));
    }
}

// Variables x cases, standardized.
Matrix standard_cases(const Population& of, Random& random) {
  const int p = to_int(of.mean.size());
  Matrix between(p, of.clusters.size()), z(p, of.cases);
  fill_normal(random, between);
  fill_normal(random, z);
  const auto root = of.root.triangularView<Eigen::Lower>();
  z = (root * z).eval();
  bend(of.cubic, z);
  if (of.clusters.empty()) return z;
  // also between clusters, the covariances are those of the transformed variables
  between = (root * between).eval();
  bend(of.cubic, between);
  z *= std::sqrt(1 - of.between);
  for (int c = 0, next = 0; c < of.clusters.size(); ++c)
    for (int i = 0; i < of.clusters[c]; ++i, ++next)
      z.col(next) += std::sqrt(of.between) * between.col(c);
  return z;
}

void lose(const Population& of, Random& random, const Matrix& z, Matrix& values) {
  const double missing = std::numeric_limits<double>::quiet_NaN();
  for (int v = 0; v < of.odds.size(); ++v) {
    if (!(of.odds[v] > -std::numeric_limits<double>::infinity())) continue;
    for (int i = 0; i < of.cases; ++i) {
      const double by = of.given < 0 ? 0 : of.slope[v] * z(of.given, i);
      if (random.uniform() < 1 / (1 + std::exp(-of.odds[v] - by))) values(i, v) = missing;
    }
  }
  for (int v = 0; v < of.missing.cols(); ++v)
    for (int i = 0; i < of.missing.rows(); ++i)
      if (of.missing(i, v) != 0) values(i, v) = missing;
}

}  // namespace

Drawn::Drawn(Sequence<Population> groups, int less, const Sequence<Vector>& unit)
    : groups_(std::move(groups)), unit_(unit), less_(less) {
  for (const Population& of : groups_)
    sizes_.push_back(of.kept.empty() ? to_int(of.mean.size()) : of.kept.size());
}

Sequence<Matrix> Drawn::values(std::uint64_t seed, int replicate) const {
  Random random = replicate_stream(seed, replicate);
  Sequence<Matrix> out;
  for (const Population& of : groups_) {
    const Matrix z = standard_cases(of, random);
    Matrix values = z.transpose() * of.sd.asDiagonal();
    values.rowwise() += of.mean.transpose();
    lose(of, random, z, values);
    if (!of.kept.empty()) {
      Matrix part(values.rows(), of.kept.size());
      for (int v = 0; v < of.kept.size(); ++v) part.col(v) = values.col(of.kept[v]);
      values = std::move(part);
    }
    if (!unit_.empty()) values *= unit_[out.size()].cwiseInverse().asDiagonal();
    out.push_back(std::move(values));
  }
  return out;
}

bool Drawn::draw(std::uint64_t seed, int replicate, Sample& out) {
  Sequence<Sequence<Block>> blocks;
  for (const Matrix& values : values(seed, replicate))
    blocks.push_back(reduce_cases(values, Vector()));
  return sample_of_blocks(std::move(blocks), less_, Sample(), sizes_, out);
}

}  // namespace orizzonte
