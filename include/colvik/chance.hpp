#pragma once
/// Random numbers that are the same in each run and on every machine.

#include <colvik/export.hpp>

#include <cstdint>

namespace colvik {

/// The nth random number of a seed: uniform from -1 up to, but not including, 1. No state; O(1).
[[nodiscard]] COLVIK_EXPORT double chance(std::uint64_t seed, std::uint64_t n);

}  // namespace colvik
