#include "objective.hpp"

namespace orizzonte {

Vector Objective::score() {
  Vector out;
  score(out);
  return out;
}

Matrix Objective::dense_information(Information kind) {
  information(kind, dense_);
  return dense_.dense();
}

}  // namespace orizzonte
