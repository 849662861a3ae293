// Equations and bounds of the parameters: their values, gradients and tangents.
#pragma once
#include "../model.hpp"

namespace orizzonte {

constexpr double shortest_gradient = 1e-300;  // length of a gradient that may be divided by

struct Constraints {
  Vector value;
  Matrix jacobian;
  Sequence<Matrix> hessian;

  bool finite() const { return value.allFinite() && jacobian.allFinite(); }
};
Constraints constraints_at(const Model& model, const Vector& theta);
Vector constraint_values(const Model& model, const Vector& theta);

// The violation of an equation or a bound.
double violation(double value, bool bound);

// The shortest step after which the constraints that are violated by more than the tolerance (in
// units of their gradients) hold to first order (Gauss-Newton). It is zero if none is violated.
// False if there is no such step.
bool restoring_step(const Model& model, const Vector& theta, double tolerance, Vector& step);

// Moves theta to where the constraints hold, by the shortest steps (Gauss-Newton). False when that
// fails.
bool restore(const Model& model, Vector& theta);

// The directions along the equalities and the active bounds, for parameters in the given units: an
// orthonormal basis. `curvature` is the contribution of the constraints, by their multipliers, to
// the Hessian.
struct Tangent {
  Matrix basis;
  Matrix curvature;
  Sequence<int> rows;  // the constraints kept, and their gradients as rows
  Matrix normals;
};
Tangent tangent(const Model& model, const Vector& theta, const Vector& unit,
                const Vector& gradient);

// Rows of the equalities' Jacobian at theta, each of unit length.
Matrix equality_directions(const Model& model, const Vector& theta);

}  // namespace orizzonte
