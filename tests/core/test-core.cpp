// The core on its own: no R anywhere in this program.
#define CATCH_CONFIG_MAIN
#include <testthat/vendor/catch.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "expression.hpp"
#include "geometry/routes.hpp"
#include "infer/alignment.hpp"
#include "infer/bilinear.hpp"
#include "infer/derivatives.hpp"
#include "infer/score_test.hpp"
#include "infer/step_down.hpp"
#include "linear/arrow.hpp"
#include "linear/cholesky.hpp"
#include "linear/dense.hpp"
#include "linear/pivoted.hpp"
#include "many/drawn.hpp"
#include "many/refit_many.hpp"
#include "many/resampled.hpp"
#include "moments/answers.hpp"
#include "moments/distances.hpp"
#include "moments/likelihood.hpp"
#include "moments/reduce.hpp"
#include "moments/saturated.hpp"
#include "objective/normal_theory.hpp"
#include "solve/basis.hpp"
#include "solve/driver.hpp"
#include "solve/identification.hpp"
#include "solve/metric.hpp"
#include "solve/rescale.hpp"
#include "solve/starts.hpp"

using namespace orizzonte;

namespace {

// k items of one construct (variable k), marker loading first; entries: loadings, residual
// variances, variance.
Model one_factor(int k, bool means) {
  Model model;
  model.groups = {{k, k + 1}};
  model.means = means;
  for (int i = 0; i < k; ++i) model.entries.push_back({Family::Effect, 0, i, k});
  for (int i = 0; i <= k; ++i) model.entries.push_back({Family::Covariance, 0, i, i});
  if (means)
    for (int i = 0; i < k; ++i) model.entries.push_back({Family::Mean, 0, i, i});
  model.map.rows.resize(model.entries.size());
  model.map.constant = Vector::Zero(model.entries.size());
  model.map.constant[0] = 1;
  int next = 0;
  for (int e = 1; e < model.entries.size(); ++e) model.map.rows[e].push_back({next++, 1.0});
  model.map.parameters = next;
  Scale scale{0, k, ScaleKind::Marker, 0, 2 * k, {}, true};
  for (int i = 0; i < k; ++i) scale.loadings.push_back(i);
  model.scales = {scale};
  return model;
}

Matrix implied_by(const Vector& loading, double variance, const Vector& residual) {
  Matrix out = variance * loading * loading.transpose();
  out.diagonal() += residual;
  return out;
}

// Score and observed information against central differences.
void check_derivatives(NormalTheory& problem, const Vector& theta) {
  const Vector score = problem.score();
  const Matrix hessian = problem.dense_information(Information::Observed);
  for (int i = 0; i < theta.size(); ++i) {
    const double h = 1e-5;
    Vector up = theta, down = theta;
    up[i] += h;
    down[i] -= h;
    REQUIRE(problem.move_to(up));
    const double f_up = problem.value();
    const Vector s_up = problem.score();
    REQUIRE(problem.move_to(down));
    const double f_down = problem.value();
    const Vector s_down = problem.score();
    CHECK(score[i] ==
          Approx(-problem.n() / 2 * (f_up - f_down) / (2 * h)).epsilon(1e-5).margin(1e-5));
    for (int j = i; j < theta.size(); ++j)
      CHECK(hessian(j, i) == Approx(-(s_up[j] - s_down[j]) / (2 * h)).epsilon(1e-5).margin(1e-4));
  }
}

}  // namespace

TEST_CASE("three items have a closed-form solution") {
  // lambda_2 = s_23 / s_13, phi = s_12 s_13 / s_23
  Matrix s(3, 3);
  s << 4.0, 1.2, 1.5, 1.2, 3.0, 0.9, 1.5, 0.9, 5.0;
  const Fit result = fit(one_factor(3, false), {{0, 200, s, Vector()}}, Settings(), Callbacks());
  REQUIRE(result.status == Status::Converged);
  CHECK(result.discrepancy < 1e-12);
  CHECK(result.theta[0] == Approx(0.9 / 1.5).epsilon(1e-9));
  CHECK(result.theta[1] == Approx(0.9 / 1.2).epsilon(1e-9));
  CHECK(result.theta[5] == Approx(1.2 * 1.5 / 0.9).epsilon(1e-9));
  CHECK(result.theta[2] == Approx(4.0 - 1.2 * 1.5 / 0.9).epsilon(1e-9));
}

TEST_CASE("exact moments are recovered from closed-form starts, means included") {
  Vector loading(5), residual(5), mean(5);
  loading << 1, 0.8, 1.3, -0.7, 0.5;
  residual << 0.5, 0.6, 0.4, 0.9, 1.2;
  mean << 3, -1, 0, 10, 2;
  const Matrix s = implied_by(loading, 1.7, residual);
  const Fit result = fit(one_factor(5, true), {{0, 300, s, mean}}, Settings(), Callbacks());
  REQUIRE(result.status == Status::Converged);
  CHECK(result.discrepancy < 1e-12);
  for (int i = 1; i < 5; ++i) CHECK(result.theta[i - 1] == Approx(loading[i]).epsilon(1e-8));
  for (int i = 0; i < 5; ++i) CHECK(result.theta[10 + i] == Approx(mean[i]).margin(1e-8));
  CHECK(result.covariance.rows() == 15);
  CHECK((result.covariance - result.covariance.transpose()).cwiseAbs().maxCoeff() < 1e-12);
}

TEST_CASE("analytic derivatives agree with central differences") {
  Random random(7);
  Model model = one_factor(4, true);
  // a residual covariance, and the mean of the construct, which loadings carry to the items
  for (const Entry& entry : {Entry{Family::Covariance, 0, 1, 0}, Entry{Family::Mean, 0, 4, 0}}) {
    model.entries.push_back(entry);
    model.map.rows.push_back({{model.map.parameters, 1.0}});
    model.map.constant.conservativeResize(model.entries.size());
    model.map.constant[model.entries.size() - 1] = 0;
    ++model.map.parameters;
  }
  Matrix s = Matrix::Identity(4, 4);
  for (int i = 0; i < 4; ++i)
    for (int j = 0; j < i; ++j) s(i, j) = s(j, i) = 0.3 + 0.1 * random.uniform();
  Vector mean(4);
  mean << 0.1, -0.2, 0.3, 0.5;
  const Sample sample = {{0, 150, s, mean}};
  NormalTheory problem(std::make_shared<const Model>(model), sample);
  Vector theta(model.map.parameters);
  for (int i = 0; i < theta.size(); ++i) theta[i] = 0.6 + 0.2 * random.uniform();
  REQUIRE(problem.move_to(theta));
  check_derivatives(problem, theta);
}

TEST_CASE("rescaling leaves the discrepancy alone") {
  Vector loading(4), residual(4);
  loading << 1, 0.8, 1.3, 0.7;
  residual << 0.5, 0.6, 0.4, 0.9;
  Matrix s = implied_by(loading, 1.7, residual);
  s(0, 1) = s(1, 0) = s(0, 1) + 0.3;
  const Fit plain = fit(one_factor(4, false), {{0, 250, s, Vector()}}, Settings(), Callbacks());
  Vector unit(4);
  unit << 1e3, 1e-3, 1, 1e3;
  const Matrix scaled = unit.asDiagonal() * s * unit.asDiagonal();
  const Fit other =
      fit(one_factor(4, false), {{0, 250, scaled, Vector()}}, Settings(), Callbacks());
  REQUIRE(plain.status == Status::Converged);
  REQUIRE(other.status == Status::Converged);
  CHECK(other.discrepancy == Approx(plain.discrepancy).epsilon(1e-9));
  CHECK(other.theta[0] == Approx(plain.theta[0] * 1e-6).epsilon(1e-7));
  CHECK(std::sqrt(other.covariance(0, 0)) ==
        Approx(std::sqrt(plain.covariance(0, 0)) * 1e-6).epsilon(1e-6));
}

TEST_CASE("loadings that average one start and end there, whatever the units of the items") {
  Vector loading(4), residual(4);
  loading << 1, 0.8, 1.3, 0.9;
  residual << 0.5, 0.6, 0.4, 0.9;
  Vector unit(4);
  unit << 1e-3, 1e3, 1, 10;
  const Matrix s = unit.asDiagonal() * implied_by(loading, 1.7, residual) * unit.asDiagonal();
  Model model = one_factor(4, false);
  // the second loading, in the largest unit, is what the others leave of 4
  model.map.rows[0] = {{0, 1.0}};
  model.map.rows[1] = {{0, -1.0}, {1, -1.0}, {2, -1.0}};
  model.map.constant[0] = 0;
  model.map.constant[1] = 4;
  model.scales[0].kind = ScaleKind::Average;
  model.scales[0].marker = -1;
  const Rescaled scaled = rescale(model, {{0, 200, s, Vector()}});
  Vector eta = starting_entries(*scaled.model, scaled.sample);
  REQUIRE(to_model_scale(*scaled.model, eta));
  const Vector start =
      scaled.model->map(parameters_of(*scaled.model, eta)).cwiseQuotient(scaled.entry_unit);
  CHECK(start.head(4).sum() == Approx(4));
  // exact moments: the start is already close in every unit
  for (int i = 0; i < 4; ++i)
    CHECK(start[i] ==
          Approx(unit[i] * loading[i] * 4 / unit.cwiseProduct(loading).sum()).epsilon(0.05));
  const Fit result = fit(model, {{0, 200, s, Vector()}}, Settings(), Callbacks());
  REQUIRE(result.status == Status::Converged);
  CHECK(result.discrepancy < 1e-10);
  CHECK(result.eta.head(4).mean() == Approx(1));
}

