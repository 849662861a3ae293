// Newton steps within a trust region: slower a step than scoring, but it follows bent, flat valleys and leaves saddles.
#pragma once
#include "optimise.hpp"

namespace orizzonte {

// Moves theta downhill, along the constraints if there are any, until the observed Hessian is positive definite and the
// predicted drop of chi-square is small. False when it did not get there.
bool follow_valley(Discrepancy& problem, Vector& theta, const Settings& settings, const Callbacks& callbacks,
                   std::vector<Iteration>& history);

// A quick optimiser, then the valley when that got stuck, then the quick one again to finish and judge.
Optimum with_valley(Discrepancy& problem, const Vector& start, const Settings& settings, const Callbacks& callbacks,
                    Optimum (*quick)(Discrepancy&, const Vector&, const Settings&, const Callbacks&));

}  // namespace orizzonte
