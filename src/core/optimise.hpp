// Fisher scoring first, then Newton with the observed Hessian, both damped (Levenberg).
#pragma once
#include "discrepancy.hpp"

namespace orizzonte {

enum class Status : int {
  Converged = 0,
  IterationLimit = 1,
  NoDescent = 2,      // no admissible step lowers the discrepancy
  NotMinimum = 3,     // stationary, but the Hessian is not positive definite
  Singular = 4,       // the information is singular at the solution
  BadStart = 5,       // the starting values imply no positive definite covariance matrix
  Interrupted = 6,
  Infeasible = 7      // the constraints cannot all hold
};

struct Iteration {
  int method;          // 0 scoring, 1 Newton, 2 Newton within a trust region
  double chisq;
  double decrement;    // lambda^2 = s' I^-1 s, the predicted drop of chi-square
  double damping;      // the radius, for steps within a trust region
};

struct Settings {
  int iterations = 500;       // within a trust region, after the first ones got stuck
  double tolerance = 1e-12;   // on lambda^2
  int fresh_starts = 4;
  bool errors = true;         // whether the covariance matrix of the parameters is wanted (constraints always give it)
  bool require_rank = false;  // give up at once when the information is singular at the start
  std::uint64_t seed = 20260101;
  Vector start;               // the caller's starting values by parameter; NaN where there is none, empty when all are ours
};

struct Optimum {
  Vector theta;
  double discrepancy = 0;
  double decrement = 0;
  Status status = Status::BadStart;
  std::vector<Iteration> history;
  Matrix covariance;          // inverse expected information; empty when singular
  Vector inflation;           // variance of each parameter over what it would be were all others known
  std::vector<char> active;   // by constraint: does it hold with equality
  Vector multipliers;         // by constraint
  Vector violations;          // by constraint, in standard errors of its gradient
};

Optimum optimise(Discrepancy& problem, const Vector& start, const Settings& settings, const Callbacks& callbacks);

// Inverse expected information at a point, without constraints; empty when singular.
Matrix covariance_at(Discrepancy& problem, const Vector& theta);

}  // namespace orizzonte
