// Touches of single colliders, asked about or told as they begin and end.
#include <algorithm>

#include "world/impl.h"

namespace colvik {

using world::Pair;
using world::PairTold;

// Its contact points are those of the pair's contacts in the last step.
template <int D>
ColliderTouch<D> World<D>::Impl::told(const Pair<D>& p, bool turned) const {
  const world::ColliderState<D>&a = colliders[turned ? p.b : p.a], &b = colliders[turned ? p.a : p.b];
  ColliderTouch<D> t;
  t.self = objects[a.object].shown.id, t.other = objects[b.object].shown.id;
  t.self_collider = a.which, t.other_collider = b.which;
  t.channel = p.channel;
  t.normal = turned ? p.normal : Vec<D>(-p.normal);
  t.point = p.point, t.gap = p.gap, t.impulse = p.impulse;
  return t;
}

template <int D>
std::vector<PairTold<D>> World<D>::Impl::asked_pairs() const {
  std::vector<PairTold<D>> now;
  const auto look = [&](const math::Many<Pair<D>>& list) {
    for (const Pair<D>& p : list) {
      if (!p.touching) continue;
      const world::ColliderState<D>&a = colliders[p.a], &b = colliders[p.b];
      const TagSet& tags_a = objects[a.object].shown.colliders[a.which].tags;
      const TagSet& tags_b = objects[b.object].shown.colliders[b.which].tags;
      const bool wanted = std::any_of(pair_asks.begin(), pair_asks.end(), [&](const auto& q) {
        return (q.first.matches(tags_a) && q.second.matches(tags_b)) ||
               (q.first.matches(tags_b) && q.second.matches(tags_a));
      });
      const bool turned = objects[a.object].shown.serial > objects[b.object].shown.serial;
      if (wanted) now.push_back({p.serial_a, p.serial_b, told(p, turned)});
    }
  };
  look(pairs);
  for (const world::Resting<D>& group : resting) look(group.pairs);
  look(between.pairs);
  std::sort(now.begin(), now.end(), [](const auto& x, const auto& y) { return x.key() < y.key(); });
  return now;
}

// What of the pairs asked for touches now and did not before, and the reverse.
template <int D>
void World<D>::Impl::make_pair_events() {
  pair_events.clear();
  if (pair_asks.empty()) return;
  std::vector<PairTold<D>> now = asked_pairs();
  auto was = pair_touches.begin();
  auto is = now.begin();
  while (was != pair_touches.end() || is != now.end()) {
    if (is == now.end() || (was != pair_touches.end() && was->key() < is->key()))
      pair_events.push_back({Phase::end, (was++)->touch});
    else if (was == pair_touches.end() || is->key() < was->key()) pair_events.push_back({Phase::begin, (is++)->touch});
    else ++was, ++is;
  }
  pair_touches = std::move(now);
}

template <int D>
void World<D>::ask_pairs(const TagQuery& self, const TagQuery& other) {
  impl_->pair_asks.emplace_back(self, other);
}
template <int D>
std::span<const PairEvent<D>> World<D>::pair_events() const {
  return impl_->pair_events;
}

template <int D>
std::vector<ColliderTouch<D>> World<D>::collider_touches(ObjectId self, ObjectId other) const {
  const Impl& w = *impl_;
  std::vector<ColliderTouch<D>> all;
  const auto look = [&](const math::Many<Pair<D>>& pairs, bool current) {
    for (std::size_t i = 0; i < pairs.size(); ++i) {
      const Pair<D>& p = pairs[i];
      if (!p.touching) continue;
      const world::ColliderState<D>&a = w.colliders[p.a], &b = w.colliders[p.b];
      const ObjectId ida = w.objects[a.object].shown.id, idb = w.objects[b.object].shown.id;
      const bool turned = ida == other && idb == self;
      if (!turned && !(ida == self && idb == other)) continue;
      ColliderTouch<D> t = w.told(p, turned);
      for (std::size_t k = 0; current && k < w.meetings.contacts.size(); ++k)
        if (w.meetings.contact_pairs[k] == i)
          for (int n = 0; n < w.meetings.contacts[k].count; ++n) {
            const dynamics::SolverPoint<D>& point = w.meetings.contacts[k].points[static_cast<std::size_t>(n)];
            if (point.total_push <= 0) continue;
            const std::uint32_t body = w.meetings.contacts[k].a;
            const Vec<D> centre = body == world::kNoBody
                                      ? Vec<D>(w.objects[a.object].shown.pose * w.objects[a.object].shown.mass_centre)
                                      : w.bodies[body].centre;
            t.points.push_back(centre + point.arm_a);
          }
      all.push_back(std::move(t));
    }
  };
  look(w.pairs, true);
  for (const world::Resting<D>& group : w.resting) look(group.pairs, false);
  look(w.between.pairs, false);
  std::sort(all.begin(), all.end(), [](const auto& x, const auto& y) {
    return std::tuple(x.self_collider, x.other_collider) < std::tuple(y.self_collider, y.other_collider);
  });
  return all;
}

template struct World<2>::Impl;
template struct World<3>::Impl;
template void World<2>::ask_pairs(const TagQuery&, const TagQuery&);
template void World<3>::ask_pairs(const TagQuery&, const TagQuery&);
template std::span<const PairEvent<2>> World<2>::pair_events() const;
template std::span<const PairEvent<3>> World<3>::pair_events() const;
template std::vector<ColliderTouch<2>> World<2>::collider_touches(ObjectId, ObjectId) const;
template std::vector<ColliderTouch<3>> World<3>::collider_touches(ObjectId, ObjectId) const;

}  // namespace colvik
