// Why something fired or not: each stage alone, and random scenes, where what is named as the cause
// is taken away.
#include <fmt/format.h>

#include <set>

#include <colvik/explain.hpp>
#include <colvik/insight.hpp>

#include "random.hpp"
#include "spelled.hpp"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

using Words = std::vector<std::pair<std::string, std::string>>;

// A thing 'a' goes at 2 along x and begins to touch the zone 't' at 1 s; 'hit' is for the two. What
// is in `words` stands in the places of that name.
std::string passing(const Words& words) {
  std::string text = R"(length = 1.5
[tags]
mover = ''
target = ''
other = ''
[numbers]
keys = 0
[[objects]]
name = 'a'
tags = ['mover']
body = 'BODY'
at = <-3 0>
MOTION
MOVER
collider = { box = <*1> ACOLL }
[[objects]]
name = 't'
TAGS
TARGET
collider = { box = <*1>, TCOLL }
EXTRA
[[reactions]]
name = 'hit'
self = 'mover'
other = 'target'
RULE
)";
  Words all = words;
  const Words rest = {{"BODY", "kinematic"},
                      {"MOTION", "velocity = <2 0>"},
                      {"MOVER", ""},
                      {"ACOLL", ""},
                      {"TARGET", ""},
                      {"TCOLL", "zone = true"},
                      {"EXTRA", ""},
                      {"RULE", ""},
                      {"TAGS", "tags = ['target']"}};
  all.insert(all.end(), rest.begin(), rest.end());
  for (const auto& [place, text_there] : all)
    if (const std::size_t at = text.find(place); at != std::string::npos)
      text.replace(at, place.size(), text_there);
  return text;
}

template <int D>
Scene<D> why_scene(const std::string& text) {
  const LoadedScene loaded = read_scene(spelled<D>(text), "why.toml");
  for (const Problem& p : loaded.problems) MESSAGE(p.message());
  REQUIRE(loaded.ok());
  return std::get<Scene<D>>(*loaded.scene);
}

template <int D>
Why answer(const Scene<D>& scene, const std::string& a = "a", const std::string& b = "t") {
  return why(scene, {.first = "@" + a, .second = "@" + b, .reaction = "hit"}).value();
}

Stage stage_of(const Why& why) {
  return why.not_fired.empty() ? Stage::fired : why.not_fired.front().stage;
}

const char* kSecond = R"([[objects]]
name = 'u'
tags = ['target']
at = <-0.5 0>
collider = { box = <*1>, zone = true }
)";

struct Row {
  Stage stage;
  Words words;         // with which exactly that stage stops it
  Words mended;        // and with the cause taken away
  std::string said{};  // the words in short, where they are long
};

