#include <cmath>

#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"
#include "constrained.hpp"
#include "constraints.hpp"
#include "metric.hpp"
#include "trust_region.hpp"

namespace orizzonte {
namespace {

constexpr int fast_steps = 60;    // of scoring and Newton steps, before the slower but surer ones
constexpr int scoring_first = 2;  // scoring steps before Newton is tried
constexpr double close_by = 1;    // predicted drop of chi-square from which one is enough
constexpr int shortenings = 40;   // of one step
// Predicted drops of chi-square below which a Hessian can still be used at the next point: as its
// own, and for one more step, whose error is the product of both steps.
constexpr double short_step = 1e-4;
constexpr double fair_step = 1e-2;
// The predicted drop from which one Hessian is used for all steps of a refit close to its optimum,
// as long as each step reduces the drop to this proportion (Newton's chord method; a step away from
// a saddle point would not reduce it).
constexpr double chord_from = 1, chord_share = 0.1;

// One run of scoring and Newton steps. All storage is allocated once.
class FreeRun {
 public:
  FreeRun(Objective& problem, const Settings& settings, const Callbacks& callbacks)
      : problem_(problem), settings_(settings), callbacks_(callbacks), control_(problem.n()) {
    if (settings.close) scoring_left_ = 0;
  }

  Optimum from(const Vector& start) {
    if (!problem_.move_to(start)) return out_;
    out_.theta = start;
    out_.status = Status::IterationLimit;
    for (int iteration = 0; iterate(iteration); ++iteration) {
    }
    const bool given_up = out_.status == Status::Singular && out_.history.empty();
    if (!given_up && out_.status != Status::Interrupted) finish();
    return out_;
  }

 private:
  // False when the run has ended, for whatever reason.
  bool iterate(int iteration) {
    if (callbacks_.stop.stopped()) return end(Status::Interrupted);
    problem_.score(score_);
    const bool reused = again_;  // does the Hessian of an earlier point serve this one
    choose_metric();
    if (callbacks_.stop.stopped()) return end(Status::Interrupted);
    if (iteration == 0 && settings_.require_rank && !newton_ && !expected_.positive()) {
      out_.discrepancy = problem_.value();
      return end(Status::Singular);
    }
    Metric& metric = newton_ ? observed_ : expected_;
    const double floor = metric.positive() ? 0 : singular_damping;
    if (floor > 0) metric.damp(floor);
    metric.solve(score_, step_);
    out_.decrement = score_.dot(step_);
    const double chisq = problem_.n() * problem_.value();
    out_.history.push_back({newton_ ? 1 : 0, chisq, out_.decrement, control_.damping()});
    callbacks_.progress(iteration, chisq);
    if (out_.decrement <= settings_.tolerance && settled()) return false;
    if (iteration >= fast_steps) return false;
    if (!take_step(metric, floor)) {
      if (!reused || !settings_.close) return end(Status::NoDescent);
      again_ = false;  // the Hessian of this point decides
      return true;
    }
    scoring_left_ = out_.decrement < close_by ? 0 : scoring_left_ - 1;
    near_ = newton_ && out_.decrement < short_step;
    again_ = newton_ && !again_ && !near_ && !damped_ && out_.decrement < fair_step;
    if (settings_.close && newton_ && !damped_) {
      const bool shrinks = !reused || out_.decrement < chord_share * before_;
      again_ = out_.decrement < chord_from && shrinks;
      near_ = false;
    }
    before_ = out_.decrement;
    return true;
  }

  bool end(Status status) {
    out_.status = status;
    return false;
  }

  // Newton once the observed Hessian is positive definite. After a moderate step it is used once
  // more; after a short one it is still valid at this point, and scoring (which gives the standard
  // errors) ends the run.
  void choose_metric() {
    if (again_) return;
    newton_ = false;
    if (scoring_left_ <= 0 && !near_) {
      observed_.set(problem_, Information::Observed);
      newton_ = observed_.positive();
      if (!newton_) scoring_left_ = 1;
    }
    if (!newton_) expected_.set(problem_, Information::Expected);
  }

  // The predicted drop is below the tolerance: is this a minimum? Expected information is never
  // indefinite and so proves nothing: the observed Hessian decides.
  bool settled() {
    if (settings_.close && newton_) return !end(Status::Converged);
    const bool by_observed = problem_.inference() == Information::Observed;
    if (newton_) expected_.set(problem_, Information::Expected);
    if (by_observed ? !newton_ || again_ : !newton_ && !near_)
      observed_.set(problem_, Information::Observed);
    if (!expected_.positive()) return !end(Status::Singular);
    if (newton_ || by_observed) {
      final_metric().solve(score_, trial_);
      out_.decrement = score_.dot(trial_);
    }
    if (!observed_.positive()) return !end(Status::NotMinimum);
    if (out_.decrement <= settings_.tolerance) return !end(Status::Converged);
    return false;
  }

