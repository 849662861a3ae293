// Loadings that are partly fixed by the user, such as those of growth over time.
#pragma once

#include "../model.hpp"
#include "../random.hpp"

namespace orizzonte {

// Loadings of constructs that have some at given values: the unknown ones from the mean curve,
// where the intercepts are fixed (mean = intercept + loadings x means of constructs), otherwise as
// large as the largest given one.
struct Basis {
  Sequence<int> items;
  Matrix loading;                   // items x constructs
  Sequence<Sequence<int>> unknown;  // by item: the constructs
  Vector level;                     // means less intercepts; empty when not fixed
};

Basis basis_of(const Model& model, const Sequence<const Scale*>& scales, const Vector& mean,
               int group);
void fill_unknown(Basis& basis, Random* random);

}  // namespace orizzonte
