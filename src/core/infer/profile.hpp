// Saturated means: every observed intercept is free on its own, every construct mean fixed. Then mu
// = m exactly, and the intercepts follow in closed form; profiling them out is exact (Joreskog &
// Sorbom 1981).
#pragma once
#include "../moments/block.hpp"

namespace orizzonte {

// The entries with the intercepts of observed variables filled in: alpha = (I - B) E with E of
// observed variables at the sample means, and of constructs as their causes imply.
Vector profile_means(const Model& model, Vector eta, const Sample& sample);

// Covariances of the known parameters (rows) with the sample means, and of the means, by group.
struct MeanCovariances {
  Sequence<Matrix> cross, own;
};

// Covariance matrix of all parameters from that of the others (`known`, in the order of `used`):
// the intercepts follow the other parameters, and the sample means. Under normality these have
// covariance Sigma / n and are independent of the others; otherwise `of_means` gives their
// covariances.
Matrix profiled_covariance(const Model& model, const Vector& eta, const Sample& sample,
                           const Matrix& known, const Sequence<int>& used,
                           const MeanCovariances& of_means = {});

}  // namespace orizzonte
