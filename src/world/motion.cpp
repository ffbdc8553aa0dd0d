// What moves by data: where things that are driven will be at the end of the step, and what changes by schedule.
#include <algorithm>
#include <cmath>

#include "world/impl.h"

namespace colvik {

using world::kAlone;
using world::ObjectState;

namespace {

template <int D>
Pose<D> pose_on_path(const Path<D>& path, double time, const Rotation<D>& unturned) {
  const std::vector<Waypoint<D>>& p = path.points;
  const double first = p.front().at, last = p.back().at;
  double t = time;
  if (path.loop && t > last) t = first + (t - first) - std::floor((t - first) / (last - first)) * (last - first);
  std::size_t next = 0;
  while (next < p.size() && p[next].at <= t) ++next;
  // A waypoint without a turn keeps the last one told, or the object's own.
  const auto turn_at = [&](std::size_t i) {
    for (std::size_t k = i + 1; k-- > 0;)
      if (p[k].turned) return *p[k].turned;
    return unturned;
  };
  if (next == 0) return {p.front().to, turn_at(0)};
  if (next == p.size()) return {p.back().to, turn_at(p.size() - 1)};
  const double part = (t - p[next - 1].at) / (p[next].at - p[next - 1].at);
  return {p[next - 1].to + (p[next].to - p[next - 1].to) * part,
          interpolate<D>(turn_at(next - 1), turn_at(next), part)};
}

// The rotation by which the own x axis points that way.
Rotation<2> pointing(const Rotation<2>& /*now*/, const Vec<2>& way) { return Rotation<2>(angle_of(way.y(), way.x())); }
Rotation<3> pointing(const Rotation<3>& now, const Vec<3>& way) {  // the shortest turn from now
  const Vec<3> from = now.axis(0), to = way.normalized();
  const Vec<3> axis = cross(from, to);
  const double sine = axis.norm(), cosine = from.dot(to);
  if (sine < 1e-12) return cosine > 0 ? now : Rotation<3>(now.axis(1), kPi) * now;
  return Rotation<3>(axis, angle_of(sine, cosine)) * now;
}

}  // namespace

// Puts a target where a motion leads within this step.
template <int D>
void World<D>::Impl::follow_motion(ObjectState<D>& o) {
  const double dt = 1 / settings.rate;
  const double now = static_cast<double>(steps) / settings.rate - o.lag,
               then = static_cast<double>(steps + 1) / settings.rate - o.lag;
  Object<D>& s = o.shown;
  if (const auto* path = std::get_if<Path<D>>(&s.motion)) {
    o.target = pose_on_path(*path, then, s.pose.rotation);
  } else if (const auto* velocities = std::get_if<std::vector<VelocityFrom<D>>>(&s.motion)) {
    for (const VelocityFrom<D>& v : *velocities)
      if (v.at <= now) s.velocity = v.velocity, s.spin = v.spin;
  } else if (const auto* circle = std::get_if<Circling<D>>(&s.motion)) {
    const Rotation<D> turn = Rotation<D>::from_spin(circle->rate * dt);
    o.target = Pose<D>{circle->centre + turn * Vec<D>(s.pose.position - circle->centre),
                       circle->turns ? turn * s.pose.rotation : s.pose.rotation};
  } else if (const auto* approach = std::get_if<Approach<D>>(&s.motion)) {
    Vec<D> goal = approach->place;
    if (!approach->object.empty()) {
      const auto at = by_name.find(approach->object);
      goal = at != by_name.end() ? objects[at->second].shown.pose.position : s.pose.position;
    }
    const Vec<D> way = goal - s.pose.position;
    const double far = way.norm(), left = std::max(0.0, far - approach->within);
    o.target = s.pose;
    if (left > 0) o.target->position += way * (std::min(left, approach->speed * dt) / far);
  }
}

template <int D>
void World<D>::Impl::heed(ObjectState<D>& o) {
  const double dt = 1 / settings.rate;
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
      if (h.takes_riders) take_riders(o, jump);
      put(o, o.place().moved(jump));
      for_family(o, [](ObjectState<D>& member) { member.changes.teleported = true; });
      something_changed = true;
      place_family(o);
      if (o.target) o.target->position += jump;
    }
  }
  if (!h.points_at.empty()) {
    const auto at = by_name.find(h.points_at);
    if (at != by_name.end()) {
      if (!o.target) o.target = Pose<D>{s.pose.position + s.velocity * dt, s.pose.rotation};
      const Vec<D> way = objects[at->second].shown.pose.position - o.target->position;
      if (way.norm() > 1e-9 * settings.metre) o.target->rotation = pointing(s.pose.rotation, way);
    }
  }
  if (h.kept_inside) {
    const Pose<D> next =
        o.target ? *o.target
                 : Pose<D>{s.pose.position + s.velocity * dt, Rotation<D>::from_spin(s.spin * dt) * s.pose.rotation};
    const Vec<D> inside = next.position.cwiseMax(h.kept_inside->lo).cwiseMin(h.kept_inside->hi);
    if (inside != next.position) o.target = Pose<D>{inside, next.rotation};
  }
}

