// Shapes made of many pieces: how they are cut up, what they refuse, and that sliding feels no
// seam.
#include <algorithm>
#include <cmath>

#include "contact/collide.h"
#include "shapes/assembly.h"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

double area(const std::vector<Vec<2>>& loop) {
  double sum = 0;
  for (std::size_t i = 0; i < loop.size(); ++i) {
    const Vec<2>& a = loop[i];
    const Vec<2>& b = loop[(i + 1) % loop.size()];
    sum += 0.5 * (a.x() * b.y() - b.x() * a.y());
  }
  return sum;
}

double thinnest_angle(const std::vector<Vec<2>>& closed) {
  const std::size_t n = closed.size() - 1;  // the first point is reported again
  double least = 180;
  for (std::size_t i = 0; i < n; ++i) {
    const Vec<2> u = closed[(i + n - 1) % n] - closed[i];
    const Vec<2> w = closed[(i + 1) % n] - closed[i];
    least =
        std::min(least, degrees(std::acos(std::clamp(u.dot(w) / u.norm() / w.norm(), -1.0, 1.0))));
  }
  return least;
}

// A star-shaped outline: any radii, in order of angle.
std::vector<Vec<2>> star(Random& random, int corners, double least, double most) {
  std::vector<Vec<2>> out;
  for (int i = 0; i < corners; ++i) {
    const double angle = 2 * kPi * i / corners;
    const double r = random.range(least, most);
    out.emplace_back(r * std::cos(angle), r * std::sin(angle));
  }
  return out;
}

// Where a body that was set sliding along +x at 2 m/s is after three seconds without friction, and
// how far it ever rose, turned or slowed down.
template <int D>
struct Slide {
  double rise = 0;
  double slowest = 1e9;
  double travelled = 0;
  double spin = 0;
};
template <int D>
Slide<D> slide_over(const Shape<D>& ground, const Vec<D>& ground_at, const Shape<D>& body,
                    const Vec<D>& start) {
  World<D> world(earth<D>());
  ColliderDef<D> floor = solid(ground);
  ColliderDef<D> box = solid(body);
  floor.friction = box.friction = 0;
  world.add(thing<D>("ground", BodyKind::fixed, ground_at, {floor})).value();
  ObjectDef<D> def = thing<D>("body", BodyKind::dynamic, start, {box});
  def.velocity[0] = 2;
  const ObjectId id = world.add(def).value();
  for (int i = 0; i < 30; ++i) world.step();  // it settles
  Slide<D> out;
  const Vec<D> settled = world.object(id).pose.position;
  for (int i = 0; i < 180; ++i) {
    world.step();
    const Object<D>& o = world.object(id);
    out.rise = std::max(out.rise, std::abs(o.pose.position[1] - settled[1]));
    out.slowest = std::min(out.slowest, o.velocity[0]);
    out.spin = std::max(out.spin, o.spin.norm());
    out.travelled = o.pose.position[0] - settled[0];
  }
  return out;
}

}  // namespace

