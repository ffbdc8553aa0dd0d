#pragma once
/// Random numbers that are the same in each run and on every machine.

#include <cstdint>

namespace colvik {

/// The nth random number of a seed: uniform from -1 up to, but not including, 1. No state; O(1).
[[nodiscard]] double chance(std::uint64_t seed, std::uint64_t n);

}  // namespace colvik
