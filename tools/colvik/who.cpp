#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <ostream>

#include <colvik/insight.hpp>

#include "commands.h"

namespace colvik::tool {

void add_who(CLI::App& app, WhoOptions& o) {
  CLI::App* c =
      app.add_subcommand("who", "Who meets whom: tags against tags, solid, zone or not, and why");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  add_settings(*c, o.settings);
  c->add_flag("--objects", o.objects, "object against object instead of tags");
  c->add_flag("--json", o.json, "a JSON list instead of a table");
  c->footer(
      "Exit status: 0 shown, 2 the scene or the call is wrong.\n\nExample:\n  build/bin/colvik who "
      "data/night-depot.toml");
}

int who(const WhoOptions& o, std::ostream& out, std::ostream& err) {
  const LoadedScene loaded = load(o.scene, o.settings, err);
  if (!loaded.ok()) return kWrong;
  const std::vector<Meeting> all =
      std::visit([&](const auto& scene) { return who_meets(start_run(scene)->trace, o.objects); },
                 *loaded.scene);
  if (!o.json) {
    out << who_report(all);
    return kAllMet;
  }
  nlohmann::ordered_json list = nlohmann::ordered_json::array();
  for (const Meeting& m : all)
    list.push_back({{"first", m.first},
                    {"second", m.second},
                    {"solid", m.solid},
                    {"zone", m.zone},
                    {"why", m.why}});
  out << list.dump(1) << '\n';
  return kAllMet;
}

}  // namespace colvik::tool
