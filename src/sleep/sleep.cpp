#include "sleep/sleep.h"

#include <algorithm>
#include <array>
#include <numeric>

#include "contact/collide.h"
#include "math/fault.h"
#include "pairs/access.h"

namespace colvik::world {

namespace {

template <int D>
bool moves(const Object<D>& o) {
  return !o.velocity.isZero(0) || !o.spin.isZero(0);
}

// Moves those that `goes` says from one list to another.
template <class List, class Goes>
void hand_over(List& from, List& to, Goes&& goes) {
  const auto gone =
      std::stable_partition(from.begin(), from.end(), [&](const auto& x) { return !goes(x); });
  std::move(gone, from.end(), std::back_inserter(to));
  from.erase(gone, from.end());
}

// Moves all of one list to the end of another.
template <class List>
void append(List& from, List& to) {
  std::move(from.begin(), from.end(), std::back_inserter(to));
  from.clear();
}

// Kinematic objects that rest: nothing of them changes until their owner acts.
template <int D>
bool idles(const ObjectState<D>& o) {
  return o.may_sleep && o.walker < 0 && !o.carried_along && !moves(o.shown) && !o.paused &&
         !o.disturbed && !o.target && std::holds_alternative<std::monostate>(o.shown.motion) &&
         o.shown.heed.points_at.empty();
}

}  // namespace

template <int D>
void wake_groups(Model<D>& model, std::span<const std::uint32_t> groups) {
  Store<D>& store = model.store;
  PairTable<D>& pairs = model.pairs;
  Touches<D>& touches = model.touches;
  Sleepers<D>& sleepers = model.sleepers;
  const std::size_t known_movers = store.movers.size();
  const std::size_t known_pairs = pairs.list.size();
  const std::size_t known_touches = touches.now.size();
  for (const std::uint32_t group : groups) {
    SleepGroup<D>& r = sleepers.groups[group];
    for (const std::uint32_t slot : r.objects) {
      ObjectState<D>& o = store.objects[slot];
      o.resting = kAwake;
      o.still_for = 0;
      o.shown.asleep = false;
    }
    sleepers.count -= r.objects.size();
    // What they lay beside, and did not touch, may be gone.
    std::erase_if(r.pairs, [&](const Pair<D>& p) {
      const auto there = [&](std::uint32_t at, std::uint64_t serial) {
        return store.colliders[at].live && store.colliders[at].in_tree &&
               store.colliders[at].serial == serial;
      };
      return !p.touching && !(there(p.a, p.serial_a) && there(p.b, p.serial_b));
    });
    append(r.objects, store.movers);
    append(r.pairs, pairs.list);
    append(r.touches, touches.now);
  }
  if (store.movers.size() == known_movers) return;
  // What they have with sleepers of other groups.
  hand_over(sleepers.between.pairs, pairs.list,
            [&](const Pair<D>& p) { return !(is_asleep(store, p.a) && is_asleep(store, p.b)); });
  hand_over(sleepers.between.touches, touches.now, [&](const Touch<D>& t) {
    return store.objects[t.a].resting == kAwake || store.objects[t.b].resting == kAwake;
  });
  for (std::size_t i = known_pairs; i < pairs.list.size(); ++i) pairs.list[i].unsure = true;
  merge_tail(pairs.list, known_pairs, older<D>);
  pairs.active.resize(pairs.list.size());  // all, as their places have changed
  std::iota(pairs.active.begin(), pairs.active.end(), 0U);
  merge_tail(touches.now, known_touches, earlier<D>);
  merge_tail(store.movers, known_movers, [&](std::uint32_t x, std::uint32_t y) {
    return store.objects[x].shown.serial < store.objects[y].shown.serial;
  });
}

template <int D>
void wake_all(Model<D>& model) {
  Sleepers<D>& sleepers = model.sleepers;
  std::vector<std::uint32_t> groups;
  for (std::size_t group = 0; group < sleepers.groups.size(); ++group)
    if (!sleepers.groups[group].objects.empty())
      groups.push_back(static_cast<std::uint32_t>(group));
  wake_groups(model, groups);
}

template <int D>
void disturb(Model<D>& model, ObjectState<D>& o) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  Sleepers<D>& sleepers = model.sleepers;
  if (o.resting != kAwake) return wake_groups(model, std::array{o.resting});
  o.disturbed = store.objects[o.root].disturbed = true;
  if (sleepers.count == 0 || o.shown.body != BodyKind::fixed) return;  // others' pairs are at hand
  std::vector<std::uint32_t> groups;
  for_family(store, o, [&](const ObjectState<D>& member) {
    for (const std::uint32_t at : member.colliders)
      if (store.colliders[at].in_tree) find_groups_on(store, broad, sleepers, at, true, groups);
  });
  wake_groups(model, groups);
}

