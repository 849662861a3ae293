// Normal-theory maximum likelihood: sums over blocks of cases that have the same variables.
// Complete data are one block per group, incomplete data one block per missing pattern (Arbuckle
// 1996).
#pragma once
#include "free_covariances.hpp"
#include "objective.hpp"
#include "tables.hpp"

namespace orizzonte {

// Complete data: F = sum_g (n_g / N) [log|Sigma| + tr(S Sigma^-1) - log|S| - p + (m - mu)' Sigma^-1
// (m - mu)] (Joreskog 1971). With missing values the same over patterns, less its value at the
// saturated moments. All derivatives are look-ups in small tables: every dSigma has rank two at
// most.
class NormalTheory : public Objective {
 public:
  // `every_entry` also keeps entries that no parameter moves, for predictions about freeing them.
  NormalTheory(std::shared_ptr<const Model> model, const Sample& sample, bool every_entry = false);

  void set_sample(const Sample& sample) override;
  bool move_to(const Vector& theta) override;
  double value() const override { return value_; }
  double n() const override { return n_; }
  Information inference() const override { return inference_; }
  using Objective::score;
  void score(Vector& out) override;
  void information(Information kind, Arrow& out) override;
  Vector entry_score() override;
  Matrix entry_information(Information kind) override;
  void cross_information(const Sequence<int>& entries, Matrix& with_parameters,
                         Vector& own) override;
  Matrix pair_information(const Sequence<int>& entries) override;
  // Complete data: free covariances of constructs are eliminated. The metric 1/2 tr(W A W B) then
  // becomes 1/2 tr(W A W B) - 1/2 tr(H A H B), where H = W Z (Z' W Z)^-1 Z' W and Z has the columns
  // of these constructs. False where their own information is singular.
  bool eliminate(const FreeCovariances& free);
  // Expected information on the other parameters (rows of eliminated ones are zero), and `whole`,
  // the information on each alone if nothing were eliminated.
  Matrix information_left(Vector& whole) const;
  void cross_left(const Sequence<int>& entries, Matrix& with_parameters, Vector& own,
                  Vector& whole) const;
  void case_scores(int g, const Matrix& values, About about, Matrix& out) override;
  void case_entry_scores(int g, const Matrix& values, const Sequence<int>& entries,
                         Matrix& out) override;

 private:
  struct Group {
    GroupLayout layout;
    double n = 0, saturated = 0, value = 0;
    Matrix covariance;  // saturated moments, where values are missing
    Vector mean;
    Sequence<Slot> slots;  // entries that parameters move, and the others
    Sequence<Slot> still;
    Sequence<Slot> leaf_pairs;  // covariances of leaves, among both
    GroupMatrices at;
    Marginal whole;
    Sequence<Tables> blocks;
    Matrix h_table;       // Z' H Z, once covariances are eliminated
    Sequence<Slot> left;  // slots of the other parameters
    Matrix r_sum;         // R and W d over the blocks, by n; of one block its own tables serve
    Vector mean_sum;
    const Matrix& r() const { return blocks.size() == 1 ? blocks[0].r_table : r_sum; }
    const Vector& u() const { return blocks.size() == 1 ? blocks[0].mean_table : mean_sum; }
  };
  template <class Sink>
  void by_block(int g, const Matrix& values, About about, Sink&& sink);
  Sequence<Slot> find_slots(const Sequence<int>& entries) const;
  void add_up(Group& group);
  // R and W d over the blocks without the tables of each, where only the score is wanted.
  void sum_residuals();
  double slot_score(const Group& group, const Slot& slot) const;
  double expected_pair(const Group& group, const Tables& block, const Slot& e, const Slot& f) const;
  double misfit_pair(const Group& group, const Tables& block, const Matrix& r, const Vector& u,
                     const Slot& e, const Slot& f) const;
  double pair_left(const Group& group, const Slot& e, const Slot& f) const;
  double curvature(const Group& group, const Slot& e, const Slot& f) const;
  template <Information kind>
  void add_tiles(const Group& group, const Sequence<Slot>& rows, const Sequence<Slot>& columns,
                 bool lower, Matrix& out) const;
  template <Information kind>
  void add_pairs(const Group& group, const Sequence<Slot>& rows, const Sequence<Slot>& columns,
                 bool lower, Matrix& out) const;
  void pairs(Information kind, const Group& group, const Sequence<Slot>& rows,
             const Sequence<Slot>& columns, bool lower, Matrix& out) const;
  void prepare(Information kind);
  Information tested();
  double alone(Information kind, const Group& group, const Slot& e) const;
  Sequence<int> places_in(int group, const Sequence<int>& entries) const;
  template <class Sink>
  void sweep(Information kind, Sink&& sink);

  std::shared_ptr<const Homes> homes_;
  const bool means_;
  Sequence<Group> groups_;
  Vector at_;  // the point of the last successful move
  double n_ = 0, value_ = 0;
  Information inference_ = Information::Expected;
  bool placed_ = false, first_ = false, second_ = false;  // is there a point, and its tables
  bool tested_ = false, summed_ = false;
  Vector eta_;
  Matrix pairs_;     // entries of an information, on their way
  Matrix residual_;  // R of all observed variables of a group, and W d
  Vector deviation_;
};

}  // namespace orizzonte
