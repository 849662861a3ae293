#include "model.hpp"

namespace orizzonte {

Vector LinearMap::operator()(const Vector& theta) const {
  Vector eta = constant;
  for (size_t e = 0; e < rows.size(); ++e)
    for (const Term& term : rows[e]) eta[e] += term.weight * theta[term.parameter];
  return eta;
}

double total_n(const std::vector<Moments>& sample) {
  double n = 0;
  for (const Moments& group : sample) n += group.n;
  return n;
}

}  // namespace orizzonte
