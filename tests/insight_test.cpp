// Coverage, who meets whom, comparing, results for build servers, and logs of other engines.
#include <colvik/insight.hpp>
#include <colvik/scene.hpp>

#include <pugixml.hpp>

#include <sstream>

#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// A robot passes a parcel and a guest stands by; a second zone is never entered.
template <int D>
struct SmallDepot {
  Run<D> run;
  explicit SmallDepot(double speed = 2, bool simulate = true) {
    World<D>& w = run.world;
    for (const char* tag : {"robot", "guest", "parcel", "wall"}) w.tags().declare(tag).value();
    w.set_number({}, "parcels", 0).value();
    ObjectDef<D> robot =
        thing<D>("robot", BodyKind::kinematic, kZero, {solid(ball<D>(1))}, {"robot"});
    robot.velocity = along_x<D>(speed);
    w.add(robot).value();
    ObjectDef<D> guest =
        thing<D>("guest", BodyKind::kinematic, along_x<D>(-5), {solid(ball<D>(1))}, {"guest"});
    guest.velocity = along_x<D>(4);
    w.add(guest).value();
    ColliderDef<D> label = zone(ball<D>(1));
    label.meets = "robot | guest";
    w.add(thing<D>("parcel", BodyKind::fixed, along_x<D>(3), {label}, {"parcel"})).value();
    w.add(thing<D>("far", BodyKind::fixed, along_x<D>(30), {label}, {"parcel"})).value();
    w.add(thing<D>("wall", BodyKind::fixed, along_x<D>(-30), {solid(cube<D>(1))}, {"wall"}))
        .value();
    run.rules
        .add({.name = "collect",
              .self = "robot",
              .other = "parcel",
              .effects = {effects::add("world.parcels", 1)}})
        .value();
    run.rules.add({.name = "unused", .self = "@wall", .other = "parcel"}).value();
    if (simulate) run.run_for(3);
  }
};

template <int D>
bool tried(const Coverage& c, Tried::What what, const std::string& name) {
  for (const Tried& t : c.all)
    if (t.what == what && t.name == name) return t.tried;
  FAIL("nothing is named " << name);
  return false;
}

}  // namespace

TEST_CASE_TEMPLATE(
    "log: two reactions want the same parcel; the first in file order has it, and the log names "
    "it",
    T, Two, Three) {
  constexpr int D = T::D;
  Run<D> run;
  for (const char* tag : {"parcel", "hand"}) run.world.tags().declare(tag).value();
  run.world.add(thing<D>("parcel", BodyKind::fixed, kZero, {zone(cube<D>(1))}, {"parcel"})).value();
  for (const char* name : {"left", "right"})
    run.world.add(thing<D>(name, BodyKind::kinematic, kZero, {solid(cube<D>(1))}, {"hand"}))
        .value();
  run.rules
      .add({.name = "take",
            .self = "@right",
            .other = "parcel",
            .effects = {effects::remove(Side::other)}})
      .value();
  run.rules
      .add({.name = "grab",
            .self = "@left",
            .other = "parcel",
            .effects = {effects::remove(Side::other)}})
      .value();
  run.run_for(0.1);
  CHECK(run.rules.count("take") == 1);
  CHECK(run.rules.count("grab") == 0);
  std::ostringstream log;
  write_events(log, run.trace);
  CHECK(
      log.str().find(
          "\"withheld\":\"grab\",\"claimed_by\":\"take\",\"self\":\"left\",\"other\":\"parcel\"") !=
      std::string::npos);
  std::istringstream again(log.str());
  CHECK(read_happenings(again, "log").value().size() == happenings(run.trace).size());
}

TEST_CASE_TEMPLATE("log: a begin of the same visit says so", T, Two, Three) {
  constexpr int D = T::D;
  Run<D> run;
  run.world.add(thing<D>("gate", BodyKind::fixed, kZero, {zone(cube<D>(1))})).value();
  ObjectDef<D> cart = thing<D>("cart", BodyKind::kinematic, along_x<D>(2), {solid(ball<D>(0.2))});
  cart.motion = Path<D>{{{0, along_x<D>(2), {}},
                         {1, along_x<D>(0.55), {}},
                         {1.1, along_x<D>(0.7), {}},
                         {1.2, kZero, {}}},
                        false};
  run.world.add(cart).value();
  run.run_for(2);
  std::ostringstream log;
  write_events(log, run.trace);
  std::size_t begins = 0;
  for (std::size_t at = 0; (at = log.str().find("\"begin\"", at)) != std::string::npos; ++at)
    ++begins;
  CHECK(begins == 2);
  CHECK(log.str().find("\"again\":true") > log.str().find("\"end\""));
  CHECK(log.str().find("\"again\":true") != std::string::npos);
}

