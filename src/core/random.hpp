// A small portable generator: the same numbers on every machine (splitmix64, Steele et al. 2014).
#pragma once
#include <cmath>
#include <cstdint>

namespace orizzonte {

class Random {
 public:
  // One stream per replicate: streams of one seed do not overlap in practice.
  explicit Random(std::uint64_t seed, std::uint64_t stream = 0)
      : state_(seed * 0x9E3779B97F4A7C15ull + stream * 0xD1B54A32D192ED03ull + 1) {}

  std::uint64_t bits() {
    std::uint64_t z = (state_ += 0x9E3779B97F4A7C15ull);
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ull;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBull;
    return z ^ (z >> 31);
  }
  double uniform() { return (static_cast<double>(bits() >> 11) + 0.5) * 0x1.0p-53; }
  double normal() {  // Box & Muller (1958)
    const double radius = std::sqrt(-2 * std::log(uniform()));
    return radius * std::cos(6.283185307179586 * uniform());
  }

 private:
  std::uint64_t state_;
};

}  // namespace orizzonte
