// Closed forms for starting values.
#pragma once
#include "../model.hpp"

namespace orizzonte {

using Pairs = Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic>;

// Loadings of one factor on k indicators with covariance matrix r: Spearman's closed form for
// communalities after the signs of the leading eigenvector (Spearman 1927; Hagglund 1982).
Vector one_factor(const Matrix& r);

// The same from only those covariances that no other construct contributes to (`apart`), by
// alternating least squares from `loading`: the covariance of items of different specific factors
// is due to the general factor alone.
Vector factor_apart(const Matrix& r, const Pairs& apart, Vector loading);

// Shrinks the off-diagonal elements towards zero until the matrix is clearly positive definite.
void shrink_to_positive(Matrix& m);

}  // namespace orizzonte
