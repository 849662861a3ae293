#include "normal_theory.hpp"

#include <cmath>

namespace orizzonte {
namespace {

constexpr double smallest_determinant =
    1e-10;                               // of I - B, for the model to be on the side of its starts
constexpr double smallest_ratio = 1e-9;  // of the diagonal of Sigma's factor: singular below

// Packing and blocking cost more than they save in products whose three sizes add up to less.
constexpr int small_product = 64;
template <class A, class B, class Out>
void multiply(const A& a, const B& b, Out&& out) {
  if (a.rows() + a.cols() + b.cols() < small_product) out.noalias() = a.lazyProduct(b);
  else
    out.noalias() = a * b;
}

}  // namespace

NormalTheory::Slot NormalTheory::slot_of(const Group& group, int e) const {
  const int v = group.layout.variables, l = group.layout.leaves;
  const Entry& entry = model().entries[e];
  Slot slot{e, group.layout.position[entry.row], 0, 0, 0, entry.family, 1, -1, 0};
  const Terms& terms = model().map.rows[e];
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

NormalTheory::NormalTheory(std::shared_ptr<const Model> model, const Sample& sample,
                           bool every_entry)
    : Objective(std::move(model)), homes_(std::make_shared<const Homes>(this->model())) {
  const std::vector<GroupLayout> layouts = arrange(this->model());
  groups_.resize(layouts.size());
  for (size_t g = 0; g < groups_.size(); ++g) {
    Group& group = groups_[g];
    group.layout = layouts[g];
    group.slots.reserve(group.layout.entries.size());
    for (int e : group.layout.entries) {
      if (!this->model().map.rows[e].empty()) group.slots.push_back(slot_of(group, e));
      else if (every_entry)
        group.still.push_back(slot_of(group, e));
    }
  }
  set_sample(sample);
}

void NormalTheory::set_sample(const Sample& sample) {
  placed_ = false;
  n_ = total_n(sample);
  for (size_t g = 0; g < groups_.size(); ++g) {
    Group& group = groups_[g];
    group.n = sample[g].n;
    group.s = to_internal(group.layout, sample[g].covariance);
    group.m = model().means ? to_internal(group.layout, sample[g].mean)
                            : Vector::Zero(group.layout.observed);
    group.factor.compute(group.s);
    group.log_det_s = 2 * group.factor.diagonal().log().sum();
  }
}

bool NormalTheory::move_to(const Vector& theta) {
  if (placed_ && at_.size() == theta.size() && at_ == theta) return true;
  placed_ = first_ = second_ = false;
  model().map.apply(theta, eta_);
  double f = 0;
  for (Group& group : groups_) {
    group.at.update(model(), group.layout, eta_);
    // Starts have det(I - B) > 0; the other side of det = 0 is another model (Bollen 1989, ch. 4).
    if (!(group.at.determinant > smallest_determinant)) return false;
    if (!group.factor.compute(group.at.sigma)) return false;
    const auto diagonal = group.factor.diagonal();
    if (!(diagonal.minCoeff() > smallest_ratio * diagonal.maxCoeff())) return false;
    const int p = group.layout.observed;
    group.factor.inverse(group.root, group.w);
    double value =
        2 * diagonal.log().sum() + group.s.cwiseProduct(group.w).sum() - group.log_det_s - p;
    if (model().means) {
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
  placed_ = true;
  return true;
}

// Tables for first derivatives. R = W (S + dd' - Sigma) W is formed only where it is asked for.
void NormalTheory::prepare_first(Group& group) {
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
  if (model().means) {
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
        q(slot.x, slot.y) = q(slot.y, slot.x) =
            group.w.col(slot.x).head(p).dot(group.sw.col(slot.y)) - group.w(slot.x, slot.y);
}

void NormalTheory::prepare_second(Group& group) {
  const int l = group.layout.leaves;
  group.work.resize(l, l);
  group.work.triangularView<Eigen::Lower>() = group.w.topRows(l) * group.sw.leftCols(l);
  for (int j = 0; j < l; ++j)
    for (int i = j + 1; i < l; ++i) group.work(j, i) = group.work(i, j);
  group.table_r.topLeftCorner(l, l) = group.work - group.w.topLeftCorner(l, l);
}

// d mu = a_x times this number
double NormalTheory::moment(const Group& group, const Slot& slot) const {
  switch (slot.family) {
    case Family::Effect:
      return group.at.mean[slot.col];
    case Family::Mean:
      return 1;
    default:
      return 0;
  }
}

double NormalTheory::slot_score(const Group& group, const Slot& slot) const {
  double value = slot.half * group.table_r(slot.x, slot.y);
  if (model().means) value += moment(group, slot) * group.table_mean[slot.x];
  return group.n * value;
}

// Entry (e, f) of the expected information of one observation (Browne 1984).
inline double NormalTheory::expected_pair(const Group& group, const Slot& e, const Slot& f) const {
  const Matrix& w = group.table_w;
  double value = e.half * f.half * (w(f.x, e.x) * w(f.y, e.y) + w(f.y, e.x) * w(f.x, e.y));
  if (model().means) value += w(f.x, e.x) * moment(group, e) * moment(group, f);
  return value;
}

// What the observed information adds: the part due to misfit, through R and the curvature of Sigma
// and mu.
double NormalTheory::observed_pair(const Group& group, const Slot& e, const Slot& f) const {
  const Matrix& w = group.table_w;
  const Matrix& r = group.table_r;
  const int l = group.layout.leaves, v = group.layout.variables;
  const auto t = [&](int row, int col) { return col < l ? 0.0 : group.at.total(row - l, col - l); };
  const bool both_paths = e.family == Family::Effect && f.family == Family::Effect;
  double value = expected_pair(group, e, f);
  value += e.half * f.half *
           (r(f.y, e.x) * w(f.x, e.y) + r(f.y, e.y) * w(f.x, e.x) + r(f.x, e.x) * w(f.y, e.y) +
            r(f.x, e.y) * w(f.y, e.x));
  // - 1/2 tr(R Sigma_ef)
  if (both_paths) {
    const auto a_r_c = [&](int i, int j) { return r(i, v + j - l); };
    value -= t(f.col, e.row) * a_r_c(f.row, e.col) +
             group.at.phi(f.col - l, e.col - l) * r(e.row, f.row) +
             t(e.col, f.row) * a_r_c(e.row, f.col);
  } else if (e.family != f.family && e.family != Family::Mean && f.family != Family::Mean) {
    const Slot& b = e.family == Family::Effect ? e : f;
    const Slot& s = e.family == Family::Effect ? f : e;
    value -= s.half * (r(b.row, s.row) * t(b.col, s.col) + r(b.row, s.col) * t(b.col, s.row));
  }
  if (model().means) {
    const double me = moment(group, e), mf = moment(group, f);
    const Vector& u = group.table_mean;
    value += e.half * (u[e.x] * w(f.x, e.y) + u[e.y] * w(f.x, e.x)) * mf;
    value += f.half * (u[f.x] * w(f.y, e.x) + u[f.y] * w(f.x, e.x)) * me;
    if (both_paths) value -= u[f.row] * t(f.col, e.row) * me + u[e.row] * t(e.col, f.row) * mf;
    else if (e.family == Family::Effect && f.family == Family::Mean)
      value -= u[e.row] * t(e.col, f.row);
    else if (e.family == Family::Mean && f.family == Family::Effect)
      value -= u[f.row] * t(f.col, e.row);
  }
  return value;
}

void NormalTheory::prepare(Information kind) {
  for (Group& group : groups_) {
    if (!first_) prepare_first(group);
    if (kind == Information::Observed && !second_) prepare_second(group);
  }
  first_ = true;
  second_ = second_ || kind == Information::Observed;
}

template <class Sink>
void NormalTheory::sweep(Information kind, Sink&& sink) {
  prepare(kind);
  const bool observed = kind == Information::Observed;
  for (Group& group : groups_)
    for (size_t i = 0; i < group.slots.size(); ++i)
      for (size_t j = 0; j <= i; ++j) {
        const Slot &e = group.slots[i], &f = group.slots[j];
        sink(e, f, group.n * (observed ? observed_pair(group, e, f) : expected_pair(group, e, f)));
      }
}

void NormalTheory::score(Vector& out) {
  prepare(Information::Expected);
  out.setZero(model().map.parameters);
  for (Group& group : groups_)
    for (const Slot& slot : group.slots) {
      const double value = slot_score(group, slot);
      for (const Term& term : model().map.rows[slot.entry])
        out[term.parameter] += term.weight * value;
    }
}

void NormalTheory::information(Information kind, Arrow& out) {
  out.reset(homes_);
  sweep(kind, [&](const Slot& e, const Slot& f, double value) {
    if (e.parameter >= 0 && f.parameter >= 0) {
      // a pair of different entries stands for (e, f) and (f, e)
      const double part = e.weight * f.weight * value;
      const bool both = e.parameter == f.parameter && e.entry != f.entry;
      out.add(e.parameter, f.parameter, both ? 2 * part : part);
      return;
    }
    for (const Term& a : model().map.rows[e.entry])
      for (const Term& b : model().map.rows[f.entry]) {
        if (e.entry == f.entry && a.parameter < b.parameter)
          continue;  // its mirror image is the same cell
        const double part = a.weight * b.weight * value;
        out.add(a.parameter, b.parameter,
                e.entry != f.entry && a.parameter == b.parameter ? 2 * part : part);
      }
  });
}

Vector NormalTheory::entry_score() {
  prepare(Information::Expected);
  Vector out = Vector::Zero(model().entries.size());
  for (Group& group : groups_)
    for (const std::vector<Slot>* slots : {&group.slots, &group.still})
      for (const Slot& slot : *slots) out[slot.entry] = slot_score(group, slot);
  return out;
}

Matrix NormalTheory::entry_information(Information kind) {
  Matrix out = Matrix::Zero(model().entries.size(), model().entries.size());
  sweep(kind, [&](const Slot& e, const Slot& f, double value) {
    out(e.entry, f.entry) = out(f.entry, e.entry) = value;
  });
  return out;
}

std::vector<NormalTheory::Slot> NormalTheory::find_slots(const std::vector<int>& entries) const {
  std::vector<Slot> by_entry(model().entries.size()), out;
  for (const Group& group : groups_)
    for (const std::vector<Slot>* slots : {&group.slots, &group.still})
      for (const Slot& slot : *slots) by_entry[slot.entry] = slot;
  for (int e : entries) out.push_back(by_entry[e]);
  return out;
}

void NormalTheory::cross_information(const std::vector<int>& entries, Matrix& with_parameters,
                                     Vector& own) {
  prepare(Information::Expected);
  const std::vector<Slot> slots = find_slots(entries);
  with_parameters.setZero(model().map.parameters, entries.size());
  own.setZero(entries.size());
  for (size_t c = 0; c < entries.size(); ++c) {
    const Group& group = groups_[model().entries[entries[c]].group];
    own[c] = group.n * expected_pair(group, slots[c], slots[c]);
    for (const Slot& slot : group.slots) {
      const double value = group.n * expected_pair(group, slots[c], slot);
      for (const Term& term : model().map.rows[slot.entry])
        with_parameters(term.parameter, c) += term.weight * value;
    }
  }
}

Matrix NormalTheory::pair_information(const std::vector<int>& entries) {
  prepare(Information::Expected);
  const std::vector<Slot> slots = find_slots(entries);
  Matrix out = Matrix::Zero(entries.size(), entries.size());
  for (size_t i = 0; i < entries.size(); ++i)
    for (size_t j = 0; j <= i; ++j) {
      const int g = model().entries[entries[i]].group;
      if (g != model().entries[entries[j]].group) continue;
      out(i, j) = out(j, i) = groups_[g].n * expected_pair(groups_[g], slots[i], slots[j]);
    }
  return out;
}

}  // namespace orizzonte
