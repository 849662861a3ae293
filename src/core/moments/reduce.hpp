// From single cases to blocks by missing pattern.
#pragma once
#include "block.hpp"
#include "cases.hpp"

namespace orizzonte {

// One block for each set of variables that some cases have, in the order of first occurrence: n (or
// the sum of the weights), covariances with divisor n, means. Two passes, so that large means cost
// no digits. Cases without any value belong to no block.
Sequence<Block> reduce_cases(const Eigen::Ref<const Matrix>& values, const Vector& weight,
                             int group = 0);

}  // namespace orizzonte