TEST_SUITE("random") {
  TEST_CASE("outlines are split into convex parts that cover them and do not overlap") {
    const int runs = scaled(20000);
    double thinnest = 180;
    std::size_t parts = 0;
    std::size_t corners = 0;
    for (int i = 0; i < runs; ++i) {
      CAPTURE(i);
      Random random(static_cast<std::uint64_t>(i) + 77);
      const int n = 3 + random.below(30);
      const std::vector<Vec<2>> outer = star(random, n, 2, 4);
      std::vector<std::vector<Vec<2>>> holes;
      if (random.coin()) holes.push_back(star(random, 3 + random.below(6), 0.3, 0.9));
      if (!holes.empty() && random.coin())
        for (Vec<2>& p : holes[0]) p *= 0.5;
      const Shape<2> s = outlined(outer, holes).value();
      double whole = area(outer);
      double sum = 0;
      for (const auto& hole : holes) whole -= area(hole);
      for (std::vector<Vec<2>> part : fills(s)) {
        sum += area(part);
        REQUIRE(area(part) > 0);
        for (std::size_t k = 0; k + 1 < part.size(); ++k) {
          const Vec<2> in = part[(k + 1) % (part.size() - 1)] - part[k];
          const Vec<2> out = part[(k + 2) % (part.size() - 1)] - part[(k + 1) % (part.size() - 1)];
          REQUIRE(in.x() * out.y() - in.y() * out.x() >= -1e-9);
        }
        // Between corners of the parts, not of the outline alone: a sharp outline stays sharp.
        thinnest = std::min(thinnest, thinnest_angle(part));
        ++parts;
      }
      REQUIRE(std::abs(sum - whole) <= 1e-9 * whole);
      REQUIRE(std::abs(mass_properties(s).volume - whole) <= 1e-9 * whole);
      corners += outer.size() + (holes.empty() ? 0 : holes[0].size());
      // No two parts hold the same point, and a point of the outline is in one.
      for (int k = 0; k < 20; ++k) {
        const Vec<2> p = random.vec<2>(4);
        int in = 0;
        for (const std::vector<Vec<2>>& part : fills(s)) {
          bool inside = true;
          for (std::size_t j = 0; j + 1 < part.size(); ++j) {
            const Vec<2> u = part[j + 1] - part[j];
            const Vec<2> w = p - part[j];
            inside = inside && u.x() * w.y() - u.y() * w.x() > 1e-9;
          }
          in += inside ? 1 : 0;
        }
        REQUIRE(in <= 1);
      }
    }
    MESSAGE("random: outlines 2D: ", runs, " outlines of ", corners, " corners into ", parts,
            " convex parts, thinnest angle ", thinnest, " degrees");
  }
}

TEST_CASE("a compound of boxes weighs and turns like the boxes side by side") {
  const Placed<2> left{box(1, 2), {-1, 0}};
  const Placed<2> right{box(1, 2), {1, 0.5}, Rotation<2>(kPi / 2)};
  const std::vector<Placed<2>> both{left, right};
  const MassProperties<2> m = mass_properties(compound<2>(both).value());
  CHECK(m.volume == doctest::Approx(4));
  CHECK(m.centre.x() == doctest::Approx(0));
  CHECK(m.centre.y() == doctest::Approx(0.25));
  // Each box: 2 (1 + 4) / 12 about its own centre, 1.0625 away from the common one, squared.
  CHECK(m.inertia(0, 0) == doctest::Approx(2 * (2 * 5.0 / 12 + 2 * 1.0625)));
}

TEST_CASE("sliding over tiles, polylines and outlines feels no seam") {
  const std::vector<std::string> rows{"....................", "####################",
                                      "####################"};
  const Shape<2> grid = tiles(rows, {0.5, 0.5}).value();
  std::vector<Vec<2>> level;
  for (int i = 0; i <= 40; ++i) level.emplace_back(i * 0.25, 1.0);
  const std::vector<Vec<2>> comb{{0, 0}, {10, 0}, {10, 1}, {6, 1}, {3, 1}, {0, 1}};
  for (const Shape<2>& ground : {grid, polyline(level).value(), outlined(comb).value()}) {
    CAPTURE(shape_name<2>(ground.kind));
    for (const Shape<2>& body : {box(0.6, 0.4), circle(0.4), capsule<2>(0.3, 0.8)}) {
      CAPTURE(shape_name<2>(body.kind));
      const double half = bounds(body, Pose<2>{}).size().y() / 2;
      const Slide<2> s = slide_over<2>(ground, {0, 0}, body, {0.8, 1.001 + half});
      const Slide<2> plain = slide_over<2>(box(40, 1), {0, 0.5}, body, {0.8, 1.001 + half});
      CHECK(std::abs(s.rise - plain.rise) <= 1e-3);  // the solver alone lets it sink by as much
      CHECK(s.slowest >= 2 - 1e-3);
      CHECK(s.travelled == doctest::Approx(6).epsilon(1e-3));
    }
  }
}

