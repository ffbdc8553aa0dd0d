#pragma once
// Touches of objects, and the events made of them.
#include <utility>
#include <vector>

#include "pairs/pair.h"

namespace colvik::world {

template <int D>
struct Touches {
  math::Many<Touch<D>> now;
  math::Many<Touch<D>> before;  // by key; those of sleepers are with them
  std::vector<Ended> ended;     // pairs that let go in this step, by key
  std::vector<Parted> parting;
  std::vector<Parted> lately;    // in this step, and before it while a visit may go on; by key
  std::vector<Parted> spare;     // scratch space of merging
  std::vector<Event<D>> events;  // of the last step
  std::vector<std::pair<TagQuery, TagQuery>> during;  // who subscribed to `during`
  std::vector<std::pair<TagQuery, TagQuery>>
      pair_asks;                                // who subscribed to events of single colliders
  std::vector<RequestedTouch<D>> pair_touches;  // of those, by key
  std::vector<PairEvent<D>> pair_events;        // of the last step
};

}  // namespace colvik::world
