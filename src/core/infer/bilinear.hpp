// Products of many symmetric matrices with pairs of vectors.
#pragma once
#include "../linear/dense.hpp"

namespace orizzonte {

// left_a' S right_b for each pair (a, b) of columns and each S: pairs x matrices. `halves`: one
// column for each S, its lower triangle column by column, the diagonal divided by the root of 2.
Matrix bilinear_forms(const Eigen::Ref<const Matrix>& halves, const Matrix& left,
                      const Matrix& right, const Sequence<int>& a, const Sequence<int>& b);

}  // namespace orizzonte
