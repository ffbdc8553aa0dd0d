#pragma once
/// Threads for callers who have none of their own (library colvik::threads).

#include <colvik/export.hpp>
#include <colvik/workers.hpp>

#include <memory>

namespace colvik {

/// Starts count - 1 threads, which end with it. Between two runs each spins for a
/// moment, then sleeps. One thread at a time may call run().
class COLVIK_EXPORT Threads final : public Workers {
 public:
  /// 0: the number of hardware threads. At most 256.
  explicit Threads(std::size_t count = 0);
  ~Threads() override;

  [[nodiscard]] std::size_t count() const override;
  void run(const Work& work) override;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace colvik