std::vector<Row> rows() {
  const std::string u = kSecond;
  const std::string taker =
      "[[objects]]\nname = 'v'\ntags = ['other']\ncollider = { box = <*1>, zone "
      "= true }\n[[reactions]]\nname = 'take'\nself = 'mover'\nother = "
      "'other'\ndo = [{ remove = 'self' }]\n";
  return {
      {Stage::relatives,
       {{"TARGET", "parent = 'a'\nat = <-2.5 0>"}},
       {{"TARGET", "parent = 'a'\nat = <-2.5 0>\nmeets_relatives = true"}},
       "t has `parent = 'a'`"},
      {Stage::hidden, {{"TARGET", "active = false"}}, {}},
      {Stage::switched_off, {{"TCOLL", "zone = true, on = false"}}, {}},
      {Stage::both_static, {{"BODY", "static"}, {"MOTION", ""}}, {}, "`body = 'static'`"},
      {Stage::first_refuses, {{"ACOLL", ", meets = 'other'"}}, {{"ACOLL", ", meets = 'target'"}}},
      {Stage::second_refuses,
       {{"TCOLL", "zone = true, meets = 'other'"}},
       {{"TCOLL", "zone = true, meets = 'mover'"}}},
      {Stage::excepted, {{"MOVER", "excepted = ['t']"}}, {}},
      {Stage::far, {{"TARGET", "at = <0 9>"}}, {}},
      {Stage::apart, {{"TARGET", "at = <0 1.01>"}}, {{"TARGET", "at = <0 0.99>"}}},
      {Stage::one_way, {{"TCOLL", "one_way = <1 0>"}}, {{"TCOLL", "one_way = <-1 0>"}}},
      {Stage::not_meant, {{"TAGS", "tags = ['other']"}}, {}},
      {Stage::another_channel, {{"RULE", "channel = 'solid'"}}, {{"RULE", "channel = 'zone'"}}},
      {Stage::another_phase, {{"RULE", "when = 'end'"}}, {{"RULE", "when = 'during'"}}},
      {Stage::another_cause,
       {{"RULE",
         "when = 'end'\n[[reactions]]\nname = 'hides'\nwhen = { time = 1.2 }\ndo = [{ hide = "
         "'@t' }]"}},
       {{"RULE",
         "when = { phase = 'end', causes = ['hidden'] }\n[[reactions]]\nname = 'hides'\nwhen "
         "= { time = 1.2 }\ndo = [{ hide = '@t' }]"}},
       "`when = 'end'`, and t is hidden"},
      {Stage::slower,
       {{"RULE", "when = { approach = 2.1 }"}},
       {{"RULE", "when = { approach = 1.9 }"}}},
      {Stage::softer, {{"RULE", "when = { impulse = 1 }"}}, {{"RULE", "when = { impulse = 0 }"}}},
      {Stage::another_side,
       {{"RULE", "when = { side = <0 1> }"}},
       {{"RULE", "when = { side = <1 0> }"}}},
      {Stage::claimed, {{"EXTRA", taker}}, {}, "'take' removes a, for another touch in that step"},
      {Stage::off, {{"RULE", "on = false"}}, {}},
      {Stage::condition,
       {{"RULE", "all = [{ number = 'world.keys', at_least = 1 }]"}},
       {{"RULE", "all = [{ number = 'world.keys', at_least = 0 }]"}}},
      {Stage::condition,
       {{"RULE", "none = [{ is = 'mover' }]"}},
       {{"RULE", "none = [{ is = 'other' }]"}}},
      {Stage::most, {{"EXTRA", u}, {"RULE", "most = 1"}}, {{"EXTRA", u}, {"RULE", "most = 2"}}},
      {Stage::cooldown,
       {{"EXTRA", u}, {"RULE", "cooldown = 1"}},
       {{"EXTRA", u}, {"RULE", "cooldown = 0.2"}}},
      {Stage::already, {{"EXTRA", u}, {"RULE", "once = 'ever'"}}, {{"EXTRA", u}, {"RULE", ""}}},
      {Stage::fired, {}, {}},
  };
}

// Takes away what stopped the two; false where that takes more than one change.
template <int D>
bool take_away(Scene<D>& scene, const WhyPair& two) {
  const auto named = [&](const std::string& name) -> ObjectDef<D>& {
    return *std::find_if(scene.objects.begin(), scene.objects.end(),
                         [&](const ObjectDef<D>& o) { return o.name == name; });
  };
  ObjectDef<D>& a = named(two.first);
  ObjectDef<D>& b = named(two.second);
  Reaction<D>& r = scene.reactions[0];
  OnTouch& on = std::get<OnTouch>(r.when);
  switch (two.stage) {
    case Stage::both_static: a.body = BodyKind::kinematic; return true;
    case Stage::first_refuses: a.colliders[0].meets = "any"; return true;
    case Stage::second_refuses: b.colliders[0].meets = "any"; return true;
    case Stage::far:
    case Stage::apart: a.at = b.at; return true;
    case Stage::another_channel: on.channel.reset(); return true;
    case Stage::another_phase: on.phase = Phase::begin; return true;
    case Stage::another_cause: on.causes.push_back(EndCause::run_over); return true;
    case Stage::slower: on.approach = 0; return true;
    case Stage::already: r.once = Once::no; return true;
    case Stage::cooldown: r.cooldown = 0; return true;
    default: return false;
  }
}

