#include "optimise.hpp"

#include "constrained.hpp"
#include "valley.hpp"

#include <algorithm>
#include <cmath>

namespace orizzonte {
namespace {

constexpr int patience = 60;   // of scoring and Newton steps, before the slower but surer ones

// A symmetric matrix scaled to unit diagonal (Jacobi), with its Cholesky factor.
struct Scaled {
  Vector scale;
  Arrow matrix;
  ArrowFactor factor;
  bool positive = false;

  void set(Discrepancy& problem, bool observed) {
    problem.information(observed, matrix);
    scale = matrix.diagonal();
    for (int i = 0; i < scale.size(); ++i) scale[i] = scale[i] > 0 ? 1 / std::sqrt(scale[i]) : 0;
    positive = (scale.array() > 0).all();
    matrix.scale(scale);
    if (positive && scale.size() > 0) positive = damp(0) && factor.smallest_pivot() > 1e-6;
  }
  bool damp(double damping) { return factor.compute(matrix, damping); }
  Vector solve(const Vector& x) const {
    Vector out = factor.solve(x.cwiseProduct(scale));
    out.array() *= scale.array();
    return out;
  }
  double quadratic(const Vector& x) const { return matrix.quadratic(x.cwiseQuotient(scale)); }  // x' M x
  Matrix inverse() const { return scale.asDiagonal() * factor.inverse() * scale.asDiagonal(); }
};

// Fisher scoring, then Newton once the observed Hessian is positive definite.
Optimum score_and_newton(Discrepancy& problem, const Vector& start, const Settings& settings, const Callbacks& callbacks) {
  Optimum out;
  if (!problem.move_to(start)) return out;
  out.theta = start;
  const int q = out.theta.size();
  const double n = problem.n();
  Scaled expected, observed;
  double damping = 0;
  int scoring_left = 2;
  bool near = false;   // the last Newton step was so short that its positive definite Hessian still speaks for this point
  out.status = Status::IterationLimit;

  for (int iteration = 0;; ++iteration) {
    if (iteration % 4 == 0 && callbacks.interrupted()) {
      out.status = Status::Interrupted;
      break;
    }
    const Vector score = problem.score();
    bool newton = false;
    if (scoring_left <= 0 && !near) {
      observed.set(problem, true);
      newton = observed.positive;
      if (!newton) scoring_left = 1;
    }
    if (!newton) expected.set(problem, false);
    if (iteration == 0 && settings.require_rank && !expected.positive) {
      out.status = Status::Singular;
      out.discrepancy = problem.value();
      return out;
    }
    Scaled* metric = newton ? &observed : &expected;
    double floor = 0;
    if (!metric->positive) {
      floor = 1e-6;
      metric->damp(floor);
    }
    Vector step = metric->solve(score);
    out.decrement = score.dot(step);
    out.history.push_back({newton ? 1 : 0, n * problem.value(), out.decrement, damping});
    callbacks.progress(iteration, n * problem.value());

    if (out.decrement <= settings.tolerance) {
      // Expected information is never indefinite and so proves nothing: ask the observed Hessian.
      if (newton) expected.set(problem, false);
      else if (!near) observed.set(problem, true);
      if (!expected.positive) {
        out.status = Status::Singular;
        break;
      }
      if (newton) out.decrement = score.dot(expected.solve(score));
      if (observed.positive && out.decrement <= settings.tolerance) {
        out.status = Status::Converged;
        break;
      }
      if (!observed.positive) {
        out.status = Status::NotMinimum;
        break;
      }
    }
    if (iteration >= patience) break;

    // Shorten (damp) until the step is admissible and lowers the discrepancy as predicted.
    const double before = problem.value();
    bool accepted = false;
    for (int attempt = 0; attempt < 40 && !accepted; ++attempt) {
      if (attempt > 0 || damping > floor) {
        metric->damp(std::max(damping, floor));
        step = metric->solve(score);
      }
      const double predicted = 2 * score.dot(step) - metric->quadratic(step);
      if (problem.move_to(out.theta + step)) {
        const double drop = n * (before - problem.value());
        const bool below_rounding = predicted < 1e-10 * n;
        const double ratio = drop / predicted;
        if (below_rounding || ratio > 1e-4) {
          accepted = true;
          if (!below_rounding && ratio < 0.25) damping = std::max(4 * damping, 1e-3);
          else if (ratio > 0.75 || below_rounding) damping = damping < 1e-4 ? 0 : damping / 6;
        }
      }
      if (!accepted) damping = std::max(4 * damping, 1e-3);
    }
    if (!accepted) {
      problem.move_to(out.theta);
      out.status = Status::NoDescent;
      break;
    }
    out.theta += step;
    --scoring_left;
    near = newton && out.decrement < 1e-4;
  }

  out.discrepancy = problem.value();
  // The last step costs nothing any more: it changes chi-square by less than the tolerance.
  if (out.status == Status::Converged && q > 0) out.theta += expected.solve(problem.score());
  if (out.status != Status::Converged) expected.set(problem, false);
  if (expected.positive) {
    if (q == 0) {
      out.inflation = Vector(0);
    } else if (settings.errors) {
      out.covariance = expected.inverse();
      out.inflation = out.covariance.diagonal().cwiseQuotient(expected.scale.cwiseAbs2());
    } else {
      out.inflation = expected.factor.inverse_diagonal();
    }
  }
  return out;
}

}  // namespace

Matrix covariance_at(Discrepancy& problem, const Vector& theta) {
  Scaled expected;
  if (!problem.move_to(theta)) return Matrix(0, 0);
  expected.set(problem, false);
  return expected.positive && theta.size() > 0 ? expected.inverse() : Matrix(0, 0);
}

Optimum optimise(Discrepancy& problem, const Vector& start, const Settings& settings, const Callbacks& callbacks) {
  if (!problem.model().constraints.empty()) return optimise_constrained(problem, start, settings, callbacks);
  return with_valley(problem, start, settings, callbacks, score_and_newton);
}

}  // namespace orizzonte