TEST_CASE("sliding over a mesh and a height field feels no seam") {
  const std::vector<double> flat(21 * 9, 0.5);
  const Shape<3> field = heights(21, 9, {0.5, 0.5}, flat).value();
  std::vector<Vec<3>> points;
  std::vector<std::array<std::uint32_t, 3>> triangles;
  for (std::uint32_t i = 0; i < 20; ++i) {  // strips of slivers
    for (const double z : {0.0, 4.0}) points.emplace_back(0.5 * i, 0.5, z);
    if (i > 0) {
      triangles.push_back({2 * i - 2, 2 * i - 1, 2 * i});
      triangles.push_back({2 * i, 2 * i - 1, 2 * i + 1});
    }
  }
  for (const Shape<3>& ground : {field, mesh(points, triangles).value()}) {
    CAPTURE(shape_name<3>(ground.kind));
    for (const Shape<3>& body :
         {box(0.6, 0.4, 0.5), sphere(0.4), capsule<3>(0.3, 0.8), cylinder(0.6, 0.3)}) {
      CAPTURE(shape_name<3>(body.kind));
      const double half = bounds(body, Pose<3>{}).size().y() / 2;
      const Slide<3> s = slide_over<3>(ground, {0, 0, 0}, body, {0.8, 0.501 + half, 2.1});
      const Slide<3> plain =
          slide_over<3>(box(40, 1, 40), {0, 0, 0}, body, {0.8, 0.501 + half, 2.1});
      CHECK(std::abs(s.rise - plain.rise) <= 1e-3);  // the solver alone lets it sink by as much
      CHECK(s.slowest >= 2 - 2e-3);
      CHECK(s.travelled == doctest::Approx(6).epsilon(1e-3));
    }
  }
}

TEST_CASE("a ball over a seam has one point of contact, straight below") {
  Random random(4);
  const auto one_point = [&]<int D>(const Shape<D>& ground,
                                    Vec<D> over) {  // a place on its surface
    const double radius = random.range(0.2, 0.6);
    const double near = std::pow(10, random.range(-7, -2));
    over[0] += random.range(-near, near);
    if constexpr (D == 3) over[2] += random.range(-near, near);
    const double gap = random.range(-0.002, 0.001);
    over[1] += radius + gap;
    std::vector<contact::Manifold<D>> found;
    contact::collide(ground, ball<D>(2 * radius), Pose<D>{over, {}}, 0.02, 0.01, found);
    REQUIRE(found.size() == 1);
    REQUIRE(found[0].count == 1);
    CHECK((found[0].normal - Vec<D>::Unit(1)).norm() <= 2e-3);
    CHECK(found[0].points[0].gap == doctest::Approx(gap).epsilon(1e-6).scale(1e-3));
  };
  const Shape<2> line = polyline(std::vector<Vec<2>>{{-1, 0}, {0, 0}, {1, 0}, {2, 0}}).value();
  const Shape<2> grid = tiles(std::vector<std::string>{"####"}, {1, 1}).value();
  const Shape<3> field = heights(4, 4, {1, 1}, std::vector<double>(16, 0.0)).value();
  for (int i = 0; i < 500; ++i) {
    CAPTURE(i);
    one_point(line, Vec<2>(i % 2, 0));
    one_point(grid, Vec<2>(i % 2 + 1, 1));
    one_point(field, Vec<3>(i % 2 + 1, 0, 1));
  }
}

TEST_CASE("nothing falls through a rugged surface, wherever it lands") {
  Random random(3);
  std::vector<double> rugged;
  for (int i = 0; i < 100; ++i) rugged.push_back(random.range(0, 1.5));
  std::vector<Vec<2>> peaks;
  for (int i = 0; i <= 20; ++i) peaks.emplace_back(0.5 * i, random.range(0, 1));
  for (int i = 0; i < 90; ++i) {
    CAPTURE(i);
    World<3> land(earth<3>());
    land.add(thing<3>("land", BodyKind::fixed, kZero,
                      {solid(heights(10, 10, {1, 1}, rugged).value())}))
        .value();
    const Shape<3> body = i % 3 == 0   ? sphere(0.6)
                          : i % 3 == 1 ? box(0.5, 0.4, 0.6)
                                       : capsule<3>(0.4, 0.9);
    // Within the inner cells, and pushed back into them at the edge by nothing: they may roll off.
    Vec<3> at(0, 3, 0);
    at.x() = random.range(3, 6);
    at.z() = random.range(3, 6);  // in this order on every compiler
    const ObjectId id = land.add(thing<3>("body", BodyKind::dynamic, at, {solid(body)})).value();
    for (int k = 0; k < 90; ++k) land.step();
    const Vec<3> p = land.object(id).pose.position;
    CHECK((p.y() > 0.1 || p.x() < 0 || p.x() > 9 || p.z() < 0 || p.z() > 9));
    World<2> line(earth<2>());
    line.add(thing<2>("line", BodyKind::fixed, kZero, {solid(polyline(peaks).value())})).value();
    const Shape<2> flat = i % 3 == 0   ? circle(0.6)
                          : i % 3 == 1 ? box(0.5, 0.4)
                                       : capsule<2>(0.4, 0.9);
    const ObjectId other =
        line.add(thing<2>("body", BodyKind::dynamic, {at.x(), 3}, {solid(flat)})).value();
    for (int k = 0; k < 90; ++k) line.step();
    const Vec<2> q = line.object(other).pose.position;
    CHECK((q.y() > 0.05 || q.x() < 0 || q.x() > 10));
  }
}

