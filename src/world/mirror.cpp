// Objects that turn round to face the other way.
#include <fmt/format.h>

#include "world/impl.h"

namespace colvik {

using world::ObjectState;

namespace {

template <int D>
Vec<D> across(Vec<D> v) {
  v[0] = -v[0];
  return v;
}
template <int D>
Pose<D> across(const Pose<D>& pose) {
  return {across<D>(pose.position), mirrored(pose.rotation)};
}

}  // namespace

// Of one object, in its own frame; its family and its pairs are seen to by the caller. A shape for one side only stays.
template <int D>
void World<D>::Impl::mirror(ObjectState<D>& o) {
  for (std::size_t i = 0; i < o.shown.colliders.size(); ++i) {
    ColliderDef<D>& c = o.shown.colliders[i].def;
    if (Result<Shape<D>> shape = mirrored(c.shape)) c.shape = std::move(shape).value();
    if (i < o.first_shapes.size())
      if (Result<Shape<D>> shape = mirrored(o.first_shapes[i])) o.first_shapes[i] = std::move(shape).value();
    c.at = across<D>(c.at);
    c.turned = mirrored(c.turned);
    c.surface_velocity = across<D>(c.surface_velocity), c.one_way = across<D>(c.one_way);
    world::know(colliders[o.colliders[i]], c);
    colliders[o.colliders[i]].anew = true;
    look(o.colliders[i]);
  }
  for (Spot<D>& s : o.shown.spots) s.pose = across<D>(s.pose);
  for (Drawing<D>& d : o.shown.drawings) d.at = across<D>(d.at);
  if (o.given_mass_centre) o.given_mass_centre = across<D>(*o.given_mass_centre);
  o.shown.mirrored = !o.shown.mirrored;
}

template <int D>
void World<D>::Impl::set_mirrored(ObjectState<D>& o, bool on) {
  if (o.shown.mirrored == on) return;
  disturb(o);
  ObjectState<D>& root = objects[o.root];
  const Vec<D> centre = root.shown.pose * root.shown.mass_centre;
  for_family(o, [&](ObjectState<D>& member) {
    mirror(member);
    if (&member != &o) member.shown.on_parent = across<D>(member.shown.on_parent);
    member.changes.switched = something_changed = true;
  });
  set_root(o);
  if (root.shown.body == BodyKind::dynamic) {
    set_mass(root);
    root.shown.velocity += cross(root.shown.spin, Vec<D>(root.shown.pose * root.shown.mass_centre - centre));
  }
  set_size(root);
  place_family(o);
}

template <int D>
Result<void> World<D>::set_mirrored(ObjectId id, bool on) {
  ObjectState<D>* o = impl_->state(id);
  if (o == nullptr) return Error{"object", "is not there", "a live object"};
  Result<void> good;
  impl_->for_family(*o, [&](const ObjectState<D>& member) {
    for (const Collider<D>& c : member.shown.colliders)
      if (const Result<Shape<D>> shape = mirrored(c.def.shape); !shape && good)
        good = Error{fmt::format("object '{}' collider {}", member.shown.name, shape.error().where), shape.error().what,
                     shape.error().accepted};
  });
  if (good) impl_->change(id, [this, on](ObjectState<D>& now) { impl_->set_mirrored(now, on); });
  return good;
}

template struct World<2>::Impl;
template struct World<3>::Impl;
template Result<void> World<2>::set_mirrored(ObjectId, bool);
template Result<void> World<3>::set_mirrored(ObjectId, bool);

}  // namespace colvik
