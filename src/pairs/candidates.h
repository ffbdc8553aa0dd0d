#pragma once
// The verdict about a pair, and new pairs.
#include "pairs/broad_phase.h"
#include "pairs/pair_table.h"

namespace colvik::world {

// The verdict about two colliders, by their classes, their families and what is excepted.
template <int D>
Verdict verdict_of(Store<D>& store, const ColliderState<D>& a, const ColliderState<D>& b);

// Of what overlaps what is not known yet and may meet. Looked up in the order of the pairs, so that
// it is a walk.
template <int D>
void add_pairs(Store<D>& store, BroadPhase<D>& broad, PairTable<D>& pairs);

}  // namespace colvik::world
