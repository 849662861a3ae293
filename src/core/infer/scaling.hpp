// Scaling correction of the model test when the data are not normal.
#pragma once
#include "../linear/cholesky.hpp"
#include "meat.hpp"

namespace orizzonte {

struct Scaling {
  bool admissible = false;
  double trace = 0;          // tr(U Gamma); over df it is the scaling factor
  double trace_squared = 0;  // tr((U Gamma)^2), where asked for
  Matrix whitened;           // units x rank: scores over the root of the information, likewise
};

// The root of the expected information along the constraints, for scores and sums of their squares.
class RootInformation {
 public:
  RootInformation(Objective& problem, const Vector& at);
  bool admissible() const { return admissible_; }
  int rank() const { return to_int(basis_.cols()); }
  Matrix whiten(const Matrix& rows) const;  // each row by the inverse root
  double trace(const Matrix& meat) const;   // tr(I^-1 J)

 private:
  Matrix basis_;
  Cholesky factor_;
  bool admissible_ = false;
};

// Complete data (Satorra & Bentler 1994). Gamma is never formed: everything is a sum over cases.
Scaling scaling(const Model& model, const Sample& sample, const Vector& theta,
                const Sequence<Cases>& cases, bool squared, const StopToken& stop);

}  // namespace orizzonte
