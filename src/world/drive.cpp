// Hands bodies to the solver and back.
#include <algorithm>

#include "world/checks.h"
#include "world/impl.h"

namespace colvik {
template <int D>
void World<D>::Impl::gather_bodies() {
  bodies.assign(1, dynamics::Body<D>{});  // kNoBody: all that never moves
  body_objects.assign(1, 0);
  trailed.clear();
  trails.clear();
  racing.assign(1, std::numeric_limits<double>::max());
  for (const std::uint32_t slot : movers) {
    world::ObjectState<D>& o = objects[slot];
    const Object<D>& s = o.shown;
    o.body = world::kNoBody;
    o.pose_before = s.pose, o.velocity_before = s.velocity;
    o.trail = -1;
    o.disturbed = false;
    if (o.parent != world::kAlone) continue;  // has its root's body, below
    if (!s.active) {
      o.force.setZero(), o.torque.setZero();
      continue;
    }
    o.body = static_cast<std::uint32_t>(bodies.size());
    dynamics::Body<D>& b = bodies.emplace_back();
    body_objects.push_back(slot);
    const world::Place<D> centre = o.place() * Pose<D>{s.mass_centre, {}};
    b.centre = centre.position, b.rest = centre.rest;
    b.rotation = s.pose.rotation;
    b.velocity = s.velocity, b.spin = s.spin;
    if (o.walker >= 0) {  // it does not push by its motion, but by its strength
      const Walking<D>& walking = walkers[static_cast<std::size_t>(o.walker)].walking;
      b.velocity = walking.standing ? walking.carried : Vec<D>(kZero);
      b.spin.setZero();
    }
    const double leap = 0.5 * o.thin * settings.rate * settings.substeps;
    racing.push_back(s.body == BodyKind::dynamic && o.continuous && o.thin > 0 ? leap * leap
                                                                               : std::numeric_limits<double>::max());
    if (s.body == BodyKind::kinematic) continue;
    if (s.velocity.norm() > o.thin * settings.rate) {
      o.trail = static_cast<std::int32_t>(trailed.size());
      trailed.push_back(o.body);
    }
    for (int i = 0; i < D; ++i) b.inverse_mass[i] = o.locked_axes[i] ? 0 : o.inverse_mass;
    b.inertia = o.inertia, b.inverse_inertia = o.inverse_inertia;
    b.locked_turns = o.locked_turns;
    b.acceleration = settings.gravity * s.gravity_scale + b.inverse_mass.cwiseProduct(o.force);
    for (int i = 0; i < D; ++i)
      if (o.locked_axes[i]) b.acceleration[i] = 0;
    b.torque = o.torque;
    b.drag = s.drag, b.spin_drag = s.spin_drag;
    o.force.setZero(), o.torque.setZero();
  }
  for (const std::uint32_t slot : movers) {
    world::ObjectState<D>& o = objects[slot];
    if (o.parent != world::kAlone && o.shown.active) o.body = objects[o.root].body;
  }
  feel_fields();
  solver.begin(bodies, {1 / settings.rate, settings.substeps, settings.metre});
}

template <int D>
void World<D>::Impl::scatter_bodies() {
  const double fastest = world::kFastest * settings.metre;
  for (std::size_t i = 1; i < bodies.size(); ++i) {
    dynamics::Body<D>& b = bodies[i];
    world::ObjectState<D>& o = objects[body_objects[i]];
    Object<D>& s = o.shown;
    if (o.walker >= 0) continue;  // it walks when all others have moved
    if (o.target) {               // exactly where it was asked to be, free of the rounding of its velocity
      o.put(*o.target);
      o.target.reset();
      if (o.has_own) s.velocity = o.own_velocity, s.spin = o.own_spin, o.has_own = false;
      else if (std::holds_alternative<std::monostate>(s.motion)) s.velocity.setZero(), s.spin.setZero();
      continue;
    }
    o.put(world::Place<D>{Pose<D>{b.centre, b.rotation}, b.rest} * Pose<D>{-s.mass_centre, {}});
    s.velocity = b.velocity.cwiseMax(-fastest).cwiseMin(fastest);
    s.spin = b.spin.cwiseMax(-world::kFastest).cwiseMin(world::kFastest);
  }
  follow_roots();
}

template struct World<2>::Impl;
template struct World<3>::Impl;

}  // namespace colvik
