#include "saturated_information.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"
#include "../objective/normal_theory.hpp"
#include "../solve/centring.hpp"
#include "../solve/constraints.hpp"
#include "derivatives.hpp"
#include "scaling.hpp"

namespace orizzonte {
namespace {

using Pairs = Sequence<std::pair<int, int>>;

// The moments of p variables as coordinates: variances and covariances (lower triangle by columns,
// unseen pairs left out), then means.
struct Coordinates {
  Sequence<int> a, b;       // of each (co)variance
  Sequence<double> half;    // 1/2 for variances
  Sequence<Wanted> wanted;  // the same of a model, to be differentiated
  int variables = 0;
  int pairs() const { return a.size(); }
  int size() const { return pairs() + variables; }
};

Coordinates coordinates_of(int p, const Pairs& unseen, int group) {
  const std::set<std::pair<int, int>> none(unseen.begin(), unseen.end());
  Coordinates out;
  out.variables = p;
  for (int j = 0; j < p; ++j)
    for (int i = j; i < p; ++i) {
      if (none.count({i, j}) > 0) continue;
      out.a.push_back(i);
      out.b.push_back(j);
      out.half.push_back(i == j ? 0.5 : 1.0);
      out.wanted.push_back({Quantity::Covariance, group, i, j});
    }
  for (int i = 0; i < p; ++i) out.wanted.push_back({Quantity::Mean, group, i, i});
  return out;
}

int packed(int i, int j) { return i >= j ? i * (i + 1) / 2 + j : j * (j + 1) / 2 + i; }

// Information of (co)variances from products of two symmetric matrices, product(a, c, b, d): entry
// (ab, cd) is that of (ac, bd) and that of (ad, bc), halved for each variance.
template <class Product>
void fill_pairs(const Coordinates& at, Product&& product, Matrix& out) {
  for (int f = 0; f < at.pairs(); ++f)
    for (int e = f; e < at.pairs(); ++e) {
      const int a = at.a[e], b = at.b[e], c = at.a[f], d = at.b[f];
      out(e, f) = out(f, e) = at.half[e] * at.half[f] * (product(a, c, b, d) + product(a, d, b, c));
    }
}

// The number of columns that are processed between two checks for an interrupt.
constexpr int step = 48;

// Sums over the patterns of a group; products of their W and R become one matrix product.
class PatternSums {
 public:
  PatternSums(const Sample& sample, const Coordinates& at, const StopToken& stop) : at_(at) {
    const int p = at.variables, width = p * (p + 1) / 2, count = sample.patterns.size();
    weight_.setZero(p, p);
    Matrix both(width, count), own(width, count), means(p, count), plain(width, count);
    for (int k = 0; k < count; ++k) add(sample, k, both, own, plain, means);
    if (!definite_) return;
    products_.setZero(width, width);
    auto lower = products_.selfadjointView<Eigen::Lower>();
    for (int k = 0; k < count && !stop.stopped(); k += step) {
      const int some = std::min(step, count - k);
      lower.rankUpdate(both.middleCols(k, some));
      lower.rankUpdate(own.middleCols(k, some), -1.0);
    }
    products_.triangularView<Eigen::StrictlyUpper>() = products_.transpose();
    with_means_ = plain * means.transpose();
  }
  // Is the covariance matrix of each pattern positive definite?
  bool definite() const { return definite_; }
  // Covariances against covariances as above; a mean c against (ab): W_ca u_b + W_cb u_a.
  Matrix information() const {
    const int pairs = at_.pairs(), p = at_.variables;
    Matrix out(at_.size(), at_.size());
    fill_pairs(
        at_, [&](int a, int c, int b, int d) { return products_(packed(a, c), packed(b, d)); },
        out);
    for (int e = 0; e < pairs; ++e)
      for (int c = 0; c < p; ++c)
        out(pairs + c, e) = out(e, pairs + c) =
            at_.half[e] * (with_means_(packed(c, at_.a[e]), at_.b[e]) +
                           with_means_(packed(c, at_.b[e]), at_.a[e]));
    out.bottomRightCorner(p, p) = weight_;
    return out;
  }

