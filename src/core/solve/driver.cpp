#include "driver.hpp"

#include <algorithm>
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
// times the fresh starts asked for
constexpr int starts_when_misfitting = 1, starts_when_not = 3, starts_when_doubtful = 5;
constexpr double misfit = 0.15 * 0.15;  // discrepancy by degree of freedom: an RMSEA of .15
constexpr double same_optimum = 1e-11;  // difference of discrepancies
constexpr size_t most_turned = 4;  // constructs whose signs are all tried
constexpr int sure_tries = 3;  // ends of quick runs from which the surer steps are tried

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

// A converged solution with a negative variance, or one that a bound stops, may be a poor local
// optimum: worth a look from other starts.
bool doubtful(const Model& model, const Optimum& x) {
  for (size_t k = 0; k < x.active.size(); ++k)
    if (x.active[k] && model.constraints[k].bound) return true;
  const Vector eta = model.map(x.theta);
  for (size_t e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    if (entry.family == Family::Covariance && entry.row == entry.col && eta[e] < negative)
      return true;
  }
  return false;
}

double degrees_of_freedom(const Model& model) {
  double out = -model.map.parameters;
  for (const Shape& group : model.groups)
    out += group.observed * (group.observed + 1) / 2.0 + (model.means ? group.observed : 0);
  for (const Constraint& constraint : model.constraints) out += constraint.bound ? 0 : 1;
  return out;
}

// A model of one group alone, without constraints; `parameters` says which of the whole it has.
std::shared_ptr<const Model> one_group(const Model& model, int g, std::vector<int>& parameters,
                                       std::vector<int>& entries) {
  auto out = std::make_shared<Model>();
  std::vector<int> place(model.map.parameters, -1), entry_place(model.entries.size(), -1);
  out->groups = {model.groups[g]};
  out->means = model.means;
  std::vector<double> constant;
  for (size_t e = 0; e < model.entries.size(); ++e) {
    if (model.entries[e].group != g) continue;
    entry_place[e] = out->entries.size();
    entries.push_back(e);
    out->entries.push_back(model.entries[e]);
    out->entries.back().group = 0;
    constant.push_back(model.map.constant[e]);
    Terms terms = model.map.rows[e];
    for (Term& term : terms) {
      int& at = place[term.parameter];
      if (at < 0) {
        at = parameters.size();
        parameters.push_back(term.parameter);
      }
      term.parameter = at;
    }
    out->map.rows.push_back(terms);
  }
  out->map.parameters = parameters.size();
  out->map.constant = Eigen::Map<const Vector>(constant.data(), constant.size());
  for (Scale scale : model.scales) {
    if (scale.group != g) continue;
    scale.group = 0;
    if (scale.marker >= 0) scale.marker = entry_place[scale.marker];
    if (scale.variance >= 0) scale.variance = entry_place[scale.variance];
    for (int& e : scale.loadings) e = entry_place[e];
    out->scales.push_back(scale);
  }
  return out;
}

bool better(const Optimum& a, const Optimum& b) {
  const bool ca = a.status == Status::Converged, cb = b.status == Status::Converged;
  if (ca != cb) return ca;
  if (a.theta.size() == 0 || b.theta.size() == 0) return b.theta.size() == 0 && a.theta.size() > 0;
  // the same optimum, but for rounding, is no better
  const double rounding = ca ? same_optimum * (1 + std::abs(b.discrepancy)) : 0;
  return a.discrepancy < b.discrepancy - rounding;
}

// Whether an entry changes its sign when a construct is turned round.
bool turns(const Entry& entry, const Scale& scale) {
  if (entry.group != scale.group) return false;
  if (entry.family == Family::Mean) return entry.row == scale.construct;
  return (entry.row == scale.construct) != (entry.col == scale.construct);
}

// Parameters with some constructs turned round; empty where what is fixed or equal does not allow
// it.
Vector turned(const Model& model, const Vector& theta, const std::vector<const Scale*>& scales) {
  Vector eta = model.map(theta);
  for (const Scale* scale : scales)
    for (size_t e = 0; e < model.entries.size(); ++e)
      if (turns(model.entries[e], *scale)) eta[e] = -eta[e];
  const Vector out = parameters_of(model, eta);
  const bool same = (model.map(out) - eta).cwiseAbs().maxCoeff() < 1e-8;
  return same ? out : Vector();
}

bool constrained(const Model& model, const Scale& scale) {
  for (const Constraint& constraint : model.constraints)
    for (int e : constraint.inputs)
      if (turns(model.entries[e], scale)) return true;
  return false;
}

