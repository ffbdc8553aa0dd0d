#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <filesystem>
#include <ostream>

#include <colvik/replay.hpp>

#include "commands.h"
#include "verdicts.h"

namespace colvik::tool {

void add_replay(CLI::App& app, ReplayFileOptions& o) {
  CLI::App* c = app.add_subcommand(
      "replay", "Run a scene and write it as a page to play, step through and search");
  c->add_option("scene", o.scene, "scene file (TOML)")->required();
  c->add_option("--out", o.out, "page to write, .html; it needs no other file")->required();
  c->add_option("--against", o.against, "a second scene file, laid over the first");
  add_settings(*c, o.settings);
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
int replay_one(const Scene<D>& scene, const std::optional<LoadedScene>& second,
               const ReplayFileOptions& o, std::ostream& out, std::ostream& err) {
  const auto run = start_run(scene);
  run->run_for(scene.length);
  ReplayOptions<D> options;
  options.title = std::filesystem::path(o.scene).stem().string();
  options.verdicts = verdicts_of(scene, *run);
  if (!scene.view.empty()) options.view = scene.regions.at(scene.view);
  std::unique_ptr<Run<D>> other;
  if (second) {
    const auto* same = std::get_if<Scene<D>>(&*second->scene);
    if (same == nullptr) {
      err << "colvik replay: one scene is in 2D, the other in 3D; two of the same\n";
      return kWrong;
    }
    other = start_run(*same);
    other->run_for(same->length);
    options.against = &other->trace;
  }
  if (const Result<void> written = write_replay(run->trace, o.out, options); !written) {
    err << "colvik replay: " << written.error().message() << '\n';
    return kWrong;
  }
  out << fmt::format("{}: {:.2f} s, {} objects, {:.1f} MB\n", o.out, run->trace.time(),
                     run->trace.objects().size(),
                     static_cast<double>(std::filesystem::file_size(o.out)) / 1e6);
  return kAllMet;
}

}  // namespace

int replay(const ReplayFileOptions& o, std::ostream& out, std::ostream& err) {
  const LoadedScene loaded = load(o.scene, o.settings, err);
  if (!loaded.ok()) return kWrong;
  std::optional<LoadedScene> second;
  if (!o.against.empty() || !o.with.empty()) {
    std::vector<std::string> changed = o.settings;  // later ones count
    changed.insert(changed.end(), o.with.begin(), o.with.end());
    second = load(o.against.empty() ? o.scene : o.against, changed, err);
    if (!second->ok()) return kWrong;
  }
  return std::visit([&](const auto& scene) { return replay_one(scene, second, o, out, err); },
                    *loaded.scene);
}

}  // namespace colvik::tool