TEST_CASE("a rescaled parameter counts its first entry once, whatever its weight") {
  // The second loading is 4 theta and the third .5 theta; both items have variances far from one.
  Model model = one_factor(4, false);
  model.map.rows[1] = {{0, 4.0}};
  model.map.rows[2] = {{0, 0.5}};
  Vector loading(4), residual(4), unit(4);
  loading << 1, 0.8, 0.1, 0.7;
  residual << 0.5, 0.6, 0.4, 0.9;
  unit << 1, 1e3, 1e-2, 5;
  const Matrix s = unit.asDiagonal() * implied_by(loading, 1.7, residual) * unit.asDiagonal();
  const Rescaled scaled = rescale(model, {{0, 200, s, Vector()}});
  std::map<int, double> first;
  for (const Terms& row : scaled.model->map.rows)
    for (const Term& term : row) first.insert({term.parameter, std::abs(term.weight)});
  for (const auto& found : first) CHECK(found.second == Approx(1));
  // the map still says what the caller's map says
  const Vector theta = Vector::LinSpaced(model.map.parameters, 0.3, 1.4);
  const Vector entries = scaled.model->map(theta.cwiseQuotient(scaled.parameter_unit))
                             .cwiseQuotient(scaled.entry_unit);
  CHECK((entries - model.map(theta)).norm() < 1e-12);
}

TEST_CASE("parameters of one group alone have a block of their own") {
  // Two groups of three items: the first loading is shared, all else is each group's own.
  Model model = one_factor(3, false);
  const Model other = model;
  const int q = model.map.parameters;
  model.groups.push_back(model.groups[0]);
  for (int e = 0; e < other.entries.size(); ++e) {
    Entry entry = other.entries[e];
    entry.group = 1;
    model.entries.push_back(entry);
    Terms row;
    for (const Term& term : other.map.rows[e])
      row.push_back({term.parameter == 0 ? 0 : q + term.parameter - 1, term.weight});
    model.map.rows.push_back(row);
  }
  model.map.parameters = 2 * q - 1;
  const Homes homes(model);
  CHECK(homes.shared == 1);
  CHECK(homes.block[0] == -1);
  REQUIRE(homes.sizes.size() == 2);
  for (int g = 0; g < 2; ++g) CHECK(homes.sizes[g] == q - 1);
  for (int i = 1; i < q; ++i) {
    CHECK(homes.block[i] == 0);
    CHECK(homes.block[q + i - 1] == 1);
    CHECK(homes.place[i] == i - 1);
    CHECK(homes.place[q + i - 1] == i - 1);
  }
}

TEST_CASE("an outcome of one cause starts at its regression") {
  // variables 0 -> 1, both observed; entries: effect, variance, residual variance
  Model model;
  model.groups = {{2, 2}};
  model.entries = {
      {Family::Effect, 0, 1, 0}, {Family::Covariance, 0, 0, 0}, {Family::Covariance, 0, 1, 1}};
  model.map.rows = {{{0, 1.0}}, {{1, 1.0}}, {{2, 1.0}}};
  model.map.constant = Vector::Zero(3);
  model.map.parameters = 3;
  Matrix s(2, 2);
  s << 4, 3, 3, 5;
  const Vector eta = starting_entries(model, {{0, 100, s, Vector()}});
  CHECK(eta[0] == Approx(3.0 / 4));
  CHECK(eta[1] == Approx(4));
  CHECK(eta[2] == Approx(5 - 9.0 / 4));
}

TEST_CASE("unknown loadings follow the curve of the means where it is known") {
  // A slope with loadings 0, 1, ?, 3 and a level with loadings of 1.
  Basis basis;
  basis.items = {0, 1, 2, 3};
  basis.loading.resize(4, 2);
  basis.loading << 1, 0, 1, 1, 1, 0, 1, 3;
  basis.unknown = {{}, {}, {1}, {}};
  Basis other = basis;
  basis.level.resize(4);
  basis.level << 2, 2.5, 3.2, 3.5;  // level 2, slope .5
  fill_unknown(basis, nullptr);
  CHECK(basis.loading(2, 1) == Approx(2.4));
  // without means the largest given loading serves
  fill_unknown(other, nullptr);
  CHECK(other.loading(2, 1) == 3);
}

TEST_CASE("an interrupt is heeded and progress is reported") {
  Vector loading(4), residual(4);
  loading << 1, 0.8, 1.3, 0.7;
  residual << 0.5, 0.6, 0.4, 0.9;
  const Sample sample = {{0, 250, implied_by(loading, 1.7, residual), Vector()}};
  Callbacks callbacks;
  callbacks.stop = StopToken([] { return true; });
  CHECK(fit(one_factor(4, false), sample, Settings(), callbacks).status == Status::Interrupted);
  int told = 0;
  Callbacks counting;
  counting.progress = [&](int, double) { ++told; };
  CHECK(fit(one_factor(4, false), sample, Settings(), counting).status == Status::Converged);
  CHECK(told > 0);
}

TEST_CASE("parameters that are not separately identified are found by rank") {
  // two free residual covariances too many for three items
  Model model = one_factor(3, false);
  for (int j = 1; j < 3; ++j) {
    model.entries.push_back({Family::Covariance, 0, j, 0});
    model.map.rows.push_back({{model.map.parameters++, 1.0}});
  }
  model.map.constant.conservativeResize(model.entries.size());
  model.map.constant.tail(2).setZero();
  Matrix s(3, 3);
  s << 4.0, 1.2, 1.5, 1.2, 3.0, 0.9, 1.5, 0.9, 5.0;
  const Sample sample = {{0, 200, s, Vector()}};
  CHECK_FALSE(fit(model, sample, Settings(), Callbacks()).identified);
  const Rank rank = local_rank(model, sample, Settings());
  CHECK(rank.rank == 6);
  CHECK(rank.parameters == 8);
  CHECK(rank.null_vectors.cols() == 2);
}

TEST_CASE("a loop never steps across det(I - B) = 0") {
  Model model;
  model.groups = {{2, 2}};
  model.entries = {{Family::Effect, 0, 0, 1},
                   {Family::Effect, 0, 1, 0},
                   {Family::Covariance, 0, 0, 0},
                   {Family::Covariance, 0, 1, 1}};
  model.map.rows = {{{0, 1.0}}, {{1, 1.0}}, {{2, 1.0}}, {{3, 1.0}}};
  model.map.constant = Vector::Zero(4);
  model.map.parameters = 4;
  const Sample sample = {{0, 100, Matrix::Identity(2, 2), Vector()}};
  NormalTheory problem(std::make_shared<const Model>(model), sample);
  Vector theta(4);
  theta << 0.5, 0.5, 1, 1;
  CHECK(problem.move_to(theta));
  theta << 2, 0.5, 1, 1;  // det = 0
  CHECK_FALSE(problem.move_to(theta));
  theta << 2, 1, 1, 1;  // det < 0
  CHECK_FALSE(problem.move_to(theta));
}

// loading_2 - 2 loading_3, as a tape
Constraint twice(int first, int second, bool bound) {
  return {{{Operation::Input, 0},
           {Operation::Constant, 2},
           {Operation::Input, 1},
           {Operation::Multiply, 0},
           {Operation::Subtract, 0}},
          {first, second},
          {1, 1},
          bound};
}

TEST_CASE("equations hold exactly, and bounds only when they press") {
  Matrix s(4, 4);
  s << 4.0, 1.2, 1.5, 1.1, 1.2, 3.0, 0.9, 1.0, 1.5, 0.9, 5.0, 1.3, 1.1, 1.0, 1.3, 3.5;
  const Sample sample = {{0, 300, s, Vector()}};
  const Model plain = one_factor(4, false);
  const Fit free = fit(plain, sample, Settings(), Callbacks());
  int second = -1, third = -1;
  for (int e = 0; e < plain.entries.size(); ++e) {
    if (plain.entries[e].family != Family::Effect) continue;
    if (plain.entries[e].row == 1) second = e;
    if (plain.entries[e].row == 2) third = e;
  }
  Model model = plain;
  model.scales.clear();
  model.constraints = {twice(second, third, false)};
  const Fit tied = fit(model, sample, Settings(), Callbacks());
  CHECK(tied.status == Status::Converged);
  CHECK(tied.eta[second] == Approx(2 * tied.eta[third]).epsilon(1e-10));
  CHECK(tied.discrepancy > free.discrepancy);
  // the errors live on the equation: its own direction has none
  Vector direction = Vector::Zero(tied.theta.size());
  direction[model.map.rows[second][0].parameter] = 1;
  direction[model.map.rows[third][0].parameter] = -2;
  CHECK(std::abs(direction.dot(tied.covariance * direction)) < 1e-12);

  model.constraints[0].bound = true;  // presses: the free solution has loading_2 < 2 loading_3
  REQUIRE(free.eta[second] < 2 * free.eta[third]);
  const Fit pressed = fit(model, sample, Settings(), Callbacks());
  CHECK(pressed.active[0]);
  CHECK(pressed.discrepancy == Approx(tied.discrepancy).epsilon(1e-10));
  model.constraints[0] = twice(
      third, second, true);  // idle if loading_3 > 2 loading_2 does not hold the solution back
  const bool holds = free.eta[third] >= 2 * free.eta[second];
  const Fit other = fit(model, sample, Settings(), Callbacks());
  CHECK(static_cast<bool>(other.active[0]) == !holds);
}

TEST_CASE("constraints that cannot hold are distinguished from a failure to converge") {
  Matrix s(3, 3);
  s << 4.0, 1.2, 1.5, 1.2, 3.0, 0.9, 1.5, 0.9, 5.0;
  const Sample sample = {{0, 200, s, Vector()}};
  Model model = one_factor(3, false);
  model.scales.clear();
  int loading = -1;
  for (int e = 0; e < model.entries.size(); ++e)
    if (model.entries[e].family == Family::Effect && model.entries[e].row == 1) loading = e;
  const Expression square_plus_one = {{Operation::Input, 0},
                                      {Operation::Constant, 2},
                                      {Operation::Power, 0},
                                      {Operation::Constant, 1},
                                      {Operation::Add, 0}};
  model.constraints = {{square_plus_one, {loading}, {1}, false}};
  CHECK(fit(model, sample, Settings(), Callbacks()).status == Status::Infeasible);
}

