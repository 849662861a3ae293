#include "bilinear.hpp"

#include <cmath>

namespace orizzonte {

Matrix bilinear_forms(const Eigen::Ref<const Matrix>& halves, const Matrix& left,
                      const Matrix& right, const Sequence<int>& a, const Sequence<int>& b) {
  const Eigen::Index size = left.rows();
  Matrix out(a.size(), halves.cols()), square(size, size), product, whole;
  // of few pairs each is one product of vectors; all pairs together are a product of matrices
  const bool few = 4 * static_cast<Eigen::Index>(a.size()) < left.cols() * right.cols();
  for (Eigen::Index k = 0; k < halves.cols(); ++k) {
    Eigen::Index place = 0;
    for (Eigen::Index j = 0; j < size; ++j) {
      square(j, j) = std::sqrt(2.0) * halves(place++, k);
      for (Eigen::Index i = j + 1; i < size; ++i) square(i, j) = square(j, i) = halves(place++, k);
    }
    product.noalias() = square * right;
    if (few) {
      for (int i = 0; i < a.size(); ++i) out(i, k) = left.col(a[i]).dot(product.col(b[i]));
    } else {
      whole.noalias() = left.transpose() * product;
      for (int i = 0; i < a.size(); ++i) out(i, k) = whole(a[i], b[i]);
    }
  }
  return out;
}

}  // namespace orizzonte
