// Means and covariances of incomplete data, estimated without a model.
#pragma once
#include "block.hpp"

namespace orizzonte {

// The result of estimating saturated moments.
enum class Saturation {
  Found = 0,
  Unobserved = 1,  // no case has a value of some variable
  Constant = 2,    // all observed values of some variable are the same
  Degenerate = 3,  // the likelihood grows without bound: the covariance matrix becomes singular
  Unfinished = 4   // the steps ran out
};

struct Saturated {
  Vector mean;  // empty unless found or unfinished
  Matrix covariance;
  double minus_two_log_likelihood = 0;  // without the constant n p log(2 pi)
  int iterations = 0;
  Saturation status = Saturation::Unfinished;
  bool found() const { return status == Saturation::Found; }
};

// Maximum likelihood under normality for the missing patterns of one group with `size` variables:
// EM (Dempster, Laird & Rubin 1977) on the moments of the patterns, accelerated by squared
// extrapolation (Varadhan & Roland 2008). It ends when the extrapolated remaining fall of -2 log L
// is below 1e-10. Variables are centred and scaled first, so that neither their means nor their
// units matter. `near`: moments to start from.
Saturated saturated_moments(const Sequence<Block>& patterns, int size, const Block* near = nullptr,
                            int most = 5000);

}  // namespace orizzonte
