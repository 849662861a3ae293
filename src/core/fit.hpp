// From a model and sample moments to estimates, errors and a status.
#pragma once
#include "optimise.hpp"

namespace orizzonte {

struct Fit {
  Vector theta;
  Vector eta;
  Matrix covariance;               // of theta; empty when the information is singular
  double discrepancy = 0;
  double decrement = 0;
  Status status = Status::BadStart;
  bool identified = true;          // full rank at the start or at some random admissible point
  int starts = 1;
  std::vector<Iteration> history;
  Vector inflation;                // of the variance of each parameter by not knowing the others
  std::vector<char> active;        // by constraint
  Vector multipliers, violations;
};

Fit fit(const Model& model, const std::vector<Moments>& sample, const Settings& settings, const Callbacks& callbacks);

// Covariance matrix of the parameters of a fit made without errors.
Matrix errors_of(const Model& model, const std::vector<Moments>& sample, const Vector& theta);

// Local rank: the Jacobi-scaled expected information at the start and at random admissible points
// (Rothenberg 1971). Keeps the point with the highest rank.
struct Rank {
  int rank = 0;
  int parameters = 0;
  Vector eigenvalues;   // ascending
  Matrix null_vectors;  // columns, in units of the caller's parameters scaled to unit information
};
Rank local_rank(const Model& model, const std::vector<Moments>& sample, const Settings& settings);

}  // namespace orizzonte
