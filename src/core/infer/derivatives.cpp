#include "derivatives.hpp"

#include <cmath>
#include <limits>

namespace orizzonte {
namespace {

constexpr double undefined = std::numeric_limits<double>::quiet_NaN();

// A value with its gradient by the entries of the model.
struct Differentiated {
  double value = undefined;
  Vector by_entry;
};

class Engine {
 public:
  Engine(const Model& model, const Vector& eta, const Sequence<Sequence<char>>& plain)
      : model_(model),
        eta_(eta),
        plain_(plain),
        at_(implied(model, eta)),
        entries_(at_.size()),
        variance_(at_.size()) {
    for (int g = 0; g < at_.size(); ++g) variance_[g].assign(model.groups[g].variables, -1);
    for (int e = 0; e < model.entries.size(); ++e) {
      const Entry& entry = model.entries[e];
      entries_[entry.group].push_back(e);
      if (entry.family == Family::Covariance && entry.row == entry.col)
        variance_[entry.group][entry.row] = e;
    }
  }

  Differentiated at(const Wanted& wanted) const {
    const int g = wanted.group, a = wanted.a, b = wanted.b;
    switch (wanted.what) {
      case Quantity::Entry:
        return entry(a);
      case Quantity::Standardized:
        return standardized(a);
      case Quantity::Covariance:
        return covariance(g, a, b);
      case Quantity::Mean:
        return mean(g, a);
      case Quantity::Total:
        return total(g, a, b);
      case Quantity::Indirect:
        return indirect(g, a, b);
      case Quantity::Correlation:
        return correlation(g, a, b);
      case Quantity::RSquared:
        return r_squared(g, a);
      default:
        return sd_ratio(g, a, b);
    }
  }

 private:
  Differentiated zero(double value) const { return {value, Vector::Zero(model_.entries.size())}; }

  Differentiated entry(int e) const {
    Differentiated out = zero(eta_[e]);
    out.by_entry[e] = 1;
    return out;
  }

  // d Phi_ab / d B_ij = T_ai Phi_jb + Phi_aj T_bi; d Phi_ab / d Psi_ij = T_ai T_bj + T_aj T_bi,
  // halved when i = j (McArdle & McDonald 1984).
  Differentiated covariance(int g, int a, int b) const {
    const Matrix &t = at_[g].total, &phi = at_[g].covariance;
    Differentiated out = zero(phi(a, b));
    for (int e : entries_[g]) {
      const int i = model_.entries[e].row, j = model_.entries[e].col;
      if (model_.entries[e].family == Family::Effect) {
        out.by_entry[e] = t(a, i) * phi(j, b) + phi(a, j) * t(b, i);
      } else if (model_.entries[e].family == Family::Covariance) {
        const double both = t(a, i) * t(b, j) + t(a, j) * t(b, i);
        out.by_entry[e] = i == j ? both / 2 : both;
      }
    }
    return out;
  }

  // E = T alpha: d E_a / d B_ij = T_ai E_j, d E_a / d alpha_i = T_ai.
  Differentiated mean(int g, int a) const {
    Differentiated out = zero(at_[g].mean[a]);
    for (int e : entries_[g]) {
      const Entry& entry = model_.entries[e];
      if (entry.family == Family::Effect)
        out.by_entry[e] = at_[g].total(a, entry.row) * at_[g].mean[entry.col];
      else if (entry.family == Family::Mean)
        out.by_entry[e] = at_[g].total(a, entry.row);
    }
    return out;
  }

  // d T_ba / d B_ij = T_bi T_ja.
  Differentiated total(int g, int from, int to) const {
    const Matrix& t = at_[g].total;
    Differentiated out = zero(t(to, from) - (from == to ? 1 : 0));
    for (int e : entries_[g])
      if (model_.entries[e].family == Family::Effect)
        out.by_entry[e] = t(to, model_.entries[e].row) * t(model_.entries[e].col, from);
    return out;
  }

  Differentiated indirect(int g, int from, int to) const {
    Differentiated out = total(g, from, to);
    for (int e : entries_[g]) {
      const Entry& entry = model_.entries[e];
      if (entry.family != Family::Effect || entry.row != to || entry.col != from) continue;
      out.value -= eta_[e];
      out.by_entry[e] -= 1;
    }
    return out;
  }

  Differentiated correlation(int g, int a, int b) const {
    Differentiated out = covariance(g, a, b);
    const Differentiated one = covariance(g, a, a), two = covariance(g, b, b);
    if (!(one.value > 0) || !(two.value > 0)) return zero(undefined);
    const double size = std::sqrt(one.value * two.value);
    out.value /= size;
    out.by_entry =
        out.by_entry / size - out.value / 2 * (one.by_entry / one.value + two.by_entry / two.value);
    return out;
  }

