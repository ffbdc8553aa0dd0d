// Adding, changing and removing objects.
#include <algorithm>
#include <array>
#include <cmath>

#include "world/checks.h"
#include "world/impl.h"

namespace colvik {

using world::ColliderState;
using world::Life;
using world::ObjectState;

template <int D>
ObjectState<D>* World<D>::Impl::state(ObjectId id) {
  if (id.slot >= objects.size()) return nullptr;
  ObjectState<D>& o = objects[id.slot];
  return o.life == Life::live && o.generation == id.generation ? &o : nullptr;
}

template <int D>
Result<ObjectId> World<D>::Impl::add(const ObjectDef<D>& def) {
  if (auto good = world::check_object(def, settings); !good) return good.error();
  std::string name = def.name;
  for (std::uint64_t n = next_object; name.empty() || (def.name.empty() && by_name.contains(name)); ++n)
    name = fmt::format("{}-{}", def.kind.empty() ? "object" : def.kind, n);
  const auto refuse = [&](Error error) {
    error.where = fmt::format("object '{}'{}{}", name, error.where.empty() ? "" : " ", error.where);
    return error;
  };
  if (!is_plain_name(name))
    return refuse({"name", "is not a name", "letters, digits and - _ . after a first letter or digit"});
  if (by_name.contains(name)) return refuse({"name", "is taken by another object", "a name of its own"});
  if (!def.parent.empty() && !by_name.contains(def.parent)) {
    std::vector<std::string> names;
    for (const auto& [known, slot] : by_name) names.push_back(known);
    std::sort(names.begin(), names.end());
    return refuse({"parent", fmt::format("no object is named '{}'", def.parent),
                   suggestion(def.parent, names, "an object that is there already")});
  }
  Result<TagSet> own = tags.find_all(def.tags);
  if (!own) return refuse({"tags", own.error().what, own.error().accepted});

  std::vector<Collider<D>> shown;
  for (const ColliderDef<D>& c : def.colliders) {
    Result<TagQuery> meets = TagQuery::parse(c.meets, tags);
    if (!meets) return refuse({"meets", meets.error().what, meets.error().accepted});
    Result<TagSet> extra = tags.find_all(c.tags);
    if (!extra) return refuse({"collider tags", extra.error().what, extra.error().accepted});
    shown.push_back({c, std::move(meets).value(), own.value().merged(extra.value())});
  }

  if (!def.parent.empty()) {
    const ObjectState<D>& parent = objects[by_name.at(def.parent)];
    for (const ColliderDef<D>& c : def.colliders)
      if (objects[parent.root].shown.body == BodyKind::dynamic && !c.zone && is_scenery(c.shape.kind))
        return refuse({"parent", fmt::format("is dynamic, and a solid {} has no inside", shape_name<D>(c.shape.kind)),
                       "a zone, or a shape with an inside"});
  }

  world::WalkerState<D> walker;
  if (def.walker)
    if (auto good = read_walker_queries(walker, *def.walker); !good) return refuse(good.error());
  walker.wishes = def.wishes;

  std::uint32_t slot = 0;
  if (free_objects.empty()) {
    slot = static_cast<std::uint32_t>(objects.size());
    objects.emplace_back();
    briefs.emplace_back();
  } else {
    slot = free_objects.back();
    free_objects.pop_back();
  }
  ObjectState<D>& o = objects[slot];
  const std::uint32_t generation = o.generation;
  o = ObjectState<D>{};
  briefs[slot] = {};
  o.generation = generation;
  o.life = Life::live;
  Object<D>& s = o.shown;
  s.id = {slot, generation};
  s.serial = next_object++;
  s.name = name, s.kind = def.kind, s.body = def.body;
  s.pose = {def.at, def.turned};
  s.velocity = def.velocity, s.spin = def.spin, s.gravity_scale = def.gravity_scale;
  s.root = s.id;
  o.root = slot, o.own_body = def.body, o.own_active = def.active, o.meets_relatives = def.meets_relatives;
  s.tags = own.value(), s.numbers = def.numbers, s.spots = def.spots, s.colliders = std::move(shown);
  s.heed = def.heed;
  s.motion = def.motion, s.drawings = def.drawings, s.walker = def.walker, s.active = def.active, s.user = def.user;
  s.drag = def.drag, s.spin_drag = def.spin_drag;
  o.given_mass = def.mass, o.given_mass_centre = def.mass_centre, o.given_inertia = def.inertia;
  o.locked_rotation = def.locked_rotation, o.locked_axes = def.locked_axes, o.locked_turns = def.locked_turns;
  o.continuous = def.continuous, o.may_sleep = def.may_sleep, o.pushes = def.pushes;
  if (!o.pushes.empty()) pushed.push_back(slot);
  for (const ColliderDef<D>& c : def.colliders) has_fields = has_fields || c.field.has_value();
  if (std::any_of(def.colliders.begin(), def.colliders.end(),
                  [](const auto& c) { return !c.schedule.beats.empty(); })) {
    scheduled.push_back(slot);
    o.beats.assign(def.colliders.size(), -1);
    for (const ColliderDef<D>& c : def.colliders) o.first_shapes.push_back(c.shape);
  }
  if (def.body == BodyKind::dynamic) set_mass(o);
  set_size(o);

  for (std::uint32_t i = 0; i < s.colliders.size(); ++i) {
    std::uint32_t at = 0;
    if (free_colliders.empty()) {
      at = static_cast<std::uint32_t>(colliders.size());
      colliders.emplace_back();
    } else {
      at = free_colliders.back();
      free_colliders.pop_back();
    }
    ColliderState<D>& c = colliders[at];
    c = ColliderState<D>{};
    c.object = slot, c.which = i, c.serial = next_collider++, c.live = true;
    world::know(c, s.colliders[i].def);
    o.colliders.push_back(at);
  }
  if (def.mirrored) mirror(o);
  if (def.walker) add_walker(o, std::move(walker));
  classify(o);
  order.push_back(slot);
  if (def.body != BodyKind::fixed) movers.push_back(slot);
  by_name.emplace(name, slot);
  ++live_count;
  if (!def.parent.empty()) join(o, def.parent, def.on_parent);
  return objects[slot].shown.id;
}

// A shape in a shape's place. The object's mass follows, and what touches and what does not.
template <int D>
void World<D>::Impl::set_shape(ObjectState<D>& o, std::size_t collider, const Shape<D>& shape) {
  disturb(o);
  o.shown.colliders[collider].def.shape = shape;
  world::know(colliders[o.colliders[collider]], o.shown.colliders[collider].def);
  ObjectState<D>& root = objects[o.root];
  if (root.shown.body == BodyKind::dynamic) {
    const Vec<D> centre = root.shown.pose * root.shown.mass_centre;
    set_mass(root);
    // The velocity told is that of the centre of mass, which may have moved.
    root.shown.velocity += cross(root.shown.spin, Vec<D>(root.shown.pose * root.shown.mass_centre - centre));
  }
  set_size(root);
  colliders[o.colliders[collider]].reshaped = true;
  look(o.colliders[collider]);
  index_stale = true;
}

template <int D>
void World<D>::Impl::switch_collider(ObjectState<D>& o, std::size_t collider, bool on) {
  o.shown.colliders[collider].def.on = colliders[o.colliders[collider]].on = on;
  o.changes.switched = something_changed = true;
  classify(o);
}

template <int D>
Party World<D>::Impl::party(const ObjectState<D>& o, std::size_t collider) const {
  const Collider<D>& c = o.shown.colliders[collider];
  return {c.tags,           c.meets,  o.shown.body,   c.def.zone,
          o.shown.active,   c.def.on, o.shown.serial, objects[o.root].shown.serial,
          o.meets_relatives};
}

// Tags, filters or switches have changed (or are new): sets the contact classes and asks for new pairs.
template <int D>
void World<D>::Impl::classify(ObjectState<D>& o) {
  disturb(o);
  for (const std::uint32_t at : o.colliders) {
    ColliderState<D>& c = colliders[at];
    c.contact_class = classes.intern(party(o, c.which));
    c.changed = true;
    look(at);
    index_stale = true;
    if (!o.shown.active || !c.on) take_from_tree(at);
  }
}

template <int D>
void World<D>::Impl::take_from_tree(std::uint32_t at) {
  ColliderState<D>& c = colliders[at];
  if (!c.in_tree) return;
  (c.in_still_tree ? still : moving).remove(at);
  c.in_tree = false;
  look(at);
}

template <int D>
void World<D>::Impl::remove(ObjectState<D>& o) {
  while (!o.children.empty()) remove(objects[o.children.back()]);
  if (o.parent != world::kAlone) detach(o);
  disturb(o);
  for (const std::uint32_t at : o.colliders) {
    take_from_tree(at);
    colliders[at].live = false;
  }
  by_name.erase(o.shown.name);
  o.life = Life::removed;
  o.shown.active = false;
  --live_count;
  someone_left = true;
}

template <int D>
void World<D>::Impl::set_shown(ObjectState<D>& o, bool active) {
  o.own_active = active;
  const bool shows = active && (o.parent == world::kAlone || objects[o.parent].shown.active);
  if (o.shown.active != shows) {
    o.shown.active = shows;
    classify(o);
  }
  for (const std::uint32_t child : o.children) set_shown(objects[child], objects[child].own_active);
}

// Frees the objects whose end events were read: those reported by the last step.
template <int D>
void World<D>::Impl::free_removed() {
  if (!someone_left) return;
  someone_left = false;
  const auto gone = [&](std::uint32_t slot) { return objects[slot].life == Life::reported; };
  std::erase_if(movers, gone);
  std::erase_if(pushed, gone);
  std::erase_if(scheduled, gone);
  std::erase_if(order, [&](std::uint32_t slot) {
    ObjectState<D>& o = objects[slot];
    if (o.life == Life::removed) {
      o.life = Life::reported;
      someone_left = true;
      return false;
    }
    if (o.life != Life::reported) return false;
    for (const std::uint32_t at : o.colliders) {
      colliders[at].shape = {};  // which may be large
      free_colliders.push_back(at);
    }
    if (o.walker >= 0) walkers[static_cast<std::size_t>(o.walker)] = {};
    o.life = Life::none;
    ++o.generation;
    o.shown = Object<D>{};
    free_objects.push_back(slot);
    return true;
  });
}

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
  return impl_->settings;
}
template <int D>
Tags& World<D>::tags() {
  return impl_->tags;
}
template <int D>
const Tags& World<D>::tags() const {
  return impl_->tags;
}