// The stage's line in the table of docs/explain.md.
std::string line_of(const Row& row, const Why& why) {
  std::string words = row.said;
  for (const auto& [place, text] : row.words)
    if (row.said.empty() && !text.empty() && text.size() < 60)
      words += fmt::format("{}`{}`", words.empty() ? "" : ", ",
                           text.substr(text.starts_with(", ") ? 2 : 0));
  return fmt::format("| {} | {} | {} | {} |", name_of(row.stage), words,
                     why.not_fired.at(0).sentence, why.change);
}

}  // namespace

TEST_CASE_TEMPLATE("each stage is named alone, and taken away the two come further", T, Two,
                   Three) {
  constexpr int D = T::D;
  const std::string page = read(COLVIK_SOURCE_DIR "/docs/explain.md");
  for (const Row& row : rows()) {
    CAPTURE(name_of(row.stage));
    const Scene<D> scene = why_scene<D>(passing(row.words));
    const Why why = answer(scene);
    CHECK_MESSAGE(stage_of(why) == row.stage, why_report(why));
    if (row.stage == Stage::fired) continue;
    CHECK(!why.change.empty());
    if (D == 2) CHECK_MESSAGE(page.find(line_of(row, why)) != std::string::npos, line_of(row, why));
    REQUIRE(!why.places.empty());
    CHECK(why.places[0].line > 0);
    const Why mended = answer(why_scene<D>(passing(row.mended)));
    CHECK_MESSAGE(stage_of(mended) > row.stage, why_report(mended));
  }
}

TEST_CASE("an answer names the places, what it led to, and what began again") {
  const Scene<2> scene = why_scene<2>(passing(
      {{"TCOLL", "zone = true, meets = 'movr'"}, {"target = ''", "target = ''\nmovr = ''"}}));
  const Why why = answer(scene);
  CHECK(why.not_fired[0].sentence == "t meets only 'movr', and a has the tags mover");
  CHECK(why.change == "let `meets` of t accept mover; 'movr' is spelled nearly like 'mover'");
  CHECK(why.places[0].line == 24);
  const Scene<2> counts = why_scene<2>(passing(
      {{"RULE",
        "do = [{ add = 'world.keys', by = 2 }, { remove = 'other' }]\n[[reactions]]\nname = "
        "'open'\nwhen = { number = 'world.keys', reaches = 2 }"}}));
  const Why led = answer(counts);
  REQUIRE(led.fired.size() == 1);
  CHECK(led.fired[0].led_to == std::vector<std::string>{"world.keys 2, before 0", "t was removed",
                                                        "'open' fired at 1.017 s"});
  // There and back: 1.4 to 2.6 s apart.
  const Scene<2> twice = why_scene<2>(
      "length = 4\n[tags]\nx = ''\n[[objects]]\nname = 'a'\nbody = 'kinematic'\npath = [{ at = 0, "
      "to = "
      "<0 0> }, { at = 2, to = <4 0> }, { at = 4, to = <0 0> }]\ncollider = { box = <*1> }\n"
      "[[objects]]\nname = 't'\nat = <1.8 0>\ncollider = { box = <*1>, zone = true }\n");
  const Why again = colvik::why(twice, {.first = "a", .second = "t"}).value();
  REQUIRE(again.again.size() == 1);
  CHECK(
      again.again[0].starts_with("a and t touched at 0.400 s; at 2.600 s, 1.200 s after they had "
                                 "parted (left, "));
}

TEST_CASE("what fired at another time is said to have") {
  const Scene<2> scene = why_scene<2>(passing({}));
  const WatchQuestion early{.first = "a", .second = "t", .reaction = "hit", .from = 0, .to = 0.5};
  const Why late = why(scene, early).value();
  CHECK(late.fired.empty());
  CHECK(late.not_fired.at(0).stage == Stage::another_time);
  CHECK(late.not_fired[0].sentence == "a and t: fired at 1.000 s, outside the time in question");
  const Why touched = why(scene, {.first = "a", .second = "t", .from = 0, .to = 0.5}).value();
  CHECK(touched.not_fired.at(0).sentence ==
        "a and t touched at 1.000 s, outside the time in question");
}

