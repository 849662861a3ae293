// Rescales a problem so that every observed variable has a variance of about one, and shifts
// variables whose means are far from zero.
#pragma once
#include <memory>

#include "../moments/block.hpp"
#include "../moments/cases.hpp"
#include "centring.hpp"

namespace orizzonte {

struct Rescaled {
  std::shared_ptr<const Model> model;
  Sample sample;
  Vector parameter_unit;       // caller's parameter = unit * rescaled parameter
  Vector entry_unit;           // rescaled entry = unit * caller's entry
  Sequence<Vector> item_unit;  // by group: caller's observed variable = unit * rescaled variable
  Centring centring;           // of the rescaled problem

  // Convert the caller's parameters to those of this problem and back, and covariances and steps at
  // a point of this problem to the caller's.
  Vector inward(const Vector& theta) const {
    return centring.inward(theta.cwiseQuotient(parameter_unit));
  }
  Vector outward(const Vector& at) const {
    return parameter_unit.cwiseProduct(centring.outward(at));
  }
  Matrix outward(const Matrix& covariance, const Vector& at) const {
    return parameter_unit.asDiagonal() * centring.outward(covariance, at) *
           parameter_unit.asDiagonal();
  }
  Vector outward_step(const Vector& step, const Vector& at) const {
    return parameter_unit.cwiseProduct(centring.outward_step(step, at));
  }
  // Converts derivatives by the parameters of this problem, in rows, at a point of this problem to
  // derivatives by the caller's parameters; and an information matrix likewise.
  Matrix outward_slopes(const Matrix& slopes, const Vector& at) const;
  Matrix outward_information(const Matrix& information, const Vector& at) const;
  // Converts the caller's cases to those of this problem.
  Sequence<Cases> inward(Sequence<Cases> cases) const;
};

// Item scales of 1e-3 and 1e3 side by side would otherwise spoil the information matrix. Equal
// parameters become weighted entries of the map, so the model is unchanged.
Rescaled rescale(Model model, Sample sample);

// The cases in the units of a rescaled problem.
Sequence<Cases> in_units(Sequence<Cases> cases, const Sequence<Vector>& item_unit);

}  // namespace orizzonte
