#include "step/pair_events.h"

#include <algorithm>

namespace colvik::world {

template <int D>
ColliderTouch<D> collider_touch(const Store<D>& store, const Pair<D>& p, bool turned) {
  const ColliderState<D>& a = store.colliders[turned ? p.b : p.a];
  const ColliderState<D>& b = store.colliders[turned ? p.a : p.b];
  ColliderTouch<D> t;
  t.self = store.objects[a.object].shown.id;
  t.other = store.objects[b.object].shown.id;
  t.self_collider = a.which;
  t.other_collider = b.which;
  t.channel = p.channel;
  t.normal = turned ? p.normal : Vec<D>(-p.normal);
  t.point = p.point;
  t.gap = p.gap;
  t.impulse = p.impulse;
  return t;
}

template <int D>
std::vector<RequestedTouch<D>> requested_pairs(const Store<D>& store, const PairTable<D>& pairs,
                                               const Touches<D>& touches,
                                               const Sleepers<D>& sleepers) {
  std::vector<RequestedTouch<D>> now;
  const auto scan = [&](const math::Many<Pair<D>>& list) {
    for (const Pair<D>& p : list) {
      if (!p.touching) continue;
      const ColliderState<D>& a = store.colliders[p.a];
      const ColliderState<D>& b = store.colliders[p.b];
      const TagSet& tags_a = store.objects[a.object].shown.colliders[a.which].tags;
      const TagSet& tags_b = store.objects[b.object].shown.colliders[b.which].tags;
      const bool wanted =
          std::any_of(touches.pair_asks.begin(), touches.pair_asks.end(), [&](const auto& q) {
            return (q.first.matches(tags_a) && q.second.matches(tags_b)) ||
                   (q.first.matches(tags_b) && q.second.matches(tags_a));
          });
      const bool turned =
          store.objects[a.object].shown.serial > store.objects[b.object].shown.serial;
      if (wanted) now.push_back({p.serial_a, p.serial_b, collider_touch(store, p, turned)});
    }
  };
  scan(pairs.list);
  for (const SleepGroup<D>& group : sleepers.groups) scan(group.pairs);
  scan(sleepers.between.pairs);
  std::sort(now.begin(), now.end(), [](const auto& x, const auto& y) { return x.key() < y.key(); });
  return now;
}

template <int D>
void make_pair_events(Store<D>& store, PairTable<D>& pairs, Touches<D>& touches,
                      Sleepers<D>& sleepers) {
  touches.pair_events.clear();
  if (touches.pair_asks.empty()) return;
  std::vector<RequestedTouch<D>> now = requested_pairs(store, pairs, touches, sleepers);
  auto was = touches.pair_touches.begin();
  auto is = now.begin();
  while (was != touches.pair_touches.end() || is != now.end()) {
    if (is == now.end() || (was != touches.pair_touches.end() && was->key() < is->key()))
      touches.pair_events.push_back({Phase::end, (was++)->touch});
    else if (was == touches.pair_touches.end() || is->key() < was->key())
      touches.pair_events.push_back({Phase::begin, (is++)->touch});
    else {
      ++was;
      ++is;
    }
  }
  touches.pair_touches = std::move(now);
}

template ColliderTouch<2> collider_touch(const Store<2>& store, const Pair<2>& p, bool turned);
template ColliderTouch<3> collider_touch(const Store<3>& store, const Pair<3>& p, bool turned);
template std::vector<RequestedTouch<2>> requested_pairs(const Store<2>& store,
                                                        const PairTable<2>& pairs,
                                                        const Touches<2>& touches,
                                                        const Sleepers<2>& sleepers);
template std::vector<RequestedTouch<3>> requested_pairs(const Store<3>& store,
                                                        const PairTable<3>& pairs,
                                                        const Touches<3>& touches,
                                                        const Sleepers<3>& sleepers);
template void make_pair_events(Store<2>& store, PairTable<2>& pairs, Touches<2>& touches,
                               Sleepers<2>& sleepers);
template void make_pair_events(Store<3>& store, PairTable<3>& pairs, Touches<3>& touches,
                               Sleepers<3>& sleepers);

}  // namespace colvik::world
