#include "objective.hpp"

#include <cmath>

#include "../linear/dense.hpp"

namespace orizzonte {

Vector Objective::score() {
  Vector out;
  score(out);
  return out;
}

Matrix Objective::dense_information(Information kind) {
  information(kind, dense_);
  Matrix out = dense_.dense();
  out.triangularView<Eigen::StrictlyUpper>() = out.transpose();
  return out;
}

Matrix Objective::unit_information(Information kind, Vector& unit) {
  const Matrix out = dense_information(kind);
  unit.resize(out.rows());
  for (int i = 0; i < unit.size(); ++i) unit[i] = out(i, i) > 0 ? 1 / std::sqrt(out(i, i)) : 1;
  return scaled_by(unit, out);
}

}  // namespace orizzonte
