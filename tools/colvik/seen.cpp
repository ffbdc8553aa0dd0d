#include "seen.h"

#include <unistd.h>

#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include <chrono>
#include <filesystem>
#include <ostream>

#include "commands.h"
#include "judged.h"

namespace colvik::tool {

void add_scene_or_recording(CLI::App& command, SceneOptions& o) {
  command.add_option("scene", o.path, "scene file (TOML), or a recording (run --record)")
      ->required();
  add_settings(command, o.settings);
}

int wrong(const char* command, const Error& error, std::ostream& err) {
  err << fmt::format("colvik {}: {}\n", command, error.message());
  return kWrong;
}

template <int D>
std::vector<Judged> Seen<D>::verdicts() const {
  if (!scene) return recording->verdicts;
  return judged(*scene, *run);
}
template struct Seen<2>;
template struct Seen<3>;

template <int D>
void run_shown(Run<D>& run, double length, std::ostream& err, const std::function<void()>& each) {
  using Clock = std::chrono::steady_clock;
  const bool terminal = isatty(STDERR_FILENO) != 0;
  auto shown = Clock::now();
  bool any = false;
  const double rate = run.world.settings().rate;
  const auto last = run.trace.steps() + static_cast<std::uint64_t>(std::llround(length * rate));
  while (run.trace.steps() < last && !run.rules.outcome()) {
    run.step();
    if (each) each();
    if (!terminal || Clock::now() - shown < std::chrono::seconds(1)) continue;
    shown = Clock::now();
    any = true;
    err << fmt::format("\r{:.1f} s of {:g} s ...", run.trace.time(), length) << std::flush;
  }
  run.run_for(0);  // ends all touches
  if (any) err << "\r\x1b[K" << std::flush;
}
template void run_shown(Run<2>&, double, std::ostream&, const std::function<void()>&);
template void run_shown(Run<3>&, double, std::ostream&, const std::function<void()>&);

AnySeen see(const SceneOptions& o, std::ostream& err) {
  const std::string stem = std::filesystem::path(o.path).stem().string();
  if (is_recording(o.path)) {
    if (!o.settings.empty()) {
      err << fmt::format("{}: is a recording, and --set changes a scene; the scene itself\n",
                         o.path);
      return std::nullopt;
    }
    auto read = read_recording(o.path);
    if (!read) {
      err << read.error().message() << '\n';
      return std::nullopt;
    }
    return std::visit(
        [&]<int D>(Recording<D>&& recording) -> AnySeen {
          Seen<D> seen;
          seen.recording = std::make_shared<Recording<D>>(std::move(recording));
          seen.title = seen.recording->about.title.empty() ? stem : seen.recording->about.title;
          seen.view = seen.recording->about.view;
          if (!seen.recording->complete)
            err << fmt::format("{}: {}\n", o.path, seen.recording->cut);
          return seen;
        },
        std::move(read).value());
  }
  LoadedScene loaded = load(o.path, o.settings, err);
  if (!loaded.ok()) return std::nullopt;
  return std::visit(
      [&]<int D>(Scene<D>& scene) -> AnySeen {
        Seen<D> seen;
        seen.scene = std::make_shared<const Scene<D>>(std::move(scene));
        seen.run = start_run(*seen.scene);
        run_shown(*seen.run, seen.scene->length, err);
        seen.title = stem;
        if (!seen.scene->view.empty()) seen.view = seen.scene->regions.at(seen.scene->view);
        return seen;
      },
      *loaded.scene);
}

}  // namespace colvik::tool
