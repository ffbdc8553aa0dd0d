#pragma once
// A world's state to bytes and back: what of each part is saved. What a step recomputes is not.
#include "math/fault.h"
#include "pairs/model.h"
#include "shapes/saved.h"

namespace colvik {

template <class A>
void pack(A& a, ObjectId& id) {
  a(id.slot, id.generation);
}
template <class A>
void pack(A& a, Number& n) {
  a(n.name, n.value);
}
template <class A, int D>
void pack(A& a, WorldSettings<D>& s) {
  a(s.gravity, s.rate, s.metre, s.substeps, s.bounds, s.leaving, s.sleep, s.friction_mixing,
    s.restitution_mixing);
}
template <class A, int D>
void pack(A& a, Field<D>& f) {
  a(f.gravity, f.drag, f.wind, f.current, f.carries, f.alone);
}
template <class A, int D>
void pack(A& a, Beat<D>& b) {
  a(b.at, b.on, b.scale);
}
template <class A, int D>
void pack(A& a, Heed<D>& h) {
  a(h.points_at, h.re_enters, h.kept_inside, h.takes_riders);
}
template <class A, int D>
void pack(A& a, Circling<D>& c) {
  a(c.centre, c.rate, c.turns);
}
template <class A, int D>
void pack(A& a, Approach<D>& m) {
  a(m.place, m.object, m.speed, m.within);
}
template <class A, int D>
void pack(A& a, ColliderDef<D>& c) {
  a(c.shape, c.at, c.turned, c.zone, c.density, c.friction, c.restitution, c.rolling_friction,
    c.surface_velocity, c.one_way, c.meets, c.tags, c.on, c.field, c.schedule.beats,
    c.schedule.period);
}
template <class A, int D>
void pack(A& a, TimedPush<D>& p) {
  a(p.from, p.until, p.force, p.torque, p.impulse, p.angular_impulse, p.point, p.own_frame);
}
template <class A, int D>
void pack(A& a, Waypoint<D>& w) {
  a(w.at, w.to, w.turned);
}
template <class A, int D>
void pack(A& a, VelocityFrom<D>& v) {
  a(v.at, v.velocity, v.spin);
}
template <class A, int D>
void pack(A& a, Path<D>& p) {
  a(p.points, p.loop);
}
template <class A, int D>
void pack_motion(A& a, Motion<D>& m) {
  std::uint8_t which = static_cast<std::uint8_t>(m.index());
  a(which);
  if constexpr (A::kUnpacks) {
    if (which == 1) m = Path<D>{};
    else if (which == 2) m = std::vector<VelocityFrom<D>>{};
    else if (which == 3) m = Circling<D>{};
    else if (which == 4) m = Approach<D>{};
    else m = std::monostate{};
  }
  if (auto* path = std::get_if<Path<D>>(&m)) a(*path);
  else if (auto* velocities = std::get_if<std::vector<VelocityFrom<D>>>(&m)) a(*velocities);
  else if (auto* circle = std::get_if<Circling<D>>(&m)) a(*circle);
  else if (auto* approach = std::get_if<Approach<D>>(&m)) a(*approach);
}
template <class A>
void pack(A& a, TagSet& t) {
  std::vector<std::uint64_t> words;
  for (std::size_t i = 0; i < t.size_in_words(); ++i) words.push_back(t.word(i));
  a(words);
  if constexpr (A::kUnpacks) {
    t = {};
    for (std::uint32_t i = 0; i < 64 * words.size(); ++i)
      if ((words[i / 64] >> (i % 64) & 1U) != 0) t.insert({i});
  }
}
template <class A, int D>
void pack(A& a, Spot<D>& s) {
  a(s.name, s.pose);
}
template <class A, int D>
void pack(A& a, Drawing<D>& d) {
  a(d.size, d.picture, d.at);
}
template <class A, int D>
void pack(A& a, Walker<D>& w) {
  a(w.speed, w.speeding_up, w.slowing, w.air_control, w.jump_speed, w.jump_cut, w.steepest, w.step,
    w.hold_below, w.fall_limit, w.clearance, w.push, w.push_least, w.pushes, w.yields_to, w.weight,
    w.keeps_speed, w.turns_along, w.mirrors);
}
template <class A, int D>
void pack(A& a, Wish<D>& w) {
  a(w.velocity, w.jump, w.drop, w.fly);
}
template <class A, int D>
void pack(A& a, TimedWish<D>& w) {
  a(w.at, w.wish);
}
template <class A, int D>
void pack(A& a, WalkTouch<D>& t) {
  a(t.object, t.collider, t.side, t.point, t.normal, t.time, t.speed);
}
template <class A, int D>
void pack(A& a, Walking<D>& w) {
  a(w.standing, w.on, w.collider, w.normal, w.since, w.up, w.own_velocity, w.carried, w.facing,
    w.highest, w.jumping, w.squeezed, w.deepest, w.wish, w.touches);
}
template <class A, int D>
void pack(A& a, ObjectDef<D>& d) {
  a(d.name, d.kind, d.at, d.turned, d.parent, d.on_parent, d.meets_relatives, d.body, d.tags,
    d.colliders, d.numbers, d.spots, d.velocity, d.spin);
  pack_motion<A, D>(a, d.motion);
  a(d.mass, d.mass_centre, d.inertia, d.gravity_scale, d.drag, d.spin_drag, d.locked_rotation,
    d.locked_axes, d.locked_turns, d.continuous, d.may_sleep, d.pushes, d.active, d.mirrored,
    d.walker, d.wishes, d.drawings, d.user, d.heed);
}
// Without its compiled filter: the world compiles it again, see set_filters.
template <class A, int D>
void pack(A& a, Collider<D>& c) {
  a(c.def, c.tags);
  if (!c.def.schedule.beats.empty()) a(c.scale);
}
template <class A, int D>
void pack(A& a, Object<D>& o) {
  a(o.id, o.serial, o.name, o.kind, o.body, o.pose, o.velocity, o.spin, o.mass, o.mass_centre,
    o.gravity_scale, o.drag, o.spin_drag, o.tags, o.numbers, o.colliders);
  pack_motion<A, D>(a, o.motion);
  a(o.drawings, o.active, o.mirrored, o.walker, o.asleep, o.going, o.user, o.heed, o.parent, o.root,
    o.on_parent, o.spots);
}

namespace world {

template <class A>
void pack(A& a, Excepted& e) {
  a(e.serial_a, e.serial_b, e.a, e.b, e.until, e.until_apart);
}
template <class A>
void pack(A& a, Parted& p) {
  a(std::get<0>(p.key), std::get<1>(p.key), std::get<2>(p.key), p.time);
}
template <class A>
void pack(A& a, Changes& c) {
  a(c.retagged, c.filtered, c.switched, c.teleported);
}
template <class A, int D>
void pack(A& a, ColliderState<D>& c) {
  a(c.object, c.which, c.serial, c.in_tree, c.in_still_tree, c.dirty, c.changed, c.remade,
    c.reshaped, c.live);
}
template <class A, int D>
void pack(A& a, ObjectState<D>& o) {
  a(o.shown, o.rest, o.life, o.generation, o.colliders, o.reach, o.turning_radius, o.thickness,
    o.inscribed_radius, o.inverse_mass, o.inertia, o.inverse_inertia, o.force, o.torque, o.changes,
    o.target, o.resting, o.still_for, o.disturbed, o.given_mass, o.given_mass_centre,
    o.given_inertia, o.locked_rotation, o.locked_axes, o.locked_turns, o.continuous, o.may_sleep,
    o.pushes, o.parent, o.root, o.on_root, o.children, o.own_body, o.own_mass, o.own_active,
    o.meets_relatives, o.paused, o.lag, o.held_velocity, o.held_spin, o.beats, o.first_shapes,
    o.outside, o.walker, o.carried_along, o.passed_from_behind);
}
// Its queries are compiled again from the object's walker.
template <class A, int D>
void pack(A& a, WalkerState<D>& w) {
  a(w.slot, w.walking, w.wishes, w.velocity, w.last_up, w.foot, w.wished_jump, w.moved, w.slid,
    w.flow, w.pushed, w.pushed_to);
}
template <class A, int D>
void pack(A& a, CachedImpulse<D>& k) {
  a(k.id, k.even, k.push, k.drag, k.roll, k.at);
}
template <class A, int D>
void pack(A& a, Slab<D>& s) {
  a(s.apart, s.normal, s.displacement.moved, s.displacement.turned);
}
// Each step sets the rest.
template <class A, int D>
void pack(A& a, Brief<D>& b) {
  a(b.travelled, b.turned);
}
template <class A, int D>
void pack(A& a, Pair<D>& p) {
  a(p.a, p.b, p.serial_a, p.serial_b, p.channel, p.responds, p.touching, p.gap, p.approach,
    p.impulse, p.normal, p.point, p.cached, p.slab, p.standing, p.ignored, p.passing, p.unsure,
    p.start);
  if (COLVIK_FAULT(23)) p.cached.clear();
}
template <class A, int D>
void pack(A& a, Touch<D>& t) {
  a(t.serial_a, t.serial_b, t.a, t.b, t.channel, t.tags_a, t.tags_b, t.gap, t.approach, t.impulse,
    t.normal, t.point, t.squeezed);
}
template <class A, int D>
void pack(A& a, SleepGroup<D>& r) {
  a(r.objects, r.pairs, r.touches);
}

}  // namespace world

namespace contact {

template <class A>
void pack(A& a, CornerPair& c) {
  a(c.a, c.b);
}
template <class A, int D>
void pack(A& a, Start<D>& s) {
  a(s.normal, s.corner_count, s.face_count);
  if constexpr (A::kUnpacks)
    if (s.corner_count > (s.face_count == 0 ? D : s.corners.size()) ||
        s.face_count > s.faces.size())
      return a.fail();
  for (std::size_t i = 0; i < s.corner_count; ++i) a(s.corners[i]);
  if constexpr (D == 3)
    for (std::size_t i = 0; i < s.face_count; ++i) {
      a(s.faces[i]);
      if constexpr (A::kUnpacks)
        for (const std::uint8_t corner : s.faces[i])
          if (corner >= s.corner_count) a.fail();
    }
}

}  // namespace contact
}  // namespace colvik
