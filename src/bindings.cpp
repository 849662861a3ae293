// The only file that knows both R and the core.
#include <RcppEigen.h>

#include "core/discrepancy.hpp"
#include "core/fit.hpp"
#include "core/standardize.hpp"

namespace oz = orizzonte;
using Rcpp::List;

namespace {

oz::Model model_from(const List& layout) {
  oz::Model model;
  const Rcpp::IntegerVector observed = layout["observed"], variables = layout["variables"];
  for (int g = 0; g < observed.size(); ++g) model.groups.push_back({observed[g], variables[g]});
  const Rcpp::IntegerVector family = layout["family"], group = layout["group"], row = layout["row"], col = layout["col"];
  for (int e = 0; e < family.size(); ++e)
    model.entries.push_back({static_cast<oz::Family>(family[e]), group[e] - 1, row[e] - 1, col[e] - 1});
  model.means = Rcpp::as<bool>(layout["means"]);
  model.map.parameters = Rcpp::as<int>(layout["parameters"]);
  model.map.constant = Rcpp::as<oz::Vector>(layout["constant"]);
  model.map.rows.resize(family.size());
  const Rcpp::IntegerVector map_entry = layout["map_entry"], map_parameter = layout["map_parameter"];
  const Rcpp::NumericVector map_weight = layout["map_weight"];
  for (int i = 0; i < map_entry.size(); ++i)
    model.map.rows[map_entry[i] - 1].push_back({map_parameter[i] - 1, map_weight[i]});
  const List scales = layout["scales"];
  for (int s = 0; s < scales.size(); ++s) {
    const List scale = scales[s];
    oz::Scale item;
    item.group = Rcpp::as<int>(scale["group"]) - 1;
    item.construct = Rcpp::as<int>(scale["construct"]) - 1;
    item.kind = static_cast<oz::ScaleKind>(Rcpp::as<int>(scale["kind"]));
    item.marker = Rcpp::as<int>(scale["marker"]) - 1;
    item.variance = Rcpp::as<int>(scale["variance"]) - 1;
    item.closed = Rcpp::as<bool>(scale["closed"]);
    for (int e : Rcpp::as<std::vector<int>>(scale["loadings"])) item.loadings.push_back(e - 1);
    model.scales.push_back(item);
  }
  return model;
}

std::vector<oz::Moments> sample_from(const List& groups) {
  std::vector<oz::Moments> out;
  for (int g = 0; g < groups.size(); ++g) {
    const List group = groups[g];
    oz::Moments moments;
    moments.n = Rcpp::as<double>(group["n"]);
    moments.covariance = Rcpp::as<oz::Matrix>(group["covariance"]);
    if (!Rf_isNull(group["mean"])) moments.mean = Rcpp::as<oz::Vector>(group["mean"]);
    out.push_back(moments);
  }
  return out;
}

bool user_interrupted() {
  return R_ToplevelExec([](void*) { R_CheckUserInterrupt(); }, nullptr) == FALSE;
}

}  // namespace

// [[Rcpp::export]]
List core_fit(const List& layout, const List& sample, int iterations, double tolerance, int fresh_starts, double seed) {
  oz::Settings settings;
  settings.iterations = iterations;
  settings.tolerance = tolerance;
  settings.fresh_starts = fresh_starts;
  settings.seed = static_cast<std::uint64_t>(seed);
  oz::Callbacks callbacks;
  callbacks.interrupted = user_interrupted;
  const oz::Fit fit = oz::fit(model_from(layout), sample_from(sample), settings, callbacks);
  if (fit.status == oz::Status::Interrupted) Rcpp::stop("interrupted");
  const int steps = fit.history.size();
  Rcpp::IntegerVector method(steps);
  Rcpp::NumericVector chisq(steps), decrement(steps), damping(steps);
  for (int i = 0; i < steps; ++i) {
    method[i] = fit.history[i].method;
    chisq[i] = fit.history[i].chisq;
    decrement[i] = fit.history[i].decrement;
    damping[i] = fit.history[i].damping;
  }
  return List::create(
      Rcpp::_["theta"] = fit.theta, Rcpp::_["eta"] = fit.eta, Rcpp::_["vcov"] = fit.covariance,
      Rcpp::_["discrepancy"] = fit.discrepancy, Rcpp::_["decrement"] = fit.decrement,
      Rcpp::_["status"] = static_cast<int>(fit.status), Rcpp::_["identified"] = fit.identified,
      Rcpp::_["starts"] = fit.starts,
      Rcpp::_["history"] = List::create(Rcpp::_["method"] = method, Rcpp::_["chisq"] = chisq,
                                        Rcpp::_["decrement"] = decrement, Rcpp::_["damping"] = damping));
}

// [[Rcpp::export]]
List core_evaluate(const List& layout, const List& sample, const Eigen::VectorXd& theta) {
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

// [[Rcpp::export]]
List core_implied(const List& layout, const Eigen::VectorXd& eta) {
  const std::vector<oz::Implied> all = oz::implied(model_from(layout), eta);
  List out(all.size());
  for (size_t g = 0; g < all.size(); ++g)
    out[g] = List::create(Rcpp::_["effects"] = all[g].effects, Rcpp::_["residual"] = all[g].residual,
                          Rcpp::_["intercepts"] = all[g].intercepts, Rcpp::_["total"] = all[g].total,
                          Rcpp::_["covariance"] = all[g].covariance, Rcpp::_["mean"] = all[g].mean);
  return out;
}

// [[Rcpp::export]]
List core_standardize(const List& layout, const Eigen::VectorXd& eta) {
  const oz::Standardized s = oz::standardize(model_from(layout), eta);
  return List::create(Rcpp::_["value"] = s.value, Rcpp::_["jacobian"] = s.jacobian,
                      Rcpp::_["variances"] = s.variances, Rcpp::_["variance_jacobians"] = s.variance_jacobians);
}

// [[Rcpp::export]]
List core_local_rank(const List& layout, const List& sample) {
  const oz::Rank rank = oz::local_rank(model_from(layout), sample_from(sample), oz::Settings());
  return List::create(Rcpp::_["rank"] = rank.rank, Rcpp::_["parameters"] = rank.parameters,
                      Rcpp::_["eigenvalues"] = rank.eigenvalues, Rcpp::_["null_vectors"] = rank.null_vectors);
}
