// Whom limits count for, amounts that are other numbers, claims, copies, and what can be expected
// and logged of them.
#include <colvik/insight.hpp>
#include <colvik/scene.hpp>

#include <nlohmann/json.hpp>

#include <set>
#include <sstream>

#include "spelled.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

template <int D>
Scene<D> scene_saying(const std::string& text) {
  LoadedScene loaded = read_scene(spelled<D>(text), "limits.toml");
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  return std::get<Scene<D>>(*loaded.scene);
}

// The run, with all its expectations met.
template <int D>
std::unique_ptr<Run<D>> run_as_expected(const Scene<D>& scene) {
  auto run = start_run(scene);
  run->run_for(scene.length);
  for (const Expectation<D>& e : scene.expectations) {
    const ExpectationResult r = judge(e, run->trace);
    CHECK_MESSAGE(r.met, r.expected << ": " << r.happened);
  }
  return run;
}

// Three visitors that each pass two gates, three times.
template <int D>
std::map<std::string, int> ring_counts(const std::string& limits) {
  std::string text =
      "length = 8\n[tags]\nvisitor = ''\ngate = ''\n"
      "[[objects]]\nname = 'gate'\ntags = ['gate']\nrow = { from = <0 0>, step = <3 0>, count = 2 "
      "}\n"
      "collider = { box = <*1>, zone = true }\n";
  for (int i = 0; i < 3; ++i)
    text += "[[objects]]\nname = 'v" + std::to_string(i) +
            "'\ntags = ['visitor']\nbody = 'kinematic'\ncollider = { BALL = { diameter = 0.2 } }\n"
            "at = <-2 0>\nloop = true\npath = [{ at = 0, to = <-2 0> }, { at = 1.2, to = <5 0> }, "
            "{ at = 2.4, to = <-2 0> }]\n";
  text += "[[reactions]]\nname = 'ring'\nself = 'visitor'\nother = 'gate'\n" + limits +
          "\ndo = [{ cue = 'rung' }]\n";
  const Scene<D> scene = scene_saying<D>(text);
  const auto run = start_run(scene);
  run->run_for(scene.length);
  std::map<std::string, int> by;
  for (const TraceFiring<D>& f : run->trace.firings()) {
    ++by[run->trace.objects()[f.self].name + " " + run->trace.objects()[f.other].name];
    ++by[run->trace.objects()[f.self].name];
    ++by["all"];
  }
  return by;
}

}  // namespace

TEST_CASE_TEMPLATE("most and cooldown count for each self, each pair, or all together", T, Two,
                   Three) {
  constexpr int D = T::D;
  const std::map<std::string, int> free = ring_counts<D>("");
  CHECK(free.at("all") > 30);
  const std::map<std::string, int> most = ring_counts<D>("most = 2");
  CHECK(most.at("v0") == 2);
  CHECK(most.at("v2") == 2);
  CHECK(most.at("all") == 6);
  const std::map<std::string, int> pair = ring_counts<D>("most = 2\nlimits = 'per pair'");
  CHECK(pair.at("v1 gate.1") == 2);
  CHECK(pair.at("v1 gate.2") == 2);
  CHECK(pair.at("all") == 12);
  CHECK(ring_counts<D>("most = 2\nlimits = 'in all'").at("all") == 2);
  // All three pass at once: each is hurt as often as one alone would be.
  const std::map<std::string, int> cooled = ring_counts<D>("cooldown = 1.5");
  CHECK(cooled.at("v0") == cooled.at("v1"));
  CHECK(cooled.at("v0") < free.at("v0"));
  CHECK(ring_counts<D>("cooldown = 1.5\nlimits = 'in all'").at("all") == cooled.at("v0"));
}

