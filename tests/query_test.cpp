// Questions to a world, judged by going along the way in small steps and by plain formulas.
#include <Eigen/LU>

#include <algorithm>
#include <cmath>

#include "contact/cast.h"
#include "contact/collide.h"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// Any convex shape of the dimension.
template <int D>
Shape<D> any_convex(Random& random) {
  if (random.coin(0.5)) return random.shape<D>(0.3);
  std::vector<Vec<D>> cloud;
  for (int i = 0; i < 12; ++i) cloud.push_back(random.direction<D>() * random.range(0.3, 1));
  if constexpr (D == 2) {
    std::vector<Vec<2>> fan;
    double angle = 0;
    for (int i = 0; i < 6; ++i) {
      fan.emplace_back(std::cos(angle), std::sin(angle));
      angle += random.range(0.5, 1.2);
    }
    return rounded(polygon(fan).value(), random.coin() ? 0.2 : 0);
  } else {
    switch (random.below(4)) {
      case 0: return hull(cloud).value();
      case 1: return rounded(hull(cloud, 8).value(), 0.2);
      case 2: return cylinder(random.range(0.2, 2), random.range(0.2, 2));
      default: return cone(random.range(0.2, 2), random.range(0.2, 2));
    }
  }
}

// A world of many things, solids and zones, some tagged.
template <int D>
void fill(World<D>& world, Random& random, int things) {
  world.tags().declare("red").value();
  for (int i = 0; i < things; ++i) {
    ColliderDef<D> c = solid(any_convex<D>(random));
    c.zone = random.coin(0.3);
    ObjectDef<D> def =
        thing<D>("", random.coin() ? BodyKind::fixed : BodyKind::kinematic, random.vec<D>(8), {c});
    if (random.coin()) def.tags = {"red"};
    def.turned = random.rotation<D>();
    world.add(def).value();
  }
}

// Of more than a hundred pieces.
template <int D>
Shape<D> rough_ground() {
  std::vector<double> bumps;
  Random random(5);
  for (int i = 0; i < 121; ++i) bumps.push_back(random.range(0, 2));
  if constexpr (D == 3) return heights(11, 11, {1, 1}, bumps).value();
  std::vector<Vec<2>> points;
  for (std::size_t i = 0; i < bumps.size(); ++i)
    points.emplace_back(0.1 * static_cast<double>(i), bumps[i]);
  if constexpr (D == 2) return polyline(points).value();
}

}  // namespace

