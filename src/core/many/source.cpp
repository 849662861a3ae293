#include "source.hpp"

#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"
#include "../moments/saturated.hpp"

namespace orizzonte {
namespace {

bool is_covariance(const Matrix& covariance) {
  const Vector variance = covariance.diagonal();
  if (!(variance.array() > 0).all() || !variance.allFinite()) return false;
  const Vector unit = variance.cwiseSqrt().cwiseInverse();
  Cholesky factor;
  return factor.compute(scaled_by(unit, covariance));
}

bool complete_block(Block block, int less, Sample& out) {
  block.variables.clear();
  if (less > 0) {
    block.covariance *= block.n / (block.n - less);
    block.n -= less;
  }
  if (!is_covariance(block.covariance)) return false;
  out.push_back(std::move(block));
  return true;
}

bool incomplete_blocks(const Sequence<Block>& patterns, int g, int size, const Sample& near,
                       Sample& out) {
  const Saturated found = saturated_moments(patterns, size, near.empty() ? nullptr : &near[g]);
  if (!found.found() || !is_covariance(found.covariance)) return false;
  Block whole;
  whole.group = g;
  for (const Block& pattern : patterns) whole.n += pattern.n;
  whole.mean = found.mean;
  whole.covariance = found.covariance;
  out.push_back(std::move(whole));
  out.patterns.insert(out.patterns.end(), patterns.begin(), patterns.end());
  return true;
}

}  // namespace

bool sample_of_blocks(Sequence<Sequence<Block>> groups, int less, const Sample& near,
                      const Sequence<int>& sizes, Sample& out) {
  out.clear();
  out.patterns.clear();
  bool complete = true;
  for (int g = 0; g < groups.size(); ++g) {
    if (groups[g].empty()) return false;
    complete = complete && groups[g].size() == 1 && groups[g][0].mean.size() == sizes[g];
  }
  for (int g = 0; g < groups.size(); ++g) {
    for (Block& block : groups[g]) block.group = g;
    const bool usable = complete ? complete_block(std::move(groups[g][0]), less, out)
                                 : incomplete_blocks(groups[g], g, sizes[g], near, out);
    if (!usable) return false;
  }
  return true;
}

}  // namespace orizzonte
