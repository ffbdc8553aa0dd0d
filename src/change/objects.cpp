#include "change/objects.h"

#include <algorithm>
#include <cmath>

#include "change/families.h"
#include "change/mirror.h"
#include "pairs/index.h"
#include "pairs/walkers_list.h"
#include "sleep/sleep.h"
#include "store/access.h"
#include "store/checks.h"
#include "store/mass.h"
#include "store/objects.h"

namespace colvik::world {

namespace {

// A slot of a list: the one freed last, or a new one.
template <class List>
std::uint32_t take_slot(std::vector<std::uint32_t>& free, List& list) {
  if (free.empty()) {
    list.emplace_back();
    return static_cast<std::uint32_t>(list.size() - 1);
  }
  const std::uint32_t slot = free.back();
  free.pop_back();
  return slot;
}

// The name in the definition, or a new one from its kind.
template <int D>
std::string name_for(const Store<D>& store, const ObjectDef<D>& def) {
  std::string name = def.name;
  for (std::uint64_t n = store.ids.next_object;
       name.empty() || (def.name.empty() && store.by_name.contains(name)); ++n)
    name = fmt::format("{}-{}", def.kind.empty() ? "object" : def.kind, n);
  return name;
}

template <int D>
Result<void> check_names(const Store<D>& store, const ObjectDef<D>& def, const std::string& name) {
  if (!is_plain_name(name))
    return Error{"name", "is not a name",
                 "letters, digits and - _ . after a first letter or digit"};
  if (store.by_name.contains(name))
    return Error{"name", "is taken by another object", "a name of its own"};
  if (def.parent.empty()) return {};
  const auto parent = store.by_name.find(def.parent);
  if (parent == store.by_name.end()) {
    std::vector<std::string> names;
    for (const auto& [known, slot] : store.by_name) names.push_back(known);
    std::sort(names.begin(), names.end());
    return Error{"parent", fmt::format("no object is named '{}'", def.parent),
                 suggestion(def.parent, names, "an object that is there already")};
  }
  const ObjectState<D>& root = store.objects[store.objects[parent->second].root];
  for (const ColliderDef<D>& c : def.colliders)
    if (root.shown.body == BodyKind::dynamic && !c.zone && is_scenery(c.shape.kind))
      return Error{
          "parent",
          fmt::format("is dynamic, and a solid {} has no inside", shape_name<D>(c.shape.kind)),
          "a zone, or a shape with an inside"};
  if (is_turned_with(store, store.objects[parent->second], def.on_parent.has_value()))
    for (const ColliderDef<D>& c : def.colliders)
      if (const Result<Shape<D>> shape = mirrored(c.shape); !shape)
        return Error{
            "parent",
            fmt::format("is mirrored, and a {} {}", shape.error().where, shape.error().what),
            shape.error().accepted};
  return {};
}

// The colliders with their queries compiled and tags merged with the object's `own`.
template <int D>
Result<std::vector<Collider<D>>> compile_colliders(const Store<D>& store, const ObjectDef<D>& def,
                                                   const TagSet& own) {
  std::vector<Collider<D>> shown;
  for (const ColliderDef<D>& c : def.colliders) {
    Result<TagQuery> meets = TagQuery::parse(c.meets, store.tags);
    if (!meets) return Error{"meets", meets.error().what, meets.error().accepted};
    Result<TagSet> extra = store.tags.find_all(c.tags);
    if (!extra) return Error{"collider tags", extra.error().what, extra.error().accepted};
    shown.push_back({c, std::move(meets).value(), own.merged(extra.value())});
  }
  return shown;
}

// A live object in a slot of its own, with the values of its definition.
template <int D>
ObjectState<D>& place_in_slot(Store<D>& store, const ObjectDef<D>& def) {
  const std::uint32_t slot = take_slot(store.ids.free_objects, store.objects);
  if (slot == store.briefs.size()) store.briefs.emplace_back();
  store.briefs[slot] = {};
  ObjectState<D>& o = store.objects[slot];
  const std::uint32_t generation = o.generation;
  o = ObjectState<D>{};
  o.generation = generation;
  o.life = Life::live;
  Object<D>& s = o.shown;
  s.id = {slot, generation};
  s.serial = store.ids.next_object++;
  s.kind = def.kind;
  s.body = def.body;
  s.pose = {def.at, def.turned};
  s.velocity = def.velocity;
  s.spin = def.spin;
  s.gravity_scale = def.gravity_scale;
  s.root = s.id;
  o.root = slot;
  o.own_body = def.body;
  o.own_active = def.active;
  o.meets_relatives = def.meets_relatives;
  s.numbers = def.numbers;
  s.spots = def.spots;
  s.heed = def.heed;
  s.motion = def.motion;
  s.drawings = def.drawings;
  s.walker = def.walker;
  s.active = def.active;
  s.user = def.user;
  s.drag = def.drag;
  s.spin_drag = def.spin_drag;
  o.given_mass = def.mass;
  o.given_mass_centre = def.mass_centre;
  o.given_inertia = def.inertia;
  o.locked_rotation = def.locked_rotation;
  o.locked_axes = def.locked_axes;
  o.locked_turns = def.locked_turns;
  o.continuous = def.continuous;
  o.may_sleep = def.may_sleep;
  o.pushes = def.pushes;
  return o;
}

// Lists the object under what steps visit: timed pushes, fields and schedules.
template <int D>
void note_duties(Store<D>& store, ObjectState<D>& o, const ObjectDef<D>& def) {
  const std::uint32_t slot = o.shown.id.slot;
  if (!o.pushes.empty()) store.pushed.push_back(slot);
  for (const ColliderDef<D>& c : def.colliders)
    store.has_fields = store.has_fields || c.field.has_value();
  if (std::none_of(def.colliders.begin(), def.colliders.end(),
                   [](const auto& c) { return !c.schedule.beats.empty(); }))
    return;
  store.scheduled.push_back(slot);
  o.beats.assign(def.colliders.size(), -1);
  for (const ColliderDef<D>& c : def.colliders) o.first_shapes.push_back(c.shape);
}

template <int D>
void place_colliders_in_slots(Store<D>& store, ObjectState<D>& o) {
  for (std::uint32_t i = 0; i < o.shown.colliders.size(); ++i) {
    const std::uint32_t at = take_slot(store.ids.free_colliders, store.colliders);
    ColliderState<D>& c = store.colliders[at];
    c = ColliderState<D>{};
    c.object = o.shown.id.slot;
    c.which = i;
    c.serial = store.ids.next_collider++;
    c.live = true;
    know(c, o.shown.colliders[i].def);
    o.colliders.push_back(at);
  }
}

}  // namespace

template <int D>
Result<ObjectId> add_object(Model<D>& model, const ObjectDef<D>& def) {
  Store<D>& store = model.store;
  if (auto good = check_object(def, store.settings); !good) return good.error();
  const std::string name = name_for(store, def);
  const auto refuse = [&](Error error) {
    error.where = fmt::format("object '{}'{}{}", name, error.where.empty() ? "" : " ", error.where);
    return error;
  };
  if (auto good = check_names(store, def, name); !good) return refuse(good.error());
  Result<TagSet> own = store.tags.find_all(def.tags);
  if (!own) return refuse({"tags", own.error().what, own.error().accepted});
  Result<std::vector<Collider<D>>> colliders = compile_colliders(store, def, own.value());
  if (!colliders) return refuse(colliders.error());
  WalkerState<D> walker;
  if (def.walker)
    if (auto good = compile_walker_queries(store, walker, *def.walker); !good)
      return refuse(good.error());
  walker.wishes = def.wishes;

  ObjectState<D>& o = place_in_slot(store, def);
  const std::uint32_t slot = o.shown.id.slot;
  o.shown.name = name;
  o.shown.tags = own.value();
  o.shown.colliders = std::move(colliders).value();
  note_duties(store, o, def);
  if (def.body == BodyKind::dynamic) update_mass(store, o);
  update_size(store, o);
  place_colliders_in_slots(store, o);
  if (def.mirrored) mirror_object(store, model.broad, o);
  if (def.walker) add_walker(model.walkers, o, std::move(walker));
  classify(model, o);
  store.order.push_back(slot);
  if (def.body != BodyKind::fixed) store.movers.push_back(slot);
  store.by_name.emplace(name, slot);
  ++store.ids.live_count;
  if (!def.parent.empty()) join_family(model, o, def.parent, def.on_parent);
  return store.objects[slot].shown.id;
}

template <int D>
void replace_shape(Model<D>& model, ObjectState<D>& o, std::size_t collider,
                   const Shape<D>& shape) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  disturb(model, o);
  o.shown.colliders[collider].def.shape = shape;
  know(store.colliders[o.colliders[collider]], o.shown.colliders[collider].def);
  ObjectState<D>& root = store.objects[o.root];
  update_mass_and_velocity(store, root, Vec<D>(root.shown.pose * root.shown.mass_centre));
  store.colliders[o.colliders[collider]].reshaped = true;
  mark_dirty(store, broad, o.colliders[collider]);
  broad.stale = true;
}