 private:
  void add(const Sample& sample, int k, Matrix& both, Matrix& own, Matrix& plain, Matrix& means) {
    const Block& block = sample.patterns[k];
    const int p = at_.variables;
    Sequence<int> v = block.variables;
    if (v.empty())
      for (int i = 0; i < p; ++i) v.push_back(i);
    const int size = v.size();
    Matrix sigma(size, size);
    Vector d(size);
    for (int i = 0; i < size; ++i) {
      d[i] = block.mean[i] - sample[0].mean[v[i]];
      for (int j = 0; j < size; ++j) sigma(i, j) = sample[0].covariance(v[i], v[j]);
    }
    Cholesky factor;
    definite_ = definite_ && factor.compute(sigma);
    if (!definite_) return;
    const Matrix w = factor.inverse();
    Matrix misfit = block.covariance - sigma;
    misfit += d * d.transpose();
    const Matrix r = w * misfit * w;
    const Vector u = w * d;
    const double root = std::sqrt(block.n);
    both.col(k).setZero();
    own.col(k).setZero();
    plain.col(k).setZero();
    means.col(k).setZero();
    for (int i = 0; i < size; ++i) {
      means(v[i], k) = root * u[i];
      for (int j = 0; j < size; ++j) {
        weight_(v[i], v[j]) += block.n * w(i, j);
        const int at = packed(v[i], v[j]);
        plain(at, k) = root * w(i, j);
        own(at, k) = root * r(i, j);
        both(at, k) = root * (w(i, j) + r(i, j));
      }
    }
  }

  const Coordinates& at_;
  Matrix products_, with_means_, weight_;
  bool definite_ = true;
};

// A group: its saturated information, and the scores of its units (units x moments).
struct SaturatedGroup {
  Coordinates at;
  const SaturatedInformation* known = nullptr;
  Matrix scores;
  bool shared = false;  // units are clusters of several groups, numbered over all of them
};

// Scores of single cases by the moments: s_mu = w, s_sigma = w w' - W, w = W (x - mu).
Matrix unit_scores(const Sample& sample, const Coordinates& at, const Cases& cases) {
  const int p = at.variables, n = to_int(cases.values.rows());
  auto model = std::make_shared<Model>();
  model->groups = {Shape{p, p}};
  model->means = true;
  Vector moments(at.size());
  const auto add = [&](const Entry& entry, double value) {
    moments[model->map.parameters] = value;
    model->entries.push_back(entry);
    model->map.rows.push_back({{model->map.parameters++, 1.0}});
  };
  for (int e = 0; e < at.pairs(); ++e)
    add({Family::Covariance, 0, at.a[e], at.b[e]}, sample[0].covariance(at.a[e], at.b[e]));
  for (int i = 0; i < p; ++i) add({Family::Mean, 0, i, i}, sample[0].mean[i]);
  model->map.constant = Vector::Zero(at.size());
  // pairs that are never observed together count in no pattern: their value does not matter
  NormalTheory problem(model, sample);
  Matrix scores = Matrix::Zero(n, at.size());
  if (problem.move_to(moments)) problem.case_scores(0, cases.values, About::Model, scores);
  return unit_rows(cases, scores);
}

// Derivatives of the group's moments by the directions in which the parameters may move.
Matrix moment_slopes(const Model& model, const Vector& eta, const Coordinates& at,
                     const Matrix& basis) {
  Sequence<Sequence<char>> plain;
  for (const Shape& shape : model.groups) plain.emplace_back(shape.variables, 0);
  return derive(model, eta, at.wanted, plain).gradient * basis;
}

// The information V of n complete cases on the moments, at the moments of the model. The matrix is
// never formed: for (co)variances X its product is n W X W, for means n W, W the inverse
// covariances.
struct CompleteInformation {
  const Coordinates* at = nullptr;
  Matrix w;
  double n = 0;

