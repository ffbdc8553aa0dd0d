// Public calls about objects.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "pairs/index.h"
#include "pairs/walkers_list.h"
#include "store/families.h"
#include "store/mass.h"
#include "world/impl.h"

namespace colvik {

template <int D>
World<D>::World(const WorldSettings<D>& settings) {
  check_settings(settings).value();
  impl_ = std::make_unique<Impl>(*this, settings);
}

template <int D>
World<D>::~World() = default;

template <int D>
const WorldSettings<D>& World<D>::settings() const {
  return impl_->store.settings;
}

template <int D>
Tags& World<D>::tags() {
  return impl_->store.tags;
}

template <int D>
const Tags& World<D>::tags() const {
  return impl_->store.tags;
}

template <int D>
Result<ObjectId> World<D>::add(const ObjectDef<D>& def) {
  return world::add_object(*impl_, def);
}

template <int D>
bool World<D>::alive(ObjectId id) const {
  return world::find_state(impl_->store, id) != nullptr;
}

template <int D>
const Object<D>& World<D>::object(ObjectId id) const {
  if (id.slot < impl_->store.objects.size()) {
    const world::ObjectState<D>& o = impl_->store.objects[id.slot];
    if (o.life != world::Life::none && o.generation == id.generation) return o.shown;
  }
#ifdef COLVIK_CHECKED
  fmt::print(stderr, "colvik: object() was given a stale handle (slot {}, generation {})\n",
             id.slot, id.generation);
  std::abort();
#else
  static const Object<D> nothing{};
  return nothing;
#endif
}

template <int D>
std::optional<ObjectId> World<D>::find(std::string_view name) const {
  const auto at = impl_->store.by_name.find(std::string(name));
  if (at == impl_->store.by_name.end()) return std::nullopt;
  return impl_->store.objects[at->second].shown.id;
}

template <int D>
std::vector<ObjectId> World<D>::objects() const {
  std::vector<ObjectId> ids;
  objects(ids);
  return ids;
}

template <int D>
void World<D>::objects(std::vector<ObjectId>& out) const {
  out.clear();
  for (const std::uint32_t slot : impl_->store.order)
    if (impl_->store.objects[slot].life == world::Life::live)
      out.push_back(impl_->store.objects[slot].shown.id);
}

template <int D>
std::vector<ObjectId> World<D>::matching(const TagQuery& query) const {
  std::vector<ObjectId> ids;
  for (const std::uint32_t slot : impl_->store.order) {
    const world::ObjectState<D>& o = impl_->store.objects[slot];
    if (o.life == world::Life::live && o.shown.active && query.matches(o.shown.tags))
      ids.push_back(o.shown.id);
  }
  return ids;
}

template <int D>
std::size_t World<D>::count() const {
  return impl_->store.ids.live_count;
}

template <int D>
std::size_t World<D>::still_moved() const {
  return impl_->broad.still_moved;
}

template <int D>
std::size_t World<D>::awake_count() const {
  const auto awake = [&](std::uint32_t slot) { return impl_->store.objects[slot].shown.active; };
  return static_cast<std::size_t>(
      std::count_if(impl_->store.movers.begin(), impl_->store.movers.end(), awake));
}

template <int D>
std::size_t World<D>::left_count() const {
  return impl_->store.left_count;
}

template <int D>
std::size_t World<D>::pair_count() const {
  return impl_->pairs.list.size();
}

template <int D>
std::size_t World<D>::contact_count() const {
  return impl_->contacts.batch.contacts.size();
}

template <int D>
std::size_t World<D>::stopped_count() const {
  return impl_->store.stopped_count;
}

template <int D>
bool World<D>::passed_from_behind(ObjectId id) const {
  const world::ObjectState<D>* o = world::find_state(impl_->store, id);
  return o != nullptr && o->passed_from_behind;
}

template <int D>
std::size_t World<D>::held_back() const {
  return impl_->ccd.held_back;
}

template <int D>
bool World<D>::wake(ObjectId id) {
  return impl_->change(id, [this](world::ObjectState<D>& o) { world::disturb(*impl_, o); });
}

template <int D>
bool World<D>::remove(ObjectId id) {
  return impl_->change(id, [this](world::ObjectState<D>& o) { world::remove_object(*impl_, o); });
}

template <int D>
bool World<D>::set_shown(ObjectId id, bool active) {
  return impl_->change(
      id, [this, active](world::ObjectState<D>& o) { world::show_object(*impl_, o, active); });
}

template <int D>
void World<D>::clear() {
  impl_->now_or_later([this] {
    world::wake_all(*impl_);  // in one go: each group that wakes scans what all sleepers have
                              // between them
    for (const std::uint32_t slot : std::vector<std::uint32_t>(impl_->store.order))
      if (impl_->store.objects[slot].life == world::Life::live)
        world::remove_object(*impl_, impl_->store.objects[slot]);
  });
}

template <int D>
bool World<D>::give_tag(ObjectId id, Tag tag) {
  if (tag.index >= impl_->store.tags.names().size()) return false;
  return impl_->change(id, [this, tag](world::ObjectState<D>& o) {
    o.shown.tags.insert(tag);
    for (Collider<D>& c : o.shown.colliders) c.tags.insert(tag);
    o.changes.retagged = impl_->store.causes_noted = true;
    world::classify(*impl_, o);
  });
}

template <int D>
bool World<D>::take_tag(ObjectId id, Tag tag) {
  if (tag.index >= impl_->store.tags.names().size()) return false;
  return impl_->change(id, [this, tag](world::ObjectState<D>& o) {
    o.shown.tags.erase(tag);
    for (Collider<D>& c : o.shown.colliders) {
      const std::vector<std::string>& own = c.def.tags;  // a tag of the collider's own stays
      if (std::find(own.begin(), own.end(), impl_->store.tags.name(tag)) == own.end())
        c.tags.erase(tag);
    }
    o.changes.retagged = impl_->store.causes_noted = true;
    world::classify(*impl_, o);
  });
}

template <int D>
bool World<D>::switch_collider(ObjectId id, std::size_t collider, bool on) {
  if (!alive(id) || collider >= object(id).colliders.size()) return false;
  return impl_->change(id, [this, collider, on](world::ObjectState<D>& o) {
    world::switch_collider(*impl_, o, collider, on);
  });
}

template <int D>
bool World<D>::set_filter(ObjectId id, std::size_t collider, const TagQuery& meets) {
  if (!alive(id) || collider >= object(id).colliders.size()) return false;
  return impl_->change(id, [this, collider, meets](world::ObjectState<D>& o) {
    o.shown.colliders[collider].meets = meets;
    o.shown.colliders[collider].def.meets = meets.text();
    o.changes.filtered = impl_->store.causes_noted = true;
    world::classify(*impl_, o);
  });
}

template <int D>
Result<void> World<D>::set_shape(ObjectId id, std::size_t collider, const Shape<D>& shape) {
  const world::ObjectState<D>* o = world::find_state(impl_->store, id);
  if (o == nullptr || collider >= o->shown.colliders.size())
    return Error{"shape", "its collider is not there", "a live object's collider"};
  const std::string where = fmt::format("object '{}' ", o->shown.name);
  std::vector<ColliderDef<D>> all;
  for (const Collider<D>& c : o->shown.colliders) all.push_back(c.def);
  all[collider].shape = shape;
  if (auto good = world::check_colliders(all, o->shown.body, o->given_mass.has_value(),
                                         impl_->store.settings.metre);
      !good) {
    Error error = good.error();
    error.where = where + error.where;
    return error;
  }
  impl_->change(id, [this, collider, shape](world::ObjectState<D>& now) {
    world::replace_shape(*impl_, now, collider, shape);
  });
  return {};
}

template <int D>
bool World<D>::mark_going(ObjectId id) {
  world::ObjectState<D>* o = world::find_state(impl_->store, id);
  if (o == nullptr) return false;
  world::for_family(impl_->store, *o,
                    [](world::ObjectState<D>& member) { member.shown.going = true; });
  return true;
}

template <int D>
Party World<D>::party(ObjectId id, std::size_t collider) const {
  const world::ObjectState<D>* o = world::find_state(impl_->store, id);
  return o != nullptr && collider < o->shown.colliders.size()
             ? world::party_of(impl_->store, *o, collider)
             : Party{.active = false};
}

template <int D>
Verdict World<D>::decide(ObjectId a, std::size_t collider_a, ObjectId b,
                         std::size_t collider_b) const {
  Verdict v = colvik::decide(party(a, collider_a), party(b, collider_b));
  if (v.meet && world::is_excepted(impl_->store, a.slot, b.slot)) {
    v.meet = false;
    v.by = DecidedBy::excepted;
  }
  return v;
}

template <int D>
PairState World<D>::pair_state(ObjectId a, std::size_t collider_a, ObjectId b,
                               std::size_t collider_b) const {
  const Impl& w = *impl_;
  const auto slot_of = [&](ObjectId id, std::size_t which) {
    const bool there = id.slot < w.store.objects.size() &&
                       w.store.objects[id.slot].shown.id == id &&
                       which < w.store.objects[id.slot].colliders.size();
    return there ? w.store.objects[id.slot].colliders[which] : world::kAlone;
  };
  std::uint32_t first = slot_of(a, collider_a);
  std::uint32_t second = slot_of(b, collider_b);
  if (first == world::kAlone || second == world::kAlone) return {};
  if (w.store.colliders[first].serial > w.store.colliders[second].serial) std::swap(first, second);
  const auto serials = std::pair(w.store.colliders[first].serial, w.store.colliders[second].serial);
  const auto state = [](const world::Pair<D>& p) {
    return PairState{true, p.touching, p.ignored || p.passing};
  };
  const auto& list = w.pairs.list;
  const auto at = std::lower_bound(list.begin(), list.end(), serials,
                                   [](const world::Pair<D>& p, const auto& wanted) {
                                     return std::pair(p.serial_a, p.serial_b) < wanted;
                                   });
  if (at != list.end() && at->serial_a == serials.first && at->serial_b == serials.second)
    return state(*at);
  const auto among = [&](const math::Many<world::Pair<D>>& pairs) -> std::optional<PairState> {
    for (const world::Pair<D>& p : pairs)
      if (p.serial_a == serials.first && p.serial_b == serials.second) return state(p);
    return std::nullopt;
  };
  for (const world::SleepGroup<D>& group : w.sleepers.groups)
    if (const auto found = among(group.pairs)) return *found;
  return among(w.sleepers.between.pairs).value_or(PairState{});
}

template World<2>::World(const WorldSettings<2>& settings);
template World<3>::World(const WorldSettings<3>& settings);
template World<2>::~World();
template World<3>::~World();
template const WorldSettings<2>& World<2>::settings() const;
template const WorldSettings<3>& World<3>::settings() const;
template Tags& World<2>::tags();
template Tags& World<3>::tags();
template const Tags& World<2>::tags() const;
template const Tags& World<3>::tags() const;
template Result<ObjectId> World<2>::add(const ObjectDef<2>& def);
template Result<ObjectId> World<3>::add(const ObjectDef<3>& def);
template bool World<2>::alive(ObjectId id) const;
template bool World<3>::alive(ObjectId id) const;
template const Object<2>& World<2>::object(ObjectId id) const;
template const Object<3>& World<3>::object(ObjectId id) const;
template std::optional<ObjectId> World<2>::find(std::string_view name) const;
template std::optional<ObjectId> World<3>::find(std::string_view name) const;
template std::vector<ObjectId> World<2>::objects() const;
template std::vector<ObjectId> World<3>::objects() const;
template void World<2>::objects(std::vector<ObjectId>& out) const;
template void World<3>::objects(std::vector<ObjectId>& out) const;
template std::vector<ObjectId> World<2>::matching(const TagQuery& query) const;
template std::vector<ObjectId> World<3>::matching(const TagQuery& query) const;
template std::size_t World<2>::count() const;
template std::size_t World<3>::count() const;
template std::size_t World<2>::still_moved() const;
template std::size_t World<3>::still_moved() const;
template std::size_t World<2>::awake_count() const;
template std::size_t World<3>::awake_count() const;
template std::size_t World<2>::left_count() const;
template std::size_t World<3>::left_count() const;
template std::size_t World<2>::pair_count() const;
template std::size_t World<3>::pair_count() const;
template std::size_t World<2>::contact_count() const;
template std::size_t World<3>::contact_count() const;
template std::size_t World<2>::stopped_count() const;
template std::size_t World<3>::stopped_count() const;
template PairState World<2>::pair_state(ObjectId a, std::size_t collider_a, ObjectId b,
                                        std::size_t collider_b) const;
template PairState World<3>::pair_state(ObjectId a, std::size_t collider_a, ObjectId b,
                                        std::size_t collider_b) const;
template bool World<2>::passed_from_behind(ObjectId id) const;
template bool World<3>::passed_from_behind(ObjectId id) const;
template std::size_t World<2>::held_back() const;
template std::size_t World<3>::held_back() const;
template bool World<2>::wake(ObjectId id);
template bool World<3>::wake(ObjectId id);
template bool World<2>::remove(ObjectId id);
template bool World<3>::remove(ObjectId id);
template bool World<2>::set_shown(ObjectId id, bool active);
template bool World<3>::set_shown(ObjectId id, bool active);
template void World<2>::clear();
template void World<3>::clear();
template bool World<2>::give_tag(ObjectId id, Tag tag);
template bool World<3>::give_tag(ObjectId id, Tag tag);
template bool World<2>::take_tag(ObjectId id, Tag tag);
template bool World<3>::take_tag(ObjectId id, Tag tag);
template bool World<2>::switch_collider(ObjectId id, std::size_t collider, bool on);
template bool World<3>::switch_collider(ObjectId id, std::size_t collider, bool on);
template bool World<2>::set_filter(ObjectId id, std::size_t collider, const TagQuery& meets);
template bool World<3>::set_filter(ObjectId id, std::size_t collider, const TagQuery& meets);
template Result<void> World<2>::set_shape(ObjectId id, std::size_t collider, const Shape<2>& shape);
template Result<void> World<3>::set_shape(ObjectId id, std::size_t collider, const Shape<3>& shape);
template bool World<2>::mark_going(ObjectId id);
template bool World<3>::mark_going(ObjectId id);
template Party World<2>::party(ObjectId id, std::size_t collider) const;
template Party World<3>::party(ObjectId id, std::size_t collider) const;
template Verdict World<2>::decide(ObjectId a, std::size_t collider_a, ObjectId b,
                                  std::size_t collider_b) const;
template Verdict World<3>::decide(ObjectId a, std::size_t collider_a, ObjectId b,
                                  std::size_t collider_b) const;

}  // namespace colvik
