#include "discrepancy.hpp"

#include <cmath>

namespace orizzonte {

Discrepancy::Discrepancy(const Model& model, const std::vector<Moments>& sample) : model_(model) {
  std::vector<GroupLayout> layouts = arrange(model);
  groups_.resize(layouts.size());
  n_ = total_n(sample);
  for (size_t g = 0; g < groups_.size(); ++g) {
    Group& group = groups_[g];
    group.layout = layouts[g];
    group.n = sample[g].n;
    group.s = to_internal(group.layout, sample[g].covariance);
    group.m = model.means ? to_internal(group.layout, sample[g].mean) : Vector::Zero(group.layout.observed);
    group.log_det_s = 2 * Eigen::LLT<Matrix>(group.s).matrixLLT().diagonal().array().log().sum();
    const int v = group.layout.variables, l = group.layout.leaves;
    for (int e : group.layout.entries) {
      if (model.map.rows[e].empty()) continue;
      const Entry& entry = model.entries[e];
      Slot slot{e, group.layout.position[entry.row], -1, 0, 0, entry.family, 1};
      slot.row = slot.x;
      if (entry.family != Family::Mean) slot.col = group.layout.position[entry.col];
      if (entry.family == Family::Effect) slot.y = v + slot.col - l;
      if (entry.family == Family::Covariance) {
        slot.y = slot.col;
        if (slot.row == slot.col) slot.half = 0.5;
      }
      group.slots.push_back(slot);
    }
  }
}

bool Discrepancy::move_to(const Vector& theta) {
  first_ = second_ = false;
  const Vector eta = model_.map(theta);
  double f = 0;
  for (Group& group : groups_) {
    group.at.update(model_, group.layout, eta);
    // Starts have det(I - B) > 0; the other side of det = 0 is another model (Bollen 1989, ch. 4).
    if (!(group.at.determinant > 1e-10)) return false;
    group.factor.compute(group.at.sigma);
    if (group.factor.info() != Eigen::Success) return false;
    const auto diagonal = group.factor.matrixLLT().diagonal().array();
    if (!(diagonal.minCoeff() > 1e-9 * diagonal.maxCoeff())) return false;
    const int p = group.layout.observed;
    Matrix& inverse = work_;
    inverse.setIdentity(p, p);
    group.factor.matrixL().solveInPlace(inverse);
    group.w.setZero(p, p);
    group.w.selfadjointView<Eigen::Lower>().rankUpdate(inverse.transpose());
    group.w.triangularView<Eigen::StrictlyUpper>() = group.w.transpose();
    double value = 2 * diagonal.log().sum() + group.s.cwiseProduct(group.w).sum() - group.log_det_s - p;
    if (model_.means) {
      group.d = group.m - group.at.mean.head(p);
      group.r.noalias() = group.w * group.d;
      value += group.d.dot(group.r);
    }
    group.value = value;
    f += group.n / n_ * value;
  }
  if (!std::isfinite(f)) return false;
  value_ = f;
  return true;
}

// Tables for first derivatives. R = W (S + dd' - Sigma) W is formed only where it is asked for.
void Discrepancy::prepare_first(Group& group) {
  const int p = group.layout.observed, l = group.layout.leaves, c = group.layout.inner();
  const int size = group.layout.variables + c;
  const Matrix wz = group.w * group.at.tall;
  Matrix& t = group.table_w;
  t.resize(size, size);
  t.topLeftCorner(l, l) = group.w.topLeftCorner(l, l);
  t.bottomLeftCorner(2 * c, l) = wz.topRows(l).transpose();
  t.topRightCorner(l, 2 * c) = wz.topRows(l);
  t.bottomRightCorner(2 * c, 2 * c).noalias() = group.at.tall.transpose() * wz;
  group.sw.noalias() = group.s * group.w;
  if (model_.means) {
    group.table_mean.resize(size);
    group.table_mean.head(l) = group.r.head(l);
    group.table_mean.tail(2 * c).noalias() = group.at.tall.transpose() * group.r;
    group.sw.noalias() += group.d * group.r.transpose();
  } else {
    group.table_mean.setZero(size);
  }
  // R Z_inner = W (SW) Z_inner - W Z_inner
  Matrix rz = group.sw * group.at.tall;
  rz = group.w * rz - wz;
  Matrix& q = group.table_r;
  q.resize(size, size);
  q.bottomLeftCorner(2 * c, l) = rz.topRows(l).transpose();
  q.topRightCorner(l, 2 * c) = rz.topRows(l);
  q.bottomRightCorner(2 * c, 2 * c).noalias() = group.at.tall.transpose() * rz;
  for (const Slot& slot : group.slots)
    if (slot.family == Family::Covariance && slot.x < l && slot.y < l)
      q(slot.x, slot.y) = q(slot.y, slot.x) = group.w.col(slot.x).head(p).dot(group.sw.col(slot.y)) - group.w(slot.x, slot.y);
}

void Discrepancy::prepare_second(Group& group) {
  const int l = group.layout.leaves;
  Matrix& full = work_;
  full.resize(l, l);
  full.triangularView<Eigen::Lower>() = group.w.topRows(l) * group.sw.leftCols(l);
  full.triangularView<Eigen::StrictlyUpper>() = full.transpose();
  group.table_r.topLeftCorner(l, l) = full - group.w.topLeftCorner(l, l);
}

// d mu = a_x times this number
double Discrepancy::moment(const Group& group, const Slot& slot) const {
  switch (slot.family) {
    case Family::Effect: return group.at.mean[slot.col];
    case Family::Mean: return 1;
    default: return 0;
  }
}

double Discrepancy::slot_score(const Group& group, const Slot& slot) const {
  double value = 0;
  if (slot.y >= 0) value += slot.half * group.table_r(slot.x, slot.y);
  if (model_.means) value += moment(group, slot) * group.table_mean[slot.x];
  return group.n * value;
}

// Entry (e, f) of the information of one observation; see numbers (Browne 1984) for the expected part.
double Discrepancy::pair(const Group& group, const Slot& e, const Slot& f, bool observed) const {
  const Matrix& w = group.table_w;
  const double me = model_.means ? moment(group, e) : 0, mf = model_.means ? moment(group, f) : 0;
  double value = w(e.x, f.x) * me * mf;
  const double scale = e.half * f.half;
  const bool both = e.y >= 0 && f.y >= 0;
  if (both) value += scale * (w(e.x, f.x) * w(e.y, f.y) + w(e.x, f.y) * w(e.y, f.x));
  if (!observed) return value;

  const Matrix& r = group.table_r;
  if (both) {
    value += scale * (r(f.y, e.x) * w(e.y, f.x) + r(f.y, e.y) * w(e.x, f.x) +
                      r(f.x, e.x) * w(e.y, f.y) + r(f.x, e.y) * w(e.x, f.y));
    // - 1/2 tr(R Sigma_ef): the curvature of Sigma itself
    const int l = group.layout.leaves, v = group.layout.variables;
    const auto t = [&](int row, int col) { return col < l ? 0.0 : group.at.total(row - l, col - l); };
    const auto a_r_c = [&](int i, int j) { return r(i, v + j - l); };
    if (e.family == Family::Effect && f.family == Family::Effect) {
      value -= t(f.col, e.row) * a_r_c(f.row, e.col) + group.at.phi(f.col - l, e.col - l) * r(e.row, f.row) +
               t(e.col, f.row) * a_r_c(e.row, f.col);
    } else if (e.family != f.family) {
      const Slot& b = e.family == Family::Effect ? e : f;
      const Slot& s = e.family == Family::Effect ? f : e;
      value -= s.half * (r(b.row, s.row) * t(b.col, s.col) + r(b.row, s.col) * t(b.col, s.row));
    }
  }
  if (model_.means) {
    const Vector& u = group.table_mean;
    if (e.y >= 0) value += e.half * (u[e.x] * w(e.y, f.x) + u[e.y] * w(e.x, f.x)) * mf;
    if (f.y >= 0) value += f.half * (u[f.x] * w(f.y, e.x) + u[f.y] * w(f.x, e.x)) * me;
    const int l = group.layout.leaves;
    const auto t = [&](int row, int col) { return col < l ? 0.0 : group.at.total(row - l, col - l); };
    if (e.family == Family::Effect && f.family == Family::Effect)
      value -= u[f.row] * t(f.col, e.row) * me + u[e.row] * t(e.col, f.row) * mf;
    else if (e.family == Family::Effect && f.family == Family::Mean)
      value -= u[e.row] * t(e.col, f.row);
    else if (e.family == Family::Mean && f.family == Family::Effect)
      value -= u[f.row] * t(f.col, e.row);
  }
  return value;
}

template <class Sink>
void Discrepancy::sweep(bool observed, Sink&& sink) {
  for (Group& group : groups_) {
    if (!first_) prepare_first(group);
    if (observed && !second_) prepare_second(group);
    for (size_t i = 0; i < group.slots.size(); ++i)
      for (size_t j = 0; j <= i; ++j)
        sink(group.slots[i], group.slots[j], group.n * pair(group, group.slots[i], group.slots[j], observed));
  }
  first_ = true;
  second_ = second_ || observed;
}

Vector Discrepancy::score() {
  Vector out = Vector::Zero(model_.map.parameters);
  for (Group& group : groups_) {
    if (!first_) prepare_first(group);
    for (const Slot& slot : group.slots) {
      const double value = slot_score(group, slot);
      for (const Term& term : model_.map.rows[slot.entry]) out[term.parameter] += term.weight * value;
    }
  }
  first_ = true;
  return out;
}

Matrix Discrepancy::information(bool observed) {
  const int q = model_.map.parameters;
  Matrix out = Matrix::Zero(q, q);
  sweep(observed, [&](const Slot& e, const Slot& f, double value) {
    for (const Term& a : model_.map.rows[e.entry])
      for (const Term& b : model_.map.rows[f.entry]) {
        if (e.entry == f.entry && a.parameter < b.parameter) continue;   // its mirror image is the same cell
        const double part = a.weight * b.weight * value;
        if (a.parameter >= b.parameter) out(a.parameter, b.parameter) += part;
        else out(b.parameter, a.parameter) += part;
        // a pair of different entries stands for (e, f) and (f, e)
        if (e.entry != f.entry && a.parameter == b.parameter) out(a.parameter, a.parameter) += part;
      }
  });
  return out;
}

Matrix Discrepancy::expected_information() { return information(false); }
Matrix Discrepancy::observed_information() { return information(true); }

Vector Discrepancy::entry_score() {
  Vector out = Vector::Zero(model_.entries.size());
  for (Group& group : groups_) {
    if (!first_) prepare_first(group);
    for (const Slot& slot : group.slots) out[slot.entry] = slot_score(group, slot);
  }
  first_ = true;
  return out;
}

Matrix Discrepancy::entry_information(bool observed) {
  Matrix out = Matrix::Zero(model_.entries.size(), model_.entries.size());
  sweep(observed, [&](const Slot& e, const Slot& f, double value) {
    out(e.entry, f.entry) = out(f.entry, e.entry) = value;
  });
  return out;
}

}  // namespace orizzonte
