// Standard errors that do not rest on normality.
#pragma once
#include "meat.hpp"

namespace orizzonte {

struct Sandwich {
  bool admissible = false;
  Matrix covariance;       // of the parameters
  Sequence<Matrix> cross;  // of parameters (rows) and observed means, by group, where asked for
  Sequence<Matrix> means;  // of the observed means, by group
};

// H^-1 J H^-1 with the observed Hessian H (White 1982) and the meat J; along the constraints where
// there are some. `with_means` also gives the parts that profiled intercepts need.
Sandwich sandwich(const Model& model, const Sample& sample, const Vector& theta,
                  const Sequence<Cases>& cases, bool with_means, const StopToken& stop);

}  // namespace orizzonte