template <int D>
void find_groups_on(Store<D>& store, BroadPhase<D>& broad, Sleepers<D>& sleepers, std::uint32_t at,
                    bool touching, std::vector<std::uint32_t>& groups) {
  broad.moving.settle();
  broad.still.settle();
  broad.moving.overlaps(broad.still.bounds(at), [&](std::uint32_t other) {
    const std::uint32_t group = store.objects[store.colliders[other].object].resting;
    if (group == kAwake) return;
    const math::Many<Pair<D>>& theirs = sleepers.groups[group].pairs;
    if (std::any_of(theirs.begin(), theirs.end(), [&](const Pair<D>& p) {
          return (p.a == at || p.b == at) && (p.touching || !touching);
        }))
      groups.push_back(group);
  });
}

// Whether a zone with a field came over a sleeper, or is moved on over it.
template <int D>
bool field_comes(const Store<D>& store, const Pair<D>& p, const ColliderState<D>& sleeper,
                 const ColliderState<D>& zone) {
  if (!definition_of(store, zone).field || COLVIK_FAULT(20)) return false;
  const ObjectState<D>& o = store.objects[zone.object];
  if (p.touching) return o.shown.body != BodyKind::fixed && (moves(o.shown) || o.disturbed);
  return contact::nearest(sleeper.shape, zone.shape, relative_pose(store, sleeper, zone), 0).gap <=
         0;
}

template <int D>
void wake_touched(Model<D>& model) {
  Store<D>& store = model.store;
  PairTable<D>& pairs = model.pairs;
  Sleepers<D>& sleepers = model.sleepers;
  const double dt = 1 / store.settings.rate;
  const double reach = kTouching * store.settings.metre;
  std::vector<std::uint32_t> groups;
  while (sleepers.count > 0) {
    groups.clear();
    for (const Pair<D>& p : pairs.list) {
      if (!p.responds && !has_field(store, p)) continue;
      if (is_resting(store, p.a) == is_resting(store, p.b)) continue;
      const ColliderState<D>& sleeper = store.colliders[is_resting(store, p.a) ? p.a : p.b];
      const ColliderState<D>& other = store.colliders[is_resting(store, p.a) ? p.b : p.a];
      const ObjectState<D>& s = store.objects[sleeper.object];
      const ObjectState<D>& o = store.objects[other.object];
      if (!p.responds) {
        if (field_comes(store, p, sleeper, other)) groups.push_back(s.resting);
        continue;
      }
      if (p.touching) {  // it lies on what its owner moves
        if (o.shown.body != BodyKind::kinematic || moves(o.shown) || o.disturbed)
          groups.push_back(s.resting);
        continue;
      }
      const bool comes = o.shown.body != BodyKind::fixed;
      const double path =
          comes ? (o.shown.velocity.norm() + o.shown.spin.norm() * o.turning_radius) * dt +
                      store.settings.gravity.norm() * std::abs(o.shown.gravity_scale) * dt * dt
                : 0;
      const contact::Separation<D> gap = contact::nearest(
          sleeper.shape, other.shape, relative_pose(store, sleeper, other), reach + path);
      if (gap.gap > reach + path) continue;
      const Pose<D> frame = pose_of(store, sleeper);
      const Vec<D> normal = frame.rotation * gap.normal;
      const double closing =
          comes ? -normal.dot(o.shown.velocity) * dt + o.shown.spin.norm() * o.turning_radius * dt
                : 0;
      if (gap.gap <= reach + std::max(0.0, closing)) groups.push_back(s.resting);
    }
    if (groups.empty()) return;
    wake_groups(model, groups);
  }
}