TEST_CASE("tapes carry first and second derivatives") {
  // log(x) * y^3 / exp(x)
  const Expression tape = {
      {Operation::Input, 0},    {Operation::Log, 0},   {Operation::Input, 1},
      {Operation::Constant, 3}, {Operation::Power, 0}, {Operation::Multiply, 0},
      {Operation::Input, 0},    {Operation::Exp, 0},   {Operation::Divide, 0}};
  Vector at(2);
  at << 1.7, 0.8;
  const double x = at[0], y = at[1], e = std::exp(-x), l = std::log(x);
  const Jet jet = evaluate(tape, at);
  CHECK(jet.value == Approx(l * y * y * y * e));
  CHECK(jet.gradient[0] == Approx(y * y * y * e * (1 / x - l)));
  CHECK(jet.gradient[1] == Approx(3 * y * y * l * e));
  CHECK(jet.hessian(0, 0) == Approx(y * y * y * e * (l - 2 / x - 1 / (x * x))));
  CHECK(jet.hessian(0, 1) == Approx(3 * y * y * e * (1 / x - l)));
  CHECK(jet.hessian(1, 1) == Approx(6 * y * l * e));
}

TEST_CASE("random numbers are portable and roughly normal") {
  Random a(42), b(42), c(42, 1);
  CHECK(a.bits() == b.bits());
  CHECK(a.bits() != c.bits());
  double sum = 0, square = 0;
  for (int i = 0; i < 20000; ++i) {
    const double x = a.normal();
    sum += x;
    square += x * x;
  }
  CHECK(std::abs(sum / 20000) < 0.03);
  CHECK(square / 20000 == Approx(1).epsilon(0.04));
}

TEST_CASE(
    "score tests see a missing covariance, and nothing where the model would lose its scale") {
  Vector loading(4), residual(4);
  loading << 1, 0.8, 1.2, 0.9;
  residual << 0.5, 0.6, 0.4, 0.7;
  Matrix s = implied_by(loading, 1.5, residual);
  const double small = 1e-4;
  s(0, 1) += small;
  s(1, 0) += small;
  Model model = one_factor(4, false);
  model.entries.push_back({Family::Covariance, 0, 1, 0});  // not estimated
  model.map.rows.push_back(Terms());
  model.map.constant.conservativeResize(model.entries.size());
  model.map.constant[model.entries.size() - 1] = 0;
  const Sample sample = {{0, 1000, s, Vector()}};
  const Fit held = fit(model, sample, Settings(), Callbacks());
  REQUIRE(held.status == Status::Converged);
  const int last = static_cast<int>(model.entries.size()) - 1;
  const ScoreTests tests = score_tests(model, sample, held.theta, {{last, -1}, {0, -1}}, true);
  REQUIRE(tests.admissible);
  CHECK(tests.score[0] / tests.information[0] == Approx(small).epsilon(0.01));
  CHECK(tests.score[0] * tests.score[0] / tests.information[0] ==
        Approx(1000 * held.discrepancy).epsilon(0.01));
  CHECK(tests.information[1] < 1e-9 * tests.own[1]);
  CHECK(tests.joint(0, 0) == Approx(tests.information[0]));
}

TEST_CASE("a matrix in blocks is factored, solved and inverted like the whole") {
  Homes homes;
  homes.block = {0, -1, 1, 0, -1, 1, 1, 2};
  homes.place = {0, 0, 0, 1, 1, 1, 2, 0};
  homes.sizes = {2, 3, 1};
  homes.shared = 2;
  const int q = 8;
  Arrow arrow;
  arrow.reset(std::make_shared<const Homes>(homes));
  Matrix whole = Matrix::Zero(q, q);
  for (int j = 0; j < q; ++j)
    for (int i = j; i < q; ++i) {
      const bool apart =
          homes.block[i] >= 0 && homes.block[j] >= 0 && homes.block[i] != homes.block[j];
      if (apart) continue;
      const double value = i == j ? 4 + i : std::sin(1.0 + 3 * i + j);
      arrow.add(i % 2 ? i : j, i % 2 ? j : i, value);  // either order means the same cell
      whole(i, j) = whole(j, i) = value;
    }
  CHECK((Matrix(arrow.dense().selfadjointView<Eigen::Lower>()) - whole).norm() < 1e-14);
  Vector diagonal;
  arrow.diagonal(diagonal);
  CHECK((diagonal - whole.diagonal()).norm() < 1e-14);
  const Vector x = Vector::LinSpaced(q, -1, 2);
  CHECK(arrow.quadratic(x) == Approx(x.dot(whole * x)));
  for (double damping : {0.0, 0.7}) {
    const Matrix damped = whole + damping * Matrix::Identity(q, q);
    ArrowFactor factor;
    REQUIRE(factor.compute(arrow, damping));
    Vector solved = x;
    factor.solve(solved);
    CHECK((solved - damped.llt().solve(x)).norm() < 1e-12);
    CHECK((factor.inverse() - damped.inverse()).norm() < 1e-12);
    CHECK((factor.inverse_diagonal() - damped.inverse().diagonal()).norm() < 1e-12);
    CHECK(factor.smallest_pivot() > 0);
  }
  const Vector by = Vector::LinSpaced(q, 0.5, 1.5);
  arrow.scale(by);
  const Matrix scaled = by.asDiagonal() * whole * by.asDiagonal();
  CHECK((Matrix(arrow.dense().selfadjointView<Eigen::Lower>()) - scaled).norm() < 1e-13);
  arrow.add(7, 7, -100);
  ArrowFactor factor;
  CHECK_FALSE(factor.compute(arrow, 0));
}

TEST_CASE("an interrupt that was asked for once stays asked for, restarts included") {
  int asked = 0;
  Callbacks callbacks;
  callbacks.stop = StopToken([&] { return ++asked == 3; });  // and never again
  // loadings that run away: without the stop there are many starts and valley steps
  Matrix s(2, 2);
  s << 1, 0.5, 0.5, 1;
  Model model = one_factor(2, false);
  model.scales.clear();
  const Sample sample = {{0, 100, s, Vector()}};
  const Fit stopped = fit(model, sample, Settings(), callbacks);
  CHECK((stopped.status == Status::Interrupted || !stopped.identified));
  const StopToken copy = callbacks.stop;
  CHECK(copy.stopped() == callbacks.stop.stopped());
}

TEST_CASE("many samples are fitted without building the model again") {
  Vector loading(5), residual(5);
  loading << 1, 0.8, 1.3, -0.7, 0.5;
  residual << 0.5, 0.6, 0.4, 0.9, 1.2;
  const auto model = std::make_shared<const Model>(one_factor(5, false));
  const Sample first = {{0, 300, implied_by(loading, 1.7, residual), Vector()}};
  Sample second = first;
  second[0].covariance(0, 1) = second[0].covariance(1, 0) = 1.2;
  NormalTheory problem(model, first);
  const Vector theta = parameters_of(*model, [&] {
    Vector eta = starting_entries(*model, first);
    to_model_scale(*model, eta);
    return eta;
  }());
  for (const Sample& sample : {second, first}) {
    problem.set_sample(sample);
    const Optimum again = solve_quickly(problem, theta, Settings(), Callbacks());
    const Fit anew = fit(*model, sample, Settings(), Callbacks());
    REQUIRE(again.status == Status::Converged);
    CHECK(again.discrepancy == Approx(anew.discrepancy).margin(1e-12));
    CHECK((again.theta - anew.theta).norm() < 1e-7);
  }
}

TEST_CASE("a scoring or a Newton step allocates nothing once the sizes are known") {
  Vector loading(9), residual(9), mean = Vector::LinSpaced(9, -1, 1);
  loading << 1, 0.8, 1.3, 0.7, 0.5, 0.9, 1.1, 0.6, 0.8;
  residual << 0.5, 0.6, 0.4, 0.9, 1.2, 0.7, 0.6, 0.8, 0.5;
  Matrix s = implied_by(loading, 1.7, residual);
  s(0, 1) = s(1, 0) = s(0, 1) + 0.2;
  for (bool means : {false, true}) {
    Model model = one_factor(9, means);
    const Sample sample = {{0, 300, s, mean}};
    NormalTheory problem(std::make_shared<const Model>(model), sample);
    Vector eta = starting_entries(model, sample);
    to_model_scale(model, eta);
    Vector theta = parameters_of(model, eta), score, step;
    Metric expected, observed;
    const auto pass = [&] {
      problem.move_to(theta);
      problem.score(score);
      expected.set(problem, Information::Expected);
      observed.set(problem, Information::Observed);
      expected.damp(1e-3);
      expected.solve(score, step);
      expected.quadratic(step);
      theta += 0.5 * step;
    };
    pass();  // sizes everything
    Eigen::internal::set_is_malloc_allowed(false);
    pass();
    pass();
    Eigen::internal::set_is_malloc_allowed(true);
    CHECK(std::isfinite(problem.value()));
  }
}

TEST_CASE("the engine of derivatives agrees with central differences") {
  Model model = one_factor(4, true);
  Random random(5);
  Vector theta(model.map.parameters);
  for (int i = 0; i < theta.size(); ++i) theta[i] = 0.6 + 0.3 * random.uniform();
  Sequence<Wanted> wanted;
  for (int e = 0; e < model.entries.size(); ++e) {
    wanted.push_back({Quantity::Entry, 0, static_cast<int>(e), 0});
    wanted.push_back({Quantity::Standardized, 0, static_cast<int>(e), 0});
  }
  for (Quantity q : {Quantity::Covariance, Quantity::Mean, Quantity::Total, Quantity::Indirect,
                     Quantity::Correlation, Quantity::RSquared, Quantity::SdRatio}) {
    wanted.push_back({q, 0, 1, 3});
    wanted.push_back({q, 0, 4, 2});
  }
  const Sequence<Sequence<char>> plain = {Sequence<char>(5, 0)};
  const Derived at = derive(model, model.map(theta), wanted, plain);
  for (int i = 0; i < theta.size(); ++i) {
    const double h = 1e-6;
    Vector up = theta, down = theta;
    up[i] += h;
    down[i] -= h;
    const Vector difference = (derive(model, model.map(up), wanted, plain).value -
                               derive(model, model.map(down), wanted, plain).value) /
                              (2 * h);
    for (int k = 0; k < difference.size(); ++k)
      if (std::isfinite(at.value[k]))
        CHECK(at.gradient(k, i) == Approx(difference[k]).epsilon(1e-5).margin(1e-7));
  }
}

