// The functions of the core that R calls. Input from R is read and checked in from_r.cpp; no other
// file contains both R objects and the core.
#include "from_r.h"

#include <chrono>

#include "core/expression.hpp"
#include "core/infer/alignment.hpp"
#include "core/infer/derivatives.hpp"
#include "core/infer/proper.hpp"
#include "core/infer/sandwich.hpp"
#include "core/infer/scaling.hpp"
#include "core/infer/score_test.hpp"
#include "core/linear/dense.hpp"
#include "core/many/refit_many.hpp"
#include "core/moments/reduce.hpp"
#include "core/moments/saturated.hpp"
#include "core/objective/normal_theory.hpp"
#include "core/solve/constraints.hpp"
#include "core/solve/driver.hpp"
#include "core/solve/identification.hpp"

using Rcpp::List;

namespace {

// R is asked at most fifty times a second.
bool user_interrupted() {
  using Clock = std::chrono::steady_clock;
  static Clock::time_point asked = Clock::now();
  if (Clock::now() - asked < std::chrono::milliseconds(20)) return false;
  asked = Clock::now();
  return R_ToplevelExec([](void*) { R_CheckUserInterrupt(); }, nullptr) == FALSE;
}

oz::StopToken listening() { return oz::StopToken(user_interrupted); }

void throw_if(const oz::StopToken& stop) {
  if (stop.stopped()) throw Rcpp::internal::InterruptedException();
}

// A named list, filled by hand: wrapping would cost more than a small fit.
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
  const SEXP out = Rf_allocMatrix(REALSXP, oz::to_int(x.rows()), oz::to_int(x.cols()));
  std::copy_n(x.data(), x.size(), REAL(out));
  return out;
}