namespace {

// Counts how long each body has been still; true if one has been for long enough to sleep.
template <int D>
bool count_still_time(Store<D>& store, const ContactStage<D>& contacts) {
  const double dt = 1 / store.settings.rate;
  const double still_speed = kStill * store.settings.metre;
  bool ready = false;
  for (std::size_t i = 1; i < contacts.bodies.size(); ++i) {
    ObjectState<D>& o = store.objects[contacts.body_objects[i]];
    const bool still =
        o.shown.body != BodyKind::dynamic
            ? idles(o)
            : o.may_sleep &&
                  o.shown.velocity.norm() + o.shown.spin.norm() * o.reach <= still_speed &&
                  o.force.isZero(0) && o.torque.isZero(0);
    o.still_for = still ? o.still_for + dt : 0;
    ready = ready || o.still_for >= kSettled;
  }
  return ready;
}

// Union-find with path halving over bodies.
class Union {
 public:
  Union(std::vector<std::uint32_t>& parents, std::size_t count) : parents_(parents) {
    parents_.resize(count);
    std::iota(parents_.begin(), parents_.end(), 0U);
  }
  std::uint32_t root(std::uint32_t i) {
    while (parents_[i] != i) i = parents_[i] = parents_[parents_[i]];
    return i;
  }
  void unite(std::uint32_t i, std::uint32_t j) {
    i = root(i);
    j = root(j);
    parents_[std::max(i, j)] = std::min(i, j);
  }
  // Body 0 stands for those that stay awake.
  void keep_awake(std::uint32_t i) { parents_[root(i)] = 0; }
  void keep_alone_awake(std::uint32_t i) { parents_[i] = 0; }

