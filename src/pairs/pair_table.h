#pragma once
// Pairs of colliders that may meet, in the order of their serials.
#include <vector>

#include "pairs/pair.h"
#include "pairs/patch.h"

namespace colvik::world {

template <int D>
struct PairTable {
  math::Many<Pair<D>> list;           // by (serial_a, serial_b); those of sleepers are with them
  std::vector<std::uint32_t> active;  // of the running step, in order: the others stay apart

  // While pairs are found: those that parted, new ones, and which known one each of these precedes.
  std::vector<std::uint32_t> gone;
  math::Many<Pair<D>> fresh;
  std::vector<std::uint32_t> insert_before;
  std::vector<Staying> staying;
};

}  // namespace colvik::world
