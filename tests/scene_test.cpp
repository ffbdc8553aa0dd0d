// Scene files that are right: what each key does, in 2D and 3D.
#include <colvik/scene.hpp>

#include <chrono>
#include <cmath>

#include "spelled.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
Scene<D> scene(const std::string& text, std::vector<Setting> settings = {}) {
  LoadedScene loaded = read_scene(spelled<D>(text), "test.toml", settings);
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  return std::get<Scene<D>>(*loaded.scene);
}

template <int D>
const ObjectDef<D>& def_of(const Scene<D>& s, std::string_view name) {
  for (const ObjectDef<D>& o : s.objects)
    if (o.name == name) return o;
  FAIL("no object ", name);
  return s.objects.front();
}

}  // namespace

TEST_CASE_TEMPLATE("scene: the world's settings", T, Two, Three) {
  constexpr int D = T::D;
  const Scene<D> s = scene<D>(
      "gravity = <0 -981>\nrate = 120\nmetre = 100\nsubsteps = 4\nlength = 3\nview = "
      "'all'\n[regions]\nall = { from = "
      "<*-5>, to = <*5> }\n"
      "[tags]\nb = 'second'\na = 'first'\n[numbers]\npoints = 2\n");
  CHECK(s.world.gravity == Vec<D>(up<D>(-981)));
  CHECK(s.world.rate == 120);
  CHECK(s.world.metre == 100);
  CHECK(s.world.substeps == 4);
  CHECK(s.length == 3);
  CHECK(s.view == "all");
  CHECK(s.tags.front() == std::pair<std::string, std::string>("b", "second"));  // in file order
  CHECK(s.numbers.front().value == 2);
  CHECK(s.regions.at("all").size() == Vec<D>(Vec<D>::Constant(10)));
}

TEST_CASE_TEMPLATE("scene: shapes are whole sizes and colliders have their own properties", T, Two,
                   Three) {
  constexpr int D = T::D;
  const Scene<D> s = scene<D>(R"(
[tags]
glue = ''
robot = ''
[regions]
yard = { from = <*-4>, to = <*6> }
[[objects]]
name = "a"
colliders = [
  { BALL = { diameter = 2 }, at = <1 0.5>, zone = true, on = false, tags = ["glue"], meets = "robot | glue" },
  { box = <*3>, density = 2, friction = 0.1, restitution = 0.4 },
  { capsule = { width = 1, height = 3 } },
]
[[objects]]
name = "b"
at = <1 2>
collider = { region = "yard", zone = true }
)");
  const ObjectDef<D>& a = def_of(s, "a");
  CHECK(a.colliders[0].shape.radius == 1);
  CHECK(a.colliders[0].at == Vec<D>(along_x<D>(1) + up<D>(0.5)));
  CHECK(a.colliders[0].zone);
  CHECK_FALSE(a.colliders[0].on);
  CHECK(a.colliders[0].tags == Lines{"glue"});
  CHECK(a.colliders[0].meets == "robot | glue");
  CHECK(a.colliders[1].shape.core == Vec<D>(Vec<D>::Constant(1.5)));
  CHECK(a.colliders[1].density == 2);
  CHECK(a.colliders[1].friction == 0.1);
  CHECK(a.colliders[1].restitution == 0.4);
  CHECK(a.colliders[2].shape.radius == 0.5);
  CHECK(a.colliders[2].shape.core[1] == 1);
  const ColliderDef<D>& yard = def_of(s, "b").colliders[0];
  CHECK(bounds(yard.shape, Pose<D>{def_of(s, "b").at + yard.at, {}}).lo ==
        Vec<D>(Vec<D>::Constant(-4)));
}

TEST_CASE("scene: every 2D shape can be said, rounded, scaled and put together") {
  const Scene<2> s = scene<2>(R"(
[[objects]]
name = "a"
colliders = [
  { segment = { from = [0, 0], to = [2, 0] } },
  { polygon = [[0, 0], [1, 0], [0, 1]], rounding = 0.25, scale = 2 },
  { outline = { corners = [[0, 0], [4, 0], [4, 4], [0, 4]], holes = [[[1, 1], [2, 1], [2, 2], [1, 2]]] } },
  { polyline = { points = [[0, 0], [1, 0], [1, 1]], closed = true, two_sided = true } },
  { tiles = { cell = [0.5, 1], rows = ["#/", "##"] } },
  { half_plane = true },
  { compound = [{ box = [1, 1], at = [1, 0], turned = 45 }, { circle = { diameter = 1 } }] },
]
)");
  const std::vector<ColliderDef<2>>& c = def_of(s, "a").colliders;
  REQUIRE(c.size() == 7);
  CHECK(bounds(c[0].shape, Pose<2>{}).hi == Vec<2>(2, 0));
  CHECK(c[1].shape.radius == 0.25);
  CHECK(mass_properties(c[1].shape).volume ==
        doctest::Approx(2 + 0.25 * (4 + std::sqrt(8.0)) + kPi / 16));
  CHECK(mass_properties(c[2].shape).volume == doctest::Approx(15));
  CHECK(outlines(c[3].shape)[0].size() == 4);
  CHECK(bounds(c[4].shape, Pose<2>{}).size() == Vec<2>(1, 2));
  CHECK(c[5].shape.kind == ShapeKind::half_space);
  CHECK(bounds(c[6].shape, Pose<2>{}).hi.x() == doctest::Approx(1 + std::sqrt(0.5)));
}

