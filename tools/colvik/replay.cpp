#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <filesystem>
#include <ostream>

#include <colvik/replay.hpp>

#include "commands.h"

namespace colvik::tool {

void add_replay(CLI::App& app, ReplayFileOptions& o) {
  CLI::App* c = app.add_subcommand(
      "replay", "Run a scene and write it as a page to play, step through and search");
  add_scene_or_recording(*c, o.scene);
  c->add_option("--out", o.out, "page to write, .html; it needs no other file")->required();
  c->add_option("--against", o.against, "a second scene file or recording, laid over the first");
  c->add_option("--with", o.with,
                "NAME=VALUE: the value of a parameter in the second run; may be repeated")
      ->take_all()
      ->allow_extra_args(false);
  c->footer(
      "Exit status: 0 written, 2 the scene or the call is wrong.\n\nExample:\n  build/bin/colvik "
      "replay data/night-depot.toml --out depot.html");
}

namespace {

template <int D>
int replay_one(const Seen<D>& seen, const AnySeen& second, const ReplayFileOptions& o,
               std::ostream& out, std::ostream& err) {
  ReplayOptions<D> options;
  options.title = seen.title;
  options.verdicts = seen.verdicts();
  options.view = seen.view;
  if (second) {
    const auto* same = std::get_if<Seen<D>>(&*second);
    if (same == nullptr) {
      err << "colvik replay: one run is in 2D, the other in 3D; two of the same\n";
      return kWrong;
    }
    options.against = &same->trace();
  }
  if (const Result<void> written = write_replay(seen.trace(), o.out, options); !written)
    return wrong("replay", written.error(), err);
  out << fmt::format("{}: {:.2f} s, {} objects, {:.1f} MB\n", o.out, seen.trace().time(),
                     seen.trace().objects().size(),
                     static_cast<double>(std::filesystem::file_size(o.out)) / 1e6);
  return kAllMet;
}

}  // namespace

int replay(const ReplayFileOptions& o, std::ostream& out, std::ostream& err) {
  const AnySeen seen = see(o.scene, err);
  if (!seen) return kWrong;
  AnySeen second;
  if (!o.against.empty() || !o.with.empty()) {
    SceneOptions other = o.scene;
    if (!o.against.empty()) other.path = o.against;
    if (is_recording(other.path)) other.settings.clear();  // they are the first one's
    other.settings.insert(other.settings.end(), o.with.begin(), o.with.end());  // later ones count
    second = see(other, err);
    if (!second) return kWrong;
  }
  return std::visit([&](const auto& what) { return replay_one(what, second, o, out, err); }, *seen);
}

}  // namespace colvik::tool
