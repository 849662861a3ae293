// Sample moments as the objectives read them: blocks of cases with the same observed variables.
#pragma once
#include "../model.hpp"

namespace orizzonte {

// Cases of one group that have the same variables. The covariance has divisor n.
struct Block {
  int group = 0;
  double n = 0;
  Matrix covariance;
  Vector mean;              // empty when no means are known
  Sequence<int> variables;  // which of the group's observed variables; empty: all of them
};

// The moments of each group: one block per group, in their order. With missing values these are the
// saturated moments, and the cases themselves are also stored in blocks by missing pattern.
struct Sample : Sequence<Block> {
  using Sequence<Block>::Sequence;
  Sequence<Block> patterns;
};

double total_n(const Sample& sample);

// One group of a sample, as a sample of its own.
Sample of_group(const Sample& sample, int g);

}  // namespace orizzonte