TEST_CASE("scene: every 3D shape can be said, rounded, scaled and put together") {
  const Scene<3> s = scene<3>(R"(
[[objects]]
name = "a"
colliders = [
  { segment = { from = [0, 0, 0], to = [2, 0, 0] }, rounding = 0.5 },
  { cylinder = { diameter = 2, height = 3 } },
  { cone = { diameter = 2, height = 3 }, scale = 0.5 },
  { hull = { points = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], budget = 8 } },
  { slabs = { points = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], directions = 3 } },
  { mesh = { points = [[0, 0, 0], [0, 0, 1], [1, 0, 0]], triangles = [[0, 1, 2]], two_sided = true } },
  { heights = { cell = [1, 2], rows = [[0, 1], [0, 1], [2, 0]] } },
  { half_space = true },
  { compound = [{ box = [1, 1, 1], at = [1, 0, 0] }, { sphere = { diameter = 1 } }] },
]
)");
  const std::vector<ColliderDef<3>>& c = def_of(s, "a").colliders;
  REQUIRE(c.size() == 9);
  CHECK(bounds(c[0].shape, Pose<3>{}).hi == Vec<3>(2.5, 0.5, 0.5));
  CHECK(mass_properties(c[1].shape).volume == doctest::Approx(3 * kPi));
  CHECK(mass_properties(c[2].shape).volume == doctest::Approx(kPi / 8));
  CHECK(mass_properties(c[3].shape).volume == doctest::Approx(1.0 / 6));
  CHECK(mass_properties(c[4].shape).volume == doctest::Approx(1));
  CHECK(bounds(c[5].shape, Pose<3>{}).hi == Vec<3>(1, 0, 1));
  CHECK(bounds(c[6].shape, Pose<3>{}).hi == Vec<3>(1, 2, 4));
  CHECK(c[7].shape.kind == ShapeKind::half_space);
  CHECK(bounds(c[8].shape, Pose<3>{}).hi.x() == 1.5);
}

TEST_CASE_TEMPLATE("scene: a kind is inherited key by key over several levels", T, Two, Three) {
  constexpr int D = T::D;
  const Scene<D> s = scene<D>(R"(
[tags]
thing = ''
fragile = ''
extra = ''
[kinds.base]
body = "kinematic"
tags = ["thing"]
numbers = { points = 1, weight = 2 }
collider = { box = <*1>, friction = 0.2, zone = true }
[kinds.child]
like = "base"
add_tags = ["fragile"]
numbers = { points = 5 }
collider.friction = 0.9
[[objects]]
name = "plain"
kind = "child"
[[objects]]
name = "special"
kind = "child"
body = "static"
add_tags = ["extra"]
collider = { BALL = { diameter = 4 } }
[[objects]]
name = "replaced"
kind = "child"
tags = ["extra"]
colliders = []
)");
  const ObjectDef<D>& plain = def_of(s, "plain");
  const ObjectDef<D>& special = def_of(s, "special");
  const ObjectDef<D>& replaced = def_of(s, "replaced");
  CHECK(plain.body == BodyKind::kinematic);
  CHECK(plain.tags == Lines{"thing", "fragile"});
  CHECK(plain.colliders[0].friction == 0.9);
  CHECK(plain.colliders[0].zone);
  CHECK(plain.colliders[0].shape.kind == ShapeKind::box);
  CHECK(plain.numbers.size() == 2);
  CHECK(plain.numbers[0].value == 5);
  CHECK(special.body == BodyKind::fixed);
  CHECK(special.tags == Lines{"thing", "extra", "fragile"});
  CHECK(special.colliders[0].shape.kind == ShapeKind::ball);
  CHECK(special.colliders[0].friction == 0.9);
  CHECK(replaced.tags == Lines{"extra"});
  CHECK(replaced.colliders.empty());
}

