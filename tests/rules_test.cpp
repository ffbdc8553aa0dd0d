// Reactions: what starts them, how often, and what they do.
#include <cmath>

#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// A robot that meets a parcel at the origin in the first step.
template <int D>
struct Encounter {
  Run<D> run;
  ObjectId robot;
  ObjectId parcel;
  Encounter() {
    World<D>& w = run.world;
    for (const char* tag : {"robot", "parcel", "sorted"}) w.tags().declare(tag).value();
    w.set_number({}, "score", 0).value();
    ObjectDef<D> r = thing<D>("robot", BodyKind::kinematic, kZero, {solid(ball<D>(1))}, {"robot"});
    r.numbers = {{"charge", 3}, {"health", 2}};
    robot = w.add(r).value();
    parcel = add_parcel("parcel");
  }
  ObjectId add_parcel(const char* name) {
    return run.world.add(thing<D>(name, BodyKind::kinematic, kZero, {zone(cube<D>(1))}, {"parcel"}))
        .value();
  }
  void react(Reaction<D> r) {
    if (r.self == "any") r.self = "robot";
    if (r.other == "any" && std::holds_alternative<OnTouch>(r.when)) r.other = "parcel";
    run.rules.add(std::move(r)).value();
  }
  void steps(int n) {
    for (int i = 0; i < n; ++i) run.step();
  }
  [[nodiscard]] double score() { return *run.world.number({}, "score"); }
};

}  // namespace

TEST_CASE_TEMPLATE("effect add: the number's owner is always said", T, Two, Three) {
  Encounter<T::D> m;
  m.react({.name = "collect",
           .effects = {effects::add("world.score", 2), effects::add("self.charge", -1),
                       effects::add("other.charge", 1)}});
  m.steps(3);
  CHECK(m.score() == 2);
  CHECK(*m.run.world.number({m.robot}, "charge") == 2);
  CHECK(m.run.rules.reports()[0].idle_effects == 1);  // the parcel has no charge
}

TEST_CASE_TEMPLATE("effect remove: going at once, gone after the delay, never taken twice", T, Two,
                   Three) {
  Encounter<T::D> m;
  m.react({.name = "collect",
           .effects = {effects::add("world.score", 1), effects::remove(Side::other, 0.1)}});
  const ObjectId second =
      m.run.world
          .add(thing<T::D>("robot2", BodyKind::kinematic, kZero, {solid(ball<T::D>(1))}, {"robot"}))
          .value();
  m.steps(1);
  CHECK(m.score() == 1);
  CHECK(m.run.world.object(m.parcel).going);
  m.run.world.place(second, {along_x<T::D>(9), {}});
  m.steps(2);
  m.run.world.place(second, {});  // touches again: what is going starts nothing
  m.steps(3);
  CHECK(m.run.world.alive(m.parcel));
  m.steps(1);
  CHECK_FALSE(m.run.world.alive(m.parcel));
  CHECK(m.score() == 1);
  CHECK(m.run.rules.count("collect") == 1);
}

TEST_CASE_TEMPLATE("both sides see the hit and the first in file order has the first claim", T, Two,
                   Three) {
  Encounter<T::D> m;
  m.run.world.tags().declare("shredder").value();
  // The shredder was created last, so that its touch comes after the robot's; its reaction is
  // first.
  m.run.world
      .add(thing<T::D>("shredder", BodyKind::kinematic, kZero, {zone(cube<T::D>(1))}, {"shredder"}))
      .value();
  m.react({.name = "shred",
           .self = "shredder",
           .other = "parcel",
           .effects = {effects::remove(Side::other)}});
  m.react({.name = "shredded",
           .self = "parcel",
           .other = "shredder",
           .effects = {effects::add("world.score", 10)}});
  m.react({.name = "collect",
           .self = "robot",
           .other = "parcel",
           .effects = {effects::add("world.score", 1), effects::remove(Side::other)}});
  m.steps(3);
  CHECK(m.run.rules.count("shred") == 1);
  CHECK(m.run.rules.count("shredded") == 1);  // the same touch, from the parcel's side
  CHECK(m.run.rules.count("collect") == 0);   // the parcel was going
  CHECK(m.score() == 10);
}

