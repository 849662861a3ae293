// The Cholesky factor of a matrix of any rank.
#pragma once
#include "../model.hpp"

namespace orizzonte {

// Rows of R, with R'R = A[pivot, pivot]: the largest remaining diagonal comes first, until it is no
// larger than `tolerance` (Higham 1990). The number of rows of R is the rank of A.
struct PivotedRoot {
  Matrix root;          // rank x size
  Sequence<int> pivot;  // the row of A behind each column of the root
};
PivotedRoot pivoted_root(const Matrix& symmetric, double tolerance);

}  // namespace orizzonte
