#include "standardize.hpp"

#include <cmath>
#include <limits>

namespace orizzonte {

Standardized standardize(const Model& model, const Vector& eta) {
  const int entries = model.entries.size(), q = model.map.parameters;
  const std::vector<Implied> all = implied(model, eta);
  Standardized out;
  out.value = Vector::Constant(entries, std::numeric_limits<double>::quiet_NaN());
  out.jacobian = Matrix::Zero(entries, q);
  for (size_t g = 0; g < all.size(); ++g) {
    out.variances.push_back(all[g].covariance.diagonal());
    Matrix jacobian = Matrix::Zero(model.groups[g].variables, q);
    // d Phi_vv / d B_kl = 2 T_vk Phi_lv; d Phi_vv / d Psi_kl = 2 T_vk T_vl (once when k = l)
    for (int e = 0; e < entries; ++e) {
      const Entry& entry = model.entries[e];
      if (entry.group != static_cast<int>(g) || entry.family == Family::Mean || model.map.rows[e].empty()) continue;
      Vector d;
      if (entry.family == Family::Effect)
        d = 2 * all[g].total.col(entry.row).cwiseProduct(all[g].covariance.col(entry.col));
      else
        d = (entry.row == entry.col ? 1 : 2) * all[g].total.col(entry.row).cwiseProduct(all[g].total.col(entry.col));
      for (const Term& term : model.map.rows[e]) jacobian.col(term.parameter) += term.weight * d;
    }
    out.variance_jacobians.push_back(jacobian);
  }
  std::vector<std::vector<int>> variance_entry(all.size());
  for (size_t g = 0; g < all.size(); ++g) variance_entry[g].assign(model.groups[g].variables, -1);
  for (int e = 0; e < entries; ++e) {
    const Entry& entry = model.entries[e];
    if (entry.family == Family::Covariance && entry.row == entry.col) variance_entry[entry.group][entry.row] = e;
  }
  const auto add = [&](int target, int e, double weight) {
    for (const Term& term : model.map.rows[e]) out.jacobian(target, term.parameter) += weight * term.weight;
  };
  for (int e = 0; e < entries; ++e) {
    const Entry& entry = model.entries[e];
    const Vector& h = out.variances[entry.group];
    const Matrix& dh = out.variance_jacobians[entry.group];
    const int i = entry.row, j = entry.col;
    const auto relative = [&](int v) { return 0.5 / h[v] * dh.row(v); };  // d log sd(v)
    if (entry.family == Family::Effect && h[i] > 0 && h[j] > 0) {
      const double ratio = std::sqrt(h[j] / h[i]);
      out.value[e] = eta[e] * ratio;
      out.jacobian.row(e) = out.value[e] * (relative(j) - relative(i));
      add(e, e, ratio);
    } else if (entry.family == Family::Covariance && i == j && h[i] > 0) {
      out.value[e] = eta[e] / h[i];
      out.jacobian.row(e) = -2 * out.value[e] * relative(i);
      add(e, e, 1 / h[i]);
    } else if (entry.family == Family::Covariance && i != j) {
      const int vi = variance_entry[entry.group][i], vj = variance_entry[entry.group][j];
      if (vi < 0 || vj < 0 || !(eta[vi] > 0) || !(eta[vj] > 0)) continue;
      const double scale = 1 / std::sqrt(eta[vi] * eta[vj]);
      out.value[e] = eta[e] * scale;
      add(e, e, scale);
      add(e, vi, -0.5 * out.value[e] / eta[vi]);
      add(e, vj, -0.5 * out.value[e] / eta[vj]);
    } else if (entry.family == Family::Mean && h[i] > 0) {
      out.value[e] = eta[e] / std::sqrt(h[i]);
      out.jacobian.row(e) = -out.value[e] * relative(i);
      add(e, e, 1 / std::sqrt(h[i]));
    }
  }
  return out;
}

}  // namespace orizzonte