template <int D>
void World<D>::Impl::drive() {
  const double dt = 1 / settings.rate;
  keep_schedules();
  for (const std::uint32_t slot : movers) {
    ObjectState<D>& o = objects[slot];
    Object<D>& s = o.shown;
    if (s.body != BodyKind::kinematic || !s.active || o.parent != kAlone || o.walker >= 0) continue;
    o.carried_along = false;
    if (o.paused) o.lag += dt;
    else follow_motion(o);
    const bool led = o.target.has_value() || !std::holds_alternative<std::monostate>(s.motion);
    const Vec<D> velocity = s.velocity;
    const Spin<D> spin = s.spin;
    heed(o);
    if (o.target) {
      s.velocity = (o.target->position - s.pose.position) / dt;
      s.spin = (o.target->rotation * s.pose.rotation.inverse()).to_spin() / dt;
      // A velocity of its own outlives what it heeds.
      if (!led) o.own_velocity = velocity, o.own_spin = spin, o.has_own = true;
    }
  }
  feel_currents();
}

// Kinematic things in zones that carry go along. Walkers see to that themselves.
template <int D>
void World<D>::Impl::feel_currents() {
  if (!has_fields) return;
  const double dt = 1 / settings.rate;
  for (const world::Pair<D>& p : pairs) {
    if (p.channel != Channel::zone || !p.touching) continue;
    for (const auto& [zone, other] : {std::pair(p.a, p.b), std::pair(p.b, p.a)}) {
      const std::optional<Field<D>>& field = def_of(colliders[zone]).field;
      ObjectState<D>& o = objects[colliders[other].object];
      if (!field || (field->current.isZero(0) && !field->carries)) continue;
      if (o.shown.body != BodyKind::kinematic || !o.shown.active || o.parent != kAlone || o.walker >= 0) continue;
      o.carried_along = true;
      Object<D>& s = o.shown;
      const Object<D>& carrier = objects[colliders[zone].object].shown;
      Vec<D> along = field->current;
      if (field->carries)
        along += carrier.velocity + cross(carrier.spin, Vec<D>(s.pose.position - carrier.pose * carrier.mass_centre));
      if (along.isZero(0)) continue;
      if (!o.target) {
        o.own_velocity = s.velocity, o.own_spin = s.spin, o.has_own = true;
        o.target = Pose<D>{s.pose.position + s.velocity * dt, Rotation<D>::from_spin(s.spin * dt) * s.pose.rotation};
      }
      o.target->position += along * dt;
      s.velocity += along;
    }
  }
}

template <int D>
void World<D>::Impl::keep_schedules() {
  const double now = static_cast<double>(steps) / settings.rate + 1e-9;
  for (const std::uint32_t slot : scheduled) {
    ObjectState<D>& o = objects[slot];
    if (o.life != world::Life::live) continue;
    for (std::size_t i = 0; i < o.shown.colliders.size(); ++i) {
      const Schedule<D>& schedule = o.shown.colliders[i].def.schedule;
      if (schedule.beats.empty()) continue;
      double t = now;
      if (schedule.period > 0) t -= std::floor(t / schedule.period) * schedule.period;
      std::int32_t beat = -1;
      while (beat + 1 < static_cast<std::int32_t>(schedule.beats.size()) &&
             schedule.beats[static_cast<std::size_t>(beat + 1)].at <= t)
        ++beat;
      if (beat < 0 && schedule.period > 0 && now > schedule.period)
        beat = static_cast<std::int32_t>(schedule.beats.size()) - 1;  // the last one's state lasts into the next round
      if (beat == std::exchange(o.beats[i], beat) || beat < 0) continue;
      const Beat<D> b = schedule.beats[static_cast<std::size_t>(beat)];
      if (b.on && *b.on != o.shown.colliders[i].def.on) switch_collider(o, i, *b.on);
      if (b.scale) {
        set_shape(o, i, scaled(o.first_shapes[i], *b.scale));
        o.changes.switched = something_changed = true;
      }
    }
  }
}

