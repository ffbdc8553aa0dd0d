#pragma once
// A change that waits for the end of the step.
#include <cstddef>
#include <memory>
#include <new>
#include <utility>

namespace colvik::world {

/// A function to be called once, kept without memory of its own unless it is large.
class DeferredChange {
 public:
  template <class F>
  explicit DeferredChange(F act) {
    if constexpr (sizeof(F) <= sizeof(room_) && alignof(F) <= alignof(std::max_align_t)) {
      new (room_) F(std::move(act));
      ways_ = &kWays<F>;
    } else {
      auto held = [act = std::make_unique<F>(std::move(act))] { (*act)(); };
      new (room_) decltype(held)(std::move(held));
      ways_ = &kWays<decltype(held)>;
    }
  }
  DeferredChange(DeferredChange&& other) noexcept : ways_(other.ways_) {
    ways_->move(other.room_, room_);
  }
  DeferredChange(const DeferredChange&) = delete;
  DeferredChange& operator=(const DeferredChange&) = delete;
  DeferredChange& operator=(DeferredChange&&) = delete;
  ~DeferredChange() { ways_->end(room_); }
  void operator()() { ways_->call(room_); }

 private:
  struct Ways {
    void (*call)(void*);
    void (*move)(void* from, void* to);
    void (*end)(void*);
  };
  template <class F>
  static constexpr Ways kWays{
      [](void* at) { (*static_cast<F*>(at))(); },
      [](void* from, void* to) { new (to) F(std::move(*static_cast<F*>(from))); },
      [](void* at) { static_cast<F*>(at)->~F(); }};

  const Ways* ways_ = nullptr;
  alignas(std::max_align_t) std::byte room_[112];
};

}  // namespace colvik::world
