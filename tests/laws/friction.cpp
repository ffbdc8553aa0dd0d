// What slides, rolls, tips and is carried.
#include "laws.hpp"

namespace colvik::laws {
namespace {

template <int D>
void incline() {
  const double friction = 0.5;
  const double wanted = std::atan(friction);
  const auto slides = [&](double angle, double seconds) {
    World<D> world(tilted<D>(angle));
    floor_under<D>(world, friction);
    const ObjectId id =
        put<D>(world, "block", BodyKind::dynamic, up<D>(0.2), rough<D>(slab<D>(1, 0.4), friction));
    run(world, seconds);
    return world.object(id);
  };
  const double found = turning_point(wanted - 0.2, wanted + 0.2, [&](double angle) {
    return slides(angle, 2).pose.position[0] < 0.01;
  });
  record("incline: angle at which a block slides, degrees", D, degrees(wanted), degrees(found), 0.5,
         Against::absolute);
  const double angle = wanted + 0.2;
  const double a = kG * (std::sin(angle) - friction * std::cos(angle));
  record("incline: acceleration of a sliding block", D, a, slides(angle, 2).velocity[0] / 2, 0.01);
  record("incline: creep of a block held by friction, 60 s", D, 0,
         slides(wanted - 0.05, 60).pose.position[0], 0.001, Against::absolute);
}
COLVIK_LAW("friction", incline);

template <int D>
void roll(const std::string& what, const Shape<D>& shape, double part, bool lies, bool hollow) {
  const double angle = 0.3;
  World<D> world(tilted<D>(angle));
  floor_under<D>(world, 1);
  ObjectDef<D> def = thing<D>("body", BodyKind::dynamic, up<D>(0.5), {rough<D>(shape, 1)});
  if constexpr (D == 3)
    if (lies) def.turned = Rotation<3>(Vec<3>::Unit(0), kPi / 2);
  def.mass = 2;
  if (hollow) def.inertia = Spin<D>::Constant(part * 2 * 0.25);
  const ObjectId id = world.add(def).value();
  run(world, 3);
  const double wanted = kG * std::sin(angle) / (1 + part);
  record(fmt::format("{} rolling down an incline: acceleration", what), D, wanted,
         world.object(id).velocity[0] / 3, 0.01);
  record(fmt::format("{} rolling down an incline: speed at the rim", what), D,
         world.object(id).velocity[0], -spin_about_z(world.object(id)) * 0.5, 0.01);
}
void rolling() {
  roll<2>("disc", circle(1), 0.5, false, false);
  roll<2>("hoop", circle(1), 1, false, true);
  roll<3>("ball", sphere(1), 0.4, false, false);
  roll<3>("cylinder", cylinder(1, 1), 0.5, true, false);
  roll<3>("hollow cylinder", cylinder(1, 1), 1, true, true);
}
COLVIK_LAW_3D("friction", rolling);

template <int D>
void slide_to_roll() {
  World<D> world(awake<D>());
  floor_under<D>(world, 0.3);
  const ObjectId id = put<D>(world, "ball", BodyKind::dynamic, up<D>(0.5),
                             rough<D>(ball<D>(1), 0.3), along_x<D>(7));
  run(world, 3);
  record("sliding that turns into rolling: final speed", D, D == 2 ? 14.0 / 3 : 5,
         world.object(id).velocity[0], 0.01);
}
COLVIK_LAW("friction", slide_to_roll);

template <int D>
void rolling_friction() {
  World<D> world(awake<D>());
  floor_under<D>(world, 0.8);
  ColliderDef<D> c = rough<D>(ball<D>(1), 0.8);
  c.rolling_friction = 0.02;
  ObjectDef<D> def = thing<D>("ball", BodyKind::dynamic, up<D>(0.5), {c});
  def.velocity = along_x<D>(2);
  def.spin[kTurnAxes<D> - 1] = -4;
  const ObjectId id = world.add(def).value();
  run(world, 30);
  const double slowing = 0.02 * kG / (D == 2 ? 1.5 : 1.4);
  record("rolling friction: distance until it stops", D, 4 / (2 * slowing),
         world.object(id).pose.position[0], 0.01);
}
COLVIK_LAW("friction", rolling_friction);

template <int D>
void conveyor() {
  World<D> world(awake<D>());
  ColliderDef<D> belt = rough<D>(slab<D>(40, 1), 0.5);
  belt.surface_velocity = along_x<D>(2);
  put<D>(world, "belt", BodyKind::fixed, up<D>(-0.5), belt);
  put<D>(world, "floor", BodyKind::fixed, along_x<D>(40) + up<D>(-0.5),
         rough<D>(slab<D>(40, 1), 0.5));
  const ObjectId id = put<D>(world, "crate", BodyKind::dynamic, along_x<D>(10) + up<D>(0.25),
                             rough<D>(slab<D>(1, 0.5), 0.5));
  run(world, 3);
  record("conveyor carries at its speed", D, 2, world.object(id).velocity[0], 0.01);
  const double needed = 2 * 2 / (2 * 0.5 * kG);
  World<D> still(awake<D>());
  floor_under<D>(still, 0.5);
  const ObjectId slid = put<D>(still, "crate", BodyKind::dynamic, up<D>(0.25),
                               rough<D>(slab<D>(1, 0.5), 0.5), along_x<D>(2));
  run(still, 3);
  record("friction stops a crate: distance", D, needed, still.object(slid).pose.position[0], 0.01);
  // From belt to floor: its weight goes over with its length.
  run(world, 12);
  record("conveyor's crate comes to rest on the floor", D, 0, world.object(id).velocity.norm(),
         0.001, Against::absolute);
}
COLVIK_LAW("friction", conveyor);

void turntable() {
  const double friction = 0.5;
  const double radius = 2;
  const double wanted = std::sqrt(friction * kG / radius);
  const double found = turning_point(0.5 * wanted, 1.5 * wanted, [&](double rate) {
    World<3> world(awake<3>());
    ObjectDef<3> table =
        thing<3>("table", BodyKind::kinematic, up<3>(-0.5), {rough<3>(cylinder(8, 1), friction)});
    table.spin = Vec<3>(0, rate, 0);
    world.add(table).value();
    ObjectDef<3> def = thing<3>("box", BodyKind::dynamic, along_x<3>(radius) + up<3>(0.1),
                                {rough<3>(box(0.2, 0.2, 0.2), friction)});
    def.velocity = Vec<3>(0, 0, -rate * radius);
    def.spin = Vec<3>(0, rate, 0);
    const ObjectId id = world.add(def).value();
    run(world, 5);
    const Vec<3> at = world.object(id).pose.position;
    return std::hypot(at.x(), at.z()) < radius + 0.05;
  });
  record("turntable: greatest rate at which friction holds a box", 3, wanted, found, 0.02);
}
COLVIK_LAW_3D("friction", turntable);

template <int D>
void toppling() {
  const double width = 0.5;
  const double height = 1;
  const double wanted = std::atan(width / height);
  const double found = turning_point(wanted - 0.2, wanted + 0.2, [&](double angle) {
    World<D> world(tilted<D>(angle));
    floor_under<D>(world, 3);
    Shape<D> shape = cube<D>(width);
    shape.core[1] = height / 2;
    const ObjectId id =
        put<D>(world, "box", BodyKind::dynamic, up<D>(height / 2), rough<D>(shape, 3));
    run(world, 5);
    return world.object(id).pose.rotation.axis(1)[1] > 0.8;
  });
  record("angle at which a box topples, degrees", D, degrees(wanted), degrees(found), 0.5,
         Against::absolute);
}
COLVIK_LAW("friction", toppling);

template <int D>
void pulled_stack() {
  const double friction = 0.4;
  const auto pulled = [&](double force) {
    World<D> world(awake<D>());
    floor_under<D>(world, friction);
    ObjectId lowest{};
    for (int i = 0; i < 3; ++i) {
      ObjectDef<D> def = thing<D>(fmt::format("box{}", i), BodyKind::dynamic, up<D>(0.25 + 0.5 * i),
                                  {rough<D>(slab<D>(1, 0.5), i == 0 ? friction : 2.5)});
      def.mass = 4;
      // At the floor's height, so that it does not tip.
      if (i == 0)
        def.pushes = {{.from = 1, .until = 9, .force = along_x<D>(force), .point = up<D>(-0.25)}};
      const ObjectId id = world.add(def).value();
      if (i == 0) lowest = id;
    }
    run(world, 3);
    return world.object(lowest);
  };
  const double wanted = friction * 12 * kG;
  const double found = turning_point(0.8 * wanted, 1.2 * wanted,
                                     [&](double f) { return pulled(f).pose.position[0] < 0.01; });
  record("pull that starts a stack of three", D, wanted, found, 0.02);
  record("pull that keeps a stack sliding: acceleration", D, 0.3 * kG * friction,
         pulled(1.3 * wanted).velocity[0] / 2, 0.02);
}
COLVIK_LAW("friction", pulled_stack);

// Nothing that slides or rolls over seams feels them: the steepest direction of its motion.
template <int D>
void over_seams(const std::string& what, const Shape<D>& ground, const Vec<D>& at, double length,
                const std::string& thing_name, const Shape<D>& shape, double height) {
  WorldSettings<D> s = awake<D>();
  World<D> world(s);
  put<D>(world, "ground", BodyKind::fixed, at, rough<D>(ground, thing_name == "box" ? 0.0 : 0.8));
  ColliderDef<D> c = rough<D>(shape, thing_name == "box" ? 0.0 : 0.8);
  ObjectDef<D> def = thing<D>("body", BodyKind::dynamic, along_x<D>(2) + up<D>(height), {c});
  if constexpr (D == 3) def.at[2] = 5.3;
  def.velocity = along_x<D>(4);
  if (thing_name != "box") def.spin[kTurnAxes<D> - 1] = -4 / height;
  const ObjectId id = world.add(def).value();
  run(world, 1);
  double worst = 0;
  while (world.object(id).pose.position[0] < length - 3 && world.time() < 300) {
    world.step();
    const Vec<D> v = world.object(id).velocity;
    Vec<D> off = v;
    off[0] = 0;
    worst = std::max(worst, degrees(std::atan2(off.norm(), std::abs(v[0]))));
  }
  record(fmt::format("{} over {}: change of direction, degrees", thing_name, what), D, 0, worst,
         1e-3, Against::absolute);
}
void seams() {
  const int n = full() ? 2000 : 200;
  std::vector<Vec<2>> line;
  for (int i = 0; i <= n; ++i) line.emplace_back(0.5 * i, 0);
  const Shape<2> chain = polyline(line).value();
  std::vector<std::string> rows{std::string(static_cast<std::size_t>(n), '#')};
  const Shape<2> grid = tiles(rows, Vec<2>(0.5, 0.5)).value();
  const int columns = n / 20 + 1;
  const Shape<3> field = heights(columns, 21, Vec<2>(0.5, 0.5),
                                 std::vector<double>(static_cast<std::size_t>(columns) * 21, 0.0))
                             .value();
  std::vector<Vec<3>> points;
  std::vector<std::array<std::uint32_t, 3>> triangles;
  for (int i = 0; i < columns; ++i)
    for (int k = 0; k < 21; ++k) points.emplace_back(0.5 * i, 0, 0.5 * k);
  for (int i = 0; i + 1 < columns; ++i)
    for (int k = 0; k + 1 < 21; ++k) {
      const auto p = static_cast<std::uint32_t>(i * 21 + k);
      triangles.push_back({p, p + 1, p + 21});
      triangles.push_back({p + 1, p + 22, p + 21});
    }
  const Shape<3> sheet = mesh(points, triangles).value();
  over_seams<2>("a polyline's corners", chain, kZero, 0.5 * n, "box", box(1, 0.6), 0.3);
  over_seams<2>("a polyline's corners", chain, kZero, 0.5 * n, "ball", circle(0.8), 0.4);
  over_seams<2>("a tile grid's cells", grid, up<2>(-0.5), 0.5 * n, "box", box(1, 0.6), 0.3);
  over_seams<2>("a tile grid's cells", grid, up<2>(-0.5), 0.5 * n, "ball", circle(0.8), 0.4);
  const double length = 0.5 * (columns - 1);
  over_seams<3>("a mesh's triangles", sheet, kZero, length, "box", box(1, 0.6, 0.8), 0.3);
  over_seams<3>("a mesh's triangles", sheet, kZero, length, "ball", sphere(0.8), 0.4);
  over_seams<3>("a height field's cells", field, kZero, length, "box", box(1, 0.6, 0.8), 0.3);
  over_seams<3>("a height field's cells", field, kZero, length, "ball", sphere(0.8), 0.4);
}
COLVIK_LAW_3D("seams", seams);

}  // namespace
}  // namespace colvik::laws
