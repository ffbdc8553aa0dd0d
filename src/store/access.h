#pragma once
// Reading and visiting objects of a store.
#include <algorithm>
#include <cstddef>
#include "math/fetch.h"
#include "store/store.h"
#include "store/tolerances.h"

namespace colvik::world {

// families.cpp
template <int D, class F>
void for_family(Store<D>& store, ObjectState<D>& o, F&& act) {  // o and all below it
  act(o);
  for (const std::uint32_t child : o.children) for_family(store, store.objects[child], act);
}

// Whether it moves far for its size within the running step.
template <int D>
[[nodiscard]] bool leaps(const Store<D>& store, const ObjectState<D>& o) {
  return o.shown.body == BodyKind::dynamic &&
         o.velocity_before.norm() > o.thickness * store.settings.rate;
}

template <int D>
[[nodiscard]] double substep_time(const Store<D>& store) {
  return 1 / (store.settings.rate * store.settings.substeps);
}

template <int D>
[[nodiscard]] bool is_asleep(const Store<D>& store, std::uint32_t collider) {
  return store.objects[store.colliders[collider].object].resting != kAwake;
}

// A kinematic sleeper holds what lies on it as if it were awake; a dynamic one has no part in a
// step.
template <int D>
[[nodiscard]] bool is_resting(const Store<D>& store, std::uint32_t collider) {
  return is_asleep(store, collider) &&
         store.objects[store.colliders[collider].object].shown.body == BodyKind::dynamic;
}

template <int D>
[[nodiscard]] const ColliderDef<D>& definition_of(const Store<D>& store,
                                                  const ColliderState<D>& c) {
  return store.objects[c.object].shown.colliders[c.which].def;
}

template <int D>
[[nodiscard]] Pose<D> pose_of(const Store<D>& store, const ColliderState<D>& c) {
  return c.placed(store.objects[c.object].shown.pose);
}

// Collider b's pose in collider a's frame, with their objects at these places. The objects'
// positions are subtracted first.
template <int D>
[[nodiscard]] Pose<D> relative_pose(const ColliderState<D>& a, const AnyPlace<D>& at_a,
                                    const ColliderState<D>& b, const AnyPlace<D>& at_b) {
  Pose<D> pose = b.placed(at_a.relative(at_b));
  if (!a.plain) pose = a.own.relative(pose);
  return pose;
}

// The same with the objects where they are.
template <int D>
[[nodiscard]] Pose<D> relative_pose(const Store<D>& store, const ColliderState<D>& a,
                                    const ColliderState<D>& b) {
  return relative_pose(a, store.objects[a.object].place(), b, store.objects[b.object].place());
}

template <int D>
void set_body_index(Store<D>& store, ObjectState<D>& o, std::uint32_t body) {
  Brief<D>& brief = store.briefs[o.shown.id.slot];
  o.body = brief.body = body;
  brief.centred = false;
  brief.alone = 0;
}

// Prefetches what every step reads of an object, and of the two of a pair.
template <int D>
COLVIK_FETCHES void prefetch_object(const Store<D>& store, std::uint32_t slot) {
  const ObjectState<D>& o = store.objects[slot];
  math::fetch(&o, static_cast<std::size_t>(reinterpret_cast<const std::byte*>(&o.shown.colliders) -
                                           reinterpret_cast<const std::byte*>(&o)));
}

template <int D>
COLVIK_FETCHES void prefetch_place(const Store<D>& store, std::uint32_t slot) {
  math::fetch(&store.objects[slot].rest, 1);
  math::fetch(&store.objects[slot].shown.pose, sizeof(Pose<D>));
}

// Sorts slots of colliders by their serials: an order that does not depend on the tree.
template <int D>
void sort_by_age(const Store<D>& store, std::vector<std::uint32_t>& colliders) {
  std::sort(colliders.begin(), colliders.end(), [&](std::uint32_t x, std::uint32_t y) {
    return store.colliders[x].serial < store.colliders[y].serial;
  });
}

}  // namespace colvik::world
