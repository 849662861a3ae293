#include "arrow.hpp"

#include <algorithm>

#include "dense.hpp"

namespace orizzonte {

Homes::Homes(const Model& model) {
  const int q = model.map.parameters, groups = model.groups.size();
  constexpr int unseen = -2, several = -1;
  block.assign(q, unseen);
  for (int e = 0; e < model.entries.size(); ++e)
    for (const Term& term : model.map.rows[e]) {
      int& home = block[term.parameter];
      const int group = model.entries[e].group;
      home = home == unseen || home == group ? group : several;
    }
  place.assign(q, 0);
  sizes.assign(groups > 1 ? groups : 0, 0);
  for (int i = 0; i < q; ++i) {
    // with a single group all are in order in the shared block
    if (groups == 1 || block[i] < 0) block[i] = several;
    place[i] = block[i] < 0 ? shared++ : sizes[block[i]]++;
  }
}

void Arrow::reset(std::shared_ptr<const Homes> where) {
  homes_ = std::move(where);
  const Homes& homes = *homes_;
  own_.resize(homes.sizes.size());
  cross_.resize(homes.sizes.size());
  for (int g = 0; g < own_.size(); ++g) {
    own_[g].setZero(homes.sizes[g], homes.sizes[g]);
    cross_[g].setZero(homes.sizes[g], homes.shared);
  }
  shared_.setZero(homes.shared, homes.shared);
}

void Arrow::add_to_block(int i, int j, double value) {
  const int gi = homes_->block[i], gj = homes_->block[j];
  const int a = homes_->place[i], b = homes_->place[j];
  if (gi == gj) {
    Matrix& target = gi < 0 ? shared_ : own_[gi];
    target(std::max(a, b), std::min(a, b)) += value;
  } else if (gi < 0) {
    cross_[gj](b, a) += value;
  } else {
    cross_[gi](a, b) += value;
  }
}

void Arrow::diagonal(Vector& out) const {
  out.resize(size());
  for (int i = 0; i < size(); ++i) {
    const int g = homes_->block[i], a = homes_->place[i];
    out[i] = g < 0 ? shared_(a, a) : own_[g](a, a);
  }
}

void Split::take(const Homes& homes, const Vector& x) {
  own.resize(homes.sizes.size());
  shared.resize(homes.shared);
  for (int g = 0; g < own.size(); ++g) own[g].resize(homes.sizes[g]);
  for (int i = 0; i < x.size(); ++i)
    (homes.block[i] < 0 ? shared : own[homes.block[i]])[homes.place[i]] = x[i];
}

void Split::put(const Homes& homes, Vector& x) const {
  x.resize(homes.block.size());
  for (int i = 0; i < x.size(); ++i)
    x[i] = (homes.block[i] < 0 ? shared : own[homes.block[i]])[homes.place[i]];
}

namespace {

void scale_lower(Matrix& m, const Vector& by) {
  for (int j = 0; j < m.cols(); ++j)
    for (int i = j; i < m.rows(); ++i) m(i, j) *= by[i] * by[j];
}

}  // namespace

void Arrow::scale(const Vector& by) {
  if (own_.empty()) return scale_lower(shared_, by);
  parts_.take(*homes_, by);
  for (int g = 0; g < own_.size(); ++g) {
    scale_lower(own_[g], parts_.own[g]);
    for (int j = 0; j < cross_[g].cols(); ++j)
      cross_[g].col(j).array() *= parts_.own[g].array() * parts_.shared[j];
  }
  scale_lower(shared_, parts_.shared);
}

double Arrow::quadratic(const Vector& x) const {
  if (own_.empty()) {
    product_.shared.noalias() = shared_.selfadjointView<Eigen::Lower>() * x;
    return x.dot(product_.shared);
  }
  parts_.take(*homes_, x);
  product_.take(*homes_, x);  // for its sizes
  product_.shared.noalias() = shared_.selfadjointView<Eigen::Lower>() * parts_.shared;
  double out = parts_.shared.dot(product_.shared);
  for (int g = 0; g < own_.size(); ++g) {
    product_.own[g].noalias() = own_[g].selfadjointView<Eigen::Lower>() * parts_.own[g];
    product_.own[g].noalias() += 2 * cross_[g] * parts_.shared;
    out += parts_.own[g].dot(product_.own[g]);
  }
  return out;
}

Matrix Arrow::dense() const {
  if (own_.empty()) return shared_;
  Matrix out = Matrix::Zero(size(), size());
  for (int j = 0; j < size(); ++j)
    for (int i = j; i < size(); ++i) {
      const int gi = homes_->block[i], gj = homes_->block[j], a = homes_->place[i],
                b = homes_->place[j];
      if (gi == gj) out(i, j) = (gi < 0 ? shared_ : own_[gi])(std::max(a, b), std::min(a, b));
      else if (gi < 0)
        out(i, j) = cross_[gj](b, a);
      else if (gj < 0)
        out(i, j) = cross_[gi](a, b);
    }
  return out;
}

bool ArrowFactor::compute(const Arrow& m, double damping) {
  homes_ = m.homes_;
  const int groups = m.own_.size();
  own_.resize(groups);
  half_.resize(groups);
  if (groups == 0) return rest_.compute(m.shared_, damping);
  complement_ = m.shared_;
  for (int g = 0; g < groups; ++g) {
    if (!own_[g].compute(m.own_[g], damping)) return false;
    half_[g] = m.cross_[g];
    own_[g].half_solve(half_[g]);
    if (homes_->shared > 0 && homes_->sizes[g] > 0)
      complement_.selfadjointView<Eigen::Lower>().rankUpdate(half_[g].transpose(), -1);
  }
  return rest_.compute(complement_, damping);
}

double ArrowFactor::smallest_pivot() const {
  double out = rest_.smallest_pivot();
  for (const Cholesky& block : own_)
    if (block.lower().rows() > 0) out = std::min(out, block.smallest_pivot());
  return out;
}

void ArrowFactor::solve(Vector& x) const {
  if (own_.empty()) return rest_.solve(x);
  parts_.take(*homes_, x);
  for (int g = 0; g < own_.size(); ++g) {
    own_[g].half_solve(parts_.own[g]);
    parts_.shared.noalias() -= half_[g].transpose() * parts_.own[g];
  }
  rest_.solve(parts_.shared);
  for (int g = 0; g < own_.size(); ++g) {
    parts_.own[g].noalias() -= half_[g] * parts_.shared;
    own_[g].other_half_solve(parts_.own[g]);
  }
  parts_.put(*homes_, x);
}

Matrix ArrowFactor::group_solution(int g) const {
  Matrix out = half_[g];
  own_[g].other_half_solve(out);
  return out;
}

// Inverse of a group's own block: A_g^-1 + X_g S^-1 X_g', with X_g = A_g^-1 C_g.
Vector ArrowFactor::inverse_diagonal() const {
  if (own_.empty()) return rest_.inverse_diagonal();
  Matrix root, rest;
  rest_.inverse(root, rest);
  Split parts;
  parts.take(*homes_, Vector::Zero(homes_->block.size()));
  parts.shared = rest.diagonal();
  for (int g = 0; g < own_.size(); ++g) {
    const Matrix x = group_solution(g);
    parts.own[g] = own_[g].inverse_diagonal() + row_products(x * rest, x);
  }
  Vector out;
  parts.put(*homes_, out);
  return out;
}

Matrix ArrowFactor::inverse() const {
  Matrix root, rest;
  rest_.inverse(root, rest);
  if (own_.empty()) return rest;
  const int q = homes_->block.size();
  Sequence<Sequence<int>> members(own_.size());
  Sequence<int> shared;
  for (int i = 0; i < q; ++i)
    (homes_->block[i] < 0 ? shared : members[homes_->block[i]]).push_back(i);
  Matrix out(q, q);
  const auto put = [&](const Sequence<int>& rows, const Sequence<int>& cols, const Matrix& block) {
    for (int j = 0; j < cols.size(); ++j)
      for (int i = 0; i < rows.size(); ++i)
        out(rows[i], cols[j]) = out(cols[j], rows[i]) = block(i, j);
  };
  put(shared, shared, rest);
  Sequence<Matrix> x(own_.size());
  for (int g = 0; g < own_.size(); ++g) {
    x[g] = group_solution(g);
    const Matrix across = x[g] * rest;
    put(members[g], shared, -across);
    for (int h = 0; h < g; ++h) put(members[g], members[h], across * x[h].transpose());
    Matrix alone;
    own_[g].inverse(root, alone);
    put(members[g], members[g], alone + across * x[g].transpose());
  }
  return out;
}

}  // namespace orizzonte
