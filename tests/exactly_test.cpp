// Exactly once, exactly then: ties with the end of a step, grazes, and how fast things arrive.
#include <colvik/colvik.hpp>

#include "random.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

struct Count {
  int begins = 0;
  int ends = 0;
};

template <int D>
Count count_events(const World<D>& world) {
  Count c;
  for (const Event<D>& e : world.events()) {
    c.begins += e.phase == Phase::begin ? 1 : 0;
    c.ends += e.phase == Phase::end ? 1 : 0;
  }
  return c;
}

// Over a number of steps.
template <int D>
Count count_over(World<D>& world, int steps) {
  Count all;
  for (int i = 0; i < steps; ++i) {
    world.step();
    const Count c = count_events(world);
    all.begins += c.begins;
    all.ends += c.ends;
  }
  return all;
}

constexpr std::array<double, 6> kRates{15, 30, 60, 120, 240, 480};

template <int D>
Shape<D> cuboid(double width, double height) {
  if constexpr (D == 2) return box(width, height);
  else return box(width, height, height);
}
template <int D>
Vec<D> at(double x, double y = 0) {
  Vec<D> v = Vec<D>::Zero();
  v[0] = x;
  v[1] = y;
  return v;
}

}  // namespace

TEST_CASE_TEMPLATE("a touch that begins or ends with a step counts once", T, Two, Three) {
  constexpr int D = T::D;
  Random random(5);
  const int ties = scaled(100000);
  for (int tie = 0; tie < ties; ++tie) {
    const double rate = kRates[static_cast<std::size_t>(random.below(6))];
    const double speed = random.range(0.5, 60);
    const double size = random.range(0.05, 0.5);
    const double thick = random.range(0.02, 1);
    const int step = 2 + random.below(11);
    World<D> world({.gravity = Vec<D>::Zero(), .rate = rate});
    // Its front reaches the zone's face, or its back leaves it, exactly at the end of a step.
    const double face = speed * step / rate + (random.coin(0.5) ? size / 2 : -size / 2 - thick);
    const double middle = face + thick / 2;
    world
        .add({.name = "zone",
              .at = at<D>(middle),
              .colliders = {{.shape = cuboid<D>(thick, 3), .zone = true}}})
        .value();
    world
        .add({.name = "mover",
              .body = random.coin(0.5) ? BodyKind::kinematic : BodyKind::dynamic,
              .colliders = {{.shape = ball<D>(size)}},
              .velocity = at<D>(speed)})
        .value();
    const double whole = (middle + thick + size) / speed;
    const Count all = count_over(world, static_cast<int>(whole * rate) + 3);
    CAPTURE(rate);
    CAPTURE(speed);
    CAPTURE(size);
    CAPTURE(thick);
    CAPTURE(step);
    REQUIRE(all.begins == 1);
    REQUIRE(all.ends == 1);
  }
}

TEST_CASE_TEMPLATE("a corner that is grazed within a step is touched, at any size", T, Two, Three) {
  constexpr int D = T::D;
  for (const double rate : kRates)
    for (const double size : {0.2, 1.0, 3.0})
      for (const double depth : {0.05, 0.01, -0.01}) {
        World<D> world({.gravity = Vec<D>::Zero(), .rate = rate});
        // The zone's corner is at the origin; the mover's corner passes it along the diagonal of
        // its quadrant, `depth` deep, within a quarter of a step in the middle of one.
        world
            .add({.name = "zone",
                  .at = at<D>(2, 2),
                  .colliders = {{.shape = cuboid<D>(4, 4), .zone = true}}})
            .value();
        const double path = 4 * depth;  // while it is inside
        const double speed = std::abs(path) * 4 * rate;
        const Vec<D> along = at<D>(1, -1) / std::sqrt(2.0);
        const Vec<D> corner = at<D>(-size / 2, -size / 2);
        const Vec<D> passes = at<D>(1, 1) * (depth / std::sqrt(2.0));
        const Vec<D> start = passes + corner - along * (speed * 2.5 / rate);
        world
            .add({.name = "mover",
                  .at = start,
                  .body = BodyKind::kinematic,
                  .colliders = {{.shape = cuboid<D>(size, size)}},
                  .velocity = along * speed})
            .value();
        const Count all = count_over(world, 5);
        CAPTURE(rate);
        CAPTURE(size);
        CAPTURE(depth);
        CHECK(all.begins == (depth > 0 ? 1 : 0));
        CHECK(all.ends == (depth > 0 ? 1 : 0));
      }
}