namespace {

// Cases of one group in four missing patterns, with moments of their own.
Sequence<Block> four_patterns(int group, std::uint64_t seed) {
  Random random(seed);
  Sequence<Block> out;
  const Sequence<Sequence<int>> seen = {{0, 1, 2, 3}, {3, 0, 1}, {1, 2}, {2}};
  const double sizes[] = {60, 40, 25, 10};
  for (int k = 0; k < seen.size(); ++k) {
    const int p = seen[k].size();
    Block block{group, sizes[k], Matrix::Identity(p, p), Vector(p), seen[k]};
    for (int i = 0; i < p; ++i) {
      block.mean[i] = 0.4 * random.uniform();
      block.covariance(i, i) = 0.8 + 0.4 * random.uniform();
      for (int j = 0; j < i; ++j)
        block.covariance(i, j) = block.covariance(j, i) = 0.3 + 0.2 * random.uniform();
    }
    out.push_back(block);
  }
  return out;
}

Sample sample_of(const Sequence<Sequence<Block>>& groups, int size) {
  Sample out;
  for (int g = 0; g < groups.size(); ++g) {
    const Saturated moments = saturated_moments(groups[g], size);
    REQUIRE(moments.found());
    double n = 0;
    for (const Block& block : groups[g]) n += block.n;
    out.push_back({static_cast<int>(g), n, moments.covariance, moments.mean, {}});
    out.patterns.insert(out.patterns.end(), groups[g].begin(), groups[g].end());
  }
  return out;
}

// -2 log L from its definition, without the constant.
double minus_two_log_likelihood(const Sequence<Block>& patterns, const Matrix& sigma,
                                const Vector& mu) {
  double out = 0;
  for (const Block& block : patterns) {
    const int p = block.variables.size();
    Matrix own(p, p);
    Vector d(p);
    for (int i = 0; i < p; ++i) {
      d[i] = block.mean[i] - mu[block.variables[i]];
      for (int j = 0; j < p; ++j) own(i, j) = sigma(block.variables[i], block.variables[j]);
    }
    const Matrix w = own.inverse();
    out += block.n * (std::log(own.determinant()) + (w * block.covariance).trace() + d.dot(w * d));
  }
  return out;
}

}  // namespace

TEST_CASE("saturated moments of incomplete data are where the likelihood is flat") {
  const Sequence<Block> patterns = four_patterns(0, 3);
  const Saturated found = saturated_moments(patterns, 4);
  REQUIRE(found.found());
  const double best = minus_two_log_likelihood(patterns, found.covariance, found.mean);
  CHECK(found.minus_two_log_likelihood == Approx(best).epsilon(1e-12));
  const double h = 1e-4;
  for (int i = 0; i < 4; ++i) {
    for (int j = 0; j <= i; ++j) {
      Matrix up = found.covariance, down = found.covariance;
      up(i, j) += h;
      down(i, j) -= h;
      up(j, i) = up(i, j);
      down(j, i) = down(i, j);
      const double slope = (minus_two_log_likelihood(patterns, up, found.mean) -
                            minus_two_log_likelihood(patterns, down, found.mean)) /
                           (2 * h);
      CHECK(std::abs(slope) < 2e-3);
    }
    Vector up = found.mean, down = found.mean;
    up[i] += h;
    down[i] -= h;
    CHECK(std::abs(minus_two_log_likelihood(patterns, found.covariance, up) -
                   minus_two_log_likelihood(patterns, found.covariance, down)) /
              (2 * h) <
          2e-3);
  }
}

namespace {

// Normal cases with one construct behind them; each value is missing with a given probability.
Matrix small_cases(int n, int p, double missing, Random& random) {
  Matrix out(n, p);
  for (int i = 0; i < n; ++i) {
    const double common =
        std::sqrt(-2 * std::log(random.uniform())) * std::cos(6.28 * random.uniform());
    for (int v = 0; v < p; ++v) {
      const double own =
          std::sqrt(-2 * std::log(random.uniform())) * std::cos(6.28 * random.uniform());
      out(i, v) = random.uniform() < missing ? std::nan("") : 3 + common + own;
    }
  }
  return out;
}

void check_saturated(const Sequence<Block>& patterns, int p) {
  const Saturated found = saturated_moments(patterns, p);
  if (!found.found()) {
    if (found.status != Saturation::Unfinished) CHECK(found.mean.size() == 0);
    return;
  }
  CHECK(found.mean.allFinite());
  CHECK(found.covariance.allFinite());
  CHECK(std::isfinite(found.minus_two_log_likelihood));
}

}  // namespace

TEST_CASE("saturated moments of a few cases are found or refused, at any rate of missing values") {
  Random random(41);
  int found = 0, refused = 0;
  for (int n = 1; n <= 12; ++n)
    for (int p = 1; p <= 8; ++p)
      for (double missing : {0.0, 0.1, 0.3, 0.5, 0.7, 0.9})
        for (int repeat = 0; repeat < 4; ++repeat) {
          const Sequence<Block> patterns =
              reduce_cases(small_cases(n, p, missing, random), Vector());
          check_saturated(patterns, p);
          saturated_moments(patterns, p, nullptr, 60).found() ? ++found : ++refused;
        }
  CHECK(found > 100);
  CHECK(refused > 100);
}

TEST_CASE("saturated moments say why there are none") {
  Matrix x(6, 2);
  x << 1, 2, 2, 1, 3, 5, 4, 2, 5, 1, 6, 6;
  const double none = std::nan("");
  Matrix unobserved = x, constant = x;
  unobserved.col(1).setConstant(none);
  constant.col(1).setConstant(4);
  constant(0, 1) = none;
  CHECK(saturated_moments(reduce_cases(unobserved, Vector()), 2).status == Saturation::Unobserved);
  CHECK(saturated_moments(reduce_cases(constant, Vector()), 2).status == Saturation::Constant);
  CHECK(saturated_moments({}, 2).status == Saturation::Unobserved);
  CHECK(saturated_moments(reduce_cases(x, Vector()), 2).found());
}

TEST_CASE("columns that determine each other leave no saturated moments to be trusted") {
  Random random(43);
  for (int repeat = 0; repeat < 30; ++repeat) {
    Matrix x = small_cases(200, 6, 0, random);
    x.col(5) = repeat % 2 ? Vector(x.col(3) + x.col(4)) : Vector(x.col(2));
    for (int k = 0; k < 20; ++k)
      x(static_cast<int>(random.uniform() * 200), static_cast<int>(random.uniform() * 3)) =
          std::nan("");
    const Saturated found = saturated_moments(reduce_cases(x, Vector()), 6);
    if (!found.found()) continue;
    const Vector unit = found.covariance.diagonal().cwiseSqrt().cwiseInverse();
    const Matrix r = unit.asDiagonal() * found.covariance * unit.asDiagonal();
    CHECK(Eigen::SelfAdjointEigenSolver<Matrix>(r).eigenvalues()[0] < 1e-6);
  }
}

TEST_CASE("saturated moments neither depend on the units nor on the means of the variables") {
  Random random(44);
  Matrix x = small_cases(80, 4, 0.2, random);
  const Saturated plain = saturated_moments(reduce_cases(x, Vector()), 4);
  REQUIRE(plain.found());
  for (double offset : {1e3, 1e6, 1e7}) {
    const Saturated moved =
        saturated_moments(reduce_cases(Matrix(x.array() + offset), Vector()), 4);
    REQUIRE(moved.found());
    CHECK((moved.covariance - plain.covariance).cwiseAbs().maxCoeff() < 1e-15 * offset + 1e-9);
  }
  const Saturated scaled = saturated_moments(reduce_cases(Matrix(1e6 * x), Vector()), 4);
  REQUIRE(scaled.found());
  CHECK((1e-12 * scaled.covariance - plain.covariance).cwiseAbs().maxCoeff() < 1e-9);
  double values = 0;
  for (int v = 0; v < 4; ++v) values += (x.col(v).array() == x.col(v).array()).count();
  CHECK(scaled.minus_two_log_likelihood - 2 * values * std::log(1e6) ==
        Approx(plain.minus_two_log_likelihood).epsilon(1e-10));
}

TEST_CASE("replicates of a few incomplete cases are estimated or counted as lost") {
  Random random(45);
  const Model model = one_factor(4, true);
  for (int n : {5, 6, 8, 12, 16}) {
    for (double missing : {0.05, 0.2, 0.4}) {
      Sequence<Cases> cases(1);
      cases[0].values = small_cases(n, 4, missing, random);
      Resampled source(cases, 0);
      Sample sample;
      for (int r = 1; r <= 40; ++r) {
        if (!source.draw(7, r, sample)) continue;
        CHECK(sample[0].covariance.allFinite());
        const Fit found = fit(model, sample, Settings(), Callbacks());
        CHECK((found.status != Status::Converged || found.theta.allFinite()));
      }
    }
  }
  // simulated cases of two groups, of which one is tiny
  Population large;
  large.cases = 100;
  large.mean = Vector::Zero(4);
  large.sd = Vector::Ones(4);
  large.root = Matrix::Identity(4, 4);
  large.odds = Vector::Constant(4, -1.0);
  large.slope = Vector::Zero(4);
  Population tiny = large;
  for (int size = 1; size <= 12; ++size) {
    tiny.cases = size;
    Drawn drawn({large, tiny}, 0);
    Sample sample;
    for (int r = 1; r <= 40; ++r)
      if (drawn.draw(9, r, sample)) CHECK(sample[1].covariance.allFinite());
  }
}

