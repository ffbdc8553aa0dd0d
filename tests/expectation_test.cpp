// Expectations are judged on the trace, met or missed, with what happened instead.
#include <colvik/insight.hpp>

#include <sstream>

#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// A robot passes three parcels, 0.5 s apart, of which the last is out of reach.
template <int D>
struct Round {
  Run<D> run;
  Round() {
    prepare(run);
    run.run_for(5);
  }
  static void prepare(Run<D>& run) {
    World<D>& w = run.world;
    for (const char* tag : {"robot", "parcel", "fragile"}) w.tags().declare(tag).value();
    w.set_number({}, "parcels", 0).value();
    ObjectDef<D> robot =
        thing<D>("robot", BodyKind::kinematic, kZero, {solid(ball<D>(1))}, {"robot"});
    robot.velocity = along_x<D>(4);
    robot.numbers = {{"charge", 1.5}};
    w.add(robot).value();
    for (int i = 1; i <= 3; ++i) {
      ColliderDef<D> c = zone(ball<D>(0.5));
      if (i == 2) c.meets = "fragile";
      w.add(thing<D>("parcel" + std::to_string(i), BodyKind::fixed,
                     along_x<D>(2.0 * i) + up<D>(i == 3 ? 1.25 : 0), {c}, {"parcel"}))
          .value();
    }
    run.rules
        .add({.name = "collect",
              .self = "robot",
              .other = "parcel",
              .effects = {effects::add("world.parcels", 1), effects::remove(Side::other)}})
        .value();
    run.rules
        .add({.name = "unused",
              .self = "robot",
              .other = "@parcel1",
              .when = OnTouch{Phase::begin, Channel::solid}})
        .value();
    run.rules
        .add({.name = "done",
              .when = OnNumber{"world.parcels", 1},
              .effects = {effects::finish("won", 1.5)}})
        .value();
  }
  static std::unique_ptr<Run<D>> ready() {
    auto run = std::make_unique<Run<D>>();
    prepare(*run);
    return run;
  }
  ExpectationResult judge(const Expectation<D>& e) const { return colvik::judge(e, run.trace); }
};

}  // namespace

TEST_CASE_TEMPLATE("reactions and contacts are counted, between times, for whom", T, Two, Three) {
  using E = Expectation<T::D>;
  const Round<T::D> r;
  const std::tuple<bool, E, const char*> rows[] = {
      {true, {.what = ExpectReaction{"collect"}}, "reaction collect at least once"},
      {true,
       {.what = ExpectReaction{"collect", "robot", "@parcel1"}, .times = 1, .from = 0.2, .to = 0.4},
       "reaction collect of robot with @parcel1 exactly once between 0.2 and 0.4 s"},
      {false, {.what = ExpectReaction{"collect"}, .times = 2}, "exactly twice"},
      {true, {.what = ExpectReaction{"collect"}, .at_least = 1, .at_most = 3}, "1 to 3 times"},
      {true, {.what = ExpectReaction{"collect"}, .at_most = 3}, "at most 3 times"},
      {false, {.what = ExpectReaction{"collect"}, .from = 1}, "from 1 s on"},
      {true, {.what = ExpectReaction{"collect", "any", "fragile"}, .never = true}, "never"},
      {false, {.what = ExpectReaction{"collect"}, .never = true}, "never"},
      {true,
       {.what = ExpectContact{"parcel", "robot"}, .times = 1},
       "contact of parcel and robot exactly once"},
      {true, {.what = ExpectContact{"robot", "parcel", Channel::zone}, .times = 1}, "zone contact"},
      {true,
       {.what = ExpectContact{"robot", "parcel", Channel::solid}, .never = true},
       "solid contact"},
  };
  for (const auto& [met, e, text] : rows) {
    const std::string about = text;
    CAPTURE(about);
    const ExpectationResult result = r.judge(e);
    CHECK(result.met == met);
    CHECK_MESSAGE(result.expected.find(text) != std::string::npos, result.expected);
  }
  CHECK(r.judge({.what = ExpectReaction{"collect"}, .never = true}).happened ==
        "it happened once: at 0.317 s (robot, parcel1)");
  CHECK(r.judge({.what = ExpectReaction{"collect"}, .from = 1}).happened ==
        "it happened once: at 0.317 s (robot, parcel1), outside these times");
  CHECK(r.judge({.what = ExpectReaction{"collect", "any", "@parcel3"}}).happened ==
        "it never happened for these; for others it happened once: at 0.317 s (robot, parcel1)");
}

