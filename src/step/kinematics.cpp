#include "step/kinematics.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "change/objects.h"
#include "pairs/index.h"
#include "store/access.h"
#include "store/motion.h"
#include "store/objects.h"
#include "walk/walkers.h"

namespace colvik::world {

namespace {

// The rotation by which the own x axis points in that direction.
Rotation<2> pointing(const Rotation<2>& /*now*/, const Vec<2>& direction) {
  return Rotation<2>(angle_of(direction.y(), direction.x()));
}
Rotation<3> pointing(const Rotation<3>& now,
                     const Vec<3>& direction) {  // the shortest turn from now
  const Vec<3> from = now.axis(0);
  const Vec<3> to = direction.normalized();
  const Vec<3> axis = cross(from, to);
  const double sine = axis.norm();
  const double cosine = from.dot(to);
  if (sine < 1e-12) return cosine > 0 ? now : Rotation<3>(now.axis(1), kPi) * now;
  return Rotation<3>(axis, angle_of(sine, cosine)) * now;
}

}  // namespace

template <int D>
void drive_kinematics(Model<D>& model) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  PairTable<D>& pairs = model.pairs;
  Walkers<D>& walkers = model.walkers;
  const double dt = 1 / store.settings.rate;
  run_schedules(model);
  for (const std::uint32_t slot : store.movers) {
    ObjectState<D>& o = store.objects[slot];
    Object<D>& s = o.shown;
    if (s.body != BodyKind::kinematic || !s.active || o.parent != kAlone || o.walker >= 0) continue;
    o.carried_along = false;
    if (o.paused) o.lag += dt;
    else follow_motion(store, o);
    const bool led = o.target.has_value() || !std::holds_alternative<std::monostate>(s.motion);
    const Vec<D> velocity = s.velocity;
    const Spin<D> spin = s.spin;
    apply_heed(store, broad, walkers, o);
    if (o.target) {
      s.velocity = (o.target->position - s.pose.position) / dt;
      s.spin = (o.target->rotation * s.pose.rotation.inverse()).to_spin() / dt;
      // A velocity of its own outlives what it heeds.
      if (!led) {
        o.own_velocity = velocity;
        o.own_spin = spin;
        o.has_own = true;
      }
    }
  }
  apply_currents(store, pairs);
}

template <int D>
void apply_heed(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers, ObjectState<D>& o) {
  const double dt = 1 / store.settings.rate;
  Object<D>& s = o.shown;
  const Heed<D>& h = s.heed;
  if (h.re_enters) {
    Bounds<D> own;
    for (const Collider<D>& c : s.colliders)
      if (!is_scenery(c.def.shape.kind))
        own = own.merged(bounds(c.def.shape, s.pose * Pose<D>{c.def.at, c.def.turned}));
    if (own.empty()) own = Bounds<D>{s.pose.position, s.pose.position};
    Vec<D> jump = kZero;
    for (int i = 0; i < D; ++i) {
      const double span = h.re_enters->size()[i] + own.size()[i];
      if (own.lo[i] > h.re_enters->hi[i] && s.velocity[i] > 0) jump[i] = -span;
      if (own.hi[i] < h.re_enters->lo[i] && s.velocity[i] < 0) jump[i] = span;
    }
    if (!jump.isZero(0)) {
      if (h.takes_riders) carry_riders(store, broad, walkers, o, jump);
      move_object(store, o, o.place().moved(jump));
      for_family(store, o, [](ObjectState<D>& member) { member.changes.teleported = true; });
      store.causes_noted = true;
      place_family(store, broad, o);
      if (o.target) o.target->position += jump;
    }
  }
  if (!h.points_at.empty()) {
    const auto at = store.by_name.find(h.points_at);
    if (at != store.by_name.end()) {
      if (!o.target) o.target = Pose<D>{s.pose.position + s.velocity * dt, s.pose.rotation};
      const Vec<D> direction = store.objects[at->second].shown.pose.position - o.target->position;
      if (direction.norm() > 1e-9 * store.settings.metre)
        o.target->rotation = pointing(s.pose.rotation, direction);
    }
  }
  if (h.kept_inside) {
    const Pose<D> next = o.target ? *o.target
                                  : Pose<D>{s.pose.position + s.velocity * dt,
                                            Rotation<D>::from_spin(s.spin * dt) * s.pose.rotation};
    const Vec<D> inside = next.position.cwiseMax(h.kept_inside->lo).cwiseMin(h.kept_inside->hi);
    if (inside != next.position) o.target = Pose<D>{inside, next.rotation};
  }
}

