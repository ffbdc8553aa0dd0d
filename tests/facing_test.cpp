// What came with objects that face a way: mirrored objects in scenes, states, starting again,
// half-spaces, exceptions, several drawings, touches of single colliders, visits.
#include <fmt/format.h>

#include <colvik/insight.hpp>
#include <colvik/scene.hpp>

#include "random.hpp"
#include "spelled.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
std::unique_ptr<Run<D>> facing_run(const std::string& text) {
  std::string own = spelled<D>(text);
  for (std::size_t at = 0; (at = own.find("SPIN", at)) != std::string::npos;)
    own.replace(at, 4, D == 2 ? "90" : "[0, 0, 90]");
  LoadedScene loaded = read_scene(own, "test.toml");
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  return start_run(std::get<Scene<D>>(*loaded.scene));
}
template <int D>
void run_on(Run<D>& run, double seconds) {
  for (int i = 0; i < std::lround(seconds * run.world.settings().rate); ++i) run.step();
}
template <int D>
const Object<D>& facing_named(const Run<D>& run, const char* name) {
  return run.world.object(run.world.find(name).value());
}

}  // namespace

TEST_CASE_TEMPLATE("scene: a mirrored object throws, looks and is shown the other way", T, Two,
                   Three) {
  constexpr int D = T::D;
  auto run = facing_run<D>(R"(
[tags]
robot = ""
post = ""
[kinds.flask]
body = "kinematic"
collider = { BALL = { diameter = 0.2 } }
[[objects]]
name = "robot"
tags = ["robot"]
body = "kinematic"
mirrored = true
spots = { nozzle = <1 0.5> }
collider = { box = <*0.5>, at = <2 0>, zone = true }
drawings = [{ size = <*1>, at = <0.5 0> }, { size = <*0.2> }]
[[objects]]
name = "post"
tags = ["post"]
at = <-2.4 0>
collider = { box = <*0.5> }
[[reactions]]
name = "throw"
when = { time = 0.1 }
do = [{ spawn = "flask", from = "@robot", spot = "nozzle", velocity = <3 0> }]
[[reactions]]
name = "seen"
self = "robot"
other = "post"
when = { phase = "begin", side = <1 0>, frame = "own" }
[[reactions]]
name = "turn"
when = { time = 0.5 }
do = [{ mirror = "@robot" }]
[[reactions]]
name = "unseen"
self = "robot"
other = "post"
when = "end"
[[reactions]]
name = "turned"
self = "robot"
when = { state = "mirrored", over = true }
[[reactions]]
name = "back"
when = { time = 0.8 }
do = [{ mirror = "@robot" }, { mirror = "@robot", back = true, after = 0.1 }]
)");
  CHECK(facing_named(*run, "robot").mirrored);
  CHECK(facing_named(*run, "robot").drawings.size() == 2);
  CHECK(facing_named(*run, "robot").drawings[0].at[0] == -0.5);
  run_on(*run, 0.2);
  const Object<D>& flask = run->world.object(run->world.objects().back());
  CHECK(flask.kind == "flask");
  CHECK(flask.velocity[0] == -3);
  CHECK(flask.pose.position[0] < -1);
  CHECK(run->rules.count("seen") == 1);
  CHECK(run->rules.count("unseen") == 0);
  run_on(*run, 0.5);
  CHECK(!facing_named(*run, "robot").mirrored);
  CHECK(run->rules.count("unseen") == 0);  // an end that was switched is requested by its cause
  CHECK(run->rules.count("turned") == 1);
  CHECK(run->world.touching(*run->world.find("robot")).empty());
  run_on(*run, 0.15);
  CHECK(facing_named(*run, "robot").mirrored);
  run_on(*run, 0.2);
  CHECK(!facing_named(*run, "robot").mirrored);
  const Result<void> tiled = [&] {
    if constexpr (D == 2) {
      ObjectDef<2> grid = thing<2>("grid", BodyKind::fixed, {50, 0},
                                   {solid(tiles(std::vector<std::string>{"#"}, {1, 1}).value())});
      const ObjectId id = run->world.add(grid).value();
      return run->world.set_mirrored(id, true);
    } else {
      return Result<void>(
          Error{"object 'grid' collider tiles", "cannot be mirrored", "a shape with an inside"});
    }
  }();
  CHECK(tiled.error().message() ==
        "object 'grid' collider tiles: cannot be mirrored; a shape with an inside");
}