 private:
  std::vector<std::uint32_t>& parents_;
};

// Unites bodies that touch, and with body 0 those that stay awake. A body that nothing supports
// sleeps only if it does not move at all.
template <int D>
void unite_touching(Model<D>& model, const ContactStage<D>& contacts, Union& islands) {
  Store<D>& store = model.store;
  std::vector<std::uint32_t>& held = model.sleepers.roots;
  held.assign(contacts.bodies.size(), 0);
  for (const Pair<D>& p : model.pairs.list) {
    if (!p.responds || !p.touching) continue;
    const ObjectState<D>& oa = store.objects[p.object_a];
    const ObjectState<D>& ob = store.objects[p.object_b];
    if (pair_rests(store, model.sleepers, p)) continue;
    const auto links = [](const ObjectState<D>& o) { return o.shown.body == BodyKind::dynamic; };
    for (const ObjectState<D>* o : {&oa, &ob})
      if (links(*o)) held[o->body] = 1;
    if (links(oa) && links(ob)) islands.unite(oa.body, ob.body);
    else if (oa.shown.body == BodyKind::kinematic && moves(oa.shown)) islands.unite(ob.body, 0);
    else if (ob.shown.body == BodyKind::kinematic && moves(ob.shown)) islands.unite(oa.body, 0);
  }
  for (std::uint32_t i = 1; i < contacts.bodies.size(); ++i) {
    const ObjectState<D>& o = store.objects[contacts.body_objects[i]];
    if (o.shown.body != BodyKind::dynamic) {  // each on its own
      if (o.life != Life::live || o.still_for < kSettled) islands.keep_alone_awake(i);
      continue;
    }
    const bool may =
        o.life == Life::live && o.still_for >= kSettled &&
        (held[i] != 0 || (!moves(o.shown) && contacts.bodies[i].acceleration.isZero(0)));
    if (!may) islands.keep_awake(i);
  }
}

// Puts each island that does not hold body 0 to sleep as a group; true if there is one.
template <int D>
bool make_groups(Model<D>& model, const ContactStage<D>& contacts, Union& islands) {
  Store<D>& store = model.store;
  Sleepers<D>& sleepers = model.sleepers;
  std::vector<std::uint32_t>& group = sleepers.roots;  // of a root, plus one
  group.assign(contacts.bodies.size(), 0);
  bool any = false;
  auto free = sleepers.groups.begin();  // before it there is none
  for (std::uint32_t i = 1; i < contacts.bodies.size(); ++i) {
    ObjectState<D>& o = store.objects[contacts.body_objects[i]];
    if (islands.root(i) == 0) continue;
    std::uint32_t& g = group[islands.root(i)];
    if (g == 0) {
      free = std::find_if(free, sleepers.groups.end(),
                          [](const SleepGroup<D>& r) { return r.objects.empty(); });
      if (free == sleepers.groups.end()) free = sleepers.groups.insert(free, SleepGroup<D>{});
      g = static_cast<std::uint32_t>(free - sleepers.groups.begin()) + 1;
    }
    for_family(store, o, [&](ObjectState<D>& member) {
      sleepers.groups[g - 1].objects.push_back(member.shown.id.slot);
      member.resting = g - 1;
      set_body_index(store, member, kNoBody);
      member.trail = -1;  // from now on it has no part in a step
      member.shown.asleep = any = true;
      member.shown.velocity.setZero();
      member.shown.spin.setZero();
      ++sleepers.count;
    });
  }
  return any;
}

// Pairs and touches go with the sleepers, unless the other object is awake or kinematic.
template <int D>
void move_pairs_to_groups(Model<D>& model) {
  Store<D>& store = model.store;
  Sleepers<D>& sleepers = model.sleepers;
  constexpr std::uint32_t kBetween = kAwake - 1;
  const auto where = [&](std::uint32_t a, std::uint32_t b) {
    const ObjectState<D>& oa = store.objects[a];
    const ObjectState<D>& ob = store.objects[b];
    if (oa.resting == kAwake && ob.resting == kAwake) return kAwake;
    if (oa.resting != kAwake && ob.resting != kAwake)
      return oa.resting == ob.resting ? oa.resting : kBetween;
    const ObjectState<D>& other = oa.resting == kAwake ? oa : ob;
    if (other.shown.body != BodyKind::fixed) return kAwake;
    return oa.resting != kAwake ? oa.resting : ob.resting;
  };
  const auto to = [&](std::uint32_t g) -> SleepGroup<D>& {
    return g == kBetween ? sleepers.between : sleepers.groups[g];
  };
  std::erase_if(model.pairs.list, [&](Pair<D>& p) {
    const std::uint32_t g = where(p.object_a, p.object_b);
    if (g != kAwake) to(g).pairs.push_back(std::move(p));
    return g != kAwake;
  });
  std::erase_if(model.touches.now, [&](Touch<D>& t) {
    const std::uint32_t g = where(t.a, t.b);
    if (g != kAwake) to(g).touches.push_back(std::move(t));
    return g != kAwake;
  });
}

}  // namespace

template <int D>
void fall_asleep(Model<D>& model, ContactStage<D>& contacts) {
  Store<D>& store = model.store;
  if (!store.settings.sleep || !count_still_time(store, contacts)) return;
  Union islands(model.sleepers.parents, contacts.bodies.size());
  unite_touching(model, contacts, islands);
  if (!make_groups(model, contacts, islands)) return;
  std::erase_if(store.movers,
                [&](std::uint32_t slot) { return store.objects[slot].resting != kAwake; });
  move_pairs_to_groups(model);
}

template void wake_groups(Model<2>& model, std::span<const std::uint32_t> groups);
template void wake_groups(Model<3>& model, std::span<const std::uint32_t> groups);
template void wake_all(Model<2>& model);
template void wake_all(Model<3>& model);
template void disturb(Model<2>& model, ObjectState<2>& o);
template void disturb(Model<3>& model, ObjectState<3>& o);
template void find_groups_on(Store<2>& store, BroadPhase<2>& broad, Sleepers<2>& sleepers,
                             std::uint32_t at, bool touching, std::vector<std::uint32_t>& groups);
template void find_groups_on(Store<3>& store, BroadPhase<3>& broad, Sleepers<3>& sleepers,
                             std::uint32_t at, bool touching, std::vector<std::uint32_t>& groups);
template void wake_touched(Model<2>& model);
template void wake_touched(Model<3>& model);
template void fall_asleep(Model<2>& model, ContactStage<2>& contacts);
template void fall_asleep(Model<3>& model, ContactStage<3>& contacts);

}  // namespace colvik::world
