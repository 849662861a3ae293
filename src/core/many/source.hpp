// Sources of the samples of replicates.
#pragma once
#include "../moments/block.hpp"
#include "../random.hpp"

namespace orizzonte {

// The random numbers of one replicate depend only on the seed and its number: replicates are the
// same in any order, in any number of parts and on any machine.
inline Random replicate_stream(std::uint64_t seed, int replicate) {
  return Random(Random(seed).bits() ^ 0x5851F42D4C957F2Dull,
                Random(static_cast<std::uint64_t>(replicate)).bits());
}

class Source {
 public:
  virtual ~Source() = default;
  // The sample of one replicate; false when the drawn sample cannot be analysed.
  virtual bool draw(std::uint64_t seed, int replicate, Sample& out) = 0;
};

// Blocks by missing pattern of each group, of `sizes` variables, as a sample. `less` is subtracted
// from n and the divisor of complete data. With missing values the saturated moments are estimated
// by EM, starting from those in `near` where it has any. False when the moments are not positive
// definite or EM fails.
bool sample_of_blocks(Sequence<Sequence<Block>> groups, int less, const Sample& near,
                      const Sequence<int>& sizes, Sample& out);

}  // namespace orizzonte