TEST_CASE("starts that are no touch say what they waited for") {
  const auto unstarted = [](const std::string& when, const std::string& more = "") {
    const Scene<2> scene =
        why_scene<2>(passing({{"RULE", more + "[[reactions]]\nname = 'w'\nwhen = " + when}}));
    return why(scene, {.reaction = "w"}).value().not_fired.at(0).sentence;
  };
  CHECK(unstarted("{ number = 'world.keys', reaches = 3 }") ==
        "world.keys was from 0 to 0, and never came to 3");
  CHECK(unstarted("{ time = 9 }") == "it starts at 9 s, and the run ended at 1.500 s");
  CHECK(unstarted("{ cue = 'go' }") == "no reaction sends the cue 'go'");
  CHECK(unstarted("{ cue = 'go' }", "on = false\ndo = [{ cue = 'go' }]\n") ==
        "the cue 'go' is sent by 'hit', which fired 0 times");
  CHECK(unstarted("{ count = 'target', reaches = 0 }") == "the number of 'target' never became 0");
  CHECK(unstarted("{ input = 'open' }", "[[inputs]]\nat = 1\nname = 'opne'\n") ==
        "the input 'open' is never given; did you mean 'opne'?");
}

TEST_CASE("questions that cannot be answered are errors, with what would be") {
  const Scene<2> scene = why_scene<2>(passing({}));
  const auto what = [&](const WatchQuestion& q) {
    const Result<Why> answer = why(scene, q);
    REQUIRE_FALSE(answer);
    return answer.error().what + "; " + answer.error().accepted;
  };
  CHECK(what({.first = "targt", .second = "a"}) ==
        "'targt' is no tag query, and no object is named so; did you mean 'target'?");
  CHECK(what({.first = "@b"}) == "no object is named 'b'; did you mean '@a'?");
  CHECK(what({.reaction = "hits"}) == "is not there; did you mean 'hit'?");
  CHECK(what({.first = "a", .from = 0, .to = 9}) ==
        "9 s is after the end of the run; 0 to 1.5 s, the scene's length");
  CHECK(what({.first = "a", .from = 2, .to = 1}) ==
        "from 2 to 1 s is no time; two times, the earlier one first");
  CHECK(what({.first = "a", .from = -1}) ==
        "from -1 to inf s is no time; two times, the earlier one first");
}