TEST_CASE_TEMPLATE("a half-space holds what falls on it, also far along it", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  world.add(thing<D>("ground", BodyKind::fixed, up<D>(0), {solid(half_space<D>())})).value();
  const ObjectId id = world
                          .add(thing<D>("crate", BodyKind::dynamic, up<D>(1) + along_x<D>(1e5),
                                        {solid(cube<D>(1))}))
                          .value();
  for (int i = 0; i < 120; ++i) world.step();
  CHECK(world.object(id).pose.position[1] == doctest::Approx(0.5).epsilon(0.01));
  CHECK(world.object(id).velocity.norm() <= 1e-3);
}

TEST_CASE("one-way cells hold what falls on them and let through what comes from below") {
  const std::vector<std::string> rows{"......", ".----.", "......", "######"};
  World<2> world(earth<2>());
  world.add(thing<2>("ground", BodyKind::fixed, {0, 0}, {solid(tiles(rows, {1, 1}).value())}))
      .value();
  const ObjectId falls =
      world.add(thing<2>("falls", BodyKind::dynamic, {2, 4.5}, {solid(box(0.5, 0.5))})).value();
  ObjectDef<2> jump = thing<2>("jumps", BodyKind::dynamic, {4, 1.3}, {solid(box(0.5, 0.5))});
  jump.velocity.y() = 9;
  const ObjectId jumps = world.add(jump).value();
  double highest = 0;
  double top_speed = 0;
  for (int i = 0; i < 240; ++i) {
    world.step();
    highest = std::max(highest, world.object(jumps).pose.position.y());
    top_speed = std::max(top_speed, world.object(jumps).velocity.norm());
  }
  CHECK(highest == doctest::Approx(1.3 + 81 / 19.62).epsilon(0.05));  // as in free flight
  CHECK(top_speed <= 9.01);
  for (const ObjectId id : {falls, jumps})
    CHECK(world.object(id).pose.position.y() == doctest::Approx(3.25).epsilon(0.01));
}

TEST_CASE("a cell taken out of a tile grid while running lets fall what stood on it") {
  const std::vector<std::string> rows{"###"};
  World<2> world(earth<2>());
  const Shape<2> grid = tiles(rows, {1, 1}).value();
  const ObjectId ground =
      world.add(thing<2>("ground", BodyKind::fixed, {0, 0}, {solid(grid)})).value();
  const ObjectId crate =
      world.add(thing<2>("crate", BodyKind::dynamic, {1.5, 1.3}, {solid(box(0.5, 0.5))})).value();
  for (int i = 0; i < 60; ++i) world.step();
  CHECK(world.object(crate).pose.position.y() == doctest::Approx(1.25).epsilon(0.01));
  world.set_shape(ground, 0, with_tile(grid, 1, 0, '.').value()).value();
  int ends = 0;
  for (int i = 0; i < 60; ++i) {
    world.step();
    for (const Event<2>& e : world.events()) ends += e.phase == Phase::end ? 1 : 0;
  }
  CHECK(world.object(crate).pose.position.y() < 0);
  CHECK(ends == 1);
}

