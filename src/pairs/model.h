#pragma once
// The state of a world: all that a snapshot saves. Stages of a step that read only some of it take
// those stores alone.
#include "pairs/broad_phase.h"
#include "pairs/pair_table.h"
#include "pairs/touches.h"
#include "pairs/walkers.h"
#include "store/store.h"

namespace colvik::world {

// Sleepers lie in groups: what fell asleep together wakes together.
template <int D>
struct Sleepers {
  std::vector<SleepGroup<D>> groups;  // empty ones are free
  SleepGroup<D> between;              // pairs and touches of sleepers of different groups
  std::size_t count = 0;              // objects
  std::vector<std::uint32_t> parents;
  std::vector<std::uint32_t> roots;  // scratch space: of bodies, when some may sleep
};

template <int D>
struct Model {
  Store<D> store;
  BroadPhase<D> broad;
  PairTable<D> pairs;
  Touches<D> touches;
  Sleepers<D> sleepers;
  Walkers<D> walkers;
};

}  // namespace colvik::world
