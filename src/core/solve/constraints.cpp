#include "constraints.hpp"

#include <algorithm>
#include <cmath>

#include "../expression.hpp"
#include "../linear/dense.hpp"

namespace orizzonte {
namespace {

constexpr double met = 1e-10;       // in units of a constraint's gradient
constexpr double longest_step = 2;  // of one restoring step, in units of the parameters
constexpr double on_bound = 1e-8;   // in units of the gradient

}  // namespace

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

Vector constraint_values(const Model& model, const Vector& theta) {
  const Vector eta = model.map(theta);
  Vector out(model.constraints.size());
  for (int k = 0; k < out.size(); ++k)
    out[k] = evaluate(model.constraints[k], model.map, eta).value;
  return out;
}

double violation(double value, bool bound) {
  return bound ? std::max(0.0, -value) : std::abs(value);
}

bool restoring_step(const Model& model, const Vector& theta, double tolerance, Vector& step) {
  step = Vector::Zero(theta.size());
  const Constraints at = constraints_at(model, theta);
  if (!at.finite()) return false;
  Sequence<int> rows;
  for (int k = 0; k < at.value.size(); ++k)
    if (violation(at.value[k], model.constraints[k].bound) >
        tolerance * std::max(at.jacobian.row(k).norm(), shortest_gradient))
      rows.push_back(k);
  if (rows.empty()) return true;
  Matrix a(rows.size(), theta.size());
  Vector c(rows.size());
  for (int i = 0; i < rows.size(); ++i) {
    const double length = at.jacobian.row(rows[i]).norm();
    if (length == 0) return false;
    a.row(i) = at.jacobian.row(rows[i]) / length;
    c[i] = at.value[rows[i]] / length;
  }
  step = -least_squares(a, c);
  return true;
}

bool restore(const Model& model, Vector& theta) {
  Vector trial = theta, step;
  for (int pass = 0; pass < 50; ++pass) {
    if (!restoring_step(model, trial, met, step)) return false;
    const double size = step.norm();
    if (size == 0) {
      theta = trial;
      return true;
    }
    if (size > longest_step) step *= longest_step / size;
    for (int halving = 0; halving < 20 && !constraint_values(model, trial + step).allFinite();
         ++halving)
      step *= 0.5;
    trial += step;
  }
  return false;
}

Matrix equality_directions(const Model& model, const Vector& theta) {
  const Constraints at = constraints_at(model, theta);
  Sequence<int> rows;
  for (int k = 0; k < model.constraints.size(); ++k)
    if (!model.constraints[k].bound && at.jacobian.row(k).norm() > 0) rows.push_back(k);
  Matrix out(rows.size(), theta.size());
  for (int i = 0; i < rows.size(); ++i) out.row(i) = at.jacobian.row(rows[i]).normalized();
  return out;
}

Tangent tangent(const Model& model, const Vector& theta, const Vector& unit,
                const Vector& gradient) {
  const Constraints at = constraints_at(model, theta);
  const int q = to_int(theta.size());
  Sequence<int> rows;
  for (int k = 0; k < at.value.size(); ++k) {
    const double length = at.jacobian.row(k).cwiseProduct(unit.transpose()).norm();
    if (length > 0 && (!model.constraints[k].bound || at.value[k] < on_bound * length))
      rows.push_back(k);
  }
  Vector lambda;
  Matrix a;
  for (;;) {  // bounds whose multiplier pulls inwards are left, the worst first
    a.resize(rows.size(), q);
    for (int i = 0; i < rows.size(); ++i)
      a.row(i) = at.jacobian.row(rows[i]).cwiseProduct(unit.transpose());
    if (rows.empty()) break;
    lambda = -least_squares(a.transpose(), gradient);
    int worst = -1;
    for (int i = 0; i < rows.size(); ++i)
      if (model.constraints[rows[i]].bound && lambda[i] < 0 &&
          (worst < 0 || lambda[i] < lambda[worst]))
        worst = i;
    if (worst < 0) break;
    rows.erase(rows.begin() + worst);
  }
  Tangent out{Matrix::Identity(q, q), Matrix::Zero(q, q), rows, a};
  if (rows.empty()) return out;
  out.basis = orthogonal_complement(a.transpose());
  for (int i = 0; i < rows.size(); ++i)
    out.curvature += lambda[i] * scaled_by(unit, at.hessian[rows[i]]);
  return out;
}

}  // namespace orizzonte
