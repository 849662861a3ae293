#include "identification.hpp"

#include <cmath>

#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"
#include "../objective/normal_theory.hpp"
#include "constraints.hpp"
#include "rescale.hpp"
#include "starts.hpp"

namespace orizzonte {
namespace {

constexpr double rank_pivot =
    1e-5;  // of the factor of a matrix with unit diagonal: full rank above
constexpr double null_share = 1e-9;  // of the largest eigenvalue: an eigenvalue of zero below
constexpr int nearby_points = 40, rank_points = 12;

// The information in units of the parameters, with the rows of the equalities added.
Matrix information_with_equalities(Objective& problem, const Vector& theta) {
  Vector scale;
  const Matrix information = problem.unit_information(Information::Expected, scale);
  if (problem.model().constraints.empty()) return information;
  Matrix directions = equality_directions(problem.model(), theta) * scale.asDiagonal();
  directions.rowwise().normalize();
  return information + directions.transpose() * directions;
}

// A random point: moved by a proportion of each parameter plus a constant, then back onto the
// constraints.
Vector near(const Model& model, const Vector& theta, double reach, Random& random) {
  Vector out = theta;
  for (int i = 0; i < out.size(); ++i)
    out[i] += reach * (random.uniform() - 0.5) + 0.1 * out[i] * random.normal();
  restore(model, out);
  return out;
}

}  // namespace

bool full_rank(Objective& problem, const Vector& theta) {
  const Matrix information = information_with_equalities(problem, theta);
  if (information.rows() == 0) return true;
  Cholesky factor;
  return factor.compute(information) && factor.smallest_pivot() > rank_pivot;
}

bool identified_near(Objective& problem, const Vector& theta, Random& random,
                     const StopToken& stop) {
  bool found = full_rank(problem, theta);
  for (int attempt = 0; attempt < nearby_points && !found && !stop.stopped(); ++attempt) {
    const Vector trial = near(problem.model(), theta, 0.15, random);
    found = problem.move_to(trial) && full_rank(problem, trial);
  }
  problem.move_to(theta);
  return found || stop.stopped();
}

Rank local_rank(const Model& model, const Sample& sample, const Settings& settings) {
  Rank out;
  out.parameters = model.map.parameters;
  out.rank = -1;
  const Rescaled scaled = rescale(model, sample);
  NormalTheory problem(scaled.model, scaled.sample);
  Random random(settings.seed);
  Vector eta = starting_entries(*scaled.model, scaled.sample), theta;
  to_model_scale(*scaled.model, eta);
  if (!admissible_start(problem, eta, theta)) return out;
  for (int point = 0; point < rank_points && out.rank < out.parameters; ++point) {
    Vector trial = theta;
    if (point > 0) trial = near(*scaled.model, theta, 0.3, random);
    else
      restore(*scaled.model, trial);
    if (!problem.move_to(trial)) continue;
    const Spectrum spectrum = spectrum_of(information_with_equalities(problem, trial));
    const Vector& values = spectrum.values;
    const double limit =
        null_share * std::max(1.0, values.size() > 0 ? values[values.size() - 1] : 1.0);
    int null = 0;
    while (null < values.size() && values[null] < limit) ++null;
    if (out.parameters - null > out.rank) {
      out.rank = out.parameters - null;
      out.eigenvalues = values;
      out.null_vectors = spectrum.vectors.leftCols(null);
    }
  }
  return out;
}

}  // namespace orizzonte