TEST_CASE_TEMPLATE("in random scenes it fired if and only if the trace has it", T, Two, Three) {
  constexpr int D = T::D;
  Random random(17);
  std::size_t fired = 0;
  std::set<Stage> met;
  int moved_on = 0;
  for (int i = 0; i < 100; ++i) {
    const int rates[] = {15, 30, 60, 120, 480};
    const double far = random.coin(0.3) ? 30'000 : 0;
    std::string text = fmt::format("length = 2\nrate = {}\n", rates[random.below(5)]) +
                       "[tags]\nred = ''\nblue = ''\ngreen = ''\n";
    const char* tags[] = {"red", "blue", "green"};
    const char* bodies[] = {"static", "kinematic", "kinematic", "dynamic"};
    const char* filters[] = {"any", "red", "blue | green", "!red"};
    for (int k = 0; k < 7; ++k)
      text += fmt::format(
          "[[objects]]\nname = 'o{}'\ntags = ['{}']\nbody = '{}'\nat "
          "= <{} {}>\nvelocity = <{} "
          "{}>\n"
          "collider = {{ box = <*1>, zone = {}, meets = '{}' }}\n",
          k, tags[random.below(3)], bodies[random.below(4)], far + random.range(-3, 3),
          random.range(-3, 3), random.range(-4, 4), random.range(-4, 4),
          random.coin() ? "ZONE" : "false", filters[random.below(4)]);
    std::size_t at = 0;
    while ((at = text.find("body = 'static'", at)) != std::string::npos) {
      const std::size_t v = text.find("velocity", at);
      text.erase(v, text.find('\n', v) - v);
      at = v;
    }
    for (std::size_t zone = 0; (zone = text.find("ZONE", zone)) != std::string::npos;) {
      const std::size_t body = text.rfind("body = '", zone) + 8;  // a dynamic one needs a solid
      text.replace(zone, 4, text.substr(body, 7) == "dynamic" ? "false" : "true");
    }
    const char* more[] = {"",
                          "when = 'end'\n",
                          "when = { approach = 3 }\n",
                          "channel = 'solid'\n",
                          "once = 'ever'\n",
                          "cooldown = 0.5\n"};
    text += fmt::format("[[reactions]]\nname = 'hit'\nself = '{}'\nother = '{}'\n{}",
                        tags[random.below(3)], tags[random.below(3)], more[random.below(6)]);
    CAPTURE(text);
    const Scene<D> scene = why_scene<D>(text);
    const auto run = start_run(scene);
    run->run_for(scene.length);
    std::vector<double> times;
    for (const TraceFiring<D>& f : run->trace.firings()) times.push_back(f.time);
    const Why why = colvik::why(scene, {.reaction = "hit"}).value();
    REQUIRE(why.fired.size() == times.size());
    for (std::size_t k = 0; k < times.size(); ++k) CHECK(why.fired[k].time == times[k]);
    fired += times.size();
    for (const WhyPair& two : why.not_fired) {
      met.insert(two.stage);
      // What stopped them is so: no touch before they are near, one from there on.
      bool touched = false;
      for (const TraceTouch& t : run->trace.touches()) {
        const std::string& self = run->trace.objects()[t.self].name;
        const std::string& other = run->trace.objects()[t.other].name;
        touched = touched || (self == two.first && other == two.second) ||
                  (self == two.second && other == two.first);
      }
      CHECK(touched == (two.stage > Stage::one_way));
      Scene<D> without = scene;
      if (&two - why.not_fired.data() > 3 || !two.meant || !take_away(without, two)) continue;
      CAPTURE(two.sentence);
      const Why then =
          colvik::why(without,
                      {.first = "@" + two.first, .second = "@" + two.second, .reaction = "hit"})
              .value();
      CHECK_MESSAGE(stage_of(then) > two.stage, why_report(then));
      ++moved_on;
    }
  }
  CHECK(fired > 20);
  CHECK(met.size() >= 6);
  CHECK(moved_on > 50);
}

TEST_CASE_TEMPLATE("a world built in C++ is watched likewise", T, Two, Three) {
  constexpr int D = T::D;
  World<D> world{WorldSettings<D>{}};
  Rules<D> rules(world);
  for (const char* tag : {"courier", "parcel"}) world.tags().declare(tag).value();
  ObjectDef<D> courier =
      thing<D>("courier", BodyKind::kinematic, along_x<D>(-3), {solid(cube<D>(1))}, {"courier"});
  courier.velocity = along_x<D>(2);
  world.add(courier).value();
  for (int i = 0; i < 3; ++i)
    world
        .add(thing<D>("parcel." + std::to_string(i), BodyKind::fixed, along_x<D>(2.0 * i),
                      {zone(cube<D>(1))}, {"parcel"}))
        .value();
  rules.add({.name = "collect", .self = "courier", .other = "parcel", .most = 2}).value();
  const Watch<D> watch(world, rules,
                       {.first = "@courier", .second = "parcel", .reaction = "collect"});
  for (int i = 0; i < 200; ++i) world.step();
  std::vector<std::string> said;
  for (const WatchedPair<D>& two : watch.pairs()) said.push_back(watch.sentence(two));
  CHECK(said ==
        std::vector<std::string>{
            "courier and parcel.0: fired at 1.000 s", "courier and parcel.1: fired at 2.000 s",
            "courier and parcel.2 touched at 3.000 s, but it had fired 2 times, as often as "
            "it may"});
  CHECK(watch.all_watched());
  CHECK_FALSE(Watch<D>::check(world, rules, {.reaction = "colect"}));
}
