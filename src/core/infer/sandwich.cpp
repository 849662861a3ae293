#include "sandwich.hpp"

#include <cmath>

#include "../objective/normal_theory.hpp"
#include "../solve/constraints.hpp"
#include "../solve/rescale.hpp"

namespace orizzonte {
namespace {

Vector unit_of(const Matrix& information) {
  Vector unit(information.rows());
  for (int i = 0; i < unit.size(); ++i)
    unit[i] = information(i, i) > 0 ? 1 / std::sqrt(information(i, i)) : 1;
  return unit;
}

// Z (Z' H Z)^-1 Z', with the constraints' own curvature taken off; empty when it is not positive
// definite.
Matrix bread(const Model& model, const Vector& theta, const Matrix& observed,
             const Vector& score) {
  const Vector unit = unit_of(observed);
  Matrix hessian = unit.asDiagonal() * observed * unit.asDiagonal();
  Matrix basis;
  if (!model.constraints.empty()) {
    const Tangent along = tangent(model, theta, unit, unit.cwiseProduct(score));
    basis = along.basis;
    hessian = (basis.transpose() * (hessian - along.curvature) * basis).eval();
  }
  const Eigen::LLT<Matrix> factor(hessian);
  if (hessian.rows() > 0 && factor.info() != Eigen::Success) return Matrix();
  Matrix inverse = factor.solve(Matrix::Identity(hessian.rows(), hessian.rows()));
  if (basis.size() > 0) inverse = (basis * inverse * basis.transpose()).eval();
  return unit.asDiagonal() * inverse * unit.asDiagonal();
}

// Means of a group's observed variables: their covariance with the scores and with each other.
void add_means(const std::vector<Cases>& cases, size_t g, const Vector& sd, const Vector& mean,
               Objective& problem, const Matrix& inverse, const Vector& unit, double n,
               Sandwich& out) {
  const int q = problem.model().map.parameters, p = cases[g].values.cols();
  SquareSum sum(cases[g], q + p);
  Matrix scores, rows;
  const int size = cases[g].values.rows();
  for (int first = 0; first < size; first += case_chunk) {
    const int count = std::min(case_chunk, size - first);
    const Matrix values = cases[g].values.middleRows(first, count);
    problem.case_scores(g, values, About::Model, scores);
    rows.resize(count, q + p);
    rows << scores, values.rowwise() - mean.transpose();
    sum.add(first, rows);
  }
  const Matrix both = cluster_factor(cases) * sum.total();
  out.cross.push_back(unit.asDiagonal() * (inverse * both.topRightCorner(q, p)) *
                      sd.asDiagonal() / n);
  out.means.push_back(sd.asDiagonal() * both.bottomRightCorner(p, p) * sd.asDiagonal() / (n * n));
}

}  // namespace

Sandwich sandwich(const Model& model, const Sample& sample, const Vector& theta,
                  const std::vector<Cases>& cases, bool with_means, const StopToken& stop) {
  Sandwich out;
  const Rescaled scaled = rescale(model, sample);
  const std::vector<Cases> own = in_units(cases, scaled.item_unit);
  NormalTheory problem(scaled.model, scaled.sample);
  const Vector at = theta.cwiseQuotient(scaled.parameter_unit);
  if (!problem.move_to(at)) return out;
  Matrix observed = problem.dense_information(Information::Observed);
  observed.triangularView<Eigen::StrictlyUpper>() = observed.transpose();
  const Matrix inverse = bread(*scaled.model, at, observed, problem.score());
  if (inverse.rows() != theta.size()) return out;
  out.admissible = true;
  const Vector& unit = scaled.parameter_unit;
  const Matrix filling = meat(problem, own, About::Model, stop);
  out.covariance = unit.asDiagonal() * (inverse * filling * inverse) * unit.asDiagonal();
  if (!with_means) return out;
  for (size_t g = 0; g < cases.size(); ++g)
    add_means(own, g, scaled.item_unit[g], scaled.sample[g].mean, problem, inverse, unit,
              sample[g].n, out);
  return out;
}

}  // namespace orizzonte
