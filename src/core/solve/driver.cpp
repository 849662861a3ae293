#include "driver.hpp"

#include <cmath>
#include <utility>

#include "../infer/rank.hpp"
#include "../objective/normal_theory.hpp"
#include "rescale.hpp"
#include "starts.hpp"

namespace orizzonte {
namespace {

constexpr double weak_marker = 0.5;  // of the strongest loading: a marker below it is replaced
constexpr double negative = -1e-8;   // a variance below it is negative indeed
constexpr int starts_when_converged = 1, starts_when_not = 3;  // times the fresh starts asked for

// The loading that has no parameter of its own: the marker, or the one an average leaves to the
// others.
int dependent_loading(const Model& model, const Scale& scale, bool average) {
  if (!average) return scale.marker;
  int out = -1;
  for (int e : scale.loadings)
    if (model.map.constant[e] != 0) out = e;
  return out;
}

// A marker that hardly measures its construct makes a poor scale to estimate on. Where the model is
// closed under rescaling, the strongest item takes its place; the solution is moved back
// afterwards. Loadings that average 1 give way to a marker only once the direct way has failed.
std::shared_ptr<const Model> with_strong_markers(const Model& model, const Vector& unit_entries,
                                                 bool averages) {
  std::shared_ptr<Model> out;
  for (size_t s = 0; s < model.scales.size(); ++s) {
    const Scale& scale = model.scales[s];
    const bool marked = scale.marker >= 0 &&
                        (scale.kind == ScaleKind::Marker || scale.kind == ScaleKind::Given);
    const bool average = averages && scale.kind == ScaleKind::Average && scale.loadings.size() > 1;
    if (!scale.closed || !(marked || average)) continue;
    const int now = dependent_loading(model, scale, average);
    if (now < 0) continue;
    int best = now;
    for (int e : scale.loadings)
      if (std::abs(unit_entries[e]) > std::abs(unit_entries[best])) best = e;
    const bool usable =
        best == now || (model.map.rows[best].size() == 1 && model.map.constant[best] == 0);
    const bool weak = std::abs(unit_entries[now]) <= weak_marker * std::abs(unit_entries[best]);
    if (!usable || !(average || (weak && best != now))) continue;
    if (!out) out = std::make_shared<Model>(model);
    std::swap(out->map.rows[best], out->map.rows[now]);
    out->map.constant[now] = 0;
    out->map.constant[best] = 1;
    out->map.rows[best] = Terms();
    out->scales[s].kind = ScaleKind::Marker;
    out->scales[s].marker = best;
  }
  return out;
}

// A converged solution with a negative variance may be a poor local optimum: worth a look from
// other starts.
bool negative_variance(const Model& model, const Vector& theta) {
  const Vector eta = model.map(theta);
  for (size_t e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    if (entry.family == Family::Covariance && entry.row == entry.col && eta[e] < negative)
      return true;
  }
  return false;
}

bool better(const Optimum& a, const Optimum& b) {
  const bool ca = a.status == Status::Converged, cb = b.status == Status::Converged;
  if (ca != cb) return ca;
  return a.theta.size() > 0 && (b.theta.size() == 0 || a.discrepancy < b.discrepancy);
}

class Driver {
 public:
  Driver(const Rescaled& scaled, const Settings& settings, const Callbacks& callbacks)
      : scaled_(scaled),
        model_(*scaled.model),
        settings_(settings),
        callbacks_(callbacks),
        problem_(scaled.model, scaled.sample),
        random_(settings.seed) {}

  // The best of the starts. A first converged but improper solution asks for a few others; none at
  // all for more.
  Optimum run() {
    Optimum best;
    for (int start = 0; start <= factor(best) * settings_.fresh_starts; ++start) {
      Optimum now = attempt(start);
      if (!identified) return best;
      starts = start + 1;
      if (better(now, best)) best = std::move(now);
      if (callbacks_.stop.stopped()) {
        best.status = Status::Interrupted;
        return best;
      }
      if (best.status == Status::Converged && !negative_variance(model_, best.theta)) break;
    }
    return best;
  }

  bool identified = true;
  int starts = 1;

 private:
  static int factor(const Optimum& best) {
    return best.status == Status::Converged ? starts_when_converged : starts_when_not;
  }

