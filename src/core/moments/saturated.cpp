#include "saturated.hpp"

#include <cmath>

#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"
#include "../linear/marginal.hpp"

namespace orizzonte {
namespace {

constexpr double left_at_the_end = 1e-10;  // of -2 log L

struct Point {
  Vector mean;
  Matrix covariance;
  double deviance = 0;      // -2 log L at the point from which the step was taken
  bool admissible = false;  // there are moments, and the step that gave them succeeded
};

Sequence<int> others(const Sequence<int>& seen, int size) {
  Sequence<char> is_seen(size, 0);
  for (int v : seen) is_seen[v] = 1;
  Sequence<int> out;
  for (int v = 0; v < size; ++v)
    if (!is_seen[v]) out.push_back(v);
  return out;
}

Matrix part(const Matrix& m, const Sequence<int>& rows, const Sequence<int>& cols) {
  Matrix out(rows.size(), cols.size());
  for (int j = 0; j < cols.size(); ++j)
    for (int i = 0; i < rows.size(); ++i) out(i, j) = m(rows[i], cols[j]);
  return out;
}

Vector part(const Vector& x, const Sequence<int>& rows) {
  Vector out(rows.size());
  for (int i = 0; i < rows.size(); ++i) out[i] = x[rows[i]];
  return out;
}

// The moments of the completed cases of a pattern: missing values are regressed on observed ones.
struct Completed {
  Vector mean;
  Matrix covariance;
};

class Em {
 public:
  Em(const Sequence<Block>& patterns, int size) : size_(size) {
    for (const Block& block : patterns) {
      if (!(block.n > 0)) continue;
      seen_.push_back(block.variables);
      if (block.variables.empty())
        for (int v = 0; v < size; ++v) seen_.back().push_back(v);
      missing_.push_back(others(seen_.back(), size));
      blocks_.push_back(block);
      n_ += block.n;
      uses_whole_ = uses_whole_ || Marginal::pays(seen_.back().size(), missing_.back().size());
    }
    standardize();
  }

  // Are the means and variances of the available cases usable as starting values?
  Saturation usable() const { return usable_; }
  const Vector& centre() const { return centre_; }
  const Vector& unit() const { return unit_; }
  // Converts -2 log L from standard units to the units of the data.
  double deviance_in_units(double standard) const {
    for (int k = 0; k < blocks_.size(); ++k)
      for (int v : seen_[k]) standard += 2 * blocks_[k].n * std::log(unit_[v]);
    return standard;
  }

  // Means and variances of the available cases in standard units, with covariances of zero.
  Point start() const {
    Point out;
    out.mean = Vector::Zero(size_);
    out.covariance = Matrix::Identity(size_, size_);
    out.admissible = usable_ == Saturation::Found;
    return out;
  }
  Point start(const Block& near) const {
    Point out;
    out.mean = (near.mean - centre_).cwiseQuotient(unit_);
    const auto inverse = unit_.cwiseInverse().asDiagonal();
    out.covariance = inverse * near.covariance * inverse;
    out.admissible = usable_ == Saturation::Found && is_finite(out);
    return out;
  }

  // Takes one step. The deviance is that of the starting point. From an inadmissible point no step
  // is taken.
  Point step(const Point& from) const {
    Point out;
    if (!from.admissible) return out;
    out.mean = Vector::Zero(size_);
    Sequence<Completed> completed(blocks_.size());
    Marginal whole;
    const bool whole_ready = uses_whole_ && whole.set(from.covariance);
    for (int k = 0; k < blocks_.size(); ++k) {
      if (!complete(from, k, whole_ready ? &whole : nullptr, completed[k], out.deviance))
        return out;
      out.mean += blocks_[k].n / n_ * completed[k].mean;
    }
    out.covariance = Matrix::Zero(size_, size_);
    for (int k = 0; k < blocks_.size(); ++k) {
      const Vector off = completed[k].mean - out.mean;
      out.covariance += blocks_[k].n / n_ * (completed[k].covariance + off * off.transpose());
    }
    out.admissible = is_finite(out);
    return out;
  }

 private:
  static bool is_finite(const Point& x) {
    return std::isfinite(x.deviance) && x.mean.allFinite() && x.covariance.allFinite();
  }

  // Standardizes the blocks by the means and variances of the available cases.
  void standardize() {
    Vector count = Vector::Zero(size_);
    centre_ = unit_ = count;
    for_each_value([&](int v, double n, double mean, double) {
      count[v] += n;
      centre_[v] += n * mean;
    });
    if (!(count.array() > 0).all()) {
      usable_ = Saturation::Unobserved;
      return;
    }
    centre_ = centre_.cwiseQuotient(count);
    for_each_value([&](int v, double n, double mean, double variance) {
      unit_[v] += n * (variance + (mean - centre_[v]) * (mean - centre_[v]));
    });
    unit_ = unit_.cwiseQuotient(count).cwiseSqrt();
    if (!(unit_.array() > 0).all() || !unit_.allFinite() || !centre_.allFinite()) {
      usable_ = Saturation::Constant;
      return;
    }
    for (int k = 0; k < blocks_.size(); ++k) {
      const Vector unit = part(unit_, seen_[k]);
      const auto inverse = unit.cwiseInverse().asDiagonal();
      blocks_[k].mean = (blocks_[k].mean - part(centre_, seen_[k])).cwiseQuotient(unit);
      blocks_[k].covariance = inverse * blocks_[k].covariance * inverse;
    }
  }