TEST_SUITE("random") {
  TEST_CASE_TEMPLATE("a cast is never late and ends where the shapes touch", T, Two, Three) {
    constexpr int D = T::D;
    const int casts = scaled(100000);
    int hits = 0;
    int misses = 0;
    int capped = 0;
    double widest = 0;
    for (int i = 0; i < casts; ++i) {
      CAPTURE(i);
      Random random(static_cast<std::uint64_t>(i) + 31);
      const Shape<D> a = any_convex<D>(random),
                     b = random.coin(0.2) ? Shape<D>{} : any_convex<D>(random);
      contact::Course<D> course{{random.direction<D>() * random.range(0, 5), random.rotation<D>()}};
      course.move = random.vec<D>(1) * 2 - course.start.position * random.range(0.5, 1.5);
      if (random.coin())
        for (int k = 0; k < kTurnAxes<D>; ++k) course.turn[k] = random.range(-3, 3);
      const auto hit = contact::first_touch(a, b, course);
      const double way = course.move.norm() + course.turn.norm() * 2;
      const double end = hit ? hit->t : 1;
      // Before the touch, or all the way, they are apart.
      if (!hit || !hit->inside) {
        for (int k = 0; k < 60; ++k) {
          const double t = end * k / 60;
          REQUIRE(contact::separation(a, b, course.at(t)).gap >= -1e-6 * way);
        }
      }
      if (hit) {
        ++hits;
        capped += hit->capped ? 1 : 0;
        const double gap = contact::separation(a, b, course.at(hit->t)).gap;
        if (!hit->inside && !hit->capped) REQUIRE(std::abs(gap) <= 1e-4 * way);
        if (!hit->inside) widest = std::max(widest, std::abs(gap) / way);
        REQUIRE(std::abs(hit->normal.norm() - 1) <= 1e-9);
      } else {
        ++misses;
      }
    }
    CHECK(hits > casts / 5);
    CHECK(misses > casts / 10);
    CHECK(capped <= casts / 100);
    MESSAGE("random: casts ", D, "D: ", casts, " casts, ", hits, " hits, ", capped,
            " capped, widest gap left ", widest, " of the way");
  }

  TEST_CASE("rays agree with plain formulas for boxes, balls, meshes, height fields and tiles") {
    const int runs = scaled(20000);
    int hits = 0;
    std::vector<double> bumps;
    Random terrain(5);
    for (int i = 0; i < 100; ++i) bumps.push_back(terrain.range(0, 1));
    const Shape<3> field = heights(10, 10, {1, 1}, bumps).value();
    for (int i = 0; i < runs; ++i) {
      CAPTURE(i);
      Random random(static_cast<std::uint64_t>(i) + 900);
      World<3> world;
      const Shape<3> shape = i % 3 == 0 ? box(2, 1, 3) : i % 3 == 1 ? sphere(2) : field;
      const Pose<3> pose{random.vec<3>(100), random.rotation<3>()};
      ObjectDef<3> def = thing<3>("target", BodyKind::fixed, pose.position, {solid(shape)});
      def.turned = pose.rotation;
      world.add(def).value();
      const Vec<3> from_local =
          i % 3 == 2 ? Vec<3>(random.range(0, 9), random.range(1, 6), random.range(0, 9))
                     : Vec<3>(random.direction<3>() * 5);
      const Vec<3> to_local =
          i % 3 == 2 ? Vec<3>(random.range(0, 9), -3, random.range(0, 9)) : random.vec<3>(1.5);
      const Vec<3> way = (to_local - from_local) * 2;
      const auto answer = world.first(RayCast<3>{pose * from_local, pose.rotation * way});
      // The same again, by the textbook.
      double expected = 2;
      Vec<3> normal = Vec<3>::Zero();
      if (i % 3 == 0) {
        double enter = 0;
        double leave = 1;
        const Vec<3> half(1, 0.5, 1.5);
        for (int k = 0; k < 3; ++k) {
          double t0 = (-half[k] - from_local[k]) / way[k];
          double t1 = (half[k] - from_local[k]) / way[k];
          if (t0 > t1) std::swap(t0, t1);
          if (t0 > enter) {
            enter = t0;
            normal = Vec<3>::Unit(k) * (way[k] > 0 ? -1 : 1);
          }
          leave = std::min(leave, t1);
        }
        if (enter <= leave) expected = enter;
      } else if (i % 3 == 1) {
        const double a = way.squaredNorm();
        const double b = from_local.dot(way);
        const double c = from_local.squaredNorm() - 1;
        if (b * b - a * c > 0) expected = (-b - std::sqrt(b * b - a * c)) / a;
        normal = from_local + expected * way;
      } else {
        for (int z = 0; z < 9; ++z)
          for (int x = 0; x < 9; ++x) {
            const auto at = [&](int dx, int dz) {
              const std::size_t number =
                  10 * static_cast<std::size_t>(z + dz) + static_cast<std::size_t>(x + dx);
              return Vec<3>(x + dx, bumps[number], z + dz);
            };
            for (const auto& t : {std::array{at(0, 0), at(0, 1), at(1, 0)},
                                  std::array{at(1, 0), at(0, 1), at(1, 1)}}) {
              // Moeller and Trumbore, "Fast, minimum storage ray/triangle intersection" (1997).
              const Vec<3> u = t[1] - t[0];
              const Vec<3> w = t[2] - t[0];
              const Vec<3> p = cross(way, w);
              const Vec<3> s = from_local - t[0];
              const double det = u.dot(p);
              const Vec<3> q = cross(s, u);
              const double b1 = s.dot(p) / det;
              const double b2 = way.dot(q) / det;
              const double along = w.dot(q) / det;
              if (det > 0 && b1 >= 0 && b2 >= 0 && b1 + b2 <= 1 && along >= 0 && along < expected) {
                expected = along;
                normal = cross(u, w).normalized();
              }
            }
          }
      }
      if (expected > 1) {
        REQUIRE((!answer || answer->at > 0.999));
        continue;
      }
      REQUIRE(answer.has_value());
      ++hits;
      REQUIRE(std::abs(answer->at - expected) <= 1e-5);
      const bool edge = i % 3 != 1 && answer->normal.dot(pose.rotation * normal) < 0.999;
      // On an edge between two faces either normal will do.
      if (edge) {
        const auto beside = world.first(RayCast<3>{
            pose * Vec<3>(from_local + 1e-4 * random.direction<3>()), pose.rotation * way});
        REQUIRE((!beside || beside->normal.dot(answer->normal) < 0.999 ||
                 beside->normal.dot(pose.rotation * normal) > 0.9));
      }
      REQUIRE((answer->point - pose * Vec<3>(from_local + expected * way)).norm() <= 1e-4);
    }
    CHECK(hits > runs / 2);
    MESSAGE("random: rays 3D: ", runs, " rays against boxes, balls and a height field, ", hits,
            " hits");
  }

  TEST_CASE_TEMPLATE("all, first, count and any say the same as asking each object", T, Two,
                     Three) {
    constexpr int D = T::D;
    const int worlds = scaled(4000);
    std::size_t answers = 0;
    for (int i = 0; i < worlds; ++i) {
      CAPTURE(i);
      Random random(static_cast<std::uint64_t>(i) + 400);
      World<D> world;
      fill(world, random, 40);
      if (random.coin()) {
        ObjectDef<D> ground =
            thing<D>("ground", BodyKind::fixed, random.vec<D>(8), {solid(rough_ground<D>())});
        ground.turned = random.rotation<D>();
        world.add(ground).value();
      }
      if (random.coin()) world.step();
      QueryFilter<D> look;
      look.zones = random.coin();
      look.solids = !look.zones || random.coin();
      if (random.coin()) look.who = TagQuery::parse("red", world.tags()).value();
      const Vec<D> from = random.vec<D>(10);
      const Vec<D> to = random.vec<D>(10);
      const Shape<D> shape = any_convex<D>(random);
      Question<D> question;
      switch (random.below(5)) {
        case 0: question = RayCast<D>{from, to - from}; break;
        case 1:
          question = ShapeCast<D>{shape,
                                  {from, random.rotation<D>()},
                                  to - from,
                                  Spin<D>::Constant(random.range(-1, 1))};
          break;
        case 2: question = OverlapWith<D>{scaled(shape, 4), {from, {}}}; break;
        case 3: question = AtPoint<D>{from * 0.5}; break;
        default:
          question = Near<D>{from, random.coin(0.2) ? std::numeric_limits<double>::infinity()
                                                    : random.range(0, 6)};
      }
      const std::vector<Answer<D>> all = world.all(question, look);
      answers += all.size();
      REQUIRE(world.count(question, look) == all.size());
      REQUIRE(world.any(question, look) == !all.empty());
      const auto first = world.first(question, look);
      REQUIRE(first.has_value() == !all.empty());
      if (first) REQUIRE((first->object == all[0].object && first->at == all[0].at));
      for (std::size_t k = 1; k < all.size(); ++k) {
        REQUIRE(all[k - 1].at <= all[k].at);
        if (all[k - 1].at == all[k].at)
          REQUIRE(world.object(all[k - 1].object).serial < world.object(all[k].object).serial);
      }
      // Each object by itself, in a world where it is alone.
      std::size_t alone = 0;
      for (const ObjectId id : world.objects()) {
        const Object<D>& o = world.object(id);
        const ColliderDef<D>& c = o.colliders[0].def;
        if (!(c.zone ? look.zones : look.solids) || !look.who.matches(o.colliders[0].tags))
          continue;
        World<D> single;
        ColliderDef<D> same = solid(c.shape);
        ObjectDef<D> def = thing<D>("it", BodyKind::fixed, o.pose.position, {same});
        def.turned = o.pose.rotation;
        single.add(def).value();
        alone += single.any(question) ? 1 : 0;
      }
      REQUIRE(alone == all.size());
      if (const auto* ray = std::get_if<RayCast<D>>(&question)) {
        std::vector<RayCast<D>> rays(12, *ray);
        for (RayCast<D>& r : rays)
          r.displacement = random.coin(0.1) ? Vec<D>(Vec<D>::Zero()) : random.vec<D>(20);
        if (random.coin(0.1))
          rays[3].displacement = Vec<D>::Constant(std::numeric_limits<double>::infinity());
        const auto answers_of_all = world.first_of_each(rays, look);
        REQUIRE(answers_of_all.size() == rays.size());
        for (std::size_t k = 0; k < rays.size(); ++k) {
          const auto one = world.first(rays[k], look);
          const std::optional<Answer<D>>& same = answers_of_all[k];
          REQUIRE(same.has_value() == one.has_value());
          if (one)
            REQUIRE((same->object == one->object && same->at == one->at &&
                     same->inside == one->inside));
          if (one) REQUIRE((same->point == one->point && same->normal == one->normal));
        }
      }
      // Stopping after two.
      int seen = 0;
      look.take = [&](const Answer<D>&) { return ++seen == 2 ? Take::last : Take::yes; };
      REQUIRE(world.all(question, look).size() == std::min<std::size_t>(2, all.size()));
    }
    MESSAGE("random: queries ", D, "D: ", worlds, " worlds of 40 things, ", answers, " answers");
  }
}

