#pragma once
// Walkers come and go.
#include "pairs/walkers.h"
#include "store/store.h"

namespace colvik::world {

template <int D>
[[nodiscard]] Result<void> compile_walker_queries(const Store<D>& store, WalkerState<D>& state,
                                                  const Walker<D>& walker);

template <int D>
void add_walker(Walkers<D>& walkers, ObjectState<D>& o, WalkerState<D> walker);

// It leaves the ground with that velocity, whatever carried it.
template <int D>
void launch_walker(Store<D>& store, Walkers<D>& walkers, ObjectState<D>& o, const Vec<D>& velocity);

// Where it is, and it no longer wants to go anywhere.
template <int D>
void stop_walker(Walkers<D>& walkers, ObjectState<D>& o);

}  // namespace colvik::world
