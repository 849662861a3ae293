// A model fitted to many samples, without returning to the caller in between.
#pragma once
#include "../solve/control.hpp"
#include "../solve/rescale.hpp"
#include "source.hpp"

namespace orizzonte {

// One column, or one element, per replicate.
struct Replicates {
  Matrix theta;  // NaN where there is no solution
  Matrix n;      // by group
  Vector discrepancy;
  Sequence<int> status;  // of Status; `unusable` where the sample could not be analysed
  Sequence<char> improper;
};
constexpr int unusable = 8;

// Replicates `first` (from 1) to first + count - 1 of a seed, each from the solution `theta` of the
// original sample. A replicate that does not converge from there, presses against a bound, or is
// improper unlike the original is fitted like a single sample. The source draws in the units of the
// rescaled problem; results are returned in the caller's units. `seen` receives the sample of each
// replicate, in units of the rescaled problem, by number from 0.
Replicates refit_many(const Rescaled& scaled, const Vector& theta, Source& source,
                      std::uint64_t seed, int first, int count, const Settings& settings,
                      const Callbacks& callbacks,
                      const std::function<void(int, const Sample&)>& seen = nullptr);

}  // namespace orizzonte
