#pragma once
/// A world with its reactions and the record of what happened, run together.

#include <colvik/expectation.hpp>

namespace colvik {

template <int D>
struct Run {
  explicit Run(const WorldSettings<D>& settings = {}) : world(settings), rules(world) {}

  struct TimedInput {
    double at = 0;  ///< seconds from the start of the run
    std::string name{};
  };

  World<D> world;
  Rules<D> rules;
  Trace<D> trace;
  std::vector<TimedInput> inputs{};  ///< given to the rules at their times
  /// Called whenever the trace has noted a step, the end, or (with true) that the run began again.
  std::function<void(bool begun_again)> on_noted{};

  /// One step, recorded.
  void step() {
    if (!started_) start();
    const double now = world.time();
    const double then = now + 1 / world.settings().rate;
    // In the step that ends then or first after: as reactions with that time start.
    for (const TimedInput& i : inputs)
      if (i.at <= then + 1e-9 && (i.at > now + 1e-9 || world.steps() == 0)) rules.input(i.name);
    world.step();
    note();
    if (rules.wants_restart()) restart();
  }
  /// All touches end, and world and reactions are as they were before the first step: times of
  /// motions, schedules and reactions begin again. The trace, the counts of reactions and what
  /// expectations see go on, and the run ends when it would have ended.
  void restart() {
    if (!started_) start();
    world.finish();
    note();
    world.load(first_).value();
    rules.begin_again();
    trace.go_on();
    if (on_noted) on_noted(true);
  }
  /// Steps for `seconds` or until a reaction finishes the run; then ends all touches.
  void run_for(double seconds) {
    if (!started_) start();
    const auto last =
        trace.steps() + static_cast<std::uint64_t>(std::llround(seconds * world.settings().rate));
    while (trace.steps() < last && !rules.outcome()) step();
    world.finish();
    note();
  }

 private:
  void note() {
    trace.record(world, rules);
    if (on_noted) on_noted(false);
  }
  void start() {
    started_ = true;
    first_ = world.save();
    trace.start(world, rules);
  }
  bool started_ = false;
  std::vector<std::byte> first_;
};

}  // namespace colvik
