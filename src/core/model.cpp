#include "model.hpp"

namespace orizzonte {

Vector LinearMap::operator()(const Vector& theta) const {
  Vector eta;
  apply(theta, eta);
  return eta;
}

void LinearMap::apply(const Vector& theta, Vector& eta) const {
  eta = constant;
  for (size_t e = 0; e < rows.size(); ++e)
    for (const Term& term : rows[e]) eta[e] += term.weight * theta[term.parameter];
}

}  // namespace orizzonte
