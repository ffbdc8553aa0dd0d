// Reactions: all that starts them, holds them back and that they do, in C++ and from scene files.
#include <colvik/scene.hpp>

#include <cmath>
#include <sstream>

#include "spelled.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

constexpr const char* kDepot = R"(
gravity = <0 0>
bounds = "yard"
[tags]
robot = ""
parcel = ""
hazard = ""
[numbers]
score = 0
[regions]
yard = { from = <*-50>, to = <*50> }
corner = { from = <*20>, to = <*21> }
[kinds.crate]
body = "dynamic"
tags = ["parcel"]
collider = { BALL = { diameter = 1 } }
[[objects]]
name = "robot"
tags = ["robot"]
body = "kinematic"
collider = { BALL = { diameter = 1 } }
numbers = { health = 5, charge = 3 }
spots = { hatch = <0 1> }
[[objects]]
name = "gate"
tags = ["hazard"]
at = <3 0>
collider = { box = <*1>, zone = true }
[[objects]]
name = "parcel"
tags = ["parcel"]
body = "dynamic"
at = <0 9>
numbers = { health = 2 }
collider = { BALL = { diameter = 1 } }
)";

// A depot with one more reaction, from a scene; `times` are those at which it fired.
template <int D>
struct Depot {
  std::unique_ptr<Run<D>> run;
  std::vector<double> times;
  explicit Depot(const std::string& more) {
    LoadedScene loaded = read_scene(spelled<D>(kDepot + more), "test.toml");
    for (const Problem& p : loaded.problems) MESSAGE(p.message());
    REQUIRE(loaded.ok());
    run = start_run(std::get<Scene<D>>(*loaded.scene));
  }
  Depot& go(double seconds) {
    for (double until = run->world.time() + seconds - 1e-9; run->world.time() < until;) {
      run->step();
      for (const Firing<D>& f : run->rules.fired()) times.push_back(f.time);
    }
    return *this;
  }
  [[nodiscard]] ObjectId id(const char* name) const { return run->world.find(name).value(); }
  [[nodiscard]] const Object<D>& operator[](const char* name) const {
    return run->world.object(id(name));
  }
  // To and fro over the gate: so many times in and out, half a second each.
  Depot& visits(int n, double wait = 0.5) {
    for (int i = 0; i < n; ++i) {
      run->world.place(id("robot"), {along_x<D>(3), {}});
      go(wait);
      run->world.place(id("robot"), {kZero, {}});
      go(wait);
    }
    return *this;
  }
  [[nodiscard]] double number(const char* name) const {
    return run->world.number({}, name).value();
  }
};

std::string reaction(const std::string& body) {
  return "[[reactions]]\nname = \"r\"\n" + body + "\n";
}
bool near(const std::vector<double>& got, const std::vector<double>& wanted) {
  bool same = got.size() == wanted.size();
  for (std::size_t i = 0; same && i < got.size(); ++i) same = std::abs(got[i] - wanted[i]) < 0.02;
  return same;
}

}  // namespace

