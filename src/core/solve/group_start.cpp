#include "group_start.hpp"

#include <algorithm>
#include <cmath>

#include "../linear/dense.hpp"

namespace orizzonte {
namespace {

// Smallest proportion of a variance that a start leaves unexplained, for random starts less.
constexpr double least_residual = 0.15, least_residual_at_random = 0.02;
constexpr double led = 0.95;  // share of the leading indicator's variance that is its construct's

}  // namespace

GroupStart::GroupStart(const Model& model, int group, const Sample::value_type& moments,
                       Vector& eta)
    : model(model), group(group), observed(model.groups[group].observed), eta(eta) {
  const int v = model.groups[group].variables;
  measuring.assign(model.entries.size(), 0);
  memberships.assign(v, 0);
  for (const Scale& scale : model.scales) {
    if (scale.group != group) continue;
    scales.push_back(&scale);
    if (scale.kind == ScaleKind::Composite) continue;
    for (int e : scale.loadings) {
      measuring[e] = 1;
      ++memberships[model.entries[e].row];
    }
  }
  causes.resize(v);
  entries.reserve(model.entries.size());
  variances.assign(v, -1);
  for (int e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    if (entry.group != group) continue;
    entries.push_back(e);
    if (entry.family == Family::Covariance && entry.row == entry.col) variances[entry.row] = e;
    if (entry.family == Family::Effect && (measuring[e] || !model.map.rows[e].empty()))
      causes[entry.row].push_back(e);
  }
  measured_by.assign(v, 0);
  composed.assign(model.entries.size(), 0);
  settled.assign(model.entries.size(), 0);
  known.assign(v, 0);
  for (int i = 0; i < observed; ++i) known[i] = 1;
  covariance = Matrix::Zero(v, v);
  covariance.topLeftCorner(observed, observed) = moments.covariance;
  residual = covariance;
  mean = Vector::Zero(v);
  if (model.means) mean.head(observed) = moments.mean;
}

void GroupStart::run(Random* random) {
  add_constructs(random);
  settle_covariances(random);
  for (int i = 0; i < covariance.rows(); ++i) regress(i, random);
  set_covariances();
  if (model.means) set_means();
}

// Constructs with many items first; second-order constructs once their indicators are known.
void GroupStart::add_constructs(Random* random) {
  std::stable_sort(scales.begin(), scales.end(), [](const Scale* a, const Scale* b) {
    return a->loadings.size() > b->loadings.size();
  });
  done.assign(scales.size(), 0);
  for (int pass = 0; pass < scales.size(); ++pass)
    for (int s = 0; s < scales.size(); ++s) {
      if (done[s] || !ready(*scales[s])) continue;
      done[s] = 1;
      if (scales[s]->kind == ScaleKind::Composite) compose(*scales[s]);
      else if (scales[s]->kind == ScaleKind::Given)
        given(ready_together(s), random);
      else
        construct(*scales[s], random);
    }
}

bool GroupStart::ready(const Scale& scale) const {
  const bool composite = scale.kind == ScaleKind::Composite;
  for (int e : scale.loadings)
    if (!known[composite ? model.entries[e].col : model.entries[e].row]) return false;
  return !scale.loadings.empty();
}

// A construct with fixed loadings, and all others whose indicators are known as well: they may
// share them.
Sequence<const Scale*> GroupStart::ready_together(int first) {
  Sequence<const Scale*> out{scales[first]};
  for (int s = 0; s < scales.size(); ++s) {
    if (done[s] || scales[s]->kind != ScaleKind::Given || !ready(*scales[s])) continue;
    done[s] = 1;
    out.push_back(scales[s]);
  }
  return out;
}

// A composite starts as the plain sum of its standardized items.
void GroupStart::compose(const Scale& scale) {
  const int x = scale.construct;
  Vector with = Vector::Zero(covariance.rows());
  for (int e : scale.loadings) {
    if (!model.map.rows[e].empty()) eta[e] = 1;
    with += eta[e] * covariance.col(model.entries[e].col);
    composed[e] = 1;
  }
  double variance = 0;
  for (int e : scale.loadings) variance += eta[e] * with[model.entries[e].col];
  covariance.row(x) = with.transpose();
  covariance.col(x) = with;
  covariance(x, x) = variance;
  known[x] = 1;
}

// Pairs of items that share no other construct.
Pairs GroupStart::measured_apart(const Sequence<int>& items, int but) const {
  const int k = items.size();
  Pairs out = Pairs::Constant(k, k, true);
  for (const Scale& scale : model.scales) {
    if (scale.group != group || scale.construct == but || scale.kind == ScaleKind::Composite)
      continue;
    Sequence<int> members;
    for (int i = 0; i < k; ++i)
      for (int e : scale.loadings)
        if (model.entries[e].row == items[i]) members.push_back(i);
    for (int i : members)
      for (int j : members) out(i, j) = false;
  }
  for (int i = 0; i < k; ++i) out(i, i) = false;
  return out;
}

// Adds one construct: loadings on its indicators and covariances with all variables known so far.
void GroupStart::construct(const Scale& scale, Random* random) {
  const int x = scale.construct;
  Sequence<int> items, own;
  items.reserve(scale.loadings.size());
  own.reserve(scale.loadings.size());
  for (int e : scale.loadings) items.push_back(model.entries[e].row);
  for (int item : items)
    if (memberships[item] == 1) own.push_back(item);
  if (own.size() < 2) {
    own.clear();
    for (int item : items)
      if (measured_by[item] == 0) own.push_back(item);
  }
  // Nearly all its items already belong to a broader construct: use the residuals of that construct
  // (bifactor).
  const bool nested = own.size() < 2 && items.size() > own.size();
  const Sequence<int>& used = nested ? items : own;
  const int k = used.size();
  const Matrix& source = nested ? residual : covariance;
  Matrix block(k, k);
  for (int i = 0; i < k; ++i)
    for (int j = 0; j < k; ++j) block(i, j) = source(used[i], used[j]);
  Vector loading = one_factor(block);
  if (own.size() == items.size() && memberships[own[0]] > 1) {
    const auto apart = measured_apart(own, x);
    // each item needs two others to be identified
    if (apart.cast<int>().rowwise().sum().minCoeff() > 1)
      loading = factor_apart(block, apart, loading);
  }
  if (loading.sum() < 0) loading = -loading;
  if (random) vary(block, loading, *random);

  Vector weight(k);
  for (int i = 0; i < k; ++i)
    weight[i] = loading[i] /
                std::max(0.1 * std::abs(block(i, i)) + 1e-8, block(i, i) - loading[i] * loading[i]);
  weight /= weight.dot(loading);
  Vector with = Vector::Zero(covariance.rows());
  if (!nested)
    for (int i = 0; i < k; ++i) with += weight[i] * covariance.col(used[i]);
  for (int i = 0; i < k; ++i) with[used[i]] = loading[i];
  with[x] = 1;
  for (int v = 0; v < with.size(); ++v) {
    if (v == x) continue;
    if (!known[v]) with[v] = 0;
    const double limit = 0.9 * std::sqrt(std::max(1e-8, covariance(v, v)));
    with[v] = std::min(limit, std::max(-limit, with[v]));
  }
  covariance.row(x) = with.transpose();
  covariance.col(x) = with;
  known[x] = 1;
  for (int i = 0; i < k; ++i)
    for (int j = 0; j < k; ++j) residual(used[i], used[j]) -= loading[i] * loading[j];
  for (int item : items) ++measured_by[item];
}

// Near the closed form, anywhere, or led by one indicator: optima differ mostly in which indicator
// stands for its construct.
void GroupStart::vary(const Matrix& block, Vector& loading, Random& random) const {
  const int k = to_int(loading.size());
  const double kind = random.uniform();
  if (kind < 0.3) {
    const int leader = std::min(k - 1, static_cast<int>(k * random.uniform()));
    const double sign = loading[leader] < 0 ? -1 : 1;
    const double own = sign * std::sqrt(led * std::max(1e-8, block(leader, leader)));
    for (int i = 0; i < k; ++i) loading[i] = i == leader ? own : block(i, leader) / own;
    return;
  }
  for (int i = 0; i < k; ++i) {
    const double size = random.uniform(), sign = random.uniform() < 0.2 ? -1 : 1;
    if (kind < 0.65) loading[i] *= 0.4 + 1.1 * size;
    else
      loading[i] = std::sqrt(std::max(1e-8, block(i, i))) * (0.1 + 0.85 * size) *
                   (loading[i] < 0 ? -sign : sign);
  }
}

// Constructs with fixed loadings are regressions on their items: f = (L'L)^-1 L' y, with the
// residual variance of the least-squares solution subtracted.
void GroupStart::given(const Sequence<const Scale*>& scales, Random* random) {
  Basis basis = basis_of(model, scales, mean, group);
  fill_unknown(basis, random);
  const int k = basis.items.size(), f = scales.size();
  const Matrix& loading = basis.loading;
  Matrix square = loading.transpose() * loading;
  square.diagonal() += Vector::Constant(f, 1e-8 * std::max(1.0, square.diagonal().maxCoeff()));
  const Matrix weight = least_squares(square, loading.transpose());
  Matrix block(k, k);
  for (int i = 0; i < k; ++i)
    for (int j = 0; j < k; ++j) block(i, j) = covariance(basis.items[i], basis.items[j]);
  const double left = block.trace() - (weight * block * loading).trace();
  const double share = k > f ? left / ((k - f) * block.trace() / k) : 0.1;
  Vector unique = block.diagonal() * std::min(0.9, std::max(0.05, share));
  for (int i = 0; i < k; ++i) {
    const int e = variances[basis.items[i]];
    if (e >= 0 && model.map.rows[e].empty()) unique[i] = model.map.constant[e];
  }
  const Matrix whole = weight * block * weight.transpose();
  Matrix inner = whole - weight * unique.asDiagonal() * weight.transpose();
  for (int a = 0; a < f; ++a) inner(a, a) = std::max(inner(a, a), 0.05 * whole(a, a));
  for (int a = 0; a < f; ++a) {
    Vector with = Vector::Zero(covariance.rows());
    for (int i = 0; i < k; ++i) with += weight(a, i) * covariance.col(basis.items[i]);
    for (int i = 0; i < k; ++i) with[basis.items[i]] -= weight(a, i) * unique[i];
    const int x = scales[a]->construct;
    for (int v = 0; v < with.size(); ++v) {
      if (!known[v]) with[v] = 0;
      covariance(x, v) = covariance(v, x) = with[v];
    }
  }
  for (int a = 0; a < f; ++a)
    for (int b = 0; b < f; ++b)
      covariance(scales[a]->construct, scales[b]->construct) = inner(a, b);
  const Vector level = basis.level.size() > 0 ? Vector(weight * basis.level) : Vector::Zero(f);
  for (int a = 0; a < f; ++a) {
    known[scales[a]->construct] = 1;
    if (model.means) mean[scales[a]->construct] = level[a];
    for (int e : scales[a]->loadings) {
      settled[e] = 1;
      const auto found = std::find(basis.items.begin(), basis.items.end(), model.entries[e].row);
      eta[e] = loading(found - basis.items.begin(), a);
      ++measured_by[model.entries[e].row];
    }
  }
}

// Constructs without information get variance 1; their covariance matrix must be positive
// definite.
void GroupStart::settle_covariances(Random* random) {
  const int p = observed, v = to_int(covariance.rows());
  for (int x = p; x < v; ++x)
    if (!known[x]) covariance(x, x) = 1;
  if (random)
    for (int x = p; x < v; ++x)
      for (int y = p; y < x; ++y)
        covariance(x, y) = covariance(y, x) =
            covariance(x, y) * random->uniform() + 0.2 * (random->uniform() - 0.5);
  Matrix inner = covariance.bottomRightCorner(v - p, v - p);
  if (inner.rows() > 1) {
    shrink_to_positive(inner);
    covariance.bottomRightCorner(v - p, v - p) = inner;
  }
}

// Path coefficients of one variable by least squares on its causes, slightly shrunk; coefficients
// that are already known are subtracted first. In random starts effects are perturbed: where
// variables affect each other, least squares may be far from the truth.
void GroupStart::regress(int outcome, Random* random) {
  const Sequence<int>& pointing = causes[outcome];
  if (!random && pointing.size() == 1 && !composed[pointing[0]] && !settled[pointing[0]])
    return regress_on_one(outcome, pointing[0]);
  Sequence<int> arrows, fixed;
  for (int e : pointing)
    if (!composed[e]) (settled[e] ? fixed : arrows).push_back(e);
  const int k = arrows.size();
  const auto cause = [&](int e) { return model.entries[e].col; };
  double residual = covariance(outcome, outcome);
  Vector xy(k), b(k);
  Matrix xx(k, k);
  for (int i = 0; i < k; ++i) {
    xy[i] = covariance(cause(arrows[i]), outcome);
    for (int j = 0; j < k; ++j) xx(i, j) = covariance(cause(arrows[i]), cause(arrows[j]));
  }
  for (int e : fixed) {
    residual -= 2 * eta[e] * covariance(cause(e), outcome);
    for (int other : fixed) residual += eta[e] * eta[other] * covariance(cause(e), cause(other));
    for (int i = 0; i < k; ++i) xy[i] -= eta[e] * covariance(cause(e), cause(arrows[i]));
  }
  if (k == 1) {  // not worth a decomposition
    b[0] = xx(0, 0) != 0 ? xy[0] / xx(0, 0) : 0;
  } else if (k > 1) {
    Matrix shrunk = xx;
    shrunk.diagonal() *= 1.05;
    b = least_squares(shrunk, xy);
  }
  bool moved = false;
  for (int i = 0; random && i < k; ++i) {
    if (measuring[arrows[i]]) continue;
    const double spread =
        std::sqrt(std::max(0.0, covariance(outcome, outcome)) / std::max(1e-8, xx(i, i)));
    b[i] = b[i] * (0.2 + 1.6 * random->uniform()) + spread * 1.5 * (random->uniform() - 0.5);
    moved = true;
  }
  for (int i = 0; i < k; ++i) eta[arrows[i]] = b[i];
  residual -= moved ? 2 * b.dot(xy) - b.dot(xx * b) : b.dot(xy);
  settle_variance(outcome, residual, random);
}

// Most items need no decomposition and no storage.
void GroupStart::regress_on_one(int outcome, int arrow) {
  const int cause = model.entries[arrow].col;
  const double own = covariance(cause, cause), shared = covariance(cause, outcome);
  eta[arrow] = own != 0 ? shared / own : 0;
  settle_variance(outcome, covariance(outcome, outcome) - eta[arrow] * shared, nullptr);
}

void GroupStart::settle_variance(int outcome, double residual, const Random* random) {
  const double least = random ? least_residual_at_random : least_residual;
  if (variances[outcome] >= 0)
    eta[variances[outcome]] = std::max(residual, least * covariance(outcome, outcome));
}

// Covariances among exogenous variables; residual covariances start at zero.
void GroupStart::set_covariances() {
  for (int e : entries) {
    const Entry& entry = model.entries[e];
    if (entry.family != Family::Covariance || entry.row == entry.col || model.map.rows[e].empty())
      continue;
    const bool exogenous = causes[entry.row].empty() && causes[entry.col].empty();
    eta[e] = exogenous ? covariance(entry.row, entry.col) : 0;
  }
}

void GroupStart::set_means() {
  for (int e : entries) {
    const Entry& entry = model.entries[e];
    if (entry.family != Family::Mean || model.map.rows[e].empty()) continue;
    eta[e] = mean[entry.row];
    for (int arrow : causes[entry.row]) eta[e] -= eta[arrow] * mean[model.entries[arrow].col];
  }
}

}  // namespace orizzonte
