#include "change/mirror.h"

#include "pairs/index.h"
#include "sleep/sleep.h"
#include "store/access.h"
#include "store/families.h"
#include "store/mass.h"
#include "store/objects.h"

namespace colvik::world {

namespace {

template <int D>
Vec<D> across(Vec<D> v) {
  v[0] = -v[0];
  return v;
}

}  // namespace

template <int D>
Pose<D> across(const Pose<D>& pose) {
  return {across<D>(pose.position), mirrored(pose.rotation)};
}

template <int D>
void mirror_object(Store<D>& store, BroadPhase<D>& broad, ObjectState<D>& o) {
  for (std::size_t i = 0; i < o.shown.colliders.size(); ++i) {
    ColliderDef<D>& c = o.shown.colliders[i].def;
    if (Result<Shape<D>> shape = mirrored(c.shape)) c.shape = std::move(shape).value();
    if (i < o.first_shapes.size())
      if (Result<Shape<D>> shape = mirrored(o.first_shapes[i]))
        o.first_shapes[i] = std::move(shape).value();
    c.at = across<D>(c.at);
    c.turned = mirrored(c.turned);
    c.surface_velocity = across<D>(c.surface_velocity);
    c.one_way = across<D>(c.one_way);
    know(store.colliders[o.colliders[i]], c);
    store.colliders[o.colliders[i]].remade = true;
    mark_dirty(store, broad, o.colliders[i]);
  }
  for (Spot<D>& s : o.shown.spots) s.pose = across<D>(s.pose);
  for (Drawing<D>& d : o.shown.drawings) d.at = across<D>(d.at);
  if (o.given_mass_centre) o.given_mass_centre = across<D>(*o.given_mass_centre);
  o.shown.mirrored = !o.shown.mirrored;
}

template <int D>
void turn_round(Model<D>& model, ObjectState<D>& o, bool on) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  if (o.shown.mirrored == on) return;
  disturb(model, o);
  ObjectState<D>& root = store.objects[o.root];
  const Vec<D> centre = root.shown.pose * root.shown.mass_centre;
  for_family(store, o, [&](ObjectState<D>& member) {
    mirror_object(store, broad, member);
    if (&member != &o) member.shown.on_parent = across<D>(member.shown.on_parent);
    member.changes.switched = store.causes_noted = true;
  });
  update_root(store, o);
  update_mass_and_velocity(store, root, centre);
  place_family(store, broad, o);
}

template Pose<2> across(const Pose<2>& pose);
template Pose<3> across(const Pose<3>& pose);
template void mirror_object(Store<2>& store, BroadPhase<2>& broad, ObjectState<2>& o);
template void mirror_object(Store<3>& store, BroadPhase<3>& broad, ObjectState<3>& o);
template void turn_round(Model<2>& model, ObjectState<2>& o, bool on);
template void turn_round(Model<3>& model, ObjectState<3>& o, bool on);

}  // namespace colvik::world
