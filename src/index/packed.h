#pragma once
// The slots of a node that were hit, packed.
#include <array>
#include <cstdint>

#include "index/slots.h"

namespace colvik::index {

/// For each set of slots their numbers, one after the other.
struct Packed {
  std::array<std::array<std::uint8_t, kWidth>, 1 << kWidth> slots{};
  constexpr Packed() {
    for (unsigned bits = 0; bits < slots.size(); ++bits)
      for (unsigned i = 0, k = 0; i < kWidth; ++i)
        if ((bits >> i & 1U) != 0) slots[bits][k++] = static_cast<std::uint8_t>(i);
  }
};
inline constexpr Packed kPacked;

}  // namespace colvik::index
