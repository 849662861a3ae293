// Normal-theory maximum likelihood of complete data: one block a group.
#pragma once
#include "../linear/cholesky.hpp"
#include "../matrices.hpp"
#include "objective.hpp"

namespace orizzonte {

// F = sum_g (n_g / N) [log|Sigma| + tr(S Sigma^-1) - log|S| - p + (m - mu)' Sigma^-1 (m - mu)]
// (Joreskog 1971). All derivatives are look-ups in small tables: every dSigma has rank two at most.
class NormalTheory : public Objective {
 public:
  // `every_entry` keeps entries that no parameter moves as well, for what would happen if they were
  // freed.
  NormalTheory(std::shared_ptr<const Model> model, const Sample& sample, bool every_entry = false);

  void set_sample(const Sample& sample) override;
  bool move_to(const Vector& theta) override;
  double value() const override { return value_; }
  double n() const override { return n_; }
  using Objective::score;
  void score(Vector& out) override;
  void information(Information kind, Arrow& out) override;
  Vector entry_score() override;
  Matrix entry_information(Information kind) override;
  void cross_information(const std::vector<int>& entries, Matrix& with_parameters,
                         Vector& own) override;
  Matrix pair_information(const std::vector<int>& entries) override;

 private:
  struct Slot {  // one entry as x y' + y x' in the columns of Z = [A, C]
    int entry, x, y, row, col;
    Family family;
    double half;    // 1/2 for variances, 0 for means
    int parameter;  // where the entry is one parameter times a weight; else -1
    double weight;
  };
  struct Group {
    GroupLayout layout;
    Matrix s;
    Vector m;
    double n, log_det_s;
    std::vector<Slot> slots;  // entries that parameters move, and the others
    std::vector<Slot> still;
    GroupMatrices at;
    Cholesky factor;
    Matrix w;                 // Sigma^-1
    Matrix sw;                // S Sigma^-1
    Matrix wz, swz, rz;       // W Z, S W Z and R Z, of the inner columns
    Vector d, r;              // m - mu, W d
    Matrix root, work;        // storage of the inverse and of W S W
    Matrix table_w, table_r;  // Z'WZ, Z'RZ
    Vector table_mean;        // Z' W d
    double value;
  };
  Slot slot_of(const Group& group, int entry) const;
  std::vector<Slot> find_slots(const std::vector<int>& entries) const;
  void prepare_first(Group& group);
  void prepare_second(Group& group);
  double slot_score(const Group& group, const Slot& slot) const;
  double moment(const Group& group, const Slot& slot) const;
  double expected_pair(const Group& group, const Slot& e, const Slot& f) const;
  double observed_pair(const Group& group, const Slot& e, const Slot& f) const;
  void prepare(Information kind);
  template <class Sink>
  void sweep(Information kind, Sink&& sink);

  std::shared_ptr<const Homes> homes_;
  std::vector<Group> groups_;
  Vector at_;  // the point of the last successful move
  double n_ = 0, value_ = 0;
  bool placed_ = false, first_ = false, second_ = false;  // is there a point, and its tables
  Vector eta_;
};

}  // namespace orizzonte
