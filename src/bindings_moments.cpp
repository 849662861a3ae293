// The functions for moments of cases, and for statistics that depend on each other, that R calls.
#include "from_r.h"

#include "core/infer/bilinear.hpp"
#include "core/infer/step_down.hpp"
#include "core/linear/pivoted.hpp"
#include "core/moments/answers.hpp"
#include "core/moments/distances.hpp"
#include "core/moments/likelihood.hpp"
#include "core/moments/reduce.hpp"
#include "core/moments/saturated.hpp"

using Rcpp::List;

// X Y and X' Y. The reference routines that come with R take several times as long, and longer
// still where a value is missing, which makes its whole row or column of the product missing.
// [[Rcpp::export(rng = false)]]
Eigen::MatrixXd core_product(const Eigen::Map<Eigen::MatrixXd>& x,
                             const Eigen::Map<Eigen::MatrixXd>& y) {
  require(x.cols() == y.rows(), "its factors have different shapes");
  return x * y;
}

// [[Rcpp::export(rng = false)]]
Eigen::MatrixXd core_crossproduct(const Eigen::Map<Eigen::MatrixXd>& x,
                                  const Eigen::Map<Eigen::MatrixXd>& y) {
  require(x.rows() == y.rows(), "its factors have different shapes");
  return x.transpose() * y;
}

// Columns of `left` and `right`, numbered `a` and `b`, with the symmetric matrices whose half
// vectors are the rows after the first `above` of `vectors`.
// [[Rcpp::export(rng = false)]]
Eigen::MatrixXd core_bilinear_forms(const Eigen::Map<Eigen::MatrixXd>& vectors, int above,
                                    const Eigen::MatrixXd& left, const Eigen::MatrixXd& right,
                                    const Rcpp::IntegerVector& a, const Rcpp::IntegerVector& b) {
  const Eigen::Index rows = left.rows() * (left.rows() + 1) / 2;
  require(left.rows() == right.rows() && a.size() == b.size(), "its factors have different shapes");
  require(above >= 0 && above + rows <= vectors.rows(), "it has too few rows");
  oz::Sequence<int> one, other;
  for (int place : a) one.push_back(index_within(place, static_cast<int>(left.cols()), false));
  for (int place : b) other.push_back(index_within(place, static_cast<int>(right.cols()), false));
  return oz::bilinear_forms(vectors.middleRows(above, rows), left, right, one, other);
}

// R' X for an upper trapezoidal R.
// [[Rcpp::export(rng = false)]]
Eigen::MatrixXd core_root_product(const Eigen::Map<Eigen::MatrixXd>& root,
                                  const Eigen::Map<Eigen::MatrixXd>& x) {
  require(root.rows() == x.rows(), "its factors have different shapes");
  require(root.cols() >= root.rows(), "its root has more rows than columns");
  const Eigen::Index rank = root.rows();
  Eigen::MatrixXd out(root.cols(), x.cols());
  out.topRows(rank).noalias() = root.leftCols(rank).triangularView<Eigen::Upper>().transpose() * x;
  out.bottomRows(root.cols() - rank).noalias() = root.rightCols(root.cols() - rank).transpose() * x;
  return out;
}

// Step-down adjusted p values by the maximum (Westfall & Young, 1993). `order`: the numbers of the
// statistics from the largest to the smallest, which are last when missing; `null`: statistics x
// draws.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_step_down(const Rcpp::NumericVector& statistic,
                                   const Rcpp::IntegerVector& order,
                                   const Rcpp::NumericMatrix& null) {
  require(statistic.size() == null.nrow() && order.size() == null.nrow(),
          "its statistics and draws have different sizes");
  return Rcpp::wrap(oz::step_down(oz::Vector(Rcpp::as<Eigen::VectorXd>(statistic)),
                                  Rcpp::as<std::vector<int>>(order),
                                  Rcpp::as<Eigen::Map<Eigen::MatrixXd>>(null)));
}

