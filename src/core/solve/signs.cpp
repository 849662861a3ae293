#include "signs.hpp"

#include <algorithm>

#include "../linear/dense.hpp"
#include "starts.hpp"

namespace orizzonte {
namespace {

constexpr int most_turned = 4;  // constructs whose signs are all tried

// TRUE for entries whose sign changes when a construct is reversed.
bool turns(const Entry& entry, const Scale& scale) {
  if (entry.group != scale.group) return false;
  if (entry.family == Family::Mean) return entry.row == scale.construct;
  return (entry.row == scale.construct) != (entry.col == scale.construct);
}

// Parameters with some constructs reversed; empty where fixed or equal parameters do not allow it.
Vector turned(const Model& model, const Vector& theta, const Sequence<const Scale*>& scales) {
  Vector eta = model.map(theta);
  for (const Scale* scale : scales)
    for (int e = 0; e < model.entries.size(); ++e)
      if (turns(model.entries[e], *scale)) eta[e] = -eta[e];
  const Vector out = parameters_of(model, eta);
  const bool same = (model.map(out) - eta).cwiseAbs().maxCoeff() < 1e-8;
  return same ? out : Vector();
}

bool constrained(const Model& model, const Scale& scale) {
  for (const Constraint& constraint : model.constraints)
    for (int e : constraint.inputs)
      if (turns(model.entries[e], scale)) return true;
  return false;
}

// Do loadings of the two depend on the same parameter?
bool linked(const Model& model, const Scale& one, const Scale& other) {
  for (int e : one.loadings)
    for (const auto& term : model.map.rows[e])
      for (int f : other.loadings)
        for (const auto& also : model.map.rows[f])
          if (term.parameter == also.parameter) return true;
  return false;
}

// Constructs together with those in other groups and at other times that can only be reversed
// jointly.
Sequence<const Scale*> held_with(const Model& model, Sequence<const Scale*> out) {
  for (int k = 0; k < out.size(); ++k)
    for (const Scale& other : model.scales) {
      if (std::find(out.begin(), out.end(), &other) != out.end()) continue;
      if (linked(model, *out[k], other)) out.push_back(&other);
    }
  return out;
}

}  // namespace

Sequence<Vector> reflected(const Model& model, const Vector& theta) {
  Sequence<Vector> out;
  Sequence<const Scale*> free;
  for (const Scale& scale : model.scales)
    if (scale.kind == ScaleKind::Unit && constrained(model, scale)) free.push_back(&scale);
  if (free.size() > most_turned) return out;
  for (unsigned signs = 1; signs < (1u << free.size()); ++signs) {
    Sequence<const Scale*> chosen;
    for (int k = 0; k < free.size(); ++k)
      if (signs >> k & 1u) chosen.push_back(free[k]);
    const Vector other = turned(model, theta, chosen);
    if (other.size() > 0) out.push_back(other);
  }
  return out;
}

void orient(const Model& model, Optimum& x) {
  for (const Scale& scale : model.scales) {
    if (scale.kind != ScaleKind::Unit || constrained(model, scale)) continue;
    const Vector eta = model.map(x.theta);
    double sum = 0;
    for (int e : scale.loadings) sum += eta[e];
    if (sum >= 0) continue;
    Vector theta = turned(model, x.theta, held_with(model, {&scale}));
    if (theta.size() == 0) {  // in all groups at once, where something else of it is held
      Sequence<const Scale*> alike;
      for (const Scale& other : model.scales)
        if (other.construct == scale.construct) alike.push_back(&other);
      theta = turned(model, x.theta, held_with(model, alike));
    }
    if (theta.size() == 0) continue;
    Vector sign(theta.size());
    for (int i = 0; i < sign.size(); ++i) sign[i] = theta[i] * x.theta[i] < 0 ? -1 : 1;
    x.theta = theta;
    if (x.covariance.rows() == sign.size()) x.covariance = scaled_by(sign, x.covariance);
  }
}

}  // namespace orizzonte
