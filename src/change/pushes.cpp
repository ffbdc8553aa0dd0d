#include "change/pushes.h"

#include <algorithm>

#include "sleep/sleep.h"
#include "store/access.h"
#include "store/checks.h"

namespace colvik::world {

namespace {

// Torque about the centre of mass of a push at `point`.
template <int D>
Spin<D> about_centre(const ObjectState<D>& o, const Vec<D>& push,
                     const std::optional<Vec<D>>& point) {
  return point ? Spin<D>(torque(*point - o.shown.pose * o.shown.mass_centre, push))
               : Spin<D>(Spin<D>::Zero());
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
bool may_push(const Store<D>& store, const ObjectState<D>& o, const Vec<D>& force,
              const Spin<D>& torque, const std::optional<Vec<D>>& point) {
  if (!within(force, kStrongest) || !within(torque, kStrongest)) return false;
  if (point && !within(*point, 2 * kFurthest * store.settings.metre)) return false;
  return o.shown.body == BodyKind::dynamic;
}

template <int D>
void push_body(Model<D>& model, ObjectState<D>& given, const Vec<D>& force, const Spin<D>& torque,
               const std::optional<Vec<D>>& point, bool at_once) {
  Store<D>& store = model.store;
  ObjectState<D>& o = store.objects[given.root];
  disturb(model, o);
  const Spin<D> turning = torque + about_centre(o, force, point);
  if (at_once) {
    o.shown.velocity += free_part<D>(o, force * o.inverse_mass);
    o.shown.spin += spin_from(o, turning);
  } else {
    o.force += force;
    o.torque += turning;
  }
}

template bool may_push(const Store<2>& store, const ObjectState<2>& o, const Vec<2>& force,
                       const Spin<2>& torque, const std::optional<Vec<2>>& point);
template bool may_push(const Store<3>& store, const ObjectState<3>& o, const Vec<3>& force,
                       const Spin<3>& torque, const std::optional<Vec<3>>& point);
template void push_body(Model<2>& model, ObjectState<2>& given, const Vec<2>& force,
                        const Spin<2>& torque, const std::optional<Vec<2>>& point, bool at_once);
template void push_body(Model<3>& model, ObjectState<3>& given, const Vec<3>& force,
                        const Spin<3>& torque, const std::optional<Vec<3>>& point, bool at_once);

}  // namespace colvik::world
