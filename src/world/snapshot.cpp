// Snapshots: the whole world as bytes.
#include "world/saved.h"

namespace colvik {
namespace {

constexpr std::uint32_t kVersion = 7;
template <int D>
constexpr std::string_view kWhat = D == 2 ? "colvik 2D world" : "colvik 3D world";

// The parts that are plain lists. Trees, names, classes and filters are made anew from them.
template <class A, class Impl>
void pack_lists(A& a, Impl& w) {
  a(w.settings, w.numbers, w.objects, w.briefs, w.free_objects, w.order, w.movers, w.to_look, w.colliders,
    w.free_colliders);
  a(w.next_object, w.next_collider, w.live_count, w.someone_left, w.something_changed, w.index_stale, w.still_moved);
  a(w.kinds, w.excepted, w.pairs, w.touches, w.resting, w.between, w.asleep, w.held_back, w.pushed, w.scheduled,
    w.has_fields, w.left_count, w.steps, w.finished, w.lately, w.walkers);
}

}  // namespace

template <int D>
std::vector<std::byte> World<D>::save() const {
  Impl& w = *impl_;  // packing only reads
  math::Packer out;
  std::vector<std::string> names(w.tags.names().begin(), w.tags.names().end()), meanings;
  for (std::uint32_t i = 0; i < names.size(); ++i) meanings.push_back(w.tags.meaning({i}));
  out(names, meanings);
  pack_lists(out, w);
  for (std::uint32_t at = 0; at < w.colliders.size(); ++at)
    if (w.colliders[at].in_tree) {
      Bounds<D> box = (w.colliders[at].in_still_tree ? w.still : w.moving).bounds(at);
      out(box);
    }
  return math::sealed(kWhat<D>, kVersion, std::move(out.bytes()));
}

template <int D>
Result<void> World<D>::load(std::span<const std::byte> saved) {
  const auto refuse = [](std::string what, std::string accepted) {
    return Error{"snapshot", std::move(what), std::move(accepted)};
  };
  if (impl_->telling) return refuse("cannot be loaded while listeners are told", "a call between two steps");
  math::Opened opened = math::opened(kWhat<D>, kVersion, saved);
  if (!opened.wrong.empty()) return refuse(opened.wrong, opened.accepted);
  math::Unpacker in(opened.inside);
  auto fresh = std::make_unique<Impl>(*this, impl_->settings);
  Impl& w = *fresh;
  std::vector<std::string> names, meanings;
  in(names, meanings);
  if (!in.good() || names.size() != meanings.size()) return refuse("does not make sense", "what save() gave");
  for (std::size_t i = 0; i < names.size(); ++i)
    if (auto tag = w.tags.declare(names[i], meanings[i]); !tag) return refuse(tag.error().what, tag.error().accepted);
  pack_lists(in, w);
  if (w.briefs.size() != w.objects.size()) return refuse("does not make sense", "what save() gave");
  for (std::uint32_t at = 0; at < w.colliders.size() && in.good(); ++at)
    if (w.colliders[at].in_tree) {
      Bounds<D> box;
      in(box);
      (w.colliders[at].in_still_tree ? w.still : w.moving).insert(at, box);
    }
  if (!in.good() || !in.empty()) return refuse("does not make sense", "what save() gave");
  w.still.settle();
  w.moving.settle();
  const auto know_objects = [&](math::Many<world::Pair<D>>& list) {
    for (world::Pair<D>& p : list) p.object_a = w.colliders[p.a].object, p.object_b = w.colliders[p.b].object;
  };
  know_objects(w.pairs), know_objects(w.between.pairs);
  for (world::Resting<D>& group : w.resting) know_objects(group.pairs);
  for (const std::uint32_t slot : w.order) {
    world::ObjectState<D>& o = w.objects[slot];
    if (o.life == world::Life::live) w.by_name.emplace(o.shown.name, slot);
    for (std::size_t i = 0; i < o.shown.colliders.size(); ++i) {
      Collider<D>& c = o.shown.colliders[i];
      Result<TagQuery> meets = TagQuery::parse(c.def.meets, w.tags);
      if (!meets) return refuse(meets.error().what, meets.error().accepted);
      c.meets = std::move(meets).value();
      world::know(w.colliders[o.colliders[i]], c.def);
      w.colliders[o.colliders[i]].contact_class = w.classes.intern(w.party(o, i));
    }
  }
  for (world::WalkerState<D>& walker : w.walkers)
    if (walker.slot != world::kAlone && (walker.slot >= w.objects.size() || !w.objects[walker.slot].shown.walker ||
                                         !w.read_walker_queries(walker, *w.objects[walker.slot].shown.walker)))
      return refuse("does not make sense", "what save() gave");
  w.listeners = std::move(impl_->listeners);
  w.next_token = impl_->next_token;
  w.during = std::move(impl_->during);
  w.pair_asks = std::move(impl_->pair_asks);
  if (!w.pair_asks.empty()) w.pair_touches = w.asked_pairs();
  Workers* const workers = impl_->solver.crew().workers();
  impl_ = std::move(fresh);
  work_with(workers);
  return {};
}

template std::vector<std::byte> World<2>::save() const;
template std::vector<std::byte> World<3>::save() const;
template Result<void> World<2>::load(std::span<const std::byte>);
template Result<void> World<3>::load(std::span<const std::byte>);

}  // namespace colvik
