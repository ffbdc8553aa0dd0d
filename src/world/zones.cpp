// Zones, and solids that are not pushed: touched or not at the end of the step, and when within it.
#include <algorithm>

#include "contact/cast.h"
#include "world/impl.h"

namespace colvik {

using world::Pair;

namespace {

template <int D>
Vec<D> velocity_at(const Object<D>& o, const Vec<D>& point) {
  return o.velocity + cross(o.spin, Vec<D>(point - o.pose * o.mass_centre));
}

// The motion of b as seen from a, between two moments.
template <int D>
contact::Course<D> course(const Pose<D>& a0, const Pose<D>& a1, const Pose<D>& b0, const Pose<D>& b1) {
  contact::Course<D> c;
  c.start = a0.relative(b0);
  const Pose<D> end = a1.relative(b1);
  c.move = end.position - c.start.position;
  c.turn = (end.rotation * c.start.rotation.inverse()).to_spin();
  return c;
}

}  // namespace

template <int D>
void World<D>::Impl::feel_the_rest() {
  const double dt = 1 / settings.rate;
  // What bounces within the step may be back where it was: its whole way counts.
  trail_ways.assign(trailed.size(), 0);
  for (std::size_t i = trailed.size(); i < trails.size(); ++i)
    trail_ways[i % trailed.size()] += (trails[i].position - trails[i - trailed.size()].position).norm();
  const auto noted_way = [&](std::uint32_t slot) {
    const std::int32_t trail = objects[objects[slot].root].trail;
    return trail >= 0 ? trail_ways[static_cast<std::size_t>(trail)] : 0;
  };
  constexpr std::size_t kAhead = 6;  // pairs
  for (std::size_t i = 0; i < meetings.active_pairs.size(); ++i) {
    Pair<D>& p = pairs[meetings.active_pairs[i]];
    if (i + 2 * kAhead < meetings.active_pairs.size()) math::fetch(&pairs[meetings.active_pairs[i + 2 * kAhead]], 1);
    if (i + kAhead < meetings.active_pairs.size())
      if (const Pair<D>& soon = pairs[meetings.active_pairs[i + kAhead]]; !soon.responds) fetch_sides(soon);
    const bool walked = walks(p);
    if (p.responds && !walked) continue;
    const double reach =
        p.channel == Channel::zone ? 0 : (p.touching ? world::kLetGo : world::kTouching) * settings.metre;
    const double noted = trailed.empty() ? 0 : noted_way(p.object_a) + noted_way(p.object_b);
    const double most = std::max(briefs[p.object_a].way + briefs[p.object_b].way, noted);
    if (!walked && !p.touching && p.slab.left(ways_so_far(p)) > reach + most) {
      p.passed = p.left = false;
      p.when = p.until = -1;
      continue;
    }
    const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
    const world::ObjectState<D>&oa = objects[p.object_a], &ob = objects[p.object_b];
    const auto moved = [&](const world::ObjectState<D>& o) {
      return o.body != world::kNoBody ? Vec<D>(o.shown.pose.position - o.pose_before.position) : Vec<D>(kZero);
    };
    const auto turned = [&](const world::ObjectState<D>& o) {
      return o.body != world::kNoBody ? o.shown.spin.norm() * o.swing * dt : 0;
    };
    const double far = std::max((moved(oa) - moved(ob)).norm(), noted) + turned(oa) + turned(ob);
    const bool may_pass = far > 0.5 * (world::thinness(shape_of(ca)) + world::thinness(shape_of(cb)));
    const double beyond = std::max(reach + 4 * most, far);
    const contact::Separation<D> s = contact::nearest(shape_of(ca), shape_of(cb), relative_pose(ca, cb), beyond);
    const bool before = p.touching;
    p.touching = s.gap <= reach && !(p.channel == Channel::solid && has_one_way(p) && p.standing.empty());
    if (walked && before && !p.touching && p.impulse > 0) p.impulse = 0;
    p.passed = false, p.left = before && !p.touching;
    p.when = p.until = -1;
    p.gap = s.gap;
    if (before != p.touching) feel_motion(p, before, p.touching);
    else if (!before && may_pass && s.gap <= far) p.passed = feel_motion(p, false, false);
    p.slab = p.touching ? world::Slab<D>{} : slab_of(p, oa.shown.pose.rotation, s, beyond, ways_so_far(p));
    if (!p.touching && !p.passed) continue;
    const Pose<D> frame = pose_of(ca);
    p.normal = frame.rotation * s.normal;
    p.point = frame * Vec<D>(s.has_points ? Vec<D>(0.5 * (s.on_a + s.on_b)) : Vec<D>(kZero));
    const Vec<D> apart = velocity_at(ob.shown, p.point) - velocity_at(oa.shown, p.point);
    p.approach = std::max(0.0, -p.normal.dot(apart));  // in this order -0 becomes 0
    if (p.passed) p.approach = std::max(p.approach, apart.norm());
    if (!p.responds) p.impulse = 0;
  }
}

// Where an object was after k of the step's substeps: as noted, or on the curve that begins and ends with
// its velocities.
template <int D>
Pose<D> World<D>::Impl::pose_at(const world::ObjectState<D>& o, int k) const {
  if (o.body == world::kNoBody || k == settings.substeps) return o.shown.pose;
  if (k == 0) return o.pose_before;
  if (o.parent != world::kAlone) return pose_at(objects[o.root], k) * o.on_root;
  if (o.trail >= 0) return trails[static_cast<std::size_t>(k) * trailed.size() + static_cast<std::size_t>(o.trail)];
  const double t = static_cast<double>(k) / settings.substeps, dt = 1 / settings.rate;
  const Rotation<D> rotation = interpolate<D>(o.pose_before.rotation, o.shown.pose.rotation, t);
  const Vec<D> from = o.pose_before * o.shown.mass_centre, way = o.shown.pose * o.shown.mass_centre - from;
  Vec<D> centre = from + t * way;
  if (o.shown.body == BodyKind::dynamic) {  // Hermite's cubic
    const double u = 1 - t;
    centre = from + t * t * (3 - 2 * t) * way + dt * (t * u * u * o.velocity_before - t * t * u * o.shown.velocity);
  }
  return {centre - rotation * o.shown.mass_centre, rotation};
}

// Looks along the step for when they began to touch, and when they parted; true if they touched at all.
template <int D>
bool World<D>::Impl::feel_motion(Pair<D>& p, bool before, bool after) {
  const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
  const world::ObjectState<D>&oa = objects[ca.object], &ob = objects[cb.object];
  const Pose<D>&own_a = ca.own, &own_b = cb.own;
  const int n = settings.substeps;
  const double piece = 1 / (settings.rate * n);
  const auto look = [&](int from, int to) {
    return contact::first_touch(shape_of(ca), shape_of(cb),
                                course<D>(pose_at(oa, from) * own_a, pose_at(oa, to) * own_a, pose_at(ob, from) * own_b,
                                          pose_at(ob, to) * own_b));
  };
  if (!before) {
    for (int k = 0; k < n && p.when < 0; ++k)
      if (const auto hit = look(k, k + 1)) p.when = (k + (hit->inside ? 0 : hit->t)) * piece;
    if (p.when < 0 && !after) return false;
  }
  if (!after)
    for (int k = n; k > 0 && p.until < 0; --k)
      if (const auto hit = look(k, k - 1)) p.until = (k - (hit->inside ? 0 : hit->t)) * piece;
  return p.when >= 0;
}

template struct World<2>::Impl;
template struct World<3>::Impl;

}  // namespace colvik
