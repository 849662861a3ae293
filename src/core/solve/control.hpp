// Settings of all solvers: stopping rules, step sizes, and the recorded history.
#pragma once
#include <functional>
#include <memory>

#include "../model.hpp"

namespace orizzonte {

enum class Status : int {
  Converged = 0,
  IterationLimit = 1,
  NoDescent = 2,   // no admissible step lowers the discrepancy
  NotMinimum = 3,  // stationary, but the Hessian is not positive definite
  Singular = 4,    // the information is singular at the solution
  BadStart = 5,    // the starting values imply no positive definite covariance matrix
  Interrupted = 6,
  Infeasible = 7  // the constraints cannot all hold
};

struct Iteration {
  int method;  // 0 scoring, 1 Newton, 2 Newton within a trust region
  double chisq;
  double decrement;  // lambda^2 = s' I^-1 s, the predicted drop of chi-square
  double damping;    // the radius, for steps within a trust region
};

// Once requested, an interrupt stays requested: everything that shares the token stops, restarts
// included.
class StopToken {
 public:
  StopToken() : StopToken([] { return false; }) {}
  explicit StopToken(std::function<bool()> ask) : state_(std::make_shared<State>()) {
    state_->ask = std::move(ask);
  }
  bool stopped() const {
    if (!state_->asked) state_->asked = state_->ask();
    return state_->asked;
  }

 private:
  struct State {
    std::function<bool()> ask;
    bool asked = false;
  };
  std::shared_ptr<State> state_;
};

// Long work checks `stop` now and then and reports its position to `progress`.
struct Callbacks {
  StopToken stop;
  std::function<void(int, double)> progress = [](int, double) {};
};

struct Settings {
  int iterations = 500;      // within a trust region, after the first ones got stuck; 0: none
  double tolerance = 1e-12;  // on lambda^2
  int fresh_starts = 4;
  bool errors =
      true;  // is the covariance matrix of the parameters wanted (constraints always give it)
  // The start is close to the optimum and standard errors are not needed: Newton steps at once,
  // whose Hessian shows that it is a minimum.
  bool close = false;
  bool all_starts = false;    // also when the first solution leaves no doubt
  bool require_rank = false;  // give up at once when the information is singular at the start
  std::uint64_t seed = 20260101;
  Vector start;  // the caller's starting values by parameter; NaN where there is none,
                 // empty when all start values are the default ones
};

// A matrix scaled to a unit diagonal is taken for singular when a pivot of its factor is smaller.
constexpr double smallest_pivot = 1e-6;
// Levenberg damping of a singular metric, so that a step is possible.
constexpr double singular_damping = 1e-6;

// The length of steps by Levenberg damping, from the predicted and the actual decrease of a step.
class StepControl {
 public:
  explicit StepControl(double n) : rounding_(relative_rounding * n) {}
  double damping() const { return damping_; }
  // Is a predicted change of chi-square too small to show in a difference of two discrepancies?
  bool below_rounding(double predicted) const { return std::abs(predicted) < rounding_; }

  // Accepts or rejects a step; its predicted and actual decrease set the next damping.
  bool accept(double predicted, double drop) {
    if (below_rounding(predicted)) {
      ease();
      return true;
    }
    const double ratio = drop / predicted;
    if (!(ratio > least_ratio)) return false;
    if (ratio < poor_ratio) tighten();
    else if (ratio > good_ratio)
      ease();
    return true;
  }
  void tighten() { damping_ = std::max(4 * damping_, first_damping); }

 private:
  void ease() { damping_ = damping_ < negligible_damping ? 0 : damping_ / 6; }

  static constexpr double relative_rounding = 1e-10;  // of chi-square, per case
  static constexpr double least_ratio = 1e-4;  // of the promised drop, for a step to be taken
  static constexpr double poor_ratio = 0.25;   // below it steps get shorter, above the other longer
  static constexpr double good_ratio = 0.75;
  static constexpr double first_damping = 1e-3;
  static constexpr double negligible_damping = 1e-4;
  double rounding_;
  double damping_ = 0;
};

}  // namespace orizzonte