TEST_CASE_TEMPLATE("numbers, outcome and objects are judged at the end", T, Two, Three) {
  constexpr int D = T::D;
  using E = Expectation<D>;
  const Round<D> r;
  const Bounds<D> near{Vec<D>::Constant(-10), Vec<D>::Constant(10)};
  const Bounds<D> far{Vec<D>::Constant(20), Vec<D>::Constant(30)};
  const std::tuple<bool, E, const char*> rows[] = {
      {true, {.what = ExpectNumber{"world.parcels", 1}}, "it is 1"},
      {false, {.what = ExpectNumber{"world.parcels", 2}}, "it is 1"},
      {true, {.what = ExpectNumber{"@robot.charge", {}, 1.5, 2}}, "it is 1.5"},
      {false, {.what = ExpectNumber{"@robot.charge", {}, {}, 1}}, "it is 1.5"},
      {true, {.what = ExpectOutcome{"won"}}, "it is won"},
      {false, {.what = ExpectOutcome{"lost"}}, "it is won"},
      {true, {.what = ExpectObject<D>{"parcel1", false}}, "it was removed at 0.317 s"},
      {false, {.what = ExpectObject<D>{"parcel1", true}}, "it was removed"},
      {true, {.what = ExpectObject<D>{"parcel2", true, near, "near"}}, "it is at 4.000, 0.000"},
      {false, {.what = ExpectObject<D>{"parcel2", {}, far, "far"}}, "it is at"},
  };
  for (const auto& [met, e, happened] : rows) {
    const ExpectationResult result = r.judge(e);
    CAPTURE(result.expected);
    CHECK(result.met == met);
    CHECK_MESSAGE(result.happened.starts_with(happened), result.happened);
  }
}

TEST_CASE_TEMPLATE("order, once for each other, counts, histories and times are judged", T, Two,
                   Three) {
  using E = Expectation<T::D>;
  Round<T::D> r;
  const auto reaction = [](const char* name, auto&& more) {
    ExpectReaction e{name};
    more(e);
    return E{.what = e};
  };
  const auto object = [](bool always, std::optional<double> at, double reach) {
    ExpectObject<T::D> e;
    e.object = "robot";
    e.always = always;
    e.at = at;
    e.region = "lane";
    e.inside = Bounds<T::D>{Vec<T::D>::Constant(-1), Vec<T::D>::Constant(reach)};
    return E{.what = e};
  };
  const std::tuple<bool, E, const char*> rows[] = {
      {true, reaction("collect", [](auto& e) { e.once_per_other = true; }), "once for each other"},
      {true, reaction("collect", [](auto& e) { e.before = "done"; }), "before done"},
      {false, reaction("done", [](auto& e) { e.before = "collect"; }), "before collect"},
      {false, reaction("collect", [](auto& e) { e.before = "unused"; }), "before unused"},
      {true,
       reaction("done",
                [](auto& e) {
                  e.after = "collect";
                  e.within = 0.1;
                }),
       "after each collect within 0.1 s"},
      {false,
       reaction("collect",
                [](auto& e) {
                  e.after = "done";
                  e.within = 1;
                }),
       "after each done"},
      {true, {.what = ExpectCount{"parcel", 2, {}, {}, {}}}, "count of parcel at the end is 2"},
      {true, {.what = ExpectCount{"parcel", 3, {}, {}, 0.2}}, "count of parcel at 0.2 s is 3"},
      {false, {.what = ExpectCount{"parcel", {}, {}, 1, {}}}, "is at most 1"},
      {true,
       {.what = ExpectNumber{"world.parcels", {}, 0, 1, true, {}}},
       "always is at least 0 and at most 1"},
      {false, {.what = ExpectNumber{"world.parcels", 1, {}, {}, true, {}}}, "always is 1"},
      {true, {.what = ExpectNumber{"world.parcels", 0, {}, {}, false, 0.1}}, "at 0.1 s is 0"},
      {true, object(true, {}, 9), "@robot always is inside lane"},
      {false, object(true, {}, 2), "@robot always is inside lane"},
      {true, object(false, 0.3, 2), "@robot at 0.3 s is inside lane"},
  };
  for (const auto& [met, e, named] : rows) {
    const auto& part = named;  // a lambda captures no structured binding
    CAPTURE(part);
    const ExpectationResult result = r.judge(e);
    CHECK(result.met == met);
    CHECK_MESSAGE(result.expected.find(part) != std::string::npos, result.expected);
  }
}

