#pragma once
/// What a world works with when it is to use more than the thread that calls it.

#include <cstddef>
#include <functional>

namespace colvik {

/// Threads of the caller's own (an engine's jobs, a task library), or those of threads.hpp, for
/// World::work_with(). How many there are, and what each gets to do, changes no bit of what comes
/// of it.
class Workers {
 public:
  /// Called with a number below count().
  using Work = std::function<void(std::size_t)>;

  Workers() = default;
  virtual ~Workers() = default;
  Workers(const Workers&) = delete;
  Workers& operator=(const Workers&) = delete;

  /// How many may work concurrently, the thread that calls run() included: at least 1, and always
  /// the same.
  [[nodiscard]] virtual std::size_t count() const = 0;
  /// Calls work(0) to work(count() - 1), each once, and returns when all have returned. On any
  /// threads, in any order, concurrently or one after the other: a late thread finds nothing
  /// left to do and returns immediately. A step calls it some dozens of times, each for tenths of a
  /// millisecond. `work` does not throw.
  virtual void run(const Work& work) = 0;
};

}  // namespace colvik