TEST_CASE("many rays together meet the triangles of a land that each meets alone") {
  Random random(9);
  constexpr std::uint32_t kSide = 20;
  std::vector<Vec<3>> points;
  std::vector<std::array<std::uint32_t, 3>> triangles;
  for (std::uint32_t i = 0; i < kSide * kSide; ++i)
    points.emplace_back(i % kSide, random.range(0, 2), i / kSide);
  for (std::uint32_t i = 0; i + kSide < kSide * kSide; ++i)
    if (i % kSide != kSide - 1) {
      triangles.push_back({i, i + kSide, i + 1});
      triangles.push_back({i + 1, i + kSide, i + kSide + 1});
    }
  for (const bool two_sided : {false, true}) {
    World<3> world;
    world
        .add(thing<3>("land", BodyKind::fixed, kZero,
                      {solid(mesh(points, triangles, two_sided).value())}))
        .value();
    std::vector<RayCast<3>> rays;
    for (int i = 0; i < 400; ++i) {
      const auto place = [&] {
        return Vec<3>(random.range(0, kSide), random.range(-4, 6), random.range(0, kSide));
      };
      const Vec<3> from = place();
      rays.push_back({from, place() - from});
    }
    const auto together = world.first_of_each(rays, {});
    REQUIRE(together.size() == rays.size());
    std::size_t hits = 0;
    for (std::size_t i = 0; i < rays.size(); ++i) {
      CAPTURE(two_sided);
      CAPTURE(i);
      const auto alone = world.first(rays[i], {});
      REQUIRE(together[i].has_value() == alone.has_value());
      if (alone) REQUIRE((together[i]->at == alone->at && together[i]->normal == alone->normal));
      // Each triangle by itself: from + t way = corner + u side + v side.
      double first = 2;
      Vec<3> facing = kZero;
      for (const auto& t : triangles) {
        const Vec<3> u = points[t[1]] - points[t[0]];
        const Vec<3> v = points[t[2]] - points[t[0]];
        const Vec<3> normal = cross(u, v);
        Eigen::Matrix3d sides;
        sides << -rays[i].displacement, u, v;
        const Eigen::Vector3d x =
            sides.fullPivLu().solve(Eigen::Vector3d(rays[i].from - points[t[0]]));
        const bool from_front = normal.dot(rays[i].displacement) < 0;
        if (x[0] < 0 || x[0] > 1 || x[1] < 0 || x[2] < 0 || x[1] + x[2] > 1 ||
            !(two_sided || from_front))
          continue;
        if (x[0] < first) {
          first = x[0];
          facing = from_front ? normal : Vec<3>(-normal);
        }
      }
      REQUIRE(alone.has_value() == (first <= 1));
      if (!alone) continue;
      ++hits;
      CHECK(alone->at == doctest::Approx(first).epsilon(1e-9));
      CHECK((alone->normal - facing.normalized()).norm() < 1e-9);
    }
    CHECK(hits > 100);
    CHECK(hits < rays.size());
  }
}

