#include "resampled.hpp"

#include <cmath>

#include "../moments/reduce.hpp"
#include "../moments/saturated.hpp"

namespace orizzonte {
namespace {

int below(int n, Random& random) { return std::min(n - 1, static_cast<int>(random.uniform() * n)); }

// The block of reduce_cases() that contains a case.
Sequence<Sequence<int>> rows_of(const Sequence<Block>& blocks, const Matrix& values) {
  Sequence<Sequence<int>> out(blocks.size());
  int last = 0;
  for (int i = 0; i < values.rows(); ++i) {
    const auto fits = [&](const Block& block) {
      int next = 0;
      for (int v = 0; v < values.cols(); ++v) {
        const bool wanted = next < block.variables.size() && block.variables[next] == v;
        if (wanted == std::isnan(values(i, v))) return false;
        next += wanted;
      }
      return true;
    };
    const int count = blocks.size();
    int k = 0;
    while (k < count && !fits(blocks[(last + k) % count])) ++k;
    if (k == count) continue;  // a case without any value
    last = (last + k) % count;
    out[last].push_back(i);
  }
  return out;
}

Vector means_of(const Sequence<Block>& blocks, int size) {
  Vector sum = Vector::Zero(size), count = sum;
  for (const Block& block : blocks)
    for (int k = 0; k < block.variables.size(); ++k) {
      sum[block.variables[k]] += block.n * block.mean[k];
      count[block.variables[k]] += block.n;
    }
  return sum.cwiseQuotient(count.cwiseMax(1e-300));
}

}  // namespace

Resampled::Resampled(const Sequence<Cases>& cases, int less, Sequence<Sequence<int>> parts)
    : less_(less), parts_(std::move(parts)) {
  Sequence<Sequence<Block>> all;
  for (int g = 0; g < cases.size(); ++g) {
    const Cases& from = cases[g];
    const Sequence<Block> blocks = reduce_cases(from.values, from.weight, g);
    Group group;
    group.cases = to_int(from.values.rows());
    group.weight = from.weight;
    group.centre = means_of(blocks, to_int(from.values.cols()));
    group.clusters.resize(from.clusters);
    shared_ = from.shared;
    for (int i = 0; i < from.cluster.size(); ++i) group.clusters[from.cluster[i]].push_back(i);
    const auto rows = rows_of(blocks, from.values);
    for (int k = 0; k < blocks.size(); ++k) {
      Pattern pattern;
      pattern.variables = blocks[k].variables;
      pattern.rows = rows[k];
      pattern.off.resize(pattern.variables.size(), rows[k].size());
      for (int i = 0; i < rows[k].size(); ++i)
        for (int v = 0; v < pattern.variables.size(); ++v)
          pattern.off(v, i) =
              from.values(rows[k][i], pattern.variables[v]) - group.centre[pattern.variables[v]];
      group.patterns.push_back(std::move(pattern));
    }
    sizes_.push_back(to_int(from.values.cols()));
    groups_.push_back(std::move(group));
    all.push_back(blocks);
  }
  Sample whole;
  if (sample_of_blocks(all, less, near_, sizes_, whole) && !whole.patterns.empty()) near_ = whole;
}

Sequence<Sequence<int>> Resampled::rows(std::uint64_t seed, int replicate) const {
  Random random = replicate_stream(seed, replicate);
  Sequence<Sequence<int>> out;
  // clusters that lie in several groups are drawn once, for all of them
  Sequence<int> chosen;
  if (shared_ && parts_.empty())
    for (int c = 0; c < groups_[0].clusters.size(); ++c)
      chosen.push_back(below(groups_[0].clusters.size(), random));
  for (int g = 0; g < groups_.size(); ++g) {
    const Group& group = groups_[g];
    Sequence<int> drawn;
    const int clusters = group.clusters.size();
    if (!parts_.empty()) {
      for (int i = 0; i < group.cases; ++i)
        if (parts_[g][i] != replicate) drawn.push_back(i);
    } else if (clusters == 0) {
      for (int i = 0; i < group.cases; ++i) drawn.push_back(below(group.cases, random));
    } else {
      for (int c = 0; c < clusters; ++c) {
        const Sequence<int>& own = group.clusters[shared_ ? chosen[c] : below(clusters, random)];
        drawn.insert(drawn.end(), own.begin(), own.end());
      }
    }
    out.push_back(std::move(drawn));
  }
  return out;
}

// Moments about the means of the data, moved to the replicate's own at the end: these are close, so
// that no digits are lost.
Block Resampled::block_of(const Group& group, const Pattern& pattern, const Vector& times) const {
  Block out;
  const int size = pattern.variables.size();
  Matrix taken(size, pattern.rows.size());
  int used = 0;
  Vector sum = Vector::Zero(size);
  for (int i = 0; i < pattern.rows.size(); ++i) {
    double weight = times[pattern.rows[i]];
    if (weight == 0) continue;
    if (group.weight.size()) weight *= group.weight[pattern.rows[i]];
    out.n += weight;
    sum += weight * pattern.off.col(i);
    taken.col(used++) = std::sqrt(weight) * pattern.off.col(i);
  }
  out.variables = pattern.variables;
  out.covariance = Matrix::Zero(size, size);
  if (used == 0) return out;
  out.covariance.selfadjointView<Eigen::Lower>().rankUpdate(taken.leftCols(used), 1 / out.n);
  const Vector shift = sum / out.n;
  out.covariance.triangularView<Eigen::Lower>() -= shift * shift.transpose();
  out.covariance.triangularView<Eigen::StrictlyUpper>() = out.covariance.transpose();
  out.mean = shift;
  for (int v = 0; v < size; ++v) out.mean[v] += group.centre[pattern.variables[v]];
  return out;
}

bool Resampled::draw(std::uint64_t seed, int replicate, Sample& out) {
  const Sequence<Sequence<int>> drawn = rows(seed, replicate);
  Sequence<Sequence<Block>> blocks(groups_.size());
  Vector times;
  double cases = 0, weight = 0;
  for (int g = 0; g < groups_.size(); ++g) {
    times.setZero(groups_[g].cases);
    for (int i : drawn[g]) times[i] += 1;
    cases += drawn[g].size();
    if (groups_[g].weight.size()) weight += times.dot(groups_[g].weight);
    for (const Pattern& pattern : groups_[g].patterns) {
      Block block = block_of(groups_[g], pattern, times);
      if (block.n > 0) blocks[g].push_back(std::move(block));
    }
  }
  if (weight > 0)  // weights sum to the number of cases
    for (auto& group : blocks)
      for (Block& block : group) block.n *= cases / weight;
  return sample_of_blocks(std::move(blocks), less_, near_, sizes_, out);
}

}  // namespace orizzonte