// Squared Mahalanobis distances of cases and how many variables each has.
// [[Rcpp::export(rng = false)]]
List core_case_distances(const Eigen::Map<Eigen::MatrixXd>& values, const Eigen::VectorXd& mean,
                         const Eigen::MatrixXd& covariance) {
  require(values.cols() == mean.size() && covariance.rows() == mean.size() &&
              covariance.cols() == mean.size(),
          "its moments have another size");
  const oz::Distances found = oz::case_distances(values, mean, covariance);
  return List::create(Rcpp::_["squared"] = found.squared, Rcpp::_["observed"] = found.observed);
}

// Columns of answers (a list): low, high, at_low, at_high, kurtosis, distinct x columns.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_answers(const List& columns, int step) {
  require(step > 0, "its step is not positive");
  Rcpp::NumericMatrix out(6, columns.size());
  for (int k = 0; k < columns.size(); ++k) {
    const Rcpp::NumericVector column = columns[k];
    const oz::Answers found = oz::describe_answers(
        Eigen::Map<const Eigen::VectorXd>(column.begin(), column.size()), step);
    const double values[] = {found.low,     found.high,     found.at_low,
                             found.at_high, found.kurtosis, static_cast<double>(found.distinct)};
    std::copy(std::begin(values), std::end(values), &out(0, k));
  }
  Rcpp::rownames(out) =
      Rcpp::CharacterVector::create("low", "high", "at_low", "at_high", "kurtosis", "distinct");
  return out;
}

// [[Rcpp::export(rng = false)]]
double core_multivariate_kurtosis(const Eigen::Map<Eigen::MatrixXd>& values) {
  return oz::multivariate_kurtosis(values);
}

// The missing patterns of a matrix of cases: n, covariance, mean, variables (numbers).
// [[Rcpp::export(rng = false)]]
List core_reduce(const Eigen::Map<Eigen::MatrixXd>& values, const Eigen::VectorXd& weight) {
  require(weight.size() == 0 || weight.size() == values.rows(), "its weights have another length");
  const oz::Sequence<oz::Block> blocks = oz::reduce_cases(values, weight);
  List out(blocks.size());
  for (int k = 0; k < blocks.size(); ++k) {
    out[k] = List::create(Rcpp::_["n"] = blocks[k].n, Rcpp::_["covariance"] = blocks[k].covariance,
                          Rcpp::_["mean"] = blocks[k].mean,
                          Rcpp::_["variables"] = numbers_in_r(blocks[k].variables));
  }
  return out;
}

// Saturated moments of one group's missing patterns; `status` is that of Saturation.
// [[Rcpp::export(rng = false)]]
List core_saturated(SEXP patterns, int size) {
  const oz::Saturated found = oz::saturated_moments(patterns_from(patterns, 0, size), size);
  return List::create(Rcpp::_["mean"] = found.mean, Rcpp::_["covariance"] = found.covariance,
                      Rcpp::_["deviance"] = found.minus_two_log_likelihood,
                      Rcpp::_["status"] = static_cast<int>(found.status),
                      Rcpp::_["iterations"] = found.iterations);
}

// -2 log-likelihood of the cases of missing patterns under a mean vector and a covariance matrix.
// [[Rcpp::export(rng = false)]]
double core_pattern_deviance(SEXP patterns, const Eigen::MatrixXd& covariance,
                             const Eigen::VectorXd& mean) {
  const int size = static_cast<int>(mean.size());
  require(covariance.rows() == size && covariance.cols() == size, "its moments have another size");
  return oz::pattern_deviance(patterns_from(patterns, 0, size), covariance, mean);
}

// The same of single variables (numbers), each with the moments of the cases that have it.
// [[Rcpp::export(rng = false)]]
double core_single_deviance(SEXP patterns, int size, const Rcpp::IntegerVector& variables) {
  oz::Sequence<int> wanted;
  for (int v : variables) wanted.push_back(index_within(v, size, false));
  return oz::single_deviance(patterns_from(patterns, 0, size), wanted);
}

// A root R of a matrix of any rank: R'R is the matrix in the order `pivot`.
// [[Rcpp::export(rng = false)]]
List core_pivoted_root(const Eigen::MatrixXd& symmetric, double tolerance) {
  require(symmetric.rows() == symmetric.cols(), "its matrix is not square");
  const oz::PivotedRoot found = oz::pivoted_root(symmetric, tolerance);
  return List::create(Rcpp::_["root"] = found.root, Rcpp::_["pivot"] = numbers_in_r(found.pivot));
}
