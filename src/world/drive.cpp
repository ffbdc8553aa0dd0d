// Hands bodies to the solver and back.
#include <algorithm>

#include "world/checks.h"
#include "world/impl.h"

namespace colvik {
namespace {

// How far a turn from one to the other takes a point at distance 1, at most.
double chord(const Rotation<2>& from, const Rotation<2>& to) {
  const double c = to.cosine() - from.cosine(), s = to.sine() - from.sine();
  return std::sqrt(c * c + s * s);
}
double chord(const Rotation<3>& from, const Rotation<3>& to) {
  const auto far = [&](double sign) {
    const double w = to.w() - sign * from.w(), x = to.x() - sign * from.x(), y = to.y() - sign * from.y(),
                 z = to.z() - sign * from.z();
    return w * w + x * x + y * y + z * z;
  };
  return 2 * std::sqrt(std::min(far(1), far(-1)));  // half the angle, of which the chord is the double sine
}

}  // namespace

template <int D>
void World<D>::Impl::gather_bodies() {
  bodies.assign(1, dynamics::Body<D>{});  // kNoBody: all that never moves
  body_objects.assign(1, 0);
  trailed.clear();
  trails.clear();
  some_leap = false;
  racing.assign(1, std::numeric_limits<double>::max());
  least_racing = racing[0];
  for (std::size_t i = 0; i < movers.size(); ++i) {
    if (i + 4 < movers.size()) fetch_object(movers[i + 4]);
    const std::uint32_t slot = movers[i];
    world::ObjectState<D>& o = objects[slot];
    const Object<D>& s = o.shown;
    give_body(o, world::kNoBody);
    o.pose_before = s.pose, o.velocity_before = s.velocity;
    o.trail = -1;
    briefs[slot].way = 0;
    o.disturbed = false;
    if (o.parent != world::kAlone) continue;  // has its root's body, below
    if (!s.active) {
      o.force.setZero(), o.torque.setZero();
      continue;
    }
    give_body(o, static_cast<std::uint32_t>(bodies.size()));
    world::Brief<D>& brief = briefs[slot];
    brief.centred = s.mass_centre.isZero(0);
    brief.careless = s.body != BodyKind::dynamic || !o.continuous;
    brief.thin = s.body == BodyKind::dynamic ? o.thin : world::kNever;
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
    least_racing = std::min(least_racing, racing.back());
    if (s.body == BodyKind::kinematic) continue;
    some_leap = some_leap || leaps(o);
    for (int k = 0; k < D; ++k) b.inverse_mass[k] = o.locked_axes[k] ? 0 : o.inverse_mass;
    b.inertia = o.inertia, b.inverse_inertia = o.inverse_inertia;
    b.locked_turns = o.locked_turns;
    b.acceleration = settings.gravity * s.gravity_scale + b.inverse_mass.cwiseProduct(o.force);
    for (int k = 0; k < D; ++k)
      if (o.locked_axes[k]) b.acceleration[k] = 0;
    b.torque = o.torque;
    b.drag = s.drag, b.spin_drag = s.spin_drag;
    o.force.setZero(), o.torque.setZero();
  }
  for (const std::uint32_t slot : movers) {
    world::ObjectState<D>& o = objects[slot];
    if (o.parent != world::kAlone && o.shown.active) give_body(o, objects[o.root].body);
  }
  feel_fields();
  solver.begin(bodies, {1 / settings.rate, settings.substeps, settings.metre});
}

// Puts an object somewhere, and adds up its way.
template <int D>
void World<D>::Impl::put(world::ObjectState<D>& o, const world::Place<D>& at) {
  world::Brief<D>& brief = briefs[o.shown.id.slot];
  const Vec<D>& centre = o.shown.mass_centre;
  const double turn = chord(o.shown.pose.rotation, at.rotation);
  const Vec<D> way = o.place().way_to(at) + (at.rotation * centre - o.shown.pose.rotation * centre);
  brief.travelled += way, brief.turned += o.swing * turn;
  if (o.body != world::kNoBody) brief.way += way.norm() + (o.swing + centre.norm()) * turn;
  o.shown.pose = at, o.rest = at.rest;
}

template <int D>
void World<D>::Impl::scatter_bodies() {
  constexpr std::size_t kPart = 256;
  solver.crew().share(bodies.size(), kPart, [&](std::size_t first, std::size_t last, std::size_t) {
    scatter_bodies(std::max<std::size_t>(first, 1), last);
  });
  follow_roots();
}

template <int D>
void World<D>::Impl::scatter_bodies(std::size_t first, std::size_t last) {
  const double fastest = world::kFastest * settings.metre;
  for (std::size_t i = first; i < last; ++i) {
    constexpr std::size_t kAhead = 6;
    if (i + kAhead < last) {
      const std::uint32_t soon = body_objects[i + kAhead];
      fetch_object(soon), math::fetch(&briefs[soon], 1);
    }
    dynamics::Body<D>& b = bodies[i];
    world::ObjectState<D>& o = objects[body_objects[i]];
    Object<D>& s = o.shown;
    if (o.walker >= 0) continue;  // it walks when all others have moved
    if (o.target) {               // exactly where it was asked to be, free of the rounding of its velocity
      put(o, *o.target);
      o.target.reset();
      if (o.has_own) s.velocity = o.own_velocity, s.spin = o.own_spin, o.has_own = false;
      else if (std::holds_alternative<std::monostate>(s.motion)) s.velocity.setZero(), s.spin.setZero();
      continue;
    }
    put(o, world::Place<D>{Pose<D>{b.centre, b.rotation}, b.rest} * Pose<D>{-s.mass_centre, {}});
    s.velocity = b.velocity.cwiseMax(-fastest).cwiseMin(fastest);
    s.spin = b.spin.cwiseMax(-world::kFastest).cwiseMin(world::kFastest);
  }
}

template struct World<2>::Impl;
template struct World<3>::Impl;

}  // namespace colvik
