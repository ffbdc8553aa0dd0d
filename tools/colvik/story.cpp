#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <ostream>

#include <colvik/insight.hpp>

#include "commands.h"

namespace colvik::tool {

void add_story(CLI::App& app, StoryOptions& o) {
  CLI::App* c = app.add_subcommand("story", "All that happened to one object, in order");
  add_scene_or_recording(*c, o.scene);
  c->add_option("object", o.object, "its name; of several one after another, all")->required();
  c->footer(
      "Exit status: 0 printed, 2 the scene or the call is wrong.\n\nExample:\n  build/bin/colvik "
      "story data/night-depot.toml courier");
}

int story(const StoryOptions& o, std::ostream& out, std::ostream& err) {
  const AnySeen seen = see(o.scene, err);
  if (!seen) return kWrong;
  return std::visit(
      [&](const auto& what) {
        const auto& trace = what.trace();
        const std::string name = o.object.starts_with('@') ? o.object.substr(1) : o.object;
        if (trace.find(name) == kNobody) {
          std::vector<std::string> names;
          for (const auto& known : trace.objects()) names.push_back(known.name);
          err << fmt::format("colvik story: no object is named '{}'; {}\n", name,
                             suggestion(name, names, "the name of an object of the run"));
          return kWrong;
        }
        out << story_of(trace, name);
        return kAllMet;
      },
      *seen);
}

}  // namespace colvik::tool
