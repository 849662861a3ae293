#include "matrices.hpp"
#include "linear/dense.hpp"

namespace orizzonte {

Sequence<Implied> implied(const Model& model, const Vector& eta) {
  Sequence<Implied> out(model.groups.size());
  for (int g = 0; g < out.size(); ++g) {
    const int v = model.groups[g].variables;
    out[g].effects = Matrix::Zero(v, v);
    out[g].residual = Matrix::Zero(v, v);
    out[g].intercepts = Vector::Zero(v);
  }
  for (int e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    Implied& group = out[entry.group];
    switch (entry.family) {
      case Family::Effect:
        group.effects(entry.row, entry.col) = eta[e];
        break;
      case Family::Covariance:
        group.residual(entry.row, entry.col) = group.residual(entry.col, entry.row) = eta[e];
        break;
      case Family::Mean:
        group.intercepts[entry.row] = eta[e];
        break;
    }
  }
  for (Implied& group : out) {
    const int v = to_int(group.effects.rows());
    group.total = inverse_of(Matrix::Identity(v, v) - group.effects);
    group.covariance = group.total * group.residual * group.total.transpose();
    group.mean = group.total * group.intercepts;
  }
  return out;
}

Sequence<GroupLayout> arrange(const Model& model) {
  Sequence<GroupLayout> out(model.groups.size());
  for (int g = 0; g < out.size(); ++g) {
    GroupLayout& layout = out[g];
    layout.observed = model.groups[g].observed;
    layout.variables = model.groups[g].variables;
    Sequence<char> inner(layout.variables, 0);
    for (int v = layout.observed; v < layout.variables; ++v) inner[v] = 1;
    layout.entries.reserve(model.entries.size());
    for (int e = 0; e < model.entries.size(); ++e) {
      const Entry& entry = model.entries[e];
      if (entry.group != g) continue;
      layout.entries.push_back(e);
      if (entry.family == Family::Effect) inner[entry.col] = 1;
    }
    layout.position.assign(layout.variables, 0);
    int next = 0;
    for (int v = 0; v < layout.variables; ++v)
      if (!inner[v]) layout.position[v] = next++;
    layout.leaves = next;
    for (int v = 0; v < layout.variables; ++v)
      if (inner[v]) layout.position[v] = next++;
  }
  return out;
}

Matrix to_internal(const GroupLayout& layout, const Matrix& m) {
  Matrix out(layout.observed, layout.observed);
  for (int j = 0; j < layout.observed; ++j)
    for (int i = 0; i < layout.observed; ++i) out(layout.position[i], layout.position[j]) = m(i, j);
  return out;
}

Vector to_internal(const GroupLayout& layout, const Vector& m) {
  Vector out(layout.observed);
  for (int i = 0; i < layout.observed; ++i) out[layout.position[i]] = m[i];
  return out;
}

void GroupMatrices::invert_paths(bool paths) {
  const int c = to_int(inner_effects.rows());
  determinant = 1;
  total.setIdentity(c, c);
  if (!paths) {
    phi = psi.bottomRightCorner(c, c);
    return;
  }
  part_ = total - inner_effects;
  lu_.compute(part_);
  determinant = lu_.determinant();
  const auto& order = lu_.permutationP().indices();
  total.setZero();
  for (int i = 0; i < c; ++i) total(order[i], i) = 1;
  lu_.matrixLU().triangularView<Eigen::UnitLower>().solveInPlace(total);
  lu_.matrixLU().triangularView<Eigen::Upper>().solveInPlace(total);
  part_.noalias() = total * psi.bottomRightCorner(c, c);
  phi.noalias() = part_ * total.transpose();
}

void GroupMatrices::update(const Model& model, const GroupLayout& layout, const Vector& eta) {
  const int v = layout.variables, l = layout.leaves, c = layout.inner(), p = layout.observed;
  const int inner_observed = p - l;
  loadings.setZero(l, c);
  inner_effects.setZero(c, c);
  psi.setZero(v, v);
  alpha.setZero(v);
  bool paths = false, across = false;
  for (int e : layout.entries) {
    const Entry& entry = model.entries[e];
    const int i = layout.position[entry.row];
    if (entry.family == Family::Mean) {
      alpha[i] = eta[e];
      continue;
    }
    const int j = layout.position[entry.col];
    if (entry.family == Family::Covariance) {
      psi(i, j) = psi(j, i) = eta[e];
      across = across || ((i < l) != (j < l));
    } else if (i < l) {
      loadings(i, j - l) = eta[e];
    } else {
      inner_effects(i - l, j - l) = eta[e];
      paths = true;
    }
  }
  invert_paths(paths);
  tall.resize(p, 2 * c);
  if (paths) tall.topLeftCorner(l, c).noalias() = loadings * total;
  else
    tall.topLeftCorner(l, c) = loadings;
  tall.topRightCorner(l, c).noalias() = loadings * phi;
  tall.bottomLeftCorner(inner_observed, c) = total.topRows(inner_observed);
  tall.bottomRightCorner(inner_observed, c) = phi.topRows(inner_observed);

  sigma.resize(p, p);
  // cov(leaves) = Lambda Phi Lambda' + Psi_LL, plus cross terms when a leaf's residual covaries
  // with an inner one's
  sigma.topLeftCorner(l, l).noalias() = tall.topRightCorner(l, c) * loadings.transpose();
  sigma.topLeftCorner(l, l) += psi.topLeftCorner(l, l);
  if (across) {
    cross_.noalias() = psi.topRightCorner(l, c) * total.transpose();
    tall.topRightCorner(l, c) += cross_;
    leaf_part_.noalias() = cross_ * loadings.transpose();
    sigma.topLeftCorner(l, l) += leaf_part_ + leaf_part_.transpose();
  }
  sigma.bottomRightCorner(inner_observed, inner_observed) =
      phi.topLeftCorner(inner_observed, inner_observed);
  if (l > 0 && inner_observed > 0) {
    sigma.topRightCorner(l, inner_observed) = tall.block(0, c, l, inner_observed);
    sigma.bottomLeftCorner(inner_observed, l) = sigma.topRightCorner(l, inner_observed).transpose();
  }

  mean.resize(v);
  if (model.means) {
    mean.tail(c).noalias() = total * alpha.tail(c);
    mean.head(l).noalias() = loadings * mean.tail(c);
    mean.head(l) += alpha.head(l);
  } else {
    mean.setZero();
  }
}

}  // namespace orizzonte
