#include "sandwich.hpp"

#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"
#include "../solve/constraints.hpp"

namespace orizzonte {
namespace {

// B = Z (Z' H Z)^-1 Z', where Z spans the directions along the constraints and H leaves out the
// curvature of the constraints themselves.
class Bread {
 public:
  // False when Z' H Z is not positive definite.
  bool set(Objective& problem, const Vector& theta) {
    Matrix hessian = problem.unit_information(Information::Observed, unit_);
    if (!problem.model().constraints.empty()) {
      const Tangent along =
          tangent(problem.model(), theta, unit_, unit_.cwiseProduct(problem.score()));
      basis_ = along.basis;
      bound_ = true;
      hessian = (basis_.transpose() * (hessian - along.curvature) * basis_).eval();
    }
    return factor_.compute(hessian);
  }
  // B x
  Matrix times(const Matrix& x) const {
    Matrix out = unit_.asDiagonal() * x;
    if (bound_) out = (basis_.transpose() * out).eval();
    factor_.solve(out);
    if (bound_) out = (basis_ * out).eval();
    return unit_.asDiagonal() * out;
  }

 private:
  Vector unit_;
  Matrix basis_;  // Z, in units of the parameters
  bool bound_ = false;
  Cholesky factor_;
};

// Means of a group's observed variables: their covariance with the parameters and with each other.
void add_means(CaseProblem& own, int g, const Bread& bread, double n, const StopToken& stop,
               Sandwich& out) {
  const int q = to_int(own.at.size()), p = to_int(own.cases[g].values.cols());
  const Vector &sd = own.scaled.item_unit[g], &mean = own.scaled.sample[g].mean;
  SquareSum sum(own.cases[g], q + p);
  Matrix scores, rows;
  for_chunks(own.cases[g], stop, [&](int first, const Matrix& values) {
    own.problem.case_scores(g, values, About::Model, scores);
    rows.resize(values.rows(), q + p);
    rows << scores, centred(values, mean);
    sum.add(first, rows);
  });
  const Matrix both = cluster_factor(own.cases) * sum.total();
  out.cross.push_back(own.scaled.parameter_unit.asDiagonal() *
                      bread.times(both.topRightCorner(q, p)) * sd.asDiagonal() / n);
  out.means.push_back(scaled_by(sd, both.bottomRightCorner(p, p)) / (n * n));
}

}  // namespace

Sandwich sandwich(const Model& model, const Sample& sample, const Vector& theta,
                  const Sequence<Cases>& cases, bool with_means, const StopToken& stop) {
  Sandwich out;
  CaseProblem own(model, sample, theta, cases);
  if (!own.admissible) return out;
  Bread bread;
  if (!bread.set(own.problem, own.at)) return out;
  out.admissible = true;
  const Matrix filling = meat(own.problem, own.cases, About::Model, stop);
  const Matrix half = bread.times(filling);
  out.covariance = own.scaled.outward(bread.times(half.transpose()), own.at);
  for (int g = 0; with_means && g < cases.size(); ++g)
    add_means(own, g, bread, sample[g].n, stop, out);
  return out;
}

}  // namespace orizzonte
