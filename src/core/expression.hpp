// Smooth expressions of a few inputs, with first and second derivatives: restrictions and derived
// quantities.
#pragma once
#include "model.hpp"

namespace orizzonte {

struct Jet {
  double value;
  Vector gradient;
  Matrix hessian;
};

// Forward mode, carrying the gradient and the Hessian through each operation. Values outside an
// operation's domain (the logarithm of a negative number) give NaN.
Jet evaluate(const Expression& expression, const Vector& inputs);

// A constraint of the model at entries eta, with derivatives by the free parameters.
Jet evaluate(const Constraint& constraint, const LinearMap& map, const Vector& eta);

}  // namespace orizzonte
