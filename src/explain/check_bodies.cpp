// Shapes, bodies, and where they are at the start.
#include <fmt/format.h>

#include <cmath>

#include "explain/checking.h"

namespace colvik::reasons {

namespace {

template <int D>
Bounds<D> solid_bounds(const ObjectDef<D>& def, bool zones = false) {
  Bounds<D> all;
  for (const ColliderDef<D>& c : def.colliders)
    if ((zones || !c.zone) && !is_scenery(c.shape.kind))
      all = all.merged(bounds(c.shape, Pose<D>{c.at, c.turned}));
  return all;
}

template <int D>
bool has_solid(const ObjectDef<D>& def) {
  return std::any_of(def.colliders.begin(), def.colliders.end(),
                     [](const ColliderDef<D>& c) { return !c.zone; });
}

// Of an outline or a body with flat sides.
std::size_t points_of(const Shape<2>& shape) {
  std::size_t points = 0;
  if (shape.kind == ShapeKind::polygon || shape.kind == ShapeKind::outline)
    for (const std::vector<Vec<2>>& line : outlines(shape)) points += line.size() - 1;
  return points;
}
std::size_t points_of(const Shape<3>& shape) {
  return shape.kind == ShapeKind::hull ? edges(shape).size() / 2 : 0;
}

std::vector<Vec<2>> corners_of(const Shape<2>& shape) {
  std::vector<Vec<2>> corners = outlines(shape).front();
  corners.pop_back();  // the first again
  return corners;
}
std::vector<Vec<3>> corners_of(const Shape<3>& shape) {
  std::vector<Vec<3>> corners;
  for (const Edge3& e : edges(shape))
    for (const Vec<3>& p : {e.from, e.to})
      if (std::find(corners.begin(), corners.end(), p) == corners.end()) corners.push_back(p);
  return corners;
}

template <int D>
double greatest_speed(const ObjectDef<D>& def, const WorldSettings<D>& settings, double length) {
  // What falls gets no faster than in the time that it has.
  const double falls =
      def.body == BodyKind::dynamic
          ? settings.gravity.norm() * std::abs(def.gravity_scale) * std::min(length, 1.0)
          : 0;
  return def.velocity.norm() + falls;
}

template <int D>
void check_drawing(Checking<D>& c, const Known<D>& k) {
  const ObjectDef<D>& def = *k.def;
  if (def.drawings.empty()) return;
  if (def.colliders.empty())
    return c.add("drawing-alone", k.at({"drawing", "drawings"}), def.name,
                 fmt::format("{} has a drawing and no collider, so nothing touches it", def.name),
                 "give it a collider, or accept this finding");
  const Bounds<D> shape = solid_bounds(def, !has_solid(def));
  Bounds<D> drawn;
  for (const Drawing<D>& d : def.drawings)
    drawn = drawn.merged(Bounds<D>{d.at - d.size / 2, d.at + d.size / 2});
  if (shape.empty() || drawn.empty() || drawn.size().isZero(0)) return;
  double most = 0;
  double least = 1e300;
  for (int i = 0; i < D; ++i) {
    if (drawn.size()[i] <= 0) continue;
    most = std::max(most, shape.size()[i] / drawn.size()[i]);
    least = std::min(least, shape.size()[i] / drawn.size()[i]);
  }
  if (most > 2 || least < 1.0 / 3)
    c.add("unlike-drawing", k.at({"drawing", "drawings"}), def.name,
          fmt::format("the collider of {} is {:.2g} times as large as its drawing", def.name,
                      most > 2 ? most : least),
          "sizes that go with the drawing");
}

template <int D>
void check_size(Checking<D>& c, const Known<D>& k) {
  const ObjectDef<D>& def = *k.def;
  const double metre = c.scene.world.metre;
  const Bounds<D> shape = solid_bounds(def);
  if (def.body == BodyKind::dynamic && !shape.empty()) {
    const double size = shape.size().maxCoeff() / metre;
    if (size < 0.01 || size > 200)
      c.add("size-unlike-metre", k.at({"collider", "colliders"}), def.name,
            fmt::format("{} is {:.3g} m large, as one metre is {:g} units", def.name, size, metre),
            "`metre` in [world]: how many units make one metre");
    if (shape.size()[0] > 5 * metre && shape.size()[0] > 8 * shape.size()[1] &&
        !c.scene.world.gravity.isZero(0))
      c.add("dynamic-floor", k.at({"body"}), def.name,
            fmt::format("{} is as wide as a floor, and dynamic: it falls", def.name),
            "body = \"static\", or \"kinematic\" if it is moved");
  }
  for (const ColliderDef<D>& collider : def.colliders)
    if (const std::size_t points = points_of(collider.shape); points > 64)
      c.add("too-many-points", k.at({"collider", "colliders"}), def.name,
            fmt::format("the outline of {} has {} points, and each may cost at every touch",
                        def.name, points),
            fmt::format("an outline of 16 points, with {:.2g} times fewer sides",
                        static_cast<double>(points) / 16));
}

// Corners that all lie on one circle, about: it is meant to be round.
template <int D>
void check_round(Checking<D>& c, const Known<D>& k) {
  const ObjectDef<D>& def = *k.def;
  if (def.body != BodyKind::dynamic || def.locked_rotation) return;
  for (const ColliderDef<D>& collider : def.colliders) {
    const ShapeKind kind = collider.shape.kind;
    const bool sided =
        kind == ShapeKind::polygon || kind == ShapeKind::outline || kind == ShapeKind::hull;
    if (collider.zone || !sided || collider.shape.radius > 0) continue;
    const std::vector<Vec<D>> corners = corners_of(collider.shape);
    if (corners.size() < (D == 2 ? 7U : 13U)) continue;
    Vec<D> middle = kZero;
    for (const Vec<D>& p : corners) middle += p / static_cast<double>(corners.size());
    double least = 1e300;
    double most = 0;
    for (const Vec<D>& p : corners) {
      least = std::min(least, (p - middle).norm());
      most = std::max(most, (p - middle).norm());
    }
    if (least > 0.95 * most)
      c.add("flat-sides", k.at({"collider", "colliders"}), def.name,
            fmt::format("{} is round but for {} corners, and rolls on its flat sides", def.name,
                        corners.size()),
            fmt::format("a {} {:.3g} across", D == 2 ? "circle" : "sphere or cylinder",
                        least + most));
  }
}

// What is thinner than a body's way in a step, which it goes without `continuous`.
template <int D>
void check_speed(Checking<D>& c, const Known<D>& k) {
  const ObjectDef<D>& def = *k.def;
  if (def.body != BodyKind::dynamic || def.continuous || !has_solid(def)) return;
  const double way = greatest_speed(def, c.scene.world, c.scene.length) / c.scene.world.rate;
  const double own = solid_bounds(def).size().minCoeff();
  for (const Known<D>& other : c.all) {
    if (other.def->body == BodyKind::dynamic || !has_solid(*other.def)) continue;
    const Bounds<D> shape = solid_bounds(*other.def);
    if (shape.empty() || way < own + shape.size().minCoeff()) continue;
    for (const Party& p : k.parties)
      for (const Party& q : other.parties)
        if (const Verdict v = decide(p, q); v.meet && v.channel == Channel::solid)
          return c.add("thin-for-speed", k.at({"continuous"}), def.name,
                       fmt::format("{} goes {:.3g} in a step, and {} is {:.3g} thin", def.name, way,
                                   other.def->name, shape.size().minCoeff()),
                       "continuous = true, or thicker solids");
  }
}

// Whether one starts above another, as far as boxes around them say.
template <int D>
bool is_above(const Object<D>& a, const Object<D>& b, const Vec<D>& gravity) {
  const auto around = [](const Object<D>& o) {
    Bounds<D> all;
    for (const Collider<D>& c : o.colliders)
      if (!is_scenery(c.def.shape.kind))
        all = all.merged(bounds(c.def.shape, o.pose * Pose<D>{c.def.at, c.def.turned}));
    return all;
  };
  if ((a.pose.position - b.pose.position).dot(gravity) >= 0) return false;
  const Bounds<D> x = around(a);
  const Bounds<D> y = around(b);
  for (int i = 0; i < D; ++i)
    if (std::abs(gravity[i]) < gravity.norm() / 2 && (x.lo[i] > y.hi[i] || y.lo[i] > x.hi[i]))
      return false;
  return true;
}

template <int D>
void check_masses(Checking<D>& c) {
  const World<D>& world = c.start.world;
  const Vec<D>& gravity = c.scene.world.gravity;
  std::vector<const Object<D>*> all;
  for (const ObjectId id : world.objects())
    if (world.object(id).body == BodyKind::dynamic && world.object(id).mass > 0)
      all.push_back(&world.object(id));
  if (gravity.isZero(0) || all.size() > 500) return;
  for (const Object<D>* heavy : all)
    for (const Object<D>* light : all) {
      if (heavy->mass < 1000 * light->mass || !is_above(*heavy, *light, gravity) ||
          !world.decide(light->id, 0, heavy->id, 0).meet)
        continue;
      for (const Known<D>& k : c.all)
        if (!k.spawned && k.def->name == heavy->name)
          c.add("masses-apart", k.at({"mass"}), heavy->name,
                fmt::format("{} is {:.3g} times as heavy as {} beneath it, and sinks in",
                            heavy->name, heavy->mass / light->mass, light->name),
                "masses within 1,000 to 1, or filters that keep the two apart");
    }
}

}  // namespace

template <int D>
void check_bodies(Checking<D>& c) {
  for (const Known<D>& k : c.all) {
    check_drawing(c, k);
    check_size(c, k);
    check_speed(c, k);
    check_round(c, k);
  }
  check_masses(c);
}

namespace {

template <int D>
const Known<D>* known(const Checking<D>& c, const std::string& name) {
  for (const Known<D>& k : c.all)
    if (!k.spawned && k.def->name == name) return &k;
  return nullptr;
}

// Solids that are in each other by more than what a solver leaves.
template <int D>
void check_overlaps(Checking<D>& c, const Object<D>& o) {
  const World<D>& world = c.start.world;
  for (std::size_t i = 0; i < o.colliders.size(); ++i) {
    const ColliderDef<D>& own = o.colliders[i].def;
    if (own.zone || is_scenery(own.shape.kind)) continue;
    const auto found = const_cast<World<D>&>(world).all(
        OverlapWith<D>{own.shape, o.pose * Pose<D>{own.at, own.turned}}, {.except = o.id});
    for (const Answer<D>& a : found) {
      const Verdict v = world.decide(o.id, i, a.object, a.collider);
      const Object<D>& other = world.object(a.object);
      const auto yields = [](const Object<D>& x) {
        return x.body == BodyKind::dynamic || x.walker.has_value();
      };
      if (!yields(o) && !yields(other)) continue;
      if (!v.meet || v.channel != Channel::solid || -a.at < 0.02 * c.scene.world.metre) continue;
      if (!other.colliders[a.collider].def.one_way.isZero(0) || !own.one_way.isZero(0)) continue;
      // What stands in the other's way later in the file has the line of the mistake.
      const bool later = o.serial > other.serial;
      if (const Known<D>* k = known(c, later ? o.name : other.name))
        c.add("solids-overlap", k->at({"at", "row", "grid", "path"}), k->def->name,
              fmt::format("{} starts {:.3g} deep in {}", k->def->name, -a.at,
                          later ? other.name : o.name),
              "another place, or a filter that keeps the two apart");
    }
  }
}

template <int D>
void check_fall(Checking<D>& c, const Object<D>& o) {
  const Vec<D> down = c.scene.world.gravity * o.gravity_scale;
  const Known<D>* k = known(c, o.name);
  if (o.body != BodyKind::dynamic || down.isZero(0) || o.parent || k == nullptr || !o.active)
    return;
  if (c.scene.world.bounds && c.scene.world.leaving == Leaving::removed) return;
  const double far = 1000 * c.scene.world.metre;
  World<D>& world = const_cast<World<D>&>(c.start.world);
  bool solid = false;
  for (std::size_t i = 0; i < o.colliders.size(); ++i) {
    const ColliderDef<D>& own = o.colliders[i].def;
    solid = solid || !own.zone;
    if (is_scenery(own.shape.kind)) return;
    // Where it comes by along its first velocity is beneath it, too.
    for (const double part : {0.0, 0.5, 1.0, 2.0}) {
      ShapeCast<D> cast;
      cast.shape = own.shape;
      cast.start = o.pose * Pose<D>{own.at, own.turned};
      cast.start.position += o.velocity * part;
      cast.displacement = down.normalized() * far;
      for (const Answer<D>& a : world.all(cast, {.zones = true, .except = o.id})) {
        const Verdict v = world.decide(o.id, i, a.object, a.collider);
        const Object<D>& other = world.object(a.object);
        if (v.meet && (v.channel == Channel::solid ? other.body != BodyKind::dynamic : true))
          return;
      }
    }
  }
  c.add("nothing-beneath", k->at({"collider.meets", "at"}), o.name,
        solid ? fmt::format("{} is dynamic, and nothing that it meets is beneath it", o.name)
              : fmt::format("{} is dynamic and has zones alone, so gravity takes it through all",
                            o.name),
        solid ? "something beneath it, `bounds` with leaving = \"removed\", or gravity_scale = 0"
              : "a solid collider beside the zone, gravity_scale = 0, or body = \"kinematic\"");
}

// Between one-way surfaces above each other the tallest walker is to have room.
template <int D>
void check_rooms(Checking<D>& c) {
  const World<D>& world = c.start.world;
  const Vec<D>& gravity = c.scene.world.gravity;
  if (gravity.isZero(0)) return;
  int axis = 0;
  gravity.cwiseAbs().maxCoeff(&axis);
  double tallest = 0;
  std::string walker;
  std::vector<std::pair<const Object<D>*, Bounds<D>>> decks;
  for (const ObjectId id : world.objects()) {
    const Object<D>& o = world.object(id);
    for (const Collider<D>& collider : o.colliders) {
      const ColliderDef<D>& def = collider.def;
      if (def.zone) continue;
      const Bounds<D> around = bounds(def.shape, o.pose * Pose<D>{def.at, def.turned});
      if (o.walker && around.size()[axis] > tallest) {
        tallest = around.size()[axis];
        walker = o.name;
      }
      if (!def.one_way.isZero(0)) decks.emplace_back(&o, around);
    }
  }
  const double sign = gravity[axis] < 0 ? 1 : -1;
  for (const auto& [upper, high] : decks)
    for (const auto& [lower, low] : decks) {
      const double apart = sign * (high.centre()[axis] - low.centre()[axis]) +
                           (high.size()[axis] - low.size()[axis]) / 2;
      bool over = upper != lower && apart > 0 && apart < tallest;
      for (int i = 0; i < D; ++i)
        over = over && (i == axis || (high.lo[i] < low.hi[i] && low.lo[i] < high.hi[i]));
      const Known<D>* k = over ? known(c, upper->name) : nullptr;
      if (k != nullptr)
        c.add("no-standing-room", k->at({"at", "row", "grid"}), upper->name,
              fmt::format("{} is {:.3g} above {}, and {} is {:.3g} high", upper->name, apart,
                          lower->name, walker, tallest),
              "further apart, or one of them alone");
    }
}

}  // namespace

template <int D>
void check_places(Checking<D>& c) {
  check_rooms(c);
  const World<D>& world = c.start.world;
  for (const ObjectId id : world.objects()) {
    const Object<D>& o = world.object(id);
    check_overlaps(c, o);
    check_fall(c, o);
    const Known<D>* k = known(c, o.name);
    const std::optional<Bounds<D>>& inside = c.scene.world.bounds;
    if (inside && k != nullptr && o.body != BodyKind::fixed &&
        !((o.pose.position.array() >= inside->lo.array()).all() &&
          (o.pose.position.array() <= inside->hi.array()).all()))
      c.add("starts-outside", k->at({"at", "path"}), o.name,
            fmt::format("{} starts outside the bounds", o.name),
            "a place inside, or other `bounds`");
  }
}

template void check_bodies(Checking<2>& c);
template void check_bodies(Checking<3>& c);
template void check_places(Checking<2>& c);
template void check_places(Checking<3>& c);

}  // namespace colvik::reasons
