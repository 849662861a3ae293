#include "valley.hpp"

#include <cmath>

#include "constrained.hpp"

namespace orizzonte {
namespace {

// The minimum of -g'd + d'Hd / 2 within a ball, from the eigenvalues of H (More & Sorensen 1983).
struct Subproblem {
  Eigen::SelfAdjointEigenSolver<Matrix> eigen;
  Vector slope;   // g in the eigenvectors
  explicit Subproblem(const Matrix& hessian, const Vector& gradient)
      : eigen(hessian.selfadjointView<Eigen::Lower>()), slope(eigen.eigenvectors().transpose() * gradient) {}

  double lowest() const { return eigen.eigenvalues()[0]; }
  Vector at(double shift) const { return slope.array() / (eigen.eigenvalues().array() + shift); }

  Vector step(double radius) const {
    const double floor = std::max(0.0, -lowest()) + 1e-12 * (1 + eigen.eigenvalues().cwiseAbs().maxCoeff());
    if (lowest() > 1e-13 && at(0).norm() <= radius) return eigen.eigenvectors() * at(0);
    Vector d = at(floor);
    if (d.norm() < radius) {               // the hard case: go on along the most negative direction
      d[0] += (d[0] < 0 ? -1 : 1) * std::sqrt(radius * radius - d.squaredNorm());
      return eigen.eigenvectors() * d;
    }
    double low = floor, high = std::max(2 * floor, 1e-8);
    while (at(high).norm() > radius) high *= 4;
    for (int i = 0; i < 60 && high - low > 1e-10 * high; ++i) {
      const double middle = low > 0 ? std::sqrt(low * high) : high / 16;
      (at(middle).norm() > radius ? low : high) = middle;
    }
    return eigen.eigenvectors() * at(high);
  }
};

bool back_to_constraints(const Discrepancy& problem, Vector& theta) {
  return problem.model().constraints.empty() || restore(problem.model(), theta);
}

// Flat valleys are mostly power laws (two loadings whose product is known, a variance and a squared loading), hence straight
// in logarithms: repeat the last change of each log|theta|, twice as far each time, while the discrepancy falls.
bool extrapolate(Discrepancy& problem, const Vector& previous, Vector& theta) {
  double best = problem.value();
  bool moved = false;
  const Vector from = theta;
  for (double times = 1; times < 1e6; times *= 2) {
    Vector trial = from;
    for (int i = 0; i < trial.size(); ++i) {
      const double ratio = from[i] / previous[i];
      trial[i] += ratio > 0.2 && ratio < 5 ? from[i] * (std::pow(ratio, times) - 1) : times * (from[i] - previous[i]);
    }
    if (!trial.allFinite() || !back_to_constraints(problem, trial) || !problem.move_to(trial) || problem.value() >= best) break;
    best = problem.value();
    theta = trial;
    moved = true;
  }
  problem.move_to(theta);
  return moved;
}

}  // namespace

bool follow_valley(Discrepancy& problem, Vector& theta, const Settings& settings, const Callbacks& callbacks,
                   std::vector<Iteration>& history) {
  const int q = theta.size();
  if (q == 0 || !back_to_constraints(problem, theta) || !problem.move_to(theta)) return false;
  const double n = problem.n();
  double radius = 0.3 * std::sqrt(n);
  for (int iteration = 0; iteration < settings.iterations; ++iteration) {
    if (callbacks.interrupted()) return false;
    const Vector score = problem.score();
    // The unit of each parameter: its expected information (of its own), so that the ball is round in standard errors.
    const Matrix expected = problem.expected_information();
    Vector unit(q);
    for (int i = 0; i < q; ++i) unit[i] = expected(i, i) > 0 ? 1 / std::sqrt(expected(i, i)) : 1;
    Matrix hessian = problem.observed_information();
    for (int j = 0; j < q; ++j)
      for (int i = j; i < q; ++i) hessian(i, j) *= unit[i] * unit[j];
    Vector gradient = unit.cwiseProduct(score);
    Matrix basis;                                  // of the directions the constraints leave, if there are any
    if (!problem.model().constraints.empty()) {
      const Tangent along = tangent(problem.model(), theta, unit, gradient);
      basis = along.basis;
      if (basis.cols() == 0) return true;
      hessian.triangularView<Eigen::StrictlyUpper>() = hessian.transpose();
      hessian = (basis.transpose() * (hessian - along.curvature) * basis).eval();
      gradient = (basis.transpose() * gradient).eval();
    }
    const Subproblem model(hessian, gradient);
    const double before = problem.value();
    const double decrement = model.lowest() > 0 ? gradient.dot(model.eigen.eigenvectors() * model.at(0)) : gradient.squaredNorm();
    history.push_back({2, n * before, decrement, radius});
    callbacks.progress(iteration, n * before);
    if (model.lowest() > 1e-11 && decrement < 0.1 * settings.tolerance) return true;
    bool moved = false;
    const Vector previous = theta;
    for (int attempt = 0; attempt < 30 && !moved; ++attempt) {
      const Vector step = model.step(radius);
      const double predicted = 2 * gradient.dot(step) - step.dot(hessian.selfadjointView<Eigen::Lower>() * step);
      Vector trial = theta + unit.cwiseProduct(basis.size() > 0 ? Vector(basis * step) : step);
      const bool admissible = back_to_constraints(problem, trial) && problem.move_to(trial);
      const double drop = admissible ? n * (before - problem.value()) : -1;
      const double ratio = drop / predicted;
      if (admissible && (ratio > 1e-4 || (predicted < 1e-10 * n && drop > -1e-10 * n))) {
        theta = trial;
        moved = true;
      }
      if (ratio < 0.25) radius = 0.25 * std::min(radius, step.norm());
      else if (ratio > 0.75 && step.norm() > 0.9 * radius) radius *= 2.5;
    }
    if (!moved || radius < 1e-9) {
      problem.move_to(theta);
      return false;
    }
    if (decrement < 1) extrapolate(problem, previous, theta);
  }
  return false;
}

Optimum with_valley(Discrepancy& problem, const Vector& start, const Settings& settings, const Callbacks& callbacks,
                    Optimum (*quick)(Discrepancy&, const Vector&, const Settings&, const Callbacks&)) {
  Optimum first = quick(problem, start, settings, callbacks);
  const bool stuck = first.status == Status::IterationLimit || first.status == Status::NoDescent || first.status == Status::NotMinimum;
  if (!stuck) return first;
  std::vector<Iteration> history = first.history;
  Vector theta = first.theta;
  follow_valley(problem, theta, settings, callbacks, history);
  Optimum after = quick(problem, theta, settings, callbacks);
  if (after.status == Status::BadStart) return first;
  history.insert(history.end(), after.history.begin(), after.history.end());
  after.history = history;
  return after;
}

}  // namespace orizzonte
