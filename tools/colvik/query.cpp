#include <fmt/format.h>
#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <charconv>
#include <iostream>

#include <colvik/run.hpp>
#include <colvik/scene.hpp>

#include "commands.h"

namespace colvik::tool {

CLI::App* add_query(CLI::App& app, QueryOptions& o) {
  CLI::App* c = app.add_subcommand("query",
                                   "Ask what a ray meets, what lies where, or what an object would "
                                   "touch: SCENE [OPTIONS] QUESTION");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  add_settings(*c, o.settings);
  c->add_option("--at", o.at, "ask at this time, seconds from the start")
      ->check(CLI::NonNegativeNumber);
  c->add_option("--who", o.who, "tag query: only these; not for move, turn and grow")
      ->capture_default_str();
  c->add_flag("--zones", o.zones, "zones too");
  c->add_flag("--only-zones", o.only_zones, "zones and no solids");
  c->add_flag("--first", o.first, "the first answer alone");
  c->add_flag("--json", o.json, "one JSON object instead of text");
  c->prefix_command();
  c->footer(
      "Questions, after the options (in 3D with three numbers for each pair):\n"
      "  ray X Y DX DY          what a ray from X Y meets on its way by DX DY\n"
      "  point X Y              what holds the point\n"
      "  near X Y DISTANCE      what lies within a distance, nearest first\n"
      "  box X Y WIDTH HEIGHT   what overlaps a box around X Y, deepest first\n"
      "  move OBJECT DX DY      what the object would touch on a way by DX DY\n"
      "  turn OBJECT DEGREES    turning on the spot (3D: AX AY AZ DEGREES)\n"
      "  grow OBJECT FACTOR     at so many times its size\n\n"
      "Exit status: 0 answered, also with nothing; 2 the scene or the call is wrong.\n\n"
      "Example:\n  build/bin/colvik query data/night-depot.toml --at 2 ray 0 1 30 0");
  return c;
}

namespace {

struct Call {
  std::string what;
  std::string object;
  std::vector<double> numbers;
};

template <int D>
Vec<D> vec(const Call& call, std::size_t first) {
  Vec<D> v;
  for (int i = 0; i < D; ++i) v[i] = call.numbers[first + static_cast<std::size_t>(i)];
  return v;
}

template <int D>
std::string text(const Vec<D>& v) {
  std::string out = "(";
  for (int i = 0; i < D; ++i)
    out += fmt::format("{}{:.4g}", i == 0 ? "" : ", ", v[i] == 0 ? 0.0 : v[i]);
  return out + ")";
}

// How many numbers a question has in D dimensions; 0: there is no such question.
std::size_t numbers_of(std::string_view what, std::size_t d) {
  if (what == "ray" || what == "box") return 2 * d;
  if (what == "point" || what == "move") return d;
  if (what == "near") return d + 1;
  if (what == "turn") return d == 2 ? 1 : 4;
  return what == "grow" ? 1 : 0;
}

bool names_object(std::string_view what) {
  return what == "move" || what == "turn" || what == "grow";
}

// The words of the call; empty with a message when they make no question.
std::optional<Call> parse(const std::vector<std::string>& words, std::size_t d, std::ostream& err) {
  Call call;
  if (words.empty() || numbers_of(words[0], d) == 0) {
    err << fmt::format(
        "colvik query: {}; one of: ray, point, near, box, move, turn, grow\n",
        words.empty() ? "no question" : fmt::format("no question is called '{}'", words[0]));
    return std::nullopt;
  }
  call.what = words[0];
  std::size_t next = 1;
  if (names_object(call.what)) call.object = words.size() > 1 ? words[next++] : "";
  for (; next < words.size(); ++next) {
    const char* begin = words[next].data();
    const char* end = begin + words[next].size();
    double value = 0;
    const auto [stop, failed] = std::from_chars(begin, end, value);
    if (failed != std::errc() || stop != end || !std::isfinite(value)) {
      const bool option = words[next].starts_with("--");
      err << fmt::format("colvik query {}: '{}' is no number; {}\n", call.what, words[next],
                         option ? "options come before the question" : "a finite number");
      return std::nullopt;
    }
    call.numbers.push_back(value);
  }
  if (call.numbers.size() != numbers_of(call.what, d) ||
      (names_object(call.what) && call.object.empty())) {
    err << fmt::format(
        "colvik query {}: {} numbers in a {}D scene; {}{}, see colvik query --help\n", call.what,
        call.numbers.size(), d, names_object(call.what) ? "an object and " : "",
        numbers_of(call.what, d));
    return std::nullopt;
  }
  return call;
}

template <int D>
Question<D> question_of(const Call& call) {
  if (call.what == "ray") return RayCast<D>{vec<D>(call, 0), vec<D>(call, D)};
  if (call.what == "point") return AtPoint<D>{vec<D>(call, 0)};
  if (call.what == "near") return Near<D>{vec<D>(call, 0), call.numbers.back()};
  OverlapWith<D> box;
  box.shape.kind = ShapeKind::box;
  box.shape.core = vec<D>(call, D) / 2;
  box.pose.position = vec<D>(call, 0);
  return box;
}

template <int D>
Change<D> change_of(const Call& call) {
  Change<D> change;
  if (call.what == "move") change.move = vec<D>(call, 0);
  if (call.what == "grow") change.scale = call.numbers[0];
  if (call.what == "turn") {
    const double angle = radians(call.numbers.back());
    if constexpr (D == 2) change.turn[0] = angle;
    else if (const Vec<3> axis = vec<3>(call, 0); axis.norm() > 0)
      change.turn = axis.normalized() * angle;
  }
  return change;
}

// One answer of either kind.
template <int D>
struct Row {
  ObjectId object;
  std::size_t collider;
  double at;
  Vec<D> point;
  Vec<D> normal;
  bool inside;
  std::string rule;
};

std::string_view meaning_of_at(std::string_view what) {
  if (what == "near") return "distance";
  if (what == "box" || what == "point") return "depth";
  return "part of the way";
}

template <int D>
int answer(const Scene<D>& scene, const QueryOptions& o, const std::vector<std::string>& words,
           std::ostream& out, std::ostream& err) {
  const std::optional<Call> call = parse(words, D, err);
  if (!call) return kWrong;
  if (!(o.at <= scene.length)) {
    err << fmt::format("colvik query: --at {:g} is after the end of the run; 0 to {:g} s\n", o.at,
                       scene.length);
    return kWrong;
  }
  const auto run = start_run(scene);
  run->run_for(o.at);
  const World<D>& world = run->world;
  std::vector<Row<D>> rows;
  const Result<TagQuery> who = TagQuery::parse(o.who, world.tags());
  if (!who) {
    err << fmt::format("colvik query --who: {}; {}\n", who.error().what, who.error().accepted);
    return kWrong;
  }
  QueryFilter<D> look;
  look.who = who.value();
  look.zones = o.zones || o.only_zones;
  look.solids = !o.only_zones;
  if (names_object(call->what)) {
    const auto id = world.find(call->object);
    if (!id) {
      std::vector<std::string> names;
      for (const ObjectId known : world.objects()) names.push_back(world.object(known).name);
      err << fmt::format("colvik query {}: no object is named '{}' at {:g} s; {}\n", call->what,
                         call->object, o.at,
                         suggestion(call->object, names, "the name of an object that is there"));
      return kWrong;
    }
    const auto found = world.would_touch(*id, change_of<D>(*call));
    if (!found) {
      err << "colvik query: " << found.error().message() << '\n';
      return kWrong;
    }
    for (const WouldTouch<D>& w : found.value()) {
      const bool zone = world.object(w.object).colliders[w.collider].def.zone ||
                        world.object(*id).colliders[w.own_collider].def.zone;
      if (!(zone ? look.zones : look.solids)) continue;
      if (!look.who.matches(world.object(w.object).colliders[w.collider].tags)) continue;
      rows.push_back({w.object, w.collider, w.at, w.point, w.normal, w.inside,
                      fmt::format("both accept, {}", zone ? "zone" : "solid")});
    }
  } else {
    for (const Answer<D>& a : world.all(question_of<D>(*call), look)) {
      const bool zone = world.object(a.object).colliders[a.collider].def.zone;
      rows.push_back(
          {a.object, a.collider, a.at, a.point, a.normal, a.inside, zone ? "zone" : "solid"});
    }
  }
  if (o.first && rows.size() > 1) rows.resize(1);

  if (o.json) {
    nlohmann::ordered_json all;
    all["scene"] = scene.file;
    all["time"] = world.time();
    all["question"] = call->what;
    all["answers"] = nlohmann::ordered_json::array();
    for (const Row<D>& t : rows) {
      nlohmann::ordered_json line;
      line["object"] = world.object(t.object).name;
      line["collider"] = t.collider;
      line["at"] = t.at;
      line["point"] = std::vector<double>(t.point.data(), t.point.data() + D);
      line["normal"] = std::vector<double>(t.normal.data(), t.normal.data() + D);
      line["inside"] = t.inside;
      line["rule"] = t.rule;
      all["answers"].push_back(line);
    }
    out << all.dump(2) << '\n';
    return kAllMet;
  }
  std::string requested = call->what;
  if (!call->object.empty()) requested += " " + call->object;
  for (const double x : call->numbers) requested += fmt::format(" {:g}", x);
  out << fmt::format("{} at {:g} s: {}\n", scene.file, world.time(), requested);
  if (rows.empty()) {
    out << "  nothing\n";
    return kAllMet;
  }
  std::size_t longest = 6;
  for (const Row<D>& t : rows) longest = std::max(longest, world.object(t.object).name.size());
  out << fmt::format("  {:<15}  {:<{}}  {:<20}  {:<{}}  {}\n", meaning_of_at(call->what), "object",
                     longest, "rule", "point", D == 2 ? 18 : 26, "normal");
  for (const Row<D>& t : rows) {
    const double at = call->what == "box" || call->what == "point" ? -t.at : t.at;
    out << fmt::format("  {:<15}  {:<{}}  {:<20}  {:<{}}  {}{}\n", fmt::format("{:.5f}", at),
                       world.object(t.object).name, longest, t.rule, text<D>(t.point),
                       D == 2 ? 18 : 26, text<D>(t.normal),
                       t.inside && (names_object(call->what) || call->what == "ray")
                           ? "  inside from the start"
                           : "");
  }
  return kAllMet;
}

}  // namespace

int query(const QueryOptions& o, const std::vector<std::string>& words, std::ostream& out,
          std::ostream& err) {
  const LoadedScene loaded = load(o.scene, o.settings, err);
  if (!loaded.ok()) return kWrong;
  return std::visit([&](const auto& scene) { return answer(scene, o, words, out, err); },
                    *loaded.scene);
}

}  // namespace colvik::tool
