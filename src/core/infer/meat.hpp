// Sums over single cases or clusters, the basis of robust inference.
#pragma once
#include <algorithm>

#include "../objective/normal_theory.hpp"
#include "../solve/control.hpp"
#include "../solve/rescale.hpp"

namespace orizzonte {

// A model at a point with the cases behind its sample, all in units of about one.
struct CaseProblem {
  CaseProblem(const Model& model, const Sample& sample, const Vector& theta,
              const Sequence<Cases>& given)
      : scaled(rescale(model, sample)),
        cases(scaled.inward(given)),
        problem(scaled.model, scaled.sample),
        at(scaled.inward(theta)),
        admissible(problem.move_to(at)) {}
  Rescaled scaled;
  Sequence<Cases> cases;
  NormalTheory problem;
  Vector at;
  bool admissible;
};

constexpr int case_chunk = 1024;  // cases handled at a time

// handle(number of the first, their values) for all cases of a group, some at a time.
template <class Handle>
void for_chunks(const Cases& cases, const StopToken& stop, Handle&& handle) {
  const int n = to_int(cases.values.rows());
  for (int first = 0; first < n && !stop.stopped(); first += case_chunk)
    handle(first, Matrix(cases.values.middleRows(first, std::min(case_chunk, n - first))));
}

// C / (C - 1) for C clusters over all groups; 1 without clusters.
double cluster_factor(const Sequence<Cases>& cases);

// Weighted rows, one for each case, summed within clusters: the sum of squares about their mean.
class SquareSum {
 public:
  // `diagonal`: only the squares of each column are wanted.
  SquareSum(const Cases& cases, int width, bool diagonal = false);
  void add(int first, const Matrix& rows);  // of the cases from `first` on
  Matrix centred() const;                   // with clusters: their sums of w (row - weighted mean)
  Matrix total() const;  // sum over units of d d', d = sum of w (row - weighted mean); its diagonal
                         // as a column when only the diagonal is wanted

 private:
  const Cases& cases_;
  const bool diagonal_;
  Matrix square_;              // without clusters: sum of w^2 r r'
  Vector weighted_, squared_;  // sums of w r and of w^2 r
  double weight_ = 0, weight_squared_ = 0;
  Matrix sums_;  // by cluster: sums of w r
  Vector cluster_weight_;
};

// Rows of the cases of a group as rows of its units: weighted, centred at their weighted mean,
// summed within clusters.
Matrix unit_rows(const Cases& cases, Matrix rows);

// Scores with respect to the parameters, and further quantities of each case on request.
using CaseRows = std::function<void(int g, const Matrix& values, Matrix& rows)>;

// The sum of squares of such rows over all groups, centred within each.
Matrix sum_of_squares(const Sequence<Cases>& cases, int width, const CaseRows& rows,
                      const StopToken& stop, bool diagonal = false);

// The meat of the sandwich: of the scores by the parameters (White 1982; with clusters, Liang &
// Zeger 1986).
Matrix meat(Objective& problem, const Sequence<Cases>& cases, About about, const StopToken& stop);

}  // namespace orizzonte
