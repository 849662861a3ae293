#include "starts.hpp"

#include <algorithm>
#include <cmath>

namespace orizzonte {
namespace {

// Loadings of one factor on k indicators with covariance matrix r: Spearman's closed form for
// communalities after the signs of the leading eigenvector (Spearman 1927; Hagglund 1982).
Vector one_factor(const Matrix& r) {
  const int k = r.rows();
  const Vector sd = r.diagonal().cwiseMax(1e-8).cwiseSqrt();
  if (k == 1) return 0.9 * sd;
  const Matrix c = sd.cwiseInverse().asDiagonal() * r * sd.cwiseInverse().asDiagonal();
  Vector direction = c.rowwise().sum();
  for (int i = 0; i < k; ++i)
    direction[i] += 0.01 * (i + 1);  // never exactly orthogonal to the leading one
  for (int i = 0; i < 30; ++i) {
    const Vector next = (c * direction).normalized();
    const bool settled =
        i > 2 && (next - direction).squaredNorm() < 1e-3;  // only the signs are used
    direction = next;
    if (settled) break;
  }
  const Vector sign = direction.unaryExpr([](double x) { return x < 0 ? -1.0 : 1.0; });
  Matrix a = sign.asDiagonal() * c * sign.asDiagonal();
  a.diagonal().setZero();
  const double all = a.sum() / 2;
  Vector out(k);
  for (int i = 0; i < k; ++i) {
    const double row = a.row(i).sum();
    double communality;
    if (k == 2) {
      communality = std::abs(a(0, 1));
    } else {
      const double rest = all - row;
      const double pairs = (row * row - a.row(i).squaredNorm()) / 2;
      communality = rest > 0.05 ? pairs / rest : a.row(i).cwiseAbs().maxCoeff();
    }
    out[i] = sign[i] * sd[i] * std::sqrt(std::min(0.9, std::max(0.05, communality)));
  }
  return out;
}

// The same from those covariances alone that no other construct has a share in (`apart`), by
// alternating least squares from `loading`: what items of different specific factors share is all
// the general factor's.
Vector factor_apart(const Matrix& r, const Eigen::Array<bool, -1, -1>& apart, Vector loading) {
  constexpr int rounds = 50;
  const int k = r.rows();
  for (int round = 0; round < rounds; ++round)
    for (int i = 0; i < k; ++i) {
      double with = 0, square = 0;
      for (int j = 0; j < k; ++j) {
        if (i == j || !apart(i, j)) continue;
        with += r(i, j) * loading[j];
        square += loading[j] * loading[j];
      }
      const double limit = std::sqrt(0.9 * std::max(1e-8, r(i, i)));
      if (square > 0) loading[i] = std::min(limit, std::max(-limit, with / square));
    }
  return loading;
}

void shrink_to_positive(Matrix& m) {
  const Vector diagonal = m.diagonal();
  for (int i = 0; i < 60; ++i) {
    Eigen::LLT<Matrix> llt(m);
    if (llt.info() == Eigen::Success) {
      const auto pivots =
          llt.matrixLLT().diagonal().array() / diagonal.cwiseMax(1e-12).array().sqrt();
      if (pivots.minCoeff() > 0.15) return;
    }
    m *= 0.9;
    m.diagonal() = diagonal;
  }
}

struct GroupStart {
  const Model& model;
  int group;
  const std::vector<int>& entries;
  Vector& eta;
  Matrix covariance;                     // of observed variables and constructs alike
  std::vector<std::vector<int>> causes;  // entries pointing at each variable
  std::vector<int> variances;            // the entry of each variable's variance, or -1
  std::vector<int> memberships;          // how many constructs a variable is an indicator of
  std::vector<int> measured_by;          // how many of those have been dealt with
  std::vector<char> known;
  std::vector<char> composed;  // entries that are weights of a composite
  std::vector<char> settled;   // loadings of constructs whose scale is given
  Vector mean;                 // of observed variables, and of constructs whose scale is given

