#include <fmt/format.h>
#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <unistd.h>

#include <filesystem>
#include <ostream>

#include <colvik/leak.hpp>
#include <colvik/picture.hpp>

#include "commands.h"

namespace colvik::tool {

namespace {

template <int D>
nlohmann::ordered_json coordinates(const Vec<D>& v) {
  nlohmann::ordered_json list = nlohmann::ordered_json::array();
  for (int i = 0; i < D; ++i) list.push_back(v[i]);
  return list;
}

template <int D>
nlohmann::ordered_json way_as_json(const std::optional<Way<D>>& way) {
  if (!way) return nullptr;
  nlohmann::ordered_json points = nlohmann::ordered_json::array();
  for (const auto& p : way->points)
    points.push_back({{"at", coordinates<D>(p.at)}, {"by", name_of(p.by)}});
  return {{"length", way->length}, {"points", points}};
}

template <int D>
nlohmann::ordered_json leak_as_json(const Leak<D>& leak) {
  nlohmann::ordered_json to = nlohmann::ordered_json::array();
  for (const auto& target : leak.to)
    to.push_back({{"name", target.name},
                  {"at", coordinates<D>(target.at)},
                  {"way", way_as_json<D>(target.way)}});
  nlohmann::ordered_json gap = nullptr;
  if (leak.narrowest)
    gap = {{"at", coordinates<D>(leak.narrowest->at)},
           {"width", leak.narrowest->width},
           {"needed", leak.narrowest->needed},
           {"between", {leak.narrowest->first, leak.narrowest->second}}};
  return {{"walker", leak.walker},
          {"from", coordinates<D>(leak.from)},
          {"resolution", leak.resolution},
          {"places", leak.places},
          {"gave_up", leak.gave_up},
          {"out", way_as_json<D>(leak.out)},
          {"to", to},
          {"narrowest", gap}};
}

template <int D>
Result<void> draw_leak(const Scene<D>& scene, const Leak<D>& leak, const LeakOptions& o) {
  const auto run = start_run(scene);
  run->run_for(o.question.at);
  Overlay<D> over;
  over.dots = leak.reached;
  const auto add = [&](const std::optional<Way<D>>& way, const std::string& what) {
    if (!way) return;
    over.ways.emplace_back();
    for (const auto& p : way->points) over.ways.back().push_back(p.at);
    over.notes.emplace_back(way->points.back().at, what);
  };
  add(leak.out, "out");
  for (const auto& target : leak.to) {
    add(target.way, "");
    if (!target.way && !leak.gave_up) over.notes.emplace_back(target.at, "not reached");
  }
  if (leak.narrowest && !leak.out)
    over.notes.emplace_back(
        leak.narrowest->at,
        fmt::format("gap {:.3g} of {:.3g}", leak.narrowest->width, leak.narrowest->needed));
  PictureOptions options;
  options.title =
      fmt::format("{}: {} {}", std::filesystem::path(o.scene).stem().string(), leak.walker,
                  leak.out           ? "gets out"
                  : leak.gave_up     ? "was not decided"
                  : !leak.to.empty() ? "on its ways"
                                     : "does not get out");
  const Bounds<D>* view = scene.view.empty() ? nullptr : &scene.regions.at(scene.view);
  return draw_picture(run->trace, view, o.out, options, &over);
}

template <int D>
int leak_one(const Scene<D>& scene, const LeakOptions& o, std::ostream& out, std::ostream& err) {
  SceneLeak question = o.question;
  const bool terminal = isatty(STDERR_FILENO) != 0;
  if (terminal)
    question.progress = [&](std::size_t places) {
      err << fmt::format("\r{} places ...", places) << std::flush;
    };
  const Result<Leak<D>> leak = colvik::leak(scene, question);
  if (terminal) err << "\r\x1b[K" << std::flush;
  if (!leak) return wrong("leak", leak.error(), err);
  if (!o.out.empty())
    if (const Result<void> drawn = draw_leak(scene, leak.value(), o); !drawn) {
      err << drawn.error().message() << '\n';
      return kWrong;
    }
  if (o.json) out << leak_as_json(leak.value()).dump(1) << '\n';
  else out << leak_report(leak.value());
  if (leak.value().gave_up) return kWrong;
  for (const auto& target : leak.value().to)
    if (!target.way) return kSomeMissed;
  return leak.value().out ? kSomeMissed : kAllMet;
}

}  // namespace

void add_leak(CLI::App& app, LeakOptions& o) {
  CLI::App* c = app.add_subcommand(
      "leak", "Whether a walker can get out of a region, or get to somebody, and how");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  c->add_option("--walker", o.question.walker, "who walks")->required();
  c->add_option("--inside", o.question.inside, "region of the scene that it shall not leave");
  c->add_option("--to", o.question.to, "tag query or @object: what it shall get to, each of them");
  c->add_option("--from", o.question.from,
                "where it starts: an object, OBJECT/SPOT, or X,Y[,Z]; where it is when left out");
  c->add_option("--at", o.question.at, "the moment at which all else stands, in seconds")
      ->capture_default_str();
  c->add_flag("--fly", o.question.fly, "gravity does not count for it");
  c->add_option("--resolution", o.question.resolution,
                "from one place to the next; a tenth of its smallest side when left out")
      ->check(CLI::PositiveNumber);
  c->add_option("--most", o.question.most, "places to visit before it gives up")
      ->check(CLI::Range(std::size_t{1}, std::size_t{1'000'000'000}))
      ->capture_default_str();
  add_settings(*c, o.settings);
  c->add_option("--out", o.out, "picture to write, .png or .svg");
  c->add_flag("--json", o.json, "one JSON object instead of text");
  c->footer(
      "Exit status: 0 it stays in, and gets to all; 1 it gets out, or not to all; 2 not decided, "
      "or the scene or the call is wrong.\n\nExample:\n  build/bin/colvik leak "
      "data/yard-fence.toml --walker courier --inside yard");
}

int leak(const LeakOptions& o, std::ostream& out, std::ostream& err) {
  const LoadedScene loaded = load(o.scene, o.settings, err);
  if (!loaded.ok()) return kWrong;
  return std::visit([&](const auto& scene) { return leak_one(scene, o, out, err); }, *loaded.scene);
}

}  // namespace colvik::tool