  // f(variable, n, mean, variance) for each variable of each pattern.
  template <class F>
  void for_each_value(F&& f) const {
    for (int k = 0; k < blocks_.size(); ++k)
      for (int i = 0; i < seen_[k].size(); ++i)
        f(seen_[k][i], blocks_[k].n, blocks_[k].mean[i], blocks_[k].covariance(i, i));
  }

  // `whole` is used for patterns that miss few variables.
  bool complete(const Point& at, int k, Marginal* whole, Completed& out, double& deviance) const {
    const Sequence<int>&o = seen_[k], &m = missing_[k];
    const Block& block = blocks_[k];
    Matrix w, slope, left;
    double log_determinant;
    if (Marginal::pays(o.size(), m.size())) {
      if (!whole || !whole->select(o, m, w)) return false;
      if (!m.empty()) {
        slope = whole->slope;
        left = whole->left;
      }
      log_determinant = whole->log_determinant;
    } else {
      Cholesky factor;
      if (!factor.compute(part(at.covariance, o, o))) return false;
      Matrix root;
      factor.inverse(root, w);
      if (!m.empty()) {
        const Matrix cross = part(at.covariance, m, o);
        slope = cross * w;
        left = part(at.covariance, m, m) - slope * cross.transpose();
      }
      log_determinant = factor.log_determinant();
    }
    const Vector d = block.mean - part(at.mean, o);
    deviance += block.n * (log_determinant + block.covariance.cwiseProduct(w).sum() + d.dot(w * d));
    out.mean.resize(size_);
    out.covariance.resize(size_, size_);
    if (m.empty()) {  // in the order of the pattern, which need not be that of the variables
      for (int i = 0; i < o.size(); ++i) {
        out.mean[o[i]] = block.mean[i];
        for (int j = 0; j < o.size(); ++j) out.covariance(o[i], o[j]) = block.covariance(i, j);
      }
      return true;
    }
    const Vector expected = part(at.mean, m) + slope * d;
    const Matrix with_seen = slope * block.covariance;
    const Matrix own = with_seen * slope.transpose() + left;
    for (int i = 0; i < o.size(); ++i) {
      out.mean[o[i]] = block.mean[i];
      for (int j = 0; j < o.size(); ++j) out.covariance(o[i], o[j]) = block.covariance(i, j);
      for (int j = 0; j < m.size(); ++j)
        out.covariance(o[i], m[j]) = out.covariance(m[j], o[i]) = with_seen(j, i);
    }
    for (int i = 0; i < m.size(); ++i) {
      out.mean[m[i]] = expected[i];
      for (int j = 0; j < m.size(); ++j) out.covariance(m[i], m[j]) = own(i, j);
    }
    return true;
  }

  int size_;
  double n_ = 0;
  bool uses_whole_ = false;
  Saturation usable_ = Saturation::Found;
  Sequence<Block> blocks_;  // in standard units
  Vector centre_, unit_;
  Sequence<Sequence<int>> seen_, missing_;
};

// x0 - 2 a r + a^2 v with r = x1 - x0, v = (x2 - x1) - r, a = -|r| / |v|, in units of the standard
// deviations. All three points are admissible.
Point extrapolated(const Point& x0, const Point& x1, const Point& x2) {
  const Vector unit = x0.covariance.diagonal().cwiseSqrt().cwiseInverse();
  const Vector r = x1.mean - x0.mean, v = x2.mean - x1.mean - r;
  const Matrix rs = x1.covariance - x0.covariance, vs = x2.covariance - x1.covariance - rs;
  const auto size = [&](const Vector& a, const Matrix& b) {
    return std::sqrt(unit.cwiseProduct(a).squaredNorm() + scaled_by(unit, b).squaredNorm());
  };
  const double turn = size(v, vs);
  Point out = x2;
  if (!(turn > 0)) return out;
  const double a = -std::max(1.0, size(r, rs) / turn);
  out.mean = x0.mean - 2 * a * r + a * a * v;
  out.covariance = x0.covariance - 2 * a * rs + a * a * vs;
  return out;
}

// The remaining decrease, extrapolated from the ratio of two decreases.
double left_to_fall(double first, double second) {
  if (!(first > 0) || !(second > 0)) return 0;
  const double ratio = std::min(second / first, 1 - 1e-9);
  return second * ratio / (1 - ratio);
}

}  // namespace

Saturated saturated_moments(const Sequence<Block>& patterns, int size, const Block* near,
                            int most) {
  const Em em(patterns, size);
  Saturated out;
  out.status = em.usable();
  if (!out.found()) return out;
  out.status = Saturation::Unfinished;
  Point now = near ? em.start(*near) : em.start();
  for (; out.iterations < most && out.status == Saturation::Unfinished; ++out.iterations) {
    const Point first = em.step(now), second = em.step(first), third = em.step(second);
    if (!third.admissible) {
      out.status = Saturation::Degenerate;
      return out;
    }
    // deviances of now, first and second
    const double fall = first.deviance - second.deviance, next = second.deviance - third.deviance;
    const Point from_far = em.step(extrapolated(now, first, second));
    now = from_far.admissible && from_far.deviance < third.deviance ? from_far : third;
    const double rounding = 1e-14 * (1 + std::abs(third.deviance));
    if (std::abs(fall) <= rounding || left_to_fall(fall, next) < left_at_the_end)
      out.status = Saturation::Found;
  }
  const Point last = em.step(now);
  if (!last.admissible) {
    out.status = Saturation::Degenerate;
    return out;
  }
  out.minus_two_log_likelihood = em.deviance_in_units(last.deviance);
  out.mean = em.centre() + em.unit().cwiseProduct(now.mean);
  out.covariance = scaled_by(em.unit(), now.covariance);
  return out;
}

}  // namespace orizzonte
