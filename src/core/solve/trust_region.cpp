#include "trust_region.hpp"

#include <cmath>

#include "../linear/dense.hpp"
#include "constraints.hpp"

namespace orizzonte {
namespace {

constexpr double first_radius = 0.3;  // in standard errors of one case
constexpr double smallest_radius = 1e-9;
constexpr double convex = 1e-11;  // lowest eigenvalue of a Hessian that counts as positive definite
constexpr int shrinkings = 30;    // of the ball, for one step
constexpr double relative_rounding = 1e-10;
constexpr double least_ratio = 1e-4, poor_ratio = 0.25,
                 good_ratio = 0.75;  // of a drop to its prediction
constexpr double farthest = 1e6;     // times a change is repeated

// The minimum of -g'd + d'Hd / 2 within a ball (More & Sorensen 1983). H = Q T Q' with T
// tridiagonal costs a seventh of the eigenvectors, and T with any shift of its diagonal is solved
// in O(q).
class Subproblem {
 public:
  Subproblem(const Matrix& hessian, const Vector& gradient)
      : form_(hessian), slope_(form_.inward(gradient)) {
    const Vector values = tridiagonal_eigenvalues(form_.diagonal, form_.beside);
    lowest_ = values[0];
    scale_ = 1 + values.cwiseAbs().maxCoeff();
  }

  double lowest() const { return lowest_; }
  // The predicted drop; where the Hessian is not positive definite there is none, and the slope is
  // used instead.
  double decrement() const { return lowest_ > 0 ? slope_.dot(at(0)) : slope_.squaredNorm(); }

  Vector step(double radius) const {
    const double floor = std::max(0.0, -lowest_) + 1e-12 * scale_;
    if (lowest_ > 1e-13) {
      const Vector newton = at(0);
      if (newton.norm() <= radius) return form_.out(newton);
    }
    const Vector d = at(floor);
    if (d.norm() < radius) return form_.out(to_the_edge(d, lowest_direction(floor), radius));
    double low = floor, high = std::max(2 * floor, 1e-8);
    while (at(high).norm() > radius) high *= 4;
    for (int i = 0; i < 60 && high - low > 1e-10 * high; ++i) {
      const double middle = low > 0 ? std::sqrt(low * high) : high / 16;
      (at(middle).norm() > radius ? low : high) = middle;
    }
    return form_.out(at(high));
  }

 private:
  Vector at(double shift) const { return solved(shift, slope_); }

  // (T + shift I)^-1 x by the factor L D L'.
  Vector solved(double shift, Vector x) const {
    const int q = to_int(x.size());
    const double least = 1e-15 * scale_;
    Vector pivot(q), factor(q);
    for (int i = 0; i < q; ++i) {
      factor[i] = i > 0 ? form_.beside[i - 1] / pivot[i - 1] : 0;
      pivot[i] = form_.diagonal[i] + shift - (i > 0 ? factor[i] * form_.beside[i - 1] : 0);
      if (!(pivot[i] > least)) pivot[i] = least;
      if (i > 0) x[i] -= factor[i] * x[i - 1];
    }
    for (int i = q - 1; i >= 0; --i)
      x[i] = x[i] / pivot[i] - (i + 1 < q ? factor[i + 1] * x[i + 1] : 0);
    return x;
  }

  // The eigenvector of the lowest eigenvalue, by inverse iteration from a vector without symmetry.
  Vector lowest_direction(double floor) const {
    Vector out = Vector::LinSpaced(slope_.size(), 1, 2);
    for (int i = 0; i < 3; ++i) out = solved(floor, out).normalized();
    return out;
  }

  // The hard case: continue along the most negative direction.
  static Vector to_the_edge(const Vector& d, const Vector& along, double radius) {
    const double part = along.dot(d);
    const double more = std::sqrt(part * part + radius * radius - d.squaredNorm()) - std::abs(part);
    return d + (part < 0 ? -more : more) * along;
  }

