// Means and covariances of incomplete data, with nothing assumed of them but normality.
#pragma once
#include "block.hpp"

namespace orizzonte {

struct Saturated {
  Vector mean;
  Matrix covariance;
  double minus_two_log_likelihood = 0;  // without the constant n p log(2 pi)
  int iterations = 0;
  bool converged = false;
};

// Of the missing patterns of one group with `size` variables. EM (Dempster, Laird & Rubin 1977) on
// the patterns' moments, accelerated by squared extrapolation (Varadhan & Roland 2008); it ends
// when the fall of -2 log L that is left, extrapolated, is below 1e-10.
// `near`: moments to start from.
Saturated saturated_moments(const std::vector<Block>& patterns, int size,
                            const Block* near = nullptr, int most = 5000);

}  // namespace orizzonte
