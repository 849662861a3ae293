// Reversed constructs: the data do not determine a sign that is free.
#pragma once

#include "solve.hpp"

namespace orizzonte {

// Where signs are determined by equations and bounds instead of the data: every other choice of
// signs of the constructs in them.
Sequence<Vector> reflected(const Model& model, const Vector& theta);

// If the sign of a construct is not determined, it is chosen so that most of its loadings are
// positive.
void orient(const Model& model, Optimum& x);

}  // namespace orizzonte
