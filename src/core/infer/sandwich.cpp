#include "sandwich.hpp"

#include "../linear/cholesky.hpp"
#include "../solve/constraints.hpp"

namespace orizzonte {
namespace {

// Z (Z' H Z)^-1 Z', with the constraints' own curvature taken off; empty when it is not positive
// definite.
Matrix bread(Objective& problem, const Vector& theta) {
  Vector unit;
  Matrix hessian = problem.unit_information(Information::Observed, unit), basis;
  if (!problem.model().constraints.empty()) {
    const Tangent along = tangent(problem.model(), theta, unit, unit.cwiseProduct(problem.score()));
    basis = along.basis;
    hessian = (basis.transpose() * (hessian - along.curvature) * basis).eval();
  }
  const Eigen::LLT<Matrix> factor(hessian);
  if (hessian.rows() > 0 && !is_definite(factor)) return Matrix();
  Matrix inverse = factor.solve(Matrix::Identity(hessian.rows(), hessian.rows()));
  if (basis.size() > 0) inverse = (basis * inverse * basis.transpose()).eval();
  return unit.asDiagonal() * inverse * unit.asDiagonal();
}

// Means of a group's observed variables: their covariance with the parameters and with each other.
void add_means(CaseProblem& own, size_t g, const Matrix& inverse, double n, const StopToken& stop,
               Sandwich& out) {
  const int q = own.at.size(), p = own.cases[g].values.cols();
  const Vector &sd = own.scaled.item_unit[g], &mean = own.scaled.sample[g].mean;
  SquareSum sum(own.cases[g], q + p);
  Matrix scores, rows;
  for_chunks(own.cases[g], stop, [&](int first, const Matrix& values) {
    own.problem.case_scores(g, values, About::Model, scores);
    rows.resize(values.rows(), q + p);
    rows << scores, values.rowwise() - mean.transpose();
    sum.add(first, rows);
  });
  const Matrix both = cluster_factor(own.cases) * sum.total();
  out.cross.push_back(own.scaled.parameter_unit.asDiagonal() *
                      (inverse * both.topRightCorner(q, p)) * sd.asDiagonal() / n);
  out.means.push_back(sd.asDiagonal() * both.bottomRightCorner(p, p) * sd.asDiagonal() / (n * n));
}

}  // namespace

Sandwich sandwich(const Model& model, const Sample& sample, const Vector& theta,
                  const std::vector<Cases>& cases, bool with_means, const StopToken& stop) {
  Sandwich out;
  CaseProblem own(model, sample, theta, cases);
  if (!own.admissible) return out;
  const Matrix inverse = bread(own.problem, own.at);
  if (inverse.rows() != theta.size()) return out;
  out.admissible = true;
  const Matrix filling = meat(own.problem, own.cases, About::Model, stop);
  out.covariance = own.scaled.outward(inverse * filling * inverse, own.at);
  for (size_t g = 0; with_means && g < cases.size(); ++g)
    add_means(own, g, inverse, sample[g].n, stop, out);
  return out;
}

}  // namespace orizzonte
