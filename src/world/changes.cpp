// Public calls that change families, facing, motion and walkers.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "change/families.h"
#include "change/mirror.h"
#include "change/pushes.h"
#include "pairs/walkers_list.h"
#include "world/impl.h"

namespace colvik {

template <int D>
bool World<D>::attach(ObjectId child, ObjectId parent, const std::optional<Pose<D>>& on_parent) {
  if (!alive(child) || !alive(parent)) return false;
  if (!world::may_ride(impl_->store, *world::find_state(impl_->store, child),
                       *world::find_state(impl_->store, parent)))
    return false;
  if (on_parent && !world::is_usable(*on_parent, impl_->store.settings.metre)) return false;
  for (std::uint32_t at = parent.slot; at != world::kAlone; at = impl_->store.objects[at].parent)
    if (at == child.slot) return false;
  return impl_->change(child, [this, parent, on_parent](world::ObjectState<D>& c) {
    world::ObjectState<D>* p = world::find_state(impl_->store, parent);
    for (std::uint32_t at = p != nullptr ? parent.slot : world::kAlone; at != world::kAlone;
         at = impl_->store.objects[at].parent)
      if (at == c.shown.id.slot) p = nullptr;  // requested meanwhile
    if (p != nullptr)
      world::attach_object(*impl_, c, *p,
                           on_parent ? *on_parent : p->shown.pose.relative(c.shown.pose));
  });
}

template <int D>
bool World<D>::detach(ObjectId child) {
  if (!alive(child) || !object(child).parent) return false;
  return impl_->change(child,
                       [this](world::ObjectState<D>& o) { world::detach_object(*impl_, o); });
}

template <int D>
std::vector<ObjectId> World<D>::children(ObjectId id) const {
  std::vector<ObjectId> ids;
  if (const world::ObjectState<D>* o = world::find_state(impl_->store, id))
    for (const std::uint32_t child : o->children)
      ids.push_back(impl_->store.objects[child].shown.id);
  return ids;
}

template <int D>
std::optional<Pose<D>> World<D>::spot(ObjectId id, std::string_view name) const {
  const world::ObjectState<D>* o = world::find_state(impl_->store, id);
  if (o == nullptr) return std::nullopt;
  if (name.empty()) return o->shown.pose;
  for (const Spot<D>& s : o->shown.spots)
    if (s.name == name) return o->shown.pose * s.pose;
  return std::nullopt;
}

// ---- exceptions ------------------------------------------------------------------------------

template <int D>
bool World<D>::except(ObjectId a, ObjectId b, const Exception& exception) {
  if (!alive(a) || !alive(b) || a == b) return false;
  if (exception.seconds && !(*exception.seconds > 0 && *exception.seconds <= 1e9)) return false;
  return impl_->change(a, [this, b, exception](world::ObjectState<D>& first) {
    world::ObjectState<D>* second = world::find_state(impl_->store, b);
    if (second == nullptr) return;
    world::except_two(*impl_, first.shown.id.slot, second->shown.id.slot, exception);
  });
}

template <int D>
Result<void> World<D>::set_mirrored(ObjectId id, bool on) {
  world::ObjectState<D>* o = world::find_state(impl_->store, id);
  if (o == nullptr) return Error{"object", "is not there", "a live object"};
  Result<void> good;
  world::for_family(impl_->store, *o, [&](const world::ObjectState<D>& member) {
    for (const Collider<D>& c : member.shown.colliders)
      if (const Result<Shape<D>> shape = mirrored(c.def.shape); !shape && good)
        good = Error{fmt::format("object '{}' collider {}", member.shown.name, shape.error().where),
                     shape.error().what, shape.error().accepted};
  });
  if (good)
    impl_->change(id,
                  [this, on](world::ObjectState<D>& now) { world::turn_round(*impl_, now, on); });
  return good;
}

template <int D>
bool World<D>::switch_motion(ObjectId id, bool on) {
  if (alive(id) && (object(id).body != BodyKind::kinematic || object(id).parent)) return false;
  return impl_->change(id, [on](world::ObjectState<D>& o) {
    if (o.paused == !on) return;
    o.paused = !on;
    if (!on) {
      o.held_velocity = o.shown.velocity;
      o.held_spin = o.shown.spin;
    }
    o.shown.velocity = on ? o.held_velocity : Vec<D>(kZero);
    o.shown.spin = on ? o.held_spin : Spin<D>(kZero);
  });
}

template <int D>
bool World<D>::Impl::push(ObjectId id, const Vec<D>& force, const Spin<D>& torque,
                          const std::optional<Vec<D>>& point, bool at_once) {
  const world::ObjectState<D>* there = world::find_state(this->store, id);
  if (there == nullptr || !world::may_push(this->store, *there, force, torque, point)) return false;
  return change(id, [=, this](world::ObjectState<D>& o) {
    world::push_body(*this, o, force, torque, point, at_once);
  });
}

template <int D>
bool World<D>::apply_force(ObjectId id, const Vec<D>& force, const std::optional<Vec<D>>& point) {
  return impl_->push(id, force, Spin<D>::Zero(), point, false);
}

template <int D>
bool World<D>::apply_torque(ObjectId id, const Spin<D>& torque) {
  return impl_->push(id, Vec<D>::Zero(), torque, std::nullopt, false);
}

template <int D>
bool World<D>::apply_impulse(ObjectId id, const Vec<D>& impulse,
                             const std::optional<Vec<D>>& point) {
  return impl_->push(id, impulse, Spin<D>::Zero(), point, true);
}

template <int D>
bool World<D>::apply_angular_impulse(ObjectId id, const Spin<D>& impulse) {
  return impl_->push(id, Vec<D>::Zero(), impulse, std::nullopt, true);
}

template <int D>
bool World<D>::wish(ObjectId id, const Wish<D>& wish) {
  const world::ObjectState<D>* o = world::find_state(impl_->store, id);
  if (o == nullptr || o->walker < 0) return false;
  if (!world::within(wish.velocity, world::kFastest * impl_->store.settings.metre)) return false;
  return impl_->change(id, [this, wish](world::ObjectState<D>& now) {
    if (now.walker >= 0)
      impl_->walkers.list[static_cast<std::size_t>(now.walker)].walking.wish = wish;
  });
}

template <int D>
const Walking<D>* World<D>::walking(ObjectId id) const {
  const world::ObjectState<D>* o = world::find_state(impl_->store, id);
  return o != nullptr && o->walker >= 0
             ? &impl_->walkers.list[static_cast<std::size_t>(o->walker)].walking
             : nullptr;
}

template <int D>
bool World<D>::drop_through(ObjectId id) {
  return impl_->change(id, [this](world::ObjectState<D>& o) {
    world::disturb(*impl_, o);
    const auto mine = [&](std::uint32_t at) {
      return impl_->store.colliders[at].object == o.shown.id.slot;
    };
    for (world::Pair<D>& p : impl_->pairs.list)
      if ((mine(p.a) || mine(p.b)) && !p.standing.empty()) {
        p.standing.clear();
        p.ignored = true;
      }
  });
}

template bool World<2>::attach(ObjectId child, ObjectId parent,
                               const std::optional<Pose<2>>& on_parent);
template bool World<3>::attach(ObjectId child, ObjectId parent,
                               const std::optional<Pose<3>>& on_parent);
template bool World<2>::detach(ObjectId child);
template bool World<3>::detach(ObjectId child);
template std::vector<ObjectId> World<2>::children(ObjectId id) const;
template std::vector<ObjectId> World<3>::children(ObjectId id) const;
template std::optional<Pose<2>> World<2>::spot(ObjectId id, std::string_view name) const;
template std::optional<Pose<3>> World<3>::spot(ObjectId id, std::string_view name) const;
template bool World<2>::except(ObjectId a, ObjectId b, const Exception& exception);
template bool World<3>::except(ObjectId a, ObjectId b, const Exception& exception);
template Result<void> World<2>::set_mirrored(ObjectId id, bool on);
template Result<void> World<3>::set_mirrored(ObjectId id, bool on);
template bool World<2>::switch_motion(ObjectId id, bool on);
template bool World<3>::switch_motion(ObjectId id, bool on);
template bool World<2>::apply_force(ObjectId id, const Vec<2>& force,
                                    const std::optional<Vec<2>>& point);
template bool World<3>::apply_force(ObjectId id, const Vec<3>& force,
                                    const std::optional<Vec<3>>& point);
template bool World<2>::apply_torque(ObjectId id, const Spin<2>& torque);
template bool World<3>::apply_torque(ObjectId id, const Spin<3>& torque);
template bool World<2>::apply_impulse(ObjectId id, const Vec<2>& impulse,
                                      const std::optional<Vec<2>>& point);
template bool World<3>::apply_impulse(ObjectId id, const Vec<3>& impulse,
                                      const std::optional<Vec<3>>& point);
template bool World<2>::apply_angular_impulse(ObjectId id, const Spin<2>& impulse);
template bool World<3>::apply_angular_impulse(ObjectId id, const Spin<3>& impulse);
template bool World<2>::wish(ObjectId id, const Wish<2>& wish);
template bool World<3>::wish(ObjectId id, const Wish<3>& wish);
template const Walking<2>* World<2>::walking(ObjectId id) const;
template const Walking<3>* World<3>::walking(ObjectId id) const;
template bool World<2>::drop_through(ObjectId id);
template bool World<3>::drop_through(ObjectId id);

}  // namespace colvik
