// The only file that knows both R and the core. What comes from R is checked here: a tampered fit
// ends in an R error.
#include <RcppEigen.h>

#include <algorithm>
#include <chrono>
#include <cstring>

#include "core/expression.hpp"
#include "core/infer/derivatives.hpp"
#include "core/infer/profile.hpp"
#include "core/infer/rank.hpp"
#include "core/infer/sandwich.hpp"
#include "core/infer/saturated_information.hpp"
#include "core/infer/scaling.hpp"
#include "core/infer/score_test.hpp"
#include "core/moments/reduce.hpp"
#include "core/moments/saturated.hpp"
#include "core/objective/normal_theory.hpp"
#include "core/solve/constraints.hpp"
#include "core/solve/driver.hpp"

namespace oz = orizzonte;
using Rcpp::List;

namespace {

// Ends in an error of class orizzonte_error_object.
[[noreturn]] void refuse(const std::string& why) {
  const Rcpp::Function complain = Rcpp::Environment::namespace_env("orizzonte")["refuse_object"];
  complain(why);
  throw Rcpp::exception(why.c_str());
}

void require(bool holds, const char* why) {
  if (!holds) refuse(why);
}

// A named list. Read by hand: wrapping each of a model's many short vectors would cost more than a
// small fit.
struct Record {
  SEXP list, names;
  int size;
  Record(SEXP x) : list(x) {
    require(TYPEOF(x) == VECSXP, "a part of it is not a list");
    names = Rf_getAttrib(x, R_NamesSymbol);
    size = Rf_isNull(names) ? 0 : Rf_length(x);
  }
};

int place_of(const Record& from, const char* name) {
  for (int i = 0; i < from.size; ++i) {
    const char* known = CHAR(STRING_ELT(from.names, i));
    if (known[0] == name[0] && std::strcmp(known, name) == 0) return i;
  }
  return -1;
}

// R's NULL when there is no such element.
SEXP optional(const Record& from, const char* name) {
  const int place = place_of(from, name);
  return place < 0 ? R_NilValue : VECTOR_ELT(from.list, place);
}

SEXP element(const Record& from, const char* name) {
  const int place = place_of(from, name);
  if (place < 0) refuse(std::string("it has no element \"") + name + "\"");
  return VECTOR_ELT(from.list, place);
}

// A vector in a list, with its length.
template <class T>
struct Column {
  const T* at;
  int size;
  const T& operator[](int i) const { return at[i]; }
  const T& only() const { return at[0]; }
};

Column<int> integers(const Record& from, const char* name, int size = -1) {
  const SEXP x = element(from, name);
  const bool fits =
      (TYPEOF(x) == INTSXP || TYPEOF(x) == LGLSXP) && (size < 0 || Rf_length(x) == size);
  if (!fits) refuse(std::string("its element \"") + name + "\" has another type or length");
  return {INTEGER(x), Rf_length(x)};
}

Column<double> numbers(const Record& from, const char* name, int size = -1) {
  const SEXP x = element(from, name);
  const bool fits = TYPEOF(x) == REALSXP && (size < 0 || Rf_length(x) == size);
  if (!fits) refuse(std::string("its element \"") + name + "\" has another type or length");
  return {REAL(x), Rf_length(x)};
}

int index_within(int value, int size, bool none = false) {
  require((value >= 1 && value <= size) || (none && value == 0), "an index in it points nowhere");
  return value - 1;
}

// A tape must find what it takes from its stack, and leave one number.
void check_tape(const oz::Expression& tape, int inputs) {
  int depth = 0;
  for (const oz::Step& step : tape) {
    const int code = static_cast<int>(step.operation);
    require(code >= 0 && code <= static_cast<int>(oz::Operation::Sqrt),
            "an expression in it is damaged");
    if (step.operation == oz::Operation::Constant || step.operation == oz::Operation::Input) {
      const bool known = step.operation == oz::Operation::Constant ||
                         (step.argument >= 0 && step.argument < inputs);
      require(known, "an expression in it is damaged");
      ++depth;
    } else {
      const bool two = code >= static_cast<int>(oz::Operation::Add) &&
                       code <= static_cast<int>(oz::Operation::Power);
      require(depth >= (two ? 2 : 1), "an expression in it is damaged");
      if (two) --depth;
    }
  }
  require(depth == 1, "an expression in it is damaged");
}

oz::Expression expression_from(const Record& tape, int inputs) {
  oz::Expression out;
  const Column<int> operation = integers(tape, "operation");
  const Column<double> argument = numbers(tape, "argument", operation.size);
  for (int i = 0; i < operation.size; ++i)
    out.push_back({static_cast<oz::Operation>(operation[i]), argument[i]});
  check_tape(out, inputs);
  return out;
}

void read_entries(const Record& from, oz::Model& model) {
  const Column<int> family = integers(from, "family");
  const int entries = family.size, groups = model.groups.size();
  const Column<int> group = integers(from, "group", entries), row = integers(from, "row", entries);
  const Column<int> col = integers(from, "col", entries);
  model.entries.reserve(entries);
  for (int e = 0; e < entries; ++e) {
    require(family[e] >= 0 && family[e] <= 2, "an entry in it is of no known family");
    const int g = index_within(group[e], groups), variables = model.groups[g].variables;
    const bool mean = family[e] == static_cast<int>(oz::Family::Mean);
    model.entries.push_back({static_cast<oz::Family>(family[e]), g, index_within(row[e], variables),
                             mean ? row[e] - 1 : index_within(col[e], variables)});
  }
}

void read_map(const Record& from, oz::Model& model) {
  const int entries = model.entries.size();
  model.map.parameters = integers(from, "parameters", 1).only();
  require(model.map.parameters >= 0, "its number of parameters is negative");
  model.map.constant = Eigen::Map<const oz::Vector>(numbers(from, "constant", entries).at, entries);
  model.map.rows.resize(entries);
  const Column<int> entry = integers(from, "map_entry"),
                    parameter = integers(from, "map_parameter", entry.size);
  const Column<double> weight = numbers(from, "map_weight", entry.size);
  for (int i = 0; i < entry.size; ++i)
    model.map.rows[index_within(entry[i], entries)].push_back(
        {index_within(parameter[i], model.map.parameters), weight[i]});
}

void read_scales(const Record& from, oz::Model& model) {
  const SEXP scales = element(from, "scales");
  const int entries = model.entries.size();
  for (int s = 0; s < Rf_length(scales); ++s) {
    const Record scale = VECTOR_ELT(scales, s);
    const int g = index_within(integers(scale, "group", 1).only(), model.groups.size());
    const int kind = integers(scale, "kind", 1).only();
    require(kind >= 0 && kind <= 4, "a scale in it is of no known kind");
    oz::Scale item{g,
                   index_within(integers(scale, "construct", 1).only(), model.groups[g].variables),
                   static_cast<oz::ScaleKind>(kind),
                   index_within(integers(scale, "marker", 1).only(), entries, true),
                   index_within(integers(scale, "variance", 1).only(), entries, true),
                   {},
                   integers(scale, "closed", 1).only() != 0};
    const Column<int> loadings = integers(scale, "loadings");
    item.loadings.reserve(loadings.size);
    for (int i = 0; i < loadings.size; ++i)
      item.loadings.push_back(index_within(loadings[i], entries));
    model.scales.push_back(item);
  }
}

void read_constraints(const Record& from, oz::Model& model) {
  const SEXP constraints = element(from, "constraints");
  for (int k = 0; k < Rf_length(constraints); ++k) {
    const Record constraint = VECTOR_ELT(constraints, k);
    const Column<int> inputs = integers(constraint, "inputs");
    oz::Constraint item{expression_from(constraint, inputs.size),
                        {},
                        {},
                        integers(constraint, "bound", 1).only() != 0};
    for (int i = 0; i < inputs.size; ++i)
      item.inputs.push_back(index_within(inputs[i], model.entries.size()));
    item.unit.assign(item.inputs.size(), 1.0);
    model.constraints.push_back(item);
  }
}

oz::Model model_from(const Record& from) {
  oz::Model model;
  const Column<int> observed = integers(from, "observed"),
                    variables = integers(from, "variables", observed.size),
                    places = integers(from, "places", observed.size);
  int all = 0;
  for (int g = 0; g < observed.size; ++g) all += variables[g];
  const Column<int> ranks = integers(from, "ranks", all);
  for (int g = 0, next = 0; g < observed.size; ++g) {
    require(observed[g] >= 0 && variables[g] >= observed[g],
            "it has fewer variables than observed ones");
    oz::Shape shape{observed[g], variables[g], {}, places[g]};
    for (int v = 0; v < variables[g]; ++v) shape.rank.push_back(ranks[next++]);
    model.groups.push_back(shape);
  }
  model.means = integers(from, "means", 1).only() != 0;
  read_entries(from, model);
  read_map(from, model);
  read_scales(from, model);
  read_constraints(from, model);
  return model;
}

// The cases of one missing pattern of a group with `size` observed variables.
oz::Block pattern_from(const Record& from, int group, int size) {
  oz::Block block;
  block.group = group;
  block.n = Rf_asReal(element(from, "n"));
  require(block.n > 0, "its number of cases is not positive");
  const Column<int> variables = integers(from, "variables");
  std::vector<char> seen(size, 0);
  for (int i = 0; i < variables.size; ++i) {
    const int v = index_within(variables[i], size);
    require(!seen[v], "a variable is twice in a pattern");
    seen[v] = 1;
    block.variables.push_back(v);
  }
  const int p = variables.size;
  require(p > 0, "a pattern has no variables");
  block.covariance = Eigen::Map<const oz::Matrix>(numbers(from, "covariance", p * p).at, p, p);
  block.mean = Eigen::Map<const oz::Vector>(numbers(from, "mean", p).at, p);
  return block;
}

std::vector<oz::Block> patterns_from(SEXP from, int group, int size) {
  std::vector<oz::Block> out;
  require(TYPEOF(from) == VECSXP, "its patterns are not a list");
  for (int k = 0; k < Rf_length(from); ++k)
    out.push_back(pattern_from(VECTOR_ELT(from, k), group, size));
  return out;
}

oz::Sample sample_from(SEXP groups, const oz::Model& model) {
  oz::Sample out;
  require(Rf_length(groups) == static_cast<int>(model.groups.size()),
          "its moments are of other groups");
  for (int g = 0; g < Rf_length(groups); ++g) {
    const Record group = VECTOR_ELT(groups, g);
    const int p = model.groups[g].observed;
    oz::Block block;
    block.group = g;
    block.n = Rf_asReal(element(group, "n"));
    require(block.n > 0, "its number of cases is not positive");
    block.covariance = Eigen::Map<const oz::Matrix>(numbers(group, "covariance", p * p).at, p, p);
    if (!Rf_isNull(element(group, "mean")))
      block.mean = Eigen::Map<const oz::Vector>(numbers(group, "mean", p).at, p);
    else
      require(!model.means, "it models means that it does not know");
    out.push_back(block);
    const SEXP patterns = optional(group, "patterns");
    if (Rf_isNull(patterns)) continue;
    require(model.means, "patterns need a model of the means");
    for (const oz::Block& pattern : patterns_from(patterns, g, p)) out.patterns.push_back(pattern);
  }
  std::vector<char> has_patterns(model.groups.size(), out.patterns.empty());
  for (const oz::Block& pattern : out.patterns) has_patterns[pattern.group] = 1;
  for (char has : has_patterns) require(has, "one of its groups lacks patterns");
  return out;
}

// R is asked at most fifty times a second.
bool user_interrupted() {
  using Clock = std::chrono::steady_clock;
  static Clock::time_point asked = Clock::now();
  if (Clock::now() - asked < std::chrono::milliseconds(20)) return false;
  asked = Clock::now();
  return R_ToplevelExec([](void*) { R_CheckUserInterrupt(); }, nullptr) == FALSE;
}

// The cases behind the sample, by group; NULL is none.
std::vector<oz::Cases> cases_from(SEXP groups, const oz::Model& model) {
  std::vector<oz::Cases> out;
  if (Rf_isNull(groups)) return out;
  require(Rf_length(groups) == static_cast<int>(model.groups.size()), "its cases are of other groups");
  for (int g = 0; g < Rf_length(groups); ++g) {
    const Record group = VECTOR_ELT(groups, g);
    const int p = model.groups[g].observed;
    const Column<double> values = numbers(group, "values");
    require(p > 0 && values.size % p == 0, "its cases have other variables");
    const int n = values.size / p;
    oz::Cases cases;
    cases.values = Eigen::Map<const oz::Matrix>(values.at, n, p);
    if (!Rf_isNull(optional(group, "weight")))
      cases.weight = Eigen::Map<const oz::Vector>(numbers(group, "weight", n).at, n);
    if (!Rf_isNull(optional(group, "cluster"))) {
      const Column<int> cluster = integers(group, "cluster", n);
      for (int i = 0; i < n; ++i) {
        require(cluster[i] >= 1 && cluster[i] <= n, "a cluster of it has no number");
        cases.cluster.push_back(cluster[i] - 1);
        cases.clusters = std::max(cases.clusters, cluster[i]);
      }
    }
    out.push_back(cases);
  }
  return out;
}

std::vector<std::vector<std::pair<int, int>>> unseen_from(SEXP groups, const oz::Model& model) {
  std::vector<std::vector<std::pair<int, int>>> out(model.groups.size());
  for (int g = 0; g < Rf_length(groups); ++g) {
    const SEXP pairs = optional(VECTOR_ELT(groups, g), "unseen");
    if (Rf_isNull(pairs)) continue;
    require(TYPEOF(pairs) == INTSXP && Rf_length(pairs) % 2 == 0, "its unseen pairs are damaged");
    const int count = Rf_length(pairs) / 2, p = model.groups[g].observed;
    for (int k = 0; k < count; ++k)
      out[g].push_back({index_within(INTEGER(pairs)[k], p), index_within(INTEGER(pairs)[k + count], p)});
  }
  return out;
}

oz::StopToken listening() { return oz::StopToken(user_interrupted); }

void throw_if(const oz::StopToken& stop) {
  if (stop.stopped()) throw Rcpp::internal::InterruptedException();
}

void check_length(const Eigen::VectorXd& x, int size) {
  require(x.size() == size, "its values have another length");
}

// A named list, filled by hand for the same reason.
class Results {
 public:
  explicit Results(int size)
      : list_(Rf_allocVector(VECSXP, size)), names_(Rf_allocVector(STRSXP, size)) {
    Rf_setAttrib(list_, R_NamesSymbol, names_);
  }
  void add(const char* name, SEXP value) {
    SET_VECTOR_ELT(list_, filled_, value);  // before anything else is allocated
    SET_STRING_ELT(names_, filled_++, Rf_mkChar(name));
  }
  SEXP list() const { return list_; }

