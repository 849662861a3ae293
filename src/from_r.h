// From R to the core. Input from R is checked here: a tampered fit ends in an R error of class
// orizzonte_error_object.
#pragma once
#include <RcppEigen.h>

#include <memory>

#include "core/infer/profile.hpp"
#include "core/infer/saturated_information.hpp"
#include "core/many/drawn.hpp"
#include "core/many/resampled.hpp"
#include "core/moments/cases.hpp"
#include "core/solve/rescale.hpp"

namespace oz = orizzonte;

using UnseenPairs = oz::Sequence<std::pair<int, int>>;  // of variables, by number from 0

[[noreturn]] void refuse(const std::string& why);
void require(bool holds, const char* why);
void check_length(const Eigen::VectorXd& x, int size);
// Numbers in R start at 1; 0 is none, where that is allowed.
int index_within(int value, int size, bool none = false);
Rcpp::IntegerVector numbers_in_r(const oz::Sequence<int>& numbers);

oz::Model model_from(SEXP model);
oz::Expression expression_from(SEXP tape, int inputs);
oz::Sample sample_from(SEXP groups, const oz::Model& model);
oz::Sequence<oz::Block> patterns_from(SEXP from, int group, int size);
// The cases behind the sample, by group; NULL is none.
oz::Sequence<oz::Cases> cases_from(SEXP groups, const oz::Model& model);
// The source of samples of a model, in the units of its variables: cases or a population.
std::unique_ptr<oz::Source> source_from(SEXP source, const oz::Model& model,
                                        const oz::Sequence<oz::Vector>& unit);
oz::Sequence<UnseenPairs> unseen_from(SEXP groups, const oz::Model& model);
oz::Sequence<oz::SaturatedInformation> saturated_from(const Rcpp::List& groups,
                                                      const oz::Sequence<UnseenPairs>& unseen,
                                                      const oz::Model& model);
oz::MeanCovariances mean_covariances_from(const Rcpp::List& cross, const Rcpp::List& means,
                                          int parameters, const oz::Model& model);
