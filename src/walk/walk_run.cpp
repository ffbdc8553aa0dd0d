// What a walker does in a step: it is carried, freed from what moved into it, and goes, falls or
// floats.
#include <algorithm>
#include <cmath>

#include "pairs/access.h"
#include "pairs/index.h"
#include "pairs/one_way.h"
#include "store/objects.h"
#include "walk/walk.h"

namespace colvik::world {

namespace {

template <int D>
Vec<D> at_most(const Vec<D>& v, double length) {
  const double n = v.norm();
  return n > length ? Vec<D>(v * (length / n)) : v;
}

// The C library's differ between systems in the last bit.
double cosine(double angle) {
  double s = 0;
  double c = 1;
  sine_cosine(angle, s, c);
  return c;
}
double tangent(double angle) {
  double s = 0;
  double c = 1;
  sine_cosine(angle, s, c);
  return s / c;
}

}  // namespace

template <int D>
Walk<D>::Walk(Store<D>& store, Walkers<D>& walkers, ObjectState<D>& o, WalkerState<D>& state,
              const std::vector<Pair<D>*>& near)
    : store_(store),
      walkers_(walkers),
      o_(o),
      s_(state),
      walking_(state.walking),
      can_(*o.shown.walker),
      near_(near),
      obstacles_(walkers.obstacles) {
  obstacles_.clear();
  pose_ = o.shown.pose;
  dt_ = 1 / store_.settings.rate;
  now_ = static_cast<double>(store_.steps) / store_.settings.rate;
  clearance_ = can_.clearance.value_or(0.002 * store_.settings.metre);
  level_ = cosine(can_.steepest) - 1e-9;
}

// Whether what it stands on lets it through now.
template <int D>
bool Walk<D>::dropped() const {
  return std::any_of(obstacles_.begin(), obstacles_.end(), [&](const Obstacle& by) {
    return by.pair->ignored && object_of(by).id == walking_.on;
  });
}

// Its own velocity approaches the wanted one; returns the displacement meanwhile.
template <int D>
Vec<D> Walk<D>::ramp(const Vec<D>& wanted, double control, double time, Vec<D>& velocity) const {
  const std::optional<double>& given =
      wanted.isZero(1e-12) && can_.slowing ? can_.slowing : can_.speeding_up;
  if (control <= 0) return velocity * time;
  if (!given) {
    velocity = wanted;
    return wanted * time;
  }
  const Vec<D> change = wanted - velocity;
  const double rate = *given * control;
  const double length = change.norm();
  const double needs = length / rate;
  if (needs <= 0) return velocity * time;
  const double ramped = std::min(time, needs);
  const Vec<D> gain = change / length * rate;
  Vec<D> displacement = velocity * ramped + gain * (ramped * ramped / 2) + wanted * (time - ramped);
  velocity = ramped < needs ? Vec<D>(velocity + gain * ramped) : wanted;
  return displacement;
}

template <int D>
void Walk<D>::meet(const Hit& hit, const Vec<D>& velocity) {
  constexpr std::size_t kMost = 64;
  const ObjectState<D>& other = store_.objects[store_.colliders[hit.by->other].object];
  const double limit = cosine(can_.steepest) - 1e-9;
  const double rise = up_.dot(hit.normal);
  WalkTouch<D> t;
  t.object = other.shown.id;
  t.collider = store_.colliders[hit.by->other].which;
  t.side = up_.isZero(0) || std::abs(rise) < limit ? WalkSide::beside
           : rise > 0                              ? WalkSide::beneath
                                                   : WalkSide::above;
  t.point = hit.point;
  t.normal = hit.normal;
  t.time = now_ + spent_;
  t.speed =
      std::max(0.0, -hit.normal.dot(Vec<D>(velocity - displacement_of(other, hit.point) / dt_)));
  if (walking_.touches.size() < kMost) walking_.touches.push_back(t);
  if (t.side != WalkSide::beneath) push(hit, velocity);
}

// A dynamic body gets an impulse that grows with the speed, and is never made faster than the
// walker wanted to go.
template <int D>
void Walk<D>::push(const Hit& hit, const Vec<D>& velocity) {
  ObjectState<D>& other = store_.objects[store_.colliders[hit.by->other].object];
  if (other.shown.body != BodyKind::dynamic || can_.push + can_.push_least <= 0) return;
  if (!s_.pushes.matches(other.shown.colliders[store_.colliders[hit.by->other].which].tags)) return;
  if (std::find(pushed_.begin(), pushed_.end(), other.root) != pushed_.end()) return;
  const Vec<D> into = level(Vec<D>(-hit.normal));
  if (into.norm() < 1e-9) return;
  const Vec<D> along = into.normalized();
  const double speed = std::max(0.0, along.dot(velocity));
  if (speed <= 0) return;
  ObjectState<D>& root = store_.objects[other.root];
  // As hard as it wants to go fast, however much of that it has reached.
  const double wanted = std::max(speed, along.dot(at_most<D>(walking_.wish.velocity, can_.speed)));
  const double force = std::max(can_.push * std::min(1.0, wanted / can_.speed), can_.push_least);
  pushed_.push_back(other.root);
  walkers_.pushes.push_back({static_cast<std::uint32_t>(o_.walker), other.root, along,
                             force * dt_ * root.inverse_mass, speed, kZero, kZero});
}

// What it comes no nearer to than its clearance, however short its way in a step, it pushes too.
template <int D>
void Walk<D>::lean(const Vec<D>& velocity) {
  if (can_.push + can_.push_least <= 0 || velocity.isZero(0)) return;
  const Vec<D> ahead = velocity.normalized() * (4 * clearance_);
  const Hit hit = cast(pose_.position, ahead);
  if (hit.by == nullptr || -hit.t * hit.normal.dot(ahead) > 1.25 * clearance_) return;
  if (object_of(*hit.by).body != BodyKind::dynamic || walkable(hit.normal)) return;
  meet(hit, velocity);
  stop_at(hit);
}

template <int D>
void Walk<D>::stand(const Hit& ground) {
  const ObjectState<D>& on = store_.objects[store_.colliders[ground.by->other].object];
  if (!walking_.standing) walking_.since = now_ + spent_;
  walking_.standing = true;
  walking_.jumping = false;
  walking_.on = on.shown.id;
  walking_.collider = store_.colliders[ground.by->other].which;
  walking_.normal = ground.normal;
  s_.foot = on.shown.pose.to_local(ground.point);
  const Vec<D> running = surface_velocity(on.shown, walking_.collider);
  walking_.carried = displacement_of(on, ground.point) / dt_ + running -
                     ground.normal * ground.normal.dot(running);
  walking_.highest = up_.dot(pose_.position);
}

template <int D>
void Walk<D>::leave_ground() {
  if (!walking_.standing) return;
  const Vec<D> n = walking_.normal;
  Vec<D> along = s_.velocity;
  if (n.dot(up_) > 1e-9) {  // as it went along the slope
    along -= up_ * (along.dot(n) / n.dot(up_));
    if (along.norm() > 0) along *= s_.velocity.norm() / along.norm();
  }
  if (!can_.keeps_speed) walking_.carried.setZero();
  s_.velocity = along + walking_.carried;
  walking_.carried = level(walking_.carried);
  walking_.standing = false;
  walking_.normal.setZero();
  walking_.since = now_ + spent_;
  walking_.highest = s_.last_up.dot(pose_.position);
}

template <int D>
void Walk<D>::jump() {
  const bool pressed = walking_.wish.jump && !s_.wished_jump;
  s_.wished_jump = walking_.wish.jump;
  if (pressed && walking_.standing && can_.jump_speed > 0 && !up_.isZero(0)) {
    leave_ground();
    // Its own rise, whatever the slope gave; what carried it adds to it.
    s_.velocity += up_ * (can_.jump_speed - std::max(0.0, up_.dot(s_.velocity)) +
                          (can_.keeps_speed ? std::max(0.0, up_.dot(lift_)) : 0.0));
    walking_.jumping = true;
  }
  if (walking_.jumping && !walking_.wish.jump) {
    const double rise = up_.dot(s_.velocity);
    if (rise > 0) s_.velocity -= up_ * (rise * (1 - can_.jump_cut));
    walking_.jumping = false;
  }
}

template <int D>
void Walk<D>::walk_on_ground(double time) {
  const Vec<D> wanted = at_most<D>(level(walking_.wish.velocity), can_.speed);
  const double began = spent_;
  s_.velocity = level(s_.velocity);
  const Vec<D> flat = ramp(wanted, 1, time, s_.velocity);
  const Vec<D> n = walking_.normal;
  Vec<D> displacement = flat - up_ * (flat.dot(n) / n.dot(up_));
  if (displacement.norm() > 0) displacement *= flat.norm() / displacement.norm();
  Slid slid;
  if (displacement.norm() > 0) {
    const Vec<D> velocity = s_.velocity;
    slid = slide(displacement, true);
    for (const Hit& hit : slid.hits) {
      meet(hit, velocity);
      if (!walkable(hit.normal) && !hit.climbed) stop_at(hit);
    }
    if (slid.hits.empty()) lean(velocity);
  }
  spent_ = began + time;
  const double gone = level(slid.gone).norm();
  const bool holds = !can_.hold_below || gone <= *can_.hold_below * time;
  const double depth =
      2 * clearance_ + (holds ? can_.step + gone * tangent(std::min(can_.steepest, 1.4)) : 0);
  if (const std::optional<Hit> ground = ground_below(depth)) {
    const Vec<D> down = -up_ * depth;
    pose_.position += free_part(*ground, down, true) * down;
    note_ground(*ground);
    stand(*ground);
  } else {
    leave_ground();
  }
}

// A wall takes the part of the velocity that goes into it, a body that yields as much as it is
// slower.
template <int D>
void Walk<D>::stop_at(const Hit& hit) {
  const Object<D>& other = object_of(*hit.by);
  const Vec<D> n = walking_.standing && level(hit.normal).norm() > 1e-9
                       ? Vec<D>(level(hit.normal).normalized())
                       : hit.normal;
  const double into = -n.dot(s_.velocity);
  const double theirs = other.body == BodyKind::dynamic ? std::max(0.0, -n.dot(other.velocity)) : 0;
  if (into > theirs) s_.velocity += n * (into - theirs);
}

template <int D>
void Walk<D>::note_ground(const Hit& ground) {
  const ObjectId on = object_of(*ground.by).id;
  for (const WalkTouch<D>& t : walking_.touches)
    if (t.object == on && t.side == WalkSide::beneath) return;
  meet(ground, walking_.carried);
}

// As in slide(): what is too steep to stand on is a wall, and no speed against it leads up.
template <int D>
void Walk<D>::stop_in_air(const Hit& hit) {
  const Object<D>& other = object_of(*hit.by);
  const double body =
      other.body == BodyKind::dynamic ? std::min(0.0, hit.normal.dot(other.velocity)) : 0;
  const double most = std::max(0.0, up_.dot(s_.velocity));
  const double into = hit.normal.dot(s_.velocity);
  if (into >= body) return;
  const Vec<D> along = s_.velocity - hit.normal * (into - body);
  const Vec<D> wall = level(hit.normal);
  if (body < 0 || up_.dot(along) <= most || wall.norm() < 1e-9) {
    s_.velocity = along;
    return;
  }
  const Vec<D> flat = wall.normalized();
  s_.velocity -= flat * std::min(0.0, flat.dot(s_.velocity));
  s_.velocity -= hit.normal * std::min(0.0, hit.normal.dot(s_.velocity));
}

template <int D>
void Walk<D>::fly_through_air(double time) {
  const double g = gravity_.norm();
  // Short enough that a chord is no further from the parabola than a tenth of a millimetre.
  const double arc = std::sqrt(g * time * time / (8 * 1e-4 * store_.settings.metre));
  const int pieces = std::clamp(static_cast<int>(std::ceil(arc)), 1, 24);
  for (int k = 0; k < pieces; ++k) {
    const double h = time / pieces;
    const double began = spent_;
    Vec<D> along = level(s_.velocity);
    const Vec<D> wanted = at_most<D>(level(walking_.wish.velocity), can_.speed) + walking_.carried;
    // What slides down is not held by not wanting to go anywhere.
    const bool free = now_ + spent_ - s_.slid < 0.1 && walking_.wish.velocity.isZero(0);
    const Vec<D> flat = ramp(wanted, free ? 0 : can_.air_control, h, along);
    double rise = up_.dot(s_.velocity);
    double climb_by = rise * h - g * h * h / 2;
    if (rise > 0 && rise < g * h)
      walking_.highest =
          std::max(walking_.highest, up_.dot(pose_.position) + rise * rise / (2 * g));
    double then = rise - g * h;
    if (can_.fall_limit && then < -*can_.fall_limit) {
      then = std::min(rise, -*can_.fall_limit);
      if (rise <= -*can_.fall_limit) {
        then = -*can_.fall_limit;
        climb_by = then * h;
      } else climb_by = (rise + then) / 2 * h;
    }
    s_.velocity = along + up_ * then;
    if (drag_ > 0) s_.velocity += (wind_ - s_.velocity * drag_) * std::min(h, 1 / drag_);
    const Vec<D> velocity = s_.velocity;
    const Slid slid = slide(flat + up_ * climb_by, false);
    walking_.highest = std::max(walking_.highest, up_.dot(pose_.position));
    spent_ = began + h * (slid.landed ? slid.part : 1);
    for (const Hit& hit : slid.hits) {
      meet(hit, velocity);
      if (!walkable(hit.normal) && up_.dot(hit.normal) > 0.02) s_.slid = now_ + spent_;
      if (slid.landed && hit.by == slid.ground.by && hit.t == slid.ground.t) continue;
      stop_in_air(hit);
    }
    if (!slid.landed) continue;
    Hit ground = slid.ground;
    if (const std::optional<Vec<D>> face = ground_behind(ground)) ground.normal = *face;
    stand(ground);
    s_.velocity = level(Vec<D>(s_.velocity - walking_.carried));
    walk_on_ground(time / pieces * (pieces - k) - (spent_ - began));
    return;
  }
}

// Without gravity, or flying: all directions are alike.
template <int D>
void Walk<D>::float_about(double time) {
  leave_ground();
  const Vec<D> up = std::exchange(up_, kZero);
  const Vec<D> wanted = at_most<D>(walking_.wish.velocity, can_.speed);
  const Vec<D> displacement = ramp(wanted, 1, time, s_.velocity);
  const Vec<D> velocity = s_.velocity;
  const Slid slid = slide(displacement, false);
  spent_ += time;
  for (const Hit& hit : slid.hits) {
    meet(hit, velocity);
    stop_at(hit);
  }
  if (slid.hits.empty()) lean(velocity);
  up_ = up;
  walking_.highest = std::max(walking_.highest, s_.last_up.dot(pose_.position));
}

template <int D>
void Walk<D>::finish() {
  for (const Obstacle& by : obstacles_)
    if (walking_.squeezed && by.pushes) {
      const ColliderState<D>& own = store_.colliders[by.own];
      const ColliderState<D>& other = store_.colliders[by.other];
      by.pair->squeezed =
          contact::nearest(other.shape, own.shape,
                           relative_pose(other, store_.objects[other.object].shown.pose, own,
                                         pose_of_own(own, pose_)),
                           0)
              .gap < 0;
    }
  if (walking_.standing && can_.weight > 0) {
    const ObjectState<D>* on = find_state(store_, walking_.on);
    if (on != nullptr && on->shown.body == BodyKind::dynamic)
      walkers_.pushes.push_back({static_cast<std::uint32_t>(o_.walker), on->shown.id.slot, kZero, 0,
                                 0, gravity_ * can_.weight, on->shown.pose * s_.foot});
  }
  if (pushed_.empty()) s_.pushed = kAlone;
  Object<D>& shown = o_.shown;
  shown.velocity = (pose_.position - o_.pose_before.position) / dt_;
  shown.spin = (pose_.rotation * o_.pose_before.rotation.inverse()).to_spin() / dt_;
  move_object(store_, o_, pose_);
  walking_.up = up_;
  walking_.own_velocity = s_.velocity;
  const Vec<D> ahead = up_.isZero(0) ? walking_.wish.velocity : level(walking_.wish.velocity);
  if (ahead.norm() > 1e-12) walking_.facing = ahead.normalized();
}

template <int D>
void Walk<D>::run() {
  feel_zones();
  find_obstacles();
  walking_.touches.clear();
  if (!std::exchange(s_.moved, true)) walking_.highest = s_.last_up.dot(pose_.position);
  if (walking_.standing && !walkable(walking_.normal)) leave_ground();  // up is somewhere else now
  carry();
  const Pose<D> carried_to = pose_;
  walking_.squeezed = !push_out(8);
  // Where nothing pulls, what only gives it its clearance back is part of its move, so that none is
  // longer than requested.
  const bool floats = up_.isZero(0) || walking_.wish.fly;
  const Vec<D> out = pose_.position - carried_to.position;
  if (floats && !out.isZero(0)) {
    const Pose<D> freed = std::exchange(pose_, carried_to);
    if (deepest() <= 0) owed_ = out.norm();
    pose_ = freed;
  }
  walking_.deepest = walking_.squeezed ? deepest() : 0;
  if (walking_.deepest <= 0) walking_.squeezed = false;
  if (walking_.squeezed) {
    leave_ground();
    s_.velocity.setZero();
  }
  lift_ = walking_.standing ? walking_.carried : Vec<D>(kZero);
  jump();
  if (walking_.squeezed) spent_ = dt_;  // it stays where it is least deep
  else if (floats) float_about(dt_);
  else if (walking_.standing) walk_on_ground(dt_);
  else fly_through_air(dt_);
  if (owed_ > 0) pose_.position -= out.normalized() * owed_;
  finish();
}

template Walk<2>::Walk(Store<2>& store, Walkers<2>& walkers, ObjectState<2>& o,
                       WalkerState<2>& state, const std::vector<Pair<2>*>& near);
template Walk<3>::Walk(Store<3>& store, Walkers<3>& walkers, ObjectState<3>& o,
                       WalkerState<3>& state, const std::vector<Pair<3>*>& near);
template bool Walk<2>::dropped() const;
template bool Walk<3>::dropped() const;
template Vec<2> Walk<2>::ramp(const Vec<2>& wanted, double control, double time,
                              Vec<2>& velocity) const;
template Vec<3> Walk<3>::ramp(const Vec<3>& wanted, double control, double time,
                              Vec<3>& velocity) const;
template void Walk<2>::meet(const Hit& hit, const Vec<2>& velocity);
template void Walk<3>::meet(const Hit& hit, const Vec<3>& velocity);
template void Walk<2>::push(const Hit& hit, const Vec<2>& velocity);
template void Walk<3>::push(const Hit& hit, const Vec<3>& velocity);
template void Walk<2>::lean(const Vec<2>& velocity);
template void Walk<3>::lean(const Vec<3>& velocity);
template void Walk<2>::stand(const Hit& ground);
template void Walk<3>::stand(const Hit& ground);
template void Walk<2>::leave_ground();
template void Walk<3>::leave_ground();
template void Walk<2>::jump();
template void Walk<3>::jump();
template void Walk<2>::walk_on_ground(double time);
template void Walk<3>::walk_on_ground(double time);
template void Walk<2>::stop_at(const Hit& hit);
template void Walk<3>::stop_at(const Hit& hit);
template void Walk<2>::note_ground(const Hit& ground);
template void Walk<3>::note_ground(const Hit& ground);
template void Walk<2>::stop_in_air(const Hit& hit);
template void Walk<3>::stop_in_air(const Hit& hit);
template void Walk<2>::fly_through_air(double time);
template void Walk<3>::fly_through_air(double time);
template void Walk<2>::float_about(double time);
template void Walk<3>::float_about(double time);
template void Walk<2>::finish();
template void Walk<3>::finish();
template void Walk<2>::run();
template void Walk<3>::run();

}  // namespace colvik::world
