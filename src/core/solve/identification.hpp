// Local identification of the parameters near a point (Rothenberg 1971).
#pragma once
#include "../objective/objective.hpp"
#include "../random.hpp"
#include "control.hpp"

namespace orizzonte {

// Full rank of the Jacobi-scaled expected information, with the rows of the equalities added.
bool full_rank(Objective& problem, const Vector& theta);

// The rank at the point or, if it is singular there, at a random admissible point nearby.
bool identified_near(Objective& problem, const Vector& theta, Random& random,
                     const StopToken& stop);

// Local rank at the start and at random admissible points. Keeps the point with the highest rank.
struct Rank {
  int rank = 0;
  int parameters = 0;
  Vector eigenvalues;   // ascending
  Matrix null_vectors;  // columns, in units of the caller's parameters scaled to unit information
};
Rank local_rank(const Model& model, const Sample& sample, const Settings& settings);

}  // namespace orizzonte