TEST_CASE_TEMPLATE("an expectation of what does not exist is missed and says so", T, Two, Three) {
  using E = Expectation<T::D>;
  const Round<T::D> r;
  const std::pair<const char*, E> rows[] = {
      {"no reaction is named 'colect'; did you mean 'collect'?",
       {.what = ExpectReaction{"colect"}, .never = true}},
      {"'Robot' is not a declared tag; did you mean 'robot'?",
       {.what = ExpectContact{"Robot", "parcel"}, .never = true}},
      {"no object is named 'parcel4'; did you mean '@parcel1'?",
       {.what = ExpectContact{"robot", "@parcel4"}, .never = true}},
      {"world has no number 'parcel'; did you mean 'world.parcels'?",
       {.what = ExpectNumber{"world.parcel", 0}}},
      {"number 'parcels' does not say whose it is", {.what = ExpectNumber{"parcels", 0}}},
      {"says nothing about the number", {.what = ExpectNumber{"world.parcels"}}},
      {"the time from 3 to 1 s is empty",
       {.what = ExpectReaction{"collect"}, .never = true, .from = 3, .to = 1}},
  };
  for (const auto& [wanted, e] : rows) {
    const ExpectationResult result = r.judge(e);
    CHECK_FALSE(result.met);
    CHECK_MESSAGE(result.happened.starts_with(wanted), result.happened);
  }
}

TEST_CASE_TEMPLATE("a miss says which rule kept them apart or how near they came", T, Two, Three) {
  using E = Expectation<T::D>;
  const Round<T::D> r;
  const auto why = [&](const E& e) {
    return why_missed<T::D>(std::span(&e, 1), r.run.trace, 5, Round<T::D>::ready)[0];
  };
  CHECK(why({.what = ExpectReaction{"collect", "any", "@parcel2"}}) ==
        "parcel2 meets only 'fragile', and robot has the tags robot");
  CHECK(why({.what = ExpectReaction{"collect", "any", "@parcel3"}}) ==
        "robot and parcel3 came no nearer than 0.5 to each other (at 1.500 s)");
  CHECK(why({.what = ExpectReaction{"unused"}}) ==
        "robot and parcel1 touched at 0.312 s, but it requires a solid touch, and this was a zone "
        "touch");
  CHECK(why({.what = ExpectContact{"fragile", "robot"}}) == "no two objects that were there fit");
  CHECK(why({.what = ExpectOutcome{"lost"}}).empty());
}

TEST_CASE_TEMPLATE("the trace knows where everything was and what came and went", T, Two, Three) {
  constexpr int D = T::D;
  const Round<D> r;
  const Trace<D>& t = r.run.trace;
  const std::uint32_t robot = t.find("robot");
  const std::uint32_t parcel = t.find("parcel1");
  CHECK((t.pose_at(robot, 30)->position - along_x<D>(2)).norm() <= 1e-9);
  CHECK(t.pose_at(parcel, 18));
  CHECK_FALSE(t.pose_at(parcel, 19));
  CHECK(t.objects()[parcel].gone == 19);
  CHECK(t.peak() == 4);
  CHECK(t.live() == 3);
  std::ostringstream log;
  write_events(log, t);
  INFO(log.str());
  CHECK(log.str().starts_with(
      R"({"step":19,"time":0.31249999687499996,"phase":"begin","channel":"zone","self":"robot","other":"parcel1","approach_speed":4.0})"));
  CHECK(
      log.str().find(
          R"({"step":19,"time":0.31666666666666665,"reaction":"collect","self":"robot","other":"parcel1"})") !=
      std::string::npos);
}
