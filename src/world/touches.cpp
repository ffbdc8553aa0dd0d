// From touching pairs of colliders to touches of objects, and from touches to events.
#include <algorithm>

#include "world/impl.h"

namespace colvik {

using world::ObjectState;
using world::Touch;

template <int D>
void World<D>::Impl::make_touches() {
  touches_before.swap(touches);  // both keep their memory, so that a steady step takes none
  std::size_t used = 0;
  ended.clear();
  const double dt = 1 / settings.rate;
  // Whose they are was told by most in the last step, and lies at hand there: what is asked of objects and colliders
  // is far apart.
  auto last = touches_before.begin();
  const auto told_before = [&](const world::Pair<D>& p) {
    const auto key = std::pair(p.serial_a, p.serial_b);
    while (last != touches_before.end() && std::pair(last->pair_a, last->pair_b) < key) ++last;
    return !something_changed && last != touches_before.end() && std::pair(last->pair_a, last->pair_b) == key &&
           !last->merged;
  };
  constexpr std::size_t kAhead = 8;
  for (std::size_t k = 0; k < meetings.active_pairs.size(); ++k) {
    if (k + kAhead < meetings.active_pairs.size())
      math::fetch(&pairs[meetings.active_pairs[k + kAhead]], sizeof(world::Pair<D>));
    const world::Pair<D>& p = pairs[meetings.active_pairs[k]];
    if (p.left && (p.until >= 0 || p.impulse > 0)) {
      const Object<D>&oa = objects[p.object_a].shown, &ob = objects[p.object_b].shown;
      ended.push_back({{oa.serial, ob.serial, p.channel}, p.until, p.impulse});
    }
    if (!p.touching && !p.passed) continue;
    if (used == touches.size()) touches.emplace_back();
    Touch<D>& t = touches[used];
    if (told_before(p)) {
      t.serial_a = last->serial_a, t.serial_b = last->serial_b;
      t.a = last->a, t.b = last->b;
      t.tags_a = last->tags_a, t.tags_b = last->tags_b;
    } else {
      const world::ColliderState<D>&ca = colliders[p.a], &cb = colliders[p.b];
      const ObjectState<D>&oa = objects[ca.object], &ob = objects[cb.object];
      t.serial_a = oa.shown.serial, t.serial_b = ob.shown.serial;
      t.a = ca.object, t.b = cb.object;
      t.tags_a = oa.shown.colliders[ca.which].tags, t.tags_b = ob.shown.colliders[cb.which].tags;
    }
    t.pair_a = p.serial_a, t.pair_b = p.serial_b, t.merged = false;
    t.channel = p.channel;
    t.passed = !p.touching, t.squeezed = p.squeezed;
    t.when = p.when >= 0 ? p.when : dt, t.until = p.until >= 0 ? p.until : dt;
    t.gap = p.gap, t.approach = p.approach, t.impulse = p.impulse, t.normal = p.normal, t.point = p.point;
    t.nth = static_cast<std::uint32_t>(used++);
  }
  touches.resize(used);
  // Pairs of one touch come together; the deepest speaks for its normal and point.
  const auto in_order = [](const Touch<D>& x, const Touch<D>& y) {
    return std::tuple(x.key(), x.nth) < std::tuple(y.key(), y.nth);
  };
  if (!std::is_sorted(touches.begin(), touches.end(), in_order)) std::sort(touches.begin(), touches.end(), in_order);
  std::size_t kept = 0;
  for (std::size_t i = 0; i < touches.size(); ++i) {
    if (kept > 0 && touches[kept - 1].key() == touches[i].key()) {
      Touch<D>&into = touches[kept - 1], &from = touches[i];
      into.merged = true;
      into.tags_a = into.tags_a.merged(from.tags_a), into.tags_b = into.tags_b.merged(from.tags_b);
      into.impulse += from.impulse;
      into.approach = std::max(into.approach, from.approach);
      into.passed = into.passed && from.passed, into.squeezed = into.squeezed || from.squeezed;
      into.when = std::min(into.when, from.when), into.until = std::max(into.until, from.until);
      if (from.gap < into.gap) into.gap = from.gap, into.normal = from.normal, into.point = from.point;
    } else {
      if (kept != i) touches[kept] = std::move(touches[i]);
      ++kept;
    }
  }
  touches.resize(kept);
  std::sort(ended.begin(), ended.end(), [](const auto& x, const auto& y) {
    return std::tuple(x.key, x.until, x.impulse) < std::tuple(y.key, y.until, y.impulse);
  });
}

namespace {

template <int D>
EndCause cause_of_end(const ObjectState<D>& a, const ObjectState<D>& b) {
  const auto either = [&](auto&& is) { return is(a) || is(b); };
  if (either([](const ObjectState<D>& o) { return o.life != world::Life::live; })) return EndCause::removed;
  if (either([](const ObjectState<D>& o) { return !o.shown.active; })) return EndCause::hidden;
  if (either([](const ObjectState<D>& o) { return o.changes.switched; })) return EndCause::switched;
  if (either([](const ObjectState<D>& o) { return o.changes.filtered; })) return EndCause::filtered;
  if (either([](const ObjectState<D>& o) { return o.changes.retagged; })) return EndCause::retagged;
  if (either([](const ObjectState<D>& o) { return o.changes.teleported; })) return EndCause::teleported;
  return EndCause::left;
}

}  // namespace

template <int D>
void World<D>::Impl::make_events(bool run_over) {
  events.clear();
  parting.clear();
  const double end = static_cast<double>(steps) / settings.rate;
  const double start = static_cast<double>(steps - 1) / settings.rate;
  const auto report = [&](const Touch<D>& t, Phase phase, EndCause why, double time) {
    Event<D> e;
    e.step = steps, e.time = std::min(time, end);
    e.phase = phase, e.channel = t.channel, e.why = why;
    e.self = objects[t.a].shown.id, e.other = objects[t.b].shown.id;
    e.self_root = objects[objects[t.a].root].shown.id, e.other_root = objects[objects[t.b].root].shown.id;
    e.self_tags = t.tags_a, e.other_tags = t.tags_b;
    e.normal = -t.normal, e.point = t.point;
    e.squeezed = phase != Phase::end && t.squeezed;
    if (phase != Phase::end) e.approach_speed = t.approach, e.impulse = t.impulse;
    if (phase == Phase::end) parting.push_back({t.key(), e.time});
    if (phase == Phase::begin) {
      const auto at = std::lower_bound(lately.begin(), lately.end(), t.key(),
                                       [](const world::Parted& x, const auto& key) { return x.key < key; });
      e.again = at != lately.end() && at->key == t.key() && e.time - at->time < world::kVisitGap;
    }
    events.push_back(std::move(e));
  };
  const auto wants_during = [&](const Touch<D>& t) {
    return std::any_of(during.begin(), during.end(), [&](const auto& q) {
      return (q.first.matches(t.tags_a) && q.second.matches(t.tags_b)) ||
             (q.first.matches(t.tags_b) && q.second.matches(t.tags_a));
    });
  };
  auto was = touches_before.begin();
  auto is = touches.begin();
  while (was != touches_before.end() || is != touches.end()) {
    if (is == touches.end() || (was != touches_before.end() && was->key() < is->key())) {
      const EndCause why = run_over ? EndCause::run_over : cause_of_end(objects[was->a], objects[was->b]);
      double until = -1, impulse = 0;
      if (why == EndCause::left) {
        const auto key = was->key();
        const auto at =
            std::lower_bound(ended.begin(), ended.end(), key, [](const auto& x, const auto& k) { return x.key < k; });
        for (auto k = at; k != ended.end() && k->key == key; ++k)
          until = std::max(until, k->until), impulse += k->impulse;
      }
      report(*was, Phase::end, why, until >= 0 ? start + until : end);
      events.back().impulse = impulse;
      ++was;
    } else if (was == touches_before.end() || is->key() < was->key()) {
      report(*is, Phase::begin, EndCause::none, start + is->when);
      if (is->passed) report(*is, Phase::end, EndCause::left, start + is->until);  // its impulse was told
      ++is;
    } else {
      // One collider of theirs let go, and another only passed.
      if (is->passed) report(*is, Phase::end, EndCause::left, start + is->until);
      else if (wants_during(*is)) report(*is, Phase::during, EndCause::none, end);
      ++was, ++is;
    }
  }
  std::erase_if(touches, [](const Touch<D>& t) { return t.passed; });
  note_parted(start);
  if (!something_changed) return;
  for (const std::uint32_t slot : order) objects[slot].changes = {};
  something_changed = false;
}

// Who parted a moment ago: their next touch goes on with the same visit.
template <int D>
void World<D>::Impl::note_parted(double now) {
  if (lately.empty() && parting.empty()) return;
  std::erase_if(lately, [&](const world::Parted& p) {
    const auto again = std::lower_bound(parting.begin(), parting.end(), p.key,
                                        [](const world::Parted& x, const auto& key) { return x.key < key; });
    return now - p.time >= world::kVisitGap || (again != parting.end() && again->key == p.key);
  });
  const std::size_t known = lately.size();
  lately.insert(lately.end(), parting.begin(), parting.end());
  const auto earlier = [](const world::Parted& x, const world::Parted& y) { return x.key < y.key; };
  world::merge_tail(lately, known, earlier, spare_parted);
}

template <int D>
std::vector<ObjectId> World<D>::touching(ObjectId id, std::optional<Channel> channel) const {
  std::vector<ObjectId> ids;
  const Impl& w = *impl_;
  if (id.slot >= w.objects.size() || w.objects[id.slot].shown.id != id) return ids;
  const auto look = [&](const math::Many<world::Touch<D>>& touches) {
    for (const world::Touch<D>& t : touches)
      if ((t.a == id.slot || t.b == id.slot) && channel.value_or(t.channel) == t.channel)
        ids.push_back(w.objects[t.a == id.slot ? t.b : t.a].shown.id);
  };
  look(w.touches);
  for (const world::Resting<D>& group : w.resting) look(group.touches);
  look(w.between.touches);
  std::sort(ids.begin(), ids.end(), [&](ObjectId x, ObjectId y) { return object(x).serial < object(y).serial; });
  ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
  return ids;
}

template <int D>
void World<D>::step_told(std::span<const Told> told) {
  Impl& w = *impl_;
  w.finished = false;
  w.free_removed();
  ++w.steps;
  w.events.clear();
  for (const Told& t : told) {
    if (!alive(t.self) || !alive(t.other) || t.self == t.other) continue;
    Event<D> e;
    e.step = w.steps, e.time = t.time;
    e.phase = t.phase, e.channel = t.channel, e.why = t.why;
    e.self = t.self, e.other = t.other;
    if (object(e.self).serial > object(e.other).serial) std::swap(e.self, e.other);
    e.self_root = object(e.self).root, e.other_root = object(e.other).root;
    const auto tags_of = [&](ObjectId id) {
      TagSet tags = object(id).tags;
      for (const Collider<D>& c : object(id).colliders) tags = tags.merged(c.tags);
      return tags;
    };
    e.self_tags = tags_of(e.self), e.other_tags = tags_of(e.other);
    e.approach_speed = t.approach_speed, e.impulse = t.impulse;
    w.events.push_back(std::move(e));
  }
  w.tell();
}

template struct World<2>::Impl;
template struct World<3>::Impl;
template std::vector<ObjectId> World<2>::touching(ObjectId, std::optional<Channel>) const;
template std::vector<ObjectId> World<3>::touching(ObjectId, std::optional<Channel>) const;
template void World<2>::step_told(std::span<const Told>);
template void World<3>::step_told(std::span<const Told>);

}  // namespace colvik