TEST_CASE("casewise derivatives agree with central differences") {
  Random random(11);
  const Sample sample = sample_of({four_patterns(0, 5)}, 4);
  const Model model = one_factor(4, true);
  NormalTheory problem(std::make_shared<const Model>(model), sample);
  CHECK(problem.inference() == Information::Observed);
  Vector theta(model.map.parameters);
  for (int i = 0; i < theta.size(); ++i) theta[i] = 0.6 + 0.2 * random.uniform();
  REQUIRE(problem.move_to(theta));
  const Matrix sigma = implied(model, model.map(theta))[0].covariance.topLeftCorner(4, 4);
  const Vector mu = implied(model, model.map(theta))[0].mean.head(4);
  CHECK(problem.n() * problem.value() ==
        Approx(minus_two_log_likelihood(sample.patterns, sigma, mu) -
               minus_two_log_likelihood(sample.patterns, sample[0].covariance, sample[0].mean))
            .epsilon(1e-10));
  check_derivatives(problem, theta);
}

TEST_CASE("scores of single cases add up to the score of all, missing values or not") {
  Random random(31);
  const int n = 30;
  Matrix values(n, 4);
  for (int i = 0; i < n; ++i)
    for (int v = 0; v < 4; ++v) values(i, v) = random.normal() + 0.5 * v;
  for (int i = 0; i < n; i += 3) values(i, i % 4) = std::nan("");
  std::map<Sequence<int>, Sequence<int>> by_pattern;
  for (int i = 0; i < n; ++i) {
    Sequence<int> seen;
    for (int v = 0; v < 4; ++v)
      if (!std::isnan(values(i, v))) seen.push_back(v);
    by_pattern[seen].push_back(i);
  }
  Sequence<Block> patterns;
  for (const auto& one : by_pattern) {
    const int p = one.first.size(), count = one.second.size();
    Matrix x(count, p);
    for (int i = 0; i < count; ++i)
      for (int j = 0; j < p; ++j) x(i, j) = values(one.second[i], one.first[j]);
    const Vector mean = x.colwise().mean();
    const Matrix off = x.rowwise() - mean.transpose();
    patterns.push_back({0, double(count), off.transpose() * off / count, mean, one.first});
  }
  const Model model = one_factor(4, true);
  NormalTheory problem(std::make_shared<const Model>(model), sample_of({patterns}, 4));
  Vector theta(model.map.parameters);
  for (int i = 0; i < theta.size(); ++i) theta[i] = 0.6 + 0.2 * random.uniform();
  REQUIRE(problem.move_to(theta));
  Matrix scores;
  problem.case_scores(0, values, About::Model, scores);
  CHECK((scores.colwise().sum().transpose() - problem.score()).norm() < 1e-9);
  problem.case_entry_scores(0, values, {1, 5}, scores);
  CHECK(std::abs(scores.col(0).sum() - problem.entry_score()[1]) < 1e-9);
  CHECK(std::abs(scores.col(1).sum() - problem.entry_score()[5]) < 1e-9);
}

TEST_CASE("what score tests rest on takes in what is missing, and no misfit") {
  Random random(12);
  Sample sample = sample_of({four_patterns(0, 5)}, 4);
  const Model model = one_factor(4, true);
  Vector theta(model.map.parameters);
  for (int i = 0; i < theta.size(); ++i) theta[i] = 0.6 + 0.2 * random.uniform();
  // where the saturated moments are the model's own there is no misfit to leave out, but for the
  // curvature of the model
  const Implied at = implied(model, model.map(theta))[0];
  sample[0].covariance = at.covariance.topLeftCorner(4, 4);
  sample[0].mean = at.mean.head(4);
  NormalTheory problem(std::make_shared<const Model>(model), sample, true);
  REQUIRE(problem.move_to(theta));
  const Matrix tested = problem.dense_information(Information::Tested);
  const Matrix observed = problem.dense_information(Information::Observed);
  const Matrix expected = problem.dense_information(Information::Expected);
  // parameters 3 to 6 are residual variances, 8 to 11 intercepts: Sigma and mu are straight in them
  CHECK((tested - observed).block(3, 3, 4, 4).norm() < 1e-9);
  CHECK((tested - observed).block(8, 3, 4, 4).norm() < 1e-9);
  CHECK((tested - expected).block(3, 3, 4, 4).norm() > 1e-3);
  Matrix with;
  Vector own;
  problem.cross_information({5}, with, own);
  CHECK(own[0] == Approx(tested(4, 4)));
  // complete data: the expected information
  Sample complete;
  complete.push_back({0, 100, Matrix::Identity(4, 4) * 1.3, Vector::Zero(4), {}});
  NormalTheory plain(std::make_shared<const Model>(model), complete);
  REQUIRE(plain.move_to(theta));
  CHECK((plain.dense_information(Information::Tested) -
         plain.dense_information(Information::Expected))
            .norm() == 0);
}

TEST_CASE("without missing values patterns give what complete data give") {
  Vector loading(4), residual(4), mean(4);
  loading << 1, 0.8, 1.3, 0.7;
  residual << 0.5, 0.6, 0.4, 0.9;
  mean << 1, 2, 3, 4;
  Matrix s = implied_by(loading, 1.7, residual);
  s(0, 1) = s(1, 0) = s(0, 1) + 0.2;
  const Sample complete = {{0, 250, s, mean, {}}};
  Sample patterned = complete;
  patterned.patterns = {{0, 250, s, mean, {0, 1, 2, 3}}};
  const Model model = one_factor(4, true);
  const Fit one = fit(model, complete, Settings(), Callbacks());
  const Fit other = fit(model, patterned, Settings(), Callbacks());
  REQUIRE(other.status == Status::Converged);
  CHECK(other.discrepancy == Approx(one.discrepancy).epsilon(1e-10));
  CHECK((other.theta - one.theta).cwiseAbs().maxCoeff() < 1e-10);
}

TEST_CASE("incomplete groups are fitted, and their errors come from the observed information") {
  Model model = one_factor(4, true);
  const int entries = model.entries.size(), q = model.map.parameters;
  model.groups.push_back(model.groups[0]);
  for (int e = 0; e < entries; ++e) {
    model.entries.push_back(model.entries[e]);
    model.entries.back().group = 1;
    Terms terms = model.map.rows[e];
    // loadings are the same in both groups
    if (!terms.empty() && model.entries[e].family != Family::Effect)
      terms.begin()->parameter += q - 3;
    model.map.rows.push_back(terms);
  }
  model.map.parameters = 2 * q - 3;
  model.map.constant = Vector::Zero(2 * entries);
  model.map.constant[0] = model.map.constant[entries] = 1;
  Scale scale = model.scales[0];
  scale.group = 1;
  scale.marker += entries;
  scale.variance += entries;
  for (int& e : scale.loadings) e += entries;
  model.scales.push_back(scale);
  Sequence<Block> second = four_patterns(1, 23);
  second[1].n = 90;
  const Sample sample = sample_of({four_patterns(0, 5), second}, 4);
  const Fit found = fit(model, sample, Settings(), Callbacks());
  REQUIRE(found.status == Status::Converged);
  CHECK(found.discrepancy > 0);
  NormalTheory problem(std::make_shared<const Model>(model), sample);
  REQUIRE(problem.move_to(found.theta));
  CHECK(problem.score().cwiseAbs().maxCoeff() < 1e-5);
  Matrix hessian(found.theta.size(), found.theta.size());
  for (int i = 0; i < found.theta.size(); ++i) {
    const double h = 1e-5;
    Vector up = found.theta, down = found.theta;
    up[i] += h;
    down[i] -= h;
    REQUIRE(problem.move_to(up));
    hessian.col(i) = problem.score();
    REQUIRE(problem.move_to(down));
    hessian.col(i) = (problem.score() - hessian.col(i)).eval() / (2 * h);
  }
  const Matrix inverse = hessian.inverse();
  for (int i = 0; i < inverse.rows(); ++i)
    CHECK(found.covariance(i, i) == Approx(inverse(i, i)).epsilon(1e-5));
  CHECK((errors_of(model, sample, found.theta) - found.covariance).cwiseAbs().maxCoeff() < 1e-8);
}

TEST_CASE("the score of several patterns is the same with and without the tables of each") {
  for (const double scale : {1.01, 0.97}) {
    const Model model = one_factor(4, true);
    const Sample sample = sample_of({four_patterns(0, 5)}, 4);
    const auto shared = std::make_shared<const Model>(model);
    NormalTheory lean(shared, sample), whole(shared, sample);
    const Vector theta = fit(model, sample, Settings(), Callbacks()).theta * scale;
    REQUIRE(lean.move_to(theta));
    REQUIRE(whole.move_to(theta));
    const Vector sums = lean.score();
    // the information needs the tables, from which the score is read afterwards
    whole.entry_information(Information::Observed);
    const Vector tables = whole.score();
    CHECK((sums - tables).cwiseAbs().maxCoeff() < 1e-10 * (1 + tables.cwiseAbs().maxCoeff()));
    lean.entry_information(Information::Observed);
    CHECK((lean.score() - tables).norm() == 0);
  }
}

namespace {

// Cases of one factor with four items, some values of the last missing.
Cases made_cases(int n, bool holes) {
  Random random(11);
  Cases out;
  out.values.resize(n, 4);
  for (int i = 0; i < n; ++i) {
    const double factor = random.normal();
    for (int v = 0; v < 4; ++v) out.values(i, v) = 100 + factor + random.normal();
    if (holes && random.uniform() < 0.3) out.values(i, 3) = std::nan("");
  }
  return out;
}

// The cases of some rows, as they stand.
Cases taken(const Cases& from, const Sequence<int>& rows) {
  Cases out;
  out.values.resize(rows.size(), from.values.cols());
  for (int i = 0; i < rows.size(); ++i) out.values.row(i) = from.values.row(rows[i]);
  return out;
}

Sample plain_sample(const Cases& cases) {
  Sample out;
  REQUIRE(sample_of_blocks({reduce_cases(cases.values, Vector())}, 0, Sample(),
                           {static_cast<int>(cases.values.cols())}, out));
  return out;
}

}  // namespace

