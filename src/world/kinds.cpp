// Public calls about kinds.
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "change/objects.h"
#include "world/impl.h"

namespace colvik {

template <int D>
Result<void> World<D>::declare_kind(const ObjectDef<D>& def) {
  if (!is_plain_name(def.kind))
    return Error{"kind", fmt::format("'{}' is not a name", def.kind), "letters, digits and - _ ."};
  if (kind(def.kind) != nullptr)
    return Error{"kind", fmt::format("'{}' is there twice", def.kind), "a name of its own"};
  if (auto good = world::check_object(def, impl_->store.settings); !good) return good;
  for (const ColliderDef<D>& c : def.colliders)
    if (auto meets = TagQuery::parse(c.meets, impl_->store.tags); !meets) return meets.error();
  if (auto tags = impl_->store.tags.find_all(def.tags); !tags) return tags.error();
  impl_->store.kinds.push_back(def);
  return {};
}

template <int D>
std::vector<std::string> World<D>::kinds() const {
  std::vector<std::string> names;
  for (const ObjectDef<D>& k : impl_->store.kinds) names.push_back(k.kind);
  return names;
}

template <int D>
const ObjectDef<D>* World<D>::kind(std::string_view name) const {
  for (const ObjectDef<D>& k : impl_->store.kinds)
    if (k.kind == name) return &k;
  return nullptr;
}

template <int D>
bool World<D>::spawn(std::string_view kind, const Pose<D>& at, const Vec<D>& velocity,
                     const Spin<D>& spin, std::optional<ObjectId> excepts) {
  const ObjectDef<D>* of = this->kind(kind);
  if (of == nullptr || !world::is_usable(at, impl_->store.settings.metre)) return false;
  ObjectDef<D> def = *of;
  def.name.clear();
  def.at = at.position;
  def.turned = at.rotation;
  if (def.body != BodyKind::fixed && std::holds_alternative<std::monostate>(def.motion)) {
    if (!velocity.isZero(0)) def.velocity = velocity;
    if (!spin.isZero(0)) def.spin = spin;
  }
  if (!world::check_object(def, impl_->store.settings)) return false;
  impl_->now_or_later([this, def, excepts]() mutable {
    world::Store<D>& store = impl_->store;
    const auto is_it = [&](const ObjectDef<D>& k) { return k.kind == def.kind; };
    const auto which = std::find_if(store.kinds.begin(), store.kinds.end(), is_it);
    store.spawned.resize(store.kinds.size());
    std::uint64_t& count = store.spawned[static_cast<std::size_t>(which - store.kinds.begin())];
    do def.name = fmt::format("{}.{}", def.kind, ++count);
    while (store.by_name.contains(def.name));
    const Result<ObjectId> added = world::add_object(*impl_, def);
    const world::ObjectState<D>* whom = excepts ? world::find_state(store, *excepts) : nullptr;
    if (added && whom != nullptr)
      world::except_two(*impl_, added.value().slot, excepts->slot, {.until_apart = true});
  });
  return true;
}

template <int D>
std::vector<KindCost> World<D>::cost_by_kind() const {
  const Impl& w = *impl_;
  std::map<std::string, KindCost> kinds;
  for (const std::uint32_t slot : w.store.order) {
    const world::ObjectState<D>& o = w.store.objects[slot];
    if (o.life != world::Life::live) continue;
    KindCost& k = kinds[o.shown.kind];
    ++k.objects;
    k.colliders += o.colliders.size();
    k.awake +=
        o.shown.active && o.resting == world::kAwake && o.shown.body != BodyKind::fixed ? 1 : 0;
  }
  const auto note = [&](const world::Pair<D>& p, std::size_t KindCost::*what) {
    const std::string& a = w.store.objects[p.object_a].shown.kind;
    const std::string& b = w.store.objects[p.object_b].shown.kind;
    ++(kinds[a].*what);
    if (a != b) ++(kinds[b].*what);
  };
  for (const world::Pair<D>& p : w.pairs.list) note(p, &KindCost::pairs);
  for (const std::uint32_t pair : w.contacts.batch.contact_pairs)
    if (pair < w.pairs.list.size()) note(w.pairs.list[pair], &KindCost::contacts);
  std::vector<KindCost> out;
  for (auto& [name, cost] : kinds) {
    cost.kind = name;
    out.push_back(std::move(cost));
  }
  return out;
}

template Result<void> World<2>::declare_kind(const ObjectDef<2>& def);
template Result<void> World<3>::declare_kind(const ObjectDef<3>& def);
template std::vector<std::string> World<2>::kinds() const;
template std::vector<std::string> World<3>::kinds() const;
template const ObjectDef<2>* World<2>::kind(std::string_view name) const;
template const ObjectDef<3>* World<3>::kind(std::string_view name) const;
template bool World<2>::spawn(std::string_view kind, const Pose<2>& at, const Vec<2>& velocity,
                              const Spin<2>& spin, std::optional<ObjectId> excepts);
template bool World<3>::spawn(std::string_view kind, const Pose<3>& at, const Vec<3>& velocity,
                              const Spin<3>& spin, std::optional<ObjectId> excepts);
template std::vector<KindCost> World<2>::cost_by_kind() const;
template std::vector<KindCost> World<3>::cost_by_kind() const;

}  // namespace colvik
