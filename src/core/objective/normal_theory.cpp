#include "normal_theory.hpp"

#include <algorithm>
#include <cmath>

namespace orizzonte {
namespace {

constexpr double smallest_determinant =
    1e-10;  // of I - B, for the model to be on the side of its starts

}  // namespace

NormalTheory::NormalTheory(std::shared_ptr<const Model> model, const Sample& sample,
                           bool every_entry)
    : Objective(std::move(model)),
      homes_(std::make_shared<const Homes>(this->model())),
      means_(this->model().means) {
  const Sequence<GroupLayout> layouts = arrange(this->model());
  groups_.resize(layouts.size());
  for (int g = 0; g < groups_.size(); ++g) {
    Group& group = groups_[g];
    group.layout = layouts[g];
    group.slots.reserve(group.layout.entries.size());
    for (int e : group.layout.entries) {
      const Slot slot = slot_of(this->model(), group.layout, e);
      const bool moved = !this->model().map.rows[e].empty();
      if (!moved && !every_entry) continue;
      (moved ? group.slots : group.still).push_back(slot);
      const int leaves = group.layout.leaves;
      if (slot.family == Family::Covariance && slot.x < leaves && slot.y < leaves)
        group.leaf_pairs.push_back(slot);
    }
  }
  set_sample(sample);
}

void NormalTheory::set_sample(const Sample& sample) {
  placed_ = false;
  n_ = total_n(sample);
  inference_ = sample.patterns.empty() ? Information::Expected : Information::Observed;
  for (int g = 0; g < groups_.size(); ++g) {
    Group& group = groups_[g];
    group.n = sample[g].n;
    if (sample.patterns.empty()) {
      group.blocks.resize(1);
      group.blocks[0].set(sample[g], group.layout);
      group.saturated = group.blocks[0].log_determinant_of_data() + group.layout.observed;
      continue;
    }
    group.blocks.clear();
    group.blocks.reserve(sample.patterns.size());
    group.saturated = 0;
    group.covariance = to_internal(group.layout, sample[g].covariance);
    group.mean = to_internal(group.layout, sample[g].mean);
    Marginal whole;
    const bool usable = whole.set(group.covariance);
    for (const Block& pattern : sample.patterns) {
      if (pattern.group != g) continue;
      group.blocks.emplace_back();
      group.blocks.back().set(pattern, group.layout);
      group.saturated += pattern.n / group.n *
                         group.blocks.back().discrepancy_from(group.covariance, group.mean,
                                                              usable ? &whole : nullptr);
    }
  }
}

bool NormalTheory::move_to(const Vector& theta) {
  if (placed_ && at_.size() == theta.size() && at_ == theta) return true;
  placed_ = first_ = second_ = tested_ = summed_ = false;
  model().map.apply(theta, eta_);
  double f = 0;
  for (Group& group : groups_) {
    group.at.update(model(), group.layout, eta_);
    // Starts have det(I - B) > 0; the other side of det = 0 is another model (Bollen 1989, ch. 4).
    if (!(group.at.determinant > smallest_determinant)) return false;
    group.value = -group.saturated;
    bool ready = false;
    for (Tables& block : group.blocks) {
      if (!ready && block.uses_whole()) {
        if (!group.whole.set(group.at.sigma)) return false;
        ready = true;
      }
      if (!block.move_to(group.at, means_, ready ? &group.whole : nullptr)) return false;
      group.value += block.n / group.n * block.discrepancy;
    }
    f += group.n / n_ * group.value;
  }
  if (!std::isfinite(f)) return false;
  value_ = f;
  at_ = theta;
  placed_ = true;
  return true;
}

double NormalTheory::slot_score(const Group& group, const Slot& slot) const {
  double value = slot.half * group.r()(slot.x, slot.y);
  if (means_) value += moment(group.at, slot) * group.u()[slot.x];
  return group.n * value;
}

// Entry (e, f) of the expected information of one observation (Browne 1984).
inline double NormalTheory::expected_pair(const Group& group, const Tables& block, const Slot& e,
                                          const Slot& f) const {
  const Matrix& w = block.w_table;
  double value = e.half * f.half * (w(f.x, e.x) * w(f.y, e.y) + w(f.y, e.x) * w(f.x, e.y));
  if (means_) value += w(f.x, e.x) * moment(group.at, e) * moment(group.at, f);
  return value;
}

// The contribution of R and d to the observed information per case of a block.
inline double NormalTheory::misfit_pair(const Group& group, const Tables& block, const Matrix& r,
                                        const Vector& u, const Slot& e, const Slot& f) const {
  const Matrix& w = block.w_table;
  double value = e.half * f.half *
                 (r(f.y, e.x) * w(f.x, e.y) + r(f.y, e.y) * w(f.x, e.x) +
                  r(f.x, e.x) * w(f.y, e.y) + r(f.x, e.y) * w(f.y, e.x));
  if (!means_) return value;
  value += e.half * (u[e.x] * w(f.x, e.y) + u[e.y] * w(f.x, e.x)) * moment(group.at, f);
  value += f.half * (u[f.x] * w(f.y, e.x) + u[f.y] * w(f.x, e.x)) * moment(group.at, e);
  return value;
}

// And through the curvature of Sigma and mu, of the group's mean observation:
// - 1/2 tr(R Sigma_ef) - d' W mu_ef
inline double NormalTheory::curvature(const Group& group, const Slot& e, const Slot& f) const {
  const Matrix& r = group.r();
  const int l = group.layout.leaves, v = group.layout.variables;
  const auto t = [&](int row, int col) { return col < l ? 0.0 : group.at.total(row - l, col - l); };
  const bool both_paths = e.family == Family::Effect && f.family == Family::Effect;
  double value = 0;
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
  if (!means_) return value;
  const Vector& u = group.u();
  if (both_paths)
    value -= u[f.row] * t(f.col, e.row) * moment(group.at, e) +
             u[e.row] * t(e.col, f.row) * moment(group.at, f);
  else if ((e.family == Family::Effect && f.family == Family::Mean) ||
           (e.family == Family::Mean && f.family == Family::Effect)) {
    const Slot& path = e.family == Family::Effect ? e : f;
    const Slot& mean = e.family == Family::Effect ? f : e;
    value -= u[path.row] * t(path.col, mean.row);
  }
  return value;
}

namespace {

// The tables of several blocks side by side, each times the root of its number of cases, so that
// products of two of their entries are summed over the blocks at once.
class Tile {
 public:
  static constexpr int lanes = 16;
  using Lane = Eigen::Map<const Eigen::Array<double, lanes, 1>>;

