// The same problem in units in which every observed variable has variance about one, and with means
// near zero where they were far away.
#pragma once
#include <memory>

#include "../moments/block.hpp"
#include "../moments/cases.hpp"
#include "centring.hpp"

namespace orizzonte {

struct Rescaled {
  std::shared_ptr<const Model> model;
  Sample sample;
  Vector parameter_unit;  // caller's parameter = unit * rescaled parameter
  Vector entry_unit;      // rescaled entry = unit * caller's entry
  std::vector<Vector> item_unit;  // by group: caller's observed variable = unit * rescaled variable
  Centring centring;              // of the problem in those units

  // Parameters as the caller has them <-> those of this problem; covariances and steps of those of
  // this problem, at a point of it.
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
  // The caller's cases as cases of this problem.
  std::vector<Cases> inward(std::vector<Cases> cases) const;
};

// Item scales of 1e-3 and 1e3 side by side would otherwise spoil the information matrix. Equal
// parameters become weighted entries of the map, so the model is unchanged.
Rescaled rescale(Model model, Sample sample);

// The cases in the units of a rescaled problem.
std::vector<Cases> in_units(std::vector<Cases> cases, const std::vector<Vector>& item_unit);

}  // namespace orizzonte