TEST_CASE_TEMPLATE(
    "reactions start by time, interval, start of the run, input, cue, count and number", T, Two,
    Three) {
  constexpr int D = T::D;
  struct Row {
    const char* what;
    std::string text;
    std::vector<double> times;
  };
  const Row rows[] = {
      {"start", reaction("when = \"start\""), {1 / 60.0}},
      {"time", reaction("when = { time = 0.5 }"), {0.5}},
      {"interval", reaction("when = { every = 0.5, from = 0.25 }"), {0.25, 0.75, 1.25, 1.75}},
      {"input",
       "[[inputs]]\nat = 0.4\nname = \"open\"\n" + reaction("when = { input = \"open\" }"),
       {0.42}},
      {"cue",
       reaction("when = { cue = \"go\" }") +
           "[[reactions]]\nname = \"c\"\nwhen = { time = 1 }\ndo = [{ cue = \"go\" }]",
       {1.0, 1.017}},
      {"count",
       reaction("when = { count = \"parcel\", reaches = 0 }") +
           "[[reactions]]\nname = \"c\"\nwhen = { time = 1 }\ndo = [{ hide = \"@parcel\" }]",
       {1.0, 1.017}},
      {"number passes",
       reaction("when = { number = \"world.score\", passes = 1 }") +
           "[[reactions]]\nname = \"c\"\nwhen = { every = 1, from = 1 }\ndo = [{ add = "
           "\"world.score\", by = 1 }]",
       {1.0, 2.0, 2.017}},
      {"number leaves",
       reaction("when = { number = \"@robot.charge\", leaves = 3 }") +
           "[[reactions]]\nname = \"c\"\nwhen = { every = 1, from = 1 }\ndo = [{ add = "
           "\"@robot.charge\", by = 1 }]",
       {1.0, 1.017, 2.0}},
  };
  for (const Row& row : rows) {
    CAPTURE(row.what);
    Depot<D> d(row.text);
    d.go(row.what == std::string("interval") ? 2 : 2.2);
    CAPTURE(d.times.size());
    CHECK(near(d.times, row.times));
  }
  // By chance, and yet the same in each run; never two at once.
  std::vector<double> first;
  for (int k = 0; k < 2; ++k) {
    Depot<D> d(reaction("when = { every = 0.5, vary = 0.2, seed = 7 }"));
    d.go(10);
    CHECK(d.times.size() >= 19);
    if (k == 0) first = d.times;
    CHECK(first == d.times);
  }
}

TEST_CASE_TEMPLATE("touches are filtered by speed, side and cause", T, Two, Three) {
  constexpr int D = T::D;
  struct Row {
    const char* what;
    std::string text;
    double speed;
    std::size_t fired;
  };
  const std::string head = "self = \"@robot\"\nother = \"hazard\"\n";
  const Row rows[] = {
      {"fast enough", head + "when = { approach = 5 }", 6, 1},
      {"too slow", head + "when = { approach = 5 }", 4, 0},
      {"from the left", head + "when = { side = <1 0> }", 4,
       1},  // the gate lies to the right of the robot
      {"from the right", head + "when = { side = <-1 0> }", 4, 0},
      {"left", head + "when = \"end\"", 30, 1},
      {"requests hidden", head + "when = { phase = \"end\", causes = [\"hidden\"] }", 30, 0},
  };
  for (const Row& row : rows) {
    CAPTURE(row.what);
    Depot<D> d(reaction(row.text));
    d.run->world.set_velocity(d.id("robot"), along_x<D>(row.speed), Spin<D>(Spin<D>::Zero()));
    d.go(0.75);
    CHECK(d.times.size() == row.fired);
  }
  Depot<D> d(reaction(head + "when = { phase = \"end\", causes = [\"hidden\", \"removed\"] }"));
  d.run->world.place(d.id("robot"), {along_x<D>(3), {}});
  d.go(0.1);
  d.run->world.set_shown(d.id("gate"), false);
  d.go(0.1);
  CHECK(d.times.size() == 1);
}

TEST_CASE_TEMPLATE(
    "a reaction fires as often as it may: per visit, at most n, after a cooldown, while it is on",
    T, Two, Three) {
  constexpr int D = T::D;
  const std::string touch = "self = \"robot\"\nother = \"hazard\"\n";
  CHECK(Depot<D>(reaction(touch)).visits(4).times.size() == 4);
  CHECK(Depot<D>(reaction(touch + "once = \"per visit\"")).visits(4).times.size() == 4);
  // Away for a moment only: it is the same visit.
  CHECK(Depot<D>(reaction(touch + "once = \"per visit\"")).visits(4, 0.05).times.size() == 1);
  CHECK(Depot<D>(reaction(touch + "once = \"per visit\"\napart = 0.02"))
            .visits(4, 0.05)
            .times.size() == 4);
  CHECK(Depot<D>(reaction(touch + "once = \"per other\"")).visits(4).times.size() == 1);
  CHECK(Depot<D>(reaction(touch + "most = 3")).visits(4).times.size() == 3);
  CHECK(Depot<D>(reaction(touch + "cooldown = 1.5")).visits(4).times.size() == 2);
  CHECK(Depot<D>(reaction(touch + "on = false")).visits(2).times.empty());
  Depot<D> d(
      reaction(touch + "on = false") +
      "[[reactions]]\nname = \"later\"\nwhen = { time = 1.2 }\ndo = [{ reaction_on = \"r\" }]\n"
      "[[reactions]]\nname = \"off\"\nwhen = { time = 3.2 }\ndo = [{ reaction_off = \"r\" }]");
  d.visits(5);
  CHECK(d.times.size() == 2 + 2);  // the two switches, and the visits between them
  CHECK(d.run->rules.reports()[0].stopped_off == 3);
}

