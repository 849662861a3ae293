// Adjusted p values of many statistics that depend on each other.
#pragma once
#include <vector>

#include "../linear/dense.hpp"

namespace orizzonte {

// Step-down adjusted p values by the maximum of all statistics (Westfall & Young, 1993): each is
// compared with the maximum over itself and all smaller ones in every draw. `order`: the numbers of
// the statistics, from 1, from the largest to the smallest; missing ones come last and have missing
// p values. `null`: statistics x draws.
Vector step_down(const Vector& statistic, const std::vector<int>& order,
                 const Eigen::Ref<const Matrix>& null);

}  // namespace orizzonte