TEST_CASE_TEMPLATE("effects hide and show: nothing is touched in between", T, Two, Three) {
  Encounter<T::D> m;
  m.react({.name = "blink",
           .effects = {effects::hide(Side::other), effects::show(Side::other, 0.1),
                       effects::add("world.score", 1)}});
  m.steps(1);
  CHECK_FALSE(m.run.world.object(m.parcel).active);
  m.steps(1);
  CHECK(logged(m.run.world) == Lines{"end zone robot parcel (hidden)"});
  m.steps(6);
  CHECK(m.score() == 2);  // it was shown again, and touched again
}

TEST_CASE_TEMPLATE("effect retag: later touches see the new tags", T, Two, Three) {
  Encounter<T::D> m;
  m.react({.name = "sort",
           .other = "parcel & !sorted",
           .effects = {effects::retag(Side::other, {"sorted"}, {"parcel"})}});
  m.steps(2);
  const Tags& tags = m.run.world.tags();
  CHECK(tags.list(m.run.world.object(m.parcel).tags) == "sorted");
  m.run.world.place(m.robot, {along_x<T::D>(5), {}});
  m.steps(2);
  m.run.world.place(m.robot, {});
  m.steps(2);
  CHECK(m.run.rules.count("sort") == 1);
}

TEST_CASE_TEMPLATE("effect damage: lowers health to zero and that starts another", T, Two, Three) {
  Encounter<T::D> m;
  m.react({.name = "hurt", .effects = {effects::damage(Side::self, 5)}});
  m.react({.name = "out-of-order",
           .when = OnNumber{"self.health", 0},
           .effects = {effects::finish("broken")}});
  m.steps(1);
  CHECK(*m.run.world.number({m.robot}, "health") == 0);
  CHECK(m.run.rules.count("out-of-order") == 0);
  m.steps(5);
  CHECK(m.run.rules.count("out-of-order") == 1);
  CHECK(m.run.rules.outcome() == "broken");
}

TEST_CASE_TEMPLATE("effect stop: no velocity, spin or motion", T, Two, Three) {
  constexpr int D = T::D;
  Encounter<D> m;
  m.run.world.set_velocity(m.robot, along_x<D>(0.6), Spin<D>(Spin<D>::Constant(1)));
  m.react({.name = "halt", .effects = {effects::stop(Side::self)}});
  m.steps(10);
  CHECK((m.run.world.object(m.robot).pose.position - along_x<D>(0.01)).norm() <= 1e-12);
  CHECK(m.run.world.object(m.robot).spin.norm() == 0);
}

TEST_CASE_TEMPLATE("effect finish: the first outcome counts and the run ends with the step", T, Two,
                   Three) {
  Encounter<T::D> m;
  m.react({.name = "win", .effects = {effects::finish("won", 0.05)}});
  m.react({.name = "lose", .effects = {effects::finish("lost", 0.05)}});
  m.run.run_for(10);
  CHECK(m.run.trace.outcome() == "won");
  CHECK(m.run.world.steps() == 4);
  CHECK(m.run.trace.touches().back().why == EndCause::run_over);
}

TEST_CASE_TEMPLATE("starts: phase, channel, number of the world and of an object", T, Two, Three) {
  Encounter<T::D> m;
  m.react({.name = "began", .effects = {effects::add("world.score", 1)}});
  m.react({.name = "goes-on", .when = OnTouch{Phase::during, {}}});
  m.react({.name = "ended", .when = OnTouch{Phase::end, {}}});
  m.react({.name = "bumped", .when = OnTouch{Phase::begin, Channel::solid}});
  m.react({.name = "noticed", .when = OnTouch{Phase::begin, Channel::zone}});
  m.react({.name = "score-1", .when = OnNumber{"world.score", 1}});
  m.react({.name = "charge-1", .when = OnNumber{"self.charge", 1}});
  m.steps(4);
  m.run.world.add_to_number({m.robot}, "charge", -2.5);  // from above, past the value
  m.run.world.place(m.robot, {along_x<T::D>(5), {}});
  m.steps(2);
  const auto count = [&](const char* name) { return m.run.rules.count(name); };
  CHECK(count("began") == 1);
  CHECK(count("goes-on") == 3);
  CHECK(count("ended") == 1);
  CHECK(count("bumped") == 0);
  CHECK(count("noticed") == 1);
  CHECK(count("score-1") == 1);
  CHECK(count("charge-1") == 1);
}

TEST_CASE_TEMPLATE("an end by removal or hiding is no parting", T, Two, Three) {
  Encounter<T::D> m;
  m.add_parcel("other-parcel");
  m.react({.name = "ended", .when = OnTouch{Phase::end, {}}});
  m.steps(1);
  m.run.world.remove(m.parcel);
  m.run.world.set_shown(*m.run.world.find("other-parcel"), false);
  m.steps(2);
  CHECK(m.run.rules.count("ended") == 0);
}

