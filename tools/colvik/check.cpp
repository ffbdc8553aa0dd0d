#include <fmt/format.h>
#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <ostream>

#include <colvik/explain.hpp>

#include "commands.h"

namespace colvik::tool {
namespace {

using Json = nlohmann::ordered_json;

Json as_json(const std::vector<Finding>& findings) {
  Json list = Json::array();
  for (const Finding& f : findings)
    list.push_back({{"finding", f.id},
                    {"severity", name_of(f.severity)},
                    {"file", f.place.file},
                    {"line", f.place.line},
                    {"column", f.place.column},
                    {"of", f.of},
                    {"what", f.what},
                    {"todo", f.todo},
                    {"accepted", f.accepted}});
  return list;
}

// SARIF 2.1.0, the static analysis results interchange format of OASIS.
Json as_sarif(const std::vector<Finding>& findings) {
  Json rules = Json::array();
  for (const FindingKind& k : finding_kinds())
    rules.push_back({{"id", k.id},
                     {"shortDescription", {{"text", k.meaning}}},
                     {"defaultConfiguration", {{"level", name_of(k.severity)}}}});
  Json results = Json::array();
  for (const Finding& f : findings) {
    Json result = {{"ruleId", f.id},
                   {"level", name_of(f.severity)},
                   {"message", {{"text", f.what + "; " + f.todo}}}};
    Json location = {{"artifactLocation", {{"uri", f.place.file}}}};
    if (f.place.line > 0)
      location["region"] = {{"startLine", f.place.line},
                            {"startColumn", std::max(1U, f.place.column)}};
    result["locations"] = Json::array({{{"physicalLocation", location}}});
    if (!f.accepted.empty())
      result["suppressions"] = Json::array({{{"kind", "inSource"}, {"justification", f.accepted}}});
    results.push_back(result);
  }
  const Json driver = {{"name", "colvik"}, {"version", COLVIK_VERSION}, {"rules", rules}};
  return {{"$schema", "https://json.schemastore.org/sarif-2.1.0.json"},
          {"version", "2.1.0"},
          {"runs", Json::array({{{"tool", {{"driver", driver}}}, {"results", results}}})}};
}

}  // namespace

void add_check(CLI::App& app, CheckOptions& o) {
  CLI::App* c = app.add_subcommand("check", "Find mistakes in scenes that can be read");
  c->add_option("scene", o.scenes, "scene files (TOML)")->required();
  add_settings(*c, o.settings);
  c->add_flag("--run", o.run, "also run them, for what only a run shows");
  c->add_option("--format", o.format, "text, json or sarif (SARIF 2.1.0)")
      ->check(CLI::IsMember({"text", "json", "sarif"}))
      ->capture_default_str();
  c->footer(
      "Exit status: 0 nothing found that is not accepted, 1 findings, 2 a scene or the call is "
      "wrong.\n\nExample:\n  build/bin/colvik check data/night-depot.toml --run");
}

int check(const CheckOptions& o, std::ostream& out, std::ostream& err) {
  std::vector<Finding> all;
  for (const std::string& path : o.scenes) {
    const LoadedScene loaded = load(path, o.settings, err);
    if (!loaded.ok()) return kWrong;
    const std::vector<Finding> found =
        std::visit([&](const auto& scene) { return colvik::check(scene, o.run); }, *loaded.scene);
    all.insert(all.end(), found.begin(), found.end());
  }
  if (o.format == "json") out << as_json(all).dump(1) << '\n';
  else if (o.format == "sarif") out << as_sarif(all).dump(1) << '\n';
  else out << check_report(all);
  return std::any_of(all.begin(), all.end(), [](const Finding& f) { return f.accepted.empty(); })
             ? kSomeMissed
             : kAllMet;
}

}  // namespace colvik::tool
