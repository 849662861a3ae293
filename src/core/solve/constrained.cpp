#include "constrained.hpp"

#include <algorithm>
#include <cmath>

#include "../linear/dense.hpp"
#include "constraints.hpp"
#include "quadratic.hpp"

namespace orizzonte {
namespace {

// A standard error beyond this value, in the units of the problem, shows that a parameter diverges:
// it cannot serve as a tolerance for constraints.
constexpr double longest_error = 100;

constexpr int patience = 100;     // of scoring and Newton steps, before the slower but surer ones
constexpr int first_scoring = 2;  // scoring steps before Newton is tried
constexpr int attempts = 60;      // at one step, of which the first are damped, the others halved
constexpr int damped_attempts = 8;
constexpr double pull_scoring = 1;  // weight of the constraints' own directions in the metric
constexpr double pull_newton = 10;
constexpr double pull_judged = 1e4;
constexpr double penalty_margin = 1.5;  // over the largest multiplier
constexpr double near_bound = 1e-5;     // in standard errors
constexpr double not_met = 1e-4;        // in standard errors: the constraints cannot all hold

// The constraints made linear at a point, in units of standard errors; each gradient has length
// one.
struct Linear {
  Vector unit, score;
  Matrix expected;
  Constraints at;
  Matrix gradients;
  Vector length, value;
};

class Run {
 public:
  Run(Objective& problem, const Settings& settings, const Callbacks& callbacks)
      : problem_(problem),
        model_(problem.model()),
        settings_(settings),
        callbacks_(callbacks),
        control_(problem.n()) {
    for (const Constraint& constraint : model_.constraints) equality_.push_back(!constraint.bound);
    working_ = equality_;
    lambda_ = Vector::Zero(count());
  }

  Optimum from(const Vector& start) {
    theta_ = start;
    restore(model_, theta_);
    if (!problem_.move_to(theta_)) {
      theta_ = start;
      if (!problem_.move_to(theta_)) return out_;
    }
    out_.status = Status::IterationLimit;
    for (int iteration = 0; iterate(iteration); ++iteration) {
    }
    if (out_.status == Status::Converged) meet_exactly();
    out_.theta = theta_;
    out_.discrepancy = problem_.value();
    if (!given_up_ && out_.status != Status::Interrupted) judge();
    return out_;
  }

 private:
  int count() const { return model_.constraints.size(); }

  bool end(Status status) {
    out_.status = status;
    return false;
  }

  // At a converged point the constraints hold only to the tolerance of the last step.
  void meet_exactly() {
    Vector step;
    if (!restoring_step(model_, theta_, 0, step)) return;
    if (problem_.move_to(theta_ + step)) theta_ += step;
    else
      problem_.move_to(theta_);
  }

  // False when the run has ended.
  bool iterate(int iteration) {
    if (callbacks_.stop.stopped()) return end(Status::Interrupted);
    const Linear now = linearise();
    if (!now.at.finite()) return end(Status::Infeasible);
    choose_metric(now);
    if (iteration == 0 && settings_.require_rank && !positive_) {
      given_up_ = true;
      return end(Status::Singular);
    }
    Quadratic step =
        solve_quadratic(factor_, now.score, now.gradients, now.value, fixed_, working_);
    double violated = 0;
    for (int k = 0; k < count(); ++k)
      violated += std::pow(violation(now.value[k], !equality_[k]), 2);
    out_.decrement = step.step.dot(now.expected * step.step) + violated;
    const double chisq = problem_.n() * problem_.value();
    out_.history.push_back({newton_ ? 1 : 0, chisq, out_.decrement, control_.damping()});
    callbacks_.progress(iteration, chisq);
    if (pulls_inwards(step)) {
      scoring_left_ = 1;
      working_ = equality_;
      if (iteration < patience) return true;
    }
    working_ = step.working;
    lambda_ = step.multipliers.cwiseQuotient(now.length);
    if (out_.decrement <= settings_.tolerance) return end(settled(now));
    if (iteration >= patience) return false;
    if (!take_step(now, step)) return end(Status::NoDescent);
    --scoring_left_;
    return true;
  }