TEST_CASE_TEMPLATE("snapshots keep for whom limits count", T, Two, Three) {
  constexpr int D = T::D;
  Run<D> run;
  for (const char* tag : {"a", "b"}) run.world.tags().declare(tag).value();
  for (const char* name : {"x", "y"})
    run.world.add(thing<D>(name, BodyKind::kinematic, kZero, {solid(cube<D>(1))}, {"a"})).value();
  run.world.add(thing<D>("z", BodyKind::fixed, kZero, {zone(cube<D>(1))}, {"b"})).value();
  run.rules
      .add({.name = "hurt",
            .self = "a",
            .other = "b",
            .when = OnTouch{.phase = Phase::during},
            .most = 5})
      .value();
  run.run_for(0.05);
  const std::vector<std::byte> world = run.world.save();
  const std::vector<std::byte> rules = run.rules.save();
  CHECK(run.rules.count("hurt") == 4);
  run.run_for(1);
  const std::uint64_t after = run.rules.count("hurt");
  CHECK(after == 10);
  REQUIRE(run.world.load(world));
  REQUIRE(run.rules.load(rules));
  run.run_for(1);
  CHECK(run.rules.count("hurt") == after);
}

TEST_CASE_TEMPLATE("numbers change by other numbers, and all of a query is claimed", T, Two,
                   Three) {
  constexpr int D = T::D;
  const Scene<D> scene = scene_saying<D>(R"(
length = 1
[tags]
hand = ''
coin = ''
[numbers]
score = 0
last = 0
[[objects]]
name = 'hand'
tags = ['hand']
body = 'kinematic'
numbers = { health = 10 }
collider = { box = <*1> }
[[objects]]
name = 'small'
tags = ['coin']
numbers = { value = 2, bite = 3 }
collider = { box = <*1>, zone = true }
[[objects]]
name = 'large'
tags = ['coin']
numbers = { value = 7, bite = 0 }
collider = { box = <*1>, zone = true }
[[objects]]
name = 'foot'
body = 'kinematic'
collider = { box = <*1> }
[[objects]]
name = 'pit'
collider = { box = <*1>, zone = true }
[[objects]]
name = 'wire'
collider = { box = <*1>, zone = true }
[[reactions]]
name = 'score'
self = 'hand'
other = 'coin'
do = [{ add = 'world.score', by = 'other.value' }, { set = 'world.last', to = '-other.value' }, { damage = 'self', by = 'other.bite' }]
[[reactions]]
name = 'sweep'
self = 'hand'
other = '@small'
do = [{ remove = 'all coin' }]
[[reactions]]
name = 'late'
self = 'hand'
other = 'coin'
do = [{ cue = 'late' }]
[[reactions]]
name = 'fall'
self = '@foot'
other = '@pit'
do = [{ remove = 'self' }]
[[reactions]]
name = 'after'
self = '@foot'
other = '@wire'
do = [{ cue = 'after' }]
[[expect]]
number = 'world.score'
is = 9
[[expect]]
number = 'world.last'
is = -7
[[expect]]
number = '@hand.health'
is = 7
[[expect]]
reaction = 'late'
other = '@large'
never = true
[[expect]]
reaction = 'after'
never = true
[[expect]]
count = 'coin'
always = true
at_most = 2
)");
  const auto run = run_as_expected(scene);
  // A count that is not always so says when it was not.
  Expectation<D> wrong{.what = ExpectCount{"coin", 2, {}, {}, {}, true}};
  CHECK(judge(wrong, run->trace).happened == "at 0.017 s it was 0");
}

