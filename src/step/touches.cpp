#include "step/touches.h"

#include <algorithm>

#include "math/fault.h"
#include "store/access.h"

namespace colvik::world {

namespace {

template <int D>
EndCause cause_of_end(const ObjectState<D>& a, const ObjectState<D>& b) {
  const auto either = [&](auto&& is) { return is(a) || is(b); };
  if (either([](const ObjectState<D>& o) { return o.life != Life::live; }))
    return EndCause::removed;
  if (either([](const ObjectState<D>& o) { return !o.shown.active; })) return EndCause::hidden;
  if (either([](const ObjectState<D>& o) { return o.changes.switched; })) return EndCause::switched;
  if (either([](const ObjectState<D>& o) { return o.changes.filtered; })) return EndCause::filtered;
  if (either([](const ObjectState<D>& o) { return o.changes.retagged; })) return EndCause::retagged;
  if (either([](const ObjectState<D>& o) { return o.changes.teleported; }))
    return EndCause::teleported;
  return EndCause::left;
}

// The fields of a touch that its pair gives.
template <int D>
void fill_touch(Touch<D>& t, const Pair<D>& p, double dt) {
  t.pair_a = p.serial_a;
  t.pair_b = p.serial_b;
  t.merged = false;
  t.channel = p.channel;
  t.passed = !p.touching;
  t.squeezed = p.squeezed;
  t.when = p.when >= 0 ? p.when : dt;
  t.until = p.until >= 0 ? p.until : dt;
  t.gap = p.gap;
  t.approach = p.approach;
  t.impulse = p.impulse;
  t.normal = p.normal;
  t.point = p.point;
}

// Who touches, from last step's touch of the same pair or from the objects.
template <int D>
void fill_sides(Touch<D>& t, const Touch<D>& last) {
  t.serial_a = last.serial_a;
  t.serial_b = last.serial_b;
  t.a = last.a;
  t.b = last.b;
  t.tags_a = last.tags_a;
  t.tags_b = last.tags_b;
}
template <int D>
void fill_sides(Touch<D>& t, const Store<D>& store, const Pair<D>& p) {
  const ColliderState<D>& ca = store.colliders[p.a];
  const ColliderState<D>& cb = store.colliders[p.b];
  const ObjectState<D>& oa = store.objects[ca.object];
  const ObjectState<D>& ob = store.objects[cb.object];
  t.serial_a = oa.shown.serial;
  t.serial_b = ob.shown.serial;
  t.a = ca.object;
  t.b = cb.object;
  t.tags_a = oa.shown.colliders[ca.which].tags;
  t.tags_b = ob.shown.colliders[cb.which].tags;
}

// The deepest pair of a touch gives its normal and point.
template <int D>
void merge(Touch<D>& into, const Touch<D>& from) {
  into.merged = true;
  into.tags_a = into.tags_a.merged(from.tags_a);
  into.tags_b = into.tags_b.merged(from.tags_b);
  into.impulse += from.impulse;
  into.approach = std::max(into.approach, from.approach);
  into.passed = into.passed && from.passed;
  into.squeezed = into.squeezed || from.squeezed;
  into.when = std::min(into.when, from.when);
  into.until = std::max(into.until, from.until);
  if (from.gap < into.gap) {
    into.gap = from.gap;
    into.normal = from.normal;
    into.point = from.point;
  }
}

// Sorts the touches of pairs and merges those of the same two objects.
template <int D>
void merge_pairs(math::Many<Touch<D>>& touches) {
  const auto in_order = [](const Touch<D>& x, const Touch<D>& y) {
    return std::tuple(x.key(), x.nth) < std::tuple(y.key(), y.nth);
  };
  if (!std::is_sorted(touches.begin(), touches.end(), in_order))
    std::sort(touches.begin(), touches.end(), in_order);
  std::size_t kept = 0;
  for (std::size_t i = 0; i < touches.size(); ++i) {
    if (kept > 0 && touches[kept - 1].key() == touches[i].key()) {
      merge(touches[kept - 1], touches[i]);
    } else {
      if (kept != i) touches[kept] = std::move(touches[i]);
      ++kept;
    }
  }
  touches.resize(kept);
}

}  // namespace

template <int D>
void make_touches(Store<D>& store, PairTable<D>& pairs, Touches<D>& touches) {
  touches.before.swap(touches.now);  // both keep their memory, so that a steady step takes none
  std::size_t used = 0;
  touches.ended.clear();
  const double dt = 1 / store.settings.rate;
  // Reuses last step's ids and tags for most of them; objects are scattered in memory.
  auto last = touches.before.begin();
  const auto known_before = [&](const Pair<D>& p) {
    const auto key = std::pair(p.serial_a, p.serial_b);
    while (last != touches.before.end() && std::pair(last->pair_a, last->pair_b) < key) ++last;
    return !store.causes_noted && last != touches.before.end() &&
           std::pair(last->pair_a, last->pair_b) == key && !last->merged;
  };
  constexpr std::size_t kAhead = 8;
  for (std::size_t k = 0; k < pairs.active.size(); ++k) {
    if (k + kAhead < pairs.active.size())
      math::fetch(&pairs.list[pairs.active[k + kAhead]], sizeof(Pair<D>));
    const Pair<D>& p = pairs.list[pairs.active[k]];
    if (p.left && (p.until >= 0 || p.impulse > 0)) {
      const Object<D>& oa = store.objects[p.object_a].shown;
      const Object<D>& ob = store.objects[p.object_b].shown;
      touches.ended.push_back({{oa.serial, ob.serial, p.channel}, p.until, p.impulse});
    }
    if (!p.touching && !p.passed) continue;
    if (used == touches.now.size()) touches.now.emplace_back();
    Touch<D>& t = touches.now[used];
    if (known_before(p)) fill_sides(t, *last);
    else fill_sides(t, store, p);
    fill_touch(t, p, dt);
    t.nth = static_cast<std::uint32_t>(used++);
  }
  touches.now.resize(used);
  merge_pairs(touches.now);
  std::sort(touches.ended.begin(), touches.ended.end(), [](const auto& x, const auto& y) {
    return std::tuple(x.key, x.until, x.impulse) < std::tuple(y.key, y.until, y.impulse);
  });
}

namespace {

// Touches of sleepers that are wanted, in order.
template <int D, class Wants>
std::vector<const Touch<D>*> touches_asleep(const Sleepers<D>& sleepers, Wants&& wants) {
  std::vector<const Touch<D>*> found;
  const auto add = [&](const SleepGroup<D>& group) {
    for (const Touch<D>& t : group.touches)
      if (wants(t)) found.push_back(&t);
  };
  for (const SleepGroup<D>& group : sleepers.groups) add(group);
  add(sleepers.between);
  std::sort(found.begin(), found.end(),
            [](const Touch<D>* x, const Touch<D>* y) { return x->key() < y->key(); });
  return found;
}

// Which of an object's colliders a touch is of.
template <int D>
std::uint32_t collider_in(const Store<D>& store, const ObjectState<D>& o, const Touch<D>& t) {
  for (std::uint32_t which = 0; which < o.colliders.size(); ++which) {
    const std::uint64_t serial = store.colliders[o.colliders[which]].serial;
    if (serial == t.pair_a || serial == t.pair_b) return which;
  }
  return 0;
}

}  // namespace

template <int D>
void make_events(Store<D>& store, Touches<D>& touches, const Sleepers<D>& sleepers, bool run_over) {
  touches.events.clear();
  touches.parting.clear();
  const double end = static_cast<double>(store.steps) / store.settings.rate;
  const double start = static_cast<double>(store.steps - 1) / store.settings.rate;
  const auto report = [&](const Touch<D>& t, Phase phase, EndCause why, double time) {
    if (COLVIK_FAULT(7) && phase == Phase::end && t.serial_b % 7 == 0) return;
    Event<D> e;
    e.step = store.steps + (COLVIK_FAULT(11) ? 1 : 0);
    e.time = COLVIK_FAULT(12) ? end : std::min(time, end);
    e.phase = phase;
    e.channel = t.channel;
    e.why = why;
    e.self = store.objects[t.a].shown.id;
    e.other = store.objects[t.b].shown.id;
    e.self_root = store.objects[store.objects[t.a].root].shown.id;
    e.other_root = store.objects[store.objects[t.b].root].shown.id;
    e.self_tags = t.tags_a;
    e.other_tags = t.tags_b;
    e.self_collider = collider_in(store, store.objects[t.a], t);
    e.other_collider = collider_in(store, store.objects[t.b], t);
    e.normal = -t.normal;
    e.point = t.point;
    e.squeezed = phase != Phase::end && t.squeezed;
    if (phase != Phase::end) {
      e.approach_speed = t.approach;
      e.impulse = t.impulse;
    }
    if (phase == Phase::end) touches.parting.push_back({t.key(), e.time});
    if (phase == Phase::begin) {
      const auto at =
          std::lower_bound(touches.lately.begin(), touches.lately.end(), t.key(),
                           [](const Parted& x, const auto& key) { return x.key < key; });
      e.again = at != touches.lately.end() && at->key == t.key() && e.time - at->time < kVisitGap;
    }
    if (COLVIK_FAULT(8) && phase == Phase::begin) touches.events.push_back(e);
    touches.events.push_back(std::move(e));
  };
  const auto wants_during = [&](const Touch<D>& t) {
    return std::any_of(touches.during.begin(), touches.during.end(), [&](const auto& q) {
      return (q.first.matches(t.tags_a) && q.second.matches(t.tags_b)) ||
             (q.first.matches(t.tags_b) && q.second.matches(t.tags_a));
    });
  };
  std::vector<const Touch<D>*> asleep;
  if (!touches.during.empty() && sleepers.count > 0)
    asleep = touches_asleep(sleepers, wants_during);
  auto sleeper = asleep.begin();
  const auto report_sleepers = [&](auto&& comes_first) {
    for (; sleeper != asleep.end() && comes_first(**sleeper); ++sleeper)
      report(**sleeper, Phase::during, EndCause::none, end);
  };
  auto was = touches.before.begin();
  auto is = touches.now.begin();
  while (was != touches.before.end() || is != touches.now.end()) {
    report_sleepers([&](const Touch<D>& t) {
      return (was == touches.before.end() || t.key() < was->key()) &&
             (is == touches.now.end() || t.key() < is->key());
    });
    if (is == touches.now.end() || (was != touches.before.end() && was->key() < is->key())) {
      const EndCause why = run_over ? EndCause::run_over
                                    : cause_of_end(store.objects[was->a], store.objects[was->b]);
      double until = -1;
      double impulse = 0;
      if (why == EndCause::left) {
        const auto key = was->key();
        const auto at = std::lower_bound(touches.ended.begin(), touches.ended.end(), key,
                                         [](const auto& x, const auto& k) { return x.key < k; });
        for (auto k = at; k != touches.ended.end() && k->key == key; ++k) {
          until = std::max(until, k->until);
          impulse += k->impulse;
        }
      }
      // What was changed between two steps ended then.
      const bool changed = why != EndCause::left && why != EndCause::run_over;
      report(*was, Phase::end, why, until >= 0 ? start + until : changed ? start : end);
      if (!touches.events.empty()) touches.events.back().impulse = impulse;
      ++was;
    } else if (was == touches.before.end() || is->key() < was->key()) {
      report(*is, Phase::begin, EndCause::none, start + is->when);
      if (is->passed)
        report(*is, Phase::end, EndCause::left, start + is->until);  // its impulse was reported
      ++is;
    } else {
      // One collider of theirs let go, and another only passed.
      if (is->passed) report(*is, Phase::end, EndCause::left, start + is->until);
      else if (wants_during(*is)) report(*is, Phase::during, EndCause::none, end);
      ++was;
      ++is;
    }
  }
  report_sleepers([](const Touch<D>&) { return true; });
  std::erase_if(touches.now, [](const Touch<D>& t) { return t.passed; });
  remember_parted(touches, start);
  if (!store.causes_noted) return;
  for (const std::uint32_t slot : store.order) store.objects[slot].changes = {};
  store.causes_noted = false;
}

// Those that parted a moment ago: their next touch continues the same visit.
template <int D>
void remember_parted(Touches<D>& touches, double now) {
  if (touches.lately.empty() && touches.parting.empty()) return;
  std::erase_if(touches.lately, [&](const Parted& p) {
    const auto again =
        std::lower_bound(touches.parting.begin(), touches.parting.end(), p.key,
                         [](const Parted& x, const auto& key) { return x.key < key; });
    return now - p.time >= kVisitGap || (again != touches.parting.end() && again->key == p.key);
  });
  const std::size_t known = touches.lately.size();
  touches.lately.insert(touches.lately.end(), touches.parting.begin(), touches.parting.end());
  const auto earlier = [](const Parted& x, const Parted& y) { return x.key < y.key; };
  merge_tail(touches.lately, known, earlier, touches.spare);
}

template void make_touches(Store<2>& store, PairTable<2>& pairs, Touches<2>& touches);
template void make_touches(Store<3>& store, PairTable<3>& pairs, Touches<3>& touches);
template void make_events(Store<2>& store, Touches<2>& touches, const Sleepers<2>& sleepers,
                          bool run_over);
template void make_events(Store<3>& store, Touches<3>& touches, const Sleepers<3>& sleepers,
                          bool run_over);

}  // namespace colvik::world
