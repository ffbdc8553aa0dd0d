#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <algorithm>
#include <ostream>

#include "commands.h"

namespace colvik::tool {

void add_kind(CLI::App& app, KindOptions& o) {
  CLI::App* c = app.add_subcommand(
      "kind", "A kind with all that it inherits, and the line each value comes from");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  c->add_option("kind", o.kind, "name of the kind")->required();
  c->footer(
      "Exit status: 0 shown, 2 the scene or the call is wrong.\n\nExample:\n  build/bin/colvik "
      "kind "
      "data/night-depot.toml shelf");
}

int kind(const KindOptions& o, std::ostream& out, std::ostream& err) {
  const auto values = resolve_kind(o.scene, o.kind);
  if (!values) {
    err << values.error().message() << '\n';
    return kWrong;
  }
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
  }
  return kAllMet;
}

}  // namespace colvik::tool
