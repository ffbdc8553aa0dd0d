#pragma once
// Touches of single colliders.
#include "pairs/model.h"

namespace colvik::world {

// Its contact points are those of the pair's contacts in the last step.
template <int D>
[[nodiscard]] ColliderTouch<D> collider_touch(const Store<D>& store, const Pair<D>& p, bool turned);

template <int D>
[[nodiscard]] std::vector<RequestedTouch<D>> requested_pairs(const Store<D>& store,
                                                             const PairTable<D>& pairs,
                                                             const Touches<D>& touches,
                                                             const Sleepers<D>& sleepers);

// Which subscribed pairs touch now and did not before, and the reverse.
template <int D>
void make_pair_events(Store<D>& store, PairTable<D>& pairs, Touches<D>& touches,
                      Sleepers<D>& sleepers);

}  // namespace colvik::world
