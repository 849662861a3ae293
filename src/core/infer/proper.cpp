#include "proper.hpp"

#include <cmath>

#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"
#include "../matrices.hpp"

namespace orizzonte {

bool is_proper(const Model& model, const Vector& eta, double slack) {
  if (!eta.allFinite()) return false;
  for (const Implied& group : implied(model, eta)) {
    Matrix psi = group.residual;
    Vector unit = psi.diagonal();
    for (int i = 0; i < unit.size(); ++i) {
      if (unit[i] < -slack) return false;
      unit[i] = unit[i] > 0 ? 1 / std::sqrt(unit[i]) : 1;
    }
    if (psi.isDiagonal(0)) continue;
    psi = scaled_by(unit, psi);
    psi.diagonal().array() += slack;
    // composites have no residual variance
    for (int i = 0; i < psi.rows(); ++i)
      if (group.residual(i, i) == 0 && group.residual.row(i).isZero(0)) psi(i, i) = 1;
    if (!Cholesky().compute(psi)) return false;
  }
  return true;
}

}  // namespace orizzonte