SEXP history_of(const oz::Sequence<oz::Iteration>& steps) {
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

// `fresh_starts`: NA for the default of the core; `quick_only`: give up where quick steps do not
// converge.
// [[Rcpp::export(rng = false)]]
List core_fit(SEXP model, SEXP sample, const Eigen::VectorXd& start, int fresh_starts = NA_INTEGER,
              bool errors = true, bool all_starts = false, bool quick_only = false) {
  const oz::Model what = model_from(model);
  const oz::Sample moments = sample_from(sample, what);
  oz::Settings settings;
  settings.start = start;
  if (fresh_starts != NA_INTEGER) settings.fresh_starts = fresh_starts;
  settings.errors = errors;
  settings.close = !errors && fresh_starts == 0 && start.size() > 0 && start.allFinite();
  // the last step, which is taken without being tested, squares the error
  if (settings.close) settings.tolerance = 1e-9;
  settings.all_starts = all_starts;
  if (quick_only) settings.iterations = 0;
  oz::Callbacks callbacks;
  callbacks.stop = listening();
  const oz::Fit fit = oz::fit(what, moments, settings, callbacks);
  throw_if(callbacks.stop);
  const Rcpp::Shield<SEXP> active(Rf_allocVector(LGLSXP, fit.active.size()));
  for (int i = 0; i < fit.active.size(); ++i) LOGICAL(active)[i] = fit.active[i] != 0;
  // beyond doubt: positive definite
  const bool proper = fit.eta.size() > 0 && oz::is_proper(what, fit.eta, 0);
  Results out(13);
  out.add("proper", Rf_ScalarLogical(proper));
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

// Standard errors of quantities by their gradients (one row per quantity).
// [[Rcpp::export(rng = false)]]
Eigen::VectorXd core_delta_errors(const Eigen::Map<Eigen::MatrixXd>& gradient,
                                  const Eigen::Map<Eigen::MatrixXd>& covariance) {
  require(covariance.rows() == gradient.cols() && covariance.cols() == gradient.cols(),
          "its covariance matrix has another size");
  return oz::delta_errors(gradient, covariance);
}

// The loss of approximate invariance and its derivatives (loadings and intercepts: items x groups).
// [[Rcpp::export(rng = false)]]
List core_alignment_loss(const Eigen::Map<Eigen::MatrixXd>& loadings,
                         const Eigen::Map<Eigen::MatrixXd>& intercepts,
                         const Eigen::Map<Eigen::VectorXd>& cases,
                         const Eigen::Map<Eigen::VectorXd>& mean,
                         const Eigen::Map<Eigen::VectorXd>& log_sd, double epsilon) {
  require(intercepts.rows() == loadings.rows() && intercepts.cols() == loadings.cols() &&
              cases.size() == loadings.cols() && mean.size() == loadings.cols() &&
              log_sd.size() == loadings.cols(),
          "its groups have different sizes");
  const oz::AlignmentLoss loss =
      oz::alignment_loss(loadings, intercepts, cases, mean, log_sd, epsilon);
  return List::create(Rcpp::_["value"] = loss.value, Rcpp::_["mean"] = loss.by_mean,
                      Rcpp::_["log_sd"] = loss.by_log_sd);
}

// [[Rcpp::export(rng = false)]]
Eigen::MatrixXd core_errors(SEXP model, SEXP sample, const Eigen::VectorXd& theta) {
  const oz::Model what = model_from(model);
  check_length(theta, what.map.parameters);
  return oz::errors_of(what, sample_from(sample, what), theta);
}

// Standard errors without normality; `means` also gives the parts that profiled intercepts need.
// [[Rcpp::export(rng = false)]]
List core_sandwich(SEXP model, SEXP sample, const Eigen::VectorXd& theta, SEXP cases, bool means) {
  const oz::Model what = model_from(model);
  check_length(theta, what.map.parameters);
  const oz::StopToken stop = listening();
  const oz::Sandwich found =
      oz::sandwich(what, sample_from(sample, what), theta, cases_from(cases, what), means, stop);
  throw_if(stop);
  return List::create(
      Rcpp::_["admissible"] = found.admissible, Rcpp::_["covariance"] = found.covariance,
      Rcpp::_["cross"] = Rcpp::wrap(found.cross), Rcpp::_["means"] = Rcpp::wrap(found.means));
}

// Scaling of the model test with complete data.
// [[Rcpp::export(rng = false)]]
List core_scaling(SEXP model, SEXP sample, const Eigen::VectorXd& theta, SEXP cases, bool squared) {
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
  const oz::StopToken stop = listening();
  List out(moments.size());
  for (int g = 0; g < moments.size(); ++g) {
    const oz::SaturatedInformation found = oz::saturated_information(moments, g, unseen[g], stop);
    throw_if(stop);
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
  oz::Sequence<oz::Model> what;
  oz::Sequence<oz::Vector> theta;
  require(models.size() == thetas.size() && models.size() > 0, "its models are others");
  for (int m = 0; m < models.size(); ++m) {
    what.push_back(model_from(models[m]));
    theta.push_back(Rcpp::as<Eigen::VectorXd>(thetas[m]));
    check_length(theta[m], what[m].map.parameters);
  }
  const oz::Sample moments = sample_from(sample, what[0]);
  const auto unseen = unseen_from(sample, what[0]);
  const auto known = saturated_from(saturated, unseen, what[0]);
  const oz::StopToken stop = listening();
  const auto found =
      oz::incomplete_scaling(what, theta, moments, cases_from(cases, what[0]), unseen, known, stop);
  throw_if(stop);
  List out(found.size());
  for (int m = 0; m < found.size(); ++m)
    out[m] = List::create(
        Rcpp::_["admissible"] = found[m].admissible, Rcpp::_["trace"] = found[m].trace,
        Rcpp::_["complete"] = found[m].complete, Rcpp::_["normal_bias"] = found[m].normal_bias,
        Rcpp::_["robust_bias"] = found[m].robust_bias,
        Rcpp::_["observed"] = Rcpp::wrap(found[m].spread.observed),
        Rcpp::_["residual"] = Rcpp::wrap(found[m].spread.residual));
  return out;
}

// [[Rcpp::export(rng = false)]]
List core_evaluate(SEXP model, SEXP sample, const Eigen::VectorXd& theta) {
  const auto what = std::make_shared<const oz::Model>(model_from(model));
  check_length(theta, what->map.parameters);
  // in units of the items: variances of 1e-10 and 1e10 side by side would look singular
  const oz::Rescaled scaled = oz::rescale(*what, sample_from(sample, *what));
  oz::NormalTheory problem(scaled.model, scaled.sample);
  const oz::Vector at = scaled.inward(theta);
  if (!problem.move_to(at)) return List::create(Rcpp::_["admissible"] = false);
  const oz::Vector score = scaled.outward_slopes(problem.score(), at);
  const oz::Matrix expected =
      scaled.outward_information(problem.dense_information(oz::Information::Expected), at);
  const oz::Matrix observed =
      scaled.outward_information(problem.dense_information(oz::Information::Observed), at);
  return List::create(Rcpp::_["admissible"] = true, Rcpp::_["discrepancy"] = problem.value(),
                      Rcpp::_["n"] = problem.n(), Rcpp::_["score"] = score,
                      Rcpp::_["expected"] = expected, Rcpp::_["observed"] = observed);
}

// Scores of single cases with respect to the parameters, one matrix per group, centred at the
// means of the model or of the data.
// [[Rcpp::export(rng = false)]]
List core_case_scores(SEXP model, SEXP sample, const Eigen::VectorXd& theta, SEXP cases) {
  const auto what = std::make_shared<const oz::Model>(model_from(model));
  check_length(theta, what->map.parameters);
  const oz::Rescaled scaled = oz::rescale(*what, sample_from(sample, *what));
  oz::NormalTheory problem(scaled.model, scaled.sample);
  const oz::Sequence<oz::Cases> rows = scaled.inward(cases_from(cases, *what));
  List out(rows.size());
  const oz::Vector at = scaled.inward(theta);
  require(problem.move_to(at), "its model cannot be evaluated there");
  for (int g = 0; g < rows.size(); ++g) {
    oz::Matrix scores;
    problem.case_scores(g, rows[g].values, oz::About::Model, scores);
    out[g] = Rcpp::wrap(oz::Matrix(scaled.outward_slopes(scores.transpose(), at).transpose()));
  }
  return out;
}

// The nearest parameters at which equations and bounds hold; empty when none are found.
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
  const oz::Sequence<oz::Implied> all = oz::implied(what, eta);
  List out(all.size());
  for (int g = 0; g < all.size(); ++g)
    out[g] =
        List::create(Rcpp::_["effects"] = all[g].effects, Rcpp::_["residual"] = all[g].residual,
                     Rcpp::_["intercepts"] = all[g].intercepts, Rcpp::_["total"] = all[g].total,
                     Rcpp::_["covariance"] = all[g].covariance, Rcpp::_["mean"] = all[g].mean);
  return out;
}

namespace {
// Quantities by number of kind, group, variables or entry (all but the kind start at 1).
oz::Sequence<oz::Wanted> wanted_from(const oz::Model& of, const Rcpp::IntegerVector& what,
                                     const Rcpp::IntegerVector& group, const Rcpp::IntegerVector& a,
                                     const Rcpp::IntegerVector& b) {
  const int size = oz::to_int(what.size()), groups = of.groups.size();
  require(group.size() == size && a.size() == size && b.size() == size,
          "its quantities have other lengths");
  oz::Sequence<oz::Wanted> wanted;
  for (int k = 0; k < size; ++k) {
    require(what[k] >= 0 && what[k] <= static_cast<int>(oz::Quantity::SdRatio),
            "a quantity is of no known kind");
    const int g = index_within(group[k], groups);
    const bool entry = what[k] <= static_cast<int>(oz::Quantity::Standardized);
    const int limit = entry ? static_cast<int>(of.entries.size()) : of.groups[g].variables;
    wanted.push_back({static_cast<oz::Quantity>(what[k]), g, index_within(a[k], limit),
                      entry ? 0 : index_within(b[k], of.groups[g].variables)});
  }
  return wanted;
}

// Which variables are coded predictors: a list of logical vectors by group.
oz::Sequence<oz::Sequence<char>> coded_from(const oz::Model& of, const List& plain) {
  const int groups = of.groups.size();
  require(plain.size() == groups, "its coded variables are of other groups");
  oz::Sequence<oz::Sequence<char>> out;
  for (int g = 0; g < groups; ++g) {
    const Rcpp::LogicalVector coded = plain[g];
    require(coded.size() == of.groups[g].variables, "its coded variables have another length");
    out.emplace_back(coded.begin(), coded.end());
  }
  return out;
}
}  // namespace

// Quantities with their gradients, and standard errors when a covariance matrix of the parameters
// is given. Numbers of groups, variables and entries start at 1; `plain` is a list of logical
// vectors by group.
// [[Rcpp::export(rng = false)]]
List core_derive(SEXP model, const Eigen::VectorXd& eta, const Rcpp::IntegerVector& what,
                 const Rcpp::IntegerVector& group, const Rcpp::IntegerVector& a,
                 const Rcpp::IntegerVector& b, const List& plain,
                 const Eigen::Map<Eigen::MatrixXd>& vcov) {
  const oz::Model of = model_from(model);
  const int size = oz::to_int(what.size());
  check_length(eta, of.entries.size());
  const oz::Sequence<oz::Wanted> wanted = wanted_from(of, what, group, a, b);
  const oz::Derived derived = oz::derive(of, eta, wanted, coded_from(of, plain));
  const bool errors =
      vcov.rows() == of.map.parameters && vcov.cols() == of.map.parameters && size > 0;
  const oz::Vector se =
      errors ? oz::delta_errors(derived.gradient, vcov) : oz::Vector::Constant(size, NA_REAL);
  return List::create(Rcpp::_["value"] = derived.value, Rcpp::_["gradient"] = derived.gradient,
                      Rcpp::_["se"] = se);
}

// The same quantities of many replicates: a column of `eta` each. With `moments`, a list of one
// sample per replicate, saturated means take their closed form first. Columns with a value that is
// not a number give none.
// [[Rcpp::export(rng = false)]]
List core_derive_many(SEXP model, Eigen::MatrixXd eta, const List& moments,
                      const Rcpp::IntegerVector& what, const Rcpp::IntegerVector& group,
                      const Rcpp::IntegerVector& a, const Rcpp::IntegerVector& b,
                      const List& plain) {
  const oz::Model of = model_from(model);
  require(eta.rows() == of.entries.size(), "its replicates have another length");
  require(moments.size() == 0 || moments.size() == eta.cols(), "its moments are of others");
  const oz::Sequence<oz::Wanted> wanted = wanted_from(of, what, group, a, b);
  const oz::Sequence<oz::Sequence<char>> coded = coded_from(of, plain);
  oz::Matrix value = oz::Matrix::Constant(wanted.size(), eta.cols(), NA_REAL);
  for (Eigen::Index r = 0; r < eta.cols(); ++r) {
    oz::Vector own = eta.col(r);
    if (!own.allFinite()) continue;
    if (moments.size() > 0) own = oz::profile_means(of, own, sample_from(moments[r], of));
    eta.col(r) = own;
    if (wanted.size() > 0) value.col(r) = oz::derive(of, own, wanted, coded).value;
  }
  return List::create(Rcpp::_["eta"] = eta, Rcpp::_["value"] = value);
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
  oz::Sequence<int> places;
  for (int k : used) places.push_back(index_within(k, what.map.parameters));
  const oz::MeanCovariances of_means =
      mean_covariances_from(cross, means, oz::to_int(used.size()), what);
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

// An expression at its inputs; with their gradients (one row per input) the chain rule gives its
// own.
// [[Rcpp::export(rng = false)]]
List core_expression(SEXP tape, const Eigen::VectorXd& inputs, const Eigen::MatrixXd& gradients) {
  const oz::Jet jet = oz::evaluate(expression_from(tape, oz::to_int(inputs.size())), inputs);
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
  oz::Sequence<oz::Release> releases;
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
                      Rcpp::_["response"] = tests.response, Rcpp::_["variance"] = tests.variance,
                      Rcpp::_["joint_variance"] = tests.joint_variance);
}

// A sample in units of its variables, as a fit keeps moments.
static List moments_of(const oz::Sample& sample, const oz::Sequence<oz::Vector>& unit) {
  const auto block = [](const oz::Block& from, const oz::Vector& by) {
    return List::create(Rcpp::_["n"] = from.n,
                        Rcpp::_["covariance"] = oz::scaled_by(by, from.covariance),
                        Rcpp::_["mean"] = oz::Vector(by.cwiseProduct(from.mean)));
  };
  List out(sample.size());
  for (int g = 0; g < sample.size(); ++g) {
    List patterns, own = block(sample[g], unit[g]);
    for (const oz::Block& pattern : sample.patterns) {
      if (pattern.group != static_cast<int>(g)) continue;
      oz::Vector by(pattern.variables.size());
      for (int v = 0; v < by.size(); ++v) by[v] = unit[g][pattern.variables[v]];
      List part = block(pattern, by);
      part["variables"] = numbers_in_r(pattern.variables);
      patterns.push_back(part);
    }
    own["patterns"] = patterns;
    out[g] = own;
  }
  return out;
}

// Replicates `first` to first + count - 1 of a seed, each fitted; `source` as in source_from().
// [[Rcpp::export(rng = false)]]
List core_refit_many(SEXP model, SEXP sample, const Eigen::VectorXd& theta, SEXP source,
                     double seed, int first, int count, int fresh_starts, bool keep) {
  const oz::Model what = model_from(model);
  check_length(theta, what.map.parameters);
  require(first >= 1 && count >= 0, "its replicates have no numbers");
  const oz::Rescaled scaled = oz::rescale(what, sample_from(sample, what));
  const auto from = source_from(source, what, scaled.item_unit);
  oz::Settings settings;
  settings.fresh_starts = fresh_starts;
  oz::Callbacks callbacks;
  callbacks.stop = listening();
  List moments(keep ? count : 0);
  std::function<void(int, const oz::Sample&)> seen;
  if (keep)
    seen = [&](int r, const oz::Sample& drawn) {
      moments[r] = moments_of(drawn, scaled.item_unit);
    };
  const oz::Replicates found =
      oz::refit_many(scaled, theta, *from, static_cast<std::uint64_t>(seed), first, count, settings,
                     callbacks, seen);
  throw_if(callbacks.stop);
  return List::create(
      Rcpp::_["theta"] = found.theta, Rcpp::_["discrepancy"] = found.discrepancy,
      Rcpp::_["n"] = found.n, Rcpp::_["status"] = found.status,
      Rcpp::_["improper"] = Rcpp::LogicalVector(found.improper.begin(), found.improper.end()),
      Rcpp::_["moments"] = moments);
}

// The cases of one replicate: numbers of rows by group when cases are resampled, else values.
// [[Rcpp::export(rng = false)]]
List core_replicate_cases(SEXP model, SEXP source, double seed, int replicate) {
  const oz::Model what = model_from(model);
  const auto from = source_from(source, what, {});
  const auto number = static_cast<std::uint64_t>(seed);
  List out;
  if (const auto* resampled = dynamic_cast<const oz::Resampled*>(from.get())) {
    for (const oz::Sequence<int>& rows : resampled->rows(number, replicate)) {
      out.push_back(numbers_in_r(rows));
    }
  } else if (const auto* drawn = dynamic_cast<const oz::Drawn*>(from.get())) {
    for (const oz::Matrix& values : drawn->values(number, replicate))
      out.push_back(Rcpp::wrap(values));
  }
  return out;
}
