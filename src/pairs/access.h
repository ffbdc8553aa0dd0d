#pragma once
// Questions about a pair.
#include "contact/collide.h"
#include "contact/core.h"
#include "pairs/model.h"
#include "store/access.h"

namespace colvik::world {

template <int D>
COLVIK_FETCHES void prefetch_pair(const Store<D>& store, const Pair<D>& p) {
  for (const std::uint32_t slot : {p.object_a, p.object_b}) {
    math::fetch(&store.briefs[slot], 1);
    prefetch_object(store, slot);
  }
  for (const std::uint32_t at : {p.a, p.b})
    math::fetch(&store.colliders[at], sizeof(ColliderState<D>));
}

template <int D>
[[nodiscard]] Displacement<D> displacement_so_far(const Store<D>& store, const Pair<D>& p) {
  const Brief<D>& a = store.briefs[p.object_a];
  const Brief<D>& b = store.briefs[p.object_b];
  return {a.travelled - b.travelled, a.turned + b.turned};
}

// For a query with the limit `beyond`.
template <int D>
[[nodiscard]] Slab<D> separating_slab(const Store<D>& store, const Pair<D>& p,
                                      const Rotation<D>& of_a,
                                      const contact::Separation<D>& separation, double beyond,
                                      const Displacement<D>& until) {
  const ColliderState<D>& a = store.colliders[p.a];
  const ColliderState<D>& b = store.colliders[p.b];
  if (!is_convex(a.shape) || !is_convex(b.shape))
    return {std::min(separation.gap, beyond), kZero, until};
  return {separation.gap, of_a * Vec<D>(a.own.rotation * separation.normal), until};
}

template <int D>
[[nodiscard]] bool has_one_way(const Store<D>& store, const Pair<D>& p) {
  return store.colliders[p.a].one_way || store.colliders[p.b].one_way;
}

// Whether one is a surface with an outside and a back, and the other may touch it.
template <int D>
[[nodiscard]] bool has_back(const Store<D>& store, const Pair<D>& p) {
  return p.channel == Channel::solid &&
         (store.colliders[p.a].backed || store.colliders[p.b].backed);
}

template <int D>
[[nodiscard]] bool has_walker(const Store<D>& store, const Walkers<D>& walkers, const Pair<D>& p) {
  return !walkers.list.empty() &&
         (store.objects[p.object_a].walker >= 0 || store.objects[p.object_b].walker >= 0);
}

// Whether one is a zone with a field.
template <int D>
[[nodiscard]] bool has_field(const Store<D>& store, const Pair<D>& p) {
  return store.has_fields && p.channel == Channel::zone &&
         (definition_of(store, store.colliders[p.a]).field ||
          definition_of(store, store.colliders[p.b]).field);
}

template <int D>
[[nodiscard]] bool pair_rests(const Store<D>& store, const Sleepers<D>& sleepers,
                              const Pair<D>& p) {
  return sleepers.count > 0 && (is_resting(store, p.a) || is_resting(store, p.b));
}

}  // namespace colvik::world