TEST_CASE_TEMPLATE("scene: rows and grids make named copies", T, Two, Three) {
  constexpr int D = T::D;
  const Scene<D> s = scene<D>(std::string(R"(
[[objects]]
name = "row"
row = { from = <1 2>, step = <0.5 0>, count = 3 }
[[objects]]
name = "grid"
)") + (D == 2 ? "grid = { from = [0, 0], step = [2, 3], count = [2, 2] }"
              : "grid = { from = [0, 0, 0], step = [2, 3, 4], count = [2, 2, 2] }"));
  REQUIRE(s.objects.size() == 3 + (1U << D));
  CHECK(def_of(s, "row.3").at == Vec<D>(along_x<D>(2) + up<D>(2)));
  CHECK(def_of(s, D == 2 ? "grid.2.1" : "grid.2.1.1").at == Vec<D>(along_x<D>(2)));
  CHECK(def_of(s, D == 2 ? "grid.1.2" : "grid.1.2.1").at == Vec<D>(up<D>(3)));
}

TEST_CASE_TEMPLATE("scene: bodies and motions", T, Two, Three) {
  constexpr int D = T::D;
  const std::string turn = D == 2 ? "90" : "{ axis = [0, 0, 2], angle = 90 }";
  const std::string spin = D == 2 ? "180" : "[0, 0, 180]";
  const Scene<D> s = scene<D>(
      "[[objects]]\nname = 'lift'\nbody = 'kinematic'\nloop = true\npath = [{ at = 0, to = <1 1> "
      "}, { at = 1, to = <2 "
      "1>, turned = " +
      turn + " }, { at = 2, to = <1 1> }]\n" +
      "[[objects]]\nname = 'cart'\nbody = 'kinematic'\nvelocities = [{ at = 0.5, velocity = <3 0>, "
      "spin = " +
      spin + " }]\n" + "[[objects]]\nname = 'ball'\nbody = 'dynamic'\nat = <5 5>\nturned = " +
      turn + "\nvelocity = <1 2>\nspin = " + spin +
      "\nmass = 3\ngravity_scale = 0.5\nlocked_rotation = true\nactive = false\ncollider = { BALL "
      "= { diameter = 1 } "
      "}\n");
  const auto run = start_run(s);
  CHECK((run->world.object(*run->world.find("lift")).pose.position - along_x<D>(1) - up<D>(1))
            .norm() == 0);
  run->run_for(1);
  const Object<D>& lift = run->world.object(*run->world.find("lift"));
  const Object<D>& cart = run->world.object(*run->world.find("cart"));
  CHECK((lift.pose.position - along_x<D>(2) - up<D>(1)).norm() <= 1e-12);
  CHECK((lift.pose.rotation.axis(0) - up<D>(1)).norm() <= 1e-12);
  CHECK((cart.pose.position - along_x<D>(1.5)).norm() <= 1e-9);
  CHECK((cart.pose.rotation.axis(0) - up<D>(1)).norm() <= 1e-9);
  const ObjectDef<D>& ball = def_of(s, "ball");
  CHECK(ball.velocity == Vec<D>(along_x<D>(1) + up<D>(2)));
  CHECK(std::abs(ball.spin.norm() - kPi) <= 1e-12);
  CHECK((ball.turned.axis(0) - up<D>(1)).norm() <= 1e-12);
  CHECK(ball.mass == 3);
  CHECK(ball.gravity_scale == 0.5);
  CHECK(ball.locked_rotation);
  CHECK_FALSE(ball.active);
}

TEST_CASE_TEMPLATE("scene: forces, locks, drag, materials and sleep", T, Two, Three) {
  constexpr int D = T::D;
  const std::string turn = D == 2 ? "90" : "{ axis = [0, 0, 1], angle = 90 }";
  const std::string torque = D == 2 ? "5" : "[0, 0, 5]";
  const std::string inertia = D == 2 ? "3" : "[1, 2, 3]";
  const std::string turns = D == 2 ? "" : "locked_turns = ['x', 'z']\n";
  const Scene<D> s = scene<D>(
      "sleep = false\nfriction_mixing = 'smaller'\nrestitution_mixing = "
      "'product'\n[[objects]]\nname = 'cart'\nbody = "
      "'dynamic'\nturned = " +
      turn + R"(
velocity       = <2 0>
velocity_frame = 'own'
mass_centre    = <0 0.1>
inertia        = )" +
      inertia + R"(
locked_axes    = ['y']
drag           = 0.5
spin_drag      = 0.25
continuous     = false
may_sleep      = false
)" + turns +
      R"(pushes = [{ from = 1, until = 2, force = <3 4>, torque = )" + torque +
      R"(, point = <0 1>, frame = 'own' },
          { from = 0.5, impulse = <1 0>, angular_impulse = )" +
      torque + R"( }]