// Where signs are no matter of the data but of equations and bounds: every other choice of signs of
// the constructs in them.
std::vector<Vector> reflected(const Model& model, const Vector& theta) {
  std::vector<Vector> out;
  std::vector<const Scale*> free;
  for (const Scale& scale : model.scales)
    if (scale.kind == ScaleKind::Unit && constrained(model, scale)) free.push_back(&scale);
  if (free.size() > most_turned) return out;
  for (unsigned signs = 1; signs < (1u << free.size()); ++signs) {
    std::vector<const Scale*> chosen;
    for (size_t k = 0; k < free.size(); ++k)
      if (signs >> k & 1u) chosen.push_back(free[k]);
    const Vector other = turned(model, theta, chosen);
    if (other.size() > 0) out.push_back(other);
  }
  return out;
}

// A construct whose sign is free points where most of its indicators do.
void orient(const Model& model, Optimum& x) {
  const Vector eta = model.map(x.theta);
  for (const Scale& scale : model.scales) {
    if (scale.kind != ScaleKind::Unit || constrained(model, scale)) continue;
    double sum = 0;
    std::vector<const Scale*> alike;  // in all groups at once, where loadings are held
    for (int e : scale.loadings) sum += eta[e];
    for (const Scale& other : model.scales)
      if (other.construct == scale.construct) alike.push_back(&other);
    if (sum >= 0) continue;
    Vector theta = turned(model, x.theta, {&scale});
    if (theta.size() == 0) theta = turned(model, x.theta, alike);
    if (theta.size() == 0) continue;
    Vector sign(theta.size());
    for (int i = 0; i < sign.size(); ++i) sign[i] = theta[i] * x.theta[i] < 0 ? -1 : 1;
    x.theta = theta;
    if (x.covariance.rows() == sign.size())
      x.covariance = (sign.asDiagonal() * x.covariance * sign.asDiagonal()).eval();
  }
}

class Driver {
 public:
  Driver(std::shared_ptr<const Model> model, const Sample& sample, const Vector& start,
         const Settings& settings, const Callbacks& callbacks)
      : model_(model),
        sample_(sample),
        start_(start),
        settings_(settings),
        callbacks_(callbacks),
        problem_(model, sample),
        random_(settings.seed) {
    settings_.start = Vector();
  }

  // The best of the starts. A solution that is doubtful or far from the data asks for others, and
  // so does none at all; quick steps first, from all of them.
  Optimum run() {
    Optimum best;
    std::vector<Optimum> stuck;
    for (int start = 0; start <= factor(best) * settings_.fresh_starts; ++start) {
      Optimum now = attempt(start);
      if (!identified) return best;
      starts = start + 1;
      if (got_stuck(now)) stuck.push_back(now);
      if (better(now, best)) {
        best = std::move(now);
        if (start > 0) orient(*model_, best);
      }
      if (callbacks_.stop.stopped()) return interrupted(best);
      if (start == 0 && sample_.size() > 1 && factor(best) > 0) by_groups(best);
    }
    return best.status == Status::Converged ? best : surely(std::move(best), stuck);
  }

  bool identified = true;
  int starts = 1;

 private:
  static Optimum interrupted(Optimum& best) {
    best.status = Status::Interrupted;
    return best;
  }

  int factor(const Optimum& best) const {
    if (settings_.all_starts) return 1;
    if (best.status != Status::Converged) return starts_when_not;
    if (doubtful(*model_, best)) return starts_when_doubtful;
    const double df = degrees_of_freedom(*model_);
    return df > 0 && best.discrepancy > misfit * df ? starts_when_misfitting : 0;
  }

  // From the lowest points at which quick steps got stuck.
  Optimum surely(Optimum best, std::vector<Optimum>& stuck) {
    std::sort(stuck.begin(), stuck.end(), [](const Optimum& a, const Optimum& b) {
      return a.discrepancy < b.discrepancy;
    });
    for (int i = 0; i < sure_tries && i < static_cast<int>(stuck.size()); ++i) {
      Optimum now = solve_surely(problem_, stuck[i], settings_, callbacks_);
      if (better(now, best)) best = std::move(now);
      if (callbacks_.stop.stopped()) return interrupted(best);
      if (best.status == Status::Converged) break;
    }
    return best;
  }

