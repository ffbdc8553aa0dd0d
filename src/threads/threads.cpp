#include <colvik/threads.hpp>

#include <algorithm>
#include <atomic>
#include <cstdint>
#include <thread>
#include <vector>

namespace colvik {
namespace {

constexpr std::size_t kMost = 256;
constexpr int kPatience = 20000;  // polls, before it sleeps or yields

}  // namespace

struct Threads::Impl {
  std::size_t count = 1;
  const Work* work = nullptr;
  std::atomic<std::size_t> next{~std::size_t{0}};  // number that nobody has taken yet in this run
  std::atomic<std::size_t> returned{0};
  std::atomic<std::uint32_t> runs{0};
  std::atomic<bool> stop{false};
  std::vector<std::jthread> threads;  // ends first

  // Numbers of the run at hand, as long as there are some. Whoever takes one is waited for.
  void help() {
    for (;;) {
      if (next.load(std::memory_order_acquire) >= count) return;
      const std::size_t number = next.fetch_add(1, std::memory_order_acq_rel);
      if (number >= count) return;
      (*work)(number);
      returned.fetch_add(1, std::memory_order_release);
    }
  }
  void serve() {
    std::uint32_t seen = 0;
    while (!stop.load(std::memory_order_acquire)) {
      for (int look = 0; look < kPatience && runs.load(std::memory_order_acquire) == seen; ++look) {
      }
      runs.wait(seen, std::memory_order_acquire);
      seen = runs.load(std::memory_order_acquire);
      help();
    }
  }
};

Threads::Threads(std::size_t count) : impl_(std::make_unique<Impl>()) {
  if (count == 0) count = std::thread::hardware_concurrency();
  impl_->count = std::clamp<std::size_t>(count, 1, kMost);
  for (std::size_t k = 1; k < impl_->count; ++k)
    impl_->threads.emplace_back([impl = impl_.get()] { impl->serve(); });
}

Threads::~Threads() {
  impl_->stop.store(true, std::memory_order_release);
  impl_->runs.fetch_add(1, std::memory_order_release);
  impl_->runs.notify_all();
}

std::size_t Threads::count() const { return impl_->count; }

// What sleeping threads do not come for in time the caller does itself.
void Threads::run(const Work& work) {
  Impl& all = *impl_;
  all.work = &work;
  all.returned.store(0, std::memory_order_relaxed);
  all.next.store(0, std::memory_order_release);
  all.runs.fetch_add(1, std::memory_order_release);
  all.runs.notify_all();
  all.help();
  for (int look = 0; all.returned.load(std::memory_order_acquire) < all.count; ++look)
    if (look >= kPatience) std::this_thread::yield();
}

}  // namespace colvik