 private:
  Rcpp::Shield<SEXP> list_, names_;
  int filled_ = 0;
};

SEXP vector_of(const oz::Vector& x) {
  const SEXP out = Rf_allocVector(REALSXP, x.size());
  std::copy_n(x.data(), x.size(), REAL(out));
  return out;
}

SEXP matrix_of(const oz::Matrix& x) {
  const SEXP out = Rf_allocMatrix(REALSXP, x.rows(), x.cols());
  std::copy_n(x.data(), x.size(), REAL(out));
  return out;
}

SEXP history_of(const std::vector<oz::Iteration>& steps) {
  const int size = steps.size();
  oz::Vector method(size), chisq(size), decrement(size), damping(size);
  for (int i = 0; i < size; ++i) {
    method[i] = steps[i].method;
    chisq[i] = steps[i].chisq;
    decrement[i] = steps[i].decrement;
    damping[i] = steps[i].damping;
  }
  Results out(4);
  out.add("method", vector_of(method));
  out.add("chisq", vector_of(chisq));
  out.add("decrement", vector_of(decrement));
  out.add("damping", vector_of(damping));
  return out.list();
}

}  // namespace

// [[Rcpp::export(rng = false)]]
List core_fit(SEXP model, SEXP sample, const Eigen::VectorXd& start, int iterations,
              double tolerance, int fresh_starts, double seed, bool errors = true,
              bool all_starts = false) {
  const oz::Model what = model_from(model);
  const oz::Sample moments = sample_from(sample, what);
  oz::Settings settings;
  settings.start = start;
  settings.iterations = iterations;
  settings.tolerance = tolerance;
  settings.fresh_starts = fresh_starts;
  settings.seed = static_cast<std::uint64_t>(seed);
  settings.errors = errors;
  settings.all_starts = all_starts;
  oz::Callbacks callbacks;
  callbacks.stop = listening();
  const oz::Fit fit = oz::fit(what, moments, settings, callbacks);
  throw_if(callbacks.stop);
  const Rcpp::Shield<SEXP> active(Rf_allocVector(LGLSXP, fit.active.size()));
  for (size_t i = 0; i < fit.active.size(); ++i) LOGICAL(active)[i] = fit.active[i] != 0;
  Results out(12);
  out.add("theta", vector_of(fit.theta));
  out.add("eta", vector_of(fit.eta));
  out.add("vcov", matrix_of(fit.covariance));
  out.add("discrepancy", Rf_ScalarReal(fit.discrepancy));
  out.add("decrement", Rf_ScalarReal(fit.decrement));
  out.add("status", Rf_ScalarInteger(static_cast<int>(fit.status)));
  out.add("identified", Rf_ScalarLogical(fit.identified));
  out.add("starts", Rf_ScalarInteger(fit.starts));
  out.add("active", active);
  out.add("inflation", vector_of(fit.inflation));
  out.add("violations", vector_of(fit.violations));
  out.add("history", history_of(fit.history));
  return out.list();
}

