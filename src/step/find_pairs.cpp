#include "step/find_pairs.h"

#include <algorithm>
#include <utility>

#include "contact/collide.h"
#include "pairs/access.h"
#include "pairs/candidates.h"
#include "sleep/sleep.h"

namespace colvik::world {

// Lets those meet again whose time is over, or who are apart.
template <int D>
void expire_exceptions(Model<D>& model) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  std::erase_if(store.excepted, [&](const Excepted& e) {
    ObjectState<D>& a = store.objects[e.a];
    ObjectState<D>& b = store.objects[e.b];
    const bool there = a.life == Life::live && b.life == Life::live &&
                       a.shown.serial == e.serial_a && b.shown.serial == e.serial_b;
    if (!there) return true;
    bool over = e.until > 0 && store.steps >= e.until;
    if (e.until_apart) {
      const double reach = kLetGo * store.settings.metre;
      bool near = false;
      for (const std::uint32_t x : a.colliders)
        for (const std::uint32_t y : b.colliders)
          near = near || contact::nearest(
                             store.colliders[x].shape, store.colliders[y].shape,
                             relative_pose(store, store.colliders[x], store.colliders[y]), reach)
                                 .gap <= reach;
      over = over || !near;
    }
    if (over)
      for (ObjectState<D>* o : {&a, &b}) {
        disturb(model, *o);
        for (const std::uint32_t at : o->colliders) {
          store.colliders[at].changed = true;
          mark_dirty(store, broad, at);
        }
      }
    return over;
  });
}

template <int D>
void find_pairs(Model<D>& model) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  PairTable<D>& pairs = model.pairs;
  Sleepers<D>& sleepers = model.sleepers;
  const auto in_tree = [&](std::uint32_t at) -> const Bounds<D>& {
    return (store.colliders[at].in_still_tree ? broad.still : broad.moving).bounds(at);
  };
  if (!store.excepted.empty()) expire_exceptions(model);
  std::vector<std::uint32_t> woken;
  // Sleeping groups hold their own pairs: where a still object was changed, they must be visited
  // again.
  if (sleepers.count > 0)
    for (const std::uint32_t at : broad.dirty)
      if (store.colliders[at].in_tree && store.colliders[at].in_still_tree)
        find_groups_on(store, broad, sleepers, at, false, woken);
  wake_groups(model, woken);
  woken.clear();

  // Part those whose padded bounds no longer overlap, or that may not meet any more. Most have not
  // moved: the dirty bits are in cache, the objects are not.
  broad.dirty_bits.resize((store.colliders.size() + 63) / 64);
  const auto bit = [](std::uint32_t at) { return std::uint64_t{1} << at % 64; };
  for (const std::uint32_t at : broad.dirty) broad.dirty_bits[at / 64] |= bit(at);
  const auto parted = [&](Pair<D>& p) {
    const auto moved = [&](const Pair<D>& q) {
      return ((broad.dirty_bits[q.a / 64] & bit(q.a)) | (broad.dirty_bits[q.b / 64] & bit(q.b))) !=
             0;
    };
    constexpr std::ptrdiff_t kPairs = 32;
    constexpr std::ptrdiff_t kColliders = 12;
    constexpr std::ptrdiff_t kBounds = 6;  // ahead
    const std::ptrdiff_t left = pairs.list.data() + pairs.list.size() - &p;
    if (kPairs < left) math::fetch(&p + kPairs, 1);
    if (kColliders < left && moved((&p)[kColliders]))
      for (const std::uint32_t at : {(&p)[kColliders].a, (&p)[kColliders].b})
        math::fetch(&store.colliders[at], 1);
    if (kBounds < left && moved((&p)[kBounds]))
      for (const std::uint32_t at : {(&p)[kBounds].a, (&p)[kBounds].b})
        (store.colliders[at].in_still_tree ? broad.still : broad.moving).fetch_bounds(at);
    const bool unsure = std::exchange(p.unsure, false);
    if (!unsure && !moved(p)) return false;
    const ColliderState<D>& a = store.colliders[p.a];
    const ColliderState<D>& b = store.colliders[p.b];
    const bool parts = a.remade || b.remade || !a.in_tree || !b.in_tree ||
                       !in_tree(p.a).overlaps(in_tree(p.b)) ||
                       ((unsure || a.changed || b.changed) && !verdict_of(store, a, b).meet);
    if (unsure || a.reshaped || b.reshaped) p.slab = {};
    // What lay on something that its owner took away falls, and so does what a field held.
    if (parts && p.touching && pair_rests(store, sleepers, p) &&
        (p.responds || has_field(store, p)))
      woken.push_back(store.objects[(is_resting(store, p.a) ? a : b).object].resting);
    return parts;
  };
  pairs.gone.clear();
  for (std::size_t i = 0; i < pairs.list.size(); ++i)
    if (parted(pairs.list[i])) pairs.gone.push_back(static_cast<std::uint32_t>(i));
  if (!woken.empty()) {  // these bring their own
    patch(pairs.list, pairs.gone, {}, pairs.fresh, pairs.staying);
    pairs.gone.clear();
    wake_groups(model, woken);
  }

  for (const std::uint32_t at : broad.dirty) {
    ColliderState<D>& c = store.colliders[at];
    if (c.in_tree) (c.in_still_tree ? broad.still : broad.moving).mark(at);
    c.dirty = c.changed = c.remade = c.reshaped = false;
    broad.dirty_bits[at / 64] = 0;
  }
  broad.dirty.clear();
  broad.overlapping.clear();
  broad.moving.pairs(broad.overlapping);
  broad.moving.pairs(broad.still, broad.overlapping);
  broad.moving.unmark_all();
  broad.still.unmark_all();
  add_pairs(store, broad, pairs);
}

template void find_pairs(Model<2>& model);
template void find_pairs(Model<3>& model);

}  // namespace colvik::world