TEST_CASE_TEMPLATE(
    "coverage: what fired, what was entered, who met, and what was tried in the negative", T, Two,
    Three) {
  const SmallDepot<T::D> d;
  const Coverage c = coverage(d.run.trace);
  const auto is = [&](Tried::What what, const char* name) { return tried<T::D>(c, what, name); };
  CHECK(is(Tried::What::reaction, "collect"));
  CHECK(!is(Tried::What::reaction, "unused"));
  CHECK(is(Tried::What::negative, "collect"));  // the guest touched the parcel
  CHECK(is(Tried::What::zone, "parcel"));
  CHECK(!is(Tried::What::zone, "far"));
  CHECK(is(Tried::What::tags, "robot and parcel"));
  CHECK(!is(Tried::What::tags, "robot and wall"));
  const std::string text = coverage_report(c, true);
  CHECK(text.find("never  far") != std::string::npos);
  CHECK(c.percent() > 0);
  CHECK(c.percent() < 100);
  CHECK(Coverage{}.percent() == 100);
}

TEST_CASE_TEMPLATE("who meets whom: tags and objects, and which rule decides", T, Two, Three) {
  const SmallDepot<T::D> d;
  const auto cell = [](const std::vector<Meeting>& all, const std::string& a,
                       const std::string& b) {
    for (const Meeting& m : all)
      if (m.first == a && m.second == b) return m;
    return Meeting{};
  };
  const std::vector<Meeting> tags = who_meets(d.run.trace);
  const std::vector<Meeting> objects = who_meets(d.run.trace, true);
  CHECK(tags.size() == 10);
  CHECK(cell(tags, "robot", "parcel").zone);
  CHECK(!cell(tags, "robot", "parcel").solid);
  CHECK(cell(tags, "robot", "wall").solid);
  CHECK(cell(tags, "robot", "robot").why == "only one object has them");
  CHECK(cell(tags, "parcel", "wall").why == "parcel and wall are both static");
  CHECK(objects.size() == 10);
  CHECK(cell(objects, "robot", "guest").solid);
  CHECK(cell(objects, "parcel", "far").why == "parcel and far are both static");
  const std::string report = who_report(tags);
  CHECK(report.find("parcel  zone   zone   -") != std::string::npos);
}

TEST_CASE_TEMPLATE(
    "two runs are compared: what no longer happens, what happens now, what at another time", T, Two,
    Three) {
  const SmallDepot<T::D> one;
  const SmallDepot<T::D> same;
  const SmallDepot<T::D> slow(1.9);
  const SmallDepot<T::D> away(-2);
  const auto all = [](const SmallDepot<T::D>& d) { return happenings(d.run.trace); };
  CHECK(compare(all(one), all(same)).empty());
  const auto later = compare(all(one), all(slow));
  REQUIRE(!later.empty());
  for (const Difference& d : later) CHECK(d.how == Difference::How::other_time);
  const auto gone = compare(all(one), all(away));
  CHECK(std::any_of(gone.begin(), gone.end(), [](const Difference& d) {
    return d.how == Difference::How::only_first && d.first.what == "collect";
  }));
  CHECK(compare_report(gone).find("No longer happens\n") == 0);
  // The same from their logs.
  std::stringstream log;
  write_events(log, one.run.trace);
  const auto read = read_happenings(log, "log");
  REQUIRE(read);
  CHECK(compare(all(one), read.value(), 1e-5).empty());
  std::istringstream wrong("{\"time\": 1}\n{\"reaction\": 7}");
  CHECK(read_happenings(wrong, "x.jsonl").error().message() ==
        "x.jsonl:2:1: lacks 'reaction'; \"reaction\": text");
}