// The missing patterns of a matrix of cases: n, covariance, mean, variables (numbers).
// [[Rcpp::export(rng = false)]]
List core_reduce(const Eigen::Map<Eigen::MatrixXd>& values, const Eigen::VectorXd& weight) {
  require(weight.size() == 0 || weight.size() == values.rows(), "its weights have another length");
  const std::vector<oz::Block> blocks = oz::reduce_cases(values, weight);
  List out(blocks.size());
  for (size_t k = 0; k < blocks.size(); ++k) {
    Rcpp::IntegerVector variables(blocks[k].variables.begin(), blocks[k].variables.end());
    out[k] = List::create(Rcpp::_["n"] = blocks[k].n,
                          Rcpp::_["covariance"] = blocks[k].covariance,
                          Rcpp::_["mean"] = blocks[k].mean,
                          Rcpp::_["variables"] = Rcpp::IntegerVector(variables + 1));
  }
  return out;
}

// Saturated moments of one group's missing patterns.
// [[Rcpp::export(rng = false)]]
List core_saturated(SEXP patterns, int size) {
  const oz::Saturated found = oz::saturated_moments(patterns_from(patterns, 0, size), size);
  return List::create(Rcpp::_["mean"] = found.mean, Rcpp::_["covariance"] = found.covariance,
                      Rcpp::_["deviance"] = found.minus_two_log_likelihood,
                      Rcpp::_["converged"] = found.converged,
                      Rcpp::_["iterations"] = found.iterations);
}

