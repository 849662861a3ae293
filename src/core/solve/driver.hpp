// From a model and sample moments to estimates, errors and a status.
#pragma once
#include "solve.hpp"

namespace orizzonte {

struct Fit {
  Vector theta;
  Vector eta;
  Matrix covariance;  // of theta; empty when the information is singular
  double discrepancy = 0;
  double decrement = 0;
  Status status = Status::BadStart;
  bool identified = true;  // full rank at the start or at some random admissible point
  int starts = 1;
  Sequence<Iteration> history;
  Vector inflation;       // of the variance of each parameter by not knowing the others
  Sequence<char> active;  // by constraint
  Vector multipliers, violations;
};

// Starting values, an internal scale that is numerically safe, and further starts where the first
// one is not good enough.
Fit fit(const Model& model, const Sample& sample, const Settings& settings,
        const Callbacks& callbacks);

// Covariance matrix of the parameters of a fit made without errors.
Matrix errors_of(const Model& model, const Sample& sample, const Vector& theta);

}  // namespace orizzonte