// Gravity, drag and wind of the zones that dynamic bodies are in, as the last step left them.
template <int D>
void World<D>::Impl::feel_fields() {
  if (!has_fields) return;
  struct Felt {
    std::uint32_t body = 0, zone = 0;
    const Field<D>* field = nullptr;
  };
  std::vector<Felt> felt;
  for (const world::Pair<D>& p : pairs) {
    if (p.channel != Channel::zone || !p.touching) continue;
    for (const auto& [zone, other] : {std::pair(p.a, p.b), std::pair(p.b, p.a)}) {
      const std::optional<Field<D>>& field = def_of(colliders[zone]).field;
      const ObjectState<D>& o = objects[colliders[other].object];
      if (field && o.shown.body == BodyKind::dynamic && o.body != world::kNoBody)
        felt.push_back({o.body, zone, &*field});
    }
  }
  std::sort(felt.begin(), felt.end(), [&](const Felt& x, const Felt& y) {
    return std::pair(x.body, colliders[x.zone].serial) < std::pair(y.body, colliders[y.zone].serial);
  });
  for (std::size_t i = 0; i < felt.size();) {
    dynamics::Body<D>& b = bodies[felt[i].body];
    const double scale = objects[body_objects[felt[i].body]].shown.gravity_scale;
    const Field<D>* alone = nullptr;
    const auto act = [&](const Field<D>& f) {
      b.acceleration += f.gravity * scale + f.wind * f.drag;
      b.drag += f.drag;
    };
    std::size_t to = i;
    for (std::uint32_t last = 0xffffffff; to < felt.size() && felt[to].body == felt[i].body; ++to) {
      if (std::exchange(last, felt[to].zone) == felt[to].zone) continue;  // felt by two of its colliders
      const Field<D>& f = *felt[to].field;
      const auto strength = [](const Field<D>& x) { return std::pair(x.gravity.squaredNorm(), x.drag); };
      if (!f.alone) act(f);
      else if (alone == nullptr || strength(f) > strength(*alone)) alone = &f;
    }
    if (alone != nullptr) act(*alone);
    i = to;
  }
}

// Counts what is entirely outside the world's bounds, and removes it if that was asked for.
template <int D>
void World<D>::Impl::watch_bounds() {
  if (!settings.bounds) return;
  std::vector<std::uint32_t> left;
  for (const std::uint32_t slot : movers) {
    ObjectState<D>& o = objects[slot];
    if (o.parent != kAlone || o.life != world::Life::live) continue;
    Bounds<D> own{o.shown.pose.position, o.shown.pose.position};
    for (const std::uint32_t at : o.colliders)
      own = own.merged(bounds(shape_of(colliders[at]), pose_of(colliders[at])));
    const bool outside = !own.overlaps(*settings.bounds);
    if (outside && !o.outside) {
      ++left_count;
      if (settings.leaving == Leaving::removed) left.push_back(slot);
    }
    o.outside = outside;
  }
  for (const std::uint32_t slot : left) remove(objects[slot]);
}

template <int D>
bool World<D>::switch_motion(ObjectId id, bool on) {
  if (alive(id) && (object(id).body != BodyKind::kinematic || object(id).parent)) return false;
  return impl_->change(id, [on](ObjectState<D>& o) {
    if (o.paused == !on) return;
    o.paused = !on;
    if (!on) o.held_velocity = o.shown.velocity, o.held_spin = o.shown.spin;
    o.shown.velocity = on ? o.held_velocity : Vec<D>(kZero);
    o.shown.spin = on ? o.held_spin : Spin<D>(kZero);
  });
}

template struct World<2>::Impl;
template struct World<3>::Impl;
template bool World<2>::switch_motion(ObjectId, bool);
template bool World<3>::switch_motion(ObjectId, bool);

}  // namespace colvik