template <int D>
void switch_collider(Model<D>& model, ObjectState<D>& o, std::size_t collider, bool on) {
  Store<D>& store = model.store;
  o.shown.colliders[collider].def.on = store.colliders[o.colliders[collider]].on = on;
  o.changes.switched = store.causes_noted = true;
  classify(model, o);
}

template <int D>
void classify(Model<D>& model, ObjectState<D>& o) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  disturb(model, o);
  for (const std::uint32_t at : o.colliders) {
    ColliderState<D>& c = store.colliders[at];
    c.contact_class = store.classes.intern(party_of(store, o, c.which));
    c.changed = true;
    mark_dirty(store, broad, at);
    broad.stale = true;
    if (!o.shown.active || !c.on) remove_from_index(store, broad, at);
  }
}

template <int D>
void except_two(Model<D>& model, std::uint32_t first, std::uint32_t second,
                const Exception& exception) {
  Store<D>& store = model.store;
  ObjectState<D>* x = &store.objects[first];
  ObjectState<D>* y = &store.objects[second];
  if (x->shown.serial > y->shown.serial) std::swap(x, y);
  Excepted e{x->shown.serial,      y->shown.serial, x->shown.id.slot, y->shown.id.slot, 0,
             exception.until_apart};
  if (exception.seconds)
    e.until =
        store.steps +
        std::max<std::uint64_t>(
            1, static_cast<std::uint64_t>(std::llround(*exception.seconds * store.settings.rate)));
  const auto at = std::lower_bound(
      store.excepted.begin(), store.excepted.end(), e, [](const auto& p, const auto& q) {
        return std::pair(p.serial_a, p.serial_b) < std::pair(q.serial_a, q.serial_b);
      });
  if (at != store.excepted.end() && at->serial_a == e.serial_a && at->serial_b == e.serial_b)
    *at = e;
  else store.excepted.insert(at, e);
  for (ObjectState<D>* o : {x, y}) {
    disturb(model, *o);
    for (const std::uint32_t c : o->colliders) {
      store.colliders[c].changed = true;
      mark_dirty(store, model.broad, c);
    }
    o->changes.filtered = store.causes_noted = true;
  }
}