TEST_CASE_TEMPLATE(
    "effects: what is sent goes to a place or after an object, and copies are spawned with a spin",
    T, Two, Three) {
  constexpr int D = T::D;
  auto run = facing_run<D>(R"(
[tags]
cart = ""
[kinds.top]
body = "dynamic"
tags = ["cart"]
collider = { BALL = { diameter = 0.4 } }
[[objects]]
name = "cart"
tags = ["cart"]
body = "kinematic"
circling = { centre = <5 5>, rate = SPIN }
collider = { BALL = { diameter = 0.5 } }
[[objects]]
name = "post"
at = <0 4>
collider = { box = <*0.5> }
[[reactions]]
name = "send"
when = { time = 0.5 }
do = [{ send = "@cart", to = <6 0>, speed = 4 }, { send = "@cart", to = "@post", speed = 3, within = 1, after = 2.5 }]
[[reactions]]
name = "throw"
when = { time = 0.2 }
do = [{ spawn = "top", at = <20 0>, spin = SPIN }]
)");
  run_on(*run, 2.9);
  CHECK((facing_named(*run, "cart").pose.position - along_x<D>(6)).norm() < 1e-9);
  run_on(*run, 3);
  CHECK((facing_named(*run, "cart").pose.position - up<D>(4)).norm() == doctest::Approx(1));
  const Object<D>& top = run->world.object(run->world.objects().back());
  CHECK(top.spin.norm() == doctest::Approx(radians(90)).epsilon(1e-3));
}

TEST_CASE_TEMPLATE("reactions start and are held back by states", T, Two, Three) {
  constexpr int D = T::D;
  auto run = facing_run<D>(R"(
gravity = <0 -9.81>
[tags]
crate = ""
[[objects]]
name = "floor"
at = <0 -0.5>
collider = { box = <*1>, scale = 8 }
[[objects]]
name = "crate"
tags = ["crate"]
body = "dynamic"
at = <0 5>
collider = { box = <*1> }
[[reactions]]
name = "rests"
self = "crate"
when = { state = "asleep" }
do = [{ push = "self", impulse = <0 6>, after = 0.2 }]
[[reactions]]
name = "stirs"
self = "crate"
when = { state = "asleep", over = true }
[[reactions]]
name = "hides"
when = { time = 4 }
do = [{ hide = "@crate" }, { show = "@crate", after = 0.5 }]
[[reactions]]
name = "gone"
self = "crate"
when = { state = "shown", over = true }
[[reactions]]
name = "moves"
self = "crate"
when = { phase = "begin" }
all = [{ state = "moving" }]
none = [{ state = "attached" }, { state = "asleep" }]
[[reactions]]
name = "still"
self = "crate"
when = { phase = "begin" }
all = [{ state = "asleep" }]
)");
  run->run_for(5);
  CHECK(run->rules.count("rests") >= 2);
  CHECK(run->rules.count("stirs") >= 1);
  CHECK(run->rules.count("gone") == 1);
  CHECK(run->rules.count("moves") >= 2);
  CHECK(run->rules.count("still") == 0);
}

