#include "store/families.h"

#include "store/access.h"
#include "store/objects.h"

namespace colvik::world {

template <int D>
void update_root(Store<D>& store, ObjectState<D>& o) {
  if (o.parent == kAlone) {
    o.root = o.shown.id.slot;
    o.on_root = {};
  } else {
    const ObjectState<D>& parent = store.objects[o.parent];
    o.root = parent.root;
    o.on_root = parent.parent == kAlone ? o.shown.on_parent : parent.on_root * o.shown.on_parent;
  }
  o.shown.root = store.objects[o.root].shown.id;
  for (const std::uint32_t child : o.children) update_root(store, store.objects[child]);
}

template <int D>
void follow_root(Store<D>& store, ObjectState<D>& o) {
  if (o.parent == kAlone) return;
  const ObjectState<D>& root = store.objects[o.root];
  move_object(store, o, root.place() * o.on_root);
  o.shown.velocity = root.shown.velocity;
  o.shown.spin = root.shown.spin;
  o.shown.mass_centre = o.on_root.to_local(root.shown.mass_centre);
}

template <int D>
void copy_root_velocities(Store<D>& store) {
  for (const std::uint32_t slot : store.movers) {
    ObjectState<D>& o = store.objects[slot];
    if (o.parent == kAlone) continue;
    o.shown.velocity = store.objects[o.root].shown.velocity;
    o.shown.spin = store.objects[o.root].shown.spin;
  }
}

template <int D>
void follow_roots(Store<D>& store) {
  for (const std::uint32_t slot : store.movers)
    if (store.objects[slot].parent != kAlone) {
      ObjectState<D>& o = store.objects[slot];
      o.pose_before = o.shown.pose;
      o.velocity_before = o.shown.velocity;
      follow_root(store, o);
    }
}

template void update_root(Store<2>& store, ObjectState<2>& o);
template void update_root(Store<3>& store, ObjectState<3>& o);
template void follow_root(Store<2>& store, ObjectState<2>& o);
template void follow_root(Store<3>& store, ObjectState<3>& o);
template void copy_root_velocities(Store<2>& store);
template void copy_root_velocities(Store<3>& store);
template void follow_roots(Store<2>& store);
template void follow_roots(Store<3>& store);

}  // namespace colvik::world