  // The information for standard errors and for the predicted decrease at the end.
  Metric& final_metric() {
    if (settings_.close && newton_) return observed_;
    return problem_.inference() == Information::Observed ? observed_ : expected_;
  }

  // Shortened (damped) until the step is admissible and lowers the discrepancy as predicted.
  bool take_step(Metric& metric, double floor) {
    const double before = problem_.value();
    double predicted = out_.decrement;  // 2 s'd - d'Md, while M d = s
    damped_ = floor > 0;
    for (int attempt = 0; attempt < shortenings; ++attempt) {
      if (attempt > 0 || control_.damping() > floor) {
        damped_ = true;
        metric.damp(std::max(control_.damping(), floor));
        metric.solve(score_, step_);
      }
      if (damped_) predicted = 2 * score_.dot(step_) - metric.quadratic(step_);
      trial_ = out_.theta + step_;
      if (problem_.move_to(trial_) &&
          control_.accept(predicted, problem_.n() * (before - problem_.value()))) {
        out_.theta = trial_;
        return true;
      }
      control_.tighten();
    }
    problem_.move_to(out_.theta);
    return false;
  }

  void finish() {
    out_.discrepancy = problem_.value();
    const bool converged = out_.status == Status::Converged;
    const int q = to_int(out_.theta.size());
    Metric& metric = final_metric();
    if (converged && q > 0) {
      // the last step can be skipped: it changes chi-square by less than the tolerance
      metric.solve(score_, step_);
      out_.theta += step_;
    }
    if (!converged) metric.set(problem_, problem_.inference());
    if (!metric.positive()) return;
    if (q == 0) {
      out_.inflation = Vector(0);
    } else if (settings_.errors) {
      out_.covariance = metric.inverse();
      out_.inflation = out_.covariance.diagonal().cwiseQuotient(metric.unit().cwiseAbs2());
    } else {
      out_.inflation = metric.inverse_diagonal();
    }
  }

  Objective& problem_;
  const Settings& settings_;
  const Callbacks& callbacks_;
  StepControl control_;
  Optimum out_;
  Metric expected_, observed_;
  Vector score_, step_, trial_;
  int scoring_left_ = scoring_first;
  double before_ = 0;  // the predicted drop of the step before
  bool newton_ = false, near_ = false, again_ = false, damped_ = false;
};

}  // namespace

Optimum score_and_newton(Objective& problem, const Vector& start, const Settings& settings,
                         const Callbacks& callbacks) {
  return FreeRun(problem, settings, callbacks).from(start);
}

Matrix covariance_along(Objective& problem, const Vector& theta, Vector& unit) {
  Information kind = problem.inference();
  Matrix information = problem.unit_information(kind, unit);
  const auto here = [&] {
    return tangent(problem.model(), theta, unit, unit.cwiseProduct(problem.score()));
  };
  Tangent along = here();
  if (along.curvature.cwiseAbs().maxCoeff() > 0 && kind != Information::Observed) {
    information = problem.unit_information(Information::Observed, unit);
    along = here();
  }
  const Matrix projected = along.basis.transpose() * (information - along.curvature) * along.basis;
  Cholesky factor;
  if (!factor.compute(projected)) return Matrix(0, 0);
  return along.basis * factor.solved(along.basis.transpose());
}

Matrix covariance_at(Objective& problem, const Vector& theta) {
  Metric metric;
  if (!problem.move_to(theta)) return Matrix(0, 0);
  if (!problem.model().constraints.empty()) {
    Vector unit;
    const Matrix scaled = covariance_along(problem, theta, unit);
    return scaled.rows() > 0 ? scaled_by(unit, scaled) : scaled;
  }
  metric.set(problem, problem.inference());
  return metric.positive() && theta.size() > 0 ? metric.inverse() : Matrix(0, 0);
}

bool got_stuck(const Optimum& x) {
  return x.status == Status::IterationLimit || x.status == Status::NoDescent ||
         x.status == Status::NotMinimum;
}

Optimum solve_quickly(Objective& problem, const Vector& start, const Settings& settings,
                      const Callbacks& callbacks) {
  return problem.model().constraints.empty()
             ? score_and_newton(problem, start, settings, callbacks)
             : constrained_scoring(problem, start, settings, callbacks);
}

Optimum solve_by_trust_region(Objective& problem, const Optimum& stuck, const Settings& settings,
                              const Callbacks& callbacks) {
  Sequence<Iteration> history = stuck.history;
  Vector theta = stuck.theta;
  trust_region_newton(problem, theta, settings, callbacks, history);
  Optimum after = solve_quickly(problem, theta, settings, callbacks);
  if (after.status == Status::BadStart) return stuck;
  history.insert(history.end(), after.history.begin(), after.history.end());
  after.history = history;
  return after;
}

}  // namespace orizzonte
