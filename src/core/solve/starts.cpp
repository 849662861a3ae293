#include "starts.hpp"

#include <cmath>

#include "group_start.hpp"

namespace orizzonte {
namespace {

// The dependent loading's row of the map states the sum of the loadings, each in its own unit:
// lambda_d - sum_k w_k theta_k = constant.
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

}  // namespace

Vector starting_entries(const Model& model, const Sample& sample, Random* random) {
  Vector eta = model.map.constant;
  for (int g = 0; g < model.groups.size(); ++g) GroupStart(model, g, sample[g], eta).run(random);
  return eta;
}

Vector random_entries(const Model& model, const Sample& sample, Random& random) {
  Vector eta = model.map.constant;
  for (int e = 0; e < model.entries.size(); ++e) {
    if (model.map.rows[e].empty()) continue;
    const Entry& entry = model.entries[e];
    const Block& block = sample[entry.group];
    const int observed = model.groups[entry.group].observed;
    const bool item = entry.row < observed;
    switch (entry.family) {
      case Family::Effect:
        eta[e] = (item && entry.col >= observed ? 0.7 : 0.4) * random.normal();
        break;
      case Family::Covariance:
        if (entry.row != entry.col) eta[e] = 0.25 * random.normal();
        else
          eta[e] = item ? (0.1 + 1.1 * random.uniform()) * block.covariance(entry.row, entry.row)
                        : 0.2 + 1.3 * random.uniform();
        break;
      case Family::Mean: {
        const double near = block.mean.size() == 0 ? 0
                            : item                 ? block.mean[entry.row]
                                                   : block.mean.mean();
        eta[e] = near + 0.5 * random.normal();
        break;
      }
    }
  }
  return eta;
}

bool to_model_scale(const Model& model, Vector& eta) {
  Sequence<Vector> t(model.groups.size());
  Sequence<Sequence<char>> pending(model.groups.size());
  for (int g = 0; g < t.size(); ++g) {
    t[g] = Vector::Ones(model.groups[g].variables);
    pending[g].assign(model.groups[g].variables, 0);
  }
  for (const Scale& scale : model.scales) pending[scale.group][scale.construct] = 1;
  bool possible = true;
  for (int pass = 0; pass <= model.scales.size(); ++pass)
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
  for (int e = 0; e < model.entries.size(); ++e) {
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
  Sequence<char> loading(model.entries.size(), 0);
  for (const Scale& scale : model.scales)
    for (int e : scale.loadings) loading[e] = 1;
  for (int attempt = 0; attempt < attempts; ++attempt) {
    theta = parameters_of(model, eta);
    if (problem.move_to(theta)) return true;
    for (int e = 0; e < model.entries.size(); ++e) {
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
  for (int e = 0; e < model.entries.size(); ++e) {
    if (model.map.rows[e].size() != 1) continue;
    const Term& term = model.map.rows[e][0];
    sum[term.parameter] += (eta[e] - model.map.constant[e]) / term.weight;
    ++count[term.parameter];
  }
  return sum.cwiseQuotient(count.cwiseMax(1));
}

}  // namespace orizzonte