template <int D>
Result<ObjectId> World<D>::add(const ObjectDef<D>& def) {
  return impl_->add(def);
}
template <int D>
bool World<D>::alive(ObjectId id) const {
  return impl_->state(id) != nullptr;
}

template <int D>
const Object<D>& World<D>::object(ObjectId id) const {
  if (id.slot < impl_->objects.size()) {
    const ObjectState<D>& o = impl_->objects[id.slot];
    if (o.life != Life::none && o.generation == id.generation) return o.shown;
  }
#ifdef COLVIK_CHECKED
  fmt::print(stderr, "colvik: object() was given a stale handle (slot {}, generation {})\n", id.slot, id.generation);
  std::abort();
#else
  static const Object<D> nothing{};
  return nothing;
#endif
}

template <int D>
std::optional<ObjectId> World<D>::find(std::string_view name) const {
  const auto at = impl_->by_name.find(std::string(name));
  if (at == impl_->by_name.end()) return std::nullopt;
  return impl_->objects[at->second].shown.id;
}

template <int D>
std::vector<ObjectId> World<D>::objects() const {
  std::vector<ObjectId> ids;
  for (const std::uint32_t slot : impl_->order)
    if (impl_->objects[slot].life == Life::live) ids.push_back(impl_->objects[slot].shown.id);
  return ids;
}
template <int D>
std::vector<ObjectId> World<D>::matching(const TagQuery& query) const {
  std::vector<ObjectId> ids;
  for (const std::uint32_t slot : impl_->order) {
    const ObjectState<D>& o = impl_->objects[slot];
    if (o.life == Life::live && o.shown.active && query.matches(o.shown.tags)) ids.push_back(o.shown.id);
  }
  return ids;
}
template <int D>
std::size_t World<D>::count() const {
  return impl_->live_count;
}
template <int D>
std::size_t World<D>::still_moved() const {
  return impl_->still_moved;
}
template <int D>
std::size_t World<D>::awake_count() const {
  const auto awake = [&](std::uint32_t slot) { return impl_->objects[slot].shown.active; };
  return static_cast<std::size_t>(std::count_if(impl_->movers.begin(), impl_->movers.end(), awake));
}
template <int D>
std::size_t World<D>::left_count() const {
  return impl_->left_count;
}
template <int D>
std::size_t World<D>::pair_count() const {
  return impl_->pairs.size();
}
template <int D>
std::size_t World<D>::contact_count() const {
  return impl_->meetings.contacts.size();
}
template <int D>
std::size_t World<D>::held_back() const {
  return impl_->held_back;
}
template <int D>
bool World<D>::wake(ObjectId id) {
  return impl_->change(id, [this](ObjectState<D>& o) { impl_->disturb(o); });
}