// [[Rcpp::export(rng = false)]]
Eigen::MatrixXd core_errors(SEXP model, SEXP sample, const Eigen::VectorXd& theta) {
  const oz::Model what = model_from(model);
  check_length(theta, what.map.parameters);
  return oz::errors_of(what, sample_from(sample, what), theta);
}

// Errors without normality; `means` also gives what profiled intercepts need.
// [[Rcpp::export(rng = false)]]
List core_sandwich(SEXP model, SEXP sample, const Eigen::VectorXd& theta, SEXP cases, bool means) {
  const oz::Model what = model_from(model);
  check_length(theta, what.map.parameters);
  const oz::StopToken stop = listening();
  const oz::Sandwich found = oz::sandwich(what, sample_from(sample, what), theta,
                                          cases_from(cases, what), means, stop);
  throw_if(stop);
  return List::create(Rcpp::_["admissible"] = found.admissible,
                      Rcpp::_["covariance"] = found.covariance,
                      Rcpp::_["cross"] = Rcpp::wrap(found.cross),
                      Rcpp::_["means"] = Rcpp::wrap(found.means));
}

// How the test of a model is scaled: complete data.
// [[Rcpp::export(rng = false)]]
List core_scaling(SEXP model, SEXP sample, const Eigen::VectorXd& theta, SEXP cases,
                  bool squared) {
  const oz::Model what = model_from(model);
  check_length(theta, what.map.parameters);
  const oz::StopToken stop = listening();
  const oz::Scaling found =
      oz::scaling(what, sample_from(sample, what), theta, cases_from(cases, what), squared, stop);
  throw_if(stop);
  return List::create(Rcpp::_["admissible"] = found.admissible, Rcpp::_["trace"] = found.trace,
                      Rcpp::_["trace_squared"] = found.trace_squared,
                      Rcpp::_["whitened"] = found.whitened);
}