TEST_CASE_TEMPLATE("once per other and once ever", T, Two, Three) {
  Encounter<T::D> m;
  m.add_parcel("second");
  m.react({.name = "each", .once = Once::per_other});
  m.react({.name = "first", .once = Once::ever});
  m.react({.name = "all"});
  for (int visit = 0; visit < 3; ++visit) {
    m.run.world.place(m.robot, {});
    m.steps(2);
    m.run.world.place(m.robot, {along_x<T::D>(5), {}});
    m.steps(2);
  }
  CHECK(m.run.rules.count("each") == 2);
  CHECK(m.run.rules.count("first") == 1);
  CHECK(m.run.rules.count("all") == 6);
}

TEST_CASE_TEMPLATE("a named callback is a reaction like any other", T, Two, Three) {
  constexpr int D = T::D;
  Encounter<D> m;
  std::vector<std::string> seen;
  m.react({.name = "tell",
           .other = "@parcel",
           .once = Once::ever,
           .call = [&](World<D>& w, const Firing<D>& f) {
             seen.push_back(w.object(*f.self).name + "+" + w.object(*f.other).name);
             CHECK(f.touch->self == *f.self);
             w.remove(*f.self);
             CHECK(w.alive(*f.self));
           }});
  m.steps(2);
  CHECK(seen == Lines{"robot+parcel"});
  CHECK_FALSE(m.run.world.alive(m.robot));
  CHECK(m.run.trace.firings().size() == 1);
}

TEST_CASE_TEMPLATE("a touch of two alike is seen from both sides", T, Two, Three) {
  Encounter<T::D> m;
  m.run.world.place(m.robot, {along_x<T::D>(50), {}});
  m.add_parcel("second");
  m.react({.name = "stacked", .self = "parcel", .other = "parcel"});
  m.steps(2);
  REQUIRE(m.run.trace.firings().size() == 2);
  CHECK(m.run.trace.firings()[0].self == m.run.trace.firings()[1].other);
}

TEST_CASE_TEMPLATE("reactions that cannot work are refused", T, Two, Three) {
  using R = Reaction<T::D>;
  Encounter<T::D> m;
  m.react({.name = "taken"});
  const std::pair<const char*, R> rows[] = {
      {"reaction 'taken': is there twice", {.name = "taken"}},
      {"reaction '': lacks a usable name", {.name = ""}},
      {"reaction 'x' self: 'robt' is not a declared tag; did you mean 'robot'?",
       {.name = "x", .self = "robt"}},
      {"reaction 'x' other: tag query 'parcel &' lacks a tag", {.name = "x", .other = "parcel &"}},
      {"reaction 'x': 'world.scor' is not a number of the world; did you mean 'world.score'?",
       {.name = "x", .effects = {effects::add("world.scor", 1)}}},
      {"reaction 'x': number 'score' does not say whose it is; world.NAME, self.NAME, other.NAME "
       "or @OBJECT.NAME",
       {.name = "x", .effects = {effects::add("score", 1)}}},
      {"reaction 'x': delay -1 is not usable",
       {.name = "x", .effects = {effects::remove(Side::other, -1)}}},
      {"reaction 'x': damage of 0 is not usable",
       {.name = "x", .effects = {effects::damage(Side::self, 0)}}},
      {"reaction 'x': retag changes nothing",
       {.name = "x", .effects = {effects::retag(Side::self, {}, {})}}},
      {"reaction 'x': finish lacks an outcome", {.name = "x", .effects = {effects::finish("")}}},
      {"reaction 'x': 'remove' has nobody to act on",
       {.name = "x", .when = OnNumber{"world.score", 1}, .effects = {effects::remove(Side::self)}}},
      {"reaction 'x': number 'other.charge': only a touch has an other",
       {.name = "x", .when = OnNumber{"other.charge", 1}}},
      {"reaction 'x': the value to reach is not finite",
       {.name = "x", .when = OnNumber{"world.score", std::nan("")}}},
  };
  for (const auto& [wanted, reaction] : rows) {
    const Result<void> added = m.run.rules.add(reaction);
    REQUIRE_FALSE(added);
    CHECK_MESSAGE(added.error().message().starts_with(wanted), added.error().message());
  }
  CHECK(m.run.rules.reports().size() == 1);
}
