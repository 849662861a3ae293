#include "model.hpp"

namespace orizzonte {

Vector LinearMap::operator()(const Vector& theta) const {
  Vector eta;
  apply(theta, eta);
  return eta;
}

void LinearMap::apply(const Vector& theta, Vector& eta) const {
  eta = constant;
  for (int e = 0; e < rows.size(); ++e)
    for (const Term& term : rows[e]) eta[e] += term.weight * theta[term.parameter];
}

double degrees_of_freedom(const Model& model) {
  double out = -model.map.parameters;
  for (const Shape& group : model.groups)
    out += group.observed * (group.observed + 1) / 2.0 + (model.means ? group.observed : 0);
  for (const Constraint& constraint : model.constraints) out += constraint.bound ? 0 : 1;
  return out;
}

Model one_group(const Model& model, int g, Sequence<int>& entries) {
  Model out;
  Sequence<int> place(model.map.parameters, -1), entry_place(model.entries.size(), -1);
  out.groups = {model.groups[g]};
  out.means = model.means;
  Sequence<double> constant;
  for (int e = 0; e < model.entries.size(); ++e) {
    if (model.entries[e].group != g) continue;
    entry_place[e] = out.entries.size();
    entries.push_back(e);
    out.entries.push_back(model.entries[e]);
    out.entries.back().group = 0;
    constant.push_back(model.map.constant[e]);
    Terms terms = model.map.rows[e];
    for (Term& term : terms) {
      int& at = place[term.parameter];
      if (at < 0) at = out.map.parameters++;
      term.parameter = at;
    }
    out.map.rows.push_back(terms);
  }
  out.map.constant = Eigen::Map<const Vector>(constant.data(), constant.size());
  for (Scale scale : model.scales) {
    if (scale.group != g) continue;
    scale.group = 0;
    if (scale.marker >= 0) scale.marker = entry_place[scale.marker];
    if (scale.variance >= 0) scale.variance = entry_place[scale.variance];
    for (int& e : scale.loadings) e = entry_place[e];
    out.scales.push_back(scale);
  }
  return out;
}

}  // namespace orizzonte
