// Sample moments as the objectives read them: blocks of cases that answered the same variables.
#pragma once
#include "../model.hpp"

namespace orizzonte {

// Cases of one group that have the same variables. The covariance has divisor n. Complete data are
// one block a group, in the order of the groups.
struct Block {
  int group = 0;
  double n = 0;
  Matrix covariance;
  Vector mean;                 // empty when no means are known
  std::vector<int> variables;  // which of the group's observed variables; empty: all of them
};
using Sample = std::vector<Block>;

double total_n(const Sample& sample);

}  // namespace orizzonte