template <int D>
void remove_object(Model<D>& model, ObjectState<D>& o) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  while (!o.children.empty()) remove_object(model, store.objects[o.children.back()]);
  if (o.parent != kAlone) detach_object(model, o);
  disturb(model, o);
  for (const std::uint32_t at : o.colliders) {
    remove_from_index(store, broad, at);
    store.colliders[at].live = false;
  }
  store.by_name.erase(o.shown.name);
  o.life = Life::removed;
  o.shown.active = false;
  --store.ids.live_count;
  store.removed_waiting = true;
}

template <int D>
void show_object(Model<D>& model, ObjectState<D>& o, bool active) {
  Store<D>& store = model.store;
  o.own_active = active;
  const bool shows = active && (o.parent == kAlone || store.objects[o.parent].shown.active);
  if (o.shown.active != shows) {
    o.shown.active = shows;
    classify(model, o);
  }
  for (const std::uint32_t child : o.children)
    show_object(model, store.objects[child], store.objects[child].own_active);
}

template <int D>
void free_removed(Store<D>& store, Walkers<D>& walkers) {
  if (!store.removed_waiting) return;
  store.removed_waiting = false;
  const auto gone = [&](std::uint32_t slot) { return store.objects[slot].life == Life::reported; };
  std::erase_if(store.movers, gone);
  std::erase_if(store.pushed, gone);
  std::erase_if(store.scheduled, gone);
  std::erase_if(store.order, [&](std::uint32_t slot) {
    ObjectState<D>& o = store.objects[slot];
    if (o.life == Life::removed) {
      o.life = Life::reported;
      store.removed_waiting = true;
      return false;
    }
    if (o.life != Life::reported) return false;
    for (const std::uint32_t at : o.colliders) {
      store.colliders[at].shape = {};  // which may be large
      store.ids.free_colliders.push_back(at);
    }
    if (o.walker >= 0) walkers.list[static_cast<std::size_t>(o.walker)] = {};
    o.life = Life::none;
    ++o.generation;
    o.shown = Object<D>{};
    store.ids.free_objects.push_back(slot);
    return true;
  });
}

template Result<ObjectId> add_object(Model<2>& model, const ObjectDef<2>& def);
template Result<ObjectId> add_object(Model<3>& model, const ObjectDef<3>& def);
template void replace_shape(Model<2>& model, ObjectState<2>& o, std::size_t collider,
                            const Shape<2>& shape);
template void replace_shape(Model<3>& model, ObjectState<3>& o, std::size_t collider,
                            const Shape<3>& shape);
template void switch_collider(Model<2>& model, ObjectState<2>& o, std::size_t collider, bool on);
template void switch_collider(Model<3>& model, ObjectState<3>& o, std::size_t collider, bool on);
template void classify(Model<2>& model, ObjectState<2>& o);
template void classify(Model<3>& model, ObjectState<3>& o);
template void except_two(Model<2>& model, std::uint32_t first, std::uint32_t second,
                         const Exception& exception);
template void except_two(Model<3>& model, std::uint32_t first, std::uint32_t second,
                         const Exception& exception);
template void remove_object(Model<2>& model, ObjectState<2>& o);
template void remove_object(Model<3>& model, ObjectState<3>& o);
template void show_object(Model<2>& model, ObjectState<2>& o, bool active);
template void show_object(Model<3>& model, ObjectState<3>& o, bool active);
template void free_removed(Store<2>& store, Walkers<2>& walkers);
template void free_removed(Store<3>& store, Walkers<3>& walkers);

}  // namespace colvik::world