collider = { BALL = { diameter = 1 }, rolling_friction = 0.01, surface_velocity = <2 0> }
)");
  CHECK_FALSE(s.world.sleep);
  CHECK(s.world.friction_mixing == Mixing::smaller);
  CHECK(s.world.restitution_mixing == Mixing::product);
  const ObjectDef<D>& cart = def_of(s, "cart");
  CHECK((cart.velocity - up<D>(2)).norm() <= 1e-12);
  CHECK((*cart.mass_centre)[1] == 0.1);
  CHECK((*cart.inertia)[kTurnAxes<D> - 1] == 3);
  CHECK(cart.locked_axes[1]);
  CHECK_FALSE(cart.locked_axes[0]);
  if (D == 3) CHECK(cart.locked_turns[kTurnAxes<D> - 1]);
  CHECK(cart.drag == 0.5);
  CHECK(cart.spin_drag == 0.25);
  CHECK_FALSE(cart.continuous);
  CHECK_FALSE(cart.may_sleep);
  REQUIRE(cart.pushes.size() == 2);
  CHECK(cart.pushes[0].force.norm() == 5);
  CHECK(cart.pushes[0].torque[kTurnAxes<D> - 1] == 5);
  CHECK(cart.pushes[0].until == 2);
  CHECK((*cart.pushes[0].point)[1] == 1);
  CHECK(cart.pushes[0].own_frame);
  CHECK(cart.pushes[1].impulse[0] == 1);
  CHECK(cart.pushes[1].angular_impulse[kTurnAxes<D> - 1] == 5);
  CHECK(cart.colliders[0].rolling_friction == 0.01);
  CHECK(cart.colliders[0].surface_velocity[0] == 2);
  const auto run = start_run(s);
  run->run_for(0.9);
  CHECK(run->world.object(*run->world.find("cart")).velocity[0] > 0);
}

TEST_CASE_TEMPLATE("scene: reactions, every start and effect", T, Two, Three) {
  constexpr int D = T::D;
  const Scene<D> s = scene<D>(R"(length = 1
[tags]
robot = ''
parcel = ''
seen = ''
[numbers]
score = 0
[[objects]]
name = "robot"
tags = ["robot"]
body = "kinematic"
velocity = <1 0>
numbers = { health = 3 }
collider = { box = <*1> }
[[objects]]
name = "parcel"
tags = ["parcel"]
collider = { box = <*1>, zone = true }
[[objects]]
name = "beside"
at = <0 0.5>
collider = { box = <*0.5> }
[[reactions]]
name = "all"
self = "robot"
other = "@parcel"
channel = "zone"
once = "ever"
do = [{ add = "world.score", by = 2 }, { damage = "self", by = 1 }, { retag = "self", give = ["seen"], take = "robot" }, { stop = "self" },
      { hide = "other" }, { show = "other", after = 0.2 }, { remove = "other", after = 0.5 }]
[[reactions]]
name = "again"
self = "seen"
other = "parcel"
once = "per other"
[[reactions]]
name = "during"
when = "during"
self = "seen"
other = "@beside"
[[reactions]]
name = "left"
when = "end"
other = "parcel"
[[reactions]]
name = "two"
when = { number = "world.score", reaches = 2 }
do = [{ finish = "done", after = 0.7 }]
[[reactions]]
name = "hurt"
self = "seen"
when = { number = "self.health", reaches = 2 }
)");
  const auto run = start_run(s);
  run->run_for(s.length);
  const World<D>& w = run->world;
  const Object<D>& robot = w.object(*w.find("robot"));
  CHECK(*w.number({}, "score") == 2);
  CHECK(*w.number({robot.id}, "health") == 2);
  CHECK(w.tags().list(robot.tags) == "seen");
  CHECK(robot.velocity.norm() == 0);
  CHECK_FALSE(w.find("parcel"));
  CHECK(run->rules.count("all") == 1);
  CHECK(run->rules.count("again") ==
        0);  // the parcel is going: it still touches but starts nothing
  CHECK(run->rules.count("during") > 30);
  CHECK(run->rules.count("left") == 0);
  CHECK(run->rules.count("two") == 1);
  CHECK(run->rules.count("hurt") == 1);
  CHECK(run->trace.outcome() == "done");
}

