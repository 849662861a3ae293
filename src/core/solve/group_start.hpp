// Starting values of one group: constructs are added one by one to the covariances of the observed
// variables, then every variable is regressed on its causes.
#pragma once

#include "../moments/block.hpp"
#include "../random.hpp"
#include "basis.hpp"
#include "closed_form.hpp"

namespace orizzonte {

class GroupStart {
 public:
  GroupStart(const Model& model, int group, const Sample::value_type& moments, Vector& eta);
  // Sets the group's entries of eta, for constructs of unit variance where their scale is free.
  void run(Random* random);

 private:
  void add_constructs(Random* random);
  bool ready(const Scale& scale) const;
  Sequence<const Scale*> ready_together(int first);
  void construct(const Scale& scale, Random* random);
  void given(const Sequence<const Scale*>& scales, Random* random);
  void compose(const Scale& scale);
  Pairs measured_apart(const Sequence<int>& items, int but) const;
  void vary(const Matrix& block, Vector& loading, Random& random) const;
  void settle_covariances(Random* random);
  void regress(int outcome, Random* random);
  void regress_on_one(int outcome, int arrow);
  void settle_variance(int outcome, double residual, const Random* random);
  void set_covariances();
  void set_means();

  const Model& model;
  const int group, observed;
  Vector& eta;
  Sequence<int> entries;
  Sequence<const Scale*> scales;
  Sequence<char> done;             // by scale
  Matrix covariance;               // of observed variables and constructs alike
  Matrix residual;                 // of observed variables, less what constructs explain
  Sequence<Sequence<int>> causes;  // entries pointing at each variable
  Sequence<int> variances;         // the entry of each variable's variance, or -1
  Sequence<int> memberships;       // how many constructs a variable is an indicator of
  Sequence<int> measured_by;       // how many of those have been dealt with
  Sequence<char> known;
  Sequence<char> measuring;  // entries that are loadings
  Sequence<char> composed;   // entries that are weights of a composite
  Sequence<char> settled;    // loadings of constructs whose scale is given
  Vector mean;               // of observed variables, and of constructs whose scale is given
};

}  // namespace orizzonte
