#pragma once
// A scene that is played: keys that are held become wishes of walkers and inputs, and are kept so
// that a run of the scene does the same again.
#include <colvik/replay.hpp>
#include <colvik/scene.hpp>

#include <set>

namespace colvik::tool {

template <int D>
class Played {
 public:
  // Walkers with controls do only what keys say; inputs that keys give come from keys alone.
  explicit Played(Scene<D> scene);

  // At most so many steps with these keys held, to the end of the scene.
  void step(int steps, const std::set<std::string>& held);
  // All keys are let go, and the run goes on to its end.
  void stop();
  [[nodiscard]] bool over() const { return over_; }
  [[nodiscard]] const Trace<D>& trace() const { return run_->trace; }
  [[nodiscard]] double seconds() const { return seconds_; }  // played by keys

  struct Walker {
    std::string name;
    ObjectId id{};
    Wish<D> wish{};
    std::vector<TimedWish<D>> wishes{};
  };
  [[nodiscard]] std::span<const Walker> walkers() const { return walkers_; }
  [[nodiscard]] std::span<const typename Run<D>::TimedInput> inputs() const { return inputs_; }
  // The text of a file that `wishes` of a walker may name.
  [[nodiscard]] static std::string wishes_text(const Walker& walker);

 private:
  Scene<D> scene_;
  std::unique_ptr<Run<D>> run_;
  std::vector<Walker> walkers_;
  std::vector<typename Run<D>::TimedInput> inputs_;
  std::set<std::string> held_;
  std::uint64_t last_ = 0;
  double seconds_ = 0;
  bool over_ = false;
};

// Writes wishes into files beside the scene, names them in it, and appends inputs and expectations.
// All or nothing: the scene is only replaced by one that runs as it was played. Says what it did,
// or what is to be done by hand. `allowed`: folder that files which the scene names must be in; its
// own if empty.
template <int D>
Result<std::vector<std::string>> keep_played(const std::string& path, const Scene<D>& scene,
                                             const Played<D>& played, bool wishes,
                                             bool expectations, std::span<const Setting> settings,
                                             const std::string& allowed = {});

}  // namespace colvik::tool