TEST_CASE("a land is as far from anything as the nearest of its triangles") {
  Random random(8);
  std::vector<Vec<3>> points;
  std::vector<std::array<std::uint32_t, 3>> triangles;
  for (int i = 0; i < 49; ++i) points.emplace_back(i % 7 - 3, random.range(0, 1.5), i / 7 - 3);
  for (std::uint32_t i = 0; i < 41; ++i)
    if (i % 7 != 6) {
      triangles.push_back({i, i + 7, i + 1});
      triangles.push_back({i + 1, i + 7, i + 8});
    }
  const Shape<3> land = mesh(points, triangles).value();
  for (int i = 0; i < 200; ++i) {
    CAPTURE(i);
    const Shape<3> other = any_convex<3>(random);
    Pose<3> at{random.vec<3>(5), random.rotation<3>()};
    double least = std::numeric_limits<double>::max();
    for (const auto& t : triangles) {
      const std::array<Vec<3>, 3> corners{points[t[0]], points[t[1]], points[t[2]]};
      const std::array<std::array<std::uint32_t, 3>, 1> all{{{0, 1, 2}}};
      least = std::min(least, contact::nearest(mesh(corners, all).value(), other, at, 20).gap);
    }
    const double gap = contact::nearest(land, other, at, 20).gap;
    CHECK(gap == doctest::Approx(least).epsilon(1e-12));
    // Depths of what is curved are reported to a thousandth.
    const double back = contact::nearest(other, land, at.relative(Pose<3>{}), 20).gap;
    CHECK(back == doctest::Approx(gap).epsilon(gap > 0 ? 1e-6 : 2e-3));
    if (gap > 0.1) CHECK(contact::nearest(land, other, at, gap - 0.05).gap > gap - 0.05);
  }
}

