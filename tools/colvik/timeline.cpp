#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <filesystem>
#include <ostream>

#include <colvik/timeline.hpp>

#include "commands.h"
#include "verdicts.h"

namespace colvik::tool {

void add_timeline(CLI::App& app, TimelineFileOptions& o) {
  CLI::App* c =
      app.add_subcommand("timeline", "Run a scene and draw what happened over time, a lane each");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  c->add_option("--out", o.out, "picture to write, .png or .svg")->required();
  c->add_option("--lane", o.lanes,
                "a reaction, a tag query, @object, or two: 'A with B'; may be repeated; without "
                "it all reactions and touched zones")
      ->take_all()
      ->allow_extra_args(false);
  c->add_option("--width", o.width, "pixels")->check(CLI::Range(400, 8000))->capture_default_str();
  add_settings(*c, o.settings);
  c->footer(
      "Exit status: 0 drawn, 2 the scene or the call is wrong.\n\nExample:\n  build/bin/colvik "
      "timeline data/night-depot.toml --out depot.svg --lane collect --lane 'courier with any'");
}

int timeline(const TimelineFileOptions& o, std::ostream& out, std::ostream& err) {
  const LoadedScene loaded = load(o.scene, o.settings, err);
  if (!loaded.ok()) return kWrong;
  return std::visit(
      [&](const auto& scene) {
        const auto run = start_run(scene);
        run->run_for(scene.length);
        TimelineOptions options;
        options.lanes = o.lanes;
        options.width = o.width;
        options.title = std::filesystem::path(o.scene).stem().string();
        options.verdicts = verdicts_of(scene, *run);
        if (const auto drawn = draw_timeline(run->trace, o.out, options); !drawn) {
          const Error& e = drawn.error();
          err << fmt::format("colvik timeline: {}: {}; {}\n", e.where, e.what, e.accepted);
          return kWrong;
        }
        out << fmt::format("{}: {:.2f} s\n", o.out, run->trace.time());
        return kAllMet;
      },
      *loaded.scene);
}

}  // namespace colvik::tool
