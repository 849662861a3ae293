#include "meat.hpp"

#include "../linear/dense.hpp"

namespace orizzonte {

double cluster_factor(const Sequence<Cases>& cases) {
  double clusters = 0;
  for (const Cases& group : cases)
    clusters = group.shared ? group.clusters : clusters + group.clusters;
  return clusters > 1 ? clusters / (clusters - 1) : 1;
}

SquareSum::SquareSum(const Cases& cases, int width, bool diagonal)
    : cases_(cases),
      diagonal_(diagonal),
      weighted_(Vector::Zero(width)),
      squared_(Vector::Zero(width)) {
  if (cases.clusters > 0) {
    sums_.setZero(cases.clusters, width);
    cluster_weight_.setZero(cases.clusters);
  } else {
    square_.setZero(width, diagonal ? 1 : width);
  }
}

void SquareSum::add(int first, const Matrix& rows) {
  const int count = to_int(rows.rows());
  const Vector weight =
      cases_.weight.size() ? Vector(cases_.weight.segment(first, count)) : Vector::Ones(count);
  weight_ += weight.sum();
  weighted_ += rows.transpose() * weight;
  if (cases_.clusters > 0) {
    for (int i = 0; i < count; ++i) {
      const int c = cases_.cluster[first + i];
      sums_.row(c) += weight[i] * rows.row(i);
      cluster_weight_[c] += weight[i];
    }
    return;
  }
  weight_squared_ += weight.squaredNorm();
  squared_ += rows.transpose() * weight.cwiseAbs2();
  if (diagonal_) square_ += rows.cwiseAbs2().transpose() * weight.cwiseAbs2();
  else if (cases_.weight.size() == 0)
    square_.selfadjointView<Eigen::Lower>().rankUpdate(rows.transpose());
  else
    square_.selfadjointView<Eigen::Lower>().rankUpdate((weight.asDiagonal() * rows).transpose());
}

Matrix SquareSum::centred() const {
  return sums_ - cluster_weight_ * (weighted_ / weight_).transpose();
}

Matrix SquareSum::total() const {
  const Vector mean = weighted_ / weight_;
  if (cases_.clusters > 0) {
    const Matrix sums = centred();
    if (diagonal_) return column_squares(sums);
    return sums.transpose() * sums;
  }
  if (diagonal_)
    return square_ - 2 * squared_.cwiseProduct(mean) + weight_squared_ * mean.cwiseAbs2();
  Matrix out = square_.selfadjointView<Eigen::Lower>();
  out -= squared_ * mean.transpose() + mean * squared_.transpose();
  return out + weight_squared_ * (mean * mean.transpose());
}

Matrix unit_rows(const Cases& cases, Matrix rows) {
  const Vector weight = cases.weight.size() ? cases.weight : Vector(Vector::Ones(rows.rows()));
  const Vector mean = rows.transpose() * weight / weight.sum();
  rows = weight.asDiagonal() * centred(rows, mean);
  if (cases.clusters == 0) return rows;
  Matrix sums = Matrix::Zero(cases.clusters, rows.cols());
  for (int i = 0; i < rows.rows(); ++i) sums.row(cases.cluster[i]) += rows.row(i);
  return sums;
}

Matrix sum_of_squares(const Sequence<Cases>& cases, int width, const CaseRows& rows,
                      const StopToken& stop, bool diagonal) {
  Matrix out = Matrix::Zero(width, diagonal ? 1 : width), chunk;
  const bool shared = !cases.empty() && cases[0].shared;
  Matrix over = shared ? Matrix(Matrix::Zero(cases[0].clusters, width)) : Matrix();
  for (int g = 0; g < cases.size(); ++g) {
    SquareSum sum(cases[g], width, diagonal);
    for_chunks(cases[g], stop, [&](int first, const Matrix& values) {
      rows(g, values, chunk);
      sum.add(first, chunk);
    });
    // clusters of several groups: their scores add up over groups first
    if (shared) over += sum.centred();
    else
      out += sum.total();
  }
  if (shared && diagonal) out = column_squares(over);
  else if (shared)
    out = over.transpose() * over;
  return cluster_factor(cases) * out;
}

Matrix meat(Objective& problem, const Sequence<Cases>& cases, About about, const StopToken& stop) {
  return sum_of_squares(
      cases, problem.model().map.parameters,
      [&](int g, const Matrix& values, Matrix& rows) {
        problem.case_scores(g, values, about, rows);
      },
      stop);
}

}  // namespace orizzonte
