// Snapshots: the whole world as bytes.
#include "change/saved.h"
#include "pairs/walkers_list.h"
#include "step/pair_events.h"
#include "world/impl.h"

namespace colvik {

namespace {

constexpr std::uint32_t kVersion = 11;
template <int D>
constexpr std::string_view kWhat = D == 2 ? "colvik 2D world" : "colvik 3D world";

// The parts that are plain lists. Trees, names, classes and filters are rebuilt from them.
template <class A, class Impl>
void pack_lists(A& a, Impl& w) {
  auto& s = w.store;
  a(s.settings, s.numbers, s.objects, s.briefs, s.ids.free_objects, s.order, s.movers,
    w.broad.dirty, s.colliders, s.ids.free_colliders);
  a(s.ids.next_object, s.ids.next_collider, s.ids.live_count, s.removed_waiting, s.causes_noted,
    w.broad.stale, w.broad.still_moved);
  a(s.kinds, s.spawned, s.excepted, w.pairs.list, w.touches.now, w.sleepers.groups,
    w.sleepers.between, w.sleepers.count, w.ccd.held_back, s.pushed, s.scheduled, s.has_fields,
    s.left_count, s.stopped_count, s.steps, w.finished, w.touches.lately, w.walkers.list);
}

}  // namespace

template <int D>
std::vector<std::byte> World<D>::save() const {
  Impl& w = *impl_;  // packing only reads
  math::Packer out;
  std::vector<std::string> names(w.store.tags.names().begin(), w.store.tags.names().end());
  std::vector<std::string> meanings;
  for (std::uint32_t i = 0; i < names.size(); ++i) meanings.push_back(w.store.tags.meaning({i}));
  out(names, meanings);
  pack_lists(out, w);
  for (std::uint32_t at = 0; at < w.store.colliders.size(); ++at)
    if (w.store.colliders[at].in_tree) {
      Bounds<D> box =
          (w.store.colliders[at].in_still_tree ? w.broad.still : w.broad.moving).bounds(at);
      out(box);
    }
  return math::sealed(kWhat<D>, kVersion, std::move(out.bytes()));
}

template <int D>
Result<void> World<D>::load(std::span<const std::byte> saved) {
  const auto refuse = [](std::string what, std::string accepted) {
    return Error{"snapshot", std::move(what), std::move(accepted)};
  };
  if (impl_->notifying)
    return refuse("cannot be loaded while listeners are notified", "a call between two steps");
  math::Opened opened = math::opened(kWhat<D>, kVersion, saved);
  if (!opened.wrong.empty()) return refuse(opened.wrong, opened.accepted);
  math::Unpacker in(opened.inside);
  auto fresh = std::make_unique<Impl>(*this, impl_->store.settings);
  Impl& w = *fresh;
  std::vector<std::string> names;
  std::vector<std::string> meanings;
  in(names, meanings);
  if (!in.good() || names.size() != meanings.size())
    return refuse("does not make sense", "what save() gave");
  for (std::size_t i = 0; i < names.size(); ++i)
    if (auto tag = w.store.tags.declare(names[i], meanings[i]); !tag)
      return refuse(tag.error().what, tag.error().accepted);
  pack_lists(in, w);
  if (w.store.briefs.size() != w.store.objects.size())
    return refuse("does not make sense", "what save() gave");
  for (std::uint32_t at = 0; at < w.store.colliders.size() && in.good(); ++at)
    if (w.store.colliders[at].in_tree) {
      Bounds<D> box;
      in(box);
      (w.store.colliders[at].in_still_tree ? w.broad.still : w.broad.moving).insert(at, box);
    }
  if (!in.good() || !in.empty()) return refuse("does not make sense", "what save() gave");
  w.broad.still.settle();
  w.broad.moving.settle();
  const auto know_objects = [&](math::Many<world::Pair<D>>& list) {
    for (world::Pair<D>& p : list) {
      p.object_a = w.store.colliders[p.a].object;
      p.object_b = w.store.colliders[p.b].object;
    }
  };
  know_objects(w.pairs.list);
  know_objects(w.sleepers.between.pairs);
  for (world::SleepGroup<D>& group : w.sleepers.groups) know_objects(group.pairs);
  for (const std::uint32_t slot : w.store.order) {
    world::ObjectState<D>& o = w.store.objects[slot];
    if (o.life == world::Life::live) w.store.by_name.emplace(o.shown.name, slot);
    for (std::size_t i = 0; i < o.shown.colliders.size(); ++i) {
      Collider<D>& c = o.shown.colliders[i];
      Result<TagQuery> meets = TagQuery::parse(c.def.meets, w.store.tags);
      if (!meets) return refuse(meets.error().what, meets.error().accepted);
      c.meets = std::move(meets).value();
      world::know(w.store.colliders[o.colliders[i]], c.def);
      w.store.colliders[o.colliders[i]].contact_class =
          w.store.classes.intern(world::party_of(w.store, o, i));
    }
  }
  for (world::WalkerState<D>& walker : w.walkers.list)
    if (walker.slot != world::kAlone &&
        (walker.slot >= w.store.objects.size() || !w.store.objects[walker.slot].shown.walker ||
         !world::compile_walker_queries(w.store, walker,
                                        *w.store.objects[walker.slot].shown.walker)))
      return refuse("does not make sense", "what save() gave");
  w.listeners = std::move(impl_->listeners);
  w.next_token = impl_->next_token;
  w.touches.during = std::move(impl_->touches.during);
  w.touches.pair_asks = std::move(impl_->touches.pair_asks);
  if (!w.touches.pair_asks.empty())
    w.touches.pair_touches = world::requested_pairs(w.store, w.pairs, w.touches, w.sleepers);
  Workers* const workers = impl_->contacts.solver.crew().workers();
  impl_ = std::move(fresh);
  work_with(workers);
  return {};
}

template <int D>
std::uint64_t World<D>::hash() const {
  return math::checksum(save());
}

template std::vector<std::byte> World<2>::save() const;
template std::vector<std::byte> World<3>::save() const;
template Result<void> World<2>::load(std::span<const std::byte> saved);
template Result<void> World<3>::load(std::span<const std::byte> saved);
template std::uint64_t World<2>::hash() const;
template std::uint64_t World<3>::hash() const;

}  // namespace colvik