  Linear linearise() {
    Linear out;
    out.expected = problem_.unit_information(Information::Expected, out.unit);
    out.score = out.unit.cwiseProduct(problem_.score());
    out.at = constraints_at(model_, theta_);
    out.gradients = out.at.jacobian * out.unit.asDiagonal();
    out.length.resize(count());
    out.value.resize(count());
    for (int k = 0; k < count(); ++k) {
      out.length[k] = std::max(out.gradients.row(k).norm(), shortest_gradient);
      out.gradients.row(k) /= out.length[k];
      out.value[k] = out.at.value[k] / out.length[k];
    }
    return out;
  }

  // The constraints' own directions are added to the information: this changes nothing on the
  // constraints, and makes the matrix positive definite whenever the constraints and the data
  // together identify the parameters.
  static Matrix pulled(const Matrix& information, const Linear& now, const Sequence<char>& which,
                       double weight) {
    Matrix out = information;
    for (int k = 0; k < which.size(); ++k)
      if (which[k]) out += weight * now.gradients.row(k).transpose() * now.gradients.row(k);
    return out;
  }

  Matrix lagrangian(const Linear& now) {
    Matrix hessian = problem_.dense_information(Information::Observed);
    for (int k = 0; k < count(); ++k)
      if (lambda_[k] != 0) hessian -= lambda_[k] * now.at.hessian[k];
    return scaled_by(now.unit, hessian);
  }

  bool factored(const Matrix& m) {
    return factor_.compute(m) && factor_.smallest_pivot() > smallest_pivot;
  }

  // Newton on the Lagrangian once it is positive definite, scoring before. `fixed_`: the
  // constraints that must hold with equality.
  void choose_metric(const Linear& now) {
    newton_ = false;
    fixed_ = equality_;
    positive_ = true;
    if (scoring_left_ <= 0) {
      metric_ = pulled(lagrangian(now), now, working_, pull_newton);
      newton_ = factored(metric_);
      if (newton_) fixed_ = working_;
      else
        scoring_left_ = 1;
    }
    if (newton_) return;
    metric_ = pulled(now.expected, now, equality_, pull_scoring);
    positive_ = factored(metric_);
    if (positive_) return;
    metric_.diagonal().array() += singular_damping;
    factor_.compute(metric_);
  }

  // A bound that Newton treats as an equality although its multiplier has the wrong sign.
  bool pulls_inwards(const Quadratic& step) const {
    for (int k = 0; k < count(); ++k)
      if (!equality_[k] && step.multipliers[k] < 0) return true;
    return false;
  }

  Status settled(const Linear& now) {
    const bool identified = factored(pulled(now.expected, now, working_, pull_scoring));
    if (!identified) return Status::Singular;
    return factor_.compute(pulled(lagrangian(now), now, working_, pull_judged))
               ? Status::Converged
               : Status::NotMinimum;
  }

  double total_violation(const Linear& now, const Vector& values) const {
    double sum = 0;
    for (int k = 0; k < count(); ++k) sum += violation(values[k] / now.length[k], !equality_[k]);
    return sum;
  }

  // The predicted change of chi-square plus penalty, with linearized constraints.
  double promised(const Linear& now, const Vector& step) const {
    double left = 0;
    for (int k = 0; k < count(); ++k)
      left += violation(now.value[k] + now.gradients.row(k).dot(step), !equality_[k]);
    return 2 * now.score.dot(step) - step.dot(metric_ * step) +
           2 * penalty_ * (total_violation(now, now.at.value) - left);
  }