// Sampling variances of observed moments and of residuals, complete data of any distribution.
// [[Rcpp::export(rng = false)]]
List core_moment_spread(SEXP model, SEXP sample, const Eigen::VectorXd& theta, SEXP cases) {
  const oz::Model what = model_from(model);
  check_length(theta, what.map.parameters);
  const oz::StopToken stop = listening();
  const oz::MomentSpread found =
      oz::moment_spread(what, sample_from(sample, what), theta, cases_from(cases, what), stop);
  throw_if(stop);
  return List::create(Rcpp::_["observed"] = Rcpp::wrap(found.observed),
                      Rcpp::_["residual"] = Rcpp::wrap(found.residual));
}

// The information of the saturated model of each group of incomplete data, and its inverse.
// [[Rcpp::export(rng = false)]]
List core_saturated_information(SEXP model, SEXP sample) {
  const oz::Model what = model_from(model);
  const oz::Sample moments = sample_from(sample, what);
  require(!moments.patterns.empty(), "its data are complete");
  const auto unseen = unseen_from(sample, what);
  List out(moments.size());
  for (size_t g = 0; g < moments.size(); ++g) {
    const oz::SaturatedInformation found = oz::saturated_information(moments, g, unseen[g]);
    out[g] = List::create(Rcpp::_["admissible"] = found.admissible,
                          Rcpp::_["information"] = found.information,
                          Rcpp::_["inverse"] = found.inverse);
  }
  return out;
}

