// Cases drawn with replacement: the bootstrap (Efron 1979); or all but some left out, one
// part after the other: the jackknife (Tukey 1958).
#pragma once
#include "../moments/cases.hpp"
#include "source.hpp"

namespace orizzonte {

// Within groups; whole clusters where there are any. Weights stay with their cases. With `parts`,
// the number of each case's part by group, replicate r consists of all cases except those of part
// r.
class Resampled : public Source {
 public:
  Resampled(const Sequence<Cases>& cases, int less, Sequence<Sequence<int>> parts = {});
  bool draw(std::uint64_t seed, int replicate, Sample& out) override;
  // The cases of a replicate by group, by number from 0, in the order in which they are drawn.
  Sequence<Sequence<int>> rows(std::uint64_t seed, int replicate) const;

 private:
  struct Pattern {
    Sequence<int> rows, variables;
    Matrix off;  // variables x cases, less the group's means
  };
  struct Group {
    Sequence<Pattern> patterns;
    Sequence<Sequence<int>> clusters;  // rows of each; empty: each case on its own
    Vector centre, weight;
    int cases = 0;
  };
  Block block_of(const Group& group, const Pattern& pattern, const Vector& times) const;

  int less_;
  Sequence<Group> groups_;
  Sequence<int> sizes_;
  Sequence<Sequence<int>> parts_;
  bool shared_ = false;  // clusters lie in several groups
  Sample near_;          // saturated moments of the cases themselves, where values are missing
};

}  // namespace orizzonte