  // A step that fails is corrected for the curvature of the constraints, then damped, then (damping
  // does not shorten the way to the constraints) halved.
  bool take_step(const Linear& now, Quadratic step) {
    penalty_ = std::max(
        penalty_, penalty_margin * (count() > 0 ? step.multipliers.cwiseAbs().maxCoeff() : 0));
    const double before =
        problem_.n() * problem_.value() + 2 * penalty_ * total_violation(now, now.at.value);
    bool corrected = false;
    for (int attempt = 0; attempt < attempts; ++attempt) {
      if (attempt > damped_attempts) {
        step.step *= 0.5;
      } else if ((attempt > 0 || control_.damping() > 0) && !(corrected && attempt == 1)) {
        factor_.compute(metric_, control_.damping());
        step = solve_quadratic(factor_, now.score, now.gradients, now.value, fixed_, working_);
      }
      const double predicted = promised(now, step.step);
      const Vector trial = theta_ + now.unit.cwiseProduct(step.step);
      const Vector values = constraint_values(model_, trial);
      if (values.allFinite() && problem_.move_to(trial)) {
        const double after =
            problem_.n() * problem_.value() + 2 * penalty_ * total_violation(now, values);
        if (control_.accept(predicted, before - after)) {
          theta_ = trial;
          return true;
        }
        if (!corrected && attempt == 0) {
          corrected = true;
          const Vector bent = values.cwiseQuotient(now.length) - now.gradients * step.step;
          step = solve_quadratic(factor_, now.score, now.gradients, bent, fixed_, working_);
          continue;
        }
      }
      control_.tighten();
    }
    problem_.move_to(theta_);
    return false;
  }

  // Which constraints hold with equality, whether all do, and standard errors within them: Z (Z' I
  // Z)^-1 Z', written without Z (Aitchison & Silvey 1958).
  void judge() {
    const int m = count(), q = to_int(theta_.size());
    out_.active.assign(m, 0);
    out_.multipliers = lambda_;
    out_.violations = Vector::Zero(m);
    Vector unit;
    const Matrix information = problem_.unit_information(problem_.inference(), unit);
    const Constraints at = constraints_at(model_, theta_);
    Sequence<int> rows;
    for (int k = 0; k < m; ++k) {
      const auto gradient = at.jacobian.row(k).transpose();
      const double error = std::max(gradient.cwiseProduct(unit).norm(), shortest_gradient);
      const double size = std::min(error, longest_error * gradient.norm() + shortest_gradient);
      out_.violations[k] = violation(at.value[k] / size, !equality_[k]);
      out_.active[k] = working_[k] && (equality_[k] || std::abs(at.value[k] / size) < near_bound);
      if (out_.active[k]) rows.push_back(k);
    }
    const bool open = out_.status != Status::Converged;
    if (open && m > 0 && out_.violations.maxCoeff() > not_met) out_.status = Status::Infeasible;
    const int w = rows.size();
    Matrix a(w, q);
    for (int i = 0; i < w; ++i)
      a.row(i) = (at.jacobian.row(rows[i]) * unit.asDiagonal()).normalized();
    if (!factored(information + a.transpose() * a)) return;
    Matrix root, inverse;
    factor_.inverse(root, inverse);
    if (w > 0) {
      const Matrix reach = inverse * a.transpose();
      inverse -= reach * pseudo_inverse(a * reach) * reach.transpose();
    }
    for (int i = 0; i < w; ++i) {
      if (at.hessian[rows[i]].cwiseAbs().maxCoeff() == 0) continue;
      const Matrix curved = covariance_along(problem_, theta_, unit);
      if (curved.rows() > 0) inverse = curved;
      break;
    }
    out_.covariance = scaled_by(unit, inverse);
    out_.inflation = inverse.diagonal();
  }

  Objective& problem_;
  const Model& model_;
  const Settings& settings_;
  const Callbacks& callbacks_;
  StepControl control_;
  Optimum out_;
  Vector theta_, lambda_;  // of the constraints as written
  Sequence<char> equality_, working_, fixed_;
  Matrix metric_;
  Cholesky factor_;
  double penalty_ = 0;
  int scoring_left_ = first_scoring;
  bool newton_ = false, positive_ = false, given_up_ = false;
};

}  // namespace

Optimum constrained_scoring(Objective& problem, const Vector& start, const Settings& settings,
                            const Callbacks& callbacks) {
  return Run(problem, settings, callbacks).from(start);
}

}  // namespace orizzonte
