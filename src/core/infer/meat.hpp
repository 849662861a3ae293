// Sums over single cases, or over clusters of them, that robust inference is made of.
#pragma once
#include "../objective/objective.hpp"
#include "../solve/control.hpp"

namespace orizzonte {

constexpr int case_chunk = 1024;  // cases handled at a time

// C / (C - 1) for C clusters over all groups; 1 without clusters.
double cluster_factor(const std::vector<Cases>& cases);

// Weighted rows, one a case, summed within clusters: the sum of squares about their mean.
class SquareSum {
 public:
  // `diagonal`: only the squares of each column are wanted.
  SquareSum(const Cases& cases, int width, bool diagonal = false);
  void add(int first, const Matrix& rows);  // of the cases from `first` on
  Matrix total() const;  // sum over units of d d', d = sum of w (row - weighted mean); its diagonal
                         // as a column when only that is wanted

 private:
  const Cases& cases_;
  const bool diagonal_;
  Matrix square_;              // without clusters: sum of w^2 r r'
  Vector weighted_, squared_;  // sums of w r and of w^2 r
  double weight_ = 0, weight_squared_ = 0;
  Matrix sums_;  // by cluster: sums of w r
  Vector cluster_weight_;
};

// Scores by the parameters, and beside them whatever else is wanted of a case.
using CaseRows = std::function<void(int g, const Matrix& values, Matrix& rows)>;

// The sum of squares of such rows over all groups, centred within each.
Matrix sum_of_squares(const std::vector<Cases>& cases, int width, const CaseRows& rows,
                      const StopToken& stop, bool diagonal = false);

// The meat of the sandwich: of the scores by the parameters (White 1982; with clusters, Liang &
// Zeger 1986).
Matrix meat(Objective& problem, const std::vector<Cases>& cases, About about,
            const StopToken& stop);

}  // namespace orizzonte