TEST_CASE_TEMPLATE("a collider that grows begins to touch, and shrunk again no longer", T, Two,
                   Three) {
  constexpr int D = T::D;
  World<D> world;
  world.add(thing<D>("wall", BodyKind::fixed, along_x<D>(2), {solid(cube<D>(1))})).value();
  const ObjectId id =
      world.add(thing<D>("blob", BodyKind::kinematic, kZero, {zone(ball<D>(1))})).value();
  world.step();
  CHECK(world.events().empty());
  world.set_shape(id, 0, ball<D>(4)).value();
  world.step();
  REQUIRE(world.events().size() == 1);
  CHECK(world.events()[0].phase == Phase::begin);
  world.step();
  CHECK(world.events().empty());
  world.set_shape(id, 0, ball<D>(1)).value();
  world.step();
  REQUIRE(world.events().size() == 1);
  CHECK(world.events()[0].phase == Phase::end);
  CHECK(world.set_shape(id, 0, ball<D>(-1)).error().what == "-1 is not a usable size");
  CHECK(world.set_shape(id, 1, ball<D>(1)).error().what == "its collider is not there");
}

TEST_CASE("bad shapes are refused with the corner or triangle, and mended where that is safe") {
  const double nan = std::nan("");
  const auto message = [](const auto& result) {
    return result.ok() ? std::string("accepted") : result.error().message();
  };
  using Points = std::vector<Vec<2>>;
  using Cloud = std::vector<Vec<3>>;
  CHECK(message(polygon(Points{{0, 0}, {1, 0}})) == "polygon: has 2 corners; 3 to 64 corners");
  CHECK(message(polygon(Points{{0, 0}, {1, 0}, {nan, 1}})) ==
        "polygon corner 3: (nan, 1) is not finite; finite coordinates");
  CHECK(message(polygon(Points{{0, 0}, {1, 0}, {2, 0}})) ==
        "polygon: all corners lie on a line; corners around an area");
  CHECK(message(polygon(Points{{0, 0}, {2, 0}, {1, 0.5}, {2, 2}, {0, 2}})) ==
        "polygon corner 3: bends inward; a convex polygon; 'outline' takes any shape");
  CHECK(message(polygon(Points{{0, 0}, {1, 3}, {2, 0}, {-0.5, 2}, {2.5, 2}})).find("polygon") == 0);
  Mended mended;
  const Shape<2> turned =
      polygon(Points{{0, 0}, {0, 1}, {0, 2}, {2, 2}, {2, 2}, {2, 0}}, &mended).value();
  CHECK(mass_properties(turned).volume == doctest::Approx(4));
  REQUIRE(mended.size() == 3);
  CHECK(mended[0] == "corner 5 repeats corner 4 and was left out");
  CHECK(mended[1] == "the corners ran clockwise and were turned round");
  CHECK(mended[2] == "corner 2 lies on a side and was left out");
  CHECK(message(outlined(Points{{0, 0}, {2, 2}, {2, 0}, {0, 2.5}})) ==
        "outline corner 3: the side from here crosses the one from outline corner 1; sides that do "
        "not meet");
  CHECK(message(outlined(Points{{0, 0}, {2, 0}, {2, 2}, {0, 2}},
                         std::vector<Points>{{{5, 5}, {6, 5}, {6, 6}}})) ==
        "outline hole 1: lies outside the outline; holes inside");
  CHECK(message(polyline(Points{{1, 1}, {1, 1}})) ==
        "polyline: has 1 different points; at least 2");
  CHECK(message(tiles(std::vector<std::string>{"##", "#x"}, {1, 1})) ==
        "tiles row 2 column 2: 'x' is no cell; one of # . / \\ -");
  CHECK(message(tiles(std::vector<std::string>{}, {1, 1})) ==
        "tiles: has no cells; rows of # . / \\ and -");
  CHECK(message(tiles(std::vector<std::string>{"#"}, {1, 0})) ==
        "tiles cell: (1, 0) is not a usable size; two numbers above 0");
  CHECK(message(hull(Cloud{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {1, 1, 0}})) ==
        "hull: all points lie in a plane; points around a volume");
  CHECK(message(hull(Cloud{{0, 0, 0}})) == "hull: has 1 points; at least 4 points");
  CHECK(message(slabs(Cloud{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}}, 5)) ==
        "slabs: 5 directions; 3, 7 or 13");
  CHECK(message(segment<3>(Vec<3>(1, 2, 3), Vec<3>(1, 2, 3))) ==
        "segment: both ends are the same point; two different points");
  const Cloud square{{0, 0, 0}, {1, 0, 0}, {1, 0, 1}, {0, 0, 1}, {0, 0, 0}};
  using Triangles = std::vector<std::array<std::uint32_t, 3>>;
  CHECK(message(mesh(square, Triangles{{0, 1, 9}})) == "mesh triangle 1: has corner 9; 0 to 4");
  CHECK(message(mesh(square, Triangles{{0, 1, 1}})) ==
        "mesh: no triangle has an area; at least one that has");
  mended.clear();
  CHECK(mesh(square, Triangles{{0, 2, 1}, {4, 3, 2}, {0, 4, 1}}, false, &mended).ok());
  REQUIRE(mended.size() == 2);
  CHECK(mended[1] == "triangle 3 has no area and was left out");
  CHECK(message(heights(2, 2, {1, 1}, std::vector<double>{0, 0, 0})) ==
        "heights: 3 heights for 2 columns and 2 rows; 4 heights");
  World<3> world;
  CHECK(message(world.add(thing<3>("cart", BodyKind::dynamic, kZero,
                                   {solid(mesh(square, Triangles{{0, 2, 1}}).value())}))) ==
        "object 'cart' collider mesh: is a solid of a dynamic object and has no inside; hulls or a "
        "compound of them");
  CHECK(message(compound<3>(std::vector<Placed<3>>{{half_space<3>()}})) ==
        "compound child 1: is a half-space; a shape with an inside");
}

