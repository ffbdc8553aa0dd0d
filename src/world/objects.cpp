// Public calls about objects, kinds and numbers.
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

namespace {

Number* find_number(std::vector<Number>& numbers, std::string_view name) {
  for (Number& n : numbers)
    if (n.name == name) return &n;
  return nullptr;
}

}  // namespace

// ---- the public calls ------------------------------------------------------------------------

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
  for (const std::uint32_t slot : impl_->store.order)
    if (impl_->store.objects[slot].life == world::Life::live)
      ids.push_back(impl_->store.objects[slot].shown.id);
  return ids;
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
bool World<D>::place(ObjectId id, const Pose<D>& pose) {
  if (!world::within(pose.position, world::kFurthest * impl_->store.settings.metre)) return false;
  return impl_->change(id, [this, pose](world::ObjectState<D>& o) {
    world::disturb(*impl_, o);
    if (o.parent != world::kAlone) {
      o.shown.on_parent = impl_->store.objects[o.parent].shown.pose.relative(pose);
      world::update_root(impl_->store, o);
      world::ObjectState<D>& root = impl_->store.objects[o.root];
      if (root.shown.body == BodyKind::dynamic) world::update_mass(impl_->store, root);
      world::update_size(impl_->store, root);
    } else {
      world::move_object(impl_->store, o, pose);
    }
    o.target.reset();
    world::for_family(impl_->store, o,
                      [&](world::ObjectState<D>& member) { member.changes.teleported = true; });
    impl_->store.causes_noted = true;
    world::place_family(impl_->store, impl_->broad, o);
  });
}

template <int D>
bool World<D>::move_to(ObjectId id, const Pose<D>& pose) {
  if (!world::within(pose.position, world::kFurthest * impl_->store.settings.metre)) return false;
  if (alive(id) && (object(id).body != BodyKind::kinematic || object(id).parent)) return false;
  return impl_->change(id, [this, pose](world::ObjectState<D>& o) {
    if (o.resting != world::kAwake) world::wake_groups(*impl_, std::array{o.resting});
    o.target = pose;
  });
}

template <int D>
bool World<D>::set_velocity(ObjectId id, const Vec<D>& velocity, const Spin<D>& spin) {
  if (!world::within(velocity, world::kFastest * impl_->store.settings.metre) ||
      !world::within(spin, world::kFastest))
    return false;
  if (alive(id) && (object(id).body == BodyKind::fixed || object(id).parent)) return false;
  return impl_->change(id, [this, velocity, spin](world::ObjectState<D>& o) {
    // What lies on others wakes when they move, not by being told that they stand.
    if (o.shown.body == BodyKind::dynamic) world::disturb(*impl_, o);
    else if (o.resting != world::kAwake && !(velocity.isZero(0) && spin.isZero(0)))
      world::wake_groups(*impl_, std::array{o.resting});
    o.shown.velocity = velocity;
    o.shown.spin = spin;
    if (o.walker >= 0) world::launch_walker(impl_->store, impl_->walkers, o, velocity);
  });
}

template <int D>
bool World<D>::stop(ObjectId id) {
  return impl_->change(id, [this](world::ObjectState<D>& o) {
    o.shown.velocity.setZero();
    o.shown.spin.setZero();
    o.shown.motion = std::monostate{};
    o.target.reset();
    if (o.walker >= 0) world::stop_walker(impl_->walkers, o);
  });
}

template <int D>
bool World<D>::set_motion(ObjectId id, const Motion<D>& motion) {
  if (!check_motion(motion, impl_->store.settings.metre)) return false;
  if (alive(id) && object(id).body != BodyKind::kinematic) return false;
  return impl_->change(id, [this, motion](world::ObjectState<D>& o) {
    if (o.resting != world::kAwake) world::wake_groups(*impl_, std::array{o.resting});
    o.shown.motion = motion;
  });
}

