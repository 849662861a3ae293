// Sources of the samples of replicates.
#pragma once
#include "../moments/block.hpp"
#include "../random.hpp"

namespace orizzonte {

// The random numbers of one replicate depend on the seed and its number alone: replicates are the
// same in whatever order, in however many parts and on whatever machine they are made.
inline Random replicate_stream(std::uint64_t seed, int replicate) {
  return Random(Random(seed).bits() ^ 0x5851F42D4C957F2Dull,
                Random(static_cast<std::uint64_t>(replicate)).bits());
}

class Source {
 public:
  virtual ~Source() = default;
  // The sample of one replicate; false when what was drawn cannot be analysed.
  virtual bool draw(std::uint64_t seed, int replicate, Sample& out) = 0;
};

// Blocks by missing pattern of each group, of `sizes` variables, as a sample. `less` is taken off n
// and the divisor of complete data. Where values are missing the saturated moments are found by EM,
// from those in `near` when it has any. False when the moments are not positive definite or cannot
// be found.
bool sample_of_blocks(Sequence<Sequence<Block>> groups, int less, const Sample& near,
                      const Sequence<int>& sizes, Sample& out);

}  // namespace orizzonte
