#include "refit_many.hpp"

#include <cmath>
#include <limits>

#include "../matrices.hpp"
#include "../objective/normal_theory.hpp"
#include "../solve/driver.hpp"
#include "../solve/solve.hpp"

namespace orizzonte {
namespace {

constexpr double negative = -1e-8;  // an eigenvalue below it is negative indeed

// Is a matrix of (residual) covariances of variables not positive semi-definite? That is so
// whenever a variance is negative, a correlation beyond 1 or R-squared outside of 0 to 1.
bool is_improper(const Model& model, const Vector& eta) {
  for (const Implied& group : implied(model, eta)) {
    Matrix psi = group.residual;
    Vector unit = psi.diagonal();
    for (int i = 0; i < unit.size(); ++i) {
      if (unit[i] < negative) return true;
      unit[i] = unit[i] > 0 ? 1 / std::sqrt(unit[i]) : 1;
    }
    psi = unit.asDiagonal() * psi * unit.asDiagonal();
    if (psi.isDiagonal()) continue;
    const Eigen::SelfAdjointEigenSolver<Matrix> roots(psi, Eigen::EigenvaluesOnly);
    if (roots.eigenvalues().minCoeff() < negative) return true;
  }
  return false;
}

bool presses(const Model& model, const std::vector<char>& active) {
  for (size_t k = 0; k < active.size(); ++k)
    if (active[k] && model.constraints[k].bound) return true;
  return false;
}

}  // namespace

Replicates refit_many(const Rescaled& scaled, const Vector& theta, Source& source,
                      std::uint64_t seed, int first, int count, const Settings& asked,
                      const Callbacks& callbacks,
                      const std::function<void(int, const Sample&)>& seen) {
  const Model& model = *scaled.model;
  const double none = std::numeric_limits<double>::quiet_NaN();
  Replicates out;
  out.theta = Matrix::Constant(theta.size(), count, none);
  out.n = Matrix::Constant(scaled.sample.size(), count, none);
  out.discrepancy = Vector::Constant(count, none);
  out.status.assign(count, unusable);
  out.improper.assign(count, 0);
  Settings settings = asked;
  settings.errors = false;
  const Vector start = theta.cwiseQuotient(scaled.parameter_unit);
  NormalTheory problem(scaled.model, scaled.sample);
  Sample sample;
  for (int r = 0; r < count && !callbacks.stop.stopped(); ++r) {
    if (!source.draw(seed, first + r, sample)) continue;
    for (size_t g = 0; g < sample.size(); ++g) out.n(g, r) = sample[g].n;
    if (seen) seen(r, sample);
    problem.set_sample(sample);
    const Optimum near = solve_quickly(problem, start, settings, callbacks);
    Vector found = near.theta;
    out.status[r] = static_cast<int>(near.status);
    out.discrepancy[r] = near.discrepancy;
    bool improper = found.size() == theta.size() && is_improper(model, model.map(found));
    if (near.status != Status::Converged || improper || presses(model, near.active)) {
      const Fit alone = fit(model, sample, settings, callbacks);
      found = alone.theta;
      out.status[r] = static_cast<int>(alone.status);
      out.discrepancy[r] = alone.discrepancy;
      improper = found.size() == theta.size() && is_improper(model, alone.eta);
    }
    out.improper[r] = improper;
    if (found.size() == theta.size())
      out.theta.col(r) = scaled.parameter_unit.cwiseProduct(found);
  }
  return out;
}

}  // namespace orizzonte
