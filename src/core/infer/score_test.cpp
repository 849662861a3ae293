#include "score_test.hpp"

#include <algorithm>
#include <cmath>

#include "../expression.hpp"
#include "../linear/cholesky.hpp"
#include "../linear/dense.hpp"
#include "../objective/free_covariances.hpp"
#include "../objective/normal_theory.hpp"
#include "../solve/constraints.hpp"
#include "../solve/rescale.hpp"
#include "meat.hpp"

namespace orizzonte {
namespace {

// Derivative of a constraint by one entry.
double by_entry(const Constraint& constraint, const Vector& eta, int entry) {
  Vector inputs(constraint.inputs.size());
  bool any = false;
  for (int i = 0; i < inputs.size(); ++i) {
    inputs[i] = constraint.unit[i] * eta[constraint.inputs[i]];
    any = any || constraint.inputs[i] == entry;
  }
  if (!any) return 0;
  const Jet jet = evaluate(constraint.expression, inputs);
  double out = 0;
  for (int i = 0; i < inputs.size(); ++i)
    if (constraint.inputs[i] == entry) out += jet.gradient[i] * constraint.unit[i];
  return out;
}

// The minimum-norm change of the parameters with each release such that the other constraints
// continue to hold; the released constraint itself changes by one.
Matrix compensation(const Model& model, const Tangent& kept, const Vector& eta,
                    const Sequence<Release>& releases) {
  const int q = model.map.parameters, rows = kept.rows.size();
  Matrix wanted = Matrix::Zero(rows, releases.size());
  for (int c = 0; c < releases.size(); ++c)
    for (int i = 0; i < rows; ++i)
      wanted(i, c) = releases[c].constraint >= 0
                         ? (kept.rows[i] == releases[c].constraint ? 1.0 : 0.0)
                         : -by_entry(model.constraints[kept.rows[i]], eta, releases[c].entry);
  if (rows == 0) return Matrix::Zero(q, releases.size());
  return least_squares(kept.normals, wanted);
}

// Many covariances of constructs are eliminated in closed form, which leaves a small system.
constexpr int many_covariances = 200;

// Up to this many numbers the responses of the parameters are kept.
constexpr double most_responses = 2e6;

// The tests one by one where only entries without a parameter are tested, under normality and from
// complete data; in the units of the problem. False where this method does not apply.
bool test_beyond_covariances(NormalTheory& problem, const FreeCovariances& free,
                             const Sequence<int>& entries, ScoreTests& out, const StopToken& stop) {
  if (!problem.eliminate(free)) return false;
  Sequence<int> left;
  for (int p = 0; p < free.parameter.size(); ++p)
    if (!free.parameter[p]) left.push_back(p);
  const auto rows_left = [&](const Matrix& from) {
    Matrix to(left.size(), from.cols());
    for (int c = 0; c < from.cols(); ++c)
      for (int i = 0; i < left.size(); ++i) to(i, c) = from(left[i], c);
    return to;
  };
  Vector whole;
  const Matrix some = rows_left(problem.information_left(whole));
  const Vector unit = rows_left(whole).cwiseSqrt().cwiseInverse();
  if (!unit.allFinite()) return false;
  const Matrix scaled = scaled_by(unit, rows_left(some.transpose()));
  Cholesky factor;
  if (!factor.compute(scaled)) return false;
  const Vector score = problem.entry_score();
  const int count = entries.size();
  out.own = out.score = out.information = Vector::Zero(count);
  out.kept = Vector::Ones(count);
  constexpr int step = 256;
  Matrix moved;
  Vector own;
  for (int first = 0; first < count; first += step) {
    if (stop.stopped()) break;
    const Sequence<int> part(entries.begin() + first,
                             entries.begin() + std::min(first + step, count));
    problem.cross_left(part, moved, own, whole);
    Matrix cross = unit.asDiagonal() * rows_left(moved);
    factor.half_solve(cross);
    for (int i = 0; i < part.size(); ++i) {
      out.own[first + i] = whole[i];
      out.information[first + i] = own[i] - cross.col(i).squaredNorm();
      out.score[first + i] = score[part[i]];
    }
  }
  out.admissible = true;
  return true;
}

// Back to the caller's units: a rescaled entry is `entry_unit` times the caller's.
Vector caller_units(const Rescaled& scaled, const Sequence<Release>& releases) {
  Vector back = Vector::Ones(releases.size());
  for (int c = 0; c < releases.size(); ++c)
    if (releases[c].entry >= 0) back[c] = scaled.entry_unit[releases[c].entry];
  return back;
}

}  // namespace

ScoreTests score_tests(const Model& model, const Sample& sample, const Vector& theta,
                       const Sequence<Release>& releases, bool joint, const Sequence<Cases>& cases,
                       const StopToken& stop) {
  ScoreTests out;
  const Rescaled scaled = rescale(model, sample);
  NormalTheory problem(scaled.model, scaled.sample, true);
  const Vector at = scaled.inward(theta);
  if (!problem.move_to(at)) return out;
  const Vector back = caller_units(scaled, releases);
  const FreeCovariances free = free_covariances(*scaled.model);
  const bool new_entries =
      std::all_of(releases.begin(), releases.end(), [&](const Release& release) {
        return release.entry >= 0 && model.map.rows[release.entry].empty();
      });
  if (free.size >= many_covariances && new_entries && !joint && cases.empty() &&
      model.constraints.empty() && sample.patterns.empty()) {
    Sequence<int> entries;
    for (const Release& release : releases) entries.push_back(release.entry);
    if (test_beyond_covariances(problem, free, entries, out, stop)) {
      out.score = out.score.cwiseProduct(back);
      out.information = out.information.cwiseProduct(back).cwiseProduct(back);
      out.own = out.own.cwiseProduct(back).cwiseProduct(back);
      return out;
    }
  }
  Vector unit;
  const Matrix information = problem.unit_information(Information::Tested, unit);
  const Vector score = unit.cwiseProduct(problem.score());
  const Tangent kept = tangent(*scaled.model, at, unit, score);
  const bool constrained = !kept.rows.empty();
  const Matrix projected =
      constrained ? Matrix(kept.basis.transpose() * information * kept.basis) : information;
  Cholesky factor;
  if (!factor.compute(projected)) return out;
  out.admissible = true;

  // entries to move; a release of a constraint moves none
  const int count = releases.size();
  Sequence<int> entries, column;
  for (int c = 0; c < count; ++c)
    if (releases[c].entry >= 0) {
      entries.push_back(releases[c].entry);
      column.push_back(c);
    }
  const Vector entry_score = problem.entry_score();
  Matrix cross = Matrix::Zero(theta.size(), count);
  out.own = out.score = Vector::Zero(count);
  // with many missing patterns this takes longest: check for an interrupt
  constexpr int step = 64;
  for (int first = 0; first < entries.size(); first += step) {
    if (stop.stopped()) return out;
    const Sequence<int> part(entries.begin() + first,
                             entries.begin() + std::min(first + step, entries.size()));
    Matrix moved;
    Vector moved_own;
    problem.cross_information(part, moved, moved_own);
    for (int i = 0; i < part.size(); ++i) {
      cross.col(column[first + i]) = unit.cwiseProduct(moved.col(i));
      out.own[column[first + i]] = moved_own[i];
      out.score[column[first + i]] = entry_score[part[i]];
    }
  }
  Matrix also = Matrix::Zero(constrained ? theta.size() : 0, constrained ? count : 0);
  Matrix pairs;
  if (joint) {
    pairs = Matrix::Zero(count, count);
    const Matrix known = problem.pair_information(entries);
    for (int i = 0; i < entries.size(); ++i)
      for (int j = 0; j < entries.size(); ++j) pairs(column[i], column[j]) = known(i, j);
  }
  if (constrained) {
    also = compensation(*scaled.model, kept, scaled.model->map(at), releases);
    const Matrix carried = information * also;
    if (joint)
      pairs += cross.transpose() * also + also.transpose() * cross + also.transpose() * carried;
    for (int c = 0; c < count; ++c) {
      out.own[c] += 2 * cross.col(c).dot(also.col(c)) + also.col(c).dot(carried.col(c));
      out.score[c] += score.dot(also.col(c));
    }
    cross += carried;
  }
  Matrix reduced = constrained ? Matrix(kept.basis.transpose() * cross) : cross;
  factor.half_solve(reduced);
  out.information = out.own - column_squares(reduced);
  out.kept = Vector::Ones(count);
  Matrix response;
  const bool responses =
      joint || static_cast<double>(count) * static_cast<double>(theta.size()) <= most_responses;
  for (int c = 0; c < count; ++c) {
    const int e = releases[c].entry;
    if (!responses && (e < 0 || model.map.rows[e].empty())) continue;
    Vector step = reduced.col(c);
    factor.other_half_solve(step);
    step = constrained ? Vector(also.col(c) - kept.basis * step) : Vector(-step);
    step = step.cwiseProduct(unit);
    if (e >= 0)
      for (const Term& term : scaled.model->map.rows[e])
        out.kept[c] += term.weight * step[term.parameter];
    if (!responses) continue;
    if (response.cols() == 0) response.resize(theta.size(), count);
    response.col(c) = scaled.outward_step(step, at);
  }
  if (!cases.empty()) {
    // for parameters, by release: the part of their scores that is subtracted
    Matrix inside = reduced;
    factor.other_half_solve(inside);
    Matrix taken = kept.basis * inside;
    if (constrained) taken -= also;
    const Matrix along = unit.asDiagonal() * taken;
    Matrix by_parameter, by_entry;
    const Matrix found = sum_of_squares(
        scaled.inward(cases), count,
        [&](int g, const Matrix& values, Matrix& rows) {
          problem.case_scores(g, values, About::Model, by_parameter);
          problem.case_entry_scores(g, values, entries, by_entry);
          rows = -by_parameter * along;
          for (int i = 0; i < entries.size(); ++i) rows.col(column[i]) += by_entry.col(i);
        },
        stop, !joint);
    if (joint) out.joint_variance = found;
    out.variance = joint ? Vector(found.diagonal()) : Vector(found.col(0));
  }
  out.score = out.score.cwiseProduct(back);
  out.information = out.information.cwiseProduct(back).cwiseProduct(back);
  out.own = out.own.cwiseProduct(back).cwiseProduct(back);
  out.variance = out.variance.cwiseProduct(back.head(out.variance.size()))
                     .cwiseProduct(back.head(out.variance.size()))
                     .eval();
  if (out.joint_variance.size() > 0) out.joint_variance = scaled_by(back, out.joint_variance);
  if (response.cols() > 0) out.response = response * back.asDiagonal();
  if (joint) out.joint = scaled_by(back, pairs - reduced.transpose() * reduced);
  return out;
}

}  // namespace orizzonte
