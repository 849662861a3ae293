// The problem with variables, entries, parameters and groups in canonical order.
#pragma once
#include <memory>

#include "../moments/block.hpp"

namespace orizzonte {

struct Ordered {
  Model model;
  Sample sample;
  Sequence<int> parameter;  // place of each of the caller's parameters

  Vector to_caller(const Vector& theta) const;
  Vector from_caller(const Vector& theta) const;
  Matrix to_caller(const Matrix& covariance) const;
};

// In the order of the ranks that the model carries, so that the result does not depend on the order
// in which items, constructs or groups were written.
Ordered in_order(const Model& model, const Sample& sample);

}  // namespace orizzonte
