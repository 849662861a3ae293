// The same problem with the means of observed variables near zero.
#pragma once
#include <memory>

#include "../moments/block.hpp"
#include "../moments/cases.hpp"

namespace orizzonte {

// Where means are many standard deviations away from zero, the intercept of an outcome and the effects
// of its predictors become collinear in double precision. With E = E' + s, alpha = alpha' + s - B s:
// only intercepts change, and s of a construct follows from that of its predictors, s = B s. Every
// intercept that moves must be free and alone; where one is not, the variables behind it stay as they
// are. Nothing is moved while all means are within a hundred standard deviations.
class Centring {
 public:
  Centring() = default;
  // `unit`: standard deviations of the observed variables, by group.
  Centring(std::shared_ptr<const Model> model, const Sample& sample,
           const std::vector<Vector>& unit);
  bool active() const { return active_; }

  void remove(Sample& sample) const;
  void remove(std::vector<Cases>& cases) const;

  // Parameters of the problem as it is <-> of the centred one.
  Vector inward(const Vector& theta) const;
  Vector outward(const Vector& theta) const;
  // The covariance matrix, and a small step, of parameters at a point of the centred problem, of the
  // problem as it is.
  Matrix outward(const Matrix& covariance, const Vector& theta) const;
  Vector outward_step(const Vector& step, const Vector& theta) const;

 private:
  Vector offset(const Vector& theta) const;    // alpha - alpha', by parameter
  Matrix jacobian(const Vector& theta) const;  // of the problem as it is, by the centred one
  bool choose(const std::vector<Vector>& wanted);
  Vector total_shift(int group, const Matrix& b) const;
  Matrix effects(int group, const Vector& eta) const;
  int intercept(int group, int variable) const;

  bool active_ = false;
  std::shared_ptr<const Model> model_;
  std::vector<Vector> shift_;  // of observed variables, by group
  std::vector<int> moved_;     // entries of intercepts that change
};

}  // namespace orizzonte