TEST_CASE_TEMPLATE(
    "copies are named in order, spare their thrower, and can be expected and followed", T, Two,
    Three) {
  constexpr int D = T::D;
  const Scene<D> scene = scene_saying<D>(R"(
length = 1
[tags]
stone = ''
hand = ''
[kinds.stone]
tags = ['stone']
body = 'kinematic'
numbers = { age = 0 }
collider = { BALL = { diameter = 0.2 } }
[[objects]]
name = 'hand'
tags = ['hand']
body = 'kinematic'
collider = { box = <*1> }
[[objects]]
name = 'stone.2'
at = <0 50>
[[reactions]]
name = 'throw'
when = { every = 0.2, from = 0.1 }
do = [{ spawn = 'stone', from = '@hand', velocity = <4 0>, excepts = '@hand' }, { add = 'each.age', of = 'all stone', by = 1 }]
[[reactions]]
name = 'crush'
when = { time = 0.8 }
do = [{ remove = '@stone.3' }]
[[expect]]
contact = ['stone', 'hand']
never = true
[[expect]]
object = 'stone.1'
speed_at_least = 3.99
speed_at_most = 4.01
always = true
[[expect]]
object = 'stone.1'
distance_to = 'hand'
distance_at_least = 3.3
distance_at_most = 3.7
[[expect]]
object = 'stone.3'
present = false
[[expect]]
number = '@stone.4.age'
at_least = 1
[[expect]]
object = 'stone.9'
present = false
)");
  const auto run = run_as_expected(scene);
  std::set<std::string> names;
  for (const TraceObject<D>& o : run->trace.objects()) names.insert(o.name);
  CHECK(names == std::set<std::string>{"hand", "stone.1", "stone.2", "stone.3", "stone.4",
                                       "stone.5", "stone.6"});
  // The log with all of it, line by line, and one stone's story.
  std::ostringstream log;
  write_events(log, run->trace, true);
  int born = 0;
  int gone = 0;
  int changed = 0;
  std::istringstream lines(log.str());
  std::uint64_t last = 0;
  for (std::string line; std::getline(lines, line);) {
    const nlohmann::json j = nlohmann::json::parse(line);
    CHECK(j["step"].get<std::uint64_t>() >= last);
    last = j["step"].get<std::uint64_t>();
    born += j.contains("born") && j["kind"] == "stone";
    gone += j.contains("gone") && j["gone"] == "stone.3" && j["removed_by"] == "crush";
    changed += j.contains("number") && j["value"].get<double>() > j["before"].get<double>();
  }
  CHECK(born == 5);
  CHECK(gone == 1);
  CHECK(changed > 5);
  const std::string story = story_of(run->trace, "stone.3");
  CHECK(story.find("comes, a stone") != std::string::npos);
  CHECK(story.find("is removed by 'crush'") != std::string::npos);
  CHECK(story_of(run->trace, "nobody").empty());
  std::istringstream steps(story);
  double before = 0;
  for (std::string line; std::getline(steps, line);) {
    const double time = std::stod(line);
    CHECK(time >= before);
    before = time;
  }
}

TEST_CASE_TEMPLATE("the log of a run that starts again is in order of steps", T, Two, Three) {
  constexpr int D = T::D;
  const Scene<D> scene = scene_saying<D>(R"(
length = 1
[[objects]]
name = 'zone'
collider = { box = <*1>, zone = true }
[[objects]]
name = 'hand'
body = 'kinematic'
collider = { box = <*1> }
[[reactions]]
name = 'again'
when = { time = 0.3 }
most = 1
do = [{ restart = true }]
)");
  const auto run = run_as_expected(scene);
  std::ostringstream log;
  write_events(log, run->trace);
  std::istringstream lines(log.str());
  std::uint64_t last = 0;
  std::vector<std::string> said;
  for (std::string line; std::getline(lines, line);) {
    const nlohmann::json j = nlohmann::json::parse(line);
    CHECK(j["step"].get<std::uint64_t>() >= last);
    last = j["step"].get<std::uint64_t>();
    said.push_back(j.contains("phase") ? j["phase"].get<std::string>() : "firing");
  }
  REQUIRE(said.size() >= 5);
  CHECK(said[0] == "begin");
  CHECK(said[1] == "firing");
  CHECK(said[2] == "end");
  CHECK(said[3] == "begin");
  CHECK(said.back() == "end");
}

// Two integers would be a vector of zeros.
template <class V>
concept TakesTwoIntegers = requires {
  V{3, 4};
};
static_assert(!TakesTwoIntegers<Vec<3>>);
static_assert(TakesTwoIntegers<Vec<2>>);

TEST_CASE_TEMPLATE("what is about to be removed starts nothing with a second thing in that step", T,
                   Two, Three) {
  constexpr int D = T::D;
  const auto run = start_run(scene_saying<D>(R"(
length = 1
[tags]
moth = ''
lamp = ''
[[objects]]
name = 'moth'
tags = ['moth']
body = 'kinematic'
collider = { box = <*1> }
[[objects]]
name = 'lamp'
tags = ['lamp']
row = { from = <*0>, step = <*0>, count = 2 }
collider = { box = <*1>, zone = true }
[[reactions]]
name = 'burns'
self = 'moth'
other = 'lamp'
do = [{ remove = 'self' }]
[[reactions]]
name = 'seen'
self = 'moth'
other = 'lamp'
)"));
  run->run_for(1);
  CHECK(run->rules.count("burns") == 1);
  CHECK(run->rules.count("seen") == 1);  // both see the touch of the first lamp
}