  Tridiagonal form_;
  Vector slope_;  // Q'g
  double lowest_ = 0, scale_ = 1;
};

bool back_to_constraints(const Objective& problem, Vector& theta) {
  return problem.model().constraints.empty() || restore(problem.model(), theta);
}

// Flat valleys are mostly power laws (two loadings whose product is known, a variance and a squared
// loading), hence straight in logarithms: repeat the last change of each log|theta|, twice as far
// each time, while the discrepancy decreases.
bool extrapolate(Objective& problem, const Vector& previous, Vector& theta) {
  double best = problem.value();
  bool moved = false;
  const Vector from = theta;
  for (double times = 1; times < farthest; times *= 2) {
    Vector trial = from;
    for (int i = 0; i < trial.size(); ++i) {
      const double ratio = from[i] / previous[i];
      trial[i] += ratio > 0.2 && ratio < 5 ? from[i] * (std::pow(ratio, times) - 1)
                                           : times * (from[i] - previous[i]);
    }
    if (!trial.allFinite() || !back_to_constraints(problem, trial) || !problem.move_to(trial) ||
        problem.value() >= best)
      break;
    best = problem.value();
    theta = trial;
    moved = true;
  }
  problem.move_to(theta);
  return moved;
}

// The score and the observed Hessian in units of standard errors (each parameter's own expected
// information), so that the ball is round; along the directions that the constraints allow, if
// there are any.
struct LocalQuadratic {
  Vector unit, gradient;
  Matrix hessian, basis;  // an empty basis: all directions
};

LocalQuadratic local_quadratic(Objective& problem, const Vector& theta) {
  LocalQuadratic out;
  problem.unit_information(Information::Expected, out.unit);
  out.hessian = scaled_by(out.unit, problem.dense_information(Information::Observed));
  out.gradient = out.unit.cwiseProduct(problem.score());
  if (problem.model().constraints.empty()) return out;
  const Tangent along = tangent(problem.model(), theta, out.unit, out.gradient);
  out.basis = along.basis;
  out.hessian = (out.basis.transpose() * (out.hessian - along.curvature) * out.basis).eval();
  out.gradient = (out.basis.transpose() * out.gradient).eval();
  return out;
}

// One step within the ball, which shrinks until the step is admissible and achieves the predicted
// decrease.
bool step_within(Objective& problem, const LocalQuadratic& local, const Subproblem& model,
                 double& radius, Vector& theta) {
  const double before = problem.value(), rounding = relative_rounding * problem.n();
  for (int attempt = 0; attempt < shrinkings; ++attempt) {
    const Vector step = model.step(radius);
    const double predicted = 2 * local.gradient.dot(step) -
                             step.dot(local.hessian.selfadjointView<Eigen::Lower>() * step);
    Vector trial =
        theta + local.unit.cwiseProduct(local.basis.size() > 0 ? Vector(local.basis * step) : step);
    const bool admissible = back_to_constraints(problem, trial) && problem.move_to(trial);
    const double drop = admissible ? problem.n() * (before - problem.value()) : -1;
    const double ratio = drop / predicted;
    const bool taken =
        admissible && (ratio > least_ratio || (predicted < rounding && drop > -rounding));
    if (ratio < poor_ratio) radius = 0.25 * std::min(radius, step.norm());
    else if (ratio > good_ratio && step.norm() > 0.9 * radius)
      radius *= 2.5;
    if (!taken) continue;
    theta = trial;
    return true;
  }
  return false;
}

}  // namespace

bool trust_region_newton(Objective& problem, Vector& theta, const Settings& settings,
                         const Callbacks& callbacks, Sequence<Iteration>& history) {
  if (theta.size() == 0 || !back_to_constraints(problem, theta) || !problem.move_to(theta))
    return false;
  double radius = first_radius * std::sqrt(problem.n());
  for (int iteration = 0; iteration < settings.iterations; ++iteration) {
    if (callbacks.stop.stopped()) return false;
    const LocalQuadratic local = local_quadratic(problem, theta);
    if (local.gradient.size() == 0) return true;  // the constraints leave no direction
    const Subproblem model(local.hessian, local.gradient);
    const double decrement = model.decrement();
    const double chisq = problem.n() * problem.value();
    history.push_back({2, chisq, decrement, radius});
    callbacks.progress(iteration, chisq);
    if (model.lowest() > convex && decrement < 0.1 * settings.tolerance) return true;
    const Vector previous = theta;
    if (!step_within(problem, local, model, radius, theta) || radius < smallest_radius) {
      problem.move_to(theta);
      return false;
    }
    if (decrement < 1) extrapolate(problem, previous, theta);
  }
  return false;
}

}  // namespace orizzonte
