#include "store/checks.h"

namespace colvik {

std::string_view name_of(Mixing mixing) {
  switch (mixing) {
    case Mixing::geometric_mean: return "geometric mean";
    case Mixing::mean: return "mean";
    case Mixing::smaller: return "smaller";
    case Mixing::larger: return "larger";
    default: return "product";
  }
}

template <int D>
Result<void> check_settings(const WorldSettings<D>& s) {
  if (!(s.metre >= 1e-6 && s.metre <= 1e6))
    return Error{"world metre", fmt::format("{} is not usable", s.metre),
                 "units that make one metre, 1e-6 to 1e6"};
  if (!(s.rate >= 1 && s.rate <= 10000))
    return Error{"world rate", fmt::format("{} is not usable", s.rate),
                 "steps per second, 1 to 10000"};
  if (!world::within(s.gravity, 1e6 * s.metre))
    return Error{"world gravity", world::text(s.gravity) + " is not usable",
                 "finite numbers up to 1e6 metres per second squared"};
  if (s.substeps < 1 || s.substeps > 64)
    return Error{"world substeps", fmt::format("{} is not usable", s.substeps), "1 to 64"};
  return {};
}
template Result<void> check_settings(const WorldSettings<2>&);
template Result<void> check_settings(const WorldSettings<3>&);

template <int D>
Result<void> check_motion(const Motion<D>& motion, double metre) {
  const auto check_times = [](const auto& points, std::string_view what) -> Result<void> {
    if (points.empty()) return Error{std::string(what), "has no entries", "at least one"};
    for (std::size_t i = 0; i < points.size(); ++i) {
      if (!(points[i].at >= 0 && points[i].at <= 1e9))
        return Error{std::string(what), fmt::format("time {} is not usable", points[i].at),
                     "seconds from the start, 0 or more"};
      if (i > 0 && points[i].at <= points[i - 1].at)
        return Error{std::string(what),
                     fmt::format("time {} does not come after {}", points[i].at, points[i - 1].at),
                     "times that grow"};
    }
    return {};
  };
  if (const auto* path = std::get_if<Path<D>>(&motion)) {
    if (auto times = check_times(path->points, "path"); !times) return times;
    for (const Waypoint<D>& w : path->points)
      if (!world::within(w.to, world::kFurthest * metre))
        return Error{"path", world::text(w.to) + " is out of range",
                     "finite positions up to 1e9 metres"};
    if (path->loop &&
        (path->points.size() < 2 || path->points.front().to != path->points.back().to))
      return Error{"path", "is a loop that does not come back",
                   "a last waypoint where the first one is"};
  } else if (const auto* steps = std::get_if<std::vector<VelocityFrom<D>>>(&motion)) {
    if (auto times = check_times(*steps, "velocities"); !times) return times;
    for (const VelocityFrom<D>& v : *steps)
      if (!world::within(v.velocity, world::kFastest * metre) ||
          !world::within(v.spin, world::kFastest))
        return Error{"velocities", world::text(v.velocity) + " is out of range",
                     "finite speeds up to 1e6 metres per second"};
  } else if (const auto* circle = std::get_if<Circling<D>>(&motion)) {
    if (!world::within(circle->centre, world::kFurthest * metre) ||
        !world::within(circle->rate, world::kFastest))
      return Error{"circling", "is out of range", "a finite centre and rate"};
  } else if (const auto* approach = std::get_if<Approach<D>>(&motion)) {
    if (!world::within(approach->place, world::kFurthest * metre))
      return Error{"approach", world::text(approach->place) + " is out of range",
                   "finite positions up to 1e9 metres"};
    if (!(approach->speed > 0 && approach->speed <= world::kFastest * metre))
      return Error{"approach", fmt::format("speed {} is not usable", approach->speed),
                   "a number above 0"};
    if (!(approach->within >= 0 && approach->within <= world::kFurthest * metre))
      return Error{"approach", fmt::format("within {} is not usable", approach->within),
                   "a number from 0 up"};
  }
  return {};
}
template Result<void> check_motion(const Motion<2>&, double);
template Result<void> check_motion(const Motion<3>&, double);

namespace world {

namespace {

template <int D>
Result<void> check_schedule(const ColliderDef<D>& c, double metre) {
  double last = -1;
  for (const Beat<D>& b : c.schedule.beats) {
    if (!(b.at >= 0 && b.at <= 1e9 && b.at > last))
      return Error{"collider schedule", fmt::format("time {} is not usable", b.at),
                   "times from 0 up that grow"};
    last = b.at;
    if (!b.on && !b.scale)
      return Error{"collider schedule", "says nothing at a time", "on or scale"};
    if (!b.scale) continue;
    if (!(*b.scale > 0 && *b.scale <= 1e6))
      return Error{"collider schedule", fmt::format("scale {} is not usable", *b.scale),
                   "a number above 0"};
    if (auto shape = check_shape(scaled(c.shape, *b.scale), metre); !shape) return shape;
  }
  if (c.schedule.period != 0 && !(c.schedule.period > last && c.schedule.period <= 1e9))
    return Error{"collider schedule",
                 fmt::format("period {} ends before its last time", c.schedule.period),
                 "a number above the last time"};
  return {};
}

template <int D>
Result<void> check_collider(const ColliderDef<D>& c, double metre) {
  if (auto shape = check_shape(c.shape, metre); !shape) return shape;
  if (auto schedule = check_schedule(c, metre); !schedule) return schedule;
  if (c.field) {
    if (!c.zone) return Error{"collider field", "is given to a solid", "zone = true"};
    if (!within(c.field->gravity, 1e6 * metre) || !within(c.field->wind, kFastest * metre) ||
        !(c.field->drag >= 0 && c.field->drag <= 1e6))
      return Error{"collider field", "is out of range", "finite gravity and wind, drag from 0 up"};
    if (!within(c.field->current, kFastest * metre))
      return Error{"collider field", text(c.field->current) + " is out of range", "finite speeds"};
    if (!c.field->wind.isZero(0) && c.field->drag == 0)
      return Error{"collider field", "has a wind and no drag by which it is felt", "drag above 0"};
  }
  if (!within(c.at, kFurthest * metre))
    return Error{"collider offset", text(c.at) + " is out of range", "finite numbers"};
  if (!(c.density >= kLightest && c.density <= kHeaviest))
    return Error{"collider density", fmt::format("{} is not usable", c.density),
                 fmt::format("{} to {} units of mass per {} unit", kLightest, kHeaviest,
                             D == 2 ? "square" : "cubic")};
  if (!(c.friction >= 0 && c.friction <= 1e6))
    return Error{"collider friction", fmt::format("{} is not usable", c.friction),
                 "a number from 0 up"};
  if (!(c.restitution >= 0 && c.restitution <= 1))
    return Error{"collider restitution", fmt::format("{} is not usable", c.restitution),
                 "a number from 0 to 1"};
  if (!(c.rolling_friction >= 0 && c.rolling_friction <= 1e6))
    return Error{"collider rolling friction", fmt::format("{} is not usable", c.rolling_friction),
                 "a number from 0 up"};
  if (!within(c.surface_velocity, kFastest * metre))
    return Error{"collider surface velocity", text(c.surface_velocity) + " is out of range",
                 "finite speeds up to 1e6 metres per second"};
  if (!c.one_way.isZero(0)) {
    if (!within(c.one_way, 1e15)) return Error{"collider one way", "is not finite", "a direction"};
    if (c.zone || !is_convex(c.shape))
      return Error{"collider one way",
                   c.zone ? "is given to a zone"
                          : fmt::format("is given to a {}", shape_name<D>(c.shape.kind)),
                   "a solid convex shape"};
  }
  return {};
}

}  // namespace

template <int D>
Result<void> check_colliders(const std::vector<ColliderDef<D>>& colliders, BodyKind body,
                             bool has_mass, double metre) {
  // Worked out for no others: it can cost.
  const bool needs_volume = body == BodyKind::dynamic && !has_mass;
  double mass = 0;
  for (std::size_t i = 0; i < colliders.size(); ++i) {
    const ColliderDef<D>& c = colliders[i];
    const std::string which =
        colliders.size() > 1 ? fmt::format(" ({} of {})", i + 1, colliders.size()) : "";
    if (auto good = check_collider(c, metre); !good) {
      Error error = good.error();
      error.where += which;
      return error;
    }
    if (body == BodyKind::dynamic && !c.zone && is_scenery(c.shape.kind))
      return Error{fmt::format("collider {}{}", shape_name<D>(c.shape.kind), which),
                   "is a solid of a dynamic object and has no inside",
                   D == 2 ? "polygons, an outline or a compound" : "hulls or a compound of them"};
    if (needs_volume && !c.zone) mass += c.density * mass_properties(c.shape).volume;
  }
  const auto is_zone = [](const ColliderDef<D>& c) { return c.zone; };
  if (needs_volume && !colliders.empty() &&
      std::all_of(colliders.begin(), colliders.end(), is_zone))
    return Error{"body", "is dynamic and has zones alone: without a mass, and through every floor",
                 "a solid collider beside the zone, a mass, or body = kinematic"};
  if (needs_volume && mass == 0)
    return Error{"body", "is dynamic but has no solid collider with a volume to take a mass from",
                 "a solid collider that is no bare segment, or a mass"};
  if (needs_volume && !(mass >= kLightest && mass <= kHeaviest))
    return Error{"body", fmt::format("has a mass of {} by its colliders' densities", mass),
                 fmt::format("a mass from {} to {}", kLightest, kHeaviest)};
  return {};
}

namespace {

template <int D>
Result<void> check_walker(const ObjectDef<D>& def, double metre) {
  if (!def.walker) {
    if (!def.wishes.empty())
      return Error{"wishes", "are given to an object that is no walker", "a walker"};
    return {};
  }
  const Walker<D>& w = *def.walker;
  const auto wrong = [](std::string what, std::string accepted) {
    return Error{"walker", std::move(what), std::move(accepted)};
  };
  if (def.body != BodyKind::kinematic)
    return wrong(fmt::format("is a {} object", name_of(def.body)), "body = kinematic");
  if (!def.parent.empty()) return wrong("has a parent, which moves it", "an object on its own");
  if (!std::holds_alternative<std::monostate>(def.motion) || !def.velocity.isZero(0) ||
      !def.spin.isZero(0))
    return wrong("has a motion or velocity", "wishes, which move it");
  Bounds<D> all;
  for (const ColliderDef<D>& c : def.colliders) {
    if (c.zone) continue;
    if (is_scenery(c.shape.kind))
      return wrong(fmt::format("has a solid {}", shape_name<D>(c.shape.kind)),
                   "convex shapes, outlines or compounds");
    all = all.merged(bounds(c.shape, Pose<D>{c.at, c.turned}));
  }
  if (all.empty()) return wrong("has no solid collider", "a collider, such as a capsule");
  if (!(w.speed > 0 && w.speed <= kFastest * metre))
    return wrong(fmt::format("speed {} is not usable", w.speed), "a number above 0");
  for (const auto& [name, value] :
       {std::pair("speeding up", w.speeding_up), std::pair("slowing", w.slowing),
        std::pair("fall limit", w.fall_limit), std::pair("hold below", w.hold_below)})
    if (value && !(*value > 0 && *value <= 1e12))
      return wrong(fmt::format("{} of {} is not usable", name, *value), "a number above 0");
  for (const auto& [name, value] :
       {std::pair("air control", w.air_control), std::pair("jump cut", w.jump_cut)})
    if (!(value >= 0 && value <= 1))
      return wrong(fmt::format("{} of {} is not usable", name, value), "0 to 1");
  for (const auto& [name, value] :
       {std::pair("jump speed", w.jump_speed), std::pair("push", w.push),
        std::pair("push at least", w.push_least), std::pair("weight", w.weight)})
    if (!(value >= 0 && value <= 1e12))
      return wrong(fmt::format("{} of {} is not usable", name, value), "a number from 0 up");
  if (!(w.steepest >= 0 && w.steepest < kPi / 2))
    return wrong(fmt::format("steepest of {:.4g} degrees is not usable", degrees(w.steepest)),
                 "from 0 to below 90");
  const double height = all.size().maxCoeff();
  const double width = all.size().minCoeff();
  if (!(w.step >= 0 && w.step < height))
    return wrong(fmt::format("step {} is not below its own height of {:.4g}", w.step, height),
                 "from 0 to below that");
  if (w.clearance &&
      !(*w.clearance >= 1e-5 * metre && *w.clearance < std::min(kMostClearance * metre, width / 4)))
    return wrong(fmt::format("clearance {} is not usable", *w.clearance),
                 fmt::format("from {} to below {:.4g}", 1e-5 * metre,
                             std::min(kMostClearance * metre, width / 4)));
  double last = -1;
  for (const TimedWish<D>& t : def.wishes) {
    if (!(t.at >= 0 && t.at <= 1e9 && t.at > last))
      return Error{"wish", fmt::format("time {} is not usable", t.at), "times from 0 up that grow"};
    last = t.at;
    if (!within(t.wish.velocity, kFastest * metre))
      return Error{"wish", "is not finite", "a velocity"};
  }
  return {};
}

template <int D>
Result<void> check_values(const ObjectDef<D>& def, const WorldSettings<D>& s) {
  if (!within(def.at, kFurthest * s.metre))
    return Error{"position", text(def.at) + " is out of range", "finite numbers up to 1e9 metres"};
  if (!is_usable(Pose<D>{kZero, def.turned}, s.metre))
    return Error{"rotation", "is not usable", "a finite angle about an axis that has a length"};
  if (def.on_parent && !is_usable(*def.on_parent, s.metre))
    return Error{"pose on its parent", "is not usable", "finite numbers up to 1e9 metres"};
  for (const ColliderDef<D>& c : def.colliders)
    if (!is_usable(Pose<D>{kZero, c.turned}, s.metre))
      return Error{"collider rotation", "is not usable",
                   "a finite angle about an axis that has a length"};
  if (!within(def.velocity, kFastest * s.metre))
    return Error{"velocity", text(def.velocity) + " is out of range",
                 "finite speeds up to 1e6 metres per second"};
  if (!within(def.spin, kFastest))
    return Error{"spin", text(def.spin) + " is out of range",
                 "finite, up to 1e6 radians per second"};
  for (const Drawing<D>& d : def.drawings)
    if (!within(d.size, kLargestSize * s.metre) || (d.size.array() < 0).any() ||
        !within(d.at, kFurthest * s.metre))
      return Error{"drawing size", text(d.size) + " is not usable", "whole sizes above 0"};
  if (!(std::abs(def.gravity_scale) <= 1e6))
    return Error{"gravity scale", fmt::format("{} is not usable", def.gravity_scale),
                 "a finite number"};
  if (auto good = check_colliders(def.colliders, def.body, def.mass.has_value(), s.metre); !good)
    return good;
  for (const Number& n : def.numbers) {
    if (!is_plain_name(n.name))
      return Error{fmt::format("number '{}'", n.name), "is not a name",
                   "letters, digits and - _ ."};
    if (!(std::abs(n.value) <= 1e15))
      return Error{"number " + n.name, fmt::format("{} is out of range", n.value),
                   "finite, up to 1e15"};
  }
  const bool moves = !std::holds_alternative<std::monostate>(def.motion);
  if (moves && def.body != BodyKind::kinematic)
    return Error{"motion", fmt::format("is given to a {} object", name_of(def.body)),
                 "body = kinematic"};
  if (auto good = check_motion(def.motion, s.metre); !good) return good;
  const Heed<D>& h = def.heed;
  if ((!h.points_at.empty() || h.re_enters || h.kept_inside) && def.body != BodyKind::kinematic)
    return Error{"points at, re-enters or kept inside",
                 fmt::format("is given to a {} object", name_of(def.body)), "body = kinematic"};
  const auto ends = [&](const Bounds<D>& region) {
    return within(region.lo, kFurthest * s.metre) && within(region.hi, kFurthest * s.metre);
  };
  for (const std::optional<Bounds<D>>* region_of : {&h.re_enters, &h.kept_inside})
    if (const std::optional<Bounds<D>>& region = *region_of;
        region && ((region_of == &h.re_enters && !ends(*region)) || region->lo.hasNaN() ||
                   region->hi.hasNaN() || (region->lo.array() > region->hi.array()).any()))
      return Error{"region", "is not usable", "finite, with lo <= hi"};
  for (const Spot<D>& spot : def.spots)
    if (!is_plain_name(spot.name) || !within(spot.pose.position, kFurthest * s.metre))
      return Error{fmt::format("spot '{}'", spot.name), "is not usable",
                   "a name and a finite place"};
  if (def.mirrored)
    for (const ColliderDef<D>& c : def.colliders)
      if (auto good = mirrored(c.shape); !good)
        return Error{"collider " + good.error().where, good.error().what, good.error().accepted};
  if (auto good = check_walker(def, s.metre); !good) return good;
  if (def.on_parent && def.parent.empty())
    return Error{"pose on a parent", "is given without a parent", "parent = an object's name"};
  const bool thrown = def.velocity != Vec<D>::Zero() || def.spin != Spin<D>::Zero();
  if (thrown && def.body == BodyKind::fixed)
    return Error{"velocity", "is given to a static object", "body = kinematic or dynamic"};
  if (thrown && moves) return Error{"velocity", "is given beside a motion", "one of the two"};
  if (def.mass && !(*def.mass >= kLightest && *def.mass <= kHeaviest))
    return Error{"mass", fmt::format("{} is not usable", *def.mass),
                 fmt::format("{} to {} units of mass", kLightest, kHeaviest)};
  if (def.mass_centre && !within(*def.mass_centre, kFurthest * s.metre))
    return Error{"mass centre", text(*def.mass_centre) + " is out of range", "finite numbers"};
  if (def.inertia &&
      !((def.inertia->array() >= kLeastInertia).all() && within(*def.inertia, kMostInertia)))
    return Error{
        "inertia", text(*def.inertia) + " is not usable",
        fmt::format("{} to {} units of mass times length squared", kLeastInertia, kMostInertia)};
  if (!(def.drag >= 0 && def.drag <= 1e6) || !(def.spin_drag >= 0 && def.spin_drag <= 1e6))
    return Error{"drag", fmt::format("{} or {} is not usable", def.drag, def.spin_drag),
                 "numbers from 0 up, per second"};
  for (const TimedPush<D>& p : def.pushes) {
    if (!(p.from >= 0 && p.from <= 1e9) || !(p.until <= 1e9))
      return Error{"push", fmt::format("from {} until {} is not usable", p.from, p.until),
                   "seconds from the start"};
    if ((!p.force.isZero(0) || !p.torque.isZero(0)) && !(p.until > p.from))
      return Error{"push", fmt::format("until {} does not come after from {}", p.until, p.from),
                   "a force has a time in which it acts"};
    if (!within(p.force, kStrongest) || !within(p.torque, kStrongest) ||
        !within(p.impulse, kStrongest) || !within(p.angular_impulse, kStrongest) ||
        (p.point && !within(*p.point, kFurthest * s.metre)))
      return Error{"push", "is out of range", "finite numbers"};
    if (def.body != BodyKind::dynamic)
      return Error{"push", fmt::format("is given to a {} object", name_of(def.body)),
                   "body = dynamic"};
  }
  if (def.mass && def.body != BodyKind::dynamic)
    return Error{"mass", "is given to an object that is not dynamic", "body = dynamic"};
  return {};
}

}  // namespace

template <int D>
Result<void> check_object(const ObjectDef<D>& def, const WorldSettings<D>& settings) {
  auto good = check_values(def, settings);
  if (good) return good;
  Error error = good.error();
  error.where = fmt::format("object '{}' {}", def.name.empty() ? def.kind : def.name, error.where);
  return error;
}

template Result<void> check_colliders(const std::vector<ColliderDef<2>>&, BodyKind, bool, double);
template Result<void> check_colliders(const std::vector<ColliderDef<3>>&, BodyKind, bool, double);
template Result<void> check_object(const ObjectDef<2>&, const WorldSettings<2>&);
template Result<void> check_object(const ObjectDef<3>&, const WorldSettings<3>&);

}  // namespace world
}  // namespace colvik
