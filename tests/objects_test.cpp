// How objects are laid out, moved by data, switched by schedule, and what zones with fields do to
// them.
#include <colvik/scene.hpp>

#include <cmath>

#include <fmt/format.h>

#include "spelled.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
Scene<D> scene_of(const std::string& text) {
  LoadedScene loaded = read_scene(spelled<D>(text), "test.toml");
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  return std::get<Scene<D>>(*loaded.scene);
}
template <int D>
const Object<D>& named(const Run<D>& run, const char* name) {
  return run.world.object(run.world.find(name).value());
}
template <int D>
void go(Run<D>& run, double seconds) {
  for (int i = 0; i < std::lround(seconds * run.world.settings().rate); ++i) run.step();
}

}  // namespace

TEST_CASE_TEMPLATE("scene: rows, grids, rings, borders, drawings and scattered copies", T, Two,
                   Three) {
  constexpr int D = T::D;
  const Scene<D> scene = scene_of<D>(R"(
[tags]
block = ""
[regions]
yard = { from = <*-5>, to = <*5> }
[kinds.tile]
tags = ["block"]
collider = { box = <*2> }
[kinds.ball]
collider = { BALL = { diameter = 1 } }
[[objects]]
name = "row"
kind = "tile"
row = { from = <20 0>, along = <1 0>, gap = 0.5, count = 3 }
[[objects]]
name = "grid"
kind = "tile"
grid = { from = <0 0>, gap = <*1>, count = <*2> }
[[objects]]
name = "ring"
kind = "tile"
ring = { centre = <1 0>, diameter = 4, count = 4, from = 90, turn = true }
[[objects]]
name = "wall"
tags = ["block"]
border = "yard"
thickness = 2
[[objects]]
name = "level"
picture = { rows = ["#.o", "##."], from = <100 50>, cell = <2 2>, signs = { "#" = "tile", o = "ball" } }
[[objects]]
name = "litter"
kind = "ball"
scatter = { region = "yard", count = 20, seed = 5 }
)");
  const auto run = start_run(scene);
  CHECK(named(*run, "row.3").pose.position[0] == 25);  // its own size and the gap
  const std::string last = D == 2 ? "grid.2.2" : "grid.2.2.2";
  CHECK(named(*run, last.c_str()).pose.position == Vec<D>::Constant(3));
  CHECK((named(*run, "ring.1").pose.position - (along_x<D>(1) + up<D>(2))).norm() < 1e-12);
  CHECK((named(*run, "ring.4").pose.position - along_x<D>(3)).norm() < 1e-12);
  // The walls' inner faces are the region's edges, and no gap is left at the corners.
  CHECK(named(*run, "wall.left").pose.position[0] == -6);
  CHECK(named(*run, "wall.top").pose.position[1] == 6);
  CHECK(run->world.find("wall.back").has_value() == (D == 3));
  const auto corner = run->world.all(AtPoint<D>{Vec<D>::Constant(-5.5)});
  CHECK(corner.size() == D);
  CHECK(named(*run, "level.tile.1").pose.position[1] == 52);
  CHECK(named(*run, "level.ball.1").pose.position[0] == 104);
  CHECK(named(*run, "level.tile.3").pose.position[0] == 102);
  Bounds<D> spread;
  for (int i = 1; i <= 20; ++i) {
    const Vec<D> at = named(*run, ("litter." + std::to_string(i)).c_str()).pose.position;
    CHECK(scene.regions.at("yard").contains(at));
    spread = spread.merged(at);
  }
  CHECK(spread.size().minCoeff() > 5);
}

