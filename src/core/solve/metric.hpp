// The information as a metric: scaled to a unit diagonal (Jacobi), with its factor.
#pragma once
#include "../linear/dense.hpp"
#include "../objective/objective.hpp"
#include "control.hpp"

namespace orizzonte {

class Metric {
 public:
  void set(Objective& problem, Information kind) {
    problem.information(kind, matrix_);
    matrix_.diagonal(unit_);
    positive_ = unit_.size() == 0 || unit_.minCoeff() > 0;
    for (int i = 0; i < unit_.size(); ++i) unit_[i] = unit_[i] > 0 ? 1 / std::sqrt(unit_[i]) : 0;
    matrix_.scale(unit_);
    if (positive_ && unit_.size() > 0)
      positive_ = damp(0) && factor_.smallest_pivot() > smallest_pivot;
  }
  bool damp(double damping) { return factor_.compute(matrix_, damping); }
  // Positive definite by a safe margin.
  bool positive() const { return positive_; }

  // M^-1 x (M with the damping requested last) and x' M x.
  void solve(const Vector& x, Vector& out) const {
    out = x.cwiseProduct(unit_);
    factor_.solve(out);
    out.array() *= unit_.array();
  }
  double quadratic(const Vector& x) const {
    scaled_ = x.cwiseQuotient(unit_);
    return matrix_.quadratic(scaled_);
  }
  Matrix inverse() const { return scaled_by(unit_, factor_.inverse()); }
  Vector inverse_diagonal() const { return factor_.inverse_diagonal(); }  // of the scaled matrix
  const Vector& unit() const { return unit_; }

 private:
  Arrow matrix_;
  ArrowFactor factor_;
  Vector unit_;
  mutable Vector scaled_;
  bool positive_ = false;
};

}  // namespace orizzonte
