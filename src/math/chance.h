#pragma once
// Numbers by chance that are the same in each run and on every machine.
#include "math/hash.h"

namespace colvik::math {

/// The nth number of a seed: from -1 up to 1.
inline double chance(std::uint64_t seed, std::uint64_t n) {
  Hasher h;
  h.add(seed), h.add(n);
  return static_cast<double>(h.value() >> 11) * 0x1p-52 - 1;
}

}  // namespace colvik::math
