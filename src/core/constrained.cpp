#include "constrained.hpp"

#include <algorithm>
#include <cmath>

#include "expression.hpp"
#include "valley.hpp"

namespace orizzonte {
namespace {

constexpr int patience = 100;   // of scoring and Newton steps, before the slower but surer ones

struct Constraints {
  Vector value;
  Matrix jacobian;
  std::vector<Matrix> hessian;
};

Constraints constraints_at(const Model& model, const Vector& theta) {
  const Vector eta = model.map(theta);
  const int m = model.constraints.size();
  Constraints out{Vector(m), Matrix(m, theta.size()), {}};
  for (int k = 0; k < m; ++k) {
    const Jet jet = evaluate(model.constraints[k], model.map, eta);
    out.value[k] = jet.value;
    out.jacobian.row(k) = jet.gradient.transpose();
    out.hessian.push_back(jet.hessian);
  }
  return out;
}

Vector values_at(const Model& model, const Vector& theta) {
  const Vector eta = model.map(theta);
  Vector out(model.constraints.size());
  for (int k = 0; k < out.size(); ++k) out[k] = evaluate(model.constraints[k], model.map, eta).value;
  return out;
}

// The expected information with a unit diagonal, and the unit of each parameter.
Matrix unit_information(Discrepancy& problem, Vector& unit) {
  Matrix out = problem.expected_information();
  out.triangularView<Eigen::StrictlyUpper>() = out.transpose();
  unit.resize(out.rows());
  for (int i = 0; i < unit.size(); ++i) unit[i] = out(i, i) > 0 ? 1 / std::sqrt(out(i, i)) : 1;
  return unit.asDiagonal() * out * unit.asDiagonal();
}

double violation(double value, bool bound) { return bound ? std::max(0.0, -value) : std::abs(value); }

// min d'Md/2 - g'd subject to A d + c = 0 for equalities and >= 0 for bounds; M positive definite. A primal-dual active
// set: start with the equalities and the bounds that were active before, add what is violated, drop what pulls.
struct Quadratic {
  Vector step, multipliers;
  std::vector<char> working;
  bool solved = false;
};

Quadratic solve_quadratic(const Cholesky& factor, const Vector& g, const Matrix& a, const Vector& c,
                          const std::vector<char>& equality, std::vector<char> working) {
  Quadratic out;
  const int m = c.size();
  const Vector free_step = factor.solve(g);
  Matrix reach(g.size(), m);                       // M^-1 A'
  for (int k = 0; k < m; ++k) reach.col(k) = factor.solve(a.row(k).transpose());
  for (int pass = 0; pass < 20 + 4 * m; ++pass) {
    std::vector<int> rows;
    for (int k = 0; k < m; ++k)
      if (working[k]) rows.push_back(k);
    const int w = rows.size();
    Matrix gram(w, w);
    Vector right(w);
    for (int i = 0; i < w; ++i) {
      right[i] = -c[rows[i]] - a.row(rows[i]).dot(free_step);
      for (int j = 0; j < w; ++j) gram(i, j) = a.row(rows[i]).dot(reach.col(rows[j]));
    }
    const Vector lambda = w > 0 ? Vector(gram.completeOrthogonalDecomposition().solve(right)) : Vector(0);
    out.step = free_step;
    out.multipliers = Vector::Zero(m);
    for (int i = 0; i < w; ++i) {
      out.step += lambda[i] * reach.col(rows[i]);
      out.multipliers[rows[i]] = lambda[i];
    }
    out.working = working;
    int drop = -1, add = -1;
    double worst = -1e-12;
    for (int k = 0; k < m; ++k) {
      if (equality[k]) continue;
      if (working[k] && out.multipliers[k] < 0 && (drop < 0 || out.multipliers[k] < out.multipliers[drop])) drop = k;
      const double slack = a.row(k).dot(out.step) + c[k];
      if (!working[k] && slack < worst) {
        worst = slack;
        add = k;
      }
    }
    if (add < 0 && drop < 0) {
      out.solved = true;
      return out;
    }
    if (add >= 0) working[add] = 1;
    else working[drop] = 0;
  }
  return out;
}

}  // namespace

bool restore(const Model& model, Vector& theta) {
  Vector trial = theta;
  for (int pass = 0; pass < 50; ++pass) {
    const Constraints at = constraints_at(model, trial);
    if (!at.value.allFinite() || !at.jacobian.allFinite()) return false;
    std::vector<int> rows;
    for (int k = 0; k < at.value.size(); ++k)
      if (violation(at.value[k], model.constraints[k].bound) > 1e-10 * std::max(at.jacobian.row(k).norm(), 1e-300)) rows.push_back(k);
    if (rows.empty()) {
      theta = trial;
      return true;
    }
    Matrix a(rows.size(), theta.size());
    Vector c(rows.size());
    for (size_t i = 0; i < rows.size(); ++i) {
      const double length = at.jacobian.row(rows[i]).norm();
      if (length == 0) return false;
      a.row(i) = at.jacobian.row(rows[i]) / length;
      c[i] = at.value[rows[i]] / length;
    }
    Vector step = -a.completeOrthogonalDecomposition().solve(c);
    const double size = step.norm();
    if (size > 2) step *= 2 / size;
    for (int halving = 0; halving < 20 && !values_at(model, trial + step).allFinite(); ++halving) step *= 0.5;
    trial += step;
  }
  return false;
}

Matrix equality_directions(const Model& model, const Vector& theta) {
  const Constraints at = constraints_at(model, theta);
  std::vector<int> rows;
  for (size_t k = 0; k < model.constraints.size(); ++k)
    if (!model.constraints[k].bound && at.jacobian.row(k).norm() > 0) rows.push_back(k);
  Matrix out(rows.size(), theta.size());
  for (size_t i = 0; i < rows.size(); ++i) out.row(i) = at.jacobian.row(rows[i]).normalized();
  return out;
}

Tangent tangent(const Model& model, const Vector& theta, const Vector& unit, const Vector& gradient) {
  const Constraints at = constraints_at(model, theta);
  const int q = theta.size();
  std::vector<int> rows;
  for (int k = 0; k < at.value.size(); ++k) {
    const double length = at.jacobian.row(k).cwiseProduct(unit.transpose()).norm();
    if (length > 0 && (!model.constraints[k].bound || at.value[k] < 1e-8 * length)) rows.push_back(k);
  }
  Vector lambda;
  Matrix a;
  for (;;) {                                       // bounds whose multiplier pulls inwards are left, the worst first
    a.resize(rows.size(), q);
    for (size_t i = 0; i < rows.size(); ++i) a.row(i) = at.jacobian.row(rows[i]).cwiseProduct(unit.transpose());
    if (rows.empty()) break;
    lambda = -a.transpose().completeOrthogonalDecomposition().solve(gradient);
    int worst = -1;
    for (size_t i = 0; i < rows.size(); ++i)
      if (model.constraints[rows[i]].bound && lambda[i] < 0 && (worst < 0 || lambda[i] < lambda[worst])) worst = i;
    if (worst < 0) break;
    rows.erase(rows.begin() + worst);
  }
  Tangent out{Matrix::Identity(q, q), Matrix::Zero(q, q), rows, a};
  if (rows.empty()) return out;
  Eigen::ColPivHouseholderQR<Matrix> qr(a.transpose());
  const Matrix full = qr.householderQ() * Matrix::Identity(q, q);
  out.basis = full.rightCols(q - qr.rank());
  for (size_t i = 0; i < rows.size(); ++i)
    out.curvature += lambda[i] * (unit.asDiagonal() * at.hessian[rows[i]] * unit.asDiagonal());
  return out;
}

namespace {

Optimum constrained_scoring(Discrepancy& problem, const Vector& start, const Settings& settings, const Callbacks& callbacks) {
  const Model& model = problem.model();
  Optimum out;
  Vector theta = start;
  restore(model, theta);
  if (!problem.move_to(theta)) {
    theta = start;
    if (!problem.move_to(theta)) return out;
  }
  const int q = theta.size(), m = model.constraints.size();
  const double n = problem.n();
  std::vector<char> equality(m), working(m);
  for (int k = 0; k < m; ++k) equality[k] = working[k] = !model.constraints[k].bound;
  double damping = 0, penalty = 0;
  Vector lambda = Vector::Zero(m);                 // of the constraints as written
  int scoring_left = 2;
  out.status = Status::IterationLimit;

  for (int iteration = 0;; ++iteration) {
    if (callbacks.interrupted()) {
      out.status = Status::Interrupted;
      break;
    }
    const Vector score = problem.score();
    Vector unit;
    const Matrix expected = unit_information(problem, unit);
    const Constraints at = constraints_at(model, theta);
    if (!at.value.allFinite() || !at.jacobian.allFinite()) {
      out.status = Status::Infeasible;
      break;
    }
    Matrix a = at.jacobian * unit.asDiagonal();
    Vector length(m), c(m);
    for (int k = 0; k < m; ++k) {
      length[k] = std::max(a.row(k).norm(), 1e-300);
      a.row(k) /= length[k];
      c[k] = at.value[k] / length[k];
    }
    // The constraints' own directions are added to the information: it changes nothing on the constraints, and makes the
    // matrix positive definite whenever they and the data together tell the parameters apart.
    auto with_constraints = [&](const Matrix& information, const std::vector<char>& which, double weight) {
      Matrix sum = information;
      for (int k = 0; k < m; ++k)
        if (which[k]) sum += weight * a.row(k).transpose() * a.row(k);
      return sum;
    };
    auto lagrangian = [&]() {
      Matrix hessian = problem.observed_information();
      hessian.triangularView<Eigen::StrictlyUpper>() = hessian.transpose();
      for (int k = 0; k < m; ++k)
        if (lambda[k] != 0) hessian -= lambda[k] * at.hessian[k];
      return Matrix(unit.asDiagonal() * hessian * unit.asDiagonal());
    };
    const Vector g = unit.cwiseProduct(score);
    bool newton = false;
    Matrix metric;
    std::vector<char> fixed = equality;            // what the quadratic problem must hold with equality
    Cholesky factor;
    if (scoring_left <= 0) {
      metric = with_constraints(lagrangian(), working, 10);
      newton = factor.compute(metric) && factor.diagonal().minCoeff() > 1e-6;
      if (newton) fixed = working;
      else scoring_left = 1;
    }
    if (!newton) {
      metric = with_constraints(expected, equality, 1);
      if (!factor.compute(metric) || factor.diagonal().minCoeff() < 1e-6) {
        if (iteration == 0 && settings.require_rank) {
          out.status = Status::Singular;
          out.theta = theta;
          out.discrepancy = problem.value();
          return out;
        }
        metric.diagonal().array() += 1e-6;
        factor.compute(metric);
      }
    }
    Quadratic now = solve_quadratic(factor, g, a, c, fixed, working);
    double violated = 0;
    for (int k = 0; k < m; ++k) violated += std::pow(violation(c[k], !equality[k]), 2);
    out.decrement = now.step.dot(expected * now.step) + violated;
    out.history.push_back({newton ? 1 : 0, n * problem.value(), out.decrement, damping});
    callbacks.progress(iteration, n * problem.value());
    bool wrong_pull = false;                       // a bound taken for an equality by Newton that wants to be left
    for (int k = 0; k < m; ++k) wrong_pull = wrong_pull || (!equality[k] && now.multipliers[k] < 0);
    if (wrong_pull) {
      scoring_left = 1;
      std::fill(working.begin(), working.end(), 0);
      for (int k = 0; k < m; ++k) working[k] = equality[k];
      if (iteration < patience) continue;
    }
    working = now.working;
    lambda = now.multipliers.cwiseQuotient(length);

    if (out.decrement <= settings.tolerance) {
      const bool told_apart = factor.compute(with_constraints(expected, working, 1)) && factor.diagonal().minCoeff() > 1e-6;
      const bool minimum = factor.compute(with_constraints(lagrangian(), working, 1e4));
      out.status = !told_apart ? Status::Singular : !minimum ? Status::NotMinimum : Status::Converged;
      break;
    }
    if (iteration >= patience) break;

    penalty = std::max(penalty, 1.5 * (m > 0 ? now.multipliers.cwiseAbs().maxCoeff() : 0));
    auto total_violation = [&](const Vector& values) {
      double sum = 0;
      for (int k = 0; k < m; ++k) sum += violation(values[k] / length[k], !equality[k]);
      return sum;
    };
    const double before = n * problem.value() + 2 * penalty * total_violation(at.value);
    // A step that fails is corrected for the curvature of the constraints, then damped, then (damping does not shorten the way to
    // the constraints) halved.
    bool accepted = false, corrected = false;
    for (int attempt = 0; attempt < 60 && !accepted; ++attempt) {
      if (attempt > 8) {
        now.step *= 0.5;
      } else if ((attempt > 0 || damping > 0) && !(corrected && attempt == 1)) {
        Matrix damped = metric;
        damped.diagonal().array() += damping;
        factor.compute(damped);
        now = solve_quadratic(factor, g, a, c, fixed, working);
      }
      double left = 0;                             // of the violation, with the constraints taken as linear
      for (int k = 0; k < m; ++k) left += violation(c[k] + a.row(k).dot(now.step), !equality[k]);
      const double predicted = 2 * g.dot(now.step) - now.step.dot(metric * now.step) + 2 * penalty * (total_violation(at.value) - left);
      const Vector trial = theta + unit.cwiseProduct(now.step);
      const Vector values = values_at(model, trial);
      const bool below_rounding = std::abs(predicted) < 1e-10 * n;
      if (values.allFinite() && problem.move_to(trial)) {
        const double drop = before - n * problem.value() - 2 * penalty * total_violation(values);
        const double ratio = drop / predicted;
        if (below_rounding || ratio > 1e-4) {
          accepted = true;
          theta = trial;
          if (!below_rounding && ratio < 0.25) damping = std::max(4 * damping, 1e-3);
          else if (ratio > 0.75 || below_rounding) damping = damping < 1e-4 ? 0 : damping / 6;
        } else if (!corrected && attempt == 0) {
          corrected = true;
          now = solve_quadratic(factor, g, a, values.cwiseQuotient(length) - a * now.step, fixed, working);
          continue;
        }
      }
      if (!accepted) damping = std::max(4 * damping, 1e-3);
    }
    if (!accepted) {
      problem.move_to(theta);
      out.status = Status::NoDescent;
      break;
    }
    --scoring_left;
  }

  out.theta = theta;
  out.discrepancy = problem.value();
  out.active.assign(m, 0);
  out.multipliers = lambda;
  out.violations = Vector::Zero(m);
  Vector unit;
  const Matrix information = unit_information(problem, unit);
  const Constraints at = constraints_at(model, theta);
  std::vector<int> rows;
  for (int k = 0; k < m; ++k) {
    const double size = std::max((at.jacobian.row(k).transpose().cwiseProduct(unit)).norm(), 1e-300);
    out.violations[k] = violation(at.value[k] / size, !equality[k]);
    out.active[k] = working[k] && (equality[k] || std::abs(at.value[k] / size) < 1e-5);
    if (out.active[k]) rows.push_back(k);
  }
  if (out.status != Status::Converged && out.status != Status::Interrupted && m > 0 && out.violations.maxCoeff() > 1e-4)
    out.status = Status::Infeasible;
  // Errors live on the constraints: Z (Z' I Z)^-1 Z', written without Z (Aitchison & Silvey 1958).
  const int w = rows.size();
  Matrix a(w, q);
  for (int i = 0; i < w; ++i) a.row(i) = (at.jacobian.row(rows[i]) * unit.asDiagonal()).normalized();
  Cholesky factor;
  if (factor.compute(information + a.transpose() * a) && factor.diagonal().minCoeff() > 1e-6) {
    Matrix root, inverse;
    factor.inverse(root, inverse);
    if (w > 0) {
      const Matrix reach = inverse * a.transpose();
      inverse -= reach * (a * reach).completeOrthogonalDecomposition().pseudoInverse() * reach.transpose();
    }
    out.covariance = unit.asDiagonal() * inverse * unit.asDiagonal();
    out.inflation = inverse.diagonal();
  }
  return out;
}

}  // namespace

Optimum optimise_constrained(Discrepancy& problem, const Vector& start, const Settings& settings, const Callbacks& callbacks) {
  return with_valley(problem, start, settings, callbacks, constrained_scoring);
}

}  // namespace orizzonte
