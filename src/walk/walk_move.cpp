// How a walker moves among what is solid: casts of its shapes, sliding along what they meet,
// climbing steps.
#include <algorithm>
#include <cmath>

#include "contact/cast.h"
#include "math/fault.h"
#include "pairs/access.h"
#include "pairs/extent.h"
#include "pairs/index.h"
#include "pairs/one_way.h"
#include "store/objects.h"
#include "walk/walk.h"

namespace colvik::world {

// The first of the obstacles along a straight displacement from a position.
template <int D>
auto Walk<D>::cast(const Vec<D>& from, const Vec<D>& displacement) const -> Hit {
  Hit best;
  if (displacement.isZero(0)) return best;
  const Pose<D> start{from, pose_.rotation};
  for (const Obstacle& by : obstacles_) {
    if (!by.stops) continue;
    const ColliderState<D>& own = store_.colliders[by.own];
    const ColliderState<D>& other = store_.colliders[by.other];
    const ColliderDef<D>& mine = definition_of(store_, own);
    const ColliderDef<D>& theirs = definition_of(store_, other);
    const Object<D>& object = store_.objects[other.object].shown;
    const Pose<D> place = object.pose * Pose<D>{theirs.at, theirs.turned};
    contact::Course<D> course;
    course.start = relative_pose(other, object.pose, own, pose_of_own(own, start));
    course.move = place.rotation.inverse() * displacement;
    course.through_one_way = by.pair->ignored;
    const auto hit = contact::first_touch(theirs.shape, mine.shape, course);
    if (!hit || hit->t >= best.t) continue;
    const Vec<D> normal = place.rotation * hit->normal;
    if (normal.dot(displacement) >= 0) continue;  // it goes along or away
    best.t = hit->t;
    best.normal = normal;
    best.point = place * hit->point;
    best.by = &by;
  }
  return best;
}

// As near to what was hit as the clearance allows. Exact for flat surfaces; what is let down on a
// corner is not held up far above it.
template <int D>
double Walk<D>::free_part(const Hit& hit, const Vec<D>& displacement, bool down) const {
  if (hit.by == nullptr) return 1;
  const double length = displacement.norm();
  const double closing = std::max(-hit.normal.dot(displacement) / length, 1e-12);
  const double back = down ? std::min(clearance_ / closing, 4 * clearance_) : clearance_ / closing;
  return std::clamp(hit.t - back / length, 0.0, 1.0);
}

// Drops the manifolds of one-way cells that it passes through.
template <int D>
void Walk<D>::drop_one_way(const Obstacle& by) const {
  const ObjectState<D>& other = store_.objects[store_.colliders[by.other].object];
  const Vec<D> velocity = velocity_from(other);
  const Rotation<D> turned = other.shown.pose.rotation * store_.colliders[by.other].own.rotation;
  std::erase_if(walkers_.manifolds, [&](const contact::Manifold<D>& m) {
    if (m.one_way == 0) return false;
    const bool parts = (turned * m.normal).dot(velocity) > 1e-9 * store_.settings.metre;
    return by.pair->ignored || parts || m.least_gap(0) < -2 * kTouching * store_.settings.metre;
  });
}

// How deep it is in the worst of what is around it; 0: in none.
template <int D>
double Walk<D>::deepest() const {
  double depth = 0;
  for (const Obstacle& by : obstacles_) {
    if (!by.pushes) continue;
    const ColliderState<D>& own = store_.colliders[by.own];
    const ColliderState<D>& other = store_.colliders[by.other];
    contact::collide(
        other.shape, own.shape,
        relative_pose(other, store_.objects[other.object].shown.pose, own, pose_of_own(own, pose_)),
        0, 0, walkers_.manifolds);
    drop_one_way(by);
    for (const contact::Manifold<D>& m : walkers_.manifolds)
      depth = std::max(depth, -m.least_gap(0));
  }
  return depth;
}

// Out of what moved into it, to where the clearance is kept. False when there is no such place
// near; what never moves is then not entered, and what moves is.
template <int D>
bool Walk<D>::push_out(int rounds) {
  const double near = 0.5 * clearance_;
  const Pose<D> start = pose_;
  double most = o_.thickness +
                2 * clearance_;  // further than that it would come out on the other side of things
  for (const Obstacle& by : obstacles_)
    if (by.pushes)
      most = std::max(
          most, o_.thickness + displacement_of(store_.objects[store_.colliders[by.other].object],
                                               pose_.position)
                                   .norm());
  for (int round = 0; round < rounds; ++round) {
    bool clear = true;
    bool torn = false;
    Vec<D> out = Vec<D>::Zero();
    for (const bool still : {false, true})  // those have the last word
      for (const Obstacle& by : obstacles_) {
        const ColliderState<D>& own = store_.colliders[by.own];
        const ColliderState<D>& other = store_.colliders[by.other];
        const Object<D>& object = store_.objects[other.object].shown;
        if (!by.pushes || (object.body == BodyKind::fixed) != still) continue;
        contact::collide(other.shape, own.shape,
                         relative_pose(other, object.pose, own, pose_of_own(own, pose_)), near,
                         0.01 * store_.settings.metre, walkers_.manifolds);
        drop_one_way(by);
        for (const contact::Manifold<D>& m : walkers_.manifolds) {
          const double gap = m.least_gap(near);
          if (gap >= near) continue;
          clear = false;
          const Vec<D> normal =
              object.pose.rotation * (definition_of(store_, other).turned * m.normal);
          torn = torn || out.dot(normal) < -near;
          // What was gained along this normal already counts.
          const double more = clearance_ - gap - out.dot(normal);
          if (more > 0) out += more * normal;
        }
      }
    if (clear) return true;
    if ((pose_.position + out - start.position).norm() > most) {
      pose_ = start;
      return false;
    }
    pose_.position += out;
    if (torn && round > 1) return false;
  }
  return deepest() <= near;
}

namespace {

// The rest of a displacement along all planes that stopped it; zero where it is wedged in between.
template <int D>
Vec<D> along_planes(const Vec<D>& displacement, const std::vector<Vec<D>>& planes) {
  const auto enters = [&](const Vec<D>& v, const Vec<D>& n) {
    return v.dot(n) < -1e-12 * displacement.norm();
  };
  const auto fits = [&](const Vec<D>& v) {
    return std::none_of(planes.begin(), planes.end(),
                        [&](const Vec<D>& n) { return enters(v, n); });
  };
  if (fits(displacement)) return displacement;
  for (std::size_t i = planes.size(); i-- > 0;) {
    if (!enters(displacement, planes[i])) continue;
    Vec<D> v = displacement - planes[i] * displacement.dot(planes[i]);
    if (fits(v)) return v;
  }
  if constexpr (D == 3)
    for (std::size_t i = planes.size(); i-- > 0;)
      for (std::size_t j = i; j-- > 0;) {
        const Vec<3> crease = cross(planes[i], planes[j]);
        const double length = crease.norm();
        if (length < 1e-9) continue;
        Vec<3> v = crease * (crease.dot(displacement) / (length * length));
        if (fits(v)) return v;
      }
  return kZero;
}

}  // namespace

// Moves by a displacement as far as it is free, then along the obstacles. In the air, ends where it
// lands.
template <int D>
auto Walk<D>::slide(Vec<D> displacement, bool on_ground) -> Slid {
  Slid slid;
  const bool has_up = !up_.isZero(0);
  const Vec<D> start = pose_.position;
  if (const double length = displacement.norm(); owed_ > 0 && length > 0) {
    const double less = std::min(owed_, length);
    displacement *= (length - less) / length;
    owed_ -= less;
  }
  const double whole = displacement.norm();
  std::vector<Vec<D>> planes;
  double left = 1;
  for (int turn = 0; turn < 5 && displacement.norm() > 1e-9 * clearance_; ++turn) {
    const Hit hit = cast(pose_.position, displacement);
    const double part = free_part(hit, displacement);
    pose_.position += part * displacement;
    left *= 1 - part;
    if (hit.by == nullptr) break;
    slid.hits.push_back(hit);
    displacement *= 1 - part;
    const double rise = up_.dot(hit.normal);
    if (!on_ground && has_up && up_.dot(displacement) < 0 && is_ground(hit)) {
      slid.landed = true;
      slid.ground = hit;
      slid.part = whole > 0 ? 1 - left : 1;
      break;
    }
    if (on_ground && has_up && walkable(hit.normal)) {
      // Up a slope, or down: at the same speed, in the same direction as seen from above.
      const Vec<D> flat = level(displacement);
      Vec<D> along = flat - up_ * (flat.dot(hit.normal) / rise);
      if (along.norm() > 0) along *= displacement.norm() / along.norm();
      planes.assign(1, hit.normal);
      displacement = along;
      continue;
    }
    if (on_ground && has_up && climb(displacement, slid, hit.normal)) continue;
    planes.push_back(hit.normal);
    Vec<D> next = along_planes<D>(displacement, planes);
    // What is too steep is a wall: nobody gets up on it by walking against it.
    if (has_up && rise > 0 &&
        up_.dot(next) > std::max(0.0, up_.dot(displacement)) + 1e-12 * whole) {
      const Vec<D> flat = level(hit.normal);
      if (flat.norm() > 1e-9) {
        planes.push_back(flat.normalized());
        next = along_planes<D>(displacement, planes);
        if (up_.dot(next) > std::max(0.0, up_.dot(displacement)) + 1e-12 * whole) next = kZero;
      }
    }
    displacement = next;
  }
  slid.gone = pose_.position - start;
  return slid;
}

// How low it reaches with its origin there, along up.
template <int D>
double Walk<D>::foot(const Vec<D>& at) const {
  double lowest = std::numeric_limits<double>::max();
  for (const Obstacle& by : obstacles_) {
    const ColliderState<D>& own = store_.colliders[by.own];
    const ColliderDef<D>& def = definition_of(store_, own);
    if (own.object != o_.shown.id.slot) continue;  // what it carries is no foot
    const Pose<D> turned = Pose<D>{kZero, pose_.rotation} * Pose<D>{def.at, def.turned};
    lowest = std::min(lowest, extent_along<D>(def.shape, turned, up_).first);
  }
  return up_.dot(at) + lowest;
}

// A slanted touch may be that of a rounded foot on an edge: the normal of the surface behind that.
template <int D>
std::optional<Vec<D>> Walk<D>::surface_behind(const Hit& hit) const {
  if (up_.isZero(0) || up_.dot(hit.normal) <= 0.02) return std::nullopt;
  Vec<D> inward = -level(hit.normal);
  if (inward.norm() < 1e-9) return std::nullopt;
  inward.normalize();
  const ColliderState<D>& other = store_.colliders[hit.by->other];
  const Object<D>& object = store_.objects[other.object].shown;
  const ColliderDef<D>& def = definition_of(store_, other);
  const Pose<D> place = object.pose * Pose<D>{def.at, def.turned};
  const double small = 0.01 * store_.settings.metre;
  const Shape<D> point;
  contact::Course<D> course;
  course.start.position = place.to_local(Vec<D>(hit.point + inward * small + up_ * (2 * small)));
  course.move = place.rotation.inverse() * Vec<D>(-up_ * (4 * small));
  const auto top = contact::first_touch(def.shape, point, course);
  if (!top || top->inside) return std::nullopt;
  const Vec<D> normal = place.rotation * top->normal;
  return walkable(normal) ? std::optional(normal) : std::nullopt;
}

// The same where the edge is no higher than a step.
template <int D>
std::optional<Vec<D>> Walk<D>::ground_behind(const Hit& hit) const {
  if (can_.step <= 0) return std::nullopt;
  if (up_.dot(hit.point) - foot(pose_.position) > can_.step + clearance_) return std::nullopt;
  return surface_behind(hit);
}

// Up, on, and down again, where that leads on to ground no higher than a step. What is left of the
// displacement is level.
template <int D>
bool Walk<D>::climb(Vec<D>& displacement, Slid& slid, const Vec<D>& wall) {
  if (can_.step <= 0) return false;
  const Vec<D> flat = level(displacement);
  const double far = flat.norm();
  if (far <= 1e-9 * clearance_ || flat.dot(wall) >= 0) return false;
  const Vec<D> before = pose_.position;
  const double step = COLVIK_FAULT(18) ? 1.2 * can_.step : can_.step;
  const Vec<D> lift = up_ * (step + clearance_);
  const Hit above = cast(before, lift);
  const Vec<D> raised = before + free_part(above, lift) * lift;
  const double risen = up_.dot(Vec<D>(raised - before));
  // Without ground ahead there is no step, however little of the displacement is left.
  const Vec<D> ahead = flat / far * std::max(far, 0.1 * store_.settings.metre);
  const Hit wall_ahead = cast(raised, ahead);
  const Vec<D> over = raised + free_part(wall_ahead, ahead) * ahead;
  const Vec<D> down = -up_ * (risen + clearance_);
  const Hit there = cast(over, down);
  if (there.by == nullptr || !is_ground(there)) return false;
  const auto is_step = [&](const Hit& hit) {
    const double height = up_.dot(hit.point) - foot(before);
    return height > clearance_ && height <= step + clearance_;
  };
  if (!is_step(there)) return false;
  // A rounded foot has to get over the corner at all.
  const Vec<D> on_to = flat / far * std::max(far, 3 * clearance_);
  const Hit on = cast(raised, on_to);
  const Vec<D> next = raised + free_part(on, on_to) * on_to;
  if (level(Vec<D>(next - before)).dot(flat) <= 1e-6 * clearance_ * far) return false;
  const Hit below = cast(next, down);
  const Vec<D> landed = next + free_part(below, down, true) * down;
  if (below.by == nullptr || !is_ground(below) ||
      up_.dot(Vec<D>(below.point - before)) > up_.dot(Vec<D>(there.point - before)) + can_.step ||
      up_.dot(Vec<D>(landed - before)) < -clearance_)
    return false;
  pose_.position = landed;
  displacement = flat * std::max(0.0, 1 - free_part(on, on_to) * on_to.norm() / far);
  slid.hits.push_back(below);
  for (Hit& hit : slid.hits) hit.climbed = hit.climbed || hit.by == below.by || hit.normal == wall;
  return true;
}

template <int D>
auto Walk<D>::ground_below(double depth) const -> std::optional<Hit> {
  const Vec<D> down = -up_ * depth;
  Hit hit = cast(pose_.position, down);
  if (hit.by == nullptr) return std::nullopt;
  const bool is_level = up_.dot(hit.normal) > 1 - 1e-9;
  std::optional<Vec<D>> face = is_level ? std::nullopt : ground_behind(hit);
  // What goes over an edge goes on along the surface, and not around its own foot.
  if (!is_level && !face && walkable(hit.normal) &&
      hit.normal.dot(level(Vec<D>(s_.velocity + walking_.carried))) > 0)
    face = surface_behind(hit);
  if (face) hit.normal = *face;
  if (!walkable(hit.normal)) return std::nullopt;
  return hit;
}

template auto Walk<2>::cast(const Vec<2>& from, const Vec<2>& displacement) const -> Walk<2>::Hit;
template auto Walk<3>::cast(const Vec<3>& from, const Vec<3>& displacement) const -> Walk<3>::Hit;
template double Walk<2>::free_part(const Hit& hit, const Vec<2>& displacement, bool down) const;
template double Walk<3>::free_part(const Hit& hit, const Vec<3>& displacement, bool down) const;
template void Walk<2>::drop_one_way(const Obstacle& by) const;
template void Walk<3>::drop_one_way(const Obstacle& by) const;
template double Walk<2>::deepest() const;
template double Walk<3>::deepest() const;
template bool Walk<2>::push_out(int rounds);
template bool Walk<3>::push_out(int rounds);
template auto Walk<2>::slide(Vec<2> displacement, bool on_ground) -> Walk<2>::Slid;
template auto Walk<3>::slide(Vec<3> displacement, bool on_ground) -> Walk<3>::Slid;
template double Walk<2>::foot(const Vec<2>& at) const;
template double Walk<3>::foot(const Vec<3>& at) const;
template std::optional<Vec<2>> Walk<2>::surface_behind(const Hit& hit) const;
template std::optional<Vec<3>> Walk<3>::surface_behind(const Hit& hit) const;
template std::optional<Vec<2>> Walk<2>::ground_behind(const Hit& hit) const;
template std::optional<Vec<3>> Walk<3>::ground_behind(const Hit& hit) const;
template bool Walk<2>::climb(Vec<2>& displacement, Slid& slid, const Vec<2>& wall);
template bool Walk<3>::climb(Vec<3>& displacement, Slid& slid, const Vec<3>& wall);
template auto Walk<2>::ground_below(double depth) const -> std::optional<Hit>;
template auto Walk<3>::ground_below(double depth) const -> std::optional<Hit>;

}  // namespace colvik::world
