// The saturated model of incomplete data at its own optimum, and the values that the test of a
// model and its fit indices take from it.
#pragma once
#include "meat.hpp"

namespace orizzonte {

// By group, of (co)variances (lower triangle by columns, unseen pairs left out) and means: sampling
// variances of the observed moments, and of the residuals of the model.
struct MomentSpread {
  Sequence<Vector> observed, residual;
};

// Complete data whatever their distribution: each unit's contribution to the moments, minus the
// part that the parameters account for.
MomentSpread moment_spread(const Model& model, const Sample& sample, const Vector& theta,
                           const Sequence<Cases>& cases, const StopToken& stop);

struct IncompleteScaling {
  bool admissible = false;
  double trace = 0;        // tr(A^-1 B) - tr((D'AD)^-1 D'BD) (Yuan & Bentler 2000): c df
  double complete = 0;     // the complete-data discrepancy F_C of the EM moments from the model
  double normal_bias = 0;  // what N F_C is expected to be of a right model, normality given
  double robust_bias = 0;  // the same whatever the distribution
  MomentSpread spread;     // without cases as normality has it
};

// Of one group: of its covariances (lower triangle by columns, `unseen` pairs left out: variables
// that no case has together, from 0) and means. It depends on the data alone, so that it serves all
// models of them. Needs memory for twice (p (p + 3) / 2)^2 numbers.
struct SaturatedInformation {
  bool admissible = false;
  Matrix information, inverse;
};
SaturatedInformation saturated_information(const Sample& sample, int g,
                                           const Sequence<std::pair<int, int>>& unseen,
                                           const StopToken& stop);

// One for each model (its free parameters `theta`), all of the same sample. Cases may be empty:
// then only the values for normal theory are computed. After Zhang & Savalei (2023).
Sequence<IncompleteScaling> incomplete_scaling(
    const Sequence<Model>& models, const Sequence<Vector>& theta, const Sample& sample,
    const Sequence<Cases>& cases, const Sequence<Sequence<std::pair<int, int>>>& unseen,
    const Sequence<SaturatedInformation>& saturated, const StopToken& stop);

}  // namespace orizzonte
