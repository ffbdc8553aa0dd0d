#include "change/families.h"

#include <algorithm>

#include "change/mirror.h"
#include "change/objects.h"
#include "pairs/index.h"
#include "sleep/sleep.h"
#include "store/access.h"
#include "store/families.h"
#include "store/mass.h"
#include "store/objects.h"

namespace colvik::world {

template <int D>
bool is_turned_with(const Store<D>& store, const ObjectState<D>& parent, bool on_parent) {
  return parent.shown.mirrored && (on_parent || store.steps == 0);
}

namespace {

// Where an object would be if no parent of it had been mirrored from the start.
template <int D>
Pose<D> unmirrored_pose(const Store<D>& store, const ObjectState<D>& o) {
  if (o.parent == kAlone || store.steps > 0) return o.shown.pose;
  const ObjectState<D>& parent = store.objects[o.parent];
  const Pose<D>& at = o.shown.on_parent;
  return unmirrored_pose(store, parent) * (parent.shown.mirrored ? across<D>(at) : at);
}

}  // namespace

template <int D>
void join_family(Model<D>& model, ObjectState<D>& o, std::string_view parent,
                 const std::optional<Pose<D>>& on_parent) {
  Store<D>& store = model.store;
  const auto at = store.by_name.find(std::string(parent));
  ObjectState<D>& p = store.objects[at->second];
  Pose<D> at_parent = on_parent ? *on_parent : unmirrored_pose(store, p).relative(o.shown.pose);
  if (is_turned_with(store, p, on_parent.has_value())) {
    mirror_object(store, model.broad, o);
    at_parent = across<D>(at_parent);
  }
  attach_object(model, o, p, at_parent);
}

template <int D>
void attach_object(Model<D>& model, ObjectState<D>& child, ObjectState<D>& parent,
                   const Pose<D>& on_parent) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  if (child.parent != kAlone) detach_object(model, child);
  ObjectState<D>& root = store.objects[parent.root];
  disturb(model, child);
  disturb(model, root);
  const double mass = root.shown.mass;
  const double added = child.shown.mass;
  const bool one_body =
      root.shown.body == BodyKind::dynamic && child.shown.body == BodyKind::dynamic;
  if (one_body)  // their momentum together
    root.shown.velocity =
        (mass * root.shown.velocity + added * child.shown.velocity) / (mass + added);
  child.parent = parent.shown.id.slot;
  child.shown.parent = parent.shown.id;
  child.shown.on_parent = on_parent;
  child.target.reset();
  const auto after = std::find_if(
      parent.children.begin(), parent.children.end(),
      [&](std::uint32_t other) { return store.objects[other].shown.serial > child.shown.serial; });
  parent.children.insert(after, child.shown.id.slot);
  update_root(store, child);
  if (root.shown.body == BodyKind::dynamic) update_mass(store, root);
  update_size(store, root);
  for_family(store, child, [&](ObjectState<D>& o) {
    change_body(model, o, root.shown.body);
    o.changes.filtered = o.changes.teleported = store.causes_noted = true;
  });
  place_family(store, broad, root);
  show_object(model, child, child.own_active);
}

template <int D>
void detach_object(Model<D>& model, ObjectState<D>& child) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  if (child.parent == kAlone) return;
  ObjectState<D>& root = store.objects[child.root];
  disturb(model, child);
  disturb(model, root);
  std::erase(store.objects[child.parent].children, child.shown.id.slot);
  child.parent = kAlone;
  child.shown.parent.reset();
  update_root(store, child);
  const Vec<D> velocity = root.shown.velocity;
  const Vec<D> centre = root.shown.pose * root.shown.mass_centre;
  const Spin<D> spin = root.shown.spin;
  if (child.own_body == BodyKind::dynamic) update_mass(store, child);
  else {
    child.shown.mass = 0;
    child.shown.mass_centre.setZero();
  }
  if (root.life == Life::live) {
    if (root.shown.body == BodyKind::dynamic) update_mass(store, root);
    update_size(store, root);
  }
  for_family(store, child, [&](ObjectState<D>& o) { change_body(model, o, child.own_body); });
  update_size(store, child);
  if (child.own_body != BodyKind::fixed) {
    child.shown.spin = spin;
    child.shown.velocity =
        velocity + cross(spin, Vec<D>(child.shown.pose * child.shown.mass_centre - centre));
  } else {
    child.shown.velocity.setZero();
    child.shown.spin.setZero();
  }
  place_family(store, broad, child);
  show_object(model, child, child.own_active);
}

// Its kind of motion changes: its pairs are made again.
template <int D>
void change_body(Model<D>& model, ObjectState<D>& o, BodyKind body) {
  Store<D>& store = model.store;
  BroadPhase<D>& broad = model.broad;
  const std::uint32_t slot = o.shown.id.slot;
  if (o.shown.body != body) {
    if (o.shown.body == BodyKind::fixed && body != BodyKind::fixed) {
      const auto at = std::lower_bound(
          store.movers.begin(), store.movers.end(), slot, [&](std::uint32_t x, std::uint32_t y) {
            return store.objects[x].shown.serial < store.objects[y].shown.serial;
          });
      store.movers.insert(at, slot);
    }
    if (body == BodyKind::fixed) {
      std::erase(store.movers, slot);
      set_body_index(store, o, kNoBody);
    }
    for (const std::uint32_t at : o.colliders) remove_from_index(store, broad, at);
    o.shown.body = body;
  }
  for (const std::uint32_t at : o.colliders) store.colliders[at].remade = true;
  classify(model, o);
}

template bool is_turned_with(const Store<2>& store, const ObjectState<2>& parent, bool on_parent);
template bool is_turned_with(const Store<3>& store, const ObjectState<3>& parent, bool on_parent);
template void join_family(Model<2>& model, ObjectState<2>& o, std::string_view parent,
                          const std::optional<Pose<2>>& on_parent);
template void join_family(Model<3>& model, ObjectState<3>& o, std::string_view parent,
                          const std::optional<Pose<3>>& on_parent);
template void attach_object(Model<2>& model, ObjectState<2>& child, ObjectState<2>& parent,
                            const Pose<2>& on_parent);
template void attach_object(Model<3>& model, ObjectState<3>& child, ObjectState<3>& parent,
                            const Pose<3>& on_parent);
template void detach_object(Model<2>& model, ObjectState<2>& child);
template void detach_object(Model<3>& model, ObjectState<3>& child);

}  // namespace colvik::world
