#include "reduce.hpp"

#include <cmath>
#include <cstdint>
#include <map>

namespace orizzonte {
namespace {

using Key = Sequence<std::uint64_t>;

Key key_of(const Eigen::Ref<const Matrix>& values, int row) {
  Key key(to_int(values.cols() + 63) / 64, 0);
  for (int v = 0; v < values.cols(); ++v)
    if (!std::isnan(values(row, v))) key[v / 64] |= std::uint64_t{1} << (v % 64);
  return key;
}

}  // namespace

Sequence<Block> reduce_cases(const Eigen::Ref<const Matrix>& values, const Vector& weight,
                             int group) {
  const int n = to_int(values.rows()), p = to_int(values.cols());
  const auto weight_of = [&](int i) { return weight.size() ? weight[i] : 1.0; };
  std::map<Key, int> known;
  Sequence<Block> out;
  Sequence<int> owner(n, -1);
  Key last;
  int last_owner = -1;
  for (int i = 0; i < n; ++i) {
    const Key key = key_of(values, i);
    if (last_owner < 0 || key != last) {
      const auto found = known.emplace(key, out.size());
      if (found.second) {
        Block block;
        block.group = group;
        for (int v = 0; v < p; ++v)
          if (key[v / 64] >> (v % 64) & 1) block.variables.push_back(v);
        const int size = block.variables.size();
        block.mean = Vector::Zero(size);
        block.covariance = Matrix::Zero(size, size);
        out.push_back(block);
      }
      last = key;
      last_owner = found.first->second;
    }
    owner[i] = last_owner;
    Block& block = out[last_owner];
    block.n += weight_of(i);
    for (int k = 0; k < block.variables.size(); ++k)
      block.mean[k] += weight_of(i) * values(i, block.variables[k]);
  }
  for (Block& block : out) block.mean /= block.n;
  Vector off;
  for (int i = 0; i < n; ++i) {
    Block& block = out[owner[i]];
    const int size = block.variables.size();
    off.resize(size);
    for (int k = 0; k < size; ++k) off[k] = values(i, block.variables[k]) - block.mean[k];
    for (int k = 0; k < size; ++k) {
      const double scaled = weight_of(i) * off[k];
      for (int j = k; j < size; ++j) block.covariance(j, k) += scaled * off[j];
    }
  }
  Sequence<Block> kept;
  for (Block& block : out) {
    if (block.variables.empty()) continue;
    block.covariance /= block.n;
    block.covariance.triangularView<Eigen::StrictlyUpper>() = block.covariance.transpose();
    kept.push_back(block);
  }
  return kept;
}

}  // namespace orizzonte
