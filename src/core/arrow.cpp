#include "arrow.hpp"

#include <algorithm>

namespace orizzonte {

Homes::Homes(const Model& model) {
  const int q = model.map.parameters, groups = static_cast<int>(model.groups.size());
  constexpr int unseen = -2, several = -1;
  block.assign(q, unseen);
  for (size_t e = 0; e < model.entries.size(); ++e)
    for (const Term& term : model.map.rows[e]) {
      int& home = block[term.parameter];
      const int group = model.entries[e].group;
      home = home == unseen || home == group ? group : several;
    }
  place.assign(q, 0);
  sizes.assign(groups > 1 ? groups : 0, 0);
  for (int i = 0; i < q; ++i) {
    // of one group all are in order in the shared block
    if (groups == 1 || block[i] < 0) block[i] = several;
    place[i] = block[i] < 0 ? shared++ : sizes[block[i]]++;
  }
}

void Arrow::reset(const Homes& homes) {
  homes_ = &homes;
  own_.resize(homes.sizes.size());
  cross_.resize(homes.sizes.size());
  for (size_t g = 0; g < own_.size(); ++g) {
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

Vector Arrow::diagonal() const {
  Vector out(size());
  for (int i = 0; i < size(); ++i) {
    const int g = homes_->block[i], a = homes_->place[i];
    out[i] = g < 0 ? shared_(a, a) : own_[g](a, a);
  }
  return out;
}

namespace {

// The parts of a vector that belong to the blocks, and back.
struct Split {
  std::vector<Vector> own;
  Vector shared;

  Split(const Homes& homes, const Vector& x) : own(homes.sizes.size()), shared(homes.shared) {
    for (size_t g = 0; g < own.size(); ++g) own[g].resize(homes.sizes[g]);
    for (int i = 0; i < x.size(); ++i) (homes.block[i] < 0 ? shared : own[homes.block[i]])[homes.place[i]] = x[i];
  }
  Vector joined(const Homes& homes) const {
    Vector out(homes.block.size());
    for (int i = 0; i < out.size(); ++i) out[i] = (homes.block[i] < 0 ? shared : own[homes.block[i]])[homes.place[i]];
    return out;
  }
};

void scale_lower(Matrix& m, const Vector& by) {
  for (int j = 0; j < m.cols(); ++j)
    for (int i = j; i < m.rows(); ++i) m(i, j) *= by[i] * by[j];
}

bool factorise(Cholesky& factor, const Matrix& m, double damping) {
  if (damping == 0) return factor.compute(m);
  Matrix copy = m;
  copy.diagonal().array() += damping;
  return factor.compute(copy);
}

}  // namespace

void Arrow::scale(const Vector& by) {
  if (own_.empty()) return scale_lower(shared_, by);
  const Split parts(*homes_, by);
  for (size_t g = 0; g < own_.size(); ++g) {
    scale_lower(own_[g], parts.own[g]);
    cross_[g] = parts.own[g].asDiagonal() * cross_[g] * parts.shared.asDiagonal();
  }
  scale_lower(shared_, parts.shared);
}

double Arrow::quadratic(const Vector& x) const {
  if (own_.empty()) return x.dot(shared_.selfadjointView<Eigen::Lower>() * x);
  const Split parts(*homes_, x);
  double out = parts.shared.dot(shared_.selfadjointView<Eigen::Lower>() * parts.shared);
  for (size_t g = 0; g < own_.size(); ++g)
    out += parts.own[g].dot(own_[g].selfadjointView<Eigen::Lower>() * parts.own[g] + 2 * (cross_[g] * parts.shared));
  return out;
}

Matrix Arrow::dense() const {
  if (own_.empty()) return shared_;
  Matrix out = Matrix::Zero(size(), size());
  for (int j = 0; j < size(); ++j)
    for (int i = j; i < size(); ++i) {
      const int gi = homes_->block[i], gj = homes_->block[j], a = homes_->place[i], b = homes_->place[j];
      if (gi == gj) out(i, j) = (gi < 0 ? shared_ : own_[gi])(std::max(a, b), std::min(a, b));
      else if (gi < 0) out(i, j) = cross_[gj](b, a);
      else if (gj < 0) out(i, j) = cross_[gi](a, b);
    }
  return out;
}

bool ArrowFactor::compute(const Arrow& m, double damping) {
  homes_ = m.homes_;
  const size_t groups = m.own_.size();
  own_.resize(groups);
  half_.resize(groups);
  if (groups == 0) return factorise(rest_, m.shared_, damping);
  Matrix rest = m.shared_;
  for (size_t g = 0; g < groups; ++g) {
    if (!factorise(own_[g], m.own_[g], damping)) return false;
    half_[g] = own_[g].half_solve(m.cross_[g]);
    if (homes_->shared > 0 && homes_->sizes[g] > 0) rest.selfadjointView<Eigen::Lower>().rankUpdate(half_[g].transpose(), -1);
  }
  return factorise(rest_, rest, damping);
}

double ArrowFactor::smallest_pivot() const {
  double out = rest_.diagonal().size() > 0 ? rest_.diagonal().minCoeff() : 1;
  for (const Cholesky& block : own_)
    if (block.diagonal().size() > 0) out = std::min(out, block.diagonal().minCoeff());
  return out;
}

Vector ArrowFactor::solve(const Vector& x) const {
  if (own_.empty()) return rest_.solve(x);
  Split parts(*homes_, x);
  for (size_t g = 0; g < own_.size(); ++g) {
    parts.own[g] = own_[g].half_solve(parts.own[g]);
    parts.shared -= half_[g].transpose() * parts.own[g];
  }
  parts.shared = rest_.solve(parts.shared);
  for (size_t g = 0; g < own_.size(); ++g) parts.own[g] = own_[g].other_half_solve(Vector(parts.own[g] - half_[g] * parts.shared));
  return parts.joined(*homes_);
}

Matrix ArrowFactor::group_solution(size_t g) const { return own_[g].other_half_solve(half_[g]); }

// Of own blocks: A_g^-1 + X_g S^-1 X_g', with X_g = A_g^-1 C_g.
Vector ArrowFactor::inverse_diagonal() const {
  Matrix root, rest;
  rest_.inverse(root, rest);
  if (own_.empty()) return rest.diagonal();
  Split parts(*homes_, Vector::Zero(homes_->block.size()));
  parts.shared = rest.diagonal();
  for (size_t g = 0; g < own_.size(); ++g) {
    const Matrix x = group_solution(g);
    Matrix alone;
    own_[g].inverse(root, alone);
    parts.own[g] = alone.diagonal() + (x * rest).cwiseProduct(x).rowwise().sum();
  }
  return parts.joined(*homes_);
}

Matrix ArrowFactor::inverse() const {
  Matrix root, rest;
  rest_.inverse(root, rest);
  if (own_.empty()) return rest;
  const int q = static_cast<int>(homes_->block.size());
  std::vector<std::vector<int>> members(own_.size());
  std::vector<int> shared;
  for (int i = 0; i < q; ++i) (homes_->block[i] < 0 ? shared : members[homes_->block[i]]).push_back(i);
  Matrix out(q, q);
  const auto put = [&](const std::vector<int>& rows, const std::vector<int>& cols, const Matrix& block) {
    for (size_t j = 0; j < cols.size(); ++j)
      for (size_t i = 0; i < rows.size(); ++i) out(rows[i], cols[j]) = out(cols[j], rows[i]) = block(i, j);
  };
  put(shared, shared, rest);
  std::vector<Matrix> x(own_.size());
  for (size_t g = 0; g < own_.size(); ++g) {
    x[g] = group_solution(g);
    const Matrix across = x[g] * rest;
    put(members[g], shared, -across);
    for (size_t h = 0; h < g; ++h) put(members[g], members[h], across * x[h].transpose());
    Matrix alone;
    own_[g].inverse(root, alone);
    put(members[g], members[g], alone + across * x[g].transpose());
  }
  return out;
}

}  // namespace orizzonte
