// The single cases behind the moments of a group.
#pragma once
#include "../model.hpp"

namespace orizzonte {

struct Cases {
  Matrix values;          // cases x observed variables, NaN where a value is missing
  Vector weight;          // of each case, as the moments have it; empty: one
  Sequence<int> cluster;  // of each case, from 0 on; empty: each on its own
  int clusters = 0;
  bool shared = false;  // clusters are numbered over all groups, since some lie in several
};

}  // namespace orizzonte
