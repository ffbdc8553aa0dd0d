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

TEST_CASE_TEMPLATE("a listener cannot step the world", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  world.add({.name = "hall", .colliders = {zone(ball<D>(2))}}).value();
  world.add({.name = "guest", .body = BodyKind::kinematic, .colliders = {solid(ball<D>(1))}})
      .value();
  int called = 0;
  world.add_listener([&](World<D>& w, std::span<const Event<D>> events) {
    ++called;
    REQUIRE(events.size() == 1);
    CHECK_THROWS_AS(w.step(), std::logic_error);
    CHECK_THROWS_AS(w.finish(), std::logic_error);
    CHECK_THROWS_AS(w.step_reported({}), std::logic_error);
    CHECK(events[0].phase == Phase::begin);  // it is still there
  });
  world.step();
  CHECK(called == 1);
  CHECK(world.steps() == 1);
}

// At the ends of what is accepted, and beyond them an error.
TEST_CASE_TEMPLATE("what is accepted as mass and inertia stays finite", T, Two, Three) {
  constexpr int D = T::D;
  const std::vector<double> masses{1e-20, 1e-6, 1, 1e30};
  for (const double mass : masses)
    for (const double other : masses)
      for (const double inertia : {1e-30, 1.0, 1e40}) {
        CAPTURE(mass);
        CAPTURE(other);
        CAPTURE(inertia);
        World<D> world(earth<D>());
        world.add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(20, 1))})).value();
        ObjectDef<D> low = thing<D>("low", BodyKind::dynamic, up<D>(1), {solid(cube<D>(0.5))});
        ObjectDef<D> high = thing<D>("high", BodyKind::dynamic, up<D>(2), {solid(ball<D>(0.5))});
        low.mass = mass;
        low.inertia = Spin<D>(Spin<D>::Constant(inertia));
        low.spin = Spin<D>::Constant(1);
        high.mass = other;
        const ObjectId a = world.add(low).value();
        const ObjectId b = world.add(high).value();
        for (int i = 0; i < 120; ++i) world.step();
        CHECK(world.stopped_count() == 0);
        for (const ObjectId id : {a, b}) CHECK(world.object(id).pose.position.norm() < 1e3);
      }
  World<D> world;
  ObjectDef<D> def = thing<D>("odd", BodyKind::dynamic, kZero, {solid(cube<D>(1e-5))});
  def.mass = 1e-50;
  CHECK(world.add(def).error().accepted == "1e-20 to 1e+30 units of mass");
  def.mass.reset();
  def.colliders[0].density = 1e-15;
  CHECK(world.add(def).error().accepted == "a mass from 1e-20 to 1e+30");
  def.mass = 1;
  def.inertia = Spin<D>(Spin<D>::Constant(1e-50));
  CHECK(world.add(def).error().where == "object 'odd' inertia");
}

// What lay beside a sleeper comes back with other tags.
TEST_CASE_TEMPLATE("sleepers begin no touch against the filters", T, Two, Three) {
  constexpr int D = T::D;
  for (const BodyKind body : {BodyKind::fixed, BodyKind::kinematic})
    for (const bool is_zone : {false, true})
      for (const bool refused : {false, true}) {
        CAPTURE(is_zone);
        CAPTURE(refused);
        World<D> world(earth<D>());
        const Tag ghost = world.tags().declare("ghost").value();
        world.add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(20, 1))})).value();
        ColliderDef<D> fussy = solid(cube<D>(1));
        fussy.meets = "!ghost";
        const ObjectId crate =
            world.add(thing<D>("crate", BodyKind::dynamic, up<D>(0.5), {fussy})).value();
        const ColliderDef<D> beside = is_zone ? zone(cube<D>(1)) : solid(cube<D>(1));
        const ObjectId lid = world.add(thing<D>("lid", body, up<D>(1.52), {beside})).value();
        const auto begins = [&](int steps) {
          int count = 0;
          for (int i = 0; i < steps; ++i) {
            world.step();
            count += count_events(world).begins;
          }
          return count;
        };
        CHECK(begins(150) == 1);  // with the floor
        REQUIRE(world.object(crate).asleep);
        world.place(lid, {up<D>(9), {}});
        CHECK(begins(60) == 0);
        if (refused) world.give_tag(lid, ghost);
        CHECK(begins(60) == 0);
        world.place(lid, {up<D>(1.45), {}});
        CHECK((begins(60) > 0) == !refused);
      }
}