template <int D>
bool World<D>::set_gravity_scale(ObjectId id, double scale) {
  if (!(std::abs(scale) <= 1e6)) return false;
  return impl_->change(id, [this, scale](world::ObjectState<D>& o) {
    world::disturb(*impl_, o);
    o.shown.gravity_scale = scale;
  });
}

template <int D>
void World<D>::clear() {
  impl_->now_or_later([this] {
    world::wake_all(*impl_);  // at once: each group that wakes looks through what all sleepers have
                              // between them
    for (const std::uint32_t slot : std::vector<std::uint32_t>(impl_->store.order))
      if (impl_->store.objects[slot].life == world::Life::live)
        world::remove_object(*impl_, impl_->store.objects[slot]);
  });
}

template <int D>
bool World<D>::give_tag(ObjectId id, Tag tag) {
  return impl_->change(id, [this, tag](world::ObjectState<D>& o) {
    o.shown.tags.insert(tag);
    for (Collider<D>& c : o.shown.colliders) c.tags.insert(tag);
    o.changes.retagged = impl_->store.causes_noted = true;
    world::classify(*impl_, o);
  });
}

template <int D>
bool World<D>::take_tag(ObjectId id, Tag tag) {
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
const ObjectDef<D>* World<D>::kind(std::string_view name) const {
  for (const ObjectDef<D>& k : impl_->store.kinds)
    if (k.kind == name) return &k;
  return nullptr;
}

template <int D>
bool World<D>::spawn(std::string_view kind, const Pose<D>& at, const Vec<D>& velocity,
                     const Spin<D>& spin) {
  const ObjectDef<D>* of = this->kind(kind);
  if (of == nullptr || !world::within(at.position, world::kFurthest * impl_->store.settings.metre))
    return false;
  ObjectDef<D> def = *of;
  def.name.clear();
  def.at = at.position;
  def.turned = at.rotation;
  if (def.body != BodyKind::fixed && std::holds_alternative<std::monostate>(def.motion)) {
    if (!velocity.isZero(0)) def.velocity = velocity;
    if (!spin.isZero(0)) def.spin = spin;
  }
  if (!world::check_object(def, impl_->store.settings)) return false;
  impl_->now_or_later([this, def] { (void)world::add_object(*impl_, def); });
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

template <int D>
Result<void> World<D>::set_number(NumberOwner owner, std::string_view name, double value) {
  const std::string where = fmt::format("number '{}'", name);
  if (!is_plain_name(name)) return Error{where, "is not a name", "letters, digits and - _ ."};
  if (!(std::abs(value) <= 1e15))
    return Error{where, fmt::format("{} is out of range", value), "finite, up to 1e15"};
  std::vector<Number>* numbers = world::numbers_of(impl_->store, owner);
  if (numbers == nullptr) return Error{where, "its object was removed", "a live object"};
  if (Number* n = find_number(*numbers, name)) n->value = value;
  else numbers->push_back({std::string(name), value});
  return {};
}

template <int D>
template <class F>
bool World<D>::Impl::change_number(NumberOwner whose, std::string_view name, F&& to) {
  std::vector<Number>* known = world::numbers_of(this->store, whose);
  if (known == nullptr || find_number(*known, name) == nullptr) return false;
  const auto act = [to, name = std::string(name)](std::vector<Number>& all) {
    if (Number* n = find_number(all, name)) n->value = to(n->value);
  };
  if (whose.object)
    return change(*whose.object, [act](world::ObjectState<D>& o) { act(o.shown.numbers); });
  now_or_later([this, act] { act(this->store.numbers); });
  return true;
}

template <int D>
bool World<D>::add_to_number(NumberOwner owner, std::string_view name, double by, double lowest) {
  if (!std::isfinite(by)) return false;
  return impl_->change_number(owner, name, [by, lowest](double value) {
    return std::clamp(value + by, std::min(lowest, value), 1e15);
  });
}

template <int D>
bool World<D>::put_number(NumberOwner owner, std::string_view name, double to) {
  if (!(std::abs(to) <= 1e15)) return false;
  return impl_->change_number(owner, name, [to](double) { return to; });
}

template <int D>
bool World<D>::clamp_number(NumberOwner owner, std::string_view name, double least, double most) {
  if (!(least <= most)) return false;
  return impl_->change_number(
      owner, name, [least, most](double value) { return std::clamp(value, least, most); });
}

template <int D>
std::optional<double> World<D>::number(NumberOwner owner, std::string_view name) const {
  std::vector<Number>* numbers = world::numbers_of(impl_->store, owner);
  const Number* n = numbers != nullptr ? find_number(*numbers, name) : nullptr;
  return n != nullptr ? std::optional<double>(n->value) : std::nullopt;
}

template <int D>
std::span<const Number> World<D>::numbers() const {
  return impl_->store.numbers;
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
template std::size_t World<2>::held_back() const;
template std::size_t World<3>::held_back() const;
template bool World<2>::wake(ObjectId id);
template bool World<3>::wake(ObjectId id);
template bool World<2>::remove(ObjectId id);
template bool World<3>::remove(ObjectId id);
template bool World<2>::set_shown(ObjectId id, bool active);
template bool World<3>::set_shown(ObjectId id, bool active);
template bool World<2>::place(ObjectId id, const Pose<2>& pose);
template bool World<3>::place(ObjectId id, const Pose<3>& pose);
template bool World<2>::move_to(ObjectId id, const Pose<2>& pose);
template bool World<3>::move_to(ObjectId id, const Pose<3>& pose);
template bool World<2>::set_velocity(ObjectId id, const Vec<2>& velocity, const Spin<2>& spin);
template bool World<3>::set_velocity(ObjectId id, const Vec<3>& velocity, const Spin<3>& spin);
template bool World<2>::stop(ObjectId id);
template bool World<3>::stop(ObjectId id);
template bool World<2>::set_motion(ObjectId id, const Motion<2>& motion);
template bool World<3>::set_motion(ObjectId id, const Motion<3>& motion);
template bool World<2>::set_gravity_scale(ObjectId id, double scale);
template bool World<3>::set_gravity_scale(ObjectId id, double scale);
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
template Result<void> World<2>::declare_kind(const ObjectDef<2>& def);
template Result<void> World<3>::declare_kind(const ObjectDef<3>& def);
template const ObjectDef<2>* World<2>::kind(std::string_view name) const;
template const ObjectDef<3>* World<3>::kind(std::string_view name) const;
template bool World<2>::spawn(std::string_view kind, const Pose<2>& at, const Vec<2>& velocity,
                              const Spin<2>& spin);
template bool World<3>::spawn(std::string_view kind, const Pose<3>& at, const Vec<3>& velocity,
                              const Spin<3>& spin);
template std::vector<KindCost> World<2>::cost_by_kind() const;
template std::vector<KindCost> World<3>::cost_by_kind() const;
template Result<void> World<2>::set_number(NumberOwner owner, std::string_view name, double value);
template Result<void> World<3>::set_number(NumberOwner owner, std::string_view name, double value);
template bool World<2>::add_to_number(NumberOwner owner, std::string_view name, double by,
                                      double lowest);
template bool World<3>::add_to_number(NumberOwner owner, std::string_view name, double by,
                                      double lowest);
template bool World<2>::put_number(NumberOwner owner, std::string_view name, double to);
template bool World<3>::put_number(NumberOwner owner, std::string_view name, double to);
template bool World<2>::clamp_number(NumberOwner owner, std::string_view name, double least,
                                     double most);
template bool World<3>::clamp_number(NumberOwner owner, std::string_view name, double least,
                                     double most);
template std::optional<double> World<2>::number(NumberOwner owner, std::string_view name) const;
template std::optional<double> World<3>::number(NumberOwner owner, std::string_view name) const;
template std::span<const Number> World<2>::numbers() const;
template std::span<const Number> World<3>::numbers() const;

}  // namespace colvik
