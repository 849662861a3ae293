// Shifts observed variables so that their means are near zero.
#pragma once
#include <memory>

#include "../moments/block.hpp"
#include "../moments/cases.hpp"

namespace orizzonte {

// If means are many standard deviations away from zero, the intercept of an outcome and the effects
// of its predictors become collinear in double precision. Shifting the expectations, E = E' + s,
// changes only intercepts: alpha = alpha' + s - B s. The shift of a construct follows from those of
// its predictors, s = B s. Every intercept that changes must be free and have its own parameter;
// otherwise the variables concerned are not shifted. Nothing is shifted if all means are within a
// hundred standard deviations of zero.
class Centring {
 public:
  Centring() = default;
  // `unit` contains the standard deviations of the observed variables for each group.
  Centring(std::shared_ptr<const Model> model, const Sample& sample, const Sequence<Vector>& unit);
  bool active() const { return active_; }

  void remove(Sample& sample) const;
  void remove(Sequence<Cases>& cases) const;

  // Convert parameters of the original problem to those of the centred one, and back.
  Vector inward(const Vector& theta) const;
  Vector outward(const Vector& theta) const;
  // Convert the covariance matrix of parameters, and a small step, at a point of the centred
  // problem to the original problem.
  Matrix outward(const Matrix& covariance, const Vector& theta) const;
  Vector outward_step(const Vector& step, const Vector& theta) const;

 private:
  Vector offset(const Vector& theta) const;    // alpha - alpha' for each parameter
  Matrix jacobian(const Vector& theta) const;  // derivative of the original parameters
  bool choose(const Sequence<Vector>& wanted);
  Vector total_shift(int group, const Matrix& b) const;
  Matrix effects(int group, const Vector& eta) const;
  int intercept(int group, int variable) const;

  bool active_ = false;
  std::shared_ptr<const Model> model_;
  Sequence<Vector> shift_;  // shifts of observed variables for each group
  Sequence<int> moved_;     // the entries of intercepts that change
};

}  // namespace orizzonte
