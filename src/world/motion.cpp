// Public calls that place and move objects.
#include <cmath>

#include "pairs/index.h"
#include "store/families.h"
#include "store/mass.h"
#include "world/impl.h"

namespace colvik {

template <int D>
bool World<D>::place(ObjectId id, const Pose<D>& pose) {
  if (!world::is_usable(pose, impl_->store.settings.metre)) return false;
  return impl_->change(id, [this, pose](world::ObjectState<D>& o) {
    world::disturb(*impl_, o);
    if (o.parent != world::kAlone) {
      o.shown.on_parent = impl_->store.objects[o.parent].shown.pose.relative(pose);
      world::update_root(impl_->store, o);
      world::ObjectState<D>& root = impl_->store.objects[o.root];
      if (root.shown.body == BodyKind::dynamic) world::update_mass(impl_->store, root);
      world::update_size(impl_->store, root);
    } else {
      world::move_object(impl_->store, o, pose);
    }
    o.target.reset();
    world::for_family(impl_->store, o,
                      [&](world::ObjectState<D>& member) { member.changes.teleported = true; });
    impl_->store.causes_noted = true;
    world::place_family(impl_->store, impl_->broad, o);
  });
}

template <int D>
bool World<D>::move_to(ObjectId id, const Pose<D>& pose) {
  if (!world::is_usable(pose, impl_->store.settings.metre)) return false;
  if (alive(id) && (object(id).body != BodyKind::kinematic || object(id).parent)) return false;
  return impl_->change(id, [this, pose](world::ObjectState<D>& o) {
    if (o.resting != world::kAwake) world::wake_groups(*impl_, std::array{o.resting});
    o.target = pose;
  });
}

template <int D>
bool World<D>::set_velocity(ObjectId id, const Vec<D>& velocity, const Spin<D>& spin) {
  if (!world::within(velocity, world::kFastest * impl_->store.settings.metre) ||
      !world::within(spin, world::kFastest))
    return false;
  if (alive(id) && (object(id).body == BodyKind::fixed || object(id).parent)) return false;
  return impl_->change(id, [this, velocity, spin](world::ObjectState<D>& o) {
    // Resting objects wake when their supports move, not by a report that these stand.
    if (o.shown.body == BodyKind::dynamic) world::disturb(*impl_, o);
    else if (o.resting != world::kAwake && !(velocity.isZero(0) && spin.isZero(0)))
      world::wake_groups(*impl_, std::array{o.resting});
    o.shown.velocity = velocity;
    o.shown.spin = spin;
    if (o.walker >= 0) world::launch_walker(impl_->store, impl_->walkers, o, velocity);
  });
}

template <int D>
bool World<D>::stop(ObjectId id) {
  return impl_->change(id, [this](world::ObjectState<D>& o) {
    o.shown.velocity.setZero();
    o.shown.spin.setZero();
    o.shown.motion = std::monostate{};
    o.target.reset();
    if (o.walker >= 0) world::stop_walker(impl_->walkers, o);
  });
}

template <int D>
bool World<D>::set_motion(ObjectId id, const Motion<D>& motion) {
  if (!check_motion(motion, impl_->store.settings.metre)) return false;
  if (alive(id) && object(id).body != BodyKind::kinematic) return false;
  return impl_->change(id, [this, motion](world::ObjectState<D>& o) {
    if (o.resting != world::kAwake) world::wake_groups(*impl_, std::array{o.resting});
    o.shown.motion = motion;
  });
}

template <int D>
bool World<D>::set_gravity_scale(ObjectId id, double scale) {
  if (!(std::abs(scale) <= 1e6)) return false;
  return impl_->change(id, [this, scale](world::ObjectState<D>& o) {
    world::disturb(*impl_, o);
    o.shown.gravity_scale = scale;
  });
}

template bool World<2>::place(ObjectId id, const Pose<2>& pose);
template bool World<3>::place(ObjectId id, const Pose<3>& pose);
template bool World<2>::move_to(ObjectId id, const Pose<2>& pose);
template bool World<3>::move_to(ObjectId id, const Pose<3>& pose);
template bool World<2>::set_velocity(ObjectId id, const Vec<2>& velocity, const Spin<2>& spin);
template bool World<3>::set_velocity(ObjectId id, const Vec<3>& velocity, const Spin<3>& spin);
template bool World<2>::stop(ObjectId id);
template bool World<3>::stop(ObjectId id);
template bool World<2>::set_motion(ObjectId id, const Motion<2>& motion);
template bool World<3>::set_motion(ObjectId id, const Motion<3>& motion);
template bool World<2>::set_gravity_scale(ObjectId id, double scale);
template bool World<3>::set_gravity_scale(ObjectId id, double scale);

}  // namespace colvik