// The same with missing values, of several models of one sample; and the biases of their
// complete-data discrepancies.
// [[Rcpp::export(rng = false)]]
List core_incomplete_scaling(const List& models, SEXP sample, const List& thetas, SEXP cases,
                             const List& saturated) {
  std::vector<oz::Model> what;
  std::vector<oz::Vector> theta;
  require(models.size() == thetas.size() && models.size() > 0, "its models are others");
  for (int m = 0; m < models.size(); ++m) {
    what.push_back(model_from(models[m]));
    theta.push_back(Rcpp::as<Eigen::VectorXd>(thetas[m]));
    check_length(theta[m], what[m].map.parameters);
  }
  const oz::Sample moments = sample_from(sample, what[0]);
  require(saturated.size() == static_cast<int>(moments.size()), "its information is of other groups");
  const auto unseen = unseen_from(sample, what[0]);
  std::vector<oz::SaturatedInformation> known(moments.size());
  for (size_t g = 0; g < known.size(); ++g) {
    const List own = saturated[g];
    known[g].information = Rcpp::as<Eigen::MatrixXd>(own["information"]);
    known[g].inverse = Rcpp::as<Eigen::MatrixXd>(own["inverse"]);
    const int p = what[0].groups[g].observed;
    const int size = p * (p + 3) / 2 - static_cast<int>(unseen[g].size());
    require(known[g].information.rows() == size && known[g].inverse.rows() == size,
            "its saturated information has another size");
  }
  const oz::StopToken stop = listening();
  const auto found = oz::incomplete_scaling(what, theta, moments, cases_from(cases, what[0]), unseen,
                                            known, stop);
  throw_if(stop);
  List out(found.size());
  for (size_t m = 0; m < found.size(); ++m)
    out[m] = List::create(Rcpp::_["admissible"] = found[m].admissible,
                          Rcpp::_["trace"] = found[m].trace,
                          Rcpp::_["complete"] = found[m].complete,
                          Rcpp::_["normal_bias"] = found[m].normal_bias,
                          Rcpp::_["robust_bias"] = found[m].robust_bias,
                          Rcpp::_["observed"] = Rcpp::wrap(found[m].spread.observed),
                          Rcpp::_["residual"] = Rcpp::wrap(found[m].spread.residual));
  return out;
}

// [[Rcpp::export(rng = false)]]
List core_evaluate(SEXP model, SEXP sample, const Eigen::VectorXd& theta) {
  const auto what = std::make_shared<const oz::Model>(model_from(model));
  check_length(theta, what->map.parameters);
  oz::NormalTheory problem(what, sample_from(sample, *what));
  if (!problem.move_to(theta)) return List::create(Rcpp::_["admissible"] = false);
  const oz::Vector score = problem.score();
  oz::Matrix expected = problem.dense_information(oz::Information::Expected);
  oz::Matrix observed = problem.dense_information(oz::Information::Observed);
  expected.triangularView<Eigen::StrictlyUpper>() = expected.transpose();
  observed.triangularView<Eigen::StrictlyUpper>() = observed.transpose();
  return List::create(Rcpp::_["admissible"] = true, Rcpp::_["discrepancy"] = problem.value(),
                      Rcpp::_["n"] = problem.n(), Rcpp::_["score"] = score,
                      Rcpp::_["expected"] = expected, Rcpp::_["observed"] = observed);
}