TEST_CASE_TEMPLATE("what an object would touch, and the rule that admits it", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  for (const char* tag : {"crate", "ghost"}) world.tags().declare(tag).value();
  ColliderDef<D> body = solid(cube<D>(1));
  body.meets = "!ghost";
  const ObjectId id = world.add(thing<D>("mover", BodyKind::kinematic, kZero, {body})).value();
  const ObjectId crate =
      world.add(thing<D>("crate", BodyKind::fixed, along_x<D>(3), {solid(cube<D>(1))}, {"crate"}))
          .value();
  world.add(thing<D>("ghost", BodyKind::fixed, along_x<D>(2), {solid(cube<D>(1))}, {"ghost"}))
      .value();
  const ObjectId roof =
      world.add(thing<D>("roof", BodyKind::fixed, up<D>(1.5), {zone(slab<D>(1, 1))})).value();
  const auto ask = [&](const Change<D>& change) { return world.would_touch(id, change).value(); };
  // The roof is half a unit above; along x it is neither nearer nor further.
  auto found = ask({.move = along_x<D>(4)});
  REQUIRE(found.size() == 1);
  CHECK(found[0].object == crate);
  CHECK(found[0].at == doctest::Approx(0.5).epsilon(1e-5));
  CHECK(found[0].verdict.by == DecidedBy::both_accept);
  CHECK(found[0].normal[0] == doctest::Approx(-1));
  CHECK_FALSE(found[0].inside);
  CHECK(ask({.move = along_x<D>(1)}).empty());
  CHECK(ask({.move = along_x<D>(-4)}).empty());
  found = ask({.move = up<D>(1)});
  REQUIRE(found.size() == 1);
  CHECK(found[0].object == roof);
  CHECK(found[0].at == doctest::Approx(0.5).epsilon(1e-5));
  // Bigger, it is in both at once.
  found = ask({.scale = 5.5});
  CHECK(found.size() == 2);
  for (const WouldTouch<D>& w : found) CHECK(w.inside);
  CHECK(world.would_touch(id, {.scale = -1}).error().message() ==
        "object 'mover' change: scale -1 is not usable; a number above 0");
  world.remove(id);
  CHECK(world.would_touch(id, {}).error().what == "is not there");
}

