#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <ostream>
#include <set>

#include <colvik/insight.hpp>

#include "commands.h"

namespace colvik::tool {
namespace {

// With two of each kind that effects alone bring in, under the names that they would have.
template <int D>
Scene<D> with_spawned(Scene<D> scene) {
  std::set<std::string> there;
  for (const ObjectDef<D>& o : scene.objects) there.insert(o.kind);
  for (const auto& reaction : scene.reactions)
    for (const Effect& e : reaction.effects) {
      const auto* spawn = std::get_if<effects::Spawn>(&e.what);
      if (spawn == nullptr || !there.insert(spawn->kind).second) continue;
      for (const ObjectDef<D>& kind : scene.kinds)
        for (const char* copy : {".1", ".2"})
          if (kind.kind == spawn->kind) {
            scene.objects.push_back(kind);
            scene.objects.back().name = kind.kind + copy;
            scene.object_places.emplace_back();
          }
    }
  return scene;
}

}  // namespace

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
  const std::vector<Meeting> all = std::visit(
      [&](const auto& scene) {
        return who_meets(start_run(with_spawned(scene))->trace, o.objects);
      },
      *loaded.scene);
  if (!o.json) {
    if (all.empty()) out << "No two tags: --objects compares the objects themselves\n";
    else out << who_report(all);
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
