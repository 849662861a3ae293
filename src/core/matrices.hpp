// The model matrices of one group and the moments they imply.
#pragma once
#include "model.hpp"

namespace orizzonte {

// All matrices that a results function may need, in the caller's order of variables.
struct Implied {
  Matrix effects;     // B
  Matrix residual;    // Psi
  Vector intercepts;  // alpha
  Matrix total;       // T = (I - B)^-1
  Matrix covariance;  // Phi = T Psi T', all variables
  Vector mean;        // E = T alpha, all variables
};
Sequence<Implied> implied(const Model& model, const Vector& eta);

// Items without effects on other variables ("leaves") are most of the variables. They are put
// first, so that B has no columns for them and T, Phi and the derivative tables shrink to the few
// other variables (the "inner" ones): observed causes, then constructs.
struct GroupLayout {
  int observed = 0;
  int variables = 0;
  int leaves = 0;
  int inner() const { return variables - leaves; }
  Sequence<int> position;  // caller's variable -> internal position
  Sequence<int> entries;   // indices into Model::entries
};
Sequence<GroupLayout> arrange(const Model& model);
Matrix to_internal(const GroupLayout& layout, const Matrix& observed_square);
Vector to_internal(const GroupLayout& layout, const Vector& observed);

// One group's matrices at a parameter point, in internal order.
struct GroupMatrices {
  Matrix loadings;  // leaves x inner block of B
  Matrix inner_effects;
  Matrix psi;  // all x all
  Vector alpha;
  Matrix total;            // inner block of T
  Matrix phi;              // inner block of Phi
  Vector mean;             // E of all variables
  double determinant = 1;  // of I - B
  Matrix tall;             // observed x 2 inner: inner columns of A = F T, then of C = F Phi
  Matrix sigma;

  void update(const Model& model, const GroupLayout& layout, const Vector& eta);

 private:
  // T = (I - B)^-1 of the inner block and its Phi; trivial when there are no effects among inner
  // variables.
  void invert_paths(bool paths);

  Eigen::PartialPivLU<Matrix> lu_;
  Matrix part_, cross_, leaf_part_;  // storage
};

}  // namespace orizzonte
