#include "centring.hpp"
#include "../linear/dense.hpp"

#include <cmath>
#include <map>
#include <utility>

namespace orizzonte {
namespace {

constexpr double far_away = 100;  // standard deviations

}  // namespace

Centring::Centring(std::shared_ptr<const Model> model, const Sample& sample,
                   const Sequence<Vector>& unit)
    : model_(std::move(model)) {
  if (!model_->means) return;
  double furthest = 0;
  for (int g = 0; g < sample.size(); ++g) {
    if (sample[g].mean.size() == 0) return;
    furthest = std::max(furthest, sample[g].mean.cwiseQuotient(unit[g]).cwiseAbs().maxCoeff());
  }
  if (!(furthest > far_away) || !std::isfinite(furthest)) return;
  // intercepts that are held equal are shifted together
  std::map<int, std::pair<double, int>> together;
  const auto each = [&](auto&& f) {
    for (int g = 0; g < sample.size(); ++g)
      for (int v = 0; v < model_->groups[g].observed; ++v) {
        const int e = intercept(g, v);
        if (e >= 0) f(g, v, model_->map.rows[e][0]);
      }
  };
  each([&](int g, int v, const Term& term) {
    together[term.parameter].first += sample[g].mean[v] / term.weight;
    ++together[term.parameter].second;
  });
  Sequence<Vector> wanted;
  for (const Shape& shape : model_->groups) wanted.push_back(Vector::Zero(shape.observed));
  each([&](int g, int v, const Term& term) {
    const auto& mean = together[term.parameter];
    wanted[g][v] = term.weight * mean.first / mean.second;
  });
  active_ = choose(wanted);
  if (active_) return;
  // variables that are not predictors can be shifted on their own
  for (const Entry& entry : model_->entries)
    if (entry.family == Family::Effect && entry.col < model_->groups[entry.group].observed)
      wanted[entry.group][entry.col] = 0;
  active_ = choose(wanted);
}

// Returns the entry of a free intercept with a single parameter, or -1.
int Centring::intercept(int group, int variable) const {
  for (int e = 0; e < model_->entries.size(); ++e) {
    const Entry& entry = model_->entries[e];
    if (entry.family == Family::Mean && entry.group == group && entry.row == variable)
      return model_->map.rows[e].size() == 1 && model_->map.rows[e][0].weight != 0 ? e : -1;
  }
  return -1;
}

// Accepts the shifts if every intercept that changes is free and has its own parameter, or is held
// equal to intercepts that change by the same constant.
bool Centring::choose(const Sequence<Vector>& wanted) {
  shift_ = wanted;
  moved_.clear();
  Sequence<int> used(model_->map.parameters, 0);
  for (const Terms& terms : model_->map.rows)
    for (const Term& term : terms) ++used[term.parameter];
  Sequence<char> bound(model_->entries.size(), 0);
  for (const Constraint& constraint : model_->constraints)
    for (int e : constraint.inputs) bound[e] = 1;
  // for each shared parameter, the constant and the number of entries
  std::map<int, std::pair<double, int>> shared;
  for (int g = 0; g < wanted.size(); ++g) {
    // find the variables that are shifted, or whose predictors are
    const Shape& shape = model_->groups[g];
    Sequence<char> shifted(shape.variables, 0), inherits(shape.variables, 0);
    for (int v = 0; v < shape.observed; ++v) shifted[v] = wanted[g][v] != 0;
    for (int pass = 0; pass < shape.variables; ++pass)
      for (const Entry& entry : model_->entries)
        if (entry.family == Family::Effect && entry.group == g && shifted[entry.col]) {
          inherits[entry.row] = 1;
          if (entry.row >= shape.observed) shifted[entry.row] = 1;
        }
    for (int v = 0; v < shape.observed; ++v) {
      if (!shifted[v] && !inherits[v]) continue;
      const int e = intercept(g, v);
      if (e < 0 || bound[e]) return false;
      const Term& term = model_->map.rows[e][0];
      if (used[term.parameter] > 1) {
        if (inherits[v]) return false;
        auto found = shared.emplace(term.parameter, std::make_pair(wanted[g][v] / term.weight, 0));
        if (std::abs(found.first->second.first - wanted[g][v] / term.weight) >
            1e-12 * std::abs(found.first->second.first))
          return false;
        ++found.first->second.second;
      }
      moved_.push_back(e);
    }
  }
  for (const auto& one : shared)
    if (one.second.second != used[one.first]) return false;
  return !moved_.empty();
}

void Centring::remove(Sample& sample) const {
  if (!active_) return;
  for (int g = 0; g < sample.size(); ++g) sample[g].mean -= shift_[g];
  for (Block& pattern : sample.patterns) {
    const Vector& shift = shift_[pattern.group];
    if (pattern.variables.empty()) pattern.mean -= shift;
    for (int i = 0; i < pattern.variables.size(); ++i)
      pattern.mean[i] -= shift[pattern.variables[i]];
  }
}

void Centring::remove(Sequence<Cases>& cases) const {
  if (!active_) return;
  for (int g = 0; g < cases.size(); ++g) cases[g].values = centred(cases[g].values, shift_[g]);
}

Matrix Centring::effects(int group, const Vector& eta) const {
  const int size = model_->groups[group].variables;
  Matrix b = Matrix::Zero(size, size);
  for (int e = 0; e < model_->entries.size(); ++e) {
    const Entry& entry = model_->entries[e];
    if (entry.family == Family::Effect && entry.group == group) b(entry.row, entry.col) = eta[e];
  }
  return b;
}

// The shifts s of observed variables are given; those of constructs satisfy (I - B) s = 0.
Vector Centring::total_shift(int group, const Matrix& b) const {
  const int observed = model_->groups[group].observed, size = to_int(b.rows());
  const int latent = size - observed;
  Vector s = Vector::Zero(size);
  s.head(observed) = shift_[group];
  if (latent > 0)
    s.tail(latent) =
        inverse_of(Matrix::Identity(latent, latent) - b.bottomRightCorner(latent, latent)) *
        (b.bottomLeftCorner(latent, observed) * shift_[group]);
  return s;
}

Vector Centring::offset(const Vector& theta) const {
  Vector out = Vector::Zero(theta.size());
  const Vector eta = model_->map(theta);
  Sequence<Vector> change;
  for (int g = 0; g < shift_.size(); ++g) {
    const Matrix b = effects(g, eta);
    const Vector s = total_shift(g, b);
    change.push_back(s - b * s);
  }
  for (int e : moved_) {
    const Entry& entry = model_->entries[e];
    const Term& term = model_->map.rows[e][0];
    out[term.parameter] = change[entry.group][entry.row] / term.weight;
  }
  return out;
}

// The derivative of s - B s with respect to an effect of j on i is -s_j in row i if i is observed.
// For a construct i, the shifts of constructs change by s_j times column i of (I - B_cc)^-1, and
// the rows of observed variables by -B times that change.
Matrix Centring::jacobian(const Vector& theta) const {
  Matrix out = Matrix::Identity(theta.size(), theta.size());
  const Vector eta = model_->map(theta);
  for (int g = 0; g < shift_.size(); ++g) {
    const int group = g, observed = model_->groups[g].observed;
    const Matrix b = effects(group, eta);
    const Vector s = total_shift(group, b);
    const int latent = to_int(b.rows()) - observed;
    const Matrix inverse =
        inverse_of(Matrix::Identity(latent, latent) - b.bottomRightCorner(latent, latent));
    const Matrix along = b.topRightCorner(observed, latent) * inverse;
    for (int e = 0; e < model_->entries.size(); ++e) {
      const Entry& entry = model_->entries[e];
      if (entry.family != Family::Effect || entry.group != group || s[entry.col] == 0) continue;
      Vector change = Vector::Zero(observed);
      if (entry.row < observed) change[entry.row] = -s[entry.col];
      else
        change = -along.col(entry.row - observed) * s[entry.col];
      for (int moved : moved_) {
        const Entry& target = model_->entries[moved];
        if (target.group != group || change[target.row] == 0) continue;
        const Term& own = model_->map.rows[moved][0];
        for (const Term& term : model_->map.rows[e])
          out(own.parameter, term.parameter) += change[target.row] / own.weight * term.weight;
      }
    }
  }
  return out;
}

Vector Centring::inward(const Vector& theta) const {
  return active_ ? Vector(theta - offset(theta)) : theta;
}
// The effects are the same in both problems, and therefore the offset is the same.
Vector Centring::outward(const Vector& theta) const {
  return active_ ? Vector(theta + offset(theta)) : theta;
}
Matrix Centring::outward(const Matrix& covariance, const Vector& theta) const {
  if (!active_) return covariance;
  const Matrix by = jacobian(theta);
  return by * covariance * by.transpose();
}
Vector Centring::outward_step(const Vector& step, const Vector& theta) const {
  return active_ ? Vector(jacobian(theta) * step) : step;
}

}  // namespace orizzonte
