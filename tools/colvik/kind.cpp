#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <algorithm>
#include <ostream>
#include <sstream>

#include "commands.h"

namespace colvik::tool {

void add_kind(CLI::App& app, KindOptions& o) {
  CLI::App* c = app.add_subcommand(
      "kind", "A kind with all that it inherits, and the line each value comes from");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  c->add_option("kind", o.kind, "name of the kind")->required();
  add_files(*c);
  c->footer(
      "Exit status: 0 shown, 2 the scene or the call is wrong.\n\nExample:\n  build/bin/colvik "
      "kind "
      "data/night-depot.toml shelf");
}

namespace {

struct AnyFitted {
  Place place;
  std::string text;
  std::string how;
};

// What the fit at this place came to: those at the first place there or after it.
void show_fitted(const std::vector<AnyFitted>& all, const Place& at, std::ostream& out) {
  const auto place = [](const Place& p) { return std::pair(p.line, p.column); };
  std::optional<std::pair<std::uint32_t, std::uint32_t>> first;
  for (const AnyFitted& f : all)
    if (place(f.place) >= place(at) && (!first || place(f.place) < *first)) first = place(f.place);
  for (const AnyFitted& f : all) {  // more than one of frames
    if (!first || place(f.place) != *first) continue;
    out << "  " << f.how << '\n';
    std::istringstream lines(f.text);
    for (std::string line; std::getline(lines, line);) out << "  " << line << '\n';
  }
}

}  // namespace

int kind(const KindOptions& o, std::ostream& out, std::ostream& err) {
  const auto values = resolve_kind(o.scene, o.kind);
  if (!values) {
    err << values.error().message() << '\n';
    return kWrong;
  }
  std::vector<AnyFitted> fitted;
  if (const LoadedScene loaded = load_quietly(o.scene, {}); loaded.ok())
    std::visit(
        [&](const auto& scene) {
          for (const auto& f : scene.fitted) fitted.push_back({f.place, f.text, f.how});
        },
        *loaded.scene);
  std::size_t key = 0;
  std::size_t value = 0;
  for (const ResolvedValue& v : values.value()) {
    key = std::max(key, v.key.size());
    value = std::max(value, std::min<std::size_t>(40, v.value.size()));
  }
  for (const ResolvedValue& v : values.value()) {
    out << fmt::format("{:<{}} = {:<{}}  {}:{} in {}", v.key, key, v.value, value, v.place.file,
                       v.place.line, v.kind);
    if (!v.replaces.empty()) out << ", instead of " << v.replaces;
    out << '\n';
    if (v.key == "collider.fit") show_fitted(fitted, v.place, out);
  }
  return kAllMet;
}

}  // namespace colvik::tool