TEST_CASE_TEMPLATE("conditions: all, any and none of touches, tags, numbers and counts", T, Two,
                   Three) {
  constexpr int D = T::D;
  const std::string touch = "self = \"robot\"\nother = \"hazard\"\n";
  struct Row {
    const char* conditions;
    bool fires;
  };
  const Row rows[] = {
      {"all = [{ number = \"self.charge\", at_least = 3 }]", true},
      {"all = [{ number = \"self.charge\", at_least = 4 }]", false},
      {"all = [{ number = \"world.score\", is_value = 0 }, { count = \"parcel\", at_most = 1 }]",
       true},
      {"any = [{ count = \"parcel\", at_least = 2 }, { is = \"robot & !parcel\" }]", true},
      {"any = [{ count = \"parcel\", at_least = 2 }, { is = \"@robot\", side = \"other\" }]",
       false},
      {"none = [{ touches = \"hazard\" }]", false},  // it touches the gate itself
      {"none = [{ touches = \"parcel\" }]", true},
      {"all = [{ touches = \"@gate\" }]", true},
  };
  for (const Row& row : rows) {
    CAPTURE(row.conditions);
    Depot<D> d(reaction(touch + row.conditions));
    CHECK(d.visits(1).times.size() == (row.fires ? 1 : 0));
    CHECK(d.run->rules.reports()[0].stopped_guard == (row.fires ? 0 : 1));
  }
}

TEST_CASE_TEMPLATE(
    "effects on numbers: set, clamp, of each of a query, and damage that leaves one safe", T, Two,
    Three) {
  constexpr int D = T::D;
  Depot<D> d(reaction(
      "when = { every = 0.25 }\nmost = 4\ndo = [{ damage = \"@robot\", by = 1, safe = 0.4 }, "
      "{ add = \"each.health\", of = \"all parcel | robot\", by = 10 }, "
      "{ add = \"world.score\", by = 7 }, { clamp = \"world.score\", from = 0, to = 10 }, "
      "{ set = \"@robot.charge\", to = -2 }]"));
  d.go(2);
  CHECK(*d.run->world.number({d.id("robot")}, "health") == 5 - 2 + 40);
  CHECK(*d.run->world.number({d.id("parcel")}, "health") == 2 + 40);
  CHECK(d.number("score") == 10);
  CHECK(*d.run->world.number({d.id("robot")}, "charge") == -2);
}

