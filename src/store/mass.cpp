#include "store/mass.h"

#include <Eigen/LU>

#include <algorithm>

#include "contact/collide.h"
#include "store/access.h"
#include "store/checks.h"

namespace colvik::world {

namespace {

// Moment of inertia about the origin of a mass of one at `arm` (the parallel axis theorem).
Inertia<2> point_inertia(const Vec<2>& arm) { return Inertia<2>(arm.squaredNorm()); }
Inertia<3> point_inertia(const Vec<3>& arm) {
  return Inertia<3>::Identity() * arm.squaredNorm() - arm * arm.transpose();
}

}  // namespace

template <int D>
void update_size(Store<D>& store, ObjectState<D>& o) {
  o.reach = o.turning_radius = o.inscribed_radius = 0;
  o.thickness = std::numeric_limits<double>::max();
  for (const Collider<D>& c : o.shown.colliders) {
    Shape<D> shape = c.def.shape;
    const auto furthest = [&] {
      const Bounds<D> box = bounds(shape, Pose<D>{c.def.at, c.def.turned});
      const double far =
          Vec<D>((box.centre() - o.shown.mass_centre).cwiseAbs() + box.size() / 2).norm();
      const double most = kFurthest * store.settings.metre;
      return far < most ? far : most;  // some have no end
    };
    const double whole = furthest();
    shape.radius = 0;
    o.turning_radius = std::max(o.turning_radius, furthest());
    if (is_scenery(c.def.shape.kind)) continue;
    o.reach = std::max(o.reach, whole);
    if (!c.def.zone || o.shown.body != BodyKind::dynamic)
      o.thickness = std::min(o.thickness, thinness(c.def.shape));
    if (c.def.zone) continue;
    const Pose<D> centre{Pose<D>{c.def.at, c.def.turned}.to_local(o.shown.mass_centre), {}};
    o.inscribed_radius =
        std::max(o.inscribed_radius, -contact::nearest(c.def.shape, Shape<D>{}, centre, 0).gap);
  }
  // What moves with it reaches further, about the same centre.
  for (const std::uint32_t child : o.children) {
    ObjectState<D>& c = store.objects[child];
    c.shown.mass_centre = c.on_root.to_local(store.objects[o.root].shown.mass_centre);
    update_size(store, c);
    o.reach = std::max(o.reach, c.reach);
    o.turning_radius = std::max(o.turning_radius, c.turning_radius);
    if (c.thickness > 0) o.thickness = std::min(o.thickness, c.thickness);
  }
  if (o.thickness == std::numeric_limits<double>::max()) o.thickness = 0;
}

// Of its own solids alone.
template <int D>
void update_own_mass(ObjectState<D>& o) {
  double mass = 0;
  Vec<D> centre = Vec<D>::Zero();
  std::vector<MassProperties<D>> parts;
  for (const Collider<D>& shown : o.shown.colliders) {
    const ColliderDef<D>& c = shown.def;
    parts.push_back(c.zone ? MassProperties<D>{} : mass_properties(c.shape));
    const double m = c.density * parts.back().volume;
    mass += m;
    centre += m * (c.at + c.turned * parts.back().centre);
  }
  if (mass > 0) centre /= mass;
  Inertia<D> inertia = Inertia<D>::Zero();
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const ColliderDef<D>& c = o.shown.colliders[i].def;
    const MassProperties<D>& p = parts[i];
    const Vec<D> arm = c.at + c.turned * p.centre - centre;
    if constexpr (D == 2) {
      inertia += c.density * (p.inertia + p.volume * point_inertia(arm));
    } else {
      Inertia<3> axes;
      for (int k = 0; k < 3; ++k) axes.col(k) = c.turned.axis(k);
      const Inertia<3> turned = axes * p.inertia * axes.transpose();
      inertia += c.density * (turned + p.volume * point_inertia(arm));
    }
  }
  if (o.given_mass_centre) {
    inertia += mass * point_inertia(Vec<D>(*o.given_mass_centre - centre));
    centre = *o.given_mass_centre;
  }
  if (o.given_mass) {
    if (mass > 0) inertia *= *o.given_mass / mass;
    mass = *o.given_mass;
  }
  if (o.given_inertia) inertia = o.given_inertia->asDiagonal();
  o.own_mass = mass;
  o.shown.mass_centre = centre;
  o.inertia = inertia;
}

template <int D>
void update_mass(Store<D>& store, ObjectState<D>& o) {
  update_own_mass(o);
  double mass = o.own_mass;
  Vec<D> centre = o.shown.mass_centre;
  Inertia<D> inertia = o.inertia;
  if (!o.children.empty()) {
    centre *= mass;
    for_family(store, o, [&](ObjectState<D>& member) {
      if (member.parent == kAlone) return;
      update_own_mass(member);
      mass += member.own_mass;
      centre += member.own_mass * (member.on_root * member.shown.mass_centre);
    });
    centre /= mass;
    inertia += o.own_mass * point_inertia(Vec<D>(o.shown.mass_centre - centre));
    for_family(store, o, [&](ObjectState<D>& member) {
      if (member.parent == kAlone) return;
      const Vec<D> arm = member.on_root * member.shown.mass_centre - centre;
      if constexpr (D == 2) {
        inertia += member.inertia + member.own_mass * point_inertia(arm);
      } else {
        Inertia<3> axes;
        for (int k = 0; k < 3; ++k) axes.col(k) = member.on_root.rotation.axis(k);
        inertia += axes * member.inertia * axes.transpose() + member.own_mass * point_inertia(arm);
      }
      member.shown.mass = member.own_mass;
      member.shown.mass_centre = member.on_root.to_local(centre);
    });
  }
  o.shown.mass = mass;
  o.shown.mass_centre = centre;
  o.inverse_mass = 1 / mass;
  const bool turns = !o.locked_rotation && inertia.trace() > 0;
  o.inertia = turns ? inertia : Inertia<D>(Inertia<D>::Zero());
  o.inverse_inertia = turns ? Inertia<D>(inertia.inverse()) : Inertia<D>(Inertia<D>::Zero());
}

template <int D>
void update_mass_and_velocity(Store<D>& store, ObjectState<D>& root, const Vec<D>& centre) {
  if (root.shown.body == BodyKind::dynamic) {
    update_mass(store, root);
    root.shown.velocity +=
        cross(root.shown.spin, Vec<D>(root.shown.pose * root.shown.mass_centre - centre));
  }
  update_size(store, root);
}

template void update_mass_and_velocity(Store<2>&, ObjectState<2>&, const Vec<2>&);
template void update_mass_and_velocity(Store<3>&, ObjectState<3>&, const Vec<3>&);
template void update_size(Store<2>& store, ObjectState<2>& o);
template void update_size(Store<3>& store, ObjectState<3>& o);
template void update_mass(Store<2>& store, ObjectState<2>& o);
template void update_mass(Store<3>& store, ObjectState<3>& o);

}  // namespace colvik::world
