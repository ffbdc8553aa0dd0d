#pragma once
// One-way surfaces.
#include "contact/collide.h"
#include "pairs/pair.h"
#include "store/store.h"

namespace colvik::world {

// Where two that a one-way surface is between are at some moment within the step.
template <int D>
struct Crossing {
  Place<D> at_a;
  Place<D> at_b;
  double gap = 0;
  Vec<D> velocity = kZero;  // of b as seen from a, with what accelerates them until the step's end
};

// A one-way surface is solid for those that meet it from its open side, beyond the whole of it,
// until they leave. The others pass, until they are clear of it and do not part from it, or it is
// out of reach. Keeps that in the pair (`standing`, `passing`).
template <int D>
[[nodiscard]] bool holds_one_way(const Store<D>& store, Pair<D>& p, const Crossing<D>& now);

// A surface with an outside lets pass what meets its back, until that is out of reach: what is
// nearer than `margin` and has no contacts with it. Keeps that in the pair (`passing`).
template <int D>
void see_from_behind(const Store<D>& store, Pair<D>& p, const AnyPlace<D>& at_a,
                     const AnyPlace<D>& at_b, double margin, bool has_contacts);

// The same at given places, for two that have no contacts at hand; `spare` is overwritten.
template <int D>
void look_from_behind(const Store<D>& store, Pair<D>& p, const AnyPlace<D>& at_a,
                      const AnyPlace<D>& at_b, double margin,
                      std::vector<contact::Manifold<D>>& spare);

// The same for contacts; those of surfaces that do not hold are taken out. `now` lacks its gap.
template <int D>
void apply_one_way(const Store<D>& store, Pair<D>& p, Crossing<D> now,
                   std::vector<contact::Manifold<D>>& among);

}  // namespace colvik::world