template <int D>
void run_schedules(Model<D>& model) {
  Store<D>& store = model.store;
  const double now = static_cast<double>(store.steps) / store.settings.rate + 1e-9;
  for (const std::uint32_t slot : store.scheduled) {
    ObjectState<D>& o = store.objects[slot];
    if (o.life != Life::live) continue;
    for (std::size_t i = 0; i < o.shown.colliders.size(); ++i) {
      const Schedule<D>& schedule = o.shown.colliders[i].def.schedule;
      if (schedule.beats.empty()) continue;
      double t = now;
      if (schedule.period > 0) t -= std::floor(t / schedule.period) * schedule.period;
      std::int32_t beat = -1;
      while (beat + 1 < static_cast<std::int32_t>(schedule.beats.size()) &&
             schedule.beats[static_cast<std::size_t>(beat) + 1].at <= t)
        ++beat;
      if (beat < 0 && schedule.period > 0 && now > schedule.period)
        beat = static_cast<std::int32_t>(schedule.beats.size()) -
               1;  // the last one's state lasts into the next round
      if (beat == std::exchange(o.beats[i], beat) || beat < 0) continue;
      const Beat<D> b = schedule.beats[static_cast<std::size_t>(beat)];
      if (b.on && *b.on != o.shown.colliders[i].def.on) switch_collider(model, o, i, *b.on);
      if (b.scale) {
        replace_shape(model, o, i, scaled(o.first_shapes[i], *b.scale));
        o.shown.colliders[i].scale = *b.scale;
        o.changes.switched = store.causes_noted = true;
      }
    }
  }
}

// Kinematic things in zones that carry go along. Walkers see to that themselves.
template <int D>
void apply_currents(Store<D>& store, PairTable<D>& pairs) {
  if (!store.has_fields) return;
  const double dt = 1 / store.settings.rate;
  for (const Pair<D>& p : pairs.list) {
    if (p.channel != Channel::zone || !p.touching) continue;
    for (const auto& [zone, other] : {std::pair(p.a, p.b), std::pair(p.b, p.a)}) {
      const std::optional<Field<D>>& field = definition_of(store, store.colliders[zone]).field;
      ObjectState<D>& o = store.objects[store.colliders[other].object];
      if (!field || (field->current.isZero(0) && !field->carries)) continue;
      if (o.shown.body != BodyKind::kinematic || !o.shown.active || o.parent != kAlone ||
          o.walker >= 0)
        continue;
      o.carried_along = true;
      Object<D>& s = o.shown;
      const Object<D>& carrier = store.objects[store.colliders[zone].object].shown;
      Vec<D> along = field->current;
      if (field->carries)
        along += carrier.velocity +
                 cross(carrier.spin, Vec<D>(s.pose.position - carrier.pose * carrier.mass_centre));
      if (along.isZero(0)) continue;
      if (!o.target) {
        o.own_velocity = s.velocity;
        o.own_spin = s.spin;
        o.has_own = true;
        o.target = Pose<D>{s.pose.position + s.velocity * dt,
                           Rotation<D>::from_spin(s.spin * dt) * s.pose.rotation};
      }
      o.target->position += along * dt;
      s.velocity += along;
    }
  }
}

template <int D>
void check_bounds(Model<D>& model) {
  Store<D>& store = model.store;
  if (!store.settings.bounds) return;
  std::vector<std::uint32_t> left;
  for (const std::uint32_t slot : store.movers) {
    ObjectState<D>& o = store.objects[slot];
    if (o.parent != kAlone || o.life != Life::live) continue;
    Bounds<D> own{o.shown.pose.position, o.shown.pose.position};
    for (const std::uint32_t at : o.colliders)
      own = own.merged(bounds(store.colliders[at].shape, pose_of(store, store.colliders[at])));
    const bool outside = !own.overlaps(*store.settings.bounds);
    if (outside && !o.outside) {
      ++store.left_count;
      if (store.settings.leaving == Leaving::removed) left.push_back(slot);
    }
    o.outside = outside;
  }
  for (const std::uint32_t slot : left) remove_object(model, store.objects[slot]);
}

template void drive_kinematics(Model<2>& model);
template void drive_kinematics(Model<3>& model);
template void check_bounds(Model<2>& model);
template void check_bounds(Model<3>& model);

}  // namespace colvik::world