TEST_CASE_TEMPLATE("effects on motion: launch, push, bounce, teleport, weigh, switches", T, Two,
                   Three) {
  constexpr int D = T::D;
  const auto after = [&](const std::string& effects, double seconds = 1) {
    Depot<D> d(reaction("when = \"start\"\ndo = [" + effects + "]"));
    d.go(seconds);
    return d;
  };
  CHECK(after("{ launch = \"@parcel\", velocity = <2 0> }")["parcel"].velocity[0] ==
        doctest::Approx(2).epsilon(1e-12));
  const double mass = after("{ stop = \"@gate\" }")["parcel"].mass;
  CHECK(after("{ push = \"@parcel\", impulse = <0 3> }")["parcel"].velocity[1] ==
        doctest::Approx(3 / mass).epsilon(1e-12));
  CHECK(after("{ teleport = \"@parcel\", to = <7 7> }")["parcel"].pose.position[0] == 7);
  CHECK(after("{ teleport = \"@parcel\", to = \"@robot\", spot = \"hatch\" }", 0.05)["parcel"]
            .pose.position[1] == doctest::Approx(1).epsilon(0.02));
  CHECK(after("{ weigh = \"all parcel\", scale = 0.5 }")["parcel"].gravity_scale == 0.5);
  CHECK(!after("{ switch_off = \"@gate\", collider = 0 }")["gate"].colliders[0].def.on);

  // Speed turns round where it touches, and only while it approaches.
  Depot<D> d(reaction(
      "self = \"robot\"\nother = \"hazard\"\nwhen = \"during\"\ndo = [{ bounce = \"self\" }]"));
  d.run->world.set_velocity(d.id("robot"), along_x<D>(6), Spin<D>(Spin<D>::Zero()));
  d.go(1);
  CHECK(d["robot"].velocity[0] == doctest::Approx(-6).epsilon(1e-9));
  CHECK(d.run->world.switch_motion(d.id("robot"), false));
  const Vec<D> at = d["robot"].pose.position;
  d.go(0.5);
  CHECK(d["robot"].pose.position == at);
  CHECK(d.run->world.switch_motion(d.id("robot"), true));
  d.go(0.5);
  CHECK(d["robot"].pose.position[0] == doctest::Approx(at[0] - 3).epsilon(1e-9));

  // Away from the other side, by speed, with a least.
  for (const auto& [speed, gained] : {std::pair(4.0, 8.0), std::pair(0.5, 3.0)}) {
    Depot<D> p(
        reaction("self = \"@parcel\"\nother = \"hazard\"\ndo = [{ push = \"self\", away = 2, "
                 "by_speed = true, "
                 "at_least = 3 }]"));
    p.run->world.place(p.id("robot"), {up<D>(20), {}});  // out of its way back
    p.run->world.place(p.id("parcel"), {along_x<D>(1.9), {}});
    p.run->world.set_velocity(p.id("parcel"), along_x<D>(speed), Spin<D>(Spin<D>::Zero()));
    p.go(1);
    CHECK(p["parcel"].velocity[0] == doctest::Approx(speed - gained / mass).epsilon(0.01));
  }
}

TEST_CASE_TEMPLATE(
    "effects that make things: at a place, at a spot with its frame, in a region by chance", T, Two,
    Three) {
  constexpr int D = T::D;
  Depot<D> d(reaction(
      "when = { every = 0.5 }\nmost = 3\ndo = [{ spawn = \"crate\", at = <-9 0>, velocity = <-1 0> "
      "}, "
      "{ spawn = \"crate\", from = \"@robot\", spot = \"hatch\", at = <0 2>, velocity = <0 5> }, "
      "{ spawn = \"crate\", within = \"corner\", seed = 3 }]"));
  d.go(0.1);
  REQUIRE(d.run->world.count() == 3 + 3);
  const std::vector<ObjectId> all = d.run->world.objects();
  const auto at = [&](std::size_t i) { return d.run->world.object(all[i]).pose.position; };
  CHECK(at(3)[0] < -9);
  CHECK(at(4)[1] > 3);
  for (int i = 0; i < D; ++i) CHECK((at(5)[i] >= 19.9 && at(5)[i] <= 21.1));
  CHECK(d.run->world.object(all[4]).kind == "crate");
  d.go(1.5);
  CHECK(d.run->world.count() == 3 + 9);
}

TEST_CASE_TEMPLATE("effects that join things: attach, stack at a spot, set down one by one", T, Two,
                   Three) {
  constexpr int D = T::D;
  Depot<D> d(
      "[[objects]]\nname = \"b\"\ntags = [\"parcel\"]\nbody = \"dynamic\"\nat = <9 9>\ncollider = "
      "{ BALL = { diameter "
      "= 1 } }\n" +
      reaction("when = { time = 0.1 }\ndo = [{ attach = \"all parcel\", to = \"@robot\", spot = "
               "\"hatch\", step = <0 "
               "1> }]") +
      "[[reactions]]\nname = \"one\"\nwhen = { time = 0.5 }\ndo = [{ drop_last = \"@robot\" }]\n"
      "[[reactions]]\nname = \"rest\"\nwhen = { time = 0.8 }\ndo = [{ drop_all = \"@robot\" }]");
  d.go(0.3);
  CHECK((d["parcel"].pose.position - up<D>(1)).norm() < 1e-12);
  CHECK((d["b"].pose.position - up<D>(2)).norm() < 1e-12);
  d.run->world.move_to(d.id("robot"), {along_x<D>(-2), {}});
  d.go(0.1);
  CHECK((d["b"].pose.position - up<D>(2) - along_x<D>(-2)).norm() < 1e-12);
  d.go(0.3);
  CHECK(!d["b"].parent);
  CHECK(d["parcel"].parent == d.id("robot"));
  d.go(0.3);
  CHECK(!d["parcel"].parent);
}