TEST_CASE_TEMPLATE("results as JUnit XML: an expectation is a test case with its place", T, Two,
                   Three) {
  const SmallDepot<T::D> d;
  const std::vector<Expectation<T::D>> expectations{
      {.what = ExpectReaction{"collect"}, .place = {"s.toml", 7, 1}},
      {.what = ExpectReaction{"unused"}, .place = {"s.toml", 9, 1}}};
  std::stringstream out;
  write_junit<T::D>(out, "suite <1>", d.run.trace, expectations);
  pugi::xml_document document;
  REQUIRE(document.load(out));
  const pugi::xml_node suite = document.child("testsuite");
  CHECK(std::string(suite.attribute("name").value()) == "suite <1>");
  CHECK(suite.attribute("tests").as_int() == 2);
  CHECK(suite.attribute("failures").as_int() == 1);
  const pugi::xml_node failed = suite.find_child_by_attribute("testcase", "line", "9");
  CHECK(std::string(failed.child("failure").attribute("message").value()).find("never happened") !=
        std::string::npos);
  CHECK(!suite.find_child_by_attribute("testcase", "line", "7").child("failure"));
}

TEST_CASE_TEMPLATE("a contact log of another engine goes through the same reactions", T, Two,
                   Three) {
  SmallDepot<T::D> d(2, false);
  std::istringstream log(
      R"({"time":0.5,"phase":"begin","channel":"zone","self":"robot","other":"parcel"}

{"time":0.9,"phase":"end","why":"left","self":"robot","other":"parcel"}
{"time":1.5,"phase":"begin","self":"newcomer","self_tags":["robot"],"other":"far"}
{"time":1.6,"phase":"begin","self":"guest","other":"far"})");
  REQUIRE(audit(d.run, log, "log"));
  CHECK(d.run.rules.count("collect") == 2);
  CHECK(*d.run.world.number({}, "parcels") == 2);
  CHECK(d.run.trace.find("newcomer") != kNobody);
  CHECK(tried<T::D>(coverage(d.run.trace), Tried::What::negative, "collect"));
  struct Row {
    const char* text;
    const char* wanted;
  };
  const Row rows[] = {
      {"nonsense", "l:1:1: is not JSON; one JSON object a line"},
      {"[]", "l:1:1: is not an object; { \"time\": ..., \"phase\": ... }"},
      {R"({"time":2,"self":"robot","other":"far"}
{"time":1,"self":"robot","other":"far"})",
       "l:2:1: time 1 comes before 2; \"time\": seconds that do not go back, up to 1e6"},
      {R"({"time":1,"phase":"began","self":"robot","other":"far"})",
       "l:1:1: 'phase' is 'began'; begin, during, end"},
      {R"({"time":1,"self":"robot"})", "l:1:1: lacks 'other'; \"other\": text"},
      {R"({"time":1,"self":"robot","other":"x","other_tags":["parcell"]})",
       "'parcell' is not a declared tag"},
      {R"({"time":1,"self":"robot","other":"x","other_tags":"parcel"})",
       "l:1:1: 'other_tags' is no list of texts"},
  };
  for (const Row& row : rows) {
    CAPTURE(row.text);
    SmallDepot<T::D> fresh(2, false);
    std::istringstream wrong(row.text);
    const Result<void> result = audit(fresh.run, wrong, "l");
    REQUIRE(!result);
    CHECK(result.error().message().find(row.wanted) != std::string::npos);
  }
}

TEST_CASE("a kind is reported with all that it inherits, and where each value stands") {
  const std::string path = COLVIK_SOURCE_DIR "/data/locker-hook.toml";
  const auto values = resolve_kind(path, "locked");
  REQUIRE(values);
  REQUIRE(values.value().size() == 4);
  CHECK(values.value()[0].key == "tags");
  CHECK(values.value()[0].replaces.starts_with("[\"open\"] of locker in line "));
  CHECK(values.value()[1].key == "collider.box");
  CHECK(values.value()[1].value == "[0.7, 0.5]");
  CHECK(values.value()[1].kind == "locker");
  CHECK(resolve_kind(path, "Locked").error().message().find("did you mean 'locked'?") !=
        std::string::npos);
  CHECK(resolve_kind("no-such.toml", "x").error().message().find("cannot be read") !=
        std::string::npos);
}
