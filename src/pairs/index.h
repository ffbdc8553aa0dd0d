#pragma once
// Keeps the index in step with the objects.
#include "pairs/broad_phase.h"
#include "pairs/walkers.h"

namespace colvik::world {

// Costs what can move and what was changed; still objects are not visited.
template <int D>
void update_index(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers);

template <int D>
void remove_from_index(Store<D>& store, BroadPhase<D>& broad, std::uint32_t at);

// Where its parent, or it, was put: it and all below are there too.
template <int D>
void place_family(Store<D>& store, BroadPhase<D>& broad, ObjectState<D>& o);

// Before a query: updates the index if something moved or changed since.
template <int D>
void refresh_index(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers) {
  if (broad.stale) update_index(store, broad, walkers);
}

}  // namespace colvik::world