  Matrix times(const Matrix& moments) const {
    const int pairs = at->pairs(), p = at->variables;
    Matrix out(moments.rows(), moments.cols()), x(p, p);
    for (int k = 0; k < moments.cols(); ++k) {
      x.setZero();
      for (int e = 0; e < pairs; ++e) x(at->a[e], at->b[e]) = x(at->b[e], at->a[e]) = moments(e, k);
      const Matrix turned = w * x * w;
      for (int e = 0; e < pairs; ++e) out(e, k) = n * at->half[e] * turned(at->a[e], at->b[e]);
    }
    out.bottomRows(p) = n * w * moments.bottomRows(p);
    return out;
  }
  // tr(M V), M symmetric
  double trace_with(const Matrix& m) const {
    const int pairs = at->pairs(), p = at->variables;
    double sum = n * m.bottomRightCorner(p, p).cwiseProduct(w).sum();
    for (int f = 0; f < pairs; ++f) {
      const int c = at->a[f], d = at->b[f];
      double column = 0;
      for (int e = f; e < pairs; ++e) {
        const int a = at->a[e], b = at->b[e];
        column +=
            (e == f ? 1 : 2) * m(e, f) * at->half[e] * (w(a, c) * w(b, d) + w(a, d) * w(b, c));
      }
      sum += n * at->half[f] * column;
    }
    return sum;
  }
};

// The information and the discrepancy of the model from the saturated moments.
bool complete_information(const Coordinates& at, const Block& block, const Implied& implied,
                          CompleteInformation& out, double& discrepancy) {
  const int p = at.variables;
  const Matrix sigma = implied.covariance.topLeftCorner(p, p);
  Cholesky factor, of_data;
  if (!factor.compute(sigma) || !of_data.compute(block.covariance)) return false;
  out = {&at, factor.inverse(), block.n};
  const Vector d = block.mean - implied.mean.head(p);
  discrepancy = factor.log_determinant() - of_data.log_determinant() +
                out.w.cwiseProduct(block.covariance).sum() - p + d.dot(out.w * d);
  return true;
}

// The lower Cholesky factor in place of a symmetric matrix's lower triangle; false when it has
// none.
bool factorize(Matrix& a, const StopToken& stop) {
  const int size = to_int(a.rows());
  for (int j = 0; j < size; j += step) {
    if (stop.stopped()) return false;
    const int width = std::min(step, size - j), below = size - j - width;
    a.block(j, j, size - j, width).noalias() -=
        a.block(j, 0, size - j, j) * a.block(j, 0, width, j).transpose();
    Cholesky corner;
    if (!corner.compute(a.block(j, j, width, width))) return false;
    a.block(j, j, width, width) = corner.lower();
    if (below == 0) continue;
    Matrix rest = a.block(j + width, j, below, width).transpose();
    corner.half_solve(rest);
    a.block(j + width, j, below, width) = rest.transpose();
  }
  return true;
}

// The inverse from that factor: columns from their diagonal on depend only on the rest of the
// factor, which takes a third of the work of solving for the whole identity matrix.
Matrix inverse_of(const Matrix& factor, const StopToken& stop) {
  const int size = to_int(factor.rows());
  Matrix out(size, size);
  for (int j = 0; j < size && !stop.stopped(); j += step) {
    const int width = std::min(step, size - j), rest = size - j;
    const auto lower = factor.bottomRightCorner(rest, rest).triangularView<Eigen::Lower>();
    Matrix columns = Matrix::Identity(rest, width);
    lower.solveInPlace(columns);
    lower.transpose().solveInPlace(columns);
    out.block(j, j, rest, width) = columns;
    out.block(j, j, width, rest) = columns.transpose();
  }
  return out;
}

// Diagonals of A^-1 and of Q A^-1 Q', Q = I - D (D'AD)^-1 D'A; with scores those of A^-1 B A^-1.
// `over`: D's of the clusters of all groups, where these share them.
MomentSpread spread_of(const Model& model, const Vector& eta,
                       const Sequence<SaturatedGroup>& groups, const Matrix& basis,
                       const Cholesky& inner, const Matrix& meat, const Matrix& over,
                       double factor) {
  MomentSpread out;
  for (const SaturatedGroup& group : groups) {
    const Matrix slopes = moment_slopes(model, eta, group.at, basis);
    const Matrix follow = inner.solved(slopes.transpose()).transpose();  // D (D'AD)^-1
    if (group.scores.rows() == 0) {
      out.observed.push_back(group.known->inverse.diagonal());
      out.residual.push_back(out.observed.back() - row_products(follow, slopes));
      continue;
    }
    const Matrix moved = group.known->inverse * group.scores.transpose();
    out.observed.push_back(factor * row_squares(moved));
    if (over.cols() > 0) {
      out.residual.push_back(factor * row_squares(moved - follow * over));
      continue;
    }
    const Matrix along = slopes.transpose() * group.scores.transpose();
    // units of other groups move the parameters as well
    const Matrix own = along * along.transpose();
    out.residual.push_back(factor * row_squares(moved - follow * along) +
                           row_products(follow * (meat - factor * own), follow));
  }
  return out;
}

IncompleteScaling scale_model(const Model& model, const Vector& known_theta, const Sample& known,
                              const Sequence<SaturatedGroup>& groups, double factor,
                              const StopToken& stop) {
  IncompleteScaling out;
  // without centring, effects and intercepts would be collinear if means are far from zero
  Sample sample = known;
  Sequence<Vector> unit;
  for (const Block& block : sample) unit.push_back(block.covariance.diagonal().cwiseSqrt());
  const Centring centring(std::make_shared<const Model>(model), sample, unit);
  centring.remove(sample);
  const Vector theta = centring.inward(known_theta), eta = model.map(theta);
  const Sequence<Implied> at = implied(model, eta);
  const int q = to_int(theta.size());
  Matrix basis = Matrix::Identity(q, q);
  if (!model.constraints.empty()) {
    NormalTheory problem(std::make_shared<const Model>(model), sample);
    if (!problem.move_to(theta)) return out;
    basis = tangent(model, theta, Vector::Ones(q), problem.score()).basis;
  }
  const int r = to_int(basis.cols());
  Matrix inner = Matrix::Zero(r, r), weighted = inner, meat = inner, crossed = inner;
  Matrix over, through_all;  // of clusters that groups share, summed over groups
  double free_normal = 0, free_robust = 0;
  const double n = total_n(sample);
  for (int g = 0; g < groups.size() && !stop.stopped(); ++g) {
    const SaturatedGroup& group = groups[g];
    CompleteInformation v;
    double discrepancy = 0;
    if (!complete_information(group.at, sample[g], at[g], v, discrepancy)) return out;
    out.complete += sample[g].n / n * discrepancy;
    const Matrix slopes = moment_slopes(model, eta, group.at, basis);
    inner += slopes.transpose() * (group.known->information * slopes);
    const Matrix v_slopes = v.times(slopes);
    weighted += slopes.transpose() * v_slopes;
    free_normal += v.trace_with(group.known->inverse);
    if (group.scores.rows() == 0) continue;
    const Matrix moved = group.known->inverse * group.scores.transpose();  // A^-1 s, by unit
    out.trace += factor * moved.cwiseProduct(group.scores.transpose()).sum();
    const Matrix along = slopes.transpose() * group.scores.transpose();
    const Matrix through = v_slopes.transpose() * moved;
    if (group.shared) {
      over = over.cols() > 0 ? Matrix(over + along) : along;
      through_all = through_all.cols() > 0 ? Matrix(through_all + through) : through;
    } else {
      meat += factor * Matrix(along * along.transpose());
      crossed += factor * Matrix(along * through.transpose());
    }
    free_robust += factor * moved.cwiseProduct(v.times(moved)).sum();
  }
  if (over.cols() > 0) {
    meat = factor * Matrix(over * over.transpose());
    crossed = factor * Matrix(over * through_all.transpose());
  }
  Cholesky root;
  if (!root.compute(inner)) return out;
  out.admissible = true;
  out.spread = spread_of(model, eta, groups, basis, root, meat, over, factor);
  out.trace -= root.solved(meat).trace();
  out.normal_bias = free_normal - root.solved(weighted).trace();
  out.robust_bias = free_robust - 2 * root.solved(crossed).trace() +
                    (root.solved(weighted) * root.solved(meat)).trace();
  return out;
}

// Whitened scores of clusters that groups share, summed over groups; empty without such clusters.
Matrix shared_scores(NormalTheory& problem, const Sequence<Cases>& cases,
                     const RootInformation& root, const StopToken& stop) {
  Matrix out, scores;
  for (int g = 0; g < cases.size() && cases[g].shared; ++g) {
    SquareSum own(cases[g], root.rank());
    for_chunks(cases[g], stop, [&](int first, const Matrix& values) {
      problem.case_scores(g, values, About::Data, scores);
      own.add(first, root.whiten(scores));
    });
    out = g == 0 ? own.centred() : Matrix(out + own.centred());
  }
  return out;
}

}  // namespace

MomentSpread moment_spread(const Model& model, const Sample& sample, const Vector& theta,
                           const Sequence<Cases>& cases, const StopToken& stop) {
  MomentSpread out;
  const Vector eta = model.map(theta);
  NormalTheory problem(std::make_shared<const Model>(model), sample);
  if (!problem.move_to(theta)) return out;
  const RootInformation root(problem, theta);
  if (!root.admissible()) return out;
  const Matrix meat_of_all = meat(problem, cases, About::Data, stop);
  const double factor = cluster_factor(cases);
  const Matrix over = shared_scores(problem, cases, root, stop);
  for (int g = 0; g < cases.size() && !stop.stopped(); ++g) {
    const Coordinates at = coordinates_of(to_int(sample[g].covariance.rows()), {}, g);
    const int used = model.means ? at.size() : at.pairs();
    // root-whitened slopes: D I^-1 s = (D L'^-1)(L^-1 s)
    const Matrix slopes =
        root.whiten(moment_slopes(model, eta, at, Matrix::Identity(theta.size(), theta.size())));
    SquareSum observed(cases[g], at.size(), true), residual(cases[g], at.size(), true);
    SquareSum own(cases[g], root.rank());
    Matrix scores, rows;
    for_chunks(cases[g], stop, [&](int first, const Matrix& values) {
      const Matrix off = centred(values, sample[g].mean);
      rows.resize(values.rows(), at.size());
      for (int e = 0; e < at.pairs(); ++e)
        rows.col(e) = off.col(at.a[e]).cwiseProduct(off.col(at.b[e])) / sample[g].n;
      rows.rightCols(at.variables) = off / sample[g].n;
      observed.add(first, rows);
      problem.case_scores(g, values, About::Data, scores);
      const Matrix white = root.whiten(scores);
      own.add(first, white);
      rows.leftCols(used) -= white * slopes.topRows(used).transpose();
      residual.add(first, rows);
    });
    if (over.rows() > 0) {
      Matrix sums = observed.centred();
      sums.leftCols(used) -= over * slopes.topRows(used).transpose();
      out.observed.push_back(factor * observed.total());
      out.residual.push_back(factor * column_squares(sums));
      continue;
    }
    const Matrix others = root.whiten(root.whiten(meat_of_all).transpose()) - factor * own.total();
    out.observed.push_back(factor * observed.total());
    Vector left = factor * residual.total();
    const Matrix above = slopes.topRows(used);
    left.head(used) += row_products(above * others, above);
    out.residual.push_back(left);
  }
  return out;
}

SaturatedInformation saturated_information(const Sample& sample, int g, const Pairs& unseen,
                                           const StopToken& stop) {
  const Sample own = of_group(sample, g);
  const Coordinates at = coordinates_of(to_int(own[0].covariance.rows()), unseen, g);
  SaturatedInformation out;
  const PatternSums sums(own, at, stop);
  if (!sums.definite() || stop.stopped()) return out;
  out.information = sums.information();
  // scaled to a unit diagonal: variances and means have other units
  const Vector unit = out.information.diagonal().cwiseMax(1e-300).cwiseSqrt().cwiseInverse();
  Matrix factor = scaled_by(unit, out.information);
  if (!factorize(factor, stop)) return out;
  out.inverse = scaled_by(unit, inverse_of(factor, stop));
  out.admissible = !stop.stopped();
  return out;
}

Sequence<IncompleteScaling> incomplete_scaling(const Sequence<Model>& models,
                                               const Sequence<Vector>& theta, const Sample& sample,
                                               const Sequence<Cases>& cases,
                                               const Sequence<Pairs>& unseen,
                                               const Sequence<SaturatedInformation>& saturated,
                                               const StopToken& stop) {
  Sequence<SaturatedGroup> groups(sample.size());
  for (int g = 0; g < groups.size() && !stop.stopped(); ++g) {
    groups[g].at = coordinates_of(to_int(sample[g].covariance.rows()), unseen[g], g);
    groups[g].known = &saturated[g];
    if (!cases.empty()) {
      groups[g].scores = unit_scores(of_group(sample, g), groups[g].at, cases[g]);
      groups[g].shared = cases[g].shared;
    }
  }
  Sequence<IncompleteScaling> out;
  for (int m = 0; m < models.size(); ++m)
    out.push_back(scale_model(models[m], theta[m], sample, groups, cluster_factor(cases), stop));
  return out;
}

}  // namespace orizzonte