template <int D>
bool World<D>::remove(ObjectId id) {
  return impl_->change(id, [this](ObjectState<D>& o) { impl_->remove(o); });
}
template <int D>
bool World<D>::set_shown(ObjectId id, bool active) {
  return impl_->change(id, [this, active](ObjectState<D>& o) { impl_->set_shown(o, active); });
}
template <int D>
bool World<D>::place(ObjectId id, const Pose<D>& pose) {
  if (!world::within(pose.position, world::kFurthest * impl_->settings.metre)) return false;
  return impl_->change(id, [this, pose](ObjectState<D>& o) {
    impl_->disturb(o);
    if (o.parent != world::kAlone) {
      o.shown.on_parent = impl_->objects[o.parent].shown.pose.relative(pose);
      impl_->set_root(o);
      ObjectState<D>& root = impl_->objects[o.root];
      if (root.shown.body == BodyKind::dynamic) impl_->set_mass(root);
      impl_->set_size(root);
    } else {
      impl_->put(o, pose);
    }
    o.target.reset();
    impl_->for_family(o, [&](ObjectState<D>& member) { member.changes.teleported = true; });
    impl_->something_changed = true;
    impl_->place_family(o);
  });
}
template <int D>
bool World<D>::move_to(ObjectId id, const Pose<D>& pose) {
  if (!world::within(pose.position, world::kFurthest * impl_->settings.metre)) return false;
  if (alive(id) && (object(id).body != BodyKind::kinematic || object(id).parent)) return false;
  return impl_->change(id, [this, pose](ObjectState<D>& o) {
    if (o.resting != world::kAwake) impl_->wake(std::array{o.resting});
    o.target = pose;
  });
}
template <int D>
bool World<D>::set_velocity(ObjectId id, const Vec<D>& velocity, const Spin<D>& spin) {
  if (!world::within(velocity, world::kFastest * impl_->settings.metre) || !world::within(spin, world::kFastest))
    return false;
  if (alive(id) && (object(id).body == BodyKind::fixed || object(id).parent)) return false;
  return impl_->change(id, [this, velocity, spin](ObjectState<D>& o) {
    // What lies on others wakes when they move, not by being told that they stand.
    if (o.shown.body == BodyKind::dynamic) impl_->disturb(o);
    else if (o.resting != world::kAwake && !(velocity.isZero(0) && spin.isZero(0))) impl_->wake(std::array{o.resting});
    o.shown.velocity = velocity, o.shown.spin = spin;
    if (o.walker >= 0) impl_->throw_walker(o, velocity);
  });
}
template <int D>
bool World<D>::stop(ObjectId id) {
  return impl_->change(id, [this](ObjectState<D>& o) {
    o.shown.velocity.setZero();
    o.shown.spin.setZero();
    o.shown.motion = std::monostate{};
    o.target.reset();
    if (o.walker >= 0) impl_->stop_walker(o);
  });
}
template <int D>
bool World<D>::set_motion(ObjectId id, const Motion<D>& motion) {
  if (!world::check_motion(motion, impl_->settings.metre)) return false;
  if (alive(id) && object(id).body != BodyKind::kinematic) return false;
  return impl_->change(id, [this, motion](ObjectState<D>& o) {
    if (o.resting != world::kAwake) impl_->wake(std::array{o.resting});
    o.shown.motion = motion;
  });
}