TEST_CASE_TEMPLATE("effect except: what is thrown does not meet its thrower until they are apart",
                   T, Two, Three) {
  constexpr int D = T::D;
  // The crate appears inside the robot, and would be pushed out of it.
  const auto thrown = [](const std::string& effects) {
    Depot<D> d(
        reaction("when = \"start\"\ndo = [{ teleport = \"@parcel\", to = <0.1 0> }, { launch = "
                 "\"@parcel\", velocity "
                 "= <0 2> }" +
                 effects + "]"));
    std::size_t touches = 0;
    for (int i = 0; i < 60; ++i) {
      d.go(1 / 60.0);
      for (const Event<D>& e : d.run->world.events())
        touches += e.phase == Phase::begin && e.channel == Channel::solid;
    }
    return std::pair(touches, d["parcel"].pose.position[0]);
  };
  CHECK(thrown("").first == 1);
  const auto [touches, x] =
      thrown(", { except = \"@parcel\", from = \"@robot\", until_apart = true }");
  CHECK(touches == 0);
  CHECK(x == 0.1);
  CHECK(thrown(", { except = \"@parcel\", from = \"@robot\", seconds = 0.1 }").first == 1);
}

TEST_CASE_TEMPLATE(
    "effects act on named objects and on all of a query, and on nobody they are counted", T, Two,
    Three) {
  constexpr int D = T::D;
  Depot<D> d(
      reaction(
          "when = { time = 0.2 }\ndo = [{ remove = \"all parcel\" }, { retag = \"@gate\", give = "
          "[\"parcel\"] }, { hide = \"all hazard & !parcel\" }]") +
      "[[reactions]]\nname = \"again\"\nwhen = { time = 0.5 }\ndo = [{ remove = \"@parcel\" }]");
  d.go(1);
  CHECK(!d.run->world.find("parcel"));
  CHECK(!d["gate"].active);  // when it was requested it was no parcel yet
  CHECK(d.run->rules.reports()[1].idle_effects == 1);
}

TEST_CASE_TEMPLATE(
    "running on from a snapshot of rules with visits, delays, stacks and inputs gives the same", T,
    Two, Three) {
  constexpr int D = T::D;
  const std::string rules =
      reaction(
          "self = \"robot\"\nother = \"hazard\"\nonce = \"per visit\"\ncooldown = 0.3\ndo = [{ "
          "damage = \"self\", by "
          "= 1, safe = 1 }, { add = \"world.score\", by = 1, after = 0.4 }, { cue = \"hit\" }]") +
      "[[reactions]]\nname = \"cued\"\nwhen = { cue = \"hit\" }\ndo = [{ attach = \"@parcel\", to "
      "= \"@robot\", spot = "
      "\"hatch\" }]\n[[reactions]]\nname = \"beat\"\nwhen = { every = 0.7, vary = 0.3 }\ndo = [{ "
      "spawn = \"crate\", "
      "within = \"corner\" }]";
  Depot<D> one(rules);
  Depot<D> two(rules);
  one.visits(2, 0.2);
  REQUIRE(two.run->world.load(one.run->world.save()));
  REQUIRE(two.run->rules.load(one.run->rules.save()));
  for (Depot<D>* d : {&one, &two}) d->visits(3, 0.2);
  CHECK(state_hash(one.run->world, one.run->rules) == state_hash(two.run->world, two.run->rules));
  CHECK(one.number("score") == two.number("score"));
}

