// Constructs turned round: where their sign is free, the data do not tell it.
#pragma once

#include "solve.hpp"

namespace orizzonte {

// Where signs are no matter of the data but of equations and bounds: every other choice of signs of
// the constructs in them.
Sequence<Vector> reflected(const Model& model, const Vector& theta);

// A construct whose sign is free points where most of its indicators do.
void orient(const Model& model, Optimum& x);

}  // namespace orizzonte
