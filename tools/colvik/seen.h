#pragma once
// What commands show: a scene that is run now, or a recording of a run.
#include <colvik/insight.hpp>
#include <colvik/recording.hpp>
#include <colvik/scene.hpp>

#include <iosfwd>

namespace CLI {
class App;
}

namespace colvik::tool {

// "scene" with --set, the first argument of these commands.
struct SceneOptions {
  std::string path{};
  std::vector<std::string> settings{};
};
void add_scene_or_recording(CLI::App& command, SceneOptions& options);

template <int D>
struct Seen {
  std::shared_ptr<const Scene<D>> scene{};  // none of a recording
  std::shared_ptr<Run<D>> run{};            // likewise
  std::shared_ptr<Recording<D>> recording{};
  std::string title{};
  std::optional<Bounds<D>> view{};

  [[nodiscard]] const Trace<D>& trace() const { return run ? run->trace : recording->trace; }
  // Expectations and what came of them. Of a scene with the reasons of those that were missed,
  // which takes another run.
  [[nodiscard]] std::vector<Judged> verdicts() const;
};
using AnySeen = std::optional<std::variant<Seen<2>, Seen<3>>>;

// Runs the scene, or reads the recording; nothing, after a message, when it cannot be used. On a
// terminal a long run shows how far it is.
AnySeen see(const SceneOptions& options, std::ostream& err);

// Runs it to the end; `each` is called after each step.
template <int D>
void run_shown(Run<D>& run, double length, std::ostream& err,
               const std::function<void()>& each = {});

// "colvik COMMAND: where: what; accepted"
int wrong(const char* command, const Error& error, std::ostream& err);

}  // namespace colvik::tool
