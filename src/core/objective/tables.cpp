#include "tables.hpp"

#include <cmath>

namespace orizzonte {
namespace {

constexpr double smallest_ratio = 1e-9;  // of the diagonal of Sigma's factor: singular below

// Packing and blocking cost more than they save in products whose three sizes add up to less.
constexpr int small_product = 64;
template <class A, class B, class Out>
void multiply(const A& a, const B& b, Out&& out) {
  if (a.rows() + a.cols() + b.cols() < small_product) out.noalias() = a.lazyProduct(b);
  else
    out.noalias() = a * b;
}

void select(const Matrix& from, const Sequence<int>& rows, Matrix& out) {
  const int k = rows.size();
  out.resize(k, k);
  for (int j = 0; j < k; ++j)
    for (int i = 0; i < k; ++i) out(i, j) = from(rows[i], rows[j]);
}

}  // namespace

void Tables::set(const Block& block, const GroupLayout& layout) {
  n = block.n;
  w_table.resize(0, 0);
  r_table.resize(0, 0);
  rows_.clear();
  missing_.clear();
  local_.clear();
  leaves_ = layout.leaves;
  if (block.variables.empty()) {
    s_ = to_internal(layout, block.covariance);
    m_ = block.mean.size() > 0 ? to_internal(layout, block.mean) : Vector::Zero(layout.observed);
    factor_.compute(s_);
    log_det_s_ = factor_.log_determinant();
    scattered_ = true;
    return;
  }
  Sequence<int> from(layout.observed, -1);  // internal place -> place in the block
  for (int i = 0; i < block.variables.size(); ++i) from[layout.position[block.variables[i]]] = i;
  Sequence<int> order;
  local_.assign(layout.leaves, -1);
  for (int v = 0; v < layout.observed; ++v) {
    if (from[v] < 0) {
      missing_.push_back(v);
      continue;
    }
    if (v < layout.leaves) local_[v] = rows_.size();
    rows_.push_back(v);
    order.push_back(from[v]);
  }
  leaves_ = 0;
  for (int row : rows_) leaves_ += row < layout.leaves;
  select(block.covariance, order, s_);
  scattered_ = !s_.isZero(0);
  m_.resize(order.size());
  for (int i = 0; i < order.size(); ++i) m_[i] = block.mean[order[i]];
}

bool Tables::move_to(const GroupMatrices& at, bool means, Marginal* whole) {
  if (!complete()) {
    tall_.resize(rows_.size(), at.tall.cols());
    for (int i = 0; i < rows_.size(); ++i) tall_.row(i) = at.tall.row(rows_[i]);
  }
  double log_determinant;
  if (uses_whole()) {
    if (!whole || !(whole->smallest_ratio() > smallest_ratio)) return false;
    if (!whole->select(rows_, missing_, w_)) return false;
    log_determinant = whole->log_determinant;
  } else {
    if (!complete()) select(at.sigma, rows_, sigma_);
    if (!factor_.compute(complete() ? at.sigma : sigma_)) return false;
    if (!(factor_.smallest_pivot() > smallest_ratio * factor_.largest_pivot())) return false;
    factor_.inverse(root_, w_);
    log_determinant = factor_.log_determinant();
  }
  discrepancy = log_determinant;
  if (scattered_) discrepancy += s_.cwiseProduct(w_).sum();
  if (!means) return true;
  if (complete()) {
    d_ = m_ - at.mean.head(m_.size());
  } else {
    d_.resize(m_.size());
    for (int i = 0; i < m_.size(); ++i) d_[i] = m_[i] - at.mean[rows_[i]];
  }
  r_.noalias() = w_ * d_;
  discrepancy += d_.dot(r_);
  return true;
}

// The inner columns of W Z or R Z at the rows of the leaves, into both sides of a table.
void Tables::spread(const Matrix& leaves_by_inner, const GroupLayout& layout, Matrix& table) const {
  const int l = layout.leaves, width = to_int(leaves_by_inner.cols());
  if (complete()) {
    table.bottomLeftCorner(width, l) = leaves_by_inner.topRows(l).transpose();
    table.topRightCorner(l, width) = leaves_by_inner.topRows(l);
    return;
  }
  for (int i = 0; i < leaves_; ++i) {
    table.row(rows_[i]).tail(width) = leaves_by_inner.row(i);
    table.col(rows_[i]).tail(width) = leaves_by_inner.row(i).transpose();
  }
}

void Tables::prepare_first(const GroupMatrices& at, const GroupLayout& layout, bool means,
                           const Sequence<Slot>& pairs) {
  const int l = layout.leaves, c = layout.inner(), size = layout.variables + c;
  const Matrix& z = tall(at);
  multiply(w_, z, wz_);
  if (complete()) {
    w_table.resize(size, size);
    w_table.topLeftCorner(l, l) = w_.topLeftCorner(l, l);
    r_table.resize(size, size);
    r_table.topLeftCorner(l, l).setZero();
  } else {
    // the rows and columns of missing leaves stay zero, all others are written at every point
    if (w_table.rows() != size) {
      w_table.setZero(size, size);
      r_table.setZero(size, size);
    }
    for (int j = 0; j < leaves_; ++j)
      for (int i = 0; i < leaves_; ++i) w_table(rows_[i], rows_[j]) = w_(i, j);
  }
  spread(wz_, layout, w_table);
  multiply(z.transpose(), wz_, w_table.bottomRightCorner(2 * c, 2 * c));
  const bool single = !scattered_ && means;
  if (!single) multiply(s_, w_, sw_);
  if (means) {
    mean_table.setZero(size);
    if (complete()) mean_table.head(l) = r_.head(l);
    else
      for (int i = 0; i < leaves_; ++i) mean_table[rows_[i]] = r_[i];
    mean_table.tail(2 * c).noalias() = z.transpose() * r_;
    if (!single) sw_.noalias() += d_ * r_.transpose();
  } else {
    mean_table.setZero(size);
  }
  // R Z_inner = W (SW) Z_inner - W Z_inner
  if (single) {
    rz_.noalias() = r_ * mean_table.tail(2 * c).transpose();
  } else {
    multiply(sw_, z, swz_);
    multiply(w_, swz_, rz_);
  }
  rz_ -= wz_;
  spread(rz_, layout, r_table);
  multiply(z.transpose(), rz_, r_table.bottomRightCorner(2 * c, 2 * c));
  for (const Slot& slot : pairs) {
    const int i = complete() ? slot.x : local_[slot.x], j = complete() ? slot.y : local_[slot.y];
    if (i < 0 || j < 0) continue;
    const double wsw = single ? r_[i] * r_[j] : w_.col(i).dot(sw_.col(j));
    r_table(slot.x, slot.y) = r_table(slot.y, slot.x) = wsw - w_(i, j);
  }
}

void Tables::add_residual(bool means, double weight, Matrix& residual, Vector& mean) {
  const int p = to_int(w_.rows());
  work_ = -w_;
  if (!scattered_ && means) {
    work_.noalias() += r_ * r_.transpose();
  } else {
    multiply(s_, w_, sw_);
    if (means) sw_.noalias() += d_ * r_.transpose();
    work_.noalias() += w_ * sw_;
  }
  for (int j = 0; j < p; ++j)
    for (int i = j; i < p; ++i) {
      // the places of a block's variables are in increasing order
      const int row = complete() ? i : rows_[i], col = complete() ? j : rows_[j];
      residual(row, col) += weight * work_(i, j);
    }
  if (!means) return;
  for (int i = 0; i < p; ++i) mean[complete() ? i : rows_[i]] += weight * r_[i];
}

void Tables::prepare_second(bool means) {
  const int l = leaves_;
  work_.resize(l, l);
  if (!scattered_ && means) {
    work_.noalias() = r_.head(l) * r_.head(l).transpose();
  } else {
    work_.triangularView<Eigen::Lower>() = w_.topRows(l) * sw_.leftCols(l);
    for (int j = 0; j < l; ++j)
      for (int i = j + 1; i < l; ++i) work_(j, i) = work_(i, j);
  }
  if (complete()) {
    r_table.topLeftCorner(l, l) = work_ - w_.topLeftCorner(l, l);
    return;
  }
  for (int j = 0; j < l; ++j)
    for (int i = 0; i < l; ++i) r_table(rows_[i], rows_[j]) = work_(i, j) - w_(i, j);
}

void Tables::prepare_saturated(const GroupMatrices& at, const GroupLayout& layout,
                               const Matrix& sigma, const Vector& mean) {
  const int c = layout.inner(), size = layout.variables + c, p = to_int(s_.rows());
  Matrix own = sigma;
  Vector d = m_;
  if (!complete()) select(sigma, rows_, own);
  for (int i = 0; i < p; ++i) d[i] -= mean[complete() ? i : rows_[i]];
  const Matrix r = w_ * (s_ + d * d.transpose() - own) * w_;
  const Matrix rz = r * tall(at);
  const Vector u = w_ * d;
  r_saturated.setZero(size, size);
  mean_saturated.setZero(size);
  for (int j = 0; j < leaves_; ++j) {
    const int at_j = complete() ? j : rows_[j];
    mean_saturated[at_j] = u[j];
    for (int i = 0; i < leaves_; ++i) r_saturated(complete() ? i : rows_[i], at_j) = r(i, j);
  }
  spread(rz, layout, r_saturated);
  r_saturated.bottomRightCorner(2 * c, 2 * c) = tall(at).transpose() * rz;
  mean_saturated.tail(2 * c) = tall(at).transpose() * u;
}

void Tables::case_table(const GroupMatrices& at, const GroupLayout& layout,
                        const Matrix& deviations, Matrix& out) const {
  const int width = 2 * layout.inner();
  const Matrix weighted = w_ * deviations;
  out.setZero(deviations.cols(), layout.leaves + width);
  for (int i = 0; i < leaves_; ++i)
    out.col(complete() ? i : rows_[i]) = weighted.row(i).transpose();
  out.rightCols(width).noalias() = weighted.transpose() * tall(at);
}

double Tables::discrepancy_from(const Matrix& sigma, const Vector& mean, Marginal* whole) const {
  Matrix w;
  double out = 0;
  if (whole && uses_whole()) {
    if (!whole->select(rows_, missing_, w)) return std::nan("");
    out = whole->log_determinant;
  } else {
    Matrix part, root;
    select(sigma, rows_, part);
    Cholesky factor;
    if (!factor.compute(part)) return std::nan("");
    factor.inverse(root, w);
    out = factor.log_determinant();
  }
  if (scattered_) out += s_.cwiseProduct(w).sum();
  Vector d(m_.size());
  for (int i = 0; i < m_.size(); ++i) d[i] = m_[i] - mean[rows_[i]];
  return out + d.dot(w * d);
}

}  // namespace orizzonte
