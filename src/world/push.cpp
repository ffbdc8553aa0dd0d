// Forces and impulses, asked for now or timed beforehand.
#include <algorithm>

#include "world/checks.h"
#include "world/impl.h"

namespace colvik {

using world::ObjectState;

namespace {

// Torque about the centre of mass of a push at `point`.
template <int D>
Spin<D> about_centre(const ObjectState<D>& o, const Vec<D>& push, const std::optional<Vec<D>>& point) {
  return point ? Spin<D>(torque(*point - o.shown.pose * o.shown.mass_centre, push)) : Spin<D>(Spin<D>::Zero());
}

template <int D>
Vec<D> free_part(const ObjectState<D>& o, Vec<D> push) {
  for (int i = 0; i < D; ++i)
    if (o.locked_axes[i]) push[i] = 0;
  return push;
}

// The spin that an angular impulse gives.
template <int D>
Spin<D> spin_from(const ObjectState<D>& o, const Spin<D>& impulse) {
  Spin<D> spin;
  if constexpr (D == 2) {
    spin = o.inverse_inertia * impulse;
  } else {
    const Rotation<3>& r = o.shown.pose.rotation;
    spin = r * Vec<3>(o.inverse_inertia * (r.inverse() * impulse));
  }
  for (int i = 0; i < kTurnAxes<D>; ++i)
    if (o.locked_turns[i]) spin[i] = 0;
  return spin;
}

}  // namespace

template <int D>
bool World<D>::Impl::push(ObjectId id, const Vec<D>& force, const Spin<D>& torque, const std::optional<Vec<D>>& point,
                          bool at_once) {
  if (!world::within(force, world::kStrongest) || !world::within(torque, world::kStrongest)) return false;
  if (point && !world::within(*point, 2 * world::kFurthest * settings.metre)) return false;
  const ObjectState<D>* there = state(id);
  if (there == nullptr || there->shown.body != BodyKind::dynamic) return false;
  return change(id, [=, this](ObjectState<D>& given) {
    ObjectState<D>& o = objects[given.root];
    disturb(o);
    const Spin<D> turning = torque + about_centre(o, force, point);
    if (at_once) {
      o.shown.velocity += free_part<D>(o, force * o.inverse_mass);
      o.shown.spin += spin_from(o, turning);
    } else {
      o.force += force, o.torque += turning;
    }
  });
}

// Timed pushes: of a force that begins or ends within the step, its part.
template <int D>
void World<D>::Impl::push_on_time() {
  const double now = static_cast<double>(steps) / settings.rate, then = static_cast<double>(steps + 1) / settings.rate;
  for (const std::uint32_t slot : pushed) {
    ObjectState<D>& o = objects[slot];
    if (!o.shown.active) continue;
    for (const TimedPush<D>& p : o.pushes) {
      const Rotation<D> turn = p.own_frame ? o.shown.pose.rotation : Rotation<D>();
      const auto turned = [&](const Spin<D>& s) -> Spin<D> {
        if constexpr (D == 2) return s;
        else return turn * s;
      };
      const std::optional<Vec<D>> point = p.point ? std::optional<Vec<D>>(o.shown.pose * *p.point) : std::nullopt;
      const double part = (std::min(p.until, then) - std::max(p.from, now)) * settings.rate;
      if (part > 0) push(o.shown.id, turn * Vec<D>(p.force * part), turned(p.torque * part), point, false);
      if (p.from >= now && p.from < then && (!p.impulse.isZero(0) || !p.angular_impulse.isZero(0)))
        push(o.shown.id, turn * p.impulse, turned(p.angular_impulse), point, true);
    }
  }
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
bool World<D>::apply_impulse(ObjectId id, const Vec<D>& impulse, const std::optional<Vec<D>>& point) {
  return impl_->push(id, impulse, Spin<D>::Zero(), point, true);
}
template <int D>
bool World<D>::apply_angular_impulse(ObjectId id, const Spin<D>& impulse) {
  return impl_->push(id, Vec<D>::Zero(), impulse, std::nullopt, true);
}

template struct World<2>::Impl;
template struct World<3>::Impl;
template bool World<2>::apply_force(ObjectId, const Vec<2>&, const std::optional<Vec<2>>&);
template bool World<3>::apply_force(ObjectId, const Vec<3>&, const std::optional<Vec<3>>&);
template bool World<2>::apply_torque(ObjectId, const Spin<2>&);
template bool World<3>::apply_torque(ObjectId, const Spin<3>&);
template bool World<2>::apply_impulse(ObjectId, const Vec<2>&, const std::optional<Vec<2>>&);
template bool World<3>::apply_impulse(ObjectId, const Vec<3>&, const std::optional<Vec<3>>&);
template bool World<2>::apply_angular_impulse(ObjectId, const Spin<2>&);
template bool World<3>::apply_angular_impulse(ObjectId, const Spin<3>&);

}  // namespace colvik
