#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <filesystem>
#include <iostream>

#include <colvik/picture.hpp>

#include "commands.h"

namespace colvik::tool {

void add_draw(CLI::App& app, DrawOptions& o) {
  CLI::App* c = app.add_subcommand("draw", "Run a scene and draw it");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  c->add_option("--out", o.out, "picture to write, .png or .svg")->required();
  add_settings(*c, o.settings);
  CLI::Option* at =
      c->add_option("--at", o.at,
                    "the moment to show, in seconds; the end of the run when left out")
          ->check(CLI::NonNegativeNumber);
  c->add_option("--strobe", o.strobe, "so many moments of the run in one picture, 2 to 100")
      ->check(CLI::Range(2, 100))
      ->excludes(at);
  c->add_option("--size", o.size, "WIDTHxHEIGHT in pixels")->capture_default_str();
  c->footer("Example:\n  build/bin/colvik draw data/night-depot.toml --out depot.png --at 4");
}

namespace {

template <int D>
int draw_one(const Scene<D>& scene, const DrawOptions& o, const PictureOptions& options,
             std::ostream& out, std::ostream& err) {
  if (o.at > scene.length) {
    err << fmt::format("colvik draw: --at {:g}: the run is over at {:g} s; a time from 0 to {:g}\n",
                       o.at, scene.length, scene.length);
    return kWrong;
  }
  const auto run = start_run(scene);
  run->run_for(scene.length);
  const Bounds<D>* view = scene.view.empty() ? nullptr : &scene.regions.at(scene.view);
  if (const Result<void> drawn = draw_picture(run->trace, view, o.out, options); !drawn) {
    err << drawn.error().message() << '\n';
    return kWrong;
  }
  out << fmt::format("{}: {}x{} pixels, {} reactions marked\n", o.out, options.width,
                     options.height, run->trace.firings().size());
  return kAllMet;
}

}  // namespace

int draw(const DrawOptions& o, std::ostream& out, std::ostream& err) {
  PictureOptions options;
  int used = 0;
  const bool sized =
      std::sscanf(o.size.c_str(), "%dx%d%n", &options.width, &options.height, &used) == 2 &&
      static_cast<std::size_t>(used) == o.size.size();
  if (!sized) {
    err << fmt::format("colvik draw: --size '{}' is not a size; WIDTHxHEIGHT, such as 1280x800\n",
                       o.size);
    return kWrong;
  }
  if (o.at >= 0) options.at = o.at;
  options.strobe = o.strobe;
  options.title = std::filesystem::path(o.scene).stem().string();
  const LoadedScene loaded = load(o.scene, o.settings, err);
  if (!loaded.ok()) return kWrong;
  return std::visit([&](const auto& scene) { return draw_one(scene, o, options, out, err); },
                    *loaded.scene);
}

}  // namespace colvik::tool
