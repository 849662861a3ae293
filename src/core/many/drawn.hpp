// Cases drawn from a population: Monte Carlo and the parametric bootstrap.
#pragma once
#include "source.hpp"

namespace orizzonte {

// One group: x = mean + sd y, y standard normal with a given root of its correlations, or a cubic
// of that (Fleishman 1978; Vale & Maurelli 1983).
struct Population {
  int cases = 0;
  Vector mean, sd;
  Matrix root;             // lower triangular, of the correlations of the normal variables
  Matrix cubic;            // variables x (b, c, d); no rows: normal
  Sequence<int> clusters;  // the size of each; empty: independent cases
  double between = 0;      // share of every variance and covariance that lies between clusters
  Matrix missing;          // cases x variables, not zero where nothing is seen; no rows: none
  // A value is missing with probability 1 / (1 + exp(-(odds + slope y))), y the standardized value
  // of the variable `given`; never missing without odds.
  Vector odds, slope;
  int given = -1;
  Sequence<int> kept;  // the variables that are given, in this order; none: all
};

class Drawn : public Source {
 public:
  // Units of the variables by group, in which samples are returned; empty: those of the population.
  Drawn(Sequence<Population> groups, int less, const Sequence<Vector>& unit = {});
  bool draw(std::uint64_t seed, int replicate, Sample& out) override;
  // The cases themselves, by group, NaN where a value is missing.
  Sequence<Matrix> values(std::uint64_t seed, int replicate) const;

 private:
  Sequence<Population> groups_;
  Sequence<int> sizes_;
  Sequence<Vector> unit_;
  int less_;
};

}  // namespace orizzonte