// Scores of single cases by the parameters, a matrix a group: about the model's means or the data's.
// [[Rcpp::export(rng = false)]]
List core_case_scores(SEXP model, SEXP sample, const Eigen::VectorXd& theta, SEXP cases) {
  const auto what = std::make_shared<const oz::Model>(model_from(model));
  check_length(theta, what->map.parameters);
  oz::NormalTheory problem(what, sample_from(sample, *what));
  const std::vector<oz::Cases> rows = cases_from(cases, *what);
  List out(rows.size());
  require(problem.move_to(theta), "its model cannot be evaluated there");
  for (size_t g = 0; g < rows.size(); ++g) {
    oz::Matrix scores;
    problem.case_scores(g, rows[g].values, oz::About::Model, scores);
    out[g] = Rcpp::wrap(scores);
  }
  return out;
}

// The nearest parameters at which equations and bounds hold; empty when there are none to be found.
// [[Rcpp::export(rng = false)]]
SEXP core_restore(SEXP model, const Eigen::VectorXd& theta) {
  const oz::Model what = model_from(model);
  check_length(theta, what.map.parameters);
  oz::Vector out = theta;
  return vector_of(oz::restore(what, out) ? out : oz::Vector());
}

// [[Rcpp::export(rng = false)]]
List core_implied(SEXP model, const Eigen::VectorXd& eta) {
  const oz::Model what = model_from(model);
  check_length(eta, what.entries.size());
  const std::vector<oz::Implied> all = oz::implied(what, eta);
  List out(all.size());
  for (size_t g = 0; g < all.size(); ++g)
    out[g] =
        List::create(Rcpp::_["effects"] = all[g].effects, Rcpp::_["residual"] = all[g].residual,
                     Rcpp::_["intercepts"] = all[g].intercepts, Rcpp::_["total"] = all[g].total,
                     Rcpp::_["covariance"] = all[g].covariance, Rcpp::_["mean"] = all[g].mean);
  return out;
}

// Quantities with their gradients, and standard errors when a covariance matrix of the parameters
// is given. Numbers of groups, variables and entries start at 1; `plain` is a list of logical
// vectors by group.
// [[Rcpp::export(rng = false)]]
List core_derive(SEXP model, const Eigen::VectorXd& eta, const Rcpp::IntegerVector& what,
                 const Rcpp::IntegerVector& group, const Rcpp::IntegerVector& a,
                 const Rcpp::IntegerVector& b, const List& plain, const Eigen::MatrixXd& vcov) {
  const oz::Model of = model_from(model);
  const int size = what.size(), groups = of.groups.size();
  check_length(eta, of.entries.size());
  require(group.size() == size && a.size() == size && b.size() == size,
          "its quantities have other lengths");
  require(plain.size() == groups, "its coded variables are of other groups");
  std::vector<std::vector<char>> as_plain;
  for (int g = 0; g < groups; ++g) {
    const Rcpp::LogicalVector coded = plain[g];
    require(coded.size() == of.groups[g].variables, "its coded variables have another length");
    as_plain.emplace_back(coded.begin(), coded.end());
  }
  std::vector<oz::Wanted> wanted;
  for (int k = 0; k < size; ++k) {
    require(what[k] >= 0 && what[k] <= static_cast<int>(oz::Quantity::SdRatio),
            "a quantity is of no known kind");
    const int g = index_within(group[k], groups);
    const bool entry = what[k] <= static_cast<int>(oz::Quantity::Standardized);
    const int limit = entry ? static_cast<int>(of.entries.size()) : of.groups[g].variables;
    wanted.push_back({static_cast<oz::Quantity>(what[k]), g, index_within(a[k], limit),
                      entry ? 0 : index_within(b[k], of.groups[g].variables)});
  }
  const oz::Derived derived = oz::derive(of, eta, wanted, as_plain);
  const bool errors =
      vcov.rows() == of.map.parameters && vcov.cols() == of.map.parameters && size > 0;
  const oz::Vector se =
      errors ? oz::delta_errors(derived.gradient, vcov) : oz::Vector::Constant(size, NA_REAL);
  return List::create(Rcpp::_["value"] = derived.value, Rcpp::_["gradient"] = derived.gradient,
                      Rcpp::_["se"] = se);
}

