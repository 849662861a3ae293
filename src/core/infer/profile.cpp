#include "profile.hpp"

#include "../linear/dense.hpp"
#include "../matrices.hpp"

namespace orizzonte {
namespace {

// The components of the means of one group. d alpha_o = -reach_.i E_j for B_ij, and slope for the
// sample means.
struct MeanParts {
  Vector alpha, mean;
  Matrix reach, slope;
};

MeanParts mean_parts(const Matrix& b, const Vector& alpha, const Vector& m, int p) {
  const int v = to_int(b.rows()), l = v - p;
  MeanParts out;
  out.mean.resize(v);
  out.mean.head(p) = m;
  Matrix inner = Matrix::Zero(l, l);
  if (l > 0) {
    inner = inverse_of(Matrix::Identity(l, l) - b.bottomRightCorner(l, l));
    out.mean.tail(l) = inner * (alpha.tail(l) + b.bottomLeftCorner(l, p) * m);
  }
  out.alpha = out.mean - b * out.mean;
  out.reach = Matrix::Zero(p, v);
  out.reach.leftCols(p).setIdentity();
  out.reach.rightCols(l) = b.topRightCorner(p, l) * inner;
  out.slope = Matrix::Identity(p, p) - b.topLeftCorner(p, p) -
              out.reach.rightCols(l) * b.bottomLeftCorner(l, p);
  return out;
}

// A matrix whose rows have few entries that are not zero.
struct Few {
  Sequence<int> column;
  Sequence<double> value;
  void add(int at, double x) {
    column.push_back(at);
    value.push_back(x);
  }
};

// J V J' for a symmetric V.
Matrix sandwich_of_few(const Sequence<Few>& rows, const Matrix& inner) {
  Matrix out(rows.size(), rows.size());
  Vector along(inner.rows());
  for (int r = 0; r < rows.size(); ++r) {
    along.setZero();
    for (int k = 0; k < rows[r].column.size(); ++k)
      along += rows[r].value[k] * inner.col(rows[r].column[k]);
    for (int s = 0; s <= r; ++s) {
      double sum = 0;
      for (int k = 0; k < rows[s].column.size(); ++k)
        sum += rows[s].value[k] * along[rows[s].column[k]];
      out(r, s) = out(s, r) = sum;
    }
  }
  return out;
}

bool observed_intercept(const Model& model, const Entry& entry) {
  return entry.family == Family::Mean && entry.row < model.groups[entry.group].observed;
}

}  // namespace

Vector profile_means(const Model& model, Vector eta, const Sample& sample) {
  const Sequence<Implied> at = implied(model, eta);
  for (int g = 0; g < at.size(); ++g) {
    const MeanParts parts =
        mean_parts(at[g].effects, at[g].intercepts, sample[g].mean, model.groups[g].observed);
    for (int e = 0; e < model.entries.size(); ++e) {
      const Entry& entry = model.entries[e];
      if (entry.group == g && observed_intercept(model, entry)) eta[e] = parts.alpha[entry.row];
    }
  }
  return eta;
}

Matrix profiled_covariance(const Model& model, const Vector& eta, const Sample& sample,
                           const Matrix& known, const Sequence<int>& used,
                           const MeanCovariances& of_means) {
  const int q = model.map.parameters, size = used.size();
  Sequence<int> place(q, -1);
  for (int k = 0; k < size; ++k) place[used[k]] = k;
  Sequence<Few> jacobian(q);  // of all parameters by the known ones
  for (int k = 0; k < size; ++k) jacobian[used[k]].add(k, 1);
  Matrix own = Matrix::Zero(q, q);
  Sequence<Matrix> cross;  // of the known parameters with a group's intercepts, besides
  Sequence<Sequence<int>> intercepts;
  const Sequence<Implied> at = implied(model, eta);
  for (int g = 0; g < at.size(); ++g) {
    const int p = model.groups[g].observed;
    const MeanParts parts = mean_parts(at[g].effects, at[g].intercepts, sample[g].mean, p);
    Sequence<int> intercept(p, -1);  // the parameter of each variable's intercept
    for (int e = 0; e < model.entries.size(); ++e) {
      const Entry& entry = model.entries[e];
      if (entry.group == g && observed_intercept(model, entry) && !model.map.rows[e].empty())
        intercept[entry.row] = model.map.rows[e][0].parameter;
    }
    for (int e = 0; e < model.entries.size(); ++e) {
      const Entry& entry = model.entries[e];
      if (entry.group != g || entry.family != Family::Effect) continue;
      for (const Term& term : model.map.rows[e]) {
        if (place[term.parameter] < 0) continue;
        for (int i = 0; i < p; ++i)
          if (intercept[i] >= 0)
            jacobian[intercept[i]].add(
                place[term.parameter],
                -term.weight * parts.reach(i, entry.row) * parts.mean[entry.col]);
      }
    }
    const bool given = !of_means.own.empty();
    const Matrix spread =
        parts.slope *
        (given ? of_means.own[g] : Matrix(at[g].covariance.topLeftCorner(p, p) / sample[g].n)) *
        parts.slope.transpose();
    if (given) cross.push_back(of_means.cross[g] * parts.slope.transpose());
    if (given) intercepts.push_back(intercept);
    for (int i = 0; i < p; ++i)
      for (int j = 0; j < p; ++j)
        if (intercept[i] >= 0 && intercept[j] >= 0) own(intercept[i], intercept[j]) += spread(i, j);
  }
  Matrix out = sandwich_of_few(jacobian, known) + own;
  for (int g = 0; g < cross.size(); ++g) {
    Matrix with_all = Matrix::Zero(q, cross[g].cols());
    for (int r = 0; r < q; ++r)
      for (int k = 0; k < jacobian[r].column.size(); ++k)
        with_all.row(r) += jacobian[r].value[k] * cross[g].row(jacobian[r].column[k]);
    for (int i = 0; i < with_all.cols(); ++i) {
      if (intercepts[g][i] < 0) continue;
      out.col(intercepts[g][i]) += with_all.col(i);
      out.row(intercepts[g][i]) += with_all.col(i).transpose();
    }
  }
  return out;
}

}  // namespace orizzonte
