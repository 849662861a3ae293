// A symmetric matrix by parameters, kept in blocks: parameters of one group alone, and those that
// groups share. Between groups the information is zero, so that the factor (and everything computed
// from it) costs no more than the sum of the groups (a Schur complement).
#pragma once
#include <memory>

#include "cholesky.hpp"

namespace orizzonte {

// The block of each parameter: that of its group or, with -1, the shared one.
struct Homes {
  Sequence<int> block;
  Sequence<int> place;  // within the block
  Sequence<int> sizes;  // of the groups' blocks
  int shared = 0;

  Homes() = default;
  explicit Homes(const Model& model);
};

// The parts of a vector that belong to the blocks.
struct Split {
  Sequence<Vector> own;
  Vector shared;

  void take(const Homes& homes, const Vector& x);
  void put(const Homes& homes, Vector& x) const;
};

class Arrow {
 public:
  void reset(std::shared_ptr<const Homes> homes);  // all zero
  void add(int i, int j, double value) {  // cell (i, j) and its mirror image; the diagonal once
    if (own_.empty()) shared_(i > j ? i : j, i > j ? j : i) += value;
    else
      add_to_block(i, j, value);
  }
  int size() const { return homes_->block.size(); }
  void diagonal(Vector& out) const;
  void scale(const Vector& by);             // D M D
  double quadratic(const Vector& x) const;  // x' M x
  Matrix dense() const;                     // lower triangle

 private:
  friend class ArrowFactor;
  void add_to_block(int i, int j, double value);
  std::shared_ptr<const Homes> homes_;
  Sequence<Matrix> own_, cross_;   // by group: own x own (lower), own x shared
  Matrix shared_;                  // lower
  mutable Split parts_, product_;  // storage
};

class ArrowFactor {
 public:
  bool compute(const Arrow& m,
               double damping);  // of M + damping I; false when not positive definite
  double smallest_pivot() const;
  void solve(Vector& x) const;  // in place
  Vector inverse_diagonal() const;
  Matrix inverse() const;

 private:
  Matrix group_solution(int g) const;  // A_g^-1 C_g
  std::shared_ptr<const Homes> homes_;
  Sequence<Cholesky> own_;
  Sequence<Matrix> half_;  // L_g^-1 C_g
  Cholesky rest_;
  Matrix complement_;
  mutable Split parts_;  // storage
};

}  // namespace orizzonte