TEST_CASE_TEMPLATE("idle reactions are matched by tags, once for each two sets of tags", T, Two,
                   Three) {
  constexpr int D = T::D;
  Run<D> run;
  for (const char* tag : {"a", "b", "never"}) run.world.tags().declare(tag).value();
  for (int i = 0; i < 1000; ++i)
    run.rules.add({.name = "idle" + std::to_string(i), .self = "never"}).value();
  run.rules.add({.name = "busy", .self = "a", .other = "b"}).value();
  run.world.add(thing<D>("x", BodyKind::fixed, kZero, {zone(cube<D>(1))}, {"a"})).value();
  run.world.add(thing<D>("y", BodyKind::kinematic, kZero, {solid(cube<D>(1))}, {"b"})).value();
  run.step();
  CHECK(run.rules.count("busy") == 1);
  CHECK(run.rules.count("idle7") == 0);
}

TEST_CASE_TEMPLATE("C++: starts, guards, limits and effects are made by functions and fields", T,
                   Two, Three) {
  constexpr int D = T::D;
  Run<D> run;
  World<D>& w = run.world;
  for (const char* tag : {"robot", "crate", "door"}) w.tags().declare(tag).value();
  w.set_number({}, "score", 0).value();
  ObjectDef<D> crate = thing<D>("", BodyKind::dynamic, kZero, {solid(ball<D>(1))}, {"crate"});
  crate.kind = "crate";
  w.declare_kind(crate).value();
  ObjectDef<D> robot =
      thing<D>("robot", BodyKind::kinematic, kZero, {solid(ball<D>(1))}, {"robot"});
  robot.spots = {{"fork", {up<D>(1), {}}}};
  const ObjectId r = w.add(robot).value();
  const ObjectId door =
      w.add(thing<D>("door", BodyKind::fixed, along_x<D>(9), {zone(cube<D>(1))}, {"door"})).value();
  Direction here = kZero;
  Direction up_there = kZero;
  here[0] = -20;
  up_there[1] = 30;
  Bounds<3> region{Vec<3>::Constant(-50), Vec<3>::Constant(-48)};
  using C = Condition;
  run.rules
      .add({.name = "begin",
            .when = OnStart{},
            .effects = {effects::spawn("crate", here),
                        effects::spawn_at("crate", Target::object("robot"), "fork"),
                        effects::spawn_in("crate", region, 2), effects::set("world.score", 4),
                        effects::clamp("world.score", 0, 3), effects::cue("go")}})
      .value();
  run.rules
      .add({.name = "cued",
            .when = OnCue{"go"},
            .all = {{.kind = C::Kind::count, .query = "crate", .least = 3}},
            .none = {{.kind = C::Kind::number, .number = "world.score", .most = 0}},
            .effects = {effects::launch(Target::all("crate"), up_there),
                        effects::weigh(Target::all("crate"), 0),
                        effects::switch_collider(Target::object("door"), 0, false),
                        effects::switch_reaction("pressed", true)}})
      .value();
  run.rules
      .add({.name = "pressed",
            .when = OnInput{"button"},
            .most = 1,
            .on = false,
            .effects = {effects::attach(Target::all("crate"), Target::object("robot"), "fork",
                                        up_there),
                        effects::push(Target::object("robot"), here),
                        effects::teleport(Target::object("door"), here),
                        effects::drop_all(Target::object("robot"), 0.5),
                        effects::finish("done", 1)}})
      .value();
  run.rules.add({.name = "count", .when = OnCount{"crate", 3}, .cooldown = 5}).value();
  run.rules.input("button");  // too early: it is off
  run.step();
  run.step();
  CHECK(w.count() == 5);
  CHECK(run.rules.count("count") == 1);
  CHECK(*w.number({}, "score") == 3);
  CHECK(!w.object(door).colliders[0].def.on);
  run.step();
  for (int i = 0; i < 2; ++i) {
    run.rules.input("button");
    run.step();
  }
  CHECK(run.rules.count("pressed") == 1);
  CHECK(w.children(r).size() == 3);
  CHECK(w.object(door).pose.position[0] == -20);
  CHECK(run.rules.reports()[2].idle_effects == 1);  // a kinematic robot cannot be pushed
  run.run_for(5);
  CHECK(w.children(r).empty());
  CHECK(run.rules.outcome() == "done");
}