TEST_CASE_TEMPLATE(
    "a run that starts again is as it was at the start, and its log and counts go on", T, Two,
    Three) {
  constexpr int D = T::D;
  auto run = facing_run<D>(R"(
[tags]
cart = ""
flag = ""
[numbers]
laps = 0
[kinds.flag]
body = "kinematic"
tags = ["flag"]
collider = { BALL = { diameter = 0.2 } }
[[objects]]
name = "cart"
tags = ["cart"]
body = "kinematic"
path = [{ at = 0, to = <0 0> }, { at = 1, to = <6 0> }]
collider = { BALL = { diameter = 0.5 } }
[[objects]]
name = "gate"
at = <3 0>
collider = { box = <*1>, zone = true }
[[reactions]]
name = "through"
self = "cart"
other = "@gate"
once = "ever"
do = [{ add = "world.laps", by = 1 }, { spawn = "flag", at = <0 5> }]
[[reactions]]
name = "again"
when = { time = 1 }
do = [{ restart = true }]
[[reactions]]
name = "begin"
when = "start"
)");
  run->run_for(2.3);
  const auto& trace = run->trace;
  CHECK(trace.restarts() == 2);
  CHECK(trace.time() == doctest::Approx(2.3));
  CHECK(run->rules.count("through") == 2);  // once in each
  CHECK(run->rules.count("begin") == 3);
  CHECK(*run->world.number({}, "laps") == 0);
  CHECK(run->world.count() == 2);
  std::vector<double> times;
  for (const TraceFiring<D>& f : trace.firings())
    if (trace.reactions()[f.reaction].name == "through") times.push_back(f.time);
  REQUIRE(times.size() == 2);
  CHECK(times[1] - times[0] == doctest::Approx(1).epsilon(0.02));
  int begins = 0;
  int ends = 0;
  for (const TraceTouch& t : trace.touches()) (t.phase == Phase::begin ? begins : ends) += 1;
  CHECK(begins == ends);
  CHECK(facing_named(*run, "cart").pose.position[0] == doctest::Approx(1.8).epsilon(0.05));
  CHECK(trace.pose_at(trace.find("cart"), 135).has_value());
}

TEST_CASE_TEMPLATE("scene: half-spaces as regions, and objects excepted from meeting", T, Two,
                   Three) {
  constexpr int D = T::D;
  const std::string text = R"(
[regions]
above = { edge = <0 2>, towards = <0 1> }
[[objects]]
name = "lift"
body = "kinematic"
at = <0 1>
velocity = <0 3>
excepted = ["gate"]
collider = { box = <*1> }
[[objects]]
name = "kept"
body = "kinematic"
at = <9 5>
velocity = <0 -4>
kept_inside = "above"
collider = { box = <*1> }
[[objects]]
name = "gate"
at = <0 2>
collider = { box = <*1>, zone = true }
[[expect]]
object = "lift"
inside = "above"
[[expect]]
object = "kept"
inside = "above"
always = true
[[expect]]
contact = ["@lift", "@gate"]
never = true
)";
  auto run = facing_run<D>(text);
  run->run_for(2);
  const LoadedScene loaded = read_scene(spelled<D>(text), "test.toml");
  for (const Expectation<D>& e : std::get<Scene<D>>(*loaded.scene).expectations)
    CHECK(judge(e, run->trace).met);
  const auto problem = [](const std::string& more) {
    std::string all;
    for (const Problem& p : read_scene(spelled<D>(more), "test.toml").problems)
      all += p.message() + "\n";
    return all;
  };
  CHECK(problem("[regions]\na = { edge = <0 0>, towards = <1 1> }")
            .find("the half-space does not go along one axis") != std::string::npos);
  CHECK(problem("[regions]\na = { edge = <0 0>, towards = <1 0>, size = <1 1> }")
            .find("'size' says nothing about a half-space") != std::string::npos);
  CHECK(
      problem(
          "[regions]\na = { edge = <0 0>, towards = <1 0> }\n[[objects]]\nname = 'x'\nborder = 'a'")
          .find("region 'a' has no end") != std::string::npos);
  CHECK(problem("[[objects]]\nname = 'x'\nexcepted = ['y']").find("no object is named 'y'") !=
        std::string::npos);
}

