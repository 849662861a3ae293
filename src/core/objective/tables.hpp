// The cases of one block at a point of the model: the inverse of their Sigma, and the small tables
// in which derivatives are looked up.
#pragma once
#include "../linear/cholesky.hpp"
#include "../linear/marginal.hpp"
#include "../moments/block.hpp"
#include "slot.hpp"

namespace orizzonte {

// For complete cases all tables are filled; for incomplete ones the missing leaves have rows and
// columns of zeros in the tables, which therefore have one shape for all blocks of a group.
class Tables {
 public:
  double n = 0;
  Matrix w_table;          // Z' W Z
  Matrix r_table;          // Z' R Z, R = W (S + d d' - Sigma) W
  Vector mean_table;       // Z' W d
  double discrepancy = 0;  // log|Sigma| + tr(S W) + d' W d

  void set(const Block& block, const GroupLayout& layout);
  bool complete() const { return rows_.empty(); }
  double log_determinant_of_data() const { return log_det_s_; }
  // False when its Sigma is not positive definite.
  // If few variables are missing, Sigma^-1 is computed from that of the whole.
  bool move_to(const GroupMatrices& at, bool means, Marginal* whole);
  bool uses_whole() const { return !complete() && Marginal::pays(rows_.size(), missing_.size()); }
  // For first derivatives. R is formed only for the leaves at `pairs`.
  void prepare_first(const GroupMatrices& at, const GroupLayout& layout, bool means,
                     const Sequence<Slot>& pairs);
  // Adds R and W d, times `weight`, to those of all observed variables (internal order): all that
  // the score of several blocks needs. Only the lower triangle of R.
  void add_residual(bool means, double weight, Matrix& residual, Vector& mean);
  // R of all leaves as well.
  void prepare_second(bool means);
  // The same of deviations from the saturated moments (internal order): R = W (S + d d' - Sigma~) W
  // and W d with d = m - mu~.
  void prepare_saturated(const GroupMatrices& at, const GroupLayout& layout, const Matrix& sigma,
                         const Vector& mean);
  Matrix r_saturated;
  Vector mean_saturated;
  // Z' W (x - mu) of single cases, given by their deviations from mu (variables x cases, in the
  // block's order): cases x columns of the tables.
  void case_table(const GroupMatrices& at, const GroupLayout& layout, const Matrix& deviations,
                  Matrix& out) const;
  const Sequence<int>& rows() const { return rows_; }
  const Vector& data_mean() const { return m_; }
  // log|Sigma| + tr(S W) + d' W d for any moments, of which the block uses its own part; from the
  // inverse of the whole where that is given.
  double discrepancy_from(const Matrix& sigma, const Vector& mean, Marginal* whole) const;

 private:
  const Matrix& tall(const GroupMatrices& at) const { return complete() ? at.tall : tall_; }
  void spread(const Matrix& leaves_by_inner, const GroupLayout& layout, Matrix& table) const;

  Sequence<int> rows_;  // internal places of its variables, in order; empty: all
  Sequence<int> missing_;
  Sequence<int> local_;  // of a leaf among them, -1 when it is missing
  int leaves_ = 0;
  Matrix s_;
  bool scattered_ = true;  // false of a single case, whose S is zero and W (S + d d') W = W d d' W
  Vector m_;
  double log_det_s_ = 0;
  Cholesky factor_;
  Matrix sigma_, tall_;   // the block's part, where it is not the whole
  Matrix w_, sw_;         // Sigma^-1, S Sigma^-1
  Matrix wz_, swz_, rz_;  // W Z, S W Z and R Z, of the inner columns
  Vector d_, r_;          // m - mu, W d
  Matrix root_, work_;    // storage of the inverse and of W S W
};

}  // namespace orizzonte