// [[Rcpp::export(rng = false)]]
Eigen::VectorXd core_profile_means(SEXP model, const Eigen::VectorXd& eta, SEXP sample) {
  const oz::Model what = model_from(model);
  check_length(eta, what.entries.size());
  return oz::profile_means(what, eta, sample_from(sample, what));
}

// [[Rcpp::export(rng = false)]]
Eigen::MatrixXd core_profiled_vcov(SEXP model, const Eigen::VectorXd& eta, SEXP sample,
                                   const Eigen::MatrixXd& known, const Rcpp::IntegerVector& used,
                                   const List& cross, const List& means) {
  const oz::Model what = model_from(model);
  check_length(eta, what.entries.size());
  require(known.rows() == used.size() && known.cols() == used.size(),
          "its covariance matrix has another size");
  std::vector<int> places;
  for (int k : used) places.push_back(index_within(k, what.map.parameters));
  const int groups = what.groups.size();
  require(cross.size() == means.size() && (means.size() == 0 || means.size() == groups),
          "its covariances of means are of other groups");
  oz::MeanCovariances of_means;
  for (int g = 0; g < means.size(); ++g) {
    of_means.cross.push_back(Rcpp::as<Eigen::MatrixXd>(cross[g]));
    of_means.own.push_back(Rcpp::as<Eigen::MatrixXd>(means[g]));
    const int p = what.groups[g].observed;
    require(of_means.own[g].rows() == p && of_means.own[g].cols() == p &&
                of_means.cross[g].rows() == used.size() && of_means.cross[g].cols() == p,
            "its covariances of means have another size");
  }
  return oz::profiled_covariance(what, eta, sample_from(sample, what), known, places, of_means);
}

// [[Rcpp::export(rng = false)]]
List core_local_rank(SEXP model, SEXP sample) {
  const oz::Model what = model_from(model);
  const oz::Rank rank = oz::local_rank(what, sample_from(sample, what), oz::Settings());
  return List::create(Rcpp::_["rank"] = rank.rank, Rcpp::_["parameters"] = rank.parameters,
                      Rcpp::_["eigenvalues"] = rank.eigenvalues,
                      Rcpp::_["null_vectors"] = rank.null_vectors);
}

// An expression at its inputs; with their gradients (one row an input) the chain rule gives its
// own.
// [[Rcpp::export(rng = false)]]
List core_expression(SEXP tape, const Eigen::VectorXd& inputs, const Eigen::MatrixXd& gradients) {
  const oz::Jet jet = oz::evaluate(expression_from(tape, inputs.size()), inputs);
  require(gradients.rows() == inputs.size(), "its gradients have another length");
  const oz::Vector along = gradients.transpose() * jet.gradient;
  return List::create(Rcpp::_["value"] = jet.value, Rcpp::_["gradient"] = along,
                      Rcpp::_["hessian"] = jet.hessian);
}

// Numbers of entries and constraints start at 1; 0 is none.
// [[Rcpp::export(rng = false)]]
List core_score_tests(SEXP model, SEXP sample, const Eigen::VectorXd& theta,
                      const Rcpp::IntegerVector& entries, const Rcpp::IntegerVector& constraints,
                      bool joint, SEXP cases = R_NilValue) {
  const oz::Model what = model_from(model);
  check_length(theta, what.map.parameters);
  require(entries.size() == constraints.size(), "its candidates have other lengths");
  std::vector<oz::Release> releases;
  for (int c = 0; c < entries.size(); ++c)
    releases.push_back({index_within(entries[c], what.entries.size(), true),
                        index_within(constraints[c], what.constraints.size(), true)});
  const oz::StopToken stop = listening();
  const oz::ScoreTests tests = oz::score_tests(what, sample_from(sample, what), theta, releases,
                                               joint, cases_from(cases, what), stop);
  throw_if(stop);
  return List::create(Rcpp::_["admissible"] = tests.admissible, Rcpp::_["score"] = tests.score,
                      Rcpp::_["information"] = tests.information, Rcpp::_["own"] = tests.own,
                      Rcpp::_["kept"] = tests.kept, Rcpp::_["joint"] = tests.joint,
                      Rcpp::_["response"] = tests.response,
                      Rcpp::_["variance"] = tests.variance,
                      Rcpp::_["joint_variance"] = tests.joint_variance);
}