TEST_CASE_TEMPLATE("scene: every kind of expectation", T, Two, Three) {
  constexpr int D = T::D;
  const Scene<D> s = scene<D>(R"(length = 1
[tags]
robot = ''
parcel = ''
[numbers]
score = 0
[regions]
here = { from = <*-1>, to = <*1> }
[[objects]]
name = "robot"
tags = ["robot"]
body = "kinematic"
collider = { box = <*1> }
[[objects]]
name = "parcel"
tags = ["parcel"]
collider = { box = <*1>, zone = true }
[[reactions]]
name = "meet"
self = "robot"
other = "parcel"
do = [{ finish = "met", after = 0.1 }]
[[expect]]
reaction = "meet"
self = "robot"
other = "@parcel"
times = 1
between = [0, 0.1]
[[expect]]
contact = ["parcel", "@robot"]
channel = "zone"
at_least = 1
at_most = 1
[[expect]]
contact = ["parcel", "parcel"]
never = true
[[expect]]
number = "world.score"
is = 0
at_least = 0
at_most = 0
[[expect]]
outcome = "met"
[[expect]]
object = "parcel"
present = true
inside = "here"
)");
  const auto run = start_run(s);
  run->run_for(s.length);
  REQUIRE(s.expectations.size() == 6);
  for (const Expectation<D>& e : s.expectations) {
    const ExpectationResult r = judge(e, run->trace);
    CHECK_MESSAGE(r.met, r.expected, "; ", r.happened);
    CHECK(r.place.line > 0);
  }
}

TEST_CASE_TEMPLATE("scene: parameters stand for values and can be set", T, Two, Three) {
  constexpr int D = T::D;
  const std::string text =
      "rate = \"$rate\"\n[parameters]\nrate = 30\nwhat = 'dynamic'\nfree = true\n[[objects]]\nname "
      "= 'a'\nbody = "
      "'$what'\nlocked_rotation = '$free'\ncollider = { box = <*1> }\n";
  CHECK(scene<D>(text).world.rate == 30);
  const Scene<D> changed =
      scene<D>(text, {{"rate", "240"}, {"what", "kinematic"}, {"free", "false"}});
  CHECK(changed.world.rate == 240);
  CHECK(changed.objects[0].body == BodyKind::kinematic);
  CHECK_FALSE(changed.objects[0].locked_rotation);
}

TEST_CASE_TEMPLATE("scene: drawings are kept beside the colliders", T, Two, Three) {
  constexpr int D = T::D;
  const std::string text = spelled<D>(
      "[[objects]]\nname = 'a'\ndrawing = { size = <*2>, picture = 'depot-robot.png' }\n");
  const LoadedScene loaded = read_scene(text, COLVIK_SOURCE_DIR "/data/x.toml");
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  const Drawing<D>& drawing = std::get<Scene<D>>(*loaded.scene).objects[0].drawings.at(0);
  CHECK(drawing.size == Vec<D>(Vec<D>::Constant(2)));
  CHECK(drawing.picture == COLVIK_SOURCE_DIR "/data/depot-robot.png");
}

TEST_CASE_TEMPLATE("scene: ten thousand objects load as one by one", T, Two, Three) {
  constexpr int D = T::D;
  std::string text =
      "[tags]\ncrate = ''\n[kinds.crate]\nbody = 'dynamic'\ntags = ['crate']\ncollider = { box = "
      "<*0.5>, meets = "
      "'crate' }\n";
  for (int i = 0; i < 10000; ++i)
    text += "[[objects]]\nname = 'crate-" + std::to_string(i) + "'\nkind = 'crate'\nat = <" +
            std::to_string(i) + " 2>\n";
  const std::string whole = spelled<D>(text);
  const auto start = std::chrono::steady_clock::now();
  const LoadedScene loaded = read_scene(whole, "test.toml");
  const double ms =
      std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
  REQUIRE(loaded.ok());
  CHECK(std::get<Scene<D>>(*loaded.scene).objects.size() == 10000);
  MESSAGE("random: 10,000 objects ", D, "D load in ", ms, " ms");
}

TEST_CASE("the demo scenes meet all that is expected of them") {
  for (const char* name : {"night-depot", "loading-bay"}) {
    CAPTURE(name);
    const LoadedScene loaded = load_scene(std::string(COLVIK_SOURCE_DIR "/data/") + name + ".toml");
    for (const Problem& p : loaded.problems) MESSAGE(p.message());
    REQUIRE(loaded.ok());
    std::visit(
        [](const auto& s) {
          const auto run = start_run(s);
          run->run_for(s.length);
          CHECK(s.expectations.size() >= 8);
          for (const auto& e : s.expectations) {
            const ExpectationResult r = judge(e, run->trace);
            CHECK_MESSAGE(r.met, r.expected, "; ", r.happened);
          }
        },
        *loaded.scene);
  }
}
