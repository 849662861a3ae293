#include "driver.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "../objective/normal_theory.hpp"
#include "identification.hpp"
#include "ordered.hpp"
#include "rescale.hpp"
#include "signs.hpp"
#include "starts.hpp"

namespace orizzonte {
namespace {

constexpr double weak_marker = 0.5;  // of the strongest loading: a marker below it is replaced
constexpr double negative = -1e-8;   // a variance below it is negative indeed
// times the requested fresh starts
constexpr int starts_when_not = 10, starts_when_doubtful = 16;
// The number of fits after the first one of a model that misfits or has equations. Fitting each
// group separately counts as two of them.
constexpr int further_starts = 5, starts_by_group = 3;
constexpr double full_starts_up_to = 60;  // parameters
constexpr int more_by_group = 2;          // times the starts, where nothing binds the groups
constexpr double misfit = 0.1 * 0.1;      // discrepancy by degree of freedom: an RMSEA of .10
constexpr double same_optimum = 1e-11;    // difference of discrepancies
constexpr double most_groups = 0.5;       // less doubt than this leaves most groups sound
constexpr int stuck_tries = 5;            // ends of quick runs from which the surer steps are tried

// The loading without a parameter of its own: the marker, or the loading that is determined by an
// average.
int dependent_loading(const Model& model, const Scale& scale, bool average) {
  if (!average) return scale.marker;
  int out = -1;
  for (int e : scale.loadings)
    if (model.map.constant[e] != 0) out = e;
  return out;
}

// A marker that hardly measures its construct makes a poor scale for estimation. Where the model is
// closed under rescaling, the strongest item takes its place; the solution is moved back
// afterwards. In `every` construct, also those scaled by loadings that average 1, once the direct
// way has failed: these trials do not depend on which item is the marker.
std::shared_ptr<const Model> with_strong_markers(const Model& model, const Vector& unit_entries,
                                                 bool every) {
  std::shared_ptr<Model> out;
  for (int s = 0; s < model.scales.size(); ++s) {
    const Scale& scale = model.scales[s];
    const bool marked =
        scale.marker >= 0 && (scale.kind == ScaleKind::Marker || scale.kind == ScaleKind::Given);
    const bool average = every && scale.kind == ScaleKind::Average && scale.loadings.size() > 1;
    if (!scale.closed || !(marked || average)) continue;
    const int now = dependent_loading(model, scale, average);
    if (now < 0) continue;
    int best = now;
    for (int e : scale.loadings)
      if (std::abs(unit_entries[e]) > std::abs(unit_entries[best])) best = e;
    const bool usable =
        best == now || (model.map.rows[best].size() == 1 && model.map.constant[best] == 0);
    const bool weak = std::abs(unit_entries[now]) <= weak_marker * std::abs(unit_entries[best]);
    if (!usable || !(average || ((every || weak) && best != now))) continue;
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

// A converged solution with a negative variance, or at an active bound, may be a poor local
// optimum: other starts are worth trying. The proportion of groups that give cause for doubt; 1 for
// a bound, which may concern several.
double doubt(const Model& model, const Optimum& x) {
  for (int k = 0; k < x.active.size(); ++k)
    if (x.active[k] && model.constraints[k].bound) return 1;
  const Vector eta = model.map(x.theta);
  Sequence<char> concerned(model.groups.size(), 0);
  for (int e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    if (entry.family == Family::Covariance && entry.row == entry.col && eta[e] < negative)
      concerned[entry.group] = 1;
  }
  return static_cast<double>(std::count(concerned.begin(), concerned.end(), 1)) /
         std::max(1, concerned.size());
}

// Without constraints across groups, the best optimum consists of the best of each group.
bool separable(const Model& model) {
  if (!model.constraints.empty()) return false;
  Sequence<int> group(model.map.parameters, -1);
  for (int e = 0; e < model.entries.size(); ++e)
    for (const Term& term : model.map.rows[e]) {
      int& owner = group[term.parameter];
      if (owner >= 0 && owner != model.entries[e].group) return false;
      owner = model.entries[e].group;
    }
  return true;
}

// Small models are cheap to start many times; large ones and those with constraints take longer,
// and get fewer starts.
double affordable(const Model& model) {
  const double size = std::max(1, model.map.parameters) * (model.constraints.empty() ? 1 : 2);
  return std::min(1.0, full_starts_up_to / size);
}

// An optimum is preferred to none; one that breaks the constraints, however low its discrepancy,
// comes last.
bool better(const Optimum& a, const Optimum& b) {
  const bool ca = a.status == Status::Converged, cb = b.status == Status::Converged;
  if (ca != cb) return ca;
  if (a.theta.size() == 0 || b.theta.size() == 0) return b.theta.size() == 0 && a.theta.size() > 0;
  const bool breaks_a = a.status == Status::Infeasible, breaks_b = b.status == Status::Infeasible;
  if (breaks_a != breaks_b) return breaks_b;
  // the same optimum, but for rounding, is no better
  const double rounding = ca ? same_optimum * (1 + std::abs(b.discrepancy)) : 0;
  return a.discrepancy < b.discrepancy - rounding;
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

  // The best of the starts. A doubtful solution, one far from the data, or no solution requires
  // further starts; quick steps come first, from all of them.
  Optimum run() {
    Optimum best;
    Sequence<Optimum> stuck = stuck_;
    const bool bound = sample_.size() < 2 || !separable(*model_);
    for (int start = 0; start <= wanted(best); ++start) {
      Optimum now = attempt(start);
      if (!identified_) return best;
      starts_ = start + 1;
      if (got_stuck(now)) stuck.push_back(now);
      if (better(now, best)) {
        best = std::move(now);
        if (start > 0) orient(*model_, best);
      }
      if (callbacks_.stop.stopped()) return interrupted(best);
      if (start == 0 && sample_.size() > 1 && wanted(best) > 0 && !mostly_sound(best)) {
        by_groups(best, bound, stuck);
        search_ -= 2;
      }
      // runs that did not finish were continued within each group
      if (!bound && best.status == Status::Converged) return best;
    }
    return continue_stuck(std::move(best), stuck);
  }

  bool identified() const { return identified_; }
  int starts() const { return starts_; }

 private:
  static Optimum interrupted(Optimum& best) {
    best.status = Status::Interrupted;
    return best;
  }

  // The number of further starts that the best optimum so far requires.
  int wanted(const Optimum& best) const {
    const int asked = settings_.fresh_starts;
    if (settings_.all_starts) return asked;
    const double df = degrees_of_freedom(*model_);
    const bool misfits = df > 0 && best.discrepancy > misfit * df;
    const int times = best.status != Status::Converged ? starts_when_not
                      : doubt(*model_, best) > 0       ? starts_when_doubtful
                                                       : 0;
    if (times > 0) {
      const int starts = to_int(std::ceil(times * asked * affordable(*model_)));
      return mostly_sound(best) ? std::min(starts, further_starts) : starts;
    }
    // equations such as b = a^2 may have several optima even if the model fits; a refit from a
    // previous solution should stay near it
    const bool several = misfits || has_equations(*model_);
    return several && asked > 0 && !is_whole(start_) ? search_ : 0;
  }

  // Groups that share parameters, of which only a minority gives cause for doubt: the others
  // determine the shared parameters. In 250 searches of random models, more starts never found a
  // better optimum, nor did the optima of single groups in the 82 in which this was recorded.
  bool mostly_sound(const Optimum& best) const {
    if (best.status != Status::Converged || separable(*model_)) return false;
    const double share = doubt(*model_, best);
    return share > 0 && share < most_groups;
  }

  static bool is_whole(const Vector& start) { return start.size() > 0 && start.allFinite(); }

  // From the lowest points at which quick steps stopped: one below the best optimum shows that
  // there is a better one.
  Optimum continue_stuck(Optimum best, Sequence<Optimum>& stuck) {
    if (settings_.iterations == 0) return best;
    std::sort(stuck.begin(), stuck.end(),
              [](const Optimum& a, const Optimum& b) { return a.discrepancy < b.discrepancy; });
    for (int i = 0; i < stuck_tries && i < stuck.size(); ++i) {
      if (best.status == Status::Converged && best.discrepancy <= stuck[i].discrepancy) break;
      Optimum now = solve_by_trust_region(problem_, stuck[i], settings_, callbacks_);
      if (better(now, best)) best = std::move(now);
      if (callbacks_.stop.stopped()) return interrupted(best);
    }
    return best;
  }

  // Each group alone, then all together from there.
  void by_groups(Optimum& best, bool bound, const Sequence<Optimum>& stuck) {
    Settings settings = settings_;
    if (!bound) settings.fresh_starts *= more_by_group;
    Vector eta =
        model_->map(best.theta.size() > 0 ? best.theta : Vector::Zero(model_->map.parameters));
    for (int g = 0; g < sample_.size(); ++g) {
      Sequence<int> entries;
      const auto part = std::make_shared<const Model>(one_group(*model_, g, entries));
      Driver alone(part, of_group(sample_, g), Vector(), settings, callbacks_);
      alone.search_ = bound ? 0 : starts_by_group;
      if (!bound)
        for (const Optimum& whole : stuck) {
          const Vector all = model_->map(whole.theta);
          Vector own(entries.size());
          for (int e = 0; e < entries.size(); ++e) own[e] = all[entries[e]];
          alone.remember_stuck(parameters_of(*part, own));
        }
      const Optimum found = alone.run();
      if (callbacks_.stop.stopped()) return;
      if (!alone.identified_ || found.status != Status::Converged) return;
      const Vector own = part->map(found.theta);
      for (int e = 0; e < entries.size(); ++e) eta[entries[e]] = own[e];
    }
    Optimum now = from_start(problem_, eta);
    if (better(now, best)) best = std::move(now);
  }

  // A point at which another search stopped.
  void remember_stuck(const Vector& theta) {
    if (!problem_.move_to(theta)) return;
    Optimum out;
    out.theta = theta;
    out.discrepancy = problem_.value();
    stuck_.push_back(out);
  }

  // The first attempt uses the caller's starting values, completed by ours. The next ones start at
  // entirely random points, because the lowest optimum of a misfitting model may be far from the
  // closed-form starts. Any others use our values with random changes.
  Optimum attempt(int start) {
    if (start == 0 && is_whole(start_)) return from_given(model_->map(start_));
    // a separate stream: the same start in any run
    Random random(settings_.seed, static_cast<std::uint64_t>(start));
    const bool anywhere = start > 0 && start <= further_starts;
    Vector eta = anywhere ? random_entries(*model_, sample_, random)
                          : starting_entries(*model_, sample_, start == 0 ? nullptr : &random);
    Vector chosen = eta;
    to_model_scale(*model_, chosen);
    if (start == 0 && take_starts(chosen)) return from_given(chosen);
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
    if (first.theta.size() == 0 || !identified_) return now;
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
    // with equations, the optimum may be far from the one without them
    if (settings_.fresh_starts > 0 && has_equations(problem.model())) {
      Optimum now = directly(problem, eta);
      if (better(now, out)) out = std::move(now);
    }
    for (const Vector& other : reflected(problem.model(), theta)) {
      if (callbacks_.stop.stopped()) break;
      Optimum now = solve_quickly(problem, other, settings, callbacks_);
      if (better(now, out)) out = std::move(now);
    }
    if (out.status != Status::Singular || out.history.size() > 0) return out;
    identified_ = identified_near(problem, theta, random_, callbacks_.stop);
    if (!identified_) return out;
    settings.require_rank = false;
    return solve_quickly(problem, theta, settings, callbacks_);
  }

  // Starts from the caller's values as they are, and if that is doubtful also from the optimum
  // without constraints.
  Optimum from_given(const Vector& eta) {
    Optimum out = directly(problem_, eta);
    if (out.status == Status::Converged && wanted(out) == 0) return out;
    Optimum other = from_start(problem_, eta);
    return better(other, out) ? other : out;
  }

  // Returns no optimum if the model has no constraints, because then every start is used as it is.
  Optimum directly(Objective& problem, const Vector& eta) {
    Vector theta;
    if (problem.model().constraints.empty() || !admissible_start(problem, eta, theta))
      return Optimum();
    return solve_quickly(problem, theta, settings_, callbacks_);
  }

  static bool has_equations(const Model& model) {
    for (const Constraint& constraint : model.constraints)
      if (!constraint.bound) return true;
    return false;
  }

  // Equations and bounds are misleading from a poor start: first the optimum without them, where
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
    for (int e = 0; e < model_->entries.size(); ++e) {
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
  Sequence<Optimum> stuck_;  // where searches of all groups got stuck
  int search_ = further_starts;
  bool identified_ = true;
  int starts_ = 1;
};

}  // namespace

Fit fit(const Model& model, const Sample& sample, const Settings& settings,
        const Callbacks& callbacks) {
  Fit out;
  Ordered ordered = in_order(model, sample);
  const Rescaled scaled = rescale(std::move(ordered.model), std::move(ordered.sample));
  Vector start;
  if (settings.start.size() == model.map.parameters)
    start = scaled.inward(ordered.from_caller(settings.start));
  Driver driver(scaled.model, scaled.sample, start, settings, callbacks);
  const Optimum best = driver.run();
  out.identified = driver.identified();
  out.starts = driver.starts();
  out.status = driver.identified() ? best.status : Status::Singular;
  if (!driver.identified() || (best.theta.size() == 0 && model.map.parameters > 0)) return out;
  out.theta = ordered.to_caller(scaled.outward(best.theta));
  out.eta = model.map(out.theta);
  out.discrepancy = best.discrepancy;
  out.decrement = best.decrement;
  out.history = best.history;
  if (best.inflation.size() == best.theta.size()) out.inflation = ordered.to_caller(best.inflation);
  out.active = best.active;
  out.multipliers = best.multipliers;
  out.violations = best.violations;
  if (best.covariance.rows() == best.theta.size())
    out.covariance = ordered.to_caller(scaled.outward(best.covariance, best.theta));
  return out;
}

Matrix errors_of(const Model& model, const Sample& sample, const Vector& theta) {
  const Rescaled scaled = rescale(model, sample);
  NormalTheory problem(scaled.model, scaled.sample);
  const Vector at = scaled.inward(theta);
  const Matrix covariance = covariance_at(problem, at);
  return covariance.rows() == theta.size() ? scaled.outward(covariance, at) : covariance;
}

}  // namespace orizzonte
