#include "fit.hpp"

#include <cmath>
#include <utility>

#include "constrained.hpp"
#include "rescale.hpp"
#include "starts.hpp"

namespace orizzonte {
namespace {

// Start values that imply positive definite matrices: pull covariances and effects towards zero until they do.
bool admissible_start(const Model& model, Discrepancy& problem, Vector eta, Vector& theta) {
  std::vector<char> loading(model.entries.size(), 0);
  for (const Scale& scale : model.scales)
    for (int e : scale.loadings) loading[e] = 1;
  for (int attempt = 0; attempt < 12; ++attempt) {
    theta = parameters_of(model, eta);
    if (problem.move_to(theta)) return true;
    for (size_t e = 0; e < model.entries.size(); ++e) {
      const Entry& entry = model.entries[e];
      const bool variance = entry.family == Family::Covariance && entry.row == entry.col;
      if (variance && entry.row < model.groups[entry.group].observed) eta[e] = std::max(eta[e], 0.1) * 1.3;
      if (entry.family != Family::Mean && !variance && !loading[e]) eta[e] *= 0.5;
    }
  }
  return false;
}

// A marker that hardly measures its construct makes a poor scale to estimate on. Where the model is
// closed under rescaling, the strongest item takes its place; the solution is moved back afterwards.
// Loadings that average 1 give way to a marker only once the direct way has failed.
bool with_strong_markers(const Model& model, const Vector& unit_entries, bool averages, Model& out) {
  bool changed = false;
  for (size_t s = 0; s < model.scales.size(); ++s) {
    const Scale& scale = model.scales[s];
    const bool marked = scale.kind == ScaleKind::Marker && scale.marker >= 0;
    const bool average = averages && scale.kind == ScaleKind::Average && scale.loadings.size() > 1;
    if (!scale.closed || !(marked || average)) continue;
    int now = marked ? scale.marker : -1;     // the loading that has no parameter of its own
    if (average)
      for (int e : scale.loadings)
        if (model.map.constant[e] != 0) now = e;
    if (now < 0) continue;
    int best = now;
    for (int e : scale.loadings)
      if (std::abs(unit_entries[e]) > std::abs(unit_entries[best])) best = e;
    const bool usable = best == now || (model.map.rows[best].size() == 1 && model.map.constant[best] == 0);
    const bool weak = std::abs(unit_entries[now]) <= 0.5 * std::abs(unit_entries[best]);
    if (!usable || !(average || (weak && best != now))) continue;
    if (!changed) out = model;
    std::swap(out.map.rows[best], out.map.rows[now]);
    out.map.constant[now] = 0;
    out.map.constant[best] = 1;
    out.map.rows[best] = Terms();
    out.scales[s].kind = ScaleKind::Marker;
    out.scales[s].marker = best;
    changed = true;
  }
  return changed;
}

// The information in units of the parameters, and what equalities tell besides.
Matrix told(const Model& model, Discrepancy& problem, const Vector& theta) {
  Matrix information = problem.expected_information();
  information.triangularView<Eigen::StrictlyUpper>() = information.transpose();
  Vector scale(information.rows());
  for (int i = 0; i < scale.size(); ++i) scale[i] = information(i, i) > 0 ? 1 / std::sqrt(information(i, i)) : 1;
  information = scale.asDiagonal() * information * scale.asDiagonal();
  if (model.constraints.empty()) return information;
  Matrix directions = equality_directions(model, theta) * scale.asDiagonal();
  directions.rowwise().normalize();
  return information + directions.transpose() * directions;
}

bool full_rank(const Model& model, Discrepancy& problem, const Vector& theta) {
  const Matrix information = told(model, problem, theta);
  const int q = information.rows();
  if (q == 0) return true;
  Eigen::LLT<Matrix> llt(information);
  return llt.info() == Eigen::Success && llt.matrixLLT().diagonal().minCoeff() > 1e-5;
}

bool identified_near(const Model& model, Discrepancy& problem, const Vector& theta, Random& random) {
  if (full_rank(model, problem, theta)) return true;
  for (int attempt = 0; attempt < 40; ++attempt) {
    Vector trial = theta;
    for (int i = 0; i < trial.size(); ++i) trial[i] += 0.15 * (random.uniform() - 0.5) + 0.1 * trial[i] * random.normal();
    restore(model, trial);
    if (problem.move_to(trial) && full_rank(model, problem, trial)) {
      problem.move_to(theta);
      return true;
    }
  }
  problem.move_to(theta);
  return false;
}

// A converged solution with a negative variance may be a poor local optimum: worth a look from other starts.
bool negative_variance(const Model& model, const Vector& theta) {
  const Vector eta = model.map(theta);
  for (size_t e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    if (entry.family == Family::Covariance && entry.row == entry.col && eta[e] < -1e-8) return true;
  }
  return false;
}

bool better(const Optimum& a, const Optimum& b) {
  const bool ca = a.status == Status::Converged, cb = b.status == Status::Converged;
  if (ca != cb) return ca;
  return a.theta.size() > 0 && (b.theta.size() == 0 || a.discrepancy < b.discrepancy);
}

// The caller's starting values replace ours; true when there are any.
bool take_starts(const Rescaled& scaled, const Vector& start, Vector& eta) {
  bool any = false;
  if (start.size() != scaled.model.map.parameters) return any;
  for (size_t e = 0; e < scaled.model.entries.size(); ++e) {
    const Terms& terms = scaled.model.map.rows[e];
    if (terms.size() != 1 || std::isnan(start[terms[0].parameter])) continue;
    const double value = start[terms[0].parameter] / scaled.parameter_unit[terms[0].parameter];
    eta[e] = scaled.model.map.constant[e] + terms[0].weight * value;
    any = true;
  }
  return any;
}

bool all_given(const Model& model, const Vector& start) {
  return start.size() > 0 && start.size() == model.map.parameters && start.allFinite();
}

// From one set of starting values to an optimum on the model's own scale. When the information is singular at the
// start, other points nearby tell whether the model is unidentified (Rothenberg 1971) or the start unlucky.
Optimum from_start(const Model& model, Discrepancy& problem, const Vector& eta, Settings settings, const Callbacks& callbacks,
                   Random& random, bool& identified) {
  Optimum out;
  Vector theta;
  if (!admissible_start(model, problem, eta, theta)) return out;
  settings.require_rank = true;
  out = optimise(problem, theta, settings, callbacks);
  if (out.status != Status::Singular || out.history.size() > 0) return out;
  identified = identified_near(model, problem, theta, random);
  if (!identified) return out;
  settings.require_rank = false;
  return optimise(problem, theta, settings, callbacks);
}

}  // namespace

Fit fit(const Model& model, const std::vector<Moments>& sample, const Settings& settings, const Callbacks& callbacks) {
  Fit out;
  const Rescaled scaled = rescale(model, sample);
  Discrepancy problem(scaled.model, scaled.sample);
  Random random(settings.seed);
  Optimum best;

  // a first converged but improper solution asks for a few other starts; none at all for more
  for (int start = 0; start <= (best.status == Status::Converged ? 1 : 3) * settings.fresh_starts; ++start) {
    Optimum now;
    Model internal;
    Vector eta, chosen;
    const bool given = start == 0 && all_given(model, settings.start);
    if (given) {
      chosen = scaled.model.map(settings.start.cwiseQuotient(scaled.parameter_unit));
    } else {
      eta = starting_entries(scaled.model, scaled.sample, start == 0 ? nullptr : &random);
      chosen = eta;
      to_model_scale(scaled.model, chosen);
    }
    if (given || (start == 0 && take_starts(scaled, settings.start, chosen))) {
      now = from_start(scaled.model, problem, chosen, settings, callbacks, random, out.identified);
    } else if (with_strong_markers(scaled.model, eta, start > 0, internal)) {
      Discrepancy other(internal, scaled.sample);
      to_model_scale(internal, eta);
      const Optimum first = from_start(internal, other, eta, settings, callbacks, random, out.identified);
      if (first.theta.size() > 0 && out.identified) {
        eta = internal.map(first.theta);
        to_model_scale(scaled.model, eta);
        now = optimise(problem, parameters_of(scaled.model, eta), settings, callbacks);
        if (now.status == Status::BadStart) now = from_start(scaled.model, problem, chosen, settings, callbacks, random, out.identified);
        now.history.insert(now.history.begin(), first.history.begin(), first.history.end());
      }
    } else {
      now = from_start(scaled.model, problem, chosen, settings, callbacks, random, out.identified);
    }
    if (!out.identified) {
      out.status = Status::Singular;
      return out;
    }
    out.starts = start + 1;
    const bool interrupted = now.status == Status::Interrupted;
    if (better(now, best)) best = std::move(now);
    const bool settled = best.status == Status::Converged && !negative_variance(scaled.model, best.theta);
    if (settled || interrupted) break;
  }
  if (best.theta.size() == 0 && model.map.parameters > 0) return out;

  out.theta = scaled.parameter_unit.cwiseProduct(best.theta);
  out.eta = model.map(out.theta);
  out.discrepancy = best.discrepancy;
  out.decrement = best.decrement;
  out.status = best.status;
  out.history = best.history;
  out.inflation = best.inflation;
  out.active = best.active;
  out.multipliers = best.multipliers;
  out.violations = best.violations;
  if (best.covariance.rows() == best.theta.size())
    out.covariance = scaled.parameter_unit.asDiagonal() * best.covariance * scaled.parameter_unit.asDiagonal();
  return out;
}

Matrix errors_of(const Model& model, const std::vector<Moments>& sample, const Vector& theta) {
  const Rescaled scaled = rescale(model, sample);
  Discrepancy problem(scaled.model, scaled.sample);
  const Matrix covariance = covariance_at(problem, theta.cwiseQuotient(scaled.parameter_unit));
  if (covariance.rows() != theta.size()) return covariance;
  return scaled.parameter_unit.asDiagonal() * covariance * scaled.parameter_unit.asDiagonal();
}

Rank local_rank(const Model& model, const std::vector<Moments>& sample, const Settings& settings) {
  Rank out;
  out.parameters = model.map.parameters;
  out.rank = -1;
  const Rescaled scaled = rescale(model, sample);
  Discrepancy problem(scaled.model, scaled.sample);
  Random random(settings.seed);
  Vector eta = starting_entries(scaled.model, scaled.sample), theta;
  to_model_scale(scaled.model, eta);
  if (!admissible_start(scaled.model, problem, eta, theta)) return out;
  for (int point = 0; point < 12 && out.rank < out.parameters; ++point) {
    Vector trial = theta;
    if (point > 0)
      for (int i = 0; i < trial.size(); ++i) trial[i] += 0.3 * (random.uniform() - 0.5) + 0.1 * trial[i] * random.normal();
    restore(scaled.model, trial);
    if (!problem.move_to(trial)) continue;
    Eigen::SelfAdjointEigenSolver<Matrix> solver(told(scaled.model, problem, trial));
    const Vector& values = solver.eigenvalues();
    const double limit = 1e-9 * std::max(1.0, values[values.size() - 1]);
    int null = 0;
    while (null < values.size() && values[null] < limit) ++null;
    if (out.parameters - null > out.rank) {
      out.rank = out.parameters - null;
      out.eigenvalues = values;
      out.null_vectors = solver.eigenvectors().leftCols(null);
    }
  }
  return out;
}

}  // namespace orizzonte