  void construct(const Scale& scale, Matrix& residual, Random* random);
  void given(const std::vector<const Scale*>& scales, Random* random);
  Eigen::Array<bool, -1, -1> measured_apart(const std::vector<int>& items, int but) const;
  void compose(const Scale& scale);
  void regress(int outcome);
};

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

// Which pairs of items have no construct in common but this one.
Eigen::Array<bool, -1, -1> GroupStart::measured_apart(const std::vector<int>& items,
                                                      int but) const {
  const int k = items.size();
  Eigen::Array<bool, -1, -1> out = Eigen::Array<bool, -1, -1>::Constant(k, k, true);
  for (const Scale& scale : model.scales) {
    if (scale.group != group || scale.construct == but || scale.kind == ScaleKind::Composite)
      continue;
    std::vector<int> members;
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
void GroupStart::construct(const Scale& scale, Matrix& residual, Random* random) {
  const int x = scale.construct;
  std::vector<int> items, own;
  for (int e : scale.loadings) items.push_back(model.entries[e].row);
  for (int item : items)
    if (memberships[item] == 1) own.push_back(item);
  if (own.size() < 2) {
    own.clear();
    for (int item : items)
      if (measured_by[item] == 0) own.push_back(item);
  }
  // Nearly all its items already belong to a wider construct: look at what that one leaves
  // (bifactor).
  const bool nested = own.size() < 2 && items.size() > own.size();
  const std::vector<int>& used = nested ? items : own;
  const int k = used.size();
  const Matrix& source = nested ? residual : covariance;
  Matrix block(k, k);
  for (int i = 0; i < k; ++i)
    for (int j = 0; j < k; ++j) block(i, j) = source(used[i], used[j]);
  Vector loading = one_factor(block);
  if (own.size() == items.size() && memberships[own[0]] > 1) {
    const auto apart = measured_apart(own, x);
    // each item needs two others to be told by
    if (apart.cast<int>().rowwise().sum().minCoeff() > 1)
      loading = factor_apart(block, apart, loading);
  }
  if (loading.sum() < 0) loading = -loading;
  if (random) {
    // near the closed form, or anywhere
    const bool anywhere = random->uniform() < 0.5;
    for (int i = 0; i < k; ++i) {
      const double size = random->uniform(), sign = random->uniform() < 0.2 ? -1 : 1;
      if (!anywhere) loading[i] *= 0.4 + 1.1 * size;
      else
        loading[i] = std::sqrt(std::max(1e-8, block(i, i))) * (0.1 + 0.85 * size) *
                     (loading[i] < 0 ? -sign : sign);
    }
  }

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

// Loadings of constructs that have some at given values: the unknown ones from the mean curve,
// where the intercepts are fixed (mean = intercept + loadings x means of constructs), else as large
// as the largest given one.
struct Basis {
  std::vector<int> items;
  Matrix loading;                                // items x constructs
  std::vector<std::vector<int>> unknown;         // by item: the constructs
  std::vector<std::vector<int>> unknown_entry;   // and their entries
  Vector level;                                  // means less intercepts; empty when not fixed
};

Basis basis_of(const Model& model, const std::vector<const Scale*>& scales, const Vector& mean,
               int group) {
  Basis out;
  for (const Scale* scale : scales)
    for (int e : scale->loadings) {
      const int item = model.entries[e].row;
      if (std::find(out.items.begin(), out.items.end(), item) == out.items.end())
        out.items.push_back(item);
    }
  const int k = out.items.size();
  out.loading = Matrix::Zero(k, scales.size());
  out.unknown.resize(k);
  out.unknown_entry.resize(k);
  for (size_t f = 0; f < scales.size(); ++f)
    for (int e : scales[f]->loadings) {
      const auto found = std::find(out.items.begin(), out.items.end(), model.entries[e].row);
      const int i = found - out.items.begin();
      out.loading(i, f) = model.map.constant[e];
      if (model.map.rows[e].empty()) continue;
      out.unknown[i].push_back(f);
      out.unknown_entry[i].push_back(e);
    }
  if (!model.means) return out;
  Vector level(k);
  for (int i = 0; i < k; ++i) level[i] = mean[out.items[i]];
  for (size_t e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    if (entry.family != Family::Mean || entry.group != group) continue;
    const auto found = std::find(out.items.begin(), out.items.end(), entry.row);
    if (found == out.items.end()) continue;
    if (!model.map.rows[e].empty()) return out;
    level[found - out.items.begin()] -= model.map.constant[e];
  }
  out.level = level;
  return out;
}

void fill_unknown(Basis& basis, Random* random) {
  constexpr double flat = 0.02;      // a mean of a construct too near zero to divide by
  constexpr double farthest = 30;    // times the largest given loading
  const int k = basis.items.size(), f = basis.loading.cols();
  std::vector<int> known;
  for (int i = 0; i < k; ++i)
    if (basis.unknown[i].empty()) known.push_back(i);
  Vector means;
  if (basis.level.size() > 0 && static_cast<int>(known.size()) >= f) {
    Matrix x(known.size(), f);
    Vector y(known.size());
    for (size_t i = 0; i < known.size(); ++i) {
      x.row(i) = basis.loading.row(known[i]);
      y[i] = basis.level[known[i]];
    }
    const Eigen::ColPivHouseholderQR<Matrix> qr(x);
    if (qr.rank() == f) means = qr.solve(y);
  }
  const bool anywhere = random && random->uniform() < 0.5;
  const Vector largest = basis.loading.cwiseAbs().colwise().maxCoeff().transpose();
  for (int i = 0; i < k; ++i)
    for (int at : basis.unknown[i]) {
      const double limit = farthest * std::max(largest[at], 1e-3);
      double value = largest[at] > 0 ? largest[at] : 1;
      if (means.size() > 0 && basis.unknown[i].size() == 1 && std::abs(means[at]) > flat) {
        const double curve = (basis.level[i] - basis.loading.row(i).dot(means)) / means[at];
        value = std::min(limit, std::max(-limit, curve));
      }
      if (random) {
        const double size = random->uniform();
        value = anywhere ? 4 * (2 * size - 1) * std::max(largest[at], 1e-3)
                         : value * (0.4 + 1.1 * size);
      }
      basis.loading(i, at) = value;
    }
}

// Constructs whose loadings are given are regressions of their items: f = (L'L)^-1 L' y, with the
// residual variance that least squares leaves taken off.
void GroupStart::given(const std::vector<const Scale*>& scales, Random* random) {
  Basis basis = basis_of(model, scales, mean, scales[0]->group);
  fill_unknown(basis, random);
  const int k = basis.items.size(), f = scales.size();
  const Matrix& loading = basis.loading;
  Matrix square = loading.transpose() * loading;
  square.diagonal() += Vector::Constant(f, 1e-8 * std::max(1.0, square.diagonal().maxCoeff()));
  const Matrix weight = square.ldlt().solve(loading.transpose());
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

// Path coefficients of one variable by least squares on its causes, slightly shrunk; those settled
// already are taken off first.
void GroupStart::regress(int outcome) {
  std::vector<int> arrows, fixed;
  for (int e : causes[outcome])
    if (!composed[e]) (settled[e] ? fixed : arrows).push_back(e);
  const int k = arrows.size();
  const auto cause = [&](int e) { return model.entries[e].col; };
  double residual = covariance(outcome, outcome);
  Vector taken = Vector::Zero(k);
  for (int e : fixed) {
    residual -= 2 * eta[e] * covariance(cause(e), outcome);
    for (int other : fixed) residual += eta[e] * eta[other] * covariance(cause(e), cause(other));
    for (int i = 0; i < k; ++i) taken[i] += eta[e] * covariance(cause(e), cause(arrows[i]));
  }
  if (k == 1) {  // most items; not worth a decomposition
    const int x = cause(arrows[0]);
    const double xy = covariance(x, outcome) - taken[0], xx = covariance(x, x);
    eta[arrows[0]] = xx != 0 ? xy / xx : 0;
    residual -= eta[arrows[0]] * xy;
  } else if (k > 1) {
    Matrix xx(k, k);
    Vector xy(k);
    for (int i = 0; i < k; ++i) {
      xy[i] = covariance(cause(arrows[i]), outcome) - taken[i];
      for (int j = 0; j < k; ++j) xx(i, j) = covariance(cause(arrows[i]), cause(arrows[j]));
    }
    xx.diagonal() *= 1.05;
    const Vector b = xx.ldlt().solve(xy);
    for (int i = 0; i < k; ++i) eta[arrows[i]] = b[i];
    residual -= b.dot(xy);
  }
  if (variances[outcome] >= 0)
    eta[variances[outcome]] = std::max(residual, 0.15 * covariance(outcome, outcome));
}

// The dependent loading's row of the map states what the loadings must add up to, each in its own
// unit: lambda_d - sum_k w_k theta_k = constant.
double average_factor(const Model& model, const Scale& scale, const Vector& eta, const Vector& t) {
  const auto moved = [&](int e) { return eta[e] * t[model.entries[e].row]; };
  for (int d : scale.loadings) {
    const Terms& row = model.map.rows[d];
    if (model.map.constant[d] == 0 || row.empty()) continue;
    double sum = moved(d);
    for (const Term& term : row)
      for (int e : scale.loadings) {
        const Terms& own = model.map.rows[e];
        if (e == d || own.size() != 1 || own[0].parameter != term.parameter) continue;
        sum -= term.weight * moved(e) / own[0].weight;
        break;
      }
    return sum / model.map.constant[d];
  }
  return 1;
}

// A construct of given scale, and all others whose indicators are known as well: they may share
// them.
std::vector<const Scale*> ready_together(const Model& model,
                                         const std::vector<const Scale*>& scales, size_t first,
                                         const std::vector<char>& known, std::vector<char>& done) {
  std::vector<const Scale*> out{scales[first]};
  for (size_t s = 0; s < scales.size(); ++s) {
    if (done[s] || scales[s]->kind != ScaleKind::Given) continue;
    bool ready = !scales[s]->loadings.empty();
    for (int e : scales[s]->loadings) ready = ready && known[model.entries[e].row];
    if (!ready) continue;
    done[s] = 1;
    out.push_back(scales[s]);
  }
  return out;
}

}  // namespace

Vector starting_entries(const Model& model, const Sample& sample, Random* random) {
  Vector eta = model.map.constant;
  for (size_t g = 0; g < model.groups.size(); ++g) {
    const int p = model.groups[g].observed, v = model.groups[g].variables;
    std::vector<int> entries;
    std::vector<char> loading(model.entries.size(), 0);
    std::vector<const Scale*> scales;
    for (const Scale& scale : model.scales)
      if (scale.group == static_cast<int>(g)) {
        scales.push_back(&scale);
        if (scale.kind != ScaleKind::Composite)
          for (int e : scale.loadings) loading[e] = 1;
      }
    GroupStart start{model, static_cast<int>(g), entries,
                     eta,   Matrix::Zero(v, v),
                     {},    {},
                     {},    {},
                     {},    std::vector<char>(model.entries.size(), 0),
                     std::vector<char>(model.entries.size(), 0), Vector::Zero(v)};
    if (model.means) start.mean.head(p) = sample[g].mean;
    start.causes.resize(v);
    start.variances.assign(v, -1);
    start.memberships.assign(v, 0);
    start.measured_by.assign(v, 0);
    for (const Scale* scale : scales)
      if (scale->kind != ScaleKind::Composite)
        for (int e : scale->loadings) ++start.memberships[model.entries[e].row];
    start.known.assign(v, 0);
    for (size_t e = 0; e < model.entries.size(); ++e) {
      const Entry& entry = model.entries[e];
      if (entry.group != static_cast<int>(g)) continue;
      entries.push_back(e);
      if (entry.family == Family::Covariance && entry.row == entry.col)
        start.variances[entry.row] = e;
      if (entry.family == Family::Effect && (loading[e] || !model.map.rows[e].empty()))
        start.causes[entry.row].push_back(e);
    }
    start.covariance.topLeftCorner(p, p) = sample[g].covariance;
    for (int i = 0; i < p; ++i) start.known[i] = 1;
    Matrix residual = start.covariance;

    // Wide constructs first; constructs of constructs once their indicators are known.
    std::stable_sort(scales.begin(), scales.end(), [](const Scale* a, const Scale* b) {
      return a->loadings.size() > b->loadings.size();
    });
    std::vector<char> done(scales.size(), 0);
    for (size_t pass = 0; pass < scales.size(); ++pass)
      for (size_t s = 0; s < scales.size(); ++s) {
        if (done[s]) continue;
        bool ready = !scales[s]->loadings.empty();
        const bool composite = scales[s]->kind == ScaleKind::Composite;
        for (int e : scales[s]->loadings)
          ready = ready && start.known[composite ? model.entries[e].col : model.entries[e].row];
        if (!ready) continue;
        done[s] = 1;
        if (composite) start.compose(*scales[s]);
        else if (scales[s]->kind == ScaleKind::Given)
          start.given(ready_together(model, scales, s, start.known, done), random);
        else
          start.construct(*scales[s], residual, random);
      }
    for (int x = p; x < v; ++x)
      if (!start.known[x]) start.covariance(x, x) = 1;
    if (random)
      for (int x = p; x < v; ++x)
        for (int y = p; y < x; ++y)
          start.covariance(x, y) = start.covariance(y, x) =
              start.covariance(x, y) * random->uniform() + 0.2 * (random->uniform() - 0.5);
    Matrix inner = start.covariance.bottomRightCorner(v - p, v - p);
    if (inner.rows() > 1) {
      shrink_to_positive(inner);
      start.covariance.bottomRightCorner(v - p, v - p) = inner;
    }
    for (int i = 0; i < v; ++i) start.regress(i);
    // Covariances among variables nothing points at; residual covariances start at zero.
    for (int e : entries) {
      const Entry& entry = model.entries[e];
      if (entry.family != Family::Covariance || entry.row == entry.col || model.map.rows[e].empty())
        continue;
      const bool exogenous = start.causes[entry.row].empty() && start.causes[entry.col].empty();
      eta[e] = exogenous ? start.covariance(entry.row, entry.col) : 0;
    }
    if (model.means) {
      const Vector& mean = start.mean;
      for (int e : entries) {
        const Entry& entry = model.entries[e];
        if (entry.family != Family::Mean || model.map.rows[e].empty()) continue;
        eta[e] = mean[entry.row];
        for (int arrow : start.causes[entry.row])
          eta[e] -= eta[arrow] * mean[model.entries[arrow].col];
      }
    }
  }
  return eta;
}

bool to_model_scale(const Model& model, Vector& eta) {
  std::vector<Vector> t(model.groups.size());
  std::vector<std::vector<char>> pending(model.groups.size());
  for (size_t g = 0; g < t.size(); ++g) {
    t[g] = Vector::Ones(model.groups[g].variables);
    pending[g].assign(model.groups[g].variables, 0);
  }
  for (const Scale& scale : model.scales) pending[scale.group][scale.construct] = 1;
  bool possible = true;
  for (size_t pass = 0; pass <= model.scales.size(); ++pass)
    for (const Scale& scale : model.scales) {
      Vector& tg = t[scale.group];
      if (!pending[scale.group][scale.construct]) continue;
      bool ready = true;
      if (scale.kind != ScaleKind::Composite)
        for (int e : scale.loadings) ready = ready && !pending[scale.group][model.entries[e].row];
      if (!ready) continue;
      pending[scale.group][scale.construct] = 0;
      if (scale.kind == ScaleKind::Composite) continue;
      double factor = 1;
      const bool marked = scale.kind == ScaleKind::Marker || scale.kind == ScaleKind::Given;
      if (marked && scale.marker >= 0) {
        factor = eta[scale.marker] * tg[model.entries[scale.marker].row] /
                 model.map.constant[scale.marker];
      } else if (scale.kind == ScaleKind::Unit && scale.variance >= 0) {
        factor = eta[scale.variance] > 0
                     ? std::sqrt(model.map.constant[scale.variance] / eta[scale.variance])
                     : 0;
      } else if (scale.kind == ScaleKind::Average && !scale.loadings.empty()) {
        factor = average_factor(model, scale, eta, tg);
      }
      if (!std::isfinite(factor) || std::abs(factor) < 1e-6) {
        possible = false;
        factor = 1;
      }
      tg[scale.construct] = factor;
    }
  for (size_t e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    const Vector& tg = t[entry.group];
    switch (entry.family) {
      case Family::Effect:
        eta[e] *= tg[entry.row] / tg[entry.col];
        break;
      case Family::Covariance:
        eta[e] *= tg[entry.row] * tg[entry.col];
        break;
      case Family::Mean:
        eta[e] *= tg[entry.row];
        break;
    }
  }
  return possible;
}

bool admissible_start(Objective& problem, Vector eta, Vector& theta) {
  constexpr int attempts = 12;
  const Model& model = problem.model();
  std::vector<char> loading(model.entries.size(), 0);
  for (const Scale& scale : model.scales)
    for (int e : scale.loadings) loading[e] = 1;
  for (int attempt = 0; attempt < attempts; ++attempt) {
    theta = parameters_of(model, eta);
    if (problem.move_to(theta)) return true;
    for (size_t e = 0; e < model.entries.size(); ++e) {
      const Entry& entry = model.entries[e];
      const bool variance = entry.family == Family::Covariance && entry.row == entry.col;
      if (variance && entry.row < model.groups[entry.group].observed)
        eta[e] = std::max(eta[e], 0.1) * 1.3;
      if (entry.family != Family::Mean && !variance && !loading[e]) eta[e] *= 0.5;
    }
  }
  return false;
}

Vector parameters_of(const Model& model, const Vector& eta) {
  Vector sum = Vector::Zero(model.map.parameters), count = sum;
  for (size_t e = 0; e < model.entries.size(); ++e) {
    if (model.map.rows[e].size() != 1) continue;
    const Term& term = model.map.rows[e][0];
    sum[term.parameter] += (eta[e] - model.map.constant[e]) / term.weight;
    ++count[term.parameter];
  }
  return sum.cwiseQuotient(count.cwiseMax(1));
}

}  // namespace orizzonte
