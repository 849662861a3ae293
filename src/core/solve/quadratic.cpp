#include "quadratic.hpp"
#include "../linear/dense.hpp"

namespace orizzonte {

Quadratic solve_quadratic(const Cholesky& factor, const Vector& g, const Matrix& a, const Vector& c,
                          const Sequence<char>& equality, Sequence<char> working) {
  Quadratic out;
  const int m = to_int(c.size());
  Vector free_step = g;
  factor.solve(free_step);
  Matrix reach = a.transpose();  // M^-1 A'
  factor.solve(reach);
  for (int pass = 0; pass < 20 + 4 * m; ++pass) {
    Sequence<int> rows;
    for (int k = 0; k < m; ++k)
      if (working[k]) rows.push_back(k);
    const int w = rows.size();
    Matrix gram(w, w);
    Vector right(w);
    for (int i = 0; i < w; ++i) {
      right[i] = -c[rows[i]] - a.row(rows[i]).dot(free_step);
      for (int j = 0; j < w; ++j) gram(i, j) = a.row(rows[i]).dot(reach.col(rows[j]));
    }
    const Vector lambda = w > 0 ? Vector(least_squares(gram, right)) : Vector(0);
    out.step = free_step;
    out.multipliers = Vector::Zero(m);
    for (int i = 0; i < w; ++i) {
      out.step += lambda[i] * reach.col(rows[i]);
      out.multipliers[rows[i]] = lambda[i];
    }
    out.working = working;
    int drop = -1, add = -1;
    double worst = -1e-12;
    for (int k = 0; k < m; ++k) {
      if (equality[k]) continue;
      if (working[k] && out.multipliers[k] < 0 &&
          (drop < 0 || out.multipliers[k] < out.multipliers[drop]))
        drop = k;
      const double slack = a.row(k).dot(out.step) + c[k];
      if (!working[k] && slack < worst) {
        worst = slack;
        add = k;
      }
    }
    if (add < 0 && drop < 0) {
      out.solved = true;
      return out;
    }
    if (add >= 0) working[add] = 1;
    else
      working[drop] = 0;
  }
  return out;
}

}  // namespace orizzonte
