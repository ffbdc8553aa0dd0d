#pragma once
// One-way surfaces.
#include "contact/collide.h"
#include "pairs/pair.h"
#include "store/store.h"

namespace colvik::world {

// Whether the other one is on the open side of a one-way collider, past its whole surface.
template <int D>
[[nodiscard]] bool is_clear_of_one_way(const Store<D>& store, const Pair<D>& p,
                                       const AnyPlace<D>& at_a, const AnyPlace<D>& at_b);

// One-way surfaces hold what was clear of them when it came, and then until it leaves: the others
// are taken out of those manifolds.
template <int D>
void apply_one_way(const Store<D>& store, Pair<D>& p, const Place<D>& at_a, const Place<D>& at_b,
                   std::vector<contact::Manifold<D>>& among);

}  // namespace colvik::world
