// Constructs whose variances and covariances are all free: in many models most parameters.
#pragma once
#include "../model.hpp"

namespace orizzonte {

struct FreeCovariances {
  Sequence<Sequence<int>> variables;  // by group: those whose covariances are all free
  Sequence<char> parameter;           // is a parameter one of these covariances
  int size = 0;                       // number of these parameters
};

// Each of these covariances is a separate parameter, which moves no other entry.
FreeCovariances free_covariances(const Model& model);

}  // namespace orizzonte