TEST_CASE_TEMPLATE("a touch tells the speed and the time of the first contact", T, Two, Three) {
  constexpr int D = T::D;
  Random random(8);
  for (const double rate : kRates)
    for (const bool zone : {true, false})
      for (const double restitution : {0.0, 0.6})
        for (int i = 0; i < 4; ++i) {
          const double height = random.range(0.3, 12);
          const double down = random.range(0, 8);
          const double size = random.range(0.1, 1);
          WorldSettings<D> settings{.rate = rate};
          settings.gravity = at<D>(0, -9.81);
          World<D> world(settings);
          const double thick = zone ? random.range(0.05, 2) : 2;
          world
              .add({.name = "target",
                    .at = at<D>(0, -thick / 2),
                    .colliders = {{.shape = cuboid<D>(30, thick),
                                   .zone = zone,
                                   .restitution = restitution}}})
              .value();
          world
              .add({.name = "ball",
                    .at = at<D>(0, height + size / 2),
                    .body = BodyKind::dynamic,
                    .colliders = {{.shape = ball<D>(size), .restitution = restitution}},
                    .velocity = at<D>(random.range(-3, 3), -down)})
              .value();
          const double wanted = std::sqrt(down * down + 2 * 9.81 * height);
          const double when = (wanted - down) / 9.81;
          bool begun = false;
          for (int k = 0; k < 3 * rate && !begun; ++k) {
            world.step();
            for (const Event<D>& e : world.events())
              if (e.phase == Phase::begin && !begun) {
                begun = true;
                CAPTURE(rate);
                CAPTURE(zone);
                CAPTURE(restitution);
                CAPTURE(height);
                CHECK(e.approach_speed == doctest::Approx(wanted).epsilon(1e-3));
                CHECK(std::abs(e.time - when) < 1e-4);
              }
          }
          CHECK(begun);
        }
}

TEST_CASE_TEMPLATE("a ball that drops into a seam strikes both blocks", T, Two, Three) {
  constexpr int D = T::D;
  for (const double restitution : {0.0, 0.5, 0.8}) {
    WorldSettings<D> settings;
    settings.gravity = at<D>(0, -9.81);
    World<D> world(settings);
    for (const double side : {-1.0, 1.0})
      world
          .add({.name = side < 0 ? "left" : "right",
                .at = at<D>(side, -0.5),
                .colliders = {{.shape = cuboid<D>(2, 1), .restitution = restitution}}})
          .value();
    world
        .add({.name = "ball",
              .at = at<D>(0, 2),
              .body = BodyKind::dynamic,
              .colliders = {{.shape = ball<D>(0.5), .restitution = restitution}}})
        .value();
    std::vector<double> begins;
    for (int i = 0; i < 120 && begins.size() < 2; ++i) {
      world.step();
      for (const Event<D>& e : world.events())
        if (e.phase == Phase::begin) begins.push_back(e.time);
    }
    CAPTURE(restitution);
    REQUIRE(begins.size() == 2);
    CHECK(std::abs(begins[0] - begins[1]) < 1e-4);
  }
}

TEST_CASE("what turns freely keeps its energy and angular momentum, at any spin") {
  Random random(3);
  for (int i = 0; i < scaled(100000) / 10; ++i) {
    World<3> world({.gravity = Vec<3>::Zero()});
    ObjectDef<3> def{.name = "stick", .body = BodyKind::dynamic};
    const double thin = random.range(0.03, 0.3);
    if (random.coin(0.3)) def.colliders = {{.shape = capsule<3>(thin, 1)}};
    else def.colliders = {{.shape = box(1, thin, random.range(0.03, 0.6))}};
    def.turned = Rotation<3>(random.direction<3>(), random.range(-3, 3));
    def.spin = random.direction<3>() * random.range(1, 60);
    const ObjectId id = world.add(def).value();
    const MassProperties<3> mass = mass_properties(def.colliders[0].shape);
    const auto energy = [&] {
      const Object<3>& o = world.object(id);
      const Vec<3> spin = o.pose.rotation.inverse() * o.spin;
      return 0.5 * spin.dot(Vec<3>(mass.inertia * spin));
    };
    const auto momentum = [&] {
      const Object<3>& o = world.object(id);
      return Vec<3>(o.pose.rotation * Vec<3>(mass.inertia * (o.pose.rotation.inverse() * o.spin)));
    };
    const double e = energy();
    const Vec<3> l = momentum();
    double worst = 0;
    for (int k = 0; k < 600; ++k) {
      world.step();
      worst = std::max(worst, std::abs(energy() / e - 1));
    }
    CAPTURE(thin);
    CHECK(worst < 0.01);
    CHECK((momentum() - l).norm() < 1e-6 * l.norm());
  }
}

