// Newton steps within a trust region: each step costs more than a scoring step, but the method
// follows curved, flat valleys and leaves saddle points.
#pragma once
#include "solve.hpp"

namespace orizzonte {

// Moves theta downhill, along the constraints if there are any, until the observed Hessian is
// positive definite and the predicted drop of chi-square is small. False when it does not succeed.
bool trust_region_newton(Objective& problem, Vector& theta, const Settings& settings,
                         const Callbacks& callbacks, Sequence<Iteration>& history);

}  // namespace orizzonte
