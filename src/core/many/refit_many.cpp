#include "refit_many.hpp"

#include <limits>

#include "../infer/proper.hpp"
#include "../objective/normal_theory.hpp"
#include "../solve/driver.hpp"
#include "../solve/solve.hpp"

namespace orizzonte {
namespace {

constexpr double slack = 1e-8;  // an eigenvalue further below zero is negative indeed

bool presses(const Model& model, const Sequence<char>& active) {
  for (int k = 0; k < active.size(); ++k)
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
  const Vector start = scaled.inward(theta);
  const auto is_improper = [&](const Vector& at) {
    return at.size() == theta.size() && !is_proper(model, model.map(at), slack);
  };
  // Where the original solution is improper itself, an improper replicate casts no doubt on its
  // optimum. A search from many starts for each of them would take minutes.
  const bool expected = is_improper(start);
  NormalTheory problem(scaled.model, scaled.sample);
  Sample sample;
  for (int r = 0; r < count && !callbacks.stop.stopped(); ++r) {
    if (!source.draw(seed, first + r, sample)) continue;
    for (int g = 0; g < sample.size(); ++g) out.n(g, r) = sample[g].n;
    if (seen) seen(r, sample);
    scaled.centring.remove(sample);
    problem.set_sample(sample);
    const Optimum near = solve_quickly(problem, start, settings, callbacks);
    Vector found = near.theta;
    out.status[r] = static_cast<int>(near.status);
    out.discrepancy[r] = near.discrepancy;
    bool improper = is_improper(found);
    if (near.status != Status::Converged || improper > expected || presses(model, near.active)) {
      const Fit alone = fit(model, sample, settings, callbacks);
      found = alone.theta;
      out.status[r] = static_cast<int>(alone.status);
      out.discrepancy[r] = alone.discrepancy;
      improper = found.size() == theta.size() && !is_proper(model, alone.eta, slack);
    }
    out.improper[r] = improper;
    if (found.size() == theta.size()) out.theta.col(r) = scaled.outward(found);
  }
  return out;
}

}  // namespace orizzonte
