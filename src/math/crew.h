#pragma once
// Work shared by threads, in an order that depends on none of them.
#include <colvik/workers.hpp>

#include <algorithm>
#include <array>
#include <atomic>
#include <cstdint>
#include <span>
#include <thread>
#include <vector>

namespace colvik::math {

/// Stages one after the other, each of parts that any thread may do in any order. Without workers
/// the caller does all, in order. Allocates only for more stages than ever before.
class Crew {
 public:
  void use(Workers* workers) {
    workers_ = workers != nullptr && workers->count() > 1 ? workers : nullptr;
  }
  [[nodiscard]] Workers* workers() const { return workers_; }
  [[nodiscard]] bool alone() const { return workers_ == nullptr; }
  /// How many different numbers of workers there are.
  [[nodiscard]] std::size_t size() const { return alone() ? 1 : workers_->count(); }

  /// part(stage, k, worker) for k below parts[stage]. All of a stage have returned, and what they
  /// wrote is seen, before the next begins. No two at once have the same worker.
  template <class Part>
  void run(std::span<const std::uint32_t> parts, Part&& part) {
    if (alone()) {
      for (std::size_t s = 0; s < parts.size(); ++s)
        for (std::uint32_t k = 0; k < parts[s]; ++k) part(s, k, std::size_t{0});
      return;
    }
    if (stages_.size() < parts.size()) stages_ = std::vector<Stage>(parts.size());
    for (std::size_t s = 0; s < parts.size(); ++s) {
      stages_[s].taken.store(0, std::memory_order_relaxed);
      stages_[s].done.store(0, std::memory_order_relaxed);
    }
    // Whoever comes takes what is left, and waits only for what others have taken: none is needed.
    const auto work = [&](std::size_t worker) {
      for (std::size_t s = 0; s < parts.size(); ++s) {
        Stage& stage = stages_[s];
        for (;;) {
          const std::uint32_t k = stage.taken.fetch_add(1, std::memory_order_relaxed);
          if (k >= parts[s]) break;
          part(s, k, worker);
          stage.done.fetch_add(1, std::memory_order_release);
        }
        for (unsigned turn = 0; stage.done.load(std::memory_order_acquire) < parts[s]; ++turn)
          if (turn >= kPatience) std::this_thread::yield();
      }
    };
    workers_->run(std::cref(work));
  }
  /// Into how many parts share() takes what is below count: one for a caller alone, or where it is
  /// little.
  [[nodiscard]] std::size_t parts(std::size_t count, std::size_t grain) const {
    return alone() || count < 2 * grain ? 1 : (count + grain - 1) / grain;
  }
  /// f(first, last, worker) for these parts, which begin at multiples of `grain`.
  template <class F>
  void share(std::size_t count, std::size_t grain, F&& f) {
    const std::array<std::uint32_t, 1> all{static_cast<std::uint32_t>(parts(count, grain))};
    if (all[0] == 1) {
      if (count > 0) f(std::size_t{0}, count, std::size_t{0});
      return;
    }
    run(all, [&](std::size_t, std::uint32_t k, std::size_t worker) {
      f(k * grain, std::min(count, (k + 1) * grain), worker);
    });
  }

 private:
  static constexpr unsigned kPatience = 2000;  // polls, before it yields
  struct alignas(64) Stage {                   // on a line of memory of its own
    std::atomic<std::uint32_t> taken{0};
    std::atomic<std::uint32_t> done{0};
  };

  Workers* workers_ = nullptr;
  std::vector<Stage> stages_;
};

}  // namespace colvik::math
