// Maximum likelihood under smooth equalities and bounds.
#pragma once
#include "solve.hpp"

namespace orizzonte {

// Constrained scoring (Aitchison & Silvey 1958), then Newton on the Lagrangian: each step solves a
// quadratic problem with linearized constraints; an active set adds and removes bounds. An exact
// penalty decides whether a step is taken.
Optimum constrained_scoring(Objective& problem, const Vector& start, const Settings& settings,
                            const Callbacks& callbacks);

}  // namespace orizzonte