TEST_CASE_TEMPLATE("scene: children, spots and kinds with a parent follow it", T, Two, Three) {
  constexpr int D = T::D;
  const auto run = start_run(scene_of<D>(R"(
[tags]
truck = ""
[[objects]]
name = "truck"
tags = ["truck"]
body = "kinematic"
velocity = <2 0>
spots = { bed = <-1 0.5> }
collider = { box = <*1> }
[[objects]]
name = "lamp"
parent = "truck"
on_parent = <1 1>
meets_relatives = true
collider = { box = <*3>, zone = true }
[[objects]]
name = "there"
parent = "@truck"
at = <0 3>
)"));
  go(*run, 1);
  CHECK(std::abs(named(*run, "lamp").pose.position[0] - 3) < 1e-9);
  CHECK(std::abs(named(*run, "there").pose.position[0] - 2) < 1e-9);
  CHECK(std::abs(run->world.spot(run->world.find("truck").value(), "bed").value().position[0] - 1) <
        1e-9);
  CHECK(run->world.touching(run->world.find("lamp").value()).size() ==
        1);  // it requested relatives
  const auto touches = run->world.collider_touches(run->world.find("lamp").value(),
                                                   run->world.find("truck").value());
  REQUIRE(touches.size() == 1);
  CHECK(touches[0].channel == Channel::zone);
}

TEST_CASE_TEMPLATE("motions: circling, approach, pointing at, re-entering, kept inside", T, Two,
                   Three) {
  constexpr int D = T::D;
  const std::string rate = D == 2 ? "90" : "[0, 0, 90]";
  const auto run = start_run(scene_of<D>(R"(
[tags]
post = ""
[regions]
hall = { from = <*-4>, to = <*4> }
[[objects]]
name = "moon"
body = "kinematic"
at = <3 0>
circling = { centre = <1 0>, rate = )" + rate +
                                         R"( }
[[objects]]
name = "dog"
body = "kinematic"
at = <-10 0>
approach = { to = "@moon", speed = 4, within = 0.5 }
[[objects]]
name = "cat"
body = "kinematic"
at = <0 -9>
approach = { to = <2 -9>, speed = 1.5 }
[[objects]]
name = "eye"
body = "kinematic"
at = <1 0>
points_at = "@moon"
[[objects]]
name = "tram"
body = "kinematic"
at = <3 1>
velocity = <5 0>
re_enters = "hall"
collider = { box = <*1> }
[[objects]]
name = "post"
tags = ["post"]
at = <0 1>
collider = { box = <*0.5>, zone = true }
[[objects]]
name = "tame"
body = "kinematic"
at = <0 -2>
velocity = <5 0>
kept_inside = "hall"
)"));
  double least = 0;
  int hits = 0;
  int turned = 0;
  for (int i = 0; i < 60; ++i) {
    run->step();
    const double x = named(*run, "tram").pose.position[0];
    least = std::min(least, x);
    if (x < -1 && turned == 0) turned = i;
    for (const Event<D>& e : run->world.events()) hits += e.phase == Phase::begin ? 1 : 0;
    if (turned == i) CHECK(hits == 0);  // it came round without crossing what lies between
  }
  CHECK(turned > 15);
  CHECK(least > -4.6);
  CHECK((named(*run, "moon").pose.position - (along_x<D>(1) + up<D>(2))).norm() < 1e-9);
  CHECK((named(*run, "eye").pose.rotation * Vec<D>(Vec<D>::Unit(0)) - up<D>(1)).norm() < 0.05);
  CHECK(std::abs(named(*run, "cat").pose.position[0] - 1.5) < 1e-9);
  CHECK(named(*run, "tame").pose.position[0] == 4);
  go(*run, 5);
  CHECK(named(*run, "cat").pose.position[0] == doctest::Approx(2).epsilon(1e-12));
  CHECK((named(*run, "dog").pose.position - named(*run, "moon").pose.position).norm() < 0.6);
  CHECK(hits >= 0);
}

TEST_CASE_TEMPLATE("colliders are switched and resized by schedule, once or in rounds", T, Two,
                   Three) {
  constexpr int D = T::D;
  const auto run = start_run(scene_of<D>(R"(
[tags]
robot = ""
[[objects]]
name = "gate"
collider = { box = <*2>, zone = true, schedule = [{ at = 0.25, on = false }, { at = 0.5, on = true }], period = 1 }
[[objects]]
name = "growing"
at = <5 0>
collider = { box = <*2>, zone = true, schedule = [{ at = 1, scale = 3 }, { at = 2, scale = 0.5 }] }
[[objects]]
name = "robot"
tags = ["robot"]
body = "kinematic"
collider = { BALL = { diameter = 1 } }
[[objects]]
name = "other"
tags = ["robot"]
body = "kinematic"
at = <7.5 0>
collider = { BALL = { diameter = 1 } }
)"));
  std::vector<std::string> all;
  for (int i = 0; i < 150; ++i) {
    run->step();
    for (const std::string& line : logged(run->world))
      all.push_back(fmt::format("{:.2f} {}", run->world.time(), line));
  }
  CHECK(all == Lines{"0.02 begin zone gate robot", "0.27 end zone gate robot (switched)",
                     "0.52 begin zone gate robot", "1.02 begin zone growing other",
                     "1.27 end zone gate robot (switched)", "1.52 begin zone gate robot",
                     "2.02 end zone growing other (switched)",
                     "2.27 end zone gate robot (switched)"});
}

TEST_CASE_TEMPLATE("zones with fields: gravity, drag and wind add up, or the strongest acts alone",
                   T, Two, Three) {
  constexpr int D = T::D;
  const auto speed_after = [](const std::string& zones, double seconds) {
    const auto run = start_run(
        scene_of<D>("gravity = <0 -10>\n[[objects]]\nname = \"leaf\"\nbody = \"dynamic\"\n"
                    "collider = { box = <*1> }\n" +
                    zones));
    go(*run, seconds);
    return named(*run, "leaf").velocity[1];
  };
  const auto zone = [](const char* name, const char* field) {
    return fmt::format(
        "[[objects]]\nname = \"{}\"\ncollider = {{ box = <*500>, zone = true, field = {{ {} }} "
        "}}\n",
        name, field);
  };
  // The first step finds the zone; what it does begins with the second.
  const double t = 59.0 / 60;
  const double first = -10.0 / 60;
  CHECK(speed_after("", 1) == doctest::Approx(-10).epsilon(1e-9));
  CHECK(speed_after(zone("a", "gravity = <0 10>"), 1) == doctest::Approx(first).epsilon(1e-6));
  CHECK(speed_after(zone("a", "gravity = <0 7>") + zone("b", "gravity = <0 7>"), 1) ==
        doctest::Approx(first + 4 * t).epsilon(1e-6));
  CHECK(speed_after(zone("a", "gravity = <0 7>, alone = true") +
                        zone("b", "gravity = <0 20>, alone = true"),
                    1) == doctest::Approx(first + 10 * t).epsilon(1e-6));
  // Against the wind it comes to wind - g / drag.
  CHECK(speed_after(zone("a", "drag = 5, wind = <0 6>"), 4) ==
        doctest::Approx(6 - 10 / 5.0).epsilon(1e-6));
}

TEST_CASE_TEMPLATE("what leaves the world's bounds is counted, and removed on request", T, Two,
                   Three) {
  constexpr int D = T::D;
  for (const bool removed : {false, true}) {
    WorldSettings<D> settings;
    settings.bounds = Bounds<D>{Vec<D>::Constant(-5), Vec<D>::Constant(5)};
    settings.leaving = removed ? Leaving::removed : Leaving::kept;
    Run<D> run(settings);
    ObjectDef<D> def = thing<D>("stray", BodyKind::dynamic, kZero, {solid(ball<D>(1))});
    def.velocity = along_x<D>(10);
    run.world.add(def).value();
    run.run_for(0.5);
    CHECK(run.world.left_count() == 0);
    run.run_for(0.5);
    CHECK(run.world.left_count() == 1);
    CHECK(run.trace.left() == 1);
    CHECK(run.world.count() == (removed ? 0 : 1));
  }
}

TEST_CASE_TEMPLATE("motions, schedules and fields said in C++ are checked", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  const auto refused = [&](auto&& change) {
    ObjectDef<D> def = thing<D>("x", BodyKind::kinematic, kZero, {zone(ball<D>(1))});
    change(def);
    const Result<ObjectId> added = world.add(def);
    REQUIRE(!added);
    return added.error().message();
  };
  const auto has = [](const std::string& text, std::string_view part) {
    return text.find(part) != std::string::npos;
  };
  CHECK(has(refused([](auto& d) { d.motion = Approach<D>{.speed = 0}; }),
            "speed 0 is not usable; a number above 0"));
  CHECK(has(refused([](auto& d) {
              d.colliders[0].schedule.beats = {{1, true, {}}, {1, false, {}}};
            }),
            "times from 0 up"));
  CHECK(has(refused([](auto& d) {
              d.colliders[0].schedule = {{{1, true, {}}}, 0.5};
            }),
            "period 0.5 ends before"));
  CHECK(has(refused([](auto& d) { d.colliders[0].field = Field<D>{.wind = up<D>(1)}; }),
            "no drag by which it is felt"));
  CHECK(has(refused([](auto& d) {
              d.colliders[0].zone = false;
              d.colliders[0].field = Field<D>{};
            }),
            "zone = true"));
  CHECK(has(refused([](auto& d) {
              d.body = BodyKind::dynamic;
              d.mass = 1;
              d.heed.points_at = "y";
            }),
            "body = kinematic"));
  CHECK(has(refused([](auto& d) { d.parent = "nobody"; }), "no object is named 'nobody'"));
  CHECK(has(refused([](auto& d) { d.on_parent = Pose<D>{}; }), "without a parent"));
  CHECK(world.count() == 0);
}