TEST_CASE("replicates of cases are the moments of their rows, in whatever parts they are made") {
  for (const bool holes : {false, true}) {
    const Cases cases = made_cases(200, holes);
    Resampled source({cases}, 0);
    for (const int replicate : {1, 2, 977}) {
      Sample drawn;
      REQUIRE(source.draw(5, replicate, drawn));
      const Sequence<int> rows = source.rows(5, replicate)[0];
      CHECK(rows.size() == 200);
      const Sample plain = plain_sample(taken(cases, rows));
      CHECK(drawn[0].n == Approx(plain[0].n));
      CHECK((drawn[0].covariance - plain[0].covariance).cwiseAbs().maxCoeff() < 1e-6);
      CHECK((drawn[0].mean - plain[0].mean).cwiseAbs().maxCoeff() < 1e-6);
      CHECK(drawn.patterns.size() == (holes ? 2 : 0));
    }
    CHECK(source.rows(5, 1) != source.rows(5, 2));
    CHECK(source.rows(5, 1) != source.rows(6, 1));
    CHECK(source.rows(5, 1) == Resampled({cases}, 0).rows(5, 1));
  }
}

TEST_CASE("seeds give streams that are no shifted copies of each other") {
  for (int seed = 1; seed < 20; ++seed) {
    Random a = replicate_stream(seed, 3), b = replicate_stream(seed + 1, 3);
    Sequence<std::uint64_t> of_a, of_b;
    for (int k = 0; k < 50; ++k) {
      of_a.push_back(a.bits());
      of_b.push_back(b.bits());
    }
    for (std::uint64_t x : of_a) CHECK(std::find(of_b.begin(), of_b.end(), x) == of_b.end());
  }
}

TEST_CASE("clusters are drawn whole, and parts are left out one by one") {
  Cases cases = made_cases(60, false);
  for (int i = 0; i < 60; ++i) cases.cluster.push_back(i % 12);
  cases.clusters = 12;
  Resampled source({cases}, 0);
  std::map<int, int> times;
  const Sequence<int> drawn = source.rows(1, 1)[0];
  for (int row : drawn) ++times[row];
  for (int i = 12; i < 60; ++i) CHECK(times[i] == times[i - 12]);
  Sequence<int> parts;
  for (int i = 0; i < 60; ++i) parts.push_back(1 + i % 3);
  const Sequence<int> left = Resampled({cases}, 0, {parts}).rows(1, 2)[0];
  CHECK(left.size() == 40);
  for (int row : left) CHECK(row % 3 != 1);
}

TEST_CASE("refits of replicates are those of the same samples fitted alone") {
  for (const bool holes : {false, true}) {
    const Cases cases = made_cases(300, holes);
    const Sample sample = plain_sample(cases);
    const Model model = one_factor(4, holes);
    const Fit whole = fit(model, sample, Settings(), Callbacks());
    const Rescaled scaled = rescale(model, sample);
    Resampled source(in_units({cases}, scaled.item_unit), 0);
    const Replicates found =
        refit_many(scaled, whole.theta, source, 3, 11, 5, Settings(), Callbacks());
    for (int r = 0; r < 5; ++r) {
      const Fit alone = fit(model, plain_sample(taken(cases, source.rows(3, 11 + r)[0])),
                            Settings(), Callbacks());
      REQUIRE(found.status[r] == 0);
      CHECK(found.discrepancy[r] == Approx(alone.discrepancy).epsilon(1e-8));
      CHECK((found.theta.col(r) - alone.theta).cwiseAbs().maxCoeff() < 1e-5);
    }
  }
}

TEST_CASE("improper replicates of an improper solution are not searched from many starts") {
  // cases whose exact solution has a residual variance of -.3
  Vector loading(4), residual(4);
  loading << 1, 0.5, 0.6, 0.4;
  residual << -0.3, 1, 1, 1;
  const Matrix s = implied_by(loading, 1.7, residual);
  Cases cases = made_cases(300, false);
  Matrix centred = cases.values.rowwise() - cases.values.colwise().mean();
  const Matrix own = centred.transpose() * centred / 300;
  cases.values = centred * own.llt().matrixL().solve(Matrix::Identity(4, 4)).transpose() *
                 Matrix(s.llt().matrixL()).transpose();
  const Model model = one_factor(4, false);
  int steps = 0;
  Callbacks counting;
  counting.progress = [&](int, double) { ++steps; };
  const Fit whole = fit(model, plain_sample(cases), Settings(), counting);
  REQUIRE(whole.status == Status::Converged);
  CHECK(whole.eta[4] == Approx(-0.3).epsilon(1e-6));
  const int of_one = steps;
  const Rescaled scaled = rescale(model, plain_sample(cases));
  Resampled source(in_units({cases}, scaled.item_unit), 0);
  steps = 0;
  const Replicates found = refit_many(scaled, whole.theta, source, 3, 1, 5, Settings(), counting);
  CHECK(steps < of_one);
  for (int r = 0; r < 5; ++r) {
    const Fit alone =
        fit(model, plain_sample(taken(cases, source.rows(3, 1 + r)[0])), Settings(), Callbacks());
    REQUIRE(found.status[r] == 0);
    CHECK(found.improper[r] == (alone.eta[4] < 0));
    CHECK(found.discrepancy[r] == Approx(alone.discrepancy).epsilon(1e-7));
  }
}

TEST_CASE("a sample that cannot be analysed is said to be one") {
  Cases cases = made_cases(6, false);
  cases.values.col(1).head(5).setConstant(3);
  Resampled source({cases}, 0);
  int unusable_ones = 0;
  for (int r = 1; r <= 50; ++r) {
    Sample drawn;
    unusable_ones += !source.draw(1, r, drawn);
  }
  CHECK(unusable_ones > 10);
}

TEST_CASE("drawn cases have the moments of their population") {
  Population of;
  of.cases = 40000;
  of.mean = Vector::Constant(2, 50);
  of.sd = Vector::Constant(2, 10);
  Matrix correlation(2, 2);
  correlation << 1, 0.5, 0.5, 1;
  of.root = Matrix(correlation.llt().matrixL());
  const auto covariance = [](const Matrix& x) {
    const Matrix off = x.rowwise() - x.colwise().mean();
    return Matrix(off.transpose() * off / x.rows());
  };
  const Matrix plain = Drawn({of}, 0).values(1, 1)[0];
  CHECK(plain.colwise().mean()(0) == Approx(50).margin(0.25));
  CHECK(covariance(plain)(0, 1) == Approx(50).margin(2.5));
  CHECK(covariance(plain)(1, 1) == Approx(100).margin(3));
  of.odds = Vector::Constant(2, -1e300);
  of.odds[1] = 0;
  of.slope = Vector::Zero(2);
  of.slope[1] = 2;
  of.given = 0;
  const Matrix lost = Drawn({of}, 0).values(1, 1)[0];
  double missing = 0, seen_mean = 0;
  for (int i = 0; i < of.cases; ++i) {
    missing += std::isnan(lost(i, 1));
    if (std::isnan(lost(i, 1))) seen_mean += lost(i, 0);
  }
  CHECK(missing / of.cases == Approx(0.5).margin(0.02));
  CHECK(seen_mean / missing > 54);  // those with high values of the other miss it
  of.kept = {1, 0};
  const Matrix turned = Drawn({of}, 0).values(1, 1)[0];
  CHECK(turned.col(1) == lost.col(0));
  of.kept = {0};
  const Matrix half = Drawn({of}, 0, {Vector::Constant(1, 10)}).values(1, 1)[0];
  CHECK(half.cols() == 1);
  CHECK(half(7, 0) == Approx(lost(7, 0) / 10));
  of.kept.clear();
  of.odds = Vector();
  of.slope = Vector();
  of.clusters.assign(400, 100);
  of.between = 0.2;
  const Matrix grouped = Drawn({of}, 0).values(1, 1)[0];
  Matrix means(400, 2);
  for (int c = 0; c < 400; ++c) means.row(c) = grouped.middleRows(100 * c, 100).colwise().mean();
  CHECK(covariance(means)(0, 0) == Approx(20 + 0.8).margin(4));
  CHECK(covariance(grouped)(0, 0) == Approx(100).margin(6));
}

TEST_CASE("the loss of approximate invariance has the derivatives it says") {
  Matrix loadings(3, 4), intercepts(3, 4);
  loadings << 1.0, 0.8, 1.3, 0.9, 0.9, 0.7, 1.0, 1.1, 0.8, 0.6, 1.2, 0.4;
  intercepts << 0.1, 0.3, -0.2, 0.5, 0.0, 0.4, -0.1, 0.2, 0.2, 0.1, 0.9, 0.3;
  Vector cases(4), mean(4), log_sd(4);
  cases << 100, 250, 80, 400;
  mean << 0, 0.3, -0.2, 0.4;
  log_sd << 0.1, -0.2, 0.25, -0.15;
  const auto value = [&](const Vector& m, const Vector& s) {
    return alignment_loss(loadings, intercepts, cases, m, s, 0.01).value;
  };
  const AlignmentLoss loss = alignment_loss(loadings, intercepts, cases, mean, log_sd, 0.01);
  for (int g = 0; g < 4; ++g) {
    Vector up = mean, down = mean;
    up[g] += 1e-6;
    down[g] -= 1e-6;
    CHECK(loss.by_mean[g] == Approx((value(up, log_sd) - value(down, log_sd)) / 2e-6).margin(1e-8));
    up = log_sd;
    down = log_sd;
    up[g] += 1e-6;
    down[g] -= 1e-6;
    CHECK(loss.by_log_sd[g] == Approx((value(mean, up) - value(mean, down)) / 2e-6).margin(1e-8));
  }
  // by hand: two groups, one item
  Matrix one(1, 2), zero(1, 2);
  one << 1.0, 1.0;
  zero << 0.0, 0.5;
  const double expected = (std::sqrt(std::sqrt(0.01)) + std::sqrt(std::sqrt(0.26))) / 1.0;
  CHECK(alignment_loss(one, zero, cases.head(2), Vector::Zero(2), Vector::Zero(2), 0.01).value ==
        Approx(expected));
}

