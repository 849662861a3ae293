// Closed forms for starting values.
#pragma once
#include "../model.hpp"

namespace orizzonte {

using Pairs = Eigen::Array<bool, Eigen::Dynamic, Eigen::Dynamic>;

// Loadings of one factor on k indicators with covariance matrix r: Spearman's closed form for
// communalities after the signs of the leading eigenvector (Spearman 1927; Hagglund 1982).
Vector one_factor(const Matrix& r);

// The same from those covariances alone that no other construct has a share in (`apart`), by
// alternating least squares from `loading`: what items of different specific factors share is all
// the general factor's.
Vector factor_apart(const Matrix& r, const Pairs& apart, Vector loading);

// Shrinks the off-diagonal elements towards zero until the matrix is clearly positive definite.
void shrink_to_positive(Matrix& m);

}  // namespace orizzonte
