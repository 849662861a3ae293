// One entry of the model matrices as derivatives look it up.
#pragma once
#include "../matrices.hpp"

namespace orizzonte {

// dSigma = x y' + y x' in the columns of Z = [A, C] (halved for variances), dmu = a_x times a
// number.
struct Slot {
  int entry, x, y, row, col;
  Family family;
  double half;    // 1/2 for variances, 0 for means
  int parameter;  // where the entry is one parameter times a weight; else -1
  double weight;
};

inline Slot slot_of(const Model& model, const GroupLayout& layout, int e) {
  const int v = layout.variables, l = layout.leaves;
  const Entry& entry = model.entries[e];
  Slot slot{e, layout.position[entry.row], 0, 0, 0, entry.family, 1, -1, 0};
  const Terms& terms = model.map.rows[e];
  if (terms.size() == 1) {
    slot.parameter = terms[0].parameter;
    slot.weight = terms[0].weight;
  }
  slot.row = slot.x;
  if (entry.family != Family::Mean) slot.col = layout.position[entry.col];
  if (entry.family == Family::Effect) slot.y = v + slot.col - l;
  if (entry.family == Family::Covariance) {
    slot.y = slot.col;
    if (slot.row == slot.col) slot.half = 0.5;
  }
  if (entry.family == Family::Mean) slot.half = 0;
  return slot;
}

// d mu = a_x times this number
inline double moment(const GroupMatrices& at, const Slot& slot) {
  switch (slot.family) {
    case Family::Effect:
      return at.mean[slot.col];
    case Family::Mean:
      return 1;
    default:
      return 0;
  }
}

}  // namespace orizzonte
