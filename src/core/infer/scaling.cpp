#include "scaling.hpp"

#include <cmath>

#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"
#include "../solve/constraints.hpp"

namespace orizzonte {
namespace {

double weight_at(const Cases& cases, int i) { return cases.weight.size() ? cases.weight[i] : 1.0; }

// Deviations from the mean, whitened by the model's Sigma: cases x variables.
Matrix whitened_cases(const Cases& cases, const Vector& mean, const Matrix& sigma) {
  Cholesky factor;
  factor.compute(sigma);
  Matrix deviations = centred(cases.values, mean).transpose();
  factor.half_solve(deviations);
  return deviations.transpose();
}

// Cases by unit: clusters, or each its own.
Sequence<Sequence<int>> units_of(const Cases& cases) {
  const int n = to_int(cases.values.rows());
  Sequence<Sequence<int>> out(cases.clusters > 0 ? cases.clusters : n);
  for (int i = 0; i < n; ++i) out[cases.clusters > 0 ? cases.cluster[i] : i].push_back(i);
  return out;
}

// The part of tr(V Gamma) of one group: sums over units of kappa_ij = 1/2 (e_i' W e_j)^2, centred
// twice within the group, and e_i' W e_j where means are moments.
double moment_trace(const Cases& cases, const Matrix& whitened, double n, bool means) {
  const int size = to_int(whitened.rows()), p = to_int(whitened.cols());
  Vector weight(size);
  for (int i = 0; i < size; ++i) weight[i] = weight_at(cases, i);
  const Matrix s = whitened.transpose() * weight.asDiagonal() * whitened / n;
  const double centre = s.squaredNorm();
  const Vector toward = row_products(whitened * s, whitened);
  double out = 0;
  Matrix rows, products;
  for (const Sequence<int>& unit : units_of(cases)) {
    const int k = unit.size();
    rows.resize(k, p);
    for (int i = 0; i < k; ++i) rows.row(i) = whitened.row(unit[i]);
    products.noalias() = rows * rows.transpose();
    for (int i = 0; i < k; ++i)
      for (int j = 0; j < k; ++j) {
        const double product = products(i, j);
        double value = 0.5 * (product * product - toward[unit[i]] - toward[unit[j]] + centre);
        if (means) value += product;
        out += weight[unit[i]] * weight[unit[j]] * value;
      }
  }
  return out / n;
}

// Rows whose products are the kappa_ij: squares over root 2 and products of whitened deviations,
// centred, and the deviations themselves.
Matrix moment_rows(const Matrix& whitened, bool means) {
  const int n = to_int(whitened.rows()), p = to_int(whitened.cols()), pairs = p * (p + 1) / 2;
  Matrix out(n, pairs + (means ? p : 0));
  int column = 0;
  for (int j = 0; j < p; ++j)
    for (int i = j; i < p; ++i, ++column)
      out.col(column) =
          (i == j ? std::sqrt(0.5) : 1.0) * whitened.col(i).cwiseProduct(whitened.col(j));
  out.leftCols(pairs).rowwise() -= out.leftCols(pairs).colwise().mean().eval();
  if (means) out.rightCols(p) = whitened;
  return out;
}

// sum over i and j of (kappa_ij / n - y_i' y_j)^2 within a group, in blocks of cases.
double squares_by_case(const Matrix& whitened, const Matrix& y, double n, bool means,
                       const StopToken& stop) {
  constexpr int block = 256;
  const int size = to_int(whitened.rows());
  const Matrix s = whitened.transpose() * whitened / n;
  const double centre = s.squaredNorm();
  const Vector toward = row_products(whitened * s, whitened);
  double out = 0;
  for (int a = 0; a < size && !stop.stopped(); a += block)
    for (int b = 0; b <= a; b += block) {
      const int ka = std::min(block, size - a), kb = std::min(block, size - b);
      const Eigen::ArrayXXd product =
          (whitened.middleRows(a, ka) * whitened.middleRows(b, kb).transpose()).array();
      Eigen::ArrayXXd value = 0.5 * (product.square() + centre);
      value.colwise() -= 0.5 * toward.segment(a, ka).array();
      value.rowwise() -= 0.5 * toward.segment(b, kb).transpose().array();
      if (means) value += product;
      value = value / n - (y.middleRows(a, ka) * y.middleRows(b, kb).transpose()).array();
      out += (a == b ? 1 : 2) * value.square().sum();
    }
  return out;
}

// The sum over moments, which is cheaper when there are more cases than moments.
double squares_by_moment(const Matrix& whitened, const Matrix& y, double n, bool means) {
  const Matrix rows = moment_rows(whitened, means);
  return (rows.transpose() * rows).squaredNorm() / (n * n) -
         2 * (rows.transpose() * y).squaredNorm() / n + (y.transpose() * y).squaredNorm();
}

}  // namespace

RootInformation::RootInformation(Objective& problem, const Vector& at) {
  Vector unit;
  Matrix information = problem.unit_information(Information::Expected, unit);
  basis_ = unit.asDiagonal();
  if (!problem.model().constraints.empty()) {
    const Tangent along = tangent(problem.model(), at, unit, unit.cwiseProduct(problem.score()));
    information = (along.basis.transpose() * information * along.basis).eval();
    basis_ = unit.asDiagonal() * along.basis;
  }
  admissible_ = factor_.compute(information);
}

Matrix RootInformation::whiten(const Matrix& rows) const {
  Matrix white = basis_.transpose() * rows.transpose();
  factor_.half_solve(white);
  return white.transpose();
}

double RootInformation::trace(const Matrix& meat) const {
  return whiten(whiten(meat).transpose()).trace();
}

// Scores of the units of all groups, whitened: units x rank.
static Matrix whitened_scores(CaseProblem& own, const RootInformation& root) {
  int units = 0;
  for (const Cases& group : own.cases)
    units += group.clusters > 0 ? group.clusters : to_int(group.values.rows());
  Matrix out(units, root.rank()), scores;
  int start = 0;
  for (int g = 0; g < own.cases.size(); ++g) {
    own.problem.case_scores(g, own.cases[g].values, About::Data, scores);
    const Matrix white = root.whiten(unit_rows(own.cases[g], scores));
    out.middleRows(start, white.rows()) = white;
    start += to_int(white.rows());
  }
  return std::sqrt(cluster_factor(own.cases)) * out;
}

Scaling scaling(const Model& model, const Sample& sample, const Vector& theta,
                const Sequence<Cases>& cases, bool squared, const StopToken& stop) {
  Scaling out;
  CaseProblem own(model, sample, theta, cases);
  if (!own.admissible) return out;
  const RootInformation root(own.problem, own.at);
  out.admissible = root.admissible();
  if (!out.admissible) return out;
  if (squared) out.whitened = whitened_scores(own, root);
  const Sequence<Implied> implied_by = implied(*own.scaled.model, own.scaled.model->map(own.at));
  double within = 0, all = (out.whitened.transpose() * out.whitened).squaredNorm();
  int start = 0;
  for (int g = 0; g < cases.size(); ++g) {
    const int p = to_int(cases[g].values.cols()), n = to_int(cases[g].values.rows());
    const Matrix white = whitened_cases(own.cases[g], own.scaled.sample[g].mean,
                                        implied_by[g].covariance.topLeftCorner(p, p));
    out.trace +=
        cluster_factor(cases) * moment_trace(own.cases[g], white, sample[g].n, model.means);
    if (!squared) continue;
    const Matrix y = out.whitened.middleRows(start, n);
    start += n;
    within += n < p * (p + 3) / 2 ? squares_by_case(white, y, sample[g].n, model.means, stop)
                                  : squares_by_moment(white, y, sample[g].n, model.means);
    all -= (y.transpose() * y).squaredNorm();
  }
  out.trace -= root.trace(meat(own.problem, own.cases, About::Data, stop));
  // pairs of cases of different groups have the second part only
  if (squared) out.trace_squared = within + all;
  return out;
}

}  // namespace orizzonte