  void set(const Sequence<Tables>& blocks, int first, Information kind) {
    size_ = to_int(blocks[first].w_table.rows());
    const bool tested = kind == Information::Tested;
    gather(
        blocks, first, [](const Tables& block) -> const Matrix& { return block.w_table; }, w_);
    if (kind == Information::Expected) return;
    gather(
        blocks, first,
        [&](const Tables& block) -> const Matrix& {
          return tested ? block.r_saturated : block.r_table;
        },
        r_);
    gather(
        blocks, first,
        [&](const Tables& block) -> const Vector& {
          return tested ? block.mean_saturated : block.mean_table;
        },
        u_);
  }
  Lane w(int row, int col) const { return Lane(w_.data() + lanes * (row + size_ * col)); }
  Lane r(int row, int col) const { return Lane(r_.data() + lanes * (row + size_ * col)); }
  Lane u(int row) const { return Lane(u_.data() + lanes * row); }

 private:
  // One column for each number of a table, one row for each block, which is zero behind the last.
  template <class Chosen>
  static void gather(const Sequence<Tables>& blocks, int first, Chosen&& chosen, Matrix& out) {
    const int count = std::min(lanes, blocks.size() - first);
    const int length = to_int(chosen(blocks[first]).size());
    const double* from[lanes];
    double root[lanes];
    for (int k = 0; k < count; ++k) {
      from[k] = chosen(blocks[first + k]).data();
      root[k] = std::sqrt(blocks[first + k].n);
    }
    if (count < lanes) out.setZero(lanes, length);
    else
      out.resize(lanes, length);
    for (int c = 0; c < length; ++c) {
      double* column = out.data() + lanes * c;
      for (int k = 0; k < count; ++k) column[k] = root[k] * from[k][c];
    }
  }