TEST_CASE_TEMPLATE("what is asleep goes on touching, and ends when it is removed", T, Two, Three) {
  constexpr int D = T::D;
  for (const BodyKind body : {BodyKind::fixed, BodyKind::kinematic})
    for (const double rate : {15, 60, 480}) {
      CAPTURE(name_of(body));
      CAPTURE(rate);
      WorldSettings<D> settings = earth<D>();
      settings.rate = rate;
      World<D> world(settings);
      world.tags().declare("hot").value();
      world.ask_during(TagQuery::parse("hot", world.tags()).value(), {});
      world.add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(20, 1))})).value();
      world.add(thing<D>("furnace", body, up<D>(0.5), {zone(cube<D>(2))}, {"hot"})).value();
      const ObjectId crate =
          world.add(thing<D>("crate", BodyKind::dynamic, up<D>(0.5), {solid(cube<D>(1))})).value();
      const int steps = static_cast<int>(5 * rate);
      int during = 0;
      for (int i = 0; i < steps; ++i) {
        world.step();
        for (const Event<D>& e : world.events())
          during += e.phase == Phase::during && e.other == crate ? 1 : 0;
      }
      CHECK(world.object(crate).asleep);
      CHECK(during == steps - 1);
      world.remove(crate);
      const double removed_at = world.time();
      world.step();
      CHECK(count_events(world).ends == 2);
      for (const Event<D>& e : world.events())
        if (e.phase == Phase::end) CHECK(e.time == removed_at);
    }
}

TEST_CASE("fast, spinning, slender things leave what they hit with no more energy than they had") {
  Random random(7);
  const auto energy = [](const Object<3>& o, const Vec<3>& inertia) {
    const Vec<3> own = o.pose.rotation.inverse() * o.spin;
    return (o.mass * o.velocity.squaredNorm() + own.dot(inertia.cwiseProduct(own))) / 2;
  };
  const double rates[] = {15, 30, 60, 120, 240, 480};
  for (int i = 0; i < 1500; ++i) {
    CAPTURE(i);
    const double rate = rates[random.below(6)];
    World<3> world({.rate = rate});
    const double length = random.range(0.3, 3);
    const double thick = random.range(0.02, 0.2);
    const double depth = i % 3 == 2 ? length / 2 : thick;
    const Shape<3> shape = i % 3 == 0   ? capsule<3>(thick, length + thick)
                           : i % 3 == 1 ? box(length, thick, thick)
                                        : box(length, thick, depth);
    const bool moves = i % 5 == 4;
    ObjectDef<3> wall = thing<3>("wall", moves ? BodyKind::dynamic : BodyKind::fixed, Vec<3>(kZero),
                                 {solid(i % 2 != 0 ? box(4, 4, 4) : ball<3>(3))});
    const Vec<3> heavy = Vec<3>::Constant(2);
    if (moves) {
      wall.mass = 1;
      wall.inertia = heavy;
    }
    const ObjectId other = world.add(wall).value();
    ObjectDef<3> def = thing<3>("stick", BodyKind::dynamic,
                                random.direction<3>() * random.range(4.5, 8), {solid(shape)});
    def.turned = random.rotation<3>();
    def.colliders[0].restitution = random.coin() ? 0 : random.range(0, 1);
    def.velocity = (random.vec<3>(1.5) - def.at).normalized() * random.range(10, 245);
    def.spin = random.direction<3>() * random.range(0, 60);
    def.mass = 1;
    const Vec<3> squares = Vec<3>(length * length, thick * thick, depth * depth);
    const Vec<3> inertia = (Vec<3>::Constant(squares.sum()) - squares) / 12;
    def.inertia = inertia;
    const ObjectId id = world.add(def).value();
    const double before = energy(world.object(id), inertia);
    double most = 0;
    for (int k = 0; k < rate / 2; ++k) {
      world.step();
      const double after =
          energy(world.object(id), inertia) + (moves ? energy(world.object(other), heavy) : 0.0);
      REQUIRE(std::isfinite(after));
      most = std::max(most, after);
    }
    CHECK(most <= before * 1.01);
    CHECK(world.stopped_count() == 0);
  }
}