TEST_CASE("turning on the spot meets what a straight move would not") {
  World<2> world;
  const ObjectId id =
      world.add(thing<2>("plank", BodyKind::kinematic, kZero, {solid(box(4, 0.2))})).value();
  world.add(thing<2>("post", BodyKind::fixed, {0, 1.5}, {solid(circle(0.4))})).value();
  Change<2> turn;
  turn.turn[0] = kPi / 2;
  const auto found = world.would_touch(id, turn).value();
  REQUIRE(found.size() == 1);
  // The plank's side reaches the post when it points at it but for half its own and the post's
  // width.
  CHECK(found[0].at * 90 == doctest::Approx(90 - degrees(std::asin(0.3 / 1.5))).epsilon(1e-3));
}

TEST_CASE("rays meet one-sided surfaces from their front only") {
  World<2> world;
  const std::vector<Vec<2>> path{{0, 0}, {4, 0}};
  world.add(thing<2>("shelf", BodyKind::fixed, kZero, {solid(polyline(path).value())})).value();
  CHECK(world.any(RayCast<2>{{2, 1}, {0, -2}}));
  CHECK_FALSE(world.any(RayCast<2>{{2, -1}, {0, 2}}));
  const auto hit = world.first(RayCast<2>{{1, 3}, {0.5, -6}}).value();
  CHECK(hit.at == doctest::Approx(0.5).epsilon(1e-6));
  CHECK((hit.normal - Vec<2>(0, 1)).norm() <= 1e-9);
}

TEST_CASE_TEMPLATE("a world's lines show outlines, open sides, touches and bounds", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world(earth<D>());
  world.add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(4, 1))})).value();
  const ObjectId crate =
      world.add(thing<D>("crate", BodyKind::dynamic, up<D>(0.5), {solid(cube<D>(1))})).value();
  world.add(thing<D>("sensor", BodyKind::fixed, along_x<D>(5), {zone(cube<D>(1))})).value();
  for (int i = 0; i < 10; ++i) world.step();
  std::map<LineKind, std::size_t> kinds;
  LineOptions options;
  options.bounds = true;
  for (const Line<D>& line : world.lines(options)) {
    ++kinds[line.kind];
    CHECK(line.from.allFinite());
    if (line.object == crate && line.kind == LineKind::solid)
      for (const Vec<D>& p : {line.from, line.to})
        CHECK(std::abs(p[0]) == doctest::Approx(0.5).epsilon(0.01));
  }
  const std::size_t edges_of_box = D == 2 ? 4 : 12;
  CHECK(kinds[LineKind::solid] == 2 * edges_of_box);
  CHECK(kinds[LineKind::zone] == edges_of_box);
  CHECK(kinds[LineKind::bounds] == 3 * edges_of_box);
  CHECK(kinds[LineKind::contact] == static_cast<std::size_t>(D));
  CHECK(kinds[LineKind::normal] == 1);
}