TEST_CASE_TEMPLATE("touches of single colliders are reported on request", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  world.tags().declare("comb", "").value();
  world.ask_pairs(TagQuery::parse("comb", world.tags()).value(), TagQuery());
  std::vector<ColliderDef<D>> teeth;
  for (int i = 0; i < 3; ++i) {
    teeth.push_back(zone(cube<D>(0.5)));
    teeth.back().at = along_x<D>(i);
  }
  world.add(thing<D>("comb", BodyKind::fixed, kZero, teeth, {"comb"})).value();
  const ObjectId id =
      world.add(thing<D>("pin", BodyKind::kinematic, along_x<D>(-2), {solid(ball<D>(0.2))}))
          .value();
  world.set_velocity(id, along_x<D>(3), Spin<D>::Zero());
  Lines lines;
  for (int i = 0; i < 120; ++i) {
    world.step();
    for (const PairEvent<D>& e : world.pair_events())
      lines.push_back(std::string(name_of(e.phase)) + " " + std::to_string(e.touch.self_collider));
    if (i == 60) {  // nothing is reported twice after a snapshot
      World<D> other;
      other.ask_pairs(TagQuery(), TagQuery());
      const auto saved = world.save();
      other.load(saved).value();
      other.step();
      World<D> same;
      same.load(saved).value();
      same.step();
      CHECK(other.hash() == same.hash());
    }
  }
  CHECK(lines == Lines{"begin 0", "end 0", "begin 1", "end 1", "begin 2", "end 2"});
}

TEST_CASE_TEMPLATE("a touch that begins again at once says that the visit goes on", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  world.add(thing<D>("gate", BodyKind::fixed, kZero, {zone(cube<D>(1))})).value();
  const ObjectId id =
      world.add(thing<D>("cart", BodyKind::kinematic, along_x<D>(3), {solid(ball<D>(0.2))}))
          .value();
  std::vector<bool> again;
  const auto stay = [&](const Vec<D>& at, int steps) {
    world.place(id, {at, {}});
    for (int i = 0; i < steps; ++i) {
      world.step();
      for (const Event<D>& e : world.events())
        if (e.phase == Phase::begin) again.push_back(e.again);
    }
  };
  stay(kZero, 5);
  stay(along_x<D>(3), 3);
  stay(kZero, 5);
  stay(along_x<D>(3), 8);
  stay(kZero, 1);
  CHECK(again == std::vector{false, true, false});
  World<D> other;
  other.load(world.save()).value();
  CHECK(other.hash() == world.hash());
}

TEST_CASE_TEMPLATE(
    "what would be touched is queried of children too, and a value is set on all of a query", T,
    Two, Three) {
  constexpr int D = T::D;
  World<D> world;
  world.tags().declare("crate", "").value();
  const ObjectId arm =
      world.add(thing<D>("arm", BodyKind::kinematic, kZero, {solid(cube<D>(0.5))})).value();
  ObjectDef<D> hand = thing<D>("hand", BodyKind::fixed, kZero, {zone(ball<D>(0.4))});
  hand.parent = "arm";
  hand.on_parent = Pose<D>{along_x<D>(2), {}};
  const ObjectId child = world.add(hand).value();
  world.add(thing<D>("lamp", BodyKind::fixed, along_x<D>(4), {solid(cube<D>(1))})).value();
  const auto touched = world.would_touch(arm, {.move = along_x<D>(2)}).value();
  REQUIRE(touched.size() == 1);
  CHECK(touched[0].own == child);
  CHECK(touched[0].at == doctest::Approx((4 - 0.5 - 0.2 - 2) / 2));
  for (int i = 0; i < 4; ++i)
    world
        .add(thing<D>("crate-" + std::to_string(i), BodyKind::dynamic, along_x<D>(10 + 2 * i),
                      {solid(cube<D>(1))}, {"crate"}))
        .value();
  const TagQuery crates = TagQuery::parse("crate", world.tags()).value();
  REQUIRE(world.matching(crates).size() == 4);
  for (const ObjectId id : world.matching(crates)) world.set_gravity_scale(id, 0.5);
  CHECK(world.object(*world.find("crate-3")).gravity_scale == 0.5);
}