  int size_ = 0;
  Matrix w_, r_, u_;
};

constexpr int fewest_for_tiles = 4;  // blocks

}  // namespace

// Expected and misfit parts of entries (rows, columns) of the information, summed over the blocks
// tile by tile, whose tables stay in the processor's cache.
template <Information kind>
void NormalTheory::add_tiles(const Group& group, const Sequence<Slot>& rows,
                             const Sequence<Slot>& columns, bool lower, Matrix& out) const {
  constexpr bool misfit = kind != Information::Expected;
  Tile tile;
  Matrix whole = Matrix::Zero(group.blocks[0].w_table.rows(), group.blocks[0].w_table.cols());
  if (means_)
    for (const Tables& block : group.blocks) whole += block.n * block.w_table;
  for (int first = 0; first < group.blocks.size(); first += Tile::lanes) {
    tile.set(group.blocks, first, kind);
    for (int j = 0; j < columns.size(); ++j) {
      const Slot& f = columns[j];
      const double moment_f = means_ ? moment(group.at, f) : 0;
      for (int i = lower ? j : 0; i < rows.size(); ++i) {
        const Slot& e = rows[i];
        const double half = e.half * f.half, moment_e = means_ ? moment(group.at, e) : 0;
        double value = 0;
        if (half != 0) {
          const auto xx = tile.w(f.x, e.x), yy = tile.w(f.y, e.y);
          const auto yx = tile.w(f.y, e.x), xy = tile.w(f.x, e.y);
          value = half * (xx * yy + yx * xy).sum();
          if (misfit)
            value += half * (tile.r(f.y, e.x) * xy + tile.r(f.y, e.y) * xx + tile.r(f.x, e.x) * yy +
                             tile.r(f.x, e.y) * yx)
                                .sum();
        }
        if (misfit && e.half * moment_f != 0)
          value += e.half * moment_f *
                   (tile.u(e.x) * tile.w(f.x, e.y) + tile.u(e.y) * tile.w(f.x, e.x)).sum();
        if (misfit && f.half * moment_e != 0)
          value += f.half * moment_e *
                   (tile.u(f.x) * tile.w(f.y, e.x) + tile.u(f.y) * tile.w(f.x, e.x)).sum();
        if (first == 0) value += whole(f.x, e.x) * moment_e * moment_f;
        out(i, j) += value;
      }
    }
  }
}

// Entries (rows, columns) of the information of all cases of a group; with `lower` only those of
// the lower triangle.
template <Information kind>
void NormalTheory::add_pairs(const Group& group, const Sequence<Slot>& rows,
                             const Sequence<Slot>& columns, bool lower, Matrix& out) const {
  out.setZero(rows.size(), columns.size());
  if (group.blocks.size() >= fewest_for_tiles) {
    add_tiles<kind>(group, rows, columns, lower, out);
  } else {
    for (const Tables& block : group.blocks)
      for (int j = 0; j < columns.size(); ++j)
        for (int i = lower ? j : 0; i < rows.size(); ++i) {
          const Slot& e = rows[i];
          const Slot& f = columns[j];
          double one = expected_pair(group, block, e, f);
          if (kind == Information::Observed)
            one += misfit_pair(group, block, block.r_table, block.mean_table, e, f);
          if (kind == Information::Tested)
            one += misfit_pair(group, block, block.r_saturated, block.mean_saturated, e, f);
          out(i, j) += block.n * one;
        }
  }
  if (kind != Information::Observed) return;
  for (int j = 0; j < columns.size(); ++j)
    for (int i = lower ? j : 0; i < rows.size(); ++i) {
      const Slot& e = rows[i];
      const Slot& f = columns[j];
      if (e.family != Family::Covariance || f.family != Family::Covariance)
        out(i, j) += group.n * curvature(group, e, f);
    }
}

void NormalTheory::pairs(Information kind, const Group& group, const Sequence<Slot>& rows,
                         const Sequence<Slot>& columns, bool lower, Matrix& out) const {
  if (kind == Information::Observed)
    add_pairs<Information::Observed>(group, rows, columns, lower, out);
  else if (kind == Information::Tested)
    add_pairs<Information::Tested>(group, rows, columns, lower, out);
  else
    add_pairs<Information::Expected>(group, rows, columns, lower, out);
}

void NormalTheory::prepare(Information kind) {
  const bool second = kind == Information::Observed;
  if (first_ && (second_ || !second)) return;
  for (Group& group : groups_) {
    for (Tables& block : group.blocks) {
      if (!first_) block.prepare_first(group.at, group.layout, means_, group.leaf_pairs);
      if (second) block.prepare_second(means_);
    }
    add_up(group);
  }
  first_ = summed_ = true;
  second_ = second_ || second;
}

// The information used by score tests.
Information NormalTheory::tested() {
  prepare(Information::Expected);
  if (inference_ == Information::Expected) return Information::Expected;
  if (!tested_)
    for (Group& group : groups_)
      for (Tables& block : group.blocks)
        block.prepare_saturated(group.at, group.layout, group.covariance, group.mean);
  tested_ = true;
  return Information::Tested;
}

void NormalTheory::add_up(Group& group) {
  if (group.blocks.size() == 1) return;
  const Tables& one = group.blocks[0];
  group.r_sum.setZero(one.r_table.rows(), one.r_table.cols());
  group.mean_sum.setZero(one.mean_table.size());
  for (const Tables& block : group.blocks) {
    group.r_sum += block.n / group.n * block.r_table;
    group.mean_sum += block.n / group.n * block.mean_table;
  }
}

void NormalTheory::sum_residuals() {
  if (summed_) return;
  const auto alone = [](const Group& group) { return group.blocks.size() == 1; };
  // of one block its own tables serve
  if (std::any_of(groups_.begin(), groups_.end(), alone)) return prepare(Information::Expected);
  for (Group& group : groups_) {
    const int l = group.layout.leaves, p = group.layout.observed;
    const Matrix& z = group.at.tall;
    const int width = to_int(z.cols());
    residual_.setZero(p, p);
    deviation_.setZero(p);
    for (Tables& block : group.blocks)
      block.add_residual(means_, block.n / group.n, residual_, deviation_);
    const Matrix whole = residual_.selfadjointView<Eigen::Lower>();
    const Matrix inner = whole * z;
    group.r_sum.resize(l + width, l + width);
    group.r_sum.topLeftCorner(l, l) = whole.topLeftCorner(l, l);
    group.r_sum.topRightCorner(l, width) = inner.topRows(l);
    group.r_sum.bottomLeftCorner(width, l) = inner.topRows(l).transpose();
    group.r_sum.bottomRightCorner(width, width).noalias() = z.transpose() * inner;
    group.mean_sum.resize(l + width);
    group.mean_sum.head(l) = deviation_.head(l);
    group.mean_sum.tail(width).noalias() = z.transpose() * deviation_;
  }
  summed_ = true;
}

template <class Sink>
void NormalTheory::sweep(Information kind, Sink&& sink) {
  if (kind == Information::Tested) kind = tested();
  else
    prepare(kind);
  for (Group& group : groups_) {
    pairs(kind, group, group.slots, group.slots, true, pairs_);
    for (int i = 0; i < group.slots.size(); ++i)
      for (int j = 0; j <= i; ++j) sink(group.slots[i], group.slots[j], pairs_(i, j));
  }
}

void NormalTheory::score(Vector& out) {
  sum_residuals();
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
  sum_residuals();
  Vector out = Vector::Zero(model().entries.size());
  for (Group& group : groups_)
    for (const Sequence<Slot>* slots : {&group.slots, &group.still})
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

Sequence<Slot> NormalTheory::find_slots(const Sequence<int>& entries) const {
  Sequence<Slot> by_entry(model().entries.size()), out;
  for (const Group& group : groups_)
    for (const Sequence<Slot>* slots : {&group.slots, &group.still})
      for (const Slot& slot : *slots) by_entry[slot.entry] = slot;
  for (int e : entries) out.push_back(by_entry[e]);
  return out;
}

// The information on a single entry.
double NormalTheory::alone(Information kind, const Group& group, const Slot& e) const {
  double value = 0;
  for (const Tables& block : group.blocks) {
    double one = expected_pair(group, block, e, e);
    if (kind == Information::Tested)
      one += misfit_pair(group, block, block.r_saturated, block.mean_saturated, e, e);
    value += block.n * one;
  }
  return value;
}

// The positions, in `entries`, of those of a group.
Sequence<int> NormalTheory::places_in(int group, const Sequence<int>& entries) const {
  Sequence<int> out;
  for (int c = 0; c < entries.size(); ++c)
    if (model().entries[entries[c]].group == group) out.push_back(c);
  return out;
}

void NormalTheory::cross_information(const Sequence<int>& entries, Matrix& with_parameters,
                                     Vector& own) {
  const Information kind = tested();
  const Sequence<Slot> slots = find_slots(entries);
  with_parameters.setZero(model().map.parameters, entries.size());
  own.setZero(entries.size());
  for (int g = 0; g < groups_.size(); ++g) {
    const Group& group = groups_[g];
    const Sequence<int> places = places_in(g, entries);
    Sequence<Slot> columns;
    for (int c : places) columns.push_back(slots[c]);
    pairs(kind, group, group.slots, columns, false, pairs_);
    for (int k = 0; k < places.size(); ++k)
      for (int s = 0; s < group.slots.size(); ++s)
        for (const Term& term : model().map.rows[group.slots[s].entry])
          with_parameters(term.parameter, places[k]) += term.weight * pairs_(s, k);
    for (int k = 0; k < places.size(); ++k) own[places[k]] = alone(kind, group, columns[k]);
  }
}

Matrix NormalTheory::pair_information(const Sequence<int>& entries) {
  const Information kind = tested();
  const Sequence<Slot> slots = find_slots(entries);
  Matrix out = Matrix::Zero(entries.size(), entries.size());
  for (int g = 0; g < groups_.size(); ++g) {
    const Sequence<int> places = places_in(g, entries);
    Sequence<Slot> own;
    for (int c : places) own.push_back(slots[c]);
    pairs(kind, groups_[g], own, own, true, pairs_);
    for (int i = 0; i < places.size(); ++i)
      for (int j = 0; j <= i; ++j)
        out(places[i], places[j]) = out(places[j], places[i]) = pairs_(i, j);
  }
  return out;
}

bool NormalTheory::eliminate(const FreeCovariances& free) {
  prepare(Information::Expected);
  for (int g = 0; g < groups_.size(); ++g) {
    Group& group = groups_[g];
    const Matrix& w = group.blocks[0].w_table;
    const Sequence<int>& variables = free.variables[g];
    const int k = variables.size();
    group.left.clear();
    for (const Slot& slot : group.slots)
      if (slot.parameter < 0 || !free.parameter[slot.parameter]) group.left.push_back(slot);
    group.h_table.setZero(w.rows(), w.cols());
    if (k == 0) continue;
    Matrix across(w.rows(), k), own(k, k), root, inverse;
    for (int a = 0; a < k; ++a) across.col(a) = w.col(group.layout.position[variables[a]]);
    for (int a = 0; a < k; ++a) own.row(a) = across.row(group.layout.position[variables[a]]);
    Cholesky factor;
    if (!factor.compute(own)) return false;
    factor.inverse(root, inverse);
    group.h_table.noalias() = across * inverse * across.transpose();
  }
  return true;
}

inline double NormalTheory::pair_left(const Group& group, const Slot& e, const Slot& f) const {
  const Matrix& h = group.h_table;
  return group.n * (expected_pair(group, group.blocks[0], e, f) -
                    e.half * f.half * (h(f.x, e.x) * h(f.y, e.y) + h(f.y, e.x) * h(f.x, e.y)));
}

Matrix NormalTheory::information_left(Vector& whole) const {
  const int q = model().map.parameters;
  Matrix out = Matrix::Zero(q, q);
  whole.setZero(q);
  for (const Group& group : groups_)
    for (const Slot& f : group.left)
      for (const Slot& e : group.left) {
        const double value = pair_left(group, e, f);
        for (const Term& a : model().map.rows[e.entry])
          for (const Term& b : model().map.rows[f.entry]) {
            out(a.parameter, b.parameter) += a.weight * b.weight * value;
            if (a.parameter == b.parameter)
              whole[a.parameter] +=
                  a.weight * b.weight * group.n * expected_pair(group, group.blocks[0], e, f);
          }
      }
  return out;
}

void NormalTheory::cross_left(const Sequence<int>& entries, Matrix& with_parameters, Vector& own,
                              Vector& whole) const {
  const Sequence<Slot> slots = find_slots(entries);
  with_parameters.setZero(model().map.parameters, entries.size());
  own.setZero(entries.size());
  whole.setZero(entries.size());
  for (int c = 0; c < entries.size(); ++c) {
    const Group& group = groups_[model().entries[entries[c]].group];
    own[c] = pair_left(group, slots[c], slots[c]);
    whole[c] = group.n * expected_pair(group, group.blocks[0], slots[c], slots[c]);
    for (const Slot& e : group.left) {
      const double value = pair_left(group, e, slots[c]);
      for (const Term& term : model().map.rows[e.entry])
        with_parameters(term.parameter, c) += term.weight * value;
    }
  }
}

}  // namespace orizzonte
