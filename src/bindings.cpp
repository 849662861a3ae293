// The only file that knows both R and the core.
#include <RcppEigen.h>

#include <algorithm>
#include <cstring>

#include "core/discrepancy.hpp"
#include "core/expression.hpp"
#include "core/fit.hpp"
#include "core/score_test.hpp"
#include "core/standardize.hpp"

namespace oz = orizzonte;
using Rcpp::List;

namespace {

// Reading by hand: wrapping each of a layout's many short vectors would cost more than a small fit.
SEXP element(SEXP list, const char* name) {
  const SEXP names = Rf_getAttrib(list, R_NamesSymbol);
  const int size = Rf_length(list);
  for (int i = 0; i < size; ++i) {
    const char* known = CHAR(STRING_ELT(names, i));
    if (known[0] == name[0] && std::strcmp(known, name) == 0) return VECTOR_ELT(list, i);
  }
  Rcpp::stop("the layout has no element '%s'", name);
}

const int* integers(SEXP list, const char* name) {
  const SEXP x = element(list, name);
  if (TYPEOF(x) != INTSXP && TYPEOF(x) != LGLSXP) Rcpp::stop("'%s' must be integer", name);
  return INTEGER(x);
}

const double* numbers(SEXP list, const char* name) {
  const SEXP x = element(list, name);
  if (TYPEOF(x) != REALSXP) Rcpp::stop("'%s' must be double", name);
  return REAL(x);
}

oz::Expression expression_from(SEXP tape) {
  oz::Expression out;
  const int* operation = integers(tape, "operation");
  const double* argument = numbers(tape, "argument");
  const int steps = Rf_length(element(tape, "operation"));
  for (int i = 0; i < steps; ++i) out.push_back({static_cast<oz::Operation>(operation[i]), argument[i]});
  return out;
}

oz::Model model_from(SEXP layout) {
  oz::Model model;
  const int* observed = integers(layout, "observed");
  const int* variables = integers(layout, "variables");
  const int groups = Rf_length(element(layout, "observed"));
  for (int g = 0; g < groups; ++g) model.groups.push_back({observed[g], variables[g]});
  const int entries = Rf_length(element(layout, "family"));
  const int *family = integers(layout, "family"), *group = integers(layout, "group");
  const int *row = integers(layout, "row"), *col = integers(layout, "col");
  model.entries.reserve(entries);
  for (int e = 0; e < entries; ++e) model.entries.push_back({static_cast<oz::Family>(family[e]), group[e] - 1, row[e] - 1, col[e] - 1});
  model.means = integers(layout, "means")[0] != 0;
  model.map.parameters = integers(layout, "parameters")[0];
  model.map.constant = Eigen::Map<const oz::Vector>(numbers(layout, "constant"), entries);
  model.map.rows.resize(entries);
  const int *map_entry = integers(layout, "map_entry"), *map_parameter = integers(layout, "map_parameter");
  const double* map_weight = numbers(layout, "map_weight");
  const int terms = Rf_length(element(layout, "map_entry"));
  for (int i = 0; i < terms; ++i)
    model.map.rows[map_entry[i] - 1].push_back({map_parameter[i] - 1, map_weight[i]});
  const SEXP scales = element(layout, "scales");
  for (int s = 0; s < Rf_length(scales); ++s) {
    const SEXP scale = VECTOR_ELT(scales, s);
    oz::Scale item{integers(scale, "group")[0] - 1, integers(scale, "construct")[0] - 1,
                   static_cast<oz::ScaleKind>(integers(scale, "kind")[0]), integers(scale, "marker")[0] - 1,
                   integers(scale, "variance")[0] - 1, {}, integers(scale, "closed")[0] != 0};
    const int* loadings = integers(scale, "loadings");
    const int items = Rf_length(element(scale, "loadings"));
    for (int i = 0; i < items; ++i) item.loadings.push_back(loadings[i] - 1);
    model.scales.push_back(item);
  }
  const SEXP constraints = element(layout, "constraints");
  for (int k = 0; k < Rf_length(constraints); ++k) {
    const SEXP constraint = VECTOR_ELT(constraints, k);
    oz::Constraint item{expression_from(constraint), {}, {}, integers(constraint, "bound")[0] != 0};
    const int* inputs = integers(constraint, "inputs");
    const int count = Rf_length(element(constraint, "inputs"));
    for (int i = 0; i < count; ++i) item.inputs.push_back(inputs[i] - 1);
    item.unit.assign(item.inputs.size(), 1.0);
    model.constraints.push_back(item);
  }
  return model;
}

std::vector<oz::Moments> sample_from(SEXP groups) {
  std::vector<oz::Moments> out;
  for (int g = 0; g < Rf_length(groups); ++g) {
    const SEXP group = VECTOR_ELT(groups, g);
    oz::Moments moments;
    moments.n = Rf_asReal(element(group, "n"));
    const int p = Rf_nrows(element(group, "covariance"));
    moments.covariance = Eigen::Map<const oz::Matrix>(numbers(group, "covariance"), p, p);
    if (!Rf_isNull(element(group, "mean"))) moments.mean = Eigen::Map<const oz::Vector>(numbers(group, "mean"), p);
    out.push_back(moments);
  }
  return out;
}

// A named list, filled by hand for the same reason.
class Results {
 public:
  explicit Results(int size) : list_(Rf_allocVector(VECSXP, size)), names_(Rf_allocVector(STRSXP, size)) {
    Rf_setAttrib(list_, R_NamesSymbol, names_);
  }
  void add(const char* name, SEXP value) {
    SET_VECTOR_ELT(list_, filled_, value);       // before anything else is allocated
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

bool user_interrupted() {
  return R_ToplevelExec([](void*) { R_CheckUserInterrupt(); }, nullptr) == FALSE;
}

}  // namespace

// [[Rcpp::export(rng = false)]]
List core_fit(SEXP layout, SEXP sample, const Eigen::VectorXd& start, int iterations, double tolerance, int fresh_starts, double seed,
              bool errors = true) {
  oz::Settings settings;
  settings.start = start;
  settings.iterations = iterations;
  settings.tolerance = tolerance;
  settings.fresh_starts = fresh_starts;
  settings.seed = static_cast<std::uint64_t>(seed);
  settings.errors = errors;
  oz::Callbacks callbacks;
  callbacks.interrupted = user_interrupted;
  const oz::Fit fit = oz::fit(model_from(layout), sample_from(sample), settings, callbacks);
  if (fit.status == oz::Status::Interrupted) Rcpp::stop("interrupted");
  const int steps = fit.history.size();
  oz::Vector method(steps), chisq(steps), decrement(steps), damping(steps);
  for (int i = 0; i < steps; ++i) {
    method[i] = fit.history[i].method;
    chisq[i] = fit.history[i].chisq;
    decrement[i] = fit.history[i].decrement;
    damping[i] = fit.history[i].damping;
  }
  Results history(4);
  history.add("method", vector_of(method));
  history.add("chisq", vector_of(chisq));
  history.add("decrement", vector_of(decrement));
  history.add("damping", vector_of(damping));
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
  out.add("history", history.list());
  return out.list();
}

// [[Rcpp::export(rng = false)]]
Eigen::MatrixXd core_errors(SEXP layout, SEXP sample, const Eigen::VectorXd& theta) {
  return oz::errors_of(model_from(layout), sample_from(sample), theta);
}

// [[Rcpp::export(rng = false)]]
List core_evaluate(SEXP layout, SEXP sample, const Eigen::VectorXd& theta) {
  const oz::Model model = model_from(layout);
  oz::Discrepancy problem(model, sample_from(sample));
  if (!problem.move_to(theta)) return List::create(Rcpp::_["admissible"] = false);
  const oz::Vector score = problem.score();
  oz::Matrix expected = problem.expected_information(), observed = problem.observed_information();
  expected.triangularView<Eigen::StrictlyUpper>() = expected.transpose();
  observed.triangularView<Eigen::StrictlyUpper>() = observed.transpose();
  return List::create(Rcpp::_["admissible"] = true, Rcpp::_["discrepancy"] = problem.value(), Rcpp::_["n"] = problem.n(),
                      Rcpp::_["score"] = score, Rcpp::_["expected"] = expected, Rcpp::_["observed"] = observed);
}

// [[Rcpp::export(rng = false)]]
List core_implied(SEXP layout, const Eigen::VectorXd& eta) {
  const std::vector<oz::Implied> all = oz::implied(model_from(layout), eta);
  List out(all.size());
  for (size_t g = 0; g < all.size(); ++g)
    out[g] = List::create(Rcpp::_["effects"] = all[g].effects, Rcpp::_["residual"] = all[g].residual,
                          Rcpp::_["intercepts"] = all[g].intercepts, Rcpp::_["total"] = all[g].total,
                          Rcpp::_["covariance"] = all[g].covariance, Rcpp::_["mean"] = all[g].mean);
  return out;
}

// [[Rcpp::export(rng = false)]]
List core_standardize(SEXP layout, const Eigen::VectorXd& eta) {
  const oz::Standardized s = oz::standardize(model_from(layout), eta);
  return List::create(Rcpp::_["value"] = s.value, Rcpp::_["jacobian"] = s.jacobian,
                      Rcpp::_["variances"] = s.variances, Rcpp::_["variance_jacobians"] = s.variance_jacobians);
}

// [[Rcpp::export(rng = false)]]
List core_local_rank(SEXP layout, SEXP sample) {
  const oz::Rank rank = oz::local_rank(model_from(layout), sample_from(sample), oz::Settings());
  return List::create(Rcpp::_["rank"] = rank.rank, Rcpp::_["parameters"] = rank.parameters,
                      Rcpp::_["eigenvalues"] = rank.eigenvalues, Rcpp::_["null_vectors"] = rank.null_vectors);
}

// [[Rcpp::export(rng = false)]]
List core_expression(SEXP tape, const Eigen::VectorXd& inputs) {
  const oz::Jet jet = oz::evaluate(expression_from(tape), inputs);
  return List::create(Rcpp::_["value"] = jet.value, Rcpp::_["gradient"] = jet.gradient, Rcpp::_["hessian"] = jet.hessian);
}

// Numbers of entries and constraints start at 1; 0 is none.
// [[Rcpp::export(rng = false)]]
List core_score_tests(SEXP layout, SEXP sample, const Eigen::VectorXd& theta, const Rcpp::IntegerVector& entries,
                      const Rcpp::IntegerVector& constraints, bool joint) {
  std::vector<oz::Release> releases;
  for (int c = 0; c < entries.size(); ++c) releases.push_back({entries[c] - 1, constraints[c] - 1});
  const oz::ScoreTests tests = oz::score_tests(model_from(layout), sample_from(sample), theta, releases, joint);
  return List::create(Rcpp::_["admissible"] = tests.admissible, Rcpp::_["score"] = tests.score, Rcpp::_["information"] = tests.information,
                      Rcpp::_["own"] = tests.own, Rcpp::_["kept"] = tests.kept, Rcpp::_["joint"] = tests.joint,
                      Rcpp::_["response"] = tests.response);
}