TEST_CASE(
    "every pair of kinds can meet, solid or zone, and one falling on the other comes to rest") {
  const std::vector<Vec<2>> hexagon{{1, 0},  {0.5, 0.8},   {-0.5, 0.8},
                                    {-1, 0}, {-0.5, -0.8}, {0.5, -0.8}};
  const std::vector<Vec<2>> ell{{-1, -1}, {1, -1}, {1, 0}, {0, 0}, {0, 1}, {-1, 1}};
  const std::vector<Placed<2>> two{{circle(1), {-0.6, 0}}, {box(1, 1), {0.6, 0}}};
  const std::vector<Vec<2>> path{{-4, 0}, {4, 0}};
  const std::vector<std::string> rows{"########"};
  const std::vector<Shape<2>> bodies{
      circle(1),
      box(1, 1),
      capsule<2>(0.5, 1.5),
      polygon(hexagon).value(),
      rounded(polygon(hexagon).value(), 0.2),
      rounded(segment<2>(Vec<2>(-0.5, 0), Vec<2>(0.5, 0)).value(), 0.1),
      outlined(ell).value(),
      compound<2>(two).value()};
  std::vector<Shape<2>> grounds = bodies;
  grounds.push_back(polyline(path).value());
  grounds.push_back(tiles(rows, {1, 1}).value());
  grounds.push_back(half_space<2>());
  for (const Shape<2>& ground : grounds)
    for (const Shape<2>& body : bodies) {
      const std::string ground_name(shape_name<2>(ground.kind));
      const std::string body_name(shape_name<2>(body.kind));
      CAPTURE(ground_name);
      CAPTURE(body_name);
      World<2> world(earth<2>());
      world
          .add(thing<2>("ground", BodyKind::fixed,
                        {ground.kind == ShapeKind::tiles ? -4.0 : 0.0, 0}, {solid(ground)}))
          .value();
      world.add(thing<2>("deep", BodyKind::fixed, {0, -6}, {solid(half_space<2>())})).value();
      const ObjectId id =
          world.add(thing<2>("body", BodyKind::dynamic, {0.1, 3}, {solid(body)})).value();
      bool touched = false;
      for (int i = 0; i < 400; ++i) {
        world.step();
        for (const Event<2>& e : world.events()) touched = touched || e.phase == Phase::begin;
        REQUIRE(world.object(id).pose.position.allFinite());
      }
      CHECK(touched);
      CHECK(world.object(id).pose.position.y() > -6.2);
      CHECK(world.object(id).velocity.norm() < 4);
      // And as zones, laid over each other.
      World<2> still;
      still.add(thing<2>("one", BodyKind::fixed, kZero, {zone(ground)})).value();
      still.add(thing<2>("other", BodyKind::kinematic, kZero, {zone(body)})).value();
      still.step();
      CHECK(still.events().size() == 1);
    }
}