  // 1 - residual variance / variance; a variable without a residual is explained completely.
  Differentiated r_squared(int g, int a) const {
    const Differentiated all = covariance(g, a, a);
    if (variance_[g][a] < 0) return zero(1);
    if (!(all.value > 0)) return zero(undefined);
    const Differentiated own = entry(variance_[g][a]);
    return {1 - own.value / all.value,
            -own.by_entry / all.value + own.value / (all.value * all.value) * all.by_entry};
  }

  // d log sd = d Phi_aa / (2 Phi_aa); zero for variables that count as having a standard deviation
  // of 1.
  Differentiated sd_ratio(int g, int a, int b) const {
    Differentiated out = zero(1);
    for (int side : {1, -1}) {
      const int v = side > 0 ? a : b;
      if (plain_[g][v]) continue;
      const Differentiated own = covariance(g, v, v);
      if (!(own.value > 0)) return zero(undefined);
      out.value *= std::pow(own.value, 0.5 * side);
      out.by_entry += side * own.by_entry / (2 * own.value);
    }
    out.by_entry *= out.value;
    return out;
  }

  // Effects times sd(cause) / sd(outcome); covariances over the two (residual) standard deviations;
  // variances over the total variance; means over the total standard deviation.
  Differentiated standardized(int e) const {
    const Entry& entry = model_.entries[e];
    const int g = entry.group, i = entry.row, j = entry.col;
    if (entry.family == Family::Effect) return times(e, sd_ratio(g, j, i));
    if (entry.family == Family::Covariance && i != j) return residual_correlation(e);
    const Differentiated all = covariance(g, i, i);
    if (!(all.value > 0)) return zero(undefined);
    const double power = entry.family == Family::Covariance ? -1 : -0.5;
    const double scale = std::pow(all.value, power);
    return times(e, {scale, power * scale / all.value * all.by_entry});
  }

  Differentiated times(int e, const Differentiated& by) const {
    if (std::isnan(by.value)) return zero(undefined);
    Differentiated out{eta_[e] * by.value, eta_[e] * by.by_entry};
    out.by_entry[e] += by.value;
    return out;
  }

  Differentiated residual_correlation(int e) const {
    const Entry& entry = model_.entries[e];
    const int vi = variance_[entry.group][entry.row], vj = variance_[entry.group][entry.col];
    if (vi < 0 || vj < 0 || !(eta_[vi] > 0) || !(eta_[vj] > 0)) return zero(undefined);
    const double scale = 1 / std::sqrt(eta_[vi] * eta_[vj]);
    Differentiated out = zero(eta_[e] * scale);
    out.by_entry[e] += scale;
    out.by_entry[vi] -= 0.5 * out.value / eta_[vi];
    out.by_entry[vj] -= 0.5 * out.value / eta_[vj];
    return out;
  }

  const Model& model_;
  const Vector& eta_;
  const Sequence<Sequence<char>>& plain_;
  Sequence<Implied> at_;
  Sequence<Sequence<int>> entries_,
      variance_;  // by group: its entries; each variable's variance, or -1
};

}  // namespace

Derived derive(const Model& model, const Vector& eta, const Sequence<Wanted>& wanted,
               const Sequence<Sequence<char>>& plain) {
  const Engine engine(model, eta, plain);
  const int size = wanted.size();
  Derived out{Vector(size), Matrix::Zero(size, model.map.parameters)};
  for (int k = 0; k < size; ++k) {
    const Differentiated point = engine.at(wanted[k]);
    out.value[k] = point.value;
    for (int e = 0; e < model.entries.size(); ++e) {
      if (point.by_entry[e] == 0) continue;
      for (const Term& term : model.map.rows[e])
        out.gradient(k, term.parameter) += term.weight * point.by_entry[e];
    }
  }
  return out;
}

// Most quantities depend on few parameters: those of their group, or of two constructs.
Vector delta_errors(const Eigen::Ref<const Matrix>& gradient,
                    const Eigen::Ref<const Matrix>& covariance) {
  const int rows = to_int(gradient.rows()), q = to_int(gradient.cols());
  Vector variance = Vector::Zero(rows);
  Sequence<int> full, moved;
  for (int i = 0; i < rows; ++i) {
    moved.clear();
    for (int k = 0; k < q; ++k)
      if (gradient(i, k) != 0) moved.push_back(k);
    if (4.0 * moved.size() * moved.size() > 1.0 * q * q) {
      full.push_back(i);
      continue;
    }
    for (int a = 0; a < moved.size(); ++a) {
      double half = 0.5 * gradient(i, moved[a]) * covariance(moved[a], moved[a]);
      for (int b = 0; b < a; ++b) half += gradient(i, moved[b]) * covariance(moved[b], moved[a]);
      variance[i] += 2 * gradient(i, moved[a]) * half;
    }
  }
  Matrix part(full.size(), q);
  for (int k = 0; k < full.size(); ++k) part.row(k) = gradient.row(full[k]);
  const Matrix product = part * covariance;
  for (int k = 0; k < full.size(); ++k) variance[full[k]] = product.row(k).dot(part.row(k));
  return variance.cwiseMax(0).cwiseSqrt();
}

}  // namespace orizzonte
