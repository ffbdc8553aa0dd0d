#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <ostream>

#include <colvik/timeline.hpp>

#include "commands.h"

namespace colvik::tool {

void add_timeline(CLI::App& app, TimelineFileOptions& o) {
  CLI::App* c =
      app.add_subcommand("timeline", "Run a scene and draw what happened over time, a lane each");
  add_scene_or_recording(*c, o.scene);
  c->add_option("--out", o.out, "picture to write, .png or .svg")->required();
  c->add_option("--lane", o.lanes,
                "a reaction, a tag query, @object, or two: 'A with B'; may be repeated; without "
                "it all reactions and touched zones")
      ->take_all()
      ->allow_extra_args(false);
  c->add_option("--width", o.width, "pixels")->check(CLI::Range(400, 8000))->capture_default_str();
  c->footer(
      "Exit status: 0 drawn, 2 the scene or the call is wrong.\n\nExample:\n  build/bin/colvik "
      "timeline data/night-depot.toml --out depot.svg --lane collect --lane 'courier with any'");
}

int timeline(const TimelineFileOptions& o, std::ostream& out, std::ostream& err) {
  const AnySeen seen = see(o.scene, err);
  if (!seen) return kWrong;
  return std::visit(
      [&](const auto& what) {
        TimelineOptions options;
        options.lanes = o.lanes;
        options.width = o.width;
        options.title = what.title;
        options.verdicts = what.verdicts();
        if (const auto drawn = draw_timeline(what.trace(), o.out, options); !drawn)
          return wrong("timeline", drawn.error(), err);
        out << fmt::format("{}: {:.2f} s\n", o.out, what.trace().time());
        return kAllMet;
      },
      *seen);
}

}  // namespace colvik::tool
