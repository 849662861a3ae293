#include "block.hpp"

namespace orizzonte {

double total_n(const Sample& sample) {
  double n = 0;
  for (const Block& block : sample) n += block.n;
  return n;
}

Sample of_group(const Sample& sample, int g) {
  Sample out;
  out.push_back(sample[g]);
  out[0].group = 0;
  for (const Block& pattern : sample.patterns) {
    if (pattern.group != g) continue;
    out.patterns.push_back(pattern);
    out.patterns.back().group = 0;
  }
  return out;
}

}  // namespace orizzonte
