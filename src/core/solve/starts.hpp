// Closed-form starting values, and moving constructs from one scale to another.
#pragma once
#include "../objective/objective.hpp"
#include "../random.hpp"

namespace orizzonte {

// Entries for unit-variance constructs, from the sample moments alone. With a generator, a fresh
// start: loadings and covariances of constructs are perturbed at random.
Vector starting_entries(const Model& model, const Sample& sample, Random* random = nullptr);

// Random values that are plausible in units of the items' standard deviations and do not depend on
// the covariances of the data.
Vector random_entries(const Model& model, const Sample& sample, Random& random);

// Moves every construct to the scale that the model asks for: v -> t v. False when that scale
// cannot express the solution (a zero marker loading, a negative variance where it must be 1).
bool to_model_scale(const Model& model, Vector& eta);

// Parameters that imply positive definite matrices: covariances and effects are pulled towards zero
// until they do.
bool admissible_start(Objective& problem, Vector eta, Vector& theta);

// The free parameters that give these entries (each parameter from the entries that it alone
// determines).
Vector parameters_of(const Model& model, const Vector& eta);

}  // namespace orizzonte
