#include "discrepancy.hpp"

#include <cmath>

namespace orizzonte {
namespace {

// Packing and blocking cost more than they save in small products.
template <class A, class B, class Out>
void multiply(const A& a, const B& b, Out&& out) {
  if (a.rows() + a.cols() + b.cols() < 64) out = a.lazyProduct(b);
  else out.noalias() = a * b;
}

}  // namespace

Discrepancy::Slot Discrepancy::slot_of(const Group& group, int e) const {
  const int v = group.layout.variables, l = group.layout.leaves;
  const Entry& entry = model_.entries[e];
  Slot slot{e, group.layout.position[entry.row], 0, 0, 0, entry.family, 1, -1, 0};
  const Terms& terms = model_.map.rows[e];
  if (terms.size() == 1) {
    slot.parameter = terms[0].parameter;
    slot.weight = terms[0].weight;
  }
  slot.row = slot.x;
  if (entry.family != Family::Mean) slot.col = group.layout.position[entry.col];
  if (entry.family == Family::Effect) slot.y = v + slot.col - l;
  if (entry.family == Family::Covariance) {
    slot.y = slot.col;
    if (slot.row == slot.col) slot.half = 0.5;
  }
  if (entry.family == Family::Mean) slot.half = 0;
  return slot;
}

Discrepancy::Discrepancy(const Model& model, const std::vector<Moments>& sample, bool every_entry) : model_(model), homes_(model) {
  std::vector<GroupLayout> layouts = arrange(model);
  groups_.resize(layouts.size());
  n_ = total_n(sample);
  for (size_t g = 0; g < groups_.size(); ++g) {
    Group& group = groups_[g];
    group.layout = layouts[g];
    group.n = sample[g].n;
    group.s = to_internal(group.layout, sample[g].covariance);
    group.m = model.means ? to_internal(group.layout, sample[g].mean) : Vector::Zero(group.layout.observed);
    group.factor.compute(group.s);
    group.log_det_s = 2 * group.factor.diagonal().log().sum();
    for (int e : group.layout.entries) {
      if (!model.map.rows[e].empty()) group.slots.push_back(slot_of(group, e));
      else if (every_entry) group.still.push_back(slot_of(group, e));
    }
  }
}

bool Discrepancy::move_to(const Vector& theta) {
  if (at_.size() == theta.size() && theta.size() > 0 && at_ == theta) return true;
  at_.resize(0);
  first_ = second_ = false;
  const Vector eta = model_.map(theta);
  double f = 0;
  for (Group& group : groups_) {
    group.at.update(model_, group.layout, eta);
    // Starts have det(I - B) > 0; the other side of det = 0 is another model (Bollen 1989, ch. 4).
    if (!(group.at.determinant > 1e-10)) return false;
    if (!group.factor.compute(group.at.sigma)) return false;
    const auto diagonal = group.factor.diagonal();
    if (!(diagonal.minCoeff() > 1e-9 * diagonal.maxCoeff())) return false;
    const int p = group.layout.observed;
    group.factor.inverse(work_, group.w);
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
  at_ = theta;
  return true;
}

// Tables for first derivatives. R = W (S + dd' - Sigma) W is formed only where it is asked for.
void Discrepancy::prepare_first(Group& group) {
  const int p = group.layout.observed, l = group.layout.leaves, c = group.layout.inner();
  const int size = group.layout.variables + c;
  Matrix &wz = group.wz, &rz = group.rz;
  multiply(group.w, group.at.tall, wz);
  Matrix& t = group.table_w;
  t.resize(size, size);
  t.topLeftCorner(l, l) = group.w.topLeftCorner(l, l);
  t.bottomLeftCorner(2 * c, l) = wz.topRows(l).transpose();
  t.topRightCorner(l, 2 * c) = wz.topRows(l);
  multiply(group.at.tall.transpose(), wz, t.bottomRightCorner(2 * c, 2 * c));
  multiply(group.s, group.w, group.sw);
  if (model_.means) {
    group.table_mean.resize(size);
    group.table_mean.head(l) = group.r.head(l);
    group.table_mean.tail(2 * c).noalias() = group.at.tall.transpose() * group.r;
    group.sw.noalias() += group.d * group.r.transpose();
  } else {
    group.table_mean.setZero(size);
  }
  // R Z_inner = W (SW) Z_inner - W Z_inner
  multiply(group.sw, group.at.tall, group.swz);
  multiply(group.w, group.swz, rz);
  rz -= wz;
  Matrix& q = group.table_r;
  q.resize(size, size);
  q.topLeftCorner(l, l).setZero();
  q.bottomLeftCorner(2 * c, l) = rz.topRows(l).transpose();
  q.topRightCorner(l, 2 * c) = rz.topRows(l);
  multiply(group.at.tall.transpose(), rz, q.bottomRightCorner(2 * c, 2 * c));
  for (const std::vector<Slot>* slots : {&group.slots, &group.still})
    for (const Slot& slot : *slots)
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
  double value = slot.half * group.table_r(slot.x, slot.y);
  if (model_.means) value += moment(group, slot) * group.table_mean[slot.x];
  return group.n * value;
}

// Entry (e, f) of the expected information of one observation (Browne 1984).
inline double Discrepancy::expected_pair(const Group& group, const Slot& e, const Slot& f) const {
  const Matrix& w = group.table_w;
  double value = e.half * f.half * (w(f.x, e.x) * w(f.y, e.y) + w(f.y, e.x) * w(f.x, e.y));
  if (model_.means) value += w(f.x, e.x) * moment(group, e) * moment(group, f);
  return value;
}

// What the observed information adds: the part due to misfit, through R and the curvature of Sigma and mu.
double Discrepancy::observed_pair(const Group& group, const Slot& e, const Slot& f) const {
  const Matrix& w = group.table_w;
  const Matrix& r = group.table_r;
  const int l = group.layout.leaves, v = group.layout.variables;
  const auto t = [&](int row, int col) { return col < l ? 0.0 : group.at.total(row - l, col - l); };
  const bool both_paths = e.family == Family::Effect && f.family == Family::Effect;
  double value = expected_pair(group, e, f);
  value += e.half * f.half * (r(f.y, e.x) * w(f.x, e.y) + r(f.y, e.y) * w(f.x, e.x) +
                              r(f.x, e.x) * w(f.y, e.y) + r(f.x, e.y) * w(f.y, e.x));
  // - 1/2 tr(R Sigma_ef)
  if (both_paths) {
    const auto a_r_c = [&](int i, int j) { return r(i, v + j - l); };
    value -= t(f.col, e.row) * a_r_c(f.row, e.col) + group.at.phi(f.col - l, e.col - l) * r(e.row, f.row) +
             t(e.col, f.row) * a_r_c(e.row, f.col);
  } else if (e.family != f.family && e.family != Family::Mean && f.family != Family::Mean) {
    const Slot& b = e.family == Family::Effect ? e : f;
    const Slot& s = e.family == Family::Effect ? f : e;
    value -= s.half * (r(b.row, s.row) * t(b.col, s.col) + r(b.row, s.col) * t(b.col, s.row));
  }
  if (model_.means) {
    const double me = moment(group, e), mf = moment(group, f);
    const Vector& u = group.table_mean;
    value += e.half * (u[e.x] * w(f.x, e.y) + u[e.y] * w(f.x, e.x)) * mf;
    value += f.half * (u[f.x] * w(f.y, e.x) + u[f.y] * w(f.x, e.x)) * me;
    if (both_paths)
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
      for (size_t j = 0; j <= i; ++j) {
        const Slot &e = group.slots[i], &f = group.slots[j];
        sink(e, f, group.n * (observed ? observed_pair(group, e, f) : expected_pair(group, e, f)));
      }
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

void Discrepancy::information(bool observed, Arrow& out) {
  out.reset(homes_);
  sweep(observed, [&](const Slot& e, const Slot& f, double value) {
    if (e.parameter >= 0 && f.parameter >= 0) {
      // a pair of different entries stands for (e, f) and (f, e)
      const double part = e.weight * f.weight * value;
      out.add(e.parameter, f.parameter, e.parameter == f.parameter && e.entry != f.entry ? 2 * part : part);
      return;
    }
    for (const Term& a : model_.map.rows[e.entry])
      for (const Term& b : model_.map.rows[f.entry]) {
        if (e.entry == f.entry && a.parameter < b.parameter) continue;   // its mirror image is the same cell
        const double part = a.weight * b.weight * value;
        out.add(a.parameter, b.parameter, e.entry != f.entry && a.parameter == b.parameter ? 2 * part : part);
      }
  });
}

Matrix Discrepancy::expected_information() {
  Arrow out;
  information(false, out);
  return out.dense();
}

Matrix Discrepancy::observed_information() {
  Arrow out;
  information(true, out);
  return out.dense();
}

Vector Discrepancy::entry_score() {
  Vector out = Vector::Zero(model_.entries.size());
  for (Group& group : groups_) {
    if (!first_) prepare_first(group);
    for (const Slot& slot : group.slots) out[slot.entry] = slot_score(group, slot);
    for (const Slot& slot : group.still) out[slot.entry] = slot_score(group, slot);
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

std::vector<const Discrepancy::Slot*> Discrepancy::find_slots(const std::vector<int>& entries) const {
  std::vector<const Slot*> by_entry(model_.entries.size(), nullptr), out;
  for (const Group& group : groups_)
    for (const std::vector<Slot>* slots : {&group.slots, &group.still})
      for (const Slot& slot : *slots) by_entry[slot.entry] = &slot;
  for (int e : entries) out.push_back(by_entry[e]);
  return out;
}

void Discrepancy::cross_information(const std::vector<int>& entries, Matrix& with_parameters, Vector& own) {
  const std::vector<const Slot*> slots = find_slots(entries);
  with_parameters.setZero(model_.map.parameters, entries.size());
  own.setZero(entries.size());
  for (Group& group : groups_)
    if (!first_) prepare_first(group);
  first_ = true;
  for (size_t c = 0; c < entries.size(); ++c) {
    const Group& group = groups_[model_.entries[entries[c]].group];
    own[c] = group.n * expected_pair(group, *slots[c], *slots[c]);
    for (const Slot& slot : group.slots) {
      const double value = group.n * expected_pair(group, *slots[c], slot);
      for (const Term& term : model_.map.rows[slot.entry]) with_parameters(term.parameter, c) += term.weight * value;
    }
  }
}

Matrix Discrepancy::pair_information(const std::vector<int>& entries) {
  const std::vector<const Slot*> slots = find_slots(entries);
  Matrix out = Matrix::Zero(entries.size(), entries.size());
  for (Group& group : groups_)
    if (!first_) prepare_first(group);
  first_ = true;
  for (size_t i = 0; i < entries.size(); ++i)
    for (size_t j = 0; j <= i; ++j) {
      const int g = model_.entries[entries[i]].group;
      if (g == model_.entries[entries[j]].group) out(i, j) = out(j, i) = groups_[g].n * expected_pair(groups_[g], *slots[i], *slots[j]);
    }
  return out;
}

}  // namespace orizzonte
