// Sleep: bodies at rest that touch each other fall asleep together, and wake together.
#include <algorithm>
#include <array>
#include <numeric>

#include "world/impl.h"

namespace colvik {

using world::kAwake;
using world::ObjectState;
using world::Pair;
using world::Resting;
using world::Touch;

namespace {

template <int D>
bool moves(const Object<D>& o) {
  return !o.velocity.isZero(0) || !o.spin.isZero(0);
}

// Moves those that `goes` says from one list to another.
template <class List, class Goes>
void hand_over(List& from, List& to, Goes&& goes) {
  const auto gone = std::stable_partition(from.begin(), from.end(), [&](const auto& x) { return !goes(x); });
  std::move(gone, from.end(), std::back_inserter(to));
  from.erase(gone, from.end());
}

// Moves all of one list to the end of another.
template <class List>
void append(List& from, List& to) {
  std::move(from.begin(), from.end(), std::back_inserter(to));
  from.clear();
}

// What its owner moves and lets stand: nothing of it changes until it is told to.
template <int D>
bool idles(const ObjectState<D>& o) {
  return o.may_sleep && o.walker < 0 && !o.carried_along && !moves(o.shown) && !o.paused && !o.disturbed && !o.target &&
         std::holds_alternative<std::monostate>(o.shown.motion) && o.shown.heed.points_at.empty();
}

}  // namespace

template <int D>
void World<D>::Impl::wake(std::span<const std::uint32_t> groups) {
  const std::size_t known_movers = movers.size(), known_pairs = pairs.size(), known_touches = touches.size();
  for (const std::uint32_t group : groups) {
    Resting<D>& r = resting[group];
    for (const std::uint32_t slot : r.objects) {
      ObjectState<D>& o = objects[slot];
      o.resting = kAwake;
      o.still_for = 0;
      o.shown.asleep = false;
    }
    asleep -= r.objects.size();
    // What they lay beside, and did not touch, may be gone.
    std::erase_if(r.pairs, [&](const Pair<D>& p) {
      const auto there = [&](std::uint32_t at, std::uint64_t serial) {
        return colliders[at].live && colliders[at].in_tree && colliders[at].serial == serial;
      };
      return !p.touching && !(there(p.a, p.serial_a) && there(p.b, p.serial_b));
    });
    append(r.objects, movers);
    append(r.pairs, pairs);
    append(r.touches, touches);
  }
  if (movers.size() == known_movers) return;
  // What they have with sleepers of other groups.
  hand_over(between.pairs, pairs, [&](const Pair<D>& p) { return !(sleeps(p.a) && sleeps(p.b)); });
  hand_over(between.touches, touches,
            [&](const Touch<D>& t) { return objects[t.a].resting == kAwake || objects[t.b].resting == kAwake; });
  for (std::size_t i = known_pairs; i < pairs.size(); ++i) pairs[i].unsure = true;
  world::merge_tail(pairs, known_pairs, world::older<D>);
  meetings.active_pairs.resize(pairs.size());  // all, as their places have changed
  std::iota(meetings.active_pairs.begin(), meetings.active_pairs.end(), 0U);
  world::merge_tail(touches, known_touches, world::earlier<D>);
  world::merge_tail(movers, known_movers, [&](std::uint32_t x, std::uint32_t y) {
    return objects[x].shown.serial < objects[y].shown.serial;
  });
}

template <int D>
void World<D>::Impl::wake_all() {
  std::vector<std::uint32_t> groups;
  for (std::size_t group = 0; group < resting.size(); ++group)
    if (!resting[group].objects.empty()) groups.push_back(static_cast<std::uint32_t>(group));
  wake(groups);
}

template <int D>
void World<D>::Impl::disturb(ObjectState<D>& o) {
  if (o.resting != kAwake) return wake(std::array{o.resting});
  o.disturbed = objects[o.root].disturbed = true;
  if (asleep == 0 || o.shown.body != BodyKind::fixed) return;  // others' pairs are at hand
  std::vector<std::uint32_t> groups;
  for_family(o, [&](const ObjectState<D>& member) {
    for (const std::uint32_t at : member.colliders)
      if (colliders[at].in_tree) find_holders(at, true, groups);
  });
  wake(groups);
}

// The groups of sleepers that have a pair with a still collider.
template <int D>
void World<D>::Impl::find_holders(std::uint32_t at, bool touching, std::vector<std::uint32_t>& groups) {
  moving.settle();
  still.settle();
  moving.overlaps(still.bounds(at), [&](std::uint32_t other) {
    const std::uint32_t group = objects[colliders[other].object].resting;
    if (group == kAwake) return;
    const math::Many<Pair<D>>& theirs = resting[group].pairs;
    if (std::any_of(theirs.begin(), theirs.end(),
                    [&](const Pair<D>& p) { return (p.a == at || p.b == at) && (p.touching || !touching); }))
      groups.push_back(group);
  });
}

// What is awake and comes to touch what sleeps wakes it.
template <int D>
void World<D>::Impl::wake_touched() {
  const double dt = 1 / settings.rate, reach = world::kTouching * settings.metre;
  std::vector<std::uint32_t> groups;
  while (asleep > 0) {
    groups.clear();
    for (const Pair<D>& p : pairs) {
      if (!p.responds || rests(p.a) == rests(p.b)) continue;
      const world::ColliderState<D>&sleeper = colliders[rests(p.a) ? p.a : p.b],
            &other = colliders[rests(p.a) ? p.b : p.a];
      const ObjectState<D>&s = objects[sleeper.object], &o = objects[other.object];
      if (p.touching) {  // it lies on what its owner moves
        if (o.shown.body != BodyKind::kinematic || moves(o.shown) || o.disturbed) groups.push_back(s.resting);
        continue;
      }
      const bool comes = o.shown.body != BodyKind::fixed;
      const double way = comes ? (o.shown.velocity.norm() + o.shown.spin.norm() * o.swing) * dt +
                                     settings.gravity.norm() * std::abs(o.shown.gravity_scale) * dt * dt
                               : 0;
      const contact::Separation<D> gap =
          contact::nearest(shape_of(sleeper), shape_of(other), relative_pose(sleeper, other), reach + way);
      if (gap.gap > reach + way) continue;
      const Pose<D> frame = pose_of(sleeper);
      const Vec<D> normal = frame.rotation * gap.normal;
      const double closing = comes ? -normal.dot(o.shown.velocity) * dt + o.shown.spin.norm() * o.swing * dt : 0;
      if (gap.gap <= reach + std::max(0.0, closing)) groups.push_back(s.resting);
    }
    if (groups.empty()) return;
    wake(groups);
  }
}

// Union of bodies through touches (Galler and Fischer, "An improved equivalence algorithm", 1964).
template <int D>
void World<D>::Impl::fall_asleep() {
  if (!settings.sleep) return;
  const double dt = 1 / settings.rate, still_speed = world::kStill * settings.metre;
  bool ready = false;
  for (std::size_t i = 1; i < bodies.size(); ++i) {
    ObjectState<D>& o = objects[body_objects[i]];
    if (o.shown.body != BodyKind::dynamic) {
      o.still_for = idles(o) ? o.still_for + dt : 0;
      ready = ready || o.still_for >= world::kSettled;
      continue;
    }
    const bool still_now = o.may_sleep && o.shown.velocity.norm() + o.shown.spin.norm() * o.reach <= still_speed &&
                           o.force.isZero(0) && o.torque.isZero(0);
    o.still_for = still_now ? o.still_for + dt : 0;
    ready = ready || o.still_for >= world::kSettled;
  }
  if (!ready) return;
  std::vector<std::uint32_t>& parent = group_of;
  parent.resize(bodies.size());
  std::iota(parent.begin(), parent.end(), 0U);
  const auto root = [&](std::uint32_t i) {
    while (parent[i] != i) i = parent[i] = parent[parent[i]];
    return i;
  };
  // What must stay awake is one with body 0; what nothing holds may only sleep if it does not move at all.
  std::vector<std::uint32_t>& held = roots;
  held.assign(bodies.size(), 0);
  for (const Pair<D>& p : pairs) {
    if (!p.responds || !p.touching) continue;
    const ObjectState<D>&oa = objects[p.object_a], &ob = objects[p.object_b];
    if (at_rest(p)) continue;
    const auto links = [](const ObjectState<D>& o) { return o.shown.body == BodyKind::dynamic; };
    for (const ObjectState<D>* o : {&oa, &ob})
      if (links(*o)) held[o->body] = 1;
    const auto unite = [&](std::uint32_t i, std::uint32_t j) {
      i = root(i), j = root(j);
      parent[std::max(i, j)] = std::min(i, j);
    };
    if (links(oa) && links(ob)) unite(oa.body, ob.body);
    else if (oa.shown.body == BodyKind::kinematic && moves(oa.shown)) unite(ob.body, 0);
    else if (ob.shown.body == BodyKind::kinematic && moves(ob.shown)) unite(oa.body, 0);
  }
  for (std::uint32_t i = 1; i < bodies.size(); ++i) {
    const ObjectState<D>& o = objects[body_objects[i]];
    if (o.shown.body != BodyKind::dynamic) {  // each on its own
      if (o.life != world::Life::live || o.still_for < world::kSettled) parent[i] = 0;
      continue;
    }
    const bool may = o.life == world::Life::live && o.still_for >= world::kSettled &&
                     (held[i] != 0 || (!moves(o.shown) && bodies[i].acceleration.isZero(0)));
    if (!may) parent[root(i)] = 0;
  }
  std::vector<std::uint32_t>& group = roots;  // of a root, plus one
  group.assign(bodies.size(), 0);
  bool any = false;
  auto free = resting.begin();  // before it there is none
  for (std::uint32_t i = 1; i < bodies.size(); ++i) {
    ObjectState<D>& o = objects[body_objects[i]];
    if (root(i) == 0) continue;
    std::uint32_t& g = group[root(i)];
    if (g == 0) {
      free = std::find_if(free, resting.end(), [](const Resting<D>& r) { return r.objects.empty(); });
      if (free == resting.end()) free = resting.insert(free, Resting<D>{});
      g = static_cast<std::uint32_t>(free - resting.begin()) + 1;
    }
    for_family(o, [&](ObjectState<D>& member) {
      resting[g - 1].objects.push_back(member.shown.id.slot);
      member.resting = g - 1;
      give_body(member, world::kNoBody);
      member.trail = -1;  // from now on it has no part in a step
      member.shown.asleep = any = true;
      member.shown.velocity.setZero(), member.shown.spin.setZero();
      ++asleep;
    });
  }
  if (!any) return;
  std::erase_if(movers, [&](std::uint32_t slot) { return objects[slot].resting != kAwake; });
  // Pairs and touches go with the sleepers, unless what they have them with is awake or moved by its owner.
  constexpr std::uint32_t kBetween = kAwake - 1;
  const auto where = [&](std::uint32_t a, std::uint32_t b) {
    const ObjectState<D>&oa = objects[a], &ob = objects[b];
    if (oa.resting == kAwake && ob.resting == kAwake) return kAwake;
    if (oa.resting != kAwake && ob.resting != kAwake) return oa.resting == ob.resting ? oa.resting : kBetween;
    const ObjectState<D>& other = oa.resting == kAwake ? oa : ob;
    if (other.shown.body != BodyKind::fixed) return kAwake;
    return oa.resting != kAwake ? oa.resting : ob.resting;
  };
  const auto to = [&](std::uint32_t g) -> Resting<D>& { return g == kBetween ? between : resting[g]; };
  std::erase_if(pairs, [&](Pair<D>& p) {
    const std::uint32_t g = where(p.object_a, p.object_b);
    if (g != kAwake) to(g).pairs.push_back(std::move(p));
    return g != kAwake;
  });
  std::erase_if(touches, [&](Touch<D>& t) {
    const std::uint32_t g = where(t.a, t.b);
    if (g != kAwake) to(g).touches.push_back(std::move(t));
    return g != kAwake;
  });
}

template struct World<2>::Impl;
template struct World<3>::Impl;

}  // namespace colvik
