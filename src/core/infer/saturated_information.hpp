// The saturated model of incomplete data at its own optimum, and what the test of a model and its
// fit indices take from it.
#pragma once
#include "meat.hpp"

namespace orizzonte {

struct IncompleteScaling {
  bool admissible = false;
  double trace = 0;         // tr(A^-1 B) - tr((D'AD)^-1 D'BD) (Yuan & Bentler 2000): c df
  double complete = 0;      // the complete-data discrepancy F_C of the EM moments from the model
  double normal_bias = 0;   // what N F_C is expected to be of a right model, normality given
  double robust_bias = 0;   // the same whatever the distribution
};

// One for each model (its free parameters `theta`), all of the same sample. Cases may be empty:
// then only what normality needs is computed. `unseen`: by group, pairs (lower triangle, from 0) of
// variables that no case has together. After Zhang & Savalei (2023). Needs memory for (p (p + 3)
// / 2)^2 numbers a group.
std::vector<IncompleteScaling> incomplete_scaling(
    const std::vector<Model>& models, const std::vector<Vector>& theta, const Sample& sample,
    const std::vector<Cases>& cases, const std::vector<std::vector<std::pair<int, int>>>& unseen,
    const StopToken& stop);

}  // namespace orizzonte
