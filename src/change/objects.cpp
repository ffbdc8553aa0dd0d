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

template <int D>
Result<ObjectId> add_object(Model<D>& model, const ObjectDef<D>& def) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  Walkers<D>& walkers = model.walkers;
  if (auto good = check_object(def, store.settings); !good) return good.error();
  std::string name = def.name;
  for (std::uint64_t n = store.ids.next_object;
       name.empty() || (def.name.empty() && store.by_name.contains(name)); ++n)
    name = fmt::format("{}-{}", def.kind.empty() ? "object" : def.kind, n);
  const auto refuse = [&](Error error) {
    error.where = fmt::format("object '{}'{}{}", name, error.where.empty() ? "" : " ", error.where);
    return error;
  };
  if (!is_plain_name(name))
    return refuse(
        {"name", "is not a name", "letters, digits and - _ . after a first letter or digit"});
  if (store.by_name.contains(name))
    return refuse({"name", "is taken by another object", "a name of its own"});
  if (!def.parent.empty() && !store.by_name.contains(def.parent)) {
    std::vector<std::string> names;
    for (const auto& [known, slot] : store.by_name) names.push_back(known);
    std::sort(names.begin(), names.end());
    return refuse({"parent", fmt::format("no object is named '{}'", def.parent),
                   suggestion(def.parent, names, "an object that is there already")});
  }
  Result<TagSet> own = store.tags.find_all(def.tags);
  if (!own) return refuse({"tags", own.error().what, own.error().accepted});

  std::vector<Collider<D>> shown;
  for (const ColliderDef<D>& c : def.colliders) {
    Result<TagQuery> meets = TagQuery::parse(c.meets, store.tags);
    if (!meets) return refuse({"meets", meets.error().what, meets.error().accepted});
    Result<TagSet> extra = store.tags.find_all(c.tags);
    if (!extra) return refuse({"collider tags", extra.error().what, extra.error().accepted});
    shown.push_back({c, std::move(meets).value(), own.value().merged(extra.value())});
  }

  if (!def.parent.empty()) {
    const ObjectState<D>& parent = store.objects[store.by_name.at(def.parent)];
    for (const ColliderDef<D>& c : def.colliders)
      if (store.objects[parent.root].shown.body == BodyKind::dynamic && !c.zone &&
          is_scenery(c.shape.kind))
        return refuse(
            {"parent",
             fmt::format("is dynamic, and a solid {} has no inside", shape_name<D>(c.shape.kind)),
             "a zone, or a shape with an inside"});
  }

  WalkerState<D> walker;
  if (def.walker)
    if (auto good = compile_walker_queries(store, walker, *def.walker); !good)
      return refuse(good.error());
  walker.wishes = def.wishes;

  std::uint32_t slot = 0;
  if (store.ids.free_objects.empty()) {
    slot = static_cast<std::uint32_t>(store.objects.size());
    store.objects.emplace_back();
    store.briefs.emplace_back();
  } else {
    slot = store.ids.free_objects.back();
    store.ids.free_objects.pop_back();
  }
  ObjectState<D>& o = store.objects[slot];
  const std::uint32_t generation = o.generation;
  o = ObjectState<D>{};
  store.briefs[slot] = {};
  o.generation = generation;
  o.life = Life::live;
  Object<D>& s = o.shown;
  s.id = {slot, generation};
  s.serial = store.ids.next_object++;
  s.name = name;
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
  s.tags = own.value();
  s.numbers = def.numbers;
  s.spots = def.spots;
  s.colliders = std::move(shown);
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
  if (!o.pushes.empty()) store.pushed.push_back(slot);
  for (const ColliderDef<D>& c : def.colliders)
    store.has_fields = store.has_fields || c.field.has_value();
  if (std::any_of(def.colliders.begin(), def.colliders.end(),
                  [](const auto& c) { return !c.schedule.beats.empty(); })) {
    store.scheduled.push_back(slot);
    o.beats.assign(def.colliders.size(), -1);
    for (const ColliderDef<D>& c : def.colliders) o.first_shapes.push_back(c.shape);
  }
  if (def.body == BodyKind::dynamic) update_mass(store, o);
  update_size(store, o);

  for (std::uint32_t i = 0; i < s.colliders.size(); ++i) {
    std::uint32_t at = 0;
    if (store.ids.free_colliders.empty()) {
      at = static_cast<std::uint32_t>(store.colliders.size());
      store.colliders.emplace_back();
    } else {
      at = store.ids.free_colliders.back();
      store.ids.free_colliders.pop_back();
    }
    ColliderState<D>& c = store.colliders[at];
    c = ColliderState<D>{};
    c.object = slot;
    c.which = i;
    c.serial = store.ids.next_collider++;
    c.live = true;
    know(c, s.colliders[i].def);
    o.colliders.push_back(at);
  }
  if (def.mirrored) mirror_object(store, broad, o);
  if (def.walker) add_walker(walkers, o, std::move(walker));
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
  if (root.shown.body == BodyKind::dynamic) {
    const Vec<D> centre = root.shown.pose * root.shown.mass_centre;
    update_mass(store, root);
    // The velocity told is that of the centre of mass, which may have moved.
    root.shown.velocity +=
        cross(root.shown.spin, Vec<D>(root.shown.pose * root.shown.mass_centre - centre));
  }
  update_size(store, root);
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
template void remove_object(Model<2>& model, ObjectState<2>& o);
template void remove_object(Model<3>& model, ObjectState<3>& o);
template void show_object(Model<2>& model, ObjectState<2>& o, bool active);
template void show_object(Model<3>& model, ObjectState<3>& o, bool active);
template void free_removed(Store<2>& store, Walkers<2>& walkers);
template void free_removed(Store<3>& store, Walkers<3>& walkers);

}  // namespace colvik::world