  // The caller's starting values first (all of them, or beside ours), then ours, then ours moved at
  // random.
  Optimum attempt(int start) {
    const bool given = start == 0 && settings_.start.size() > 0 && settings_.start.allFinite() &&
                       settings_.start.size() == model_.map.parameters;
    if (given)
      return from_start(problem_,
                        model_.map(settings_.start.cwiseQuotient(scaled_.parameter_unit)));
    Vector eta = starting_entries(model_, scaled_.sample, start == 0 ? nullptr : &random_);
    Vector chosen = eta;
    to_model_scale(model_, chosen);
    if (start == 0 && take_starts(chosen)) return from_start(problem_, chosen);
    const std::shared_ptr<const Model> internal = with_strong_markers(model_, eta, start > 0);
    if (!internal) return from_start(problem_, chosen);
    return by_way_of(internal, eta, chosen);
  }

  // An optimum on another scale, moved back and finished on the model's own.
  Optimum by_way_of(const std::shared_ptr<const Model>& internal, Vector eta,
                    const Vector& chosen) {
    Optimum now;
    NormalTheory other(internal, scaled_.sample);
    to_model_scale(*internal, eta);
    const Optimum first = from_start(other, eta);
    if (first.theta.size() == 0 || !identified) return now;
    eta = internal->map(first.theta);
    to_model_scale(model_, eta);
    now = solve(problem_, parameters_of(model_, eta), settings_, callbacks_);
    if (now.status == Status::BadStart) now = from_start(problem_, chosen);
    now.history.insert(now.history.begin(), first.history.begin(), first.history.end());
    return now;
  }

  // From one set of starting values to an optimum on the model's own scale. When the information is
  // singular at the start, other points nearby tell whether the model is unidentified (Rothenberg
  // 1971) or the start unlucky.
  Optimum from_start(Objective& problem, const Vector& eta) {
    Optimum out;
    Vector theta;
    if (!admissible_start(problem, eta, theta)) return out;
    Settings settings = settings_;
    settings.require_rank = true;
    out = solve(problem, theta, settings, callbacks_);
    if (out.status != Status::Singular || out.history.size() > 0) return out;
    identified = identified_near(problem, theta, random_, callbacks_.stop);
    if (!identified) return out;
    settings.require_rank = false;
    return solve(problem, theta, settings, callbacks_);
  }

  // The caller's starting values replace ours; true when there are any.
  bool take_starts(Vector& eta) const {
    const Vector& start = settings_.start;
    bool any = false;
    if (start.size() != model_.map.parameters) return any;
    for (size_t e = 0; e < model_.entries.size(); ++e) {
      const Terms& terms = model_.map.rows[e];
      if (terms.size() != 1 || std::isnan(start[terms[0].parameter])) continue;
      const double value = start[terms[0].parameter] / scaled_.parameter_unit[terms[0].parameter];
      eta[e] = model_.map.constant[e] + terms[0].weight * value;
      any = true;
    }
    return any;
  }

  const Rescaled& scaled_;
  const Model& model_;
  const Settings& settings_;
  const Callbacks& callbacks_;
  NormalTheory problem_;
  Random random_;
};

}  // namespace

Fit fit(const Model& model, const Sample& sample, const Settings& settings,
        const Callbacks& callbacks) {
  Fit out;
  const Rescaled scaled = rescale(model, sample);
  Driver driver(scaled, settings, callbacks);
  const Optimum best = driver.run();
  out.identified = driver.identified;
  out.starts = driver.starts;
  out.status = driver.identified ? best.status : Status::Singular;
  if (!driver.identified || (best.theta.size() == 0 && model.map.parameters > 0)) return out;
  out.theta = scaled.parameter_unit.cwiseProduct(best.theta);
  out.eta = model.map(out.theta);
  out.discrepancy = best.discrepancy;
  out.decrement = best.decrement;
  out.history = best.history;
  out.inflation = best.inflation;
  out.active = best.active;
  out.multipliers = best.multipliers;
  out.violations = best.violations;
  if (best.covariance.rows() == best.theta.size())
    out.covariance =
        scaled.parameter_unit.asDiagonal() * best.covariance * scaled.parameter_unit.asDiagonal();
  return out;
}

Matrix errors_of(const Model& model, const Sample& sample, const Vector& theta) {
  const Rescaled scaled = rescale(model, sample);
  NormalTheory problem(scaled.model, scaled.sample);
  const Matrix covariance = covariance_at(problem, theta.cwiseQuotient(scaled.parameter_unit));
  if (covariance.rows() != theta.size()) return covariance;
  return scaled.parameter_unit.asDiagonal() * covariance * scaled.parameter_unit.asDiagonal();
}

}  // namespace orizzonte
