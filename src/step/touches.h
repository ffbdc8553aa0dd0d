#pragma once
// From touching pairs of colliders to touches of objects, and from touches to events.
#include "pairs/model.h"

namespace colvik::world {

template <int D>
void make_touches(Store<D>& store, PairTable<D>& pairs, Touches<D>& touches);

template <int D>
void make_events(Store<D>& store, Touches<D>& touches, const Sleepers<D>& sleepers, bool run_over);

}  // namespace colvik::world
