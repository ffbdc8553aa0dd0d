// Parents and children, and pairs of objects that are excepted from meeting.
#include <fmt/format.h>

#include <algorithm>

#include "world/checks.h"
#include "world/impl.h"

namespace colvik {

using world::ColliderState;
using world::kAlone;
using world::ObjectState;

// Takes its place in a family as it is added.
template <int D>
void World<D>::Impl::join(ObjectState<D>& o, std::string_view parent, const std::optional<Pose<D>>& on_parent) {
  const auto at = by_name.find(std::string(parent));
  ObjectState<D>& p = objects[at->second];
  attach(o, p, on_parent ? *on_parent : p.shown.pose.relative(o.shown.pose));
}

template <int D>
void World<D>::Impl::attach(ObjectState<D>& child, ObjectState<D>& parent, const Pose<D>& on_parent) {
  if (child.parent != kAlone) detach(child);
  ObjectState<D>& root = objects[parent.root];
  disturb(child), disturb(root);
  const double mass = root.shown.mass, added = child.shown.mass;
  const bool one_body = root.shown.body == BodyKind::dynamic && child.shown.body == BodyKind::dynamic;
  if (one_body)  // their momentum together
    root.shown.velocity = (mass * root.shown.velocity + added * child.shown.velocity) / (mass + added);
  child.parent = parent.shown.id.slot;
  child.shown.parent = parent.shown.id;
  child.shown.on_parent = on_parent;
  child.target.reset();
  const auto after = std::find_if(parent.children.begin(), parent.children.end(), [&](std::uint32_t other) {
    return objects[other].shown.serial > child.shown.serial;
  });
  parent.children.insert(after, child.shown.id.slot);
  set_root(child);
  if (root.shown.body == BodyKind::dynamic) set_mass(root);
  set_size(root);
  for_family(child, [&](ObjectState<D>& o) {
    set_body(o, root.shown.body);
    o.changes.filtered = o.changes.teleported = something_changed = true;
  });
  place_family(root);
  set_shown(child, child.own_active);
}

template <int D>
void World<D>::Impl::detach(ObjectState<D>& child) {
  if (child.parent == kAlone) return;
  ObjectState<D>& root = objects[child.root];
  disturb(child), disturb(root);
  std::erase(objects[child.parent].children, child.shown.id.slot);
  child.parent = kAlone;
  child.shown.parent.reset();
  set_root(child);
  const Vec<D> velocity = root.shown.velocity;
  const Vec<D> centre = root.shown.pose * root.shown.mass_centre;
  const Spin<D> spin = root.shown.spin;
  if (child.own_body == BodyKind::dynamic) set_mass(child);
  else child.shown.mass = 0, child.shown.mass_centre.setZero();
  if (root.life == world::Life::live) {
    if (root.shown.body == BodyKind::dynamic) set_mass(root);
    set_size(root);
  }
  for_family(child, [&](ObjectState<D>& o) { set_body(o, child.own_body); });
  set_size(child);
  if (child.own_body != BodyKind::fixed) {
    child.shown.spin = spin;
    child.shown.velocity = velocity + cross(spin, Vec<D>(child.shown.pose * child.shown.mass_centre - centre));
  } else {
    child.shown.velocity.setZero(), child.shown.spin.setZero();
  }
  place_family(child);
  set_shown(child, child.own_active);
}

// Of it and all below: the root, and where they are on it.
template <int D>
void World<D>::Impl::set_root(ObjectState<D>& o) {
  if (o.parent == kAlone) {
    o.root = o.shown.id.slot;
    o.on_root = {};
  } else {
    const ObjectState<D>& parent = objects[o.parent];
    o.root = parent.root;
    o.on_root = parent.parent == kAlone ? o.shown.on_parent : parent.on_root * o.shown.on_parent;
  }
  o.shown.root = objects[o.root].shown.id;
  for (const std::uint32_t child : o.children) set_root(objects[child]);
}

// It moves in another way from now on: its pairs are made anew.
template <int D>
void World<D>::Impl::set_body(ObjectState<D>& o, BodyKind body) {
  const std::uint32_t slot = o.shown.id.slot;
  if (o.shown.body != body) {
    if (o.shown.body == BodyKind::fixed && body != BodyKind::fixed) {
      const auto at = std::lower_bound(movers.begin(), movers.end(), slot, [&](std::uint32_t x, std::uint32_t y) {
        return objects[x].shown.serial < objects[y].shown.serial;
      });
      movers.insert(at, slot);
    }
    if (body == BodyKind::fixed) {
      std::erase(movers, slot);
      give_body(o, world::kNoBody);
    }
    for (const std::uint32_t at : o.colliders) take_from_tree(at);
    o.shown.body = body;
  }
  for (const std::uint32_t at : o.colliders) colliders[at].anew = true;
  classify(o);
}

// Where its parent, or it, was put: it and all below are there too.
template <int D>
void World<D>::Impl::place_family(ObjectState<D>& o) {
  for_family(o, [&](ObjectState<D>& member) {
    follow(member);
    for (const std::uint32_t at : member.colliders) look(at);
  });
  index_stale = true;
}

template <int D>
void World<D>::Impl::follow(ObjectState<D>& o) {
  if (o.parent == kAlone) return;
  const ObjectState<D>& root = objects[o.root];
  put(o, root.place() * o.on_root);
  o.shown.velocity = root.shown.velocity, o.shown.spin = root.shown.spin;
  o.shown.mass_centre = o.on_root.to_local(root.shown.mass_centre);
}

// Children have the velocities that their roots were given for this step.
template <int D>
void World<D>::Impl::share_velocities() {
  for (const std::uint32_t slot : movers) {
    ObjectState<D>& o = objects[slot];
    if (o.parent == kAlone) continue;
    o.shown.velocity = objects[o.root].shown.velocity, o.shown.spin = objects[o.root].shown.spin;
  }
}

template <int D>
void World<D>::Impl::follow_roots() {
  for (const std::uint32_t slot : movers)
    if (objects[slot].parent != kAlone) {
      ObjectState<D>& o = objects[slot];
      o.pose_before = o.shown.pose, o.velocity_before = o.shown.velocity;
      follow(o);
    }
}

// A dynamic body cannot take on what has no inside.
template <int D>
bool World<D>::Impl::may_ride(const ObjectState<D>& child, const ObjectState<D>& parent) {
  if (objects[parent.root].shown.body != BodyKind::dynamic) return true;
  bool good = true;
  for_family(objects[child.shown.id.slot], [&](const ObjectState<D>& o) {
    for (const Collider<D>& c : o.shown.colliders) good = good && (c.def.zone || !is_scenery(c.def.shape.kind));
  });
  return good;
}

template <int D>
bool World<D>::attach(ObjectId child, ObjectId parent, const std::optional<Pose<D>>& on_parent) {
  if (!alive(child) || !alive(parent)) return false;
  if (!impl_->may_ride(*impl_->state(child), *impl_->state(parent))) return false;
  if (on_parent && !world::within(on_parent->position, world::kFurthest * impl_->settings.metre)) return false;
  for (std::uint32_t at = parent.slot; at != kAlone; at = impl_->objects[at].parent)
    if (at == child.slot) return false;
  return impl_->change(child, [this, parent, on_parent](ObjectState<D>& c) {
    ObjectState<D>* p = impl_->state(parent);
    for (std::uint32_t at = p != nullptr ? parent.slot : kAlone; at != kAlone; at = impl_->objects[at].parent)
      if (at == c.shown.id.slot) p = nullptr;  // asked for meanwhile
    if (p != nullptr) impl_->attach(c, *p, on_parent ? *on_parent : p->shown.pose.relative(c.shown.pose));
  });
}

template <int D>
bool World<D>::detach(ObjectId child) {
  if (!alive(child) || !object(child).parent) return false;
  return impl_->change(child, [this](ObjectState<D>& o) { impl_->detach(o); });
}

template <int D>
std::vector<ObjectId> World<D>::children(ObjectId id) const {
  std::vector<ObjectId> ids;
  if (const ObjectState<D>* o = impl_->state(id))
    for (const std::uint32_t child : o->children) ids.push_back(impl_->objects[child].shown.id);
  return ids;
}

template <int D>
std::optional<Pose<D>> World<D>::spot(ObjectId id, std::string_view name) const {
  const ObjectState<D>* o = impl_->state(id);
  if (o == nullptr) return std::nullopt;
  if (name.empty()) return o->shown.pose;
  for (const Spot<D>& s : o->shown.spots)
    if (s.name == name) return o->shown.pose * s.pose;
  return std::nullopt;
}

// ---- exceptions ------------------------------------------------------------------------------

template <int D>
bool World<D>::Impl::is_excepted(std::uint32_t a, std::uint32_t b) const {
  std::uint64_t x = objects[a].shown.serial, y = objects[b].shown.serial;
  if (x > y) std::swap(x, y);
  const auto at = std::lower_bound(excepted.begin(), excepted.end(), std::pair(x, y),
                                   [](const world::Excepted& e, const std::pair<std::uint64_t, std::uint64_t>& key) {
                                     return std::pair(e.serial_a, e.serial_b) < key;
                                   });
  return at != excepted.end() && at->serial_a == x && at->serial_b == y;
}

// Lets those meet again whose time is over, or who are apart.
template <int D>
void World<D>::Impl::look_at_exceptions() {
  std::erase_if(excepted, [&](const world::Excepted& e) {
    ObjectState<D>&a = objects[e.a], &b = objects[e.b];
    const bool there = a.life == world::Life::live && b.life == world::Life::live && a.shown.serial == e.serial_a &&
                       b.shown.serial == e.serial_b;
    if (!there) return true;
    bool over = e.until > 0 && steps >= e.until;
    if (e.until_apart) {
      const double reach = world::kLetGo * settings.metre;
      bool near = false;
      for (const std::uint32_t x : a.colliders)
        for (const std::uint32_t y : b.colliders)
          near = near || contact::nearest(shape_of(colliders[x]), shape_of(colliders[y]),
                                          relative_pose(colliders[x], colliders[y]), reach)
                                 .gap <= reach;
      over = over || !near;
    }
    if (over)
      for (ObjectState<D>* o : {&a, &b}) {
        disturb(*o);
        for (const std::uint32_t at : o->colliders) colliders[at].changed = true, look(at);
      }
    return over;
  });
}

template <int D>
bool World<D>::except(ObjectId a, ObjectId b, const Exception& exception) {
  if (!alive(a) || !alive(b) || a == b) return false;
  if (exception.seconds && !(*exception.seconds > 0 && *exception.seconds <= 1e9)) return false;
  return impl_->change(a, [this, b, exception](ObjectState<D>& first) {
    ObjectState<D>* second = impl_->state(b);
    if (second == nullptr) return;
    Impl& w = *impl_;
    ObjectState<D>*x = &first, *y = second;
    if (x->shown.serial > y->shown.serial) std::swap(x, y);
    world::Excepted e{x->shown.serial, y->shown.serial, x->shown.id.slot, y->shown.id.slot, 0, exception.until_apart};
    if (exception.seconds)
      e.until = w.steps + std::max<std::uint64_t>(
                              1, static_cast<std::uint64_t>(std::llround(*exception.seconds * w.settings.rate)));
    const auto at = std::lower_bound(w.excepted.begin(), w.excepted.end(), e, [](const auto& p, const auto& q) {
      return std::pair(p.serial_a, p.serial_b) < std::pair(q.serial_a, q.serial_b);
    });
    if (at != w.excepted.end() && at->serial_a == e.serial_a && at->serial_b == e.serial_b) *at = e;
    else w.excepted.insert(at, e);
    for (ObjectState<D>* o : {x, y}) {
      w.disturb(*o);
      for (const std::uint32_t c : o->colliders) w.colliders[c].changed = true, w.look(c);
      o->changes.filtered = w.something_changed = true;
    }
  });
}

template struct World<2>::Impl;
template struct World<3>::Impl;
template bool World<2>::attach(ObjectId, ObjectId, const std::optional<Pose<2>>&);
template bool World<3>::attach(ObjectId, ObjectId, const std::optional<Pose<3>>&);
template bool World<2>::detach(ObjectId);
template bool World<3>::detach(ObjectId);
template bool World<2>::except(ObjectId, ObjectId, const Exception&);
template bool World<3>::except(ObjectId, ObjectId, const Exception&);
template std::vector<ObjectId> World<2>::children(ObjectId) const;
template std::vector<ObjectId> World<3>::children(ObjectId) const;
template std::optional<Pose<2>> World<2>::spot(ObjectId, std::string_view) const;
template std::optional<Pose<3>> World<3>::spot(ObjectId, std::string_view) const;

}  // namespace colvik
