#include "pairs/index.h"

#include <algorithm>

#include "store/access.h"
#include "store/families.h"

namespace colvik::world {

// Where a collider is, and where it may get to within this step.
template <int D>
void update_leaf(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers, std::uint32_t at) {
  const double dt = 1 / store.settings.rate;
  const double margin = kMargin * store.settings.metre;
  ColliderState<D>& c = store.colliders[at];
  const ObjectState<D>& o = store.objects[c.object];
  const Object<D>& s = o.shown;
  if (!c.live || !c.on || !s.active) return;
  const bool still_object = s.body == BodyKind::fixed;
  const Pose<D> pose = pose_of(store, c);
  Bounds<D> now = bounds(c.shape, pose);
  if (!still_object) {
    // Along its velocity, gravity added, and round its centre.
    Vec<D> travel = s.velocity * dt;
    if (s.body == BodyKind::dynamic) travel += store.settings.gravity * (s.gravity_scale * dt * dt);
    const double arm =
        std::min(o.turning_radius,
                 (pose.position - s.pose * o.shown.mass_centre).norm() + now.size().norm() / 2);
    // A fast, small object may change direction within the step.
    const double far = travel.norm();
    const bool leaps = s.body == BodyKind::dynamic && o.continuous && far > o.thickness;
    now =
        (leaps ? now.grown(far) : now.swept(travel)).grown(std::min(s.spin.norm() * dt, 2.0) * arm);
  }
  if (const std::int32_t walker = store.objects[o.root].walker; walker >= 0)
    now = now.grown(walkers.list[static_cast<std::size_t>(walker)].reach);
  index::Tree<D>& tree = still_object ? broad.still : broad.moving;
  if (c.in_tree && tree.bounds(at).contains(now.grown(margin / 2))) return;
  // Padded, so that a slow thing does not trouble the tree every step.
  const Bounds<D> padded = now.grown(still_object ? margin : margin + 0.1 * now.size().maxCoeff());
  if (c.in_tree) tree.move(at, padded);
  else tree.insert(at, padded);
  if (c.in_tree && still_object) ++broad.still_moved;
  c.in_tree = true;
  c.in_still_tree = still_object;
  mark_dirty(store, broad, at);
}

template <int D>
void update_index(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers) {
  broad.stale = false;
  for (std::size_t k = 0, n = broad.dirty.size(); k < n; ++k)
    update_leaf(store, broad, walkers, broad.dirty[k]);
  for (std::size_t i = 0; i < store.movers.size(); ++i) {
    constexpr std::size_t kObjects = 9;
    constexpr std::size_t kLists = 6;
    constexpr std::size_t kColliders = 3;  // ahead
    if (i + kObjects < store.movers.size()) prefetch_object(store, store.movers[i + kObjects]);
    if (i + kLists < store.movers.size())
      math::fetch(store.objects[store.movers[i + kLists]].colliders.data(), 1);
    if (i + kColliders < store.movers.size())
      for (const std::uint32_t at : store.objects[store.movers[i + kColliders]].colliders) {
        math::fetch(&store.colliders[at], sizeof(ColliderState<D>));
        broad.moving.fetch(at);
      }
    for (const std::uint32_t at : store.objects[store.movers[i]].colliders)
      update_leaf(store, broad, walkers, at);
  }
  broad.moving.settle();
  broad.still.settle();
}

template <int D>
void remove_from_index(Store<D>& store, BroadPhase<D>& broad, std::uint32_t at) {
  ColliderState<D>& c = store.colliders[at];
  if (!c.in_tree) return;
  (c.in_still_tree ? broad.still : broad.moving).remove(at);
  c.in_tree = false;
  mark_dirty(store, broad, at);
}

template <int D>
void place_family(Store<D>& store, BroadPhase<D>& broad, ObjectState<D>& o) {
  for_family(store, o, [&](ObjectState<D>& member) {
    follow_root(store, member);
    for (const std::uint32_t at : member.colliders) mark_dirty(store, broad, at);
  });
  broad.stale = true;
}

template void update_index(Store<2>& store, BroadPhase<2>& broad, Walkers<2>& walkers);
template void update_index(Store<3>& store, BroadPhase<3>& broad, Walkers<3>& walkers);
template void remove_from_index(Store<2>& store, BroadPhase<2>& broad, std::uint32_t at);
template void remove_from_index(Store<3>& store, BroadPhase<3>& broad, std::uint32_t at);
template void place_family(Store<2>& store, BroadPhase<2>& broad, ObjectState<2>& o);
template void place_family(Store<3>& store, BroadPhase<3>& broad, ObjectState<3>& o);

}  // namespace colvik::world
