// From a starting point to an optimum of an objective.
#pragma once
#include "../objective/objective.hpp"
#include "control.hpp"

namespace orizzonte {

struct Optimum {
  Vector theta;
  double discrepancy = 0;
  double decrement = 0;
  Status status = Status::BadStart;
  Sequence<Iteration> history;
  Matrix covariance;      // inverse expected information; empty when singular
  Vector inflation;       // variance of each parameter over what it would be were all others known
  Sequence<char> active;  // by constraint: does it hold with equality
  Vector multipliers;     // by constraint
  Vector violations;      // by constraint, in standard errors of its gradient
};

// Scoring and Newton steps, on the constraints if there are any.
Optimum solve_quickly(Objective& problem, const Vector& start, const Settings& settings,
                      const Callbacks& callbacks);

// From the points at which those stopped: the slower but more reliable steps within a trust region,
// then quick ones.
Optimum solve_by_trust_region(Objective& problem, const Optimum& stuck, const Settings& settings,
                              const Callbacks& callbacks);
bool got_stuck(const Optimum& x);

// Fisher scoring first, then Newton once the observed Hessian is positive definite; without
// constraints.
Optimum score_and_newton(Objective& problem, const Vector& start, const Settings& settings,
                         const Callbacks& callbacks);

// Inverse of the information for standard errors, along the constraints if there are any; empty
// when singular.
Matrix covariance_at(Objective& problem, const Vector& theta);

// The same along the constraints, in units of `unit`: Z (Z' H Z)^-1 Z'. Where a constraint is not
// linear, H is the Hessian of the Lagrangian: the observed information less the curvature of the
// constraints by their multipliers, which is the Hessian of the likelihood from which the dependent
// parameters are eliminated. Empty when singular.
Matrix covariance_along(Objective& problem, const Vector& theta, Vector& unit);

}  // namespace orizzonte
