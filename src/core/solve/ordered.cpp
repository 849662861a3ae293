#include "ordered.hpp"

#include <algorithm>
#include <numeric>
#include <tuple>

namespace orizzonte {
namespace {

// Places in increasing order of the keys: the old index at each new place.
template <typename Key>
Sequence<int> sorted_by(int size, Key key) {
  Sequence<int> out(size);
  std::iota(out.begin(), out.end(), 0);
  std::stable_sort(out.begin(), out.end(), [&](int a, int b) { return key(a) < key(b); });
  return out;
}

Sequence<int> inverse(const Sequence<int>& order) {
  Sequence<int> out(order.size());
  for (int i = 0; i < order.size(); ++i) out[order[i]] = i;
  return out;
}

// The new place of every variable of a group: observed ones first, as before.
Sequence<int> places_of(const Shape& shape) {
  return inverse(sorted_by(shape.variables, [&](int v) {
    return std::make_pair(v >= shape.observed, shape.rank.empty() ? v : shape.rank[v]);
  }));
}

Entry moved(const Entry& entry, const Sequence<int>& group, const Sequence<Sequence<int>>& place) {
  Entry out = entry;
  out.group = group[entry.group];
  out.row = place[entry.group][entry.row];
  out.col = entry.family == Family::Mean ? out.row : place[entry.group][entry.col];
  if (entry.family == Family::Covariance && out.col > out.row) std::swap(out.row, out.col);
  return out;
}

Block moved(const Block& block, int group, const Sequence<int>& place) {
  Block out = block;
  out.group = group;
  if (!block.variables.empty()) {
    for (int& v : out.variables) v = place[v];
    return out;
  }
  const int p = to_int(block.covariance.rows());
  for (int i = 0; i < p; ++i) {
    if (block.mean.size() > 0) out.mean[place[i]] = block.mean[i];
    for (int j = 0; j < p; ++j) out.covariance(place[i], place[j]) = block.covariance(i, j);
  }
  return out;
}

// Parameters in the order in which the entries, in their new order, first use them.
Sequence<int> parameter_places(const LinearMap& map, const Sequence<int>& entries) {
  Sequence<int> out(map.parameters, -1);
  int next = 0;
  for (int e : entries)
    for (const Term& term : map.rows[e])
      if (out[term.parameter] < 0) out[term.parameter] = next++;
  for (int& place : out)
    if (place < 0) place = next++;
  return out;
}

void move_map(const LinearMap& from, const Sequence<int>& entries, const Sequence<int>& parameter,
              LinearMap& to) {
  for (int i = 0; i < entries.size(); ++i) {
    to.constant[i] = from.constant[entries[i]];
    Terms terms = from.rows[entries[i]];
    for (Term& term : terms) term.parameter = parameter[term.parameter];
    std::sort(terms.begin(), terms.end(),
              [](const Term& a, const Term& b) { return a.parameter < b.parameter; });
    to.rows[i] = terms;
  }
}

void move_scales(const Sequence<int>& entry, const Sequence<int>& group,
                 const Sequence<Sequence<int>>& place, Sequence<Scale>& scales) {
  for (Scale& scale : scales) {
    scale.construct = place[scale.group][scale.construct];
    scale.group = group[scale.group];
    if (scale.marker >= 0) scale.marker = entry[scale.marker];
    if (scale.variance >= 0) scale.variance = entry[scale.variance];
    for (int& e : scale.loadings) e = entry[e];
    std::sort(scale.loadings.begin(), scale.loadings.end());
  }
  std::stable_sort(scales.begin(), scales.end(), [](const Scale& a, const Scale& b) {
    return std::tie(a.group, a.construct) < std::tie(b.group, b.construct);
  });
}

}  // namespace

Ordered in_order(const Model& model, const Sample& sample) {
  const int groups = model.groups.size(), entries = model.entries.size();
  const Sequence<int> group_order = sorted_by(groups, [&](int g) { return model.groups[g].place; });
  const Sequence<int> group = inverse(group_order);
  Sequence<Sequence<int>> place(groups);
  for (int g = 0; g < groups; ++g) place[g] = places_of(model.groups[g]);
  Sequence<Entry> all(entries);
  for (int e = 0; e < entries; ++e) all[e] = moved(model.entries[e], group, place);
  const Sequence<int> order = sorted_by(entries, [&](int e) {
    return std::make_tuple(all[e].group, all[e].family, all[e].col, all[e].row);
  });
  const Sequence<int> entry = inverse(order);

  Ordered out{model, sample, parameter_places(model.map, order)};
  for (int g = 0; g < groups; ++g) out.model.groups[g] = model.groups[group_order[g]];
  for (int e = 0; e < entries; ++e) out.model.entries[e] = all[order[e]];
  move_map(model.map, order, out.parameter, out.model.map);
  move_scales(entry, group, place, out.model.scales);
  for (Constraint& constraint : out.model.constraints)
    for (int& input : constraint.inputs) input = entry[input];
  for (int b = 0; b < sample.size(); ++b)
    out.sample[b] = moved(sample[b], group[sample[b].group], place[sample[b].group]);
  for (Block& pattern : out.sample.patterns)
    pattern = moved(pattern, group[pattern.group], place[pattern.group]);
  const auto by_group = [](const Block& a, const Block& b) { return a.group < b.group; };
  std::stable_sort(out.sample.begin(), out.sample.end(), by_group);
  std::stable_sort(out.sample.patterns.begin(), out.sample.patterns.end(), by_group);
  return out;
}

Vector Ordered::to_caller(const Vector& theta) const {
  Vector out(theta.size());
  for (int k = 0; k < theta.size(); ++k) out[k] = theta[parameter[k]];
  return out;
}

Vector Ordered::from_caller(const Vector& theta) const {
  Vector out(theta.size());
  for (int k = 0; k < theta.size(); ++k) out[parameter[k]] = theta[k];
  return out;
}

Matrix Ordered::to_caller(const Matrix& covariance) const {
  Matrix out(covariance.rows(), covariance.cols());
  for (int i = 0; i < out.rows(); ++i)
    for (int j = 0; j < out.cols(); ++j) out(i, j) = covariance(parameter[i], parameter[j]);
  return out;
}

}  // namespace orizzonte