  // Each group alone, then all together from there.
  void by_groups(Optimum& best) {
    Vector eta = model_->map(best.theta.size() > 0 ? best.theta
                                                   : Vector::Zero(model_->map.parameters));
    for (size_t g = 0; g < sample_.size(); ++g) {
      std::vector<int> parameters, entries;
      const std::shared_ptr<const Model> part = one_group(*model_, g, parameters, entries);
      Driver alone(part, {sample_[g]}, Vector(), settings_, callbacks_);
      const Optimum found = alone.run();
      if (callbacks_.stop.stopped()) return;
      if (!alone.identified || found.status != Status::Converged) return;
      const Vector own = part->map(found.theta);
      for (size_t e = 0; e < entries.size(); ++e) eta[entries[e]] = own[e];
    }
    Optimum now = from_start(problem_, eta);
    if (better(now, best)) best = std::move(now);
  }

  // The caller's starting values first (all of them, or beside ours), then ours, then ours moved at
  // random.
  Optimum attempt(int start) {
    const bool given = start == 0 && start_.size() > 0 && start_.allFinite();
    if (given) return from_start(problem_, model_->map(start_));
    Vector eta = starting_entries(*model_, sample_, start == 0 ? nullptr : &random_);
    Vector chosen = eta;
    to_model_scale(*model_, chosen);
    if (start == 0 && take_starts(chosen)) return from_start(problem_, chosen);
    const std::shared_ptr<const Model> internal = with_strong_markers(*model_, eta, start > 0);
    if (!internal) return from_start(problem_, chosen);
    return by_way_of(internal, eta, chosen);
  }

  // An optimum on another scale, moved back and finished on the model's own.
  Optimum by_way_of(const std::shared_ptr<const Model>& internal, Vector eta,
                    const Vector& chosen) {
    Optimum now;
    NormalTheory other(internal, sample_);
    to_model_scale(*internal, eta);
    const Optimum first = from_start(other, eta);
    if (first.theta.size() == 0 || !identified) return now;
    eta = internal->map(first.theta);
    to_model_scale(*model_, eta);
    now = solve_quickly(problem_, parameters_of(*model_, eta), settings_, callbacks_);
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
    without_constraints(problem, theta);
    Settings settings = settings_;
    settings.require_rank = true;
    out = solve_quickly(problem, theta, settings, callbacks_);
    for (const Vector& other : reflected(problem.model(), theta)) {
      if (callbacks_.stop.stopped()) break;
      Optimum now = solve_quickly(problem, other, settings, callbacks_);
      if (better(now, out)) out = std::move(now);
    }
    if (out.status != Status::Singular || out.history.size() > 0) return out;
    identified = identified_near(problem, theta, random_, callbacks_.stop);
    if (!identified) return out;
    settings.require_rank = false;
    return solve_quickly(problem, theta, settings, callbacks_);
  }

  // Equations and bounds lead far astray from a poor start: first the optimum without them, where
  // there is one.
  void without_constraints(const Objective& problem, Vector& theta) const {
    if (problem.model().constraints.empty()) return;
    auto model = std::make_shared<Model>(problem.model());
    model->constraints.clear();
    NormalTheory free(model, sample_);
    Settings settings = settings_;
    settings.require_rank = true;
    settings.errors = false;
    const Optimum found = score_and_newton(free, theta, settings, callbacks_);
    if (found.status == Status::Converged) theta = found.theta;
  }

  // The caller's starting values replace ours; true when there are any.
  bool take_starts(Vector& eta) const {
    bool any = false;
    if (start_.size() == 0) return any;
    for (size_t e = 0; e < model_->entries.size(); ++e) {
      const Terms& terms = model_->map.rows[e];
      if (terms.size() != 1 || std::isnan(start_[terms[0].parameter])) continue;
      eta[e] = model_->map.constant[e] + terms[0].weight * start_[terms[0].parameter];
      any = true;
    }
    return any;
  }

  std::shared_ptr<const Model> model_;
  Sample sample_;
  Vector start_;  // the caller's, in our units; NaN where there is none, empty when there are none
  Settings settings_;
  Callbacks callbacks_;
  NormalTheory problem_;
  Random random_;
};

}  // namespace

Fit fit(const Model& model, const Sample& sample, const Settings& settings,
        const Callbacks& callbacks) {
  Fit out;
  const Rescaled scaled = rescale(model, sample);
  Vector start;
  if (settings.start.size() == model.map.parameters)
    start = settings.start.cwiseQuotient(scaled.parameter_unit);
  Driver driver(scaled.model, scaled.sample, start, settings, callbacks);
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
