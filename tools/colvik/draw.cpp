#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <iostream>

#include <colvik/picture.hpp>

#include "commands.h"

namespace colvik::tool {

void add_draw(CLI::App& app, DrawOptions& o) {
  CLI::App* c = app.add_subcommand("draw", "Run a scene and draw it");
  add_scene_or_recording(*c, o.scene);
  c->add_option("--out", o.out, "picture to write, .png or .svg")->required();
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
int draw_one(const Seen<D>& seen, const DrawOptions& o, PictureOptions options, std::ostream& out,
             std::ostream& err) {
  const double end = seen.scene ? seen.scene->length : seen.trace().time();
  if (o.at > end) {
    err << fmt::format("colvik draw: --at {:g}: the run is over at {:g} s; a time from 0 to {:g}\n",
                       o.at, end, end);
    return kWrong;
  }
  options.title = seen.title;
  const Bounds<D>* view = seen.view ? &*seen.view : nullptr;
  if (const Result<void> drawn = draw_picture(seen.trace(), view, o.out, options); !drawn) {
    err << drawn.error().message() << '\n';
    return kWrong;
  }
  out << fmt::format("{}: {}x{} pixels, {} reactions marked\n", o.out, options.width,
                     options.height, seen.trace().firings().size());
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
  const AnySeen seen = see(o.scene, err);
  if (!seen) return kWrong;
  return std::visit([&](const auto& what) { return draw_one(what, o, options, out, err); }, *seen);
}

}  // namespace colvik::tool