TEST_CASE("lines between boxes leave at the outlines and keep clear of what is there") {
  const Box ellipse{{0, 0}, 2, 1, true};
  const Box square{{4, 0}, 1, 1, false};
  const Path line = clipped({{0, 0}, {4, 0}}, ellipse, square);
  REQUIRE(line.size() == 2);
  CHECK(std::abs(line.front().x - 1.012) < 4.0 / 64);
  CHECK(line.front().x > 1.012);
  CHECK(std::abs(line.back().x - (3.5 - 0.012)) < 4.0 / 64);
  // boxes that cover the line leave it as it is
  CHECK(clipped({{0, 0}, {0.1, 0}}, ellipse, ellipse).size() == 2);
  CHECK(clipped({{1, 1}}, ellipse, square).size() == 1);
  CHECK(clipped({}, ellipse, square).empty());

  // the corner of an ellipse's rectangle is free
  CHECK(boxes_crossed({{0.9, 0.45}}, {ellipse}, 0) == 0);
  CHECK(boxes_crossed({{0.9, 0.45}}, {{{0, 0}, 2, 1, false}}, 0) == 1);
  CHECK(boxes_crossed({{1, 0}}, {ellipse}, 0) == 0);
  CHECK(boxes_crossed({{1, 0}}, {ellipse}, 0.01) == 1);
  CHECK(boxes_crossed({}, {ellipse}, 0) == 0);

  const Path points = dense({{0, 0}, {1, 0}, {1, 0.1}}, 0.3);
  REQUIRE(points.size() == 1 + 4 + 1);
  CHECK(points[1].x == 0.25);
  CHECK(dense({{0, 0}, {0, 0}}, 0.3).size() == 2);

  const std::vector<Piece> pieces = {
      {{0, 0}, {1, 1}, 1, 1}, {{1, 1}, {2, 2}, 1, 1}, {{0, 2}, {2, 0}, 2, 3}};
  CHECK(lines_crossed({{0, 1.5}, {2, 1.6}}, pieces) == 4);
  CHECK(lines_crossed({{0, 0.1}, {2, 0.1}}, pieces) == 4);
  // two pieces of one line count once, and lines that touch or end before it not at all
  CHECK(lines_crossed({{0.2, 0}, {0.4, 0.6}, {1.4, 1.2}, {1.4, 2}}, {pieces[0], pieces[1]}) == 1);
  CHECK(lines_crossed({{0, 2}, {0.5, 1.5}}, {pieces[2]}) == 0);
  CHECK(lines_crossed({{3, 0}, {3, 2}}, pieces) == 0);
  CHECK(lines_crossed({{3, 0}}, pieces) == 0);

  Surroundings around;
  around.page_width = 10;
  around.page_height = 10;
  const Path straight = {{1, 5}, {9, 5}};
  const Path over = {{1, 5}, {5, 7}, {9, 5}};
  CHECK(best_way({straight, over}, {0, 0}, around) == 0);
  around.boxes = {{{5, 5}, 1, 1, false}};
  CHECK(best_way({straight, over}, {0, 0}, around) == 1);
  CHECK(best_way({straight}, {0}, around) == 0);
  CHECK(best_way({}, {}, around) == -1);
  // off the page is better than through a box, worse than a detour
  around.page_height = 6;
  CHECK(best_way({straight, over}, {0, 0}, around) == 1);
  around.boxes.clear();
  CHECK(best_way({straight, over}, {59, 0}, around) == 0);
  CHECK(best_way({straight, over}, {61, 0}, around) == 1);
}

TEST_CASE("distances of cases are from the variables that they have") {
  const double none = std::numeric_limits<double>::quiet_NaN();
  Matrix values(4, 2);
  values << 3, 1, 3, none, none, none, none, 1e6;
  Matrix covariance(2, 2);
  covariance << 4, 1e6, 1e6, 1e12;
  const Vector mean = Vector::Constant(2, 1);
  const Distances found = case_distances(values, mean, covariance);
  CHECK((found.observed - (Vector(4) << 2, 1, 0, 1).finished()).norm() == 0);
  // by hand: the correlation is .5, and z is (1, 0)
  CHECK(std::abs(found.squared[0] - 1 / 0.75) < 1e-12);
  CHECK(std::abs(found.squared[1] - 1) < 1e-12);
  CHECK(found.squared[2] == 0);
  CHECK(std::abs(found.squared[3] - std::pow((1e6 - 1) / 1e6, 2)) < 1e-12);
  covariance(0, 1) = covariance(1, 0) = 3e6;
  const Distances improper = case_distances(values, mean, covariance);
  CHECK(std::isnan(improper.squared[0]));
  CHECK(std::abs(improper.squared[1] - 1) < 1e-12);
  CHECK(case_distances(Matrix(0, 2), mean, covariance).squared.size() == 0);
}

TEST_CASE("columns of answers are described without what is missing") {
  const double none = std::numeric_limits<double>::quiet_NaN();
  const double infinite = std::numeric_limits<double>::infinity();
  Vector column(7);
  column << 3, none, 1, 1, 5, 1, none;
  const Answers found = describe_answers(column, 1);
  CHECK(found.low == 1);
  CHECK(found.high == 5);
  CHECK(found.at_low == 0.6);
  CHECK(found.at_high == 0.2);
  CHECK(found.distinct == 3);
  // deviations .8, -1.2, -1.2, 2.8, -1.2
  CHECK(found.kurtosis == Approx(5 * 68.096 / (12.8 * 12.8) - 3).epsilon(1e-12));
  // every second one: 3, 1, 5; the range is still that of all
  const Answers some = describe_answers((Vector(6) << 3, -9, 1, none, 5, none).finished(), 2);
  CHECK(some.low == -9);
  CHECK(some.at_low == 0);
  CHECK(some.at_high == Approx(1.0 / 3));
  CHECK(some.kurtosis == Approx(3 * 32.0 / 64 - 3));
  CHECK(describe_answers(Vector::LinSpaced(5, 1, 5), 1).distinct == 5);
  CHECK(describe_answers(Vector::LinSpaced(9, 1, 9), 1).distinct == most_distinct);
  const Answers empty = describe_answers(Vector::Constant(3, none), 1);
  CHECK(std::isnan(empty.low));
  CHECK(std::isnan(empty.at_high));
  CHECK(empty.distinct == 0);
  CHECK(std::isnan(describe_answers(Vector::Constant(3, 2), 1).kurtosis));
  CHECK(!std::isfinite(describe_answers((Vector(3) << 1, infinite, 2).finished(), 1).kurtosis));
}

TEST_CASE("the kurtosis of several variables is that of their distances, in any units") {
  Random random(3);
  Matrix values(40, 3);
  for (int i = 0; i < 40; ++i)
    for (int j = 0; j < 3; ++j) values(i, j) = random.normal() + (j > 0 ? values(i, j - 1) : 0);
  const double kurtosis = multivariate_kurtosis(values);
  const Vector mean = values.colwise().mean().transpose();
  const Matrix off = values.rowwise() - mean.transpose();
  const Matrix inverse = (off.transpose() * off / 40).inverse();
  double by_definition = 0;
  for (int i = 0; i < 40; ++i)
    by_definition += std::pow(off.row(i).dot(inverse * off.row(i).transpose()), 2) / 40;
  CHECK(kurtosis == Approx(by_definition).epsilon(1e-10));
  values.col(1) *= 1e9;
  CHECK(multivariate_kurtosis(values) == Approx(by_definition).epsilon(1e-8));
  values.col(2) = values.col(0);
  CHECK(std::isnan(multivariate_kurtosis(values)));
  values.col(2).setConstant(7);
  CHECK(std::isnan(multivariate_kurtosis(values)));
}

TEST_CASE("bilinear forms of half vectors are those of their matrices, few or many") {
  Random random(8);
  const auto noise = [&](int rows, int cols) {
    Matrix out(rows, cols);
    for (int j = 0; j < cols; ++j)
      for (int i = 0; i < rows; ++i) out(i, j) = random.normal();
    return out;
  };
  for (const int size : {1, 2, 7}) {
    Sequence<Matrix> squares;
    Matrix halves(size * (size + 1) / 2, 3);
    for (int k = 0; k < 3; ++k) {
      const Matrix half = noise(size, size);
      squares.push_back(half + half.transpose());
      int place = 0;
      for (int j = 0; j < size; ++j)
        for (int i = j; i < size; ++i)
          halves(place++, k) = squares[k](i, j) / (i == j ? std::sqrt(2.0) : 1);
    }
    const Matrix left = noise(size, 5), right = noise(size, 4);
    Sequence<int> a, b;
    for (int i = 0; i < 5; ++i)
      for (int j = 0; j < 4; ++j) {
        a.push_back(i);
        b.push_back(j);
      }
    const Matrix all = bilinear_forms(halves, left, right, a, b);
    const Matrix one = bilinear_forms(halves, left, right, {3}, {2});
    for (int k = 0; k < 3; ++k) {
      const Matrix expected = left.transpose() * squares[k] * right;
      for (int i = 0; i < a.size(); ++i) CHECK(std::abs(all(i, k) - expected(a[i], b[i])) < 1e-12);
      CHECK(std::abs(one(0, k) - expected(3, 2)) < 1e-12);
    }
    CHECK(bilinear_forms(halves, left, right, {}, {}).rows() == 0);
  }
}

TEST_CASE("step-down p values compare each statistic with itself and all smaller ones") {
  Matrix null(3, 4);
  null << 1, 5, 1, 1, 2, 2, 9, 2, 0, 0, 0, 3;
  const Vector statistic = (Vector(3) << 2.5, 4, 1).finished();
  // maxima over all: 2, 5, 9, 3; over the two smaller ones: 1, 5, 1, 3; the smallest: 0, 0, 0, 3
  const Vector p = step_down(statistic, {2, 1, 3}, null);
  CHECK(std::abs(p[1] - 3.0 / 5) < 1e-15);
  CHECK(std::abs(p[0] - 3.0 / 5) < 1e-15);
  CHECK(std::abs(p[2] - 3.0 / 5) < 1e-15);  // 2 of 5 by itself: never below a larger one
  const Vector lost = step_down((Vector(1) << std::nan("")).finished(), {1}, Matrix::Zero(1, 2));
  CHECK(std::isnan(lost[0]));
  CHECK(step_down(Vector(0), {}, Matrix(0, 3)).size() == 0);
}

