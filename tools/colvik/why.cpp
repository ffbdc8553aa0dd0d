#include <fmt/format.h>
#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <ostream>

#include <colvik/explain.hpp>

#include "commands.h"

namespace colvik::tool {
namespace {

nlohmann::ordered_json why_as_json(const Why& why) {
  nlohmann::ordered_json fired = nlohmann::ordered_json::array();
  for (const WhyFired& f : why.fired)
    fired.push_back({{"time", f.time},
                     {"first", f.first},
                     {"second", f.second},
                     {"admitted", f.admitted},
                     {"led_to", f.led_to}});
  nlohmann::ordered_json rest = nlohmann::ordered_json::array();
  for (const WhyPair& two : why.not_fired)
    rest.push_back({{"first", two.first},
                    {"second", two.second},
                    {"stage", name_of(two.stage)},
                    {"meant", two.meant},
                    {"why", two.sentence}});
  nlohmann::ordered_json places = nlohmann::ordered_json::array();
  for (const Place& p : why.places)
    places.push_back({{"file", p.file}, {"line", p.line}, {"column", p.column}});
  return {{"scene", why.file},  {"question", why.question}, {"fired", fired},  {"not_fired", rest},
          {"again", why.again}, {"change", why.change},     {"places", places}};
}

}  // namespace

void add_why(CLI::App& app, WhyOptions& o) {
  CLI::App* c = app.add_subcommand(
      "why", "Why something fired or did not: what stopped it first, and what to change");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  c->add_option("first", o.first, "tag query or object; without it the reaction's own self");
  c->add_option("second", o.second, "likewise; without it everyone");
  c->add_option("--reaction", o.reaction, "a reaction; without it touches alone");
  add_settings(*c, o.settings);
  auto* at = c->add_option("--at", o.at, "only what came at this time, in seconds, to a step");
  c->add_option("--between", o.between, "only what came between these two times, in seconds")
      ->expected(2)
      ->excludes(at);
  c->add_flag("--json", o.json, "one JSON object instead of text");
  c->footer(
      "Exit status: 0 answered, 2 the scene or the call is wrong.\n\nExample:\n  build/bin/colvik "
      "why data/night-depot.toml courier for-elsewhere --reaction collect");
}

int why(const WhyOptions& o, std::ostream& out, std::ostream& err) {
  if (o.first.empty() && o.reaction.empty()) {
    err << "colvik why: whom or what? two objects or tag queries, or --reaction NAME\n";
    return kWrong;
  }
  const LoadedScene loaded = load(o.scene, o.settings, err);
  if (!loaded.ok()) return kWrong;
  return std::visit(
      [&](const auto& scene) {
        WatchQuestion q;
        if (!o.first.empty()) q.first = o.first;
        if (!o.second.empty()) q.second = o.second;
        q.reaction = o.reaction;
        if (o.between.size() == 2) {
          q.from = o.between[0];
          q.to = o.between[1];
        }
        if (o.at) {
          q.from = std::max(0.0, *o.at - 1 / scene.world.rate);
          q.to = *o.at < 0 ? -1 : *o.at + 1e-9;
        }
        const Result<Why> answer = colvik::why(scene, q);
        if (!answer) {
          const Error& e = answer.error();
          err << fmt::format("colvik why: {}{}{}; {}\n", e.where, e.where.empty() ? "" : " ",
                             e.what, e.accepted);
          return kWrong;
        }
        if (o.json) out << why_as_json(answer.value()).dump(1) << '\n';
        else out << why_report(answer.value());
        return kAllMet;
      },
      *loaded.scene);
}

}  // namespace colvik::tool
