// What acts on a walker in a step: its obstacles, the zones it is in, and what carries it.
#include <algorithm>
#include <cmath>

#include "pairs/access.h"
#include "pairs/index.h"
#include "pairs/one_way.h"
#include "store/objects.h"
#include "walk/walk.h"

namespace colvik::world {

// The obstacles: the state at the start of the step decides about one-way surfaces.
template <int D>
void Walk<D>::find_obstacles() {
  const auto before = [&](const ObjectState<D>& o) -> Pose<D> {
    if (o.root == o_.shown.id.slot && o.parent != kAlone) return o_.pose_before * o.on_root;
    return o.body != kNoBody ? o.pose_before : o.shown.pose;
  };
  for (Pair<D>* p : near_) {
    p->squeezed = false;
    if (p->channel != Channel::solid) continue;
    const bool first = store_.objects[p->object_a].root == o_.shown.id.slot;
    Obstacle by;
    by.pair = p;
    by.own = first ? p->a : p->b;
    by.other = first ? p->b : p->a;
    const ColliderState<D>& a = store_.colliders[p->a];
    const ColliderState<D>& b = store_.colliders[p->b];
    const ObjectState<D>& oa = store_.objects[a.object];
    const ObjectState<D>& ob = store_.objects[b.object];
    const bool one_way = has_one_way(store_, *p);
    const double reach = kLetGo * store_.settings.metre;
    double gap = 0;
    if (p->ignored || one_way)
      gap =
          contact::nearest(a.shape, b.shape, relative_pose(a, before(oa), b, before(ob)), 2 * reach)
              .gap;
    if (gap > reach) p->ignored = false;
    if (walking_.wish.drop && walking_.standing &&
        (one_way || store_.colliders[by.other].shape.tiles != nullptr) &&
        store_.objects[store_.colliders[by.other].object].shown.id == walking_.on)
      p->ignored = true;
    if (one_way) {
      const ObjectState<D>& thing = store_.objects[store_.colliders[by.other].object];
      const Vec<D> own = velocity_from(thing);
      by.stops = by.pushes = holds_one_way(
          store_, *p, Crossing<D>{before(oa), before(ob), gap, first ? Vec<D>(-own) : own});
    }
    if (has_back(store_, *p)) {
      look_from_behind<D>(store_, *p, before(oa), before(ob), s_.reach, walkers_.manifolds);
      by.stops = by.pushes = !p->passing;
    }
    const ObjectState<D>& other = store_.objects[store_.colliders[by.other].object];
    if (other.shown.body == BodyKind::dynamic &&
        s_.yields_to.matches(other.shown.colliders[store_.colliders[by.other].which].tags))
      by.stops = false;
    obstacles_.push_back(by);
  }
}

// Gravity, currents, drag and wind of the zones it was in.
template <int D>
void Walk<D>::feel_zones() {
  gravity_ = store_.settings.gravity * o_.shown.gravity_scale;
  const Field<D>* alone = nullptr;
  const auto act = [&](const Field<D>& f) {
    gravity_ += f.gravity * o_.shown.gravity_scale;
    wind_ += f.wind * f.drag;
    drag_ += f.drag;
  };
  std::vector<std::uint32_t> felt;
  for (const Pair<D>* p : near_) {
    if (p->channel != Channel::zone || !p->touching) continue;
    if (p->object_a != o_.shown.id.slot && p->object_b != o_.shown.id.slot) continue;
    const bool first = store_.objects[p->object_a].root == o_.shown.id.slot;
    const std::uint32_t zone = first ? p->b : p->a;
    const std::optional<Field<D>>& f = definition_of(store_, store_.colliders[zone]).field;
    if (!f || std::find(felt.begin(), felt.end(), zone) != felt.end()) continue;
    felt.push_back(zone);
    const auto strength = [](const Field<D>& x) {
      return std::pair(x.gravity.squaredNorm(), x.drag);
    };
    if (!f->alone) act(*f);
    else if (alone == nullptr || strength(*f) > strength(*alone)) alone = &*f;
    current_ += f->current;
    if (f->carries)
      current_ +=
          displacement_of(store_.objects[store_.colliders[zone].object], pose_.position) / dt_;
  }
  if (alone != nullptr) act(*alone);
  if (gravity_.norm() > 1e-9 * store_.settings.metre) up_ = -gravity_.normalized();
  else {
    gravity_.setZero();
    up_.setZero();
  }
  if (!up_.isZero(0)) s_.last_up = up_;
}

// How far a point of an object has moved in this step.
template <int D>
Vec<D> Walk<D>::displacement_of(const ObjectState<D>& o, const Vec<D>& point) const {
  if (o.body == kNoBody) return kZero;
  return o.shown.pose * o.pose_before.to_local(point) - point;
}

template <int D>
Vec<D> Walk<D>::velocity_from(const ObjectState<D>& other) const {
  return s_.velocity + walking_.carried + gravity_ * dt_ -
         displacement_of(other, pose_.position) / dt_;
}

template <int D>
void Walk<D>::carry() {
  const auto go = [&](const Vec<D>& displacement, ObjectId carrier) {
    for (Obstacle& by : obstacles_)
      if (object_of(by).id == carrier) std::swap(by.stops, by.set_aside);
    // It is carried up a wall as well as along the ground.
    const Vec<D> up = std::exchange(up_, kZero);
    slide(displacement, false);
    up_ = up;
    for (Obstacle& by : obstacles_)
      if (object_of(by).id == carrier) std::swap(by.stops, by.set_aside);
  };
  s_.flow = current_.norm();
  if (!current_.isZero(0)) go(current_ * dt_, {});
  if (!walking_.standing || walking_.squeezed) return;
  const ObjectState<D>* on = find_state(store_, walking_.on);
  const bool there =
      on != nullptr && std::any_of(obstacles_.begin(), obstacles_.end(), [&](const Obstacle& by) {
        return by.pushes && object_of(by).id == walking_.on &&
               store_.colliders[by.other].which == walking_.collider;
      });
  if (!there || (walking_.wish.drop && find_state(store_, walking_.on) != nullptr && dropped()))
    return leave_ground();
  Vec<D> displacement = on->body != kNoBody
                            ? Vec<D>(on->shown.pose * s_.foot - on->pose_before * s_.foot)
                            : Vec<D>(kZero);
  const Vec<D> running = surface_velocity(on->shown, walking_.collider);
  displacement += (running - walking_.normal * walking_.normal.dot(running)) * dt_;
  walking_.carried = displacement / dt_;
  if (can_.turns_along && on->body != kNoBody) {
    const Rotation<D> turn = on->shown.pose.rotation * on->pose_before.rotation.inverse();
    pose_.rotation = turn * pose_.rotation;
    pose_.rotation.normalize();
  }
  if (!displacement.isZero(0)) go(displacement, walking_.on);
}

template void Walk<2>::find_obstacles();
template void Walk<3>::find_obstacles();
template void Walk<2>::feel_zones();
template void Walk<3>::feel_zones();
template Vec<2> Walk<2>::displacement_of(const ObjectState<2>& o, const Vec<2>& point) const;
template Vec<3> Walk<3>::displacement_of(const ObjectState<3>& o, const Vec<3>& point) const;
template Vec<2> Walk<2>::velocity_from(const ObjectState<2>& other) const;
template Vec<3> Walk<3>::velocity_from(const ObjectState<3>& other) const;
template void Walk<2>::carry();
template void Walk<3>::carry();

}  // namespace colvik::world
