#include "pairs/candidates.h"

#include <algorithm>

#include "math/fault.h"
#include "store/objects.h"

namespace colvik::world {

template <int D>
Verdict verdict_of(Store<D>& store, const ColliderState<D>& a, const ColliderState<D>& b) {
  if (a.object == b.object) return {false, Channel::solid, DecidedBy::same_object};
  const ObjectState<D>& oa = store.objects[a.object];
  const ObjectState<D>& ob = store.objects[b.object];
  if (oa.root == ob.root && !oa.meets_relatives && !ob.meets_relatives)
    return {false, Channel::solid, DecidedBy::relatives};
  if (!store.excepted.empty() && !COLVIK_FAULT(10) && is_excepted(store, a.object, b.object))
    return {false, Channel::solid, DecidedBy::excepted};
  return store.classes.verdict(a.contact_class, b.contact_class);
}

template <int D>
void add_pairs(Store<D>& store, BroadPhase<D>& broad, PairTable<D>& pairs) {
  broad.candidates.clear();
  constexpr std::size_t kAhead = 8;
  for (std::size_t i = 0; i < broad.overlapping.size(); ++i) {
    if (i + kAhead < broad.overlapping.size())
      for (const std::uint32_t at :
           {broad.overlapping[i + kAhead].first, broad.overlapping[i + kAhead].second})
        math::fetch(&store.colliders[at], 1);
    auto [a, b] = broad.overlapping[i];
    if (store.colliders[a].serial > store.colliders[b].serial) std::swap(a, b);
    broad.candidates.push_back({store.colliders[a].serial, store.colliders[b].serial, a, b});
  }
  const auto key = [](const auto& x) { return std::pair(x.serial_a, x.serial_b); };
  std::sort(broad.candidates.begin(), broad.candidates.end(),
            [&](const auto& x, const auto& y) { return key(x) < key(y); });

  const std::size_t known = pairs.list.size();
  std::size_t at = 0;  // before it all are older
  auto gone = pairs.gone.begin();
  pairs.insert_before.clear();
  for (const Candidate& c : broad.candidates) {
    std::size_t step = 1;
    while (at + step < known && key(pairs.list[at + step]) < key(c)) {
      at += step;
      step *= 2;
    }
    const auto from = pairs.list.begin() + static_cast<std::ptrdiff_t>(at);
    const auto to = pairs.list.begin() + static_cast<std::ptrdiff_t>(std::min(at + step, known));
    const auto there = std::lower_bound(
        from, to, c, [&](const Pair<D>& x, const Candidate& y) { return key(x) < key(y); });
    at = static_cast<std::size_t>(there - pairs.list.begin());
    gone = std::find_if(gone, pairs.gone.end(), [&](std::uint32_t i) { return i >= at; });
    const bool is_gone = gone != pairs.gone.end() && *gone == at;
    if (at < known && !is_gone && key(pairs.list[at]) == key(c)) continue;
    const ColliderState<D>& a = store.colliders[c.a];
    const ColliderState<D>& b = store.colliders[c.b];
    const Verdict verdict = verdict_of(store, a, b);
    if (!verdict.meet) continue;
    Pair<D> p;
    p.a = c.a;
    p.b = c.b;
    p.object_a = a.object;
    p.object_b = b.object;
    p.serial_a = c.serial_a;
    p.serial_b = c.serial_b;
    p.channel = verdict.channel;
    const ObjectState<D>& oa = store.objects[a.object];
    const ObjectState<D>& ob = store.objects[b.object];
    p.responds = p.channel == Channel::solid && oa.root != ob.root &&
                 (oa.shown.body == BodyKind::dynamic || ob.shown.body == BodyKind::dynamic);
    pairs.fresh.push_back(std::move(p));
    pairs.insert_before.push_back(static_cast<std::uint32_t>(at));
  }
  patch(pairs.list, pairs.gone, pairs.insert_before, pairs.fresh, pairs.staying);
}

template Verdict verdict_of(Store<2>& store, const ColliderState<2>& a, const ColliderState<2>& b);
template Verdict verdict_of(Store<3>& store, const ColliderState<3>& a, const ColliderState<3>& b);
template void add_pairs(Store<2>& store, BroadPhase<2>& broad, PairTable<2>& pairs);
template void add_pairs(Store<3>& store, BroadPhase<3>& broad, PairTable<3>& pairs);

}  // namespace colvik::world
