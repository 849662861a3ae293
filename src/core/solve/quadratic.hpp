// The quadratic problem of one constrained step.
#pragma once
#include "../linear/cholesky.hpp"

namespace orizzonte {

// min d'Md/2 - g'd subject to A d + c = 0 for equalities and >= 0 for bounds; M positive definite,
// given by its factor. A primal-dual active set: start with the equalities and the bounds that were
// active before, add violated ones, and drop those with a multiplier of the wrong sign.
struct Quadratic {
  Vector step, multipliers;
  Sequence<char> working;
  bool solved = false;
};
Quadratic solve_quadratic(const Cholesky& factor, const Vector& g, const Matrix& a, const Vector& c,
                          const Sequence<char>& equality, Sequence<char> working);

}  // namespace orizzonte