TEST_CASE("least squares, complements and inverses hold by their definitions, whatever the rank") {
  Random random(11, 0);
  const auto drawn = [&](int rows, int columns) {
    Matrix out(rows, columns);
    for (int j = 0; j < columns; ++j)
      for (int i = 0; i < rows; ++i) out(i, j) = random.normal();
    return out;
  };
  for (const int rows : {1, 4, 9})
    for (const int columns : {1, 4, 9})
      for (const int rank : {1, std::min(rows, columns)}) {
        const Matrix a = drawn(rows, rank) * drawn(rank, columns), b = drawn(rows, 2);
        const Matrix x = least_squares(a, b);
        // normal equations, and the smallest norm: x has no part in the null space of a
        CHECK((a.transpose() * (a * x - b)).norm() < 1e-9 * (1 + a.squaredNorm()));
        const Matrix null = orthogonal_complement(a.transpose());
        REQUIRE(null.cols() == columns - rank);
        CHECK((null.transpose() * x).norm() < 1e-9);
        CHECK((a * null).norm() < 1e-9);
        CHECK((null.transpose() * null - Matrix::Identity(columns - rank, columns - rank)).norm() <
              1e-12);
        Matrix unique;
        CHECK(unique_least_squares(a, b, unique) == (rank == columns));
        const Matrix back = pseudo_inverse(a);
        CHECK((a * back * a - a).norm() < 1e-9 * (1 + a.norm()));
        CHECK((back * a * back - back).norm() < 1e-9 * (1 + back.norm()));
      }
  CHECK(least_squares(Matrix(0, 3), Matrix(0, 2)).norm() == 0);
  CHECK(least_squares(Matrix(3, 0), Matrix::Ones(3, 2)).rows() == 0);
  CHECK(orthogonal_complement(Matrix(3, 0)).isIdentity(0));
  CHECK(orthogonal_complement(Matrix::Zero(3, 2)).cols() == 3);
  const Matrix square = drawn(6, 6);
  CHECK((inverse_of(square) * square).isIdentity(1e-9));
  // numbers that are none come to an end
  const Matrix nothing = Matrix::Constant(3, 3, std::nan(""));
  CHECK(least_squares(nothing, nothing).rows() == 3);
  CHECK(orthogonal_complement(nothing).rows() == 3);
  CHECK(spectrum_of(nothing).values.size() == 3);
  CHECK(tridiagonal_eigenvalues(nothing.col(0), nothing.col(1).head(2)).size() == 3);
}

TEST_CASE("a spectrum and a tridiagonal form give the matrix back, in any size") {
  Random random(12, 0);
  for (const int size : {0, 1, 2, 7, 40}) {
    Matrix a(size, size);
    for (int j = 0; j < size; ++j)
      for (int i = j; i < size; ++i) a(i, j) = a(j, i) = random.normal();
    Matrix lower = a;  // the upper triangle is not read
    for (int j = 0; j < size; ++j)
      for (int i = 0; i < j; ++i) lower(i, j) = 1e9;
    const Spectrum found = spectrum_of(lower);
    const double scale = 1e-12 * (1 + a.norm());
    CHECK((found.vectors * found.values.asDiagonal() * found.vectors.transpose() - a).norm() <
          scale * (1 + size));
    CHECK(std::is_sorted(found.values.data(), found.values.data() + size));
    const Tridiagonal form(lower);
    Matrix t = Matrix::Zero(size, size), q(size, size);
    for (int j = 0; j < size; ++j) {
      t(j, j) = form.diagonal[j];
      if (j > 0) t(j, j - 1) = t(j - 1, j) = form.beside[j - 1];
      q.col(j) = form.out(Vector::Unit(size, j));
    }
    CHECK((q * t * q.transpose() - a).norm() < scale * (1 + size));
    if (size == 0) continue;
    const Vector x = Vector::LinSpaced(size, -1, 2);
    CHECK((form.inward(form.out(x)) - x).norm() < scale * (1 + size));
    CHECK((tridiagonal_eigenvalues(form.diagonal, form.beside) - found.values).norm() <
          scale * (1 + size));
  }
}

TEST_CASE("a Cholesky factor solves and inverts, below and above the size of blocked algorithms") {
  Random random(13, 0);
  for (const int size : {1, 5, 31, 32, 33, 150}) {
    Matrix x(size + 3, size);
    for (int j = 0; j < size; ++j)
      for (int i = 0; i < size + 3; ++i) x(i, j) = random.normal();
    Matrix a = x.transpose() * x;
    Cholesky factor;
    REQUIRE(factor.compute(a, 0.5));
    for (int j = 0; j < size; ++j) a(j, j) += 0.5;
    CHECK((factor.solved(a) - Matrix::Identity(size, size)).norm() < 1e-8);
    CHECK((factor.inverse() * a - Matrix::Identity(size, size)).norm() < 1e-8);
    CHECK((factor.inverse().diagonal() - factor.inverse_diagonal()).norm() < 1e-10);
    const Vector values = spectrum_of(a).values;
    double log_determinant = 0;
    for (int j = 0; j < size; ++j) log_determinant += std::log(values[j]);
    CHECK(std::abs(factor.log_determinant() - log_determinant) < 1e-7 * (1 + size));
    CHECK(factor.smallest_pivot() <= factor.largest_pivot());
    // not positive definite, and not a number
    Matrix bad = a;
    bad(size - 1, size - 1) = -1;
    CHECK_FALSE(factor.compute(bad));
    bad(size - 1, size - 1) = std::nan("");
    CHECK_FALSE(factor.compute(bad));
  }
  Cholesky empty;
  CHECK(empty.compute(Matrix(0, 0)));
  CHECK(empty.smallest_pivot() == 1);
}

TEST_CASE("a pivoted root reproduces a matrix of any rank, in strips as well as in one piece") {
  Random random(7, 0);
  for (const int size : {1, 5, 64, 65, 150}) {
    for (const int rank : {1, (size + 1) / 2, size}) {
      Matrix x(rank, size);
      for (int j = 0; j < size; ++j)
        for (int i = 0; i < rank; ++i) x(i, j) = random.normal();
      const Matrix a = x.transpose() * x / rank;
      const PivotedRoot found = pivoted_root(a, 1e-9);
      REQUIRE(found.root.rows() == rank);
      REQUIRE(found.pivot.size() == size);
      const Matrix back = found.root.transpose() * found.root;
      double off = 0;
      for (int j = 0; j < size; ++j)
        for (int i = 0; i < size; ++i)
          off = std::max(off, std::abs(back(i, j) - a(found.pivot[i], found.pivot[j])));
      CHECK(off < 1e-10 * (1 + a.cwiseAbs().maxCoeff()));
      bool sorted = true, triangular = true;
      for (int k = 1; k < rank; ++k)
        sorted = sorted && found.root(k, k) <= found.root(k - 1, k - 1) + 1e-12;
      for (int j = 0; j < rank; ++j)
        for (int i = j + 1; i < rank; ++i) triangular = triangular && found.root(i, j) == 0;
      CHECK(sorted);
      CHECK(triangular);
    }
  }
  // two rows that are the same count once
  const Matrix twin = Matrix::Constant(2, 2, 1);
  CHECK(pivoted_root(twin, 1e-10).root.rows() == 1);
  // of equal diagonals the first is taken, so that the order of variables stays
  const Sequence<int> in_order{0, 1, 2};
  CHECK(pivoted_root(Matrix::Identity(3, 3), 1e-10).pivot == in_order);
  CHECK(pivoted_root(Matrix::Zero(3, 3), 1e-10).root.rows() == 0);
  CHECK(pivoted_root(Matrix(0, 0), 1e-10).pivot.size() == 0);
  CHECK(pivoted_root(Matrix::Constant(2, 2, std::nan("")), 1e-10).root.rows() == 0);
}

TEST_CASE("the likelihood of missing patterns is the sum of the densities of their cases") {
  Matrix sigma(3, 3);
  sigma << 2, 0.5, 0.3, 0.5, 1, 0.2, 0.3, 0.2, 4e6;
  const Vector mu = (Vector(3) << 1, -2, 1000).finished();
  const double two_pi = 2 * std::acos(-1.0);
  // two cases with the first two variables, one with the third alone
  Matrix two(2, 2);
  two << 1.5, -1, 0, -2.5;
  Block first, second;
  first.n = 2;
  first.variables = {0, 1};
  first.mean = two.colwise().mean();
  const Matrix centred = two.rowwise() - first.mean.transpose();
  first.covariance = centred.transpose() * centred / 2;
  second.n = 1;
  second.variables = {2};
  second.mean = Vector::Constant(1, 3000);
  second.covariance = Matrix::Zero(1, 1);
  const Matrix own = sigma.topLeftCorner(2, 2);
  double expected = 0;
  for (int i = 0; i < 2; ++i) {
    const Vector off = two.row(i).transpose() - mu.head(2);
    expected += 2 * std::log(two_pi) + std::log(2 * 1 - 0.25) + off.dot(own.inverse() * off);
  }
  expected += std::log(two_pi) + std::log(4e6) + 1;
  CHECK(pattern_deviance({first, second}, sigma, mu) == Approx(expected).epsilon(1e-13));
  CHECK(pattern_deviance({}, sigma, mu) == 0);
  // single variables: the first from two cases, the third from a case of no variance
  const double variance = 0.75 * 0.75;
  CHECK(single_deviance({first, second}, {0}) ==
        Approx(2 * (std::log(two_pi) + std::log(variance) + 1)).epsilon(1e-13));
  CHECK(single_deviance({first, second}, {}) == 0);
  CHECK(std::isinf(single_deviance({second}, {2})));
  Matrix improper = sigma;
  improper(0, 1) = improper(1, 0) = 2;
  CHECK(std::isnan(pattern_deviance({first}, improper, mu)));
  // the variables of this pattern have a proper covariance matrix
  CHECK(std::isfinite(pattern_deviance({second}, improper, mu)));
  improper(2, 2) = -1;
  CHECK(std::isnan(pattern_deviance({second}, improper, mu)));
}
