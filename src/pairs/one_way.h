#pragma once
// One-way surfaces.
#include "contact/collide.h"
#include "pairs/pair.h"
#include "store/store.h"

namespace colvik::world {

// Whether the other one is on the open side of a one-way collider, beyond its whole surface.
template <int D>
[[nodiscard]] bool is_clear_of_one_way(const Store<D>& store, const Pair<D>& p,
                                       const AnyPlace<D>& at_a, const AnyPlace<D>& at_b);

// A one-way surface is solid for those that were clear of it when they arrived, until they leave:
// the others are taken out of those manifolds.
template <int D>
void apply_one_way(const Store<D>& store, Pair<D>& p, const Place<D>& at_a, const Place<D>& at_b,
                   std::vector<contact::Manifold<D>>& among);

}  // namespace colvik::world
