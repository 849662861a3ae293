#include "rescale.hpp"

#include <cmath>

#include "../linear/dense.hpp"

namespace orizzonte {

Rescaled rescale(Model from, Sample sample) {
  Rescaled out;
  const auto scaled = std::make_shared<Model>(std::move(from));
  const Model& model = *scaled;
  out.model = scaled;
  Sequence<Vector> sd(model.groups.size());
  for (int g = 0; g < sd.size(); ++g) {
    const int p = model.groups[g].observed;
    sd[g] = Vector::Ones(model.groups[g].variables);
    sd[g].head(p) = sample[g].covariance.diagonal().cwiseSqrt();
    const Vector inverse = sd[g].head(p).cwiseInverse();
    out.item_unit.push_back(sd[g].head(p));
    sample[g].covariance = scaled_by(inverse, sample[g].covariance);
    if (sample[g].mean.size() > 0) sample[g].mean = inverse.cwiseProduct(sample[g].mean);
    for (Block& pattern : sample.patterns) {
      if (pattern.group != g) continue;
      Vector part = inverse;
      if (!pattern.variables.empty()) {
        part.resize(pattern.variables.size());
        for (int i = 0; i < part.size(); ++i) part[i] = inverse[pattern.variables[i]];
      }
      pattern.covariance = scaled_by(part, pattern.covariance);
      pattern.mean = part.cwiseProduct(pattern.mean);
    }
  }
  out.sample = std::move(sample);
  // A construct scaled by a marker takes over the marker's unit, also through second-order
  // constructs.
  for (int pass = 0; pass <= model.scales.size(); ++pass)
    for (const Scale& scale : model.scales) {
      if (scale.loadings.empty()) continue;
      const bool marked = scale.kind != ScaleKind::Unit && scale.kind != ScaleKind::Average;
      int item = marked && scale.marker >= 0 ? scale.marker : scale.loadings[0];
      if (scale.kind == ScaleKind::Average)
        for (int e : scale.loadings)
          if (sd[scale.group][model.entries[e].row] > sd[scale.group][model.entries[item].row])
            item = e;
      if (scale.kind == ScaleKind::Composite) {
        sd[scale.group][scale.construct] = sd[scale.group][model.entries[item].col];
        continue;
      }
      if (scale.kind != ScaleKind::Unit)
        sd[scale.group][scale.construct] = sd[scale.group][model.entries[item].row];
    }
  out.entry_unit.resize(model.entries.size());
  for (int e = 0; e < model.entries.size(); ++e) {
    const Entry& entry = model.entries[e];
    const Vector& s = sd[entry.group];
    switch (entry.family) {
      case Family::Effect:
        out.entry_unit[e] = s[entry.col] / s[entry.row];
        break;
      case Family::Covariance:
        out.entry_unit[e] = 1 / (s[entry.row] * s[entry.col]);
        break;
      case Family::Mean:
        out.entry_unit[e] = 1 / s[entry.row];
        break;
    }
  }
  out.parameter_unit = Vector::Zero(model.map.parameters);
  for (int e = 0; e < model.entries.size(); ++e)
    for (const Term& term : model.map.rows[e])
      if (out.parameter_unit[term.parameter] == 0)
        out.parameter_unit[term.parameter] = 1 / (out.entry_unit[e] * std::abs(term.weight));
  for (int e = 0; e < model.entries.size(); ++e) {
    scaled->map.constant[e] *= out.entry_unit[e];
    for (Term& term : scaled->map.rows[e])
      term.weight *= out.entry_unit[e] * out.parameter_unit[term.parameter];
  }
  for (Constraint& constraint : scaled->constraints)
    for (int i = 0; i < constraint.inputs.size(); ++i)
      constraint.unit[i] /= out.entry_unit[constraint.inputs[i]];
  Sequence<Vector> one;
  for (const Vector& unit : out.item_unit) one.push_back(Vector::Ones(unit.size()));
  out.centring = Centring(out.model, out.sample, one);
  out.centring.remove(out.sample);
  return out;
}

// J'^-1 D, where J has the steps of the caller's parameters for a unit step of each one here.
Matrix Rescaled::outward_slopes(const Matrix& slopes, const Vector& at) const {
  const int q = to_int(at.size());
  Matrix steps(q, q);
  for (int i = 0; i < q; ++i) steps.col(i) = outward_step(Vector::Unit(q, i), at);
  return steps.transpose().partialPivLu().solve(slopes);
}

Matrix Rescaled::outward_information(const Matrix& information, const Vector& at) const {
  const Matrix half = outward_slopes(information, at);
  const Matrix out = outward_slopes(half.transpose(), at);
  return (out + out.transpose()) / 2;
}

Sequence<Cases> Rescaled::inward(Sequence<Cases> cases) const {
  Sequence<Cases> out = in_units(std::move(cases), item_unit);
  centring.remove(out);
  return out;
}

Sequence<Cases> in_units(Sequence<Cases> cases, const Sequence<Vector>& item_unit) {
  for (int g = 0; g < cases.size(); ++g)
    cases[g].values = cases[g].values * item_unit[g].cwiseInverse().asDiagonal();
  return cases;
}

}  // namespace orizzonte
