// Constructs turned round: where their sign is free, the data do not tell it.
#pragma once

#include "solve.hpp"

namespace orizzonte {

// Where signs are no matter of the data but of equations and bounds: every other choice of signs of
// the constructs in them.
Sequence<Vector> reflected(const Model& model, const Vector& theta);

// If the sign of a construct is not determined, it is chosen so that most of its loadings are
// positive.
void orient(const Model& model, Optimum& x);

}  // namespace orizzonte
