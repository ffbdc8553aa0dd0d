#include <colvik/chance.hpp>

#include "math/hash.h"

namespace colvik {

double chance(std::uint64_t seed, std::uint64_t n) {
  math::Hasher h;
  h.add(seed);
  h.add(n);
  return static_cast<double>(h.value() >> 11) * 0x1p-52 - 1;
}

}  // namespace colvik
