#include "basis.hpp"
#include "../linear/dense.hpp"

#include <algorithm>
#include <cmath>

namespace orizzonte {

Basis basis_of(const Model& model, const Sequence<const Scale*>& scales, const Vector& mean,
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
  for (int f = 0; f < scales.size(); ++f)
    for (int e : scales[f]->loadings) {
      const auto found = std::find(out.items.begin(), out.items.end(), model.entries[e].row);
      const int i = to_int(found - out.items.begin());
      out.loading(i, f) = model.map.constant[e];
      if (!model.map.rows[e].empty()) out.unknown[i].push_back(f);
    }
  if (!model.means) return out;
  Vector level(k);
  for (int i = 0; i < k; ++i) level[i] = mean[out.items[i]];
  for (int e = 0; e < model.entries.size(); ++e) {
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
  constexpr double flat = 0.02;    // a mean of a construct too near zero to divide by
  constexpr double farthest = 30;  // times the largest given loading
  const int k = basis.items.size(), f = to_int(basis.loading.cols());
  Sequence<int> known;
  for (int i = 0; i < k; ++i)
    if (basis.unknown[i].empty()) known.push_back(i);
  Vector means;
  if (basis.level.size() > 0 && known.size() >= f) {
    Matrix x(known.size(), f);
    Vector y(known.size());
    for (int i = 0; i < known.size(); ++i) {
      x.row(i) = basis.loading.row(known[i]);
      y[i] = basis.level[known[i]];
    }
    Matrix found;
    if (unique_least_squares(x, y, found)) means = found;
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

}  // namespace orizzonte
