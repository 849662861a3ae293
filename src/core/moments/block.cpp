#include "block.hpp"

namespace orizzonte {

double total_n(const Sample& sample) {
  double n = 0;
  for (const Block& block : sample) n += block.n;
  return n;
}

}  // namespace orizzonte
