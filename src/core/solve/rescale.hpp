// The same problem in units in which every observed variable has variance about one.
#pragma once
#include <memory>

#include "../moments/block.hpp"
#include "../moments/cases.hpp"

namespace orizzonte {

struct Rescaled {
  std::shared_ptr<const Model> model;
  Sample sample;
  Vector parameter_unit;  // caller's parameter = unit * rescaled parameter
  Vector entry_unit;      // rescaled entry = unit * caller's entry
  std::vector<Vector> item_unit;  // by group: caller's observed variable = unit * rescaled variable
};

// Item scales of 1e-3 and 1e3 side by side would otherwise spoil the information matrix. Equal
// parameters become weighted entries of the map, so the model is unchanged.
Rescaled rescale(Model model, Sample sample);

// The cases in the units of a rescaled problem.
std::vector<Cases> in_units(std::vector<Cases> cases, const std::vector<Vector>& item_unit);

}  // namespace orizzonte
