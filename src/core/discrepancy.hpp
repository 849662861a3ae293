// The maximum likelihood discrepancy of complete data, and its derivatives.
#pragma once
#include "arrow.hpp"
#include "matrices.hpp"

namespace orizzonte {

// F = sum_g (n_g / N) [log|Sigma| + tr(S Sigma^-1) - log|S| - p + (m - mu)' Sigma^-1 (m - mu)] (Joreskog 1971).
// All derivatives are look-ups in small tables: every dSigma has rank two at most.
class Discrepancy {
 public:
  // `every_entry` keeps entries that no parameter moves as well, for what would happen if they were freed.
  Discrepancy(const Model& model, const std::vector<Moments>& sample, bool every_entry = false);

  // False when some Sigma_g is not positive definite or det(I - B) has changed its sign or vanished.
  bool move_to(const Vector& theta);
  double value() const { return value_; }            // F
  double n() const { return n_; }
  const Model& model() const { return model_; }

  // Of the log-likelihood l = -N F / 2, with respect to the free parameters.
  Vector score();
  Matrix expected_information();                     // lower triangle filled
  Matrix observed_information();                     // minus the Hessian of l; lower triangle filled
  void information(bool observed, Arrow& out);       // either, in blocks

  // The same with respect to the entries themselves, before the map (full matrices).
  Vector entry_score();
  Matrix entry_information(bool observed);

  // Expected information of single entries: with every parameter (parameters x entries), on their own, and with each other.
  void cross_information(const std::vector<int>& entries, Matrix& with_parameters, Vector& own);
  Matrix pair_information(const std::vector<int>& entries);

 private:
  struct Slot {                                      // one entry as x y' + y x' in the columns of Z = [A, C]
    int entry, x, y, row, col;
    Family family;
    double half;                                     // 1/2 for variances, 0 for means
    int parameter;                                   // where the entry is one parameter times a weight; else -1
    double weight;
  };
  struct Group {
    GroupLayout layout;
    Matrix s;
    Vector m;
    double n, log_det_s;
    std::vector<Slot> slots;                         // entries that parameters move, and the others
    std::vector<Slot> still;
    GroupMatrices at;
    Cholesky factor;
    Matrix w;                                        // Sigma^-1
    Matrix sw;                                       // S Sigma^-1
    Matrix wz, swz, rz;                              // W Z, S W Z and R Z, of the inner columns
    Vector d, r;                                     // m - mu, W d
    Matrix table_w, table_r;                         // Z'WZ, Z'RZ
    Vector table_mean;                               // Z' W d
    double value;
  };
  Slot slot_of(const Group& group, int entry) const;
  std::vector<const Slot*> find_slots(const std::vector<int>& entries) const;
  void prepare_first(Group& group);
  void prepare_second(Group& group);
  double slot_score(const Group& group, const Slot& slot) const;
  double moment(const Group& group, const Slot& slot) const;
  double expected_pair(const Group& group, const Slot& e, const Slot& f) const;
  double observed_pair(const Group& group, const Slot& e, const Slot& f) const;
  template <class Sink> void sweep(bool observed, Sink&& sink);

  const Model& model_;
  Homes homes_;
  std::vector<Group> groups_;
  Vector at_;                                        // the point of the last successful move
  double n_ = 0, value_ = 0;
  bool first_ = false, second_ = false;
  Matrix work_;
};

}  // namespace orizzonte