TEST_CASE_TEMPLATE("mirrored from the start, a family is as one that is mirrored then", T, Two,
                   Three) {
  constexpr int D = T::D;
  Random random(8);
  for (int round = 0; round < 40; ++round) {
    CAPTURE(round);
    World<D> first;
    World<D> later;
    const auto add = [&](const char* name, const char* parent, bool mirrored, bool by_world) {
      ObjectDef<D> def =
          thing<D>(name, BodyKind::kinematic, random.vec<D>(3), {solid(odd<D>(round))});
      def.turned = random.rotation<D>();
      def.colliders[0].at = random.vec<D>(1);
      def.parent = parent;
      if (*parent != 0 && !by_world)
        def.on_parent = Pose<D>{random.vec<D>(2), random.rotation<D>()};
      def.mirrored = mirrored;
      first.add(def).value();
      if (*parent == 0) def.mirrored = false;
      later.add(def).value();
    };
    add("cart", "", true, true);
    add("arm", "cart", random.coin(0.5), random.coin(0.5));
    add("claw", "arm", random.coin(0.5), random.coin(0.5));
    REQUIRE(later.set_mirrored(later.find("cart").value(), true));
    for (const char* name : {"cart", "arm", "claw"}) {
      CAPTURE(name);
      const Object<D>& a = first.object(first.find(name).value());
      const Object<D>& b = later.object(later.find(name).value());
      CHECK(a.mirrored == b.mirrored);
      CHECK((a.pose.position - b.pose.position).norm() < 1e-12);
      CHECK((a.pose.rotation.inverse() * b.pose.rotation).to_spin().norm() < 1e-7);
      CHECK((a.colliders[0].def.at - b.colliders[0].def.at).norm() < 1e-12);
    }
  }
}

TEST_CASE("a collider that covers a region does so wherever, and whichever way, its object is") {
  Random random(31);
  const auto place = [&] {
    return fmt::format("at = [{}, {}]\nturned = {}\nmirrored = {}\n", random.range(-9, 9),
                       random.range(-9, 9), random.range(-180, 180), random.coin());
  };
  for (int i = 0; i < 40; ++i) {
    const std::string parent = "[[objects]]\nname = 'parent'\n" + place();
    const std::string covers = "collider = { region = 'r', zone = true }\n";
    const std::string own = i % 2 == 0 ? "on_parent = [1, 2]\nturned_on_parent = 20\n" : place();
    const std::string text =
        "colvik = 1\n[world]\ndimension = 2\nlength = 1\n[regions]\n"
        "r = { from = [2, 1], to = [6, 3] }\n" +
        parent + "[[objects]]\nname = 'child'\nparent = 'parent'\n" + own + covers +
        "[[objects]]\nname = 'row'\nrow = { from = [1, 1], step = [2, 1], count = 2 }\n" + covers +
        "[[objects]]\nname = 'moving'\nbody = 'kinematic'\n"
        "path = [{ at = 0, to = [5, 5] }, { at = 1, to = [5, 5] }]\n" +
        covers;
    CAPTURE(text);
    const LoadedScene loaded = read_scene(text, "covers.toml", {});
    REQUIRE(loaded.ok());
    const auto run = start_run(std::get<Scene<2>>(*loaded.scene));
    const auto covered = [&](const Vec<2>& at) {
      return run->world.all(AtPoint<2>{at}, {.zones = true}).size();
    };
    for (const double x : {2.01, 4.0, 5.99})
      for (const double y : {1.01, 2.99}) CHECK(covered({x, y}) == 4);
    for (const Vec<2>& outside :
         {Vec<2>(1.99, 2), Vec<2>(6.01, 2), Vec<2>(4, 0.99), Vec<2>(4, 3.01)})
      CHECK(covered(outside) == 0);
  }
}