template <int D>
bool World<D>::set_gravity_scale(ObjectId id, double scale) {
  if (!(std::abs(scale) <= 1e6)) return false;
  return impl_->change(id, [this, scale](ObjectState<D>& o) {
    impl_->disturb(o);
    o.shown.gravity_scale = scale;
  });
}
template <int D>
void World<D>::clear() {
  impl_->now_or_later([this] {
    impl_->wake_all();  // at once: each group that wakes looks through what all sleepers have between them
    for (const std::uint32_t slot : std::vector<std::uint32_t>(impl_->order))
      if (impl_->objects[slot].life == Life::live) impl_->remove(impl_->objects[slot]);
  });
}

template <int D>
bool World<D>::give_tag(ObjectId id, Tag tag) {
  return impl_->change(id, [this, tag](ObjectState<D>& o) {
    o.shown.tags.insert(tag);
    for (Collider<D>& c : o.shown.colliders) c.tags.insert(tag);
    o.changes.retagged = impl_->something_changed = true;
    impl_->classify(o);
  });
}
template <int D>
bool World<D>::take_tag(ObjectId id, Tag tag) {
  return impl_->change(id, [this, tag](ObjectState<D>& o) {
    o.shown.tags.erase(tag);
    for (Collider<D>& c : o.shown.colliders) {
      const std::vector<std::string>& own = c.def.tags;  // a tag of the collider's own stays
      if (std::find(own.begin(), own.end(), impl_->tags.name(tag)) == own.end()) c.tags.erase(tag);
    }
    o.changes.retagged = impl_->something_changed = true;
    impl_->classify(o);
  });
}
template <int D>
bool World<D>::switch_collider(ObjectId id, std::size_t collider, bool on) {
  if (!alive(id) || collider >= object(id).colliders.size()) return false;
  return impl_->change(id, [this, collider, on](ObjectState<D>& o) { impl_->switch_collider(o, collider, on); });
}
template <int D>
bool World<D>::set_filter(ObjectId id, std::size_t collider, const TagQuery& meets) {
  if (!alive(id) || collider >= object(id).colliders.size()) return false;
  return impl_->change(id, [this, collider, meets](ObjectState<D>& o) {
    o.shown.colliders[collider].meets = meets;
    o.shown.colliders[collider].def.meets = meets.text();
    o.changes.filtered = impl_->something_changed = true;
    impl_->classify(o);
  });
}
template <int D>
Result<void> World<D>::set_shape(ObjectId id, std::size_t collider, const Shape<D>& shape) {
  const ObjectState<D>* o = impl_->state(id);
  if (o == nullptr || collider >= o->shown.colliders.size())
    return Error{"shape", "its collider is not there", "a live object's collider"};
  const std::string where = fmt::format("object '{}' ", o->shown.name);
  std::vector<ColliderDef<D>> all;
  for (const Collider<D>& c : o->shown.colliders) all.push_back(c.def);
  all[collider].shape = shape;
  if (auto good = world::check_colliders(all, o->shown.body, o->given_mass.has_value(), impl_->settings.metre); !good) {
    Error error = good.error();
    error.where = where + error.where;
    return error;
  }
  impl_->change(id, [this, collider, shape](ObjectState<D>& now) { impl_->set_shape(now, collider, shape); });
  return {};
}
template <int D>
bool World<D>::mark_going(ObjectId id) {
  ObjectState<D>* o = impl_->state(id);
  if (o == nullptr) return false;
  impl_->for_family(*o, [](ObjectState<D>& member) { member.shown.going = true; });
  return true;
}

template <int D>
Party World<D>::party(ObjectId id, std::size_t collider) const {
  const ObjectState<D>* o = impl_->state(id);
  return o != nullptr && collider < o->shown.colliders.size() ? impl_->party(*o, collider) : Party{.active = false};
}
template <int D>
Verdict World<D>::decide(ObjectId a, std::size_t collider_a, ObjectId b, std::size_t collider_b) const {
  Verdict v = colvik::decide(party(a, collider_a), party(b, collider_b));
  if (v.meet && impl_->is_excepted(a.slot, b.slot)) v.meet = false, v.by = DecidedBy::excepted;
  return v;
}

template class World<2>;
template class World<3>;

}  // namespace colvik