TEST_CASE_TEMPLATE("a listener that throws leaves a world that goes on", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world({.gravity = Vec<D>::Zero()});
  world.tags().declare("seen").value();
  const ObjectId id =
      world.add({.name = "a", .body = BodyKind::kinematic, .colliders = {{.shape = ball<D>(1)}}})
          .value();
  const std::size_t token = world.add_listener([](World<D>& w, std::span<const Event<D>>) {
    w.place(*w.find("a"), {at<D>(3), {}});
    throw std::runtime_error("from a listener");
  });
  CHECK_THROWS_AS(world.step(), std::runtime_error);
  CHECK(world.object(id).pose.position[0] == 3);  // what it requested before it threw
  world.remove_listener(token);
  CHECK(world.place(id, {at<D>(5), {}}));
  CHECK(world.object(id).pose.position[0] == 5);
  CHECK(!world.give_tag(id, Tag{77}));
  CHECK(!world.take_tag(id, Tag{77}));
}

TEST_CASE("poses whose rotation is no number are refused at every door") {
  World<3> world;
  const Rotation<3> broken(Vec<3>(0, 0, 0), 1);
  CHECK(!world.add({.name = "a", .turned = broken, .colliders = {{.shape = sphere(1)}}}));
  CHECK(!world.add({.name = "a", .colliders = {{.shape = sphere(1), .turned = broken}}}));
  const ObjectId a =
      world.add({.name = "a", .body = BodyKind::kinematic, .colliders = {{.shape = sphere(1)}}})
          .value();
  const ObjectId b =
      world.add({.name = "b", .body = BodyKind::kinematic, .colliders = {{.shape = sphere(1)}}})
          .value();
  CHECK(!world.place(a, {Vec<3>(1, 0, 0), broken}));
  CHECK(!world.move_to(a, {Vec<3>(1, 0, 0), broken}));
  CHECK(!world.attach(b, a, Pose<3>{Vec<3>(1, 0, 0), broken}));
}

TEST_CASE_TEMPLATE("queries far beyond the world find nothing and return", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  const ObjectId id =
      world.add({.name = "a", .body = BodyKind::kinematic, .colliders = {{.shape = ball<D>(1)}}})
          .value();
  const double nan = std::numeric_limits<double>::quiet_NaN();
  for (const double far : {1e16, 1e100, 1e300, std::numeric_limits<double>::infinity(), nan}) {
    CHECK(!world.first(RayCast<D>{at<D>(far), at<D>(far)}));
    CHECK(world.all(RayCast<D>{at<D>(0, -3), at<D>(far)}).empty());
    CHECK(!world.first(ShapeCast<D>{ball<D>(1), {at<D>(far), {}}, at<D>(1)}));
    CHECK(!world.would_touch(id, {.move = at<D>(far)}));
    CHECK(!world.hop(id, at<D>(far)));
    CHECK(!world.any(Near<D>{at<D>(far), 1}));
  }
  CHECK(world.first(RayCast<D>{at<D>(-5), at<D>(1e12)}));
}

TEST_CASE_TEMPLATE("the hash covers all that the future depends on", T, Two, Three) {
  constexpr int D = T::D;
  const auto hash_of = [](auto&& change) {
    World<D> world;
    const ObjectId id = world
                            .add({.name = "a",
                                  .body = BodyKind::dynamic,
                                  .colliders = {{.shape = ball<D>(1), .friction = 0.5}}})
                            .value();
    change(world, id);
    return world.hash();
  };
  const std::uint64_t plain = hash_of([](auto&, ObjectId) {});
  CHECK(plain == hash_of([](auto&, ObjectId) {}));
  CHECK(plain != hash_of([](auto& w, ObjectId id) { w.set_gravity_scale(id, 0.5); }));
  CHECK(plain != hash_of([](auto& w, ObjectId id) { w.set_shape(id, 0, ball<D>(1.5)).value(); }));
  CHECK(plain != hash_of([](auto& w, ObjectId id) { w.switch_collider(id, 0, false); }));
}
