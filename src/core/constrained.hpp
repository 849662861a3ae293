// Maximum likelihood under smooth equalities and bounds.
#pragma once
#include "optimise.hpp"

namespace orizzonte {

// Constrained scoring (Aitchison & Silvey 1958), then Newton on the Lagrangian: each step solves a quadratic problem with
// the constraints made linear; bounds come and go by an active set. An exact penalty decides whether a step is taken.
Optimum optimise_constrained(Discrepancy& problem, const Vector& start, const Settings& settings, const Callbacks& callbacks);

// Moves theta to where the constraints hold, by the shortest steps (Gauss-Newton). False when that fails.
bool restore(const Model& model, Vector& theta);

// The directions that keep the equalities and the bounds that press, for parameters in the given units: an orthonormal basis.
// `curvature` is what the constraints, by their multipliers, take from the Hessian.
struct Tangent {
  Matrix basis;
  Matrix curvature;
  std::vector<int> rows;     // the constraints kept, and their gradients as rows
  Matrix normals;
};
Tangent tangent(const Model& model, const Vector& theta, const Vector& unit, const Vector& gradient);

// Rows of the equalities' Jacobian at theta, each of unit length.
Matrix equality_directions(const Model& model, const Vector& theta);

}  // namespace orizzonte
