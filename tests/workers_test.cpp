// Steps shared between threads.
#include <colvik/threads.hpp>

#include <atomic>
#include <chrono>
#include <numeric>
#include <thread>

#include "math/crew.h"
#include "math/hash.h"
#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

// A caller's own: one thread that plays all of them, the last number first, and counts.
class Backwards final : public Workers {
 public:
  explicit Backwards(std::size_t count) : called(count) {}
  [[nodiscard]] std::size_t count() const override { return called.size(); }
  void run(const Work& work) override {
    for (std::size_t k = called.size(); k-- > 0;) {
      ++called[k];
      work(k);
    }
  }
  std::vector<std::size_t> called;
};

// Things of all kinds poured on each other, some of them fast, bouncing, rolling or heavy; lifts,
// zones and a beam above.
template <int D>
std::unique_ptr<World<D>> rush(std::size_t n) {
  auto world = std::make_unique<World<D>>(earth<D>());
  world->add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(200, 1))})).value();
  ObjectDef<D> lift = thing<D>("lift", BodyKind::kinematic, up<D>(0.2), {solid(slab<D>(4, 0.3))});
  lift.motion = Path<D>{{{0, up<D>(0.2), {}}, {1, up<D>(1.5), {}}}, false};
  world->add(lift).value();
  world->add(thing<D>("counter", BodyKind::fixed, up<D>(2), {zone(slab<D>(30, 0.5))})).value();
  Random random(11);
  const auto side = static_cast<std::size_t>(D == 3 ? std::cbrt(2.0 * static_cast<double>(n))
                                                    : std::sqrt(2.0 * static_cast<double>(n)));
  for (std::size_t i = 0; i < n; ++i) {
    Vec<D> at = up<D>(0.6 + 0.85 * static_cast<double>(D == 3 ? i / (side * side) : i / side));
    at[0] = 0.85 * (static_cast<double>(i % side) - static_cast<double>(side) / 2);
    if constexpr (D == 3) at[2] = 0.85 * static_cast<double>(i / side % side);
    const double size = random.range(0.6, 0.8);
    ObjectDef<D> def =
        thing<D>("body-" + std::to_string(i), BodyKind::dynamic, Vec<D>(at + random.vec<D>(0.04)),
                 {solid(i % 4 == 0   ? ball<D>(size)
                        : i % 4 == 1 ? cube<D>(size)
                        : i % 4 == 2 ? capsule<D>(0.5 * size, size)
                                     : odd<D>(static_cast<int>(i)))});
    if (i % 50 == 7) def.velocity = random.vec<D>(80);
    if (i % 7 == 3) def.colliders[0].restitution = 0.5;
    if (i % 11 == 5) def.colliders[0].rolling_friction = 0.1;
    if (i % 101 == 9) def.mass = 40;
    world->add(def).value();
  }
  return world;
}

// The check for data races runs each step some thirty times slower; it needs to see each stage, in
// a pile that touches, and not the pile come to rest.
#ifdef __SANITIZE_THREAD__
constexpr int kSteps = 16;
constexpr std::size_t kMany = 3;
#else
constexpr int kSteps = 40;
constexpr std::size_t kMany = 5;
#endif

std::uint64_t events_hash(const auto& world) {
  math::Hasher h;
  for (const auto& e : world.events()) {
    h.add(static_cast<std::uint64_t>(e.phase));
    h.add(e.time);
    h.add(e.impulse);
    h.add(e.point);
    h.add(world.object(e.self).serial);
    h.add(world.object(e.other).serial);
  }
  return h.value();
}

}  // namespace

TEST_CASE_TEMPLATE("steps have the same bits however many share them", T, Two, Three) {
  constexpr int D = T::D;
  const std::size_t n = D == 2 ? 900 : 700;
  std::vector<std::pair<std::uint64_t, std::uint64_t>> wanted;
  const auto alone = rush<D>(n);
  for (int i = 0; i < kSteps; ++i) {
    alone->step();
    wanted.emplace_back(alone->hash(), events_hash(*alone));
  }

  Threads two(2);
  Threads many(kMany);
  Backwards backwards(3);
  for (Workers* workers : std::initializer_list<Workers*>{&two, &many, &backwards}) {
    CAPTURE(workers->count());
    auto world = rush<D>(n);
    world->work_with(workers);
    for (int i = 0; i < kSteps; ++i) {
      CAPTURE(i);
      if (i == kSteps / 2) {  // what is loaded goes on with them
        const std::vector<std::byte> saved = world->save();
        const std::size_t calls = backwards.called[0];
        REQUIRE(world->load(saved));
        world->step();
        if (workers == &backwards) CHECK(backwards.called[0] > calls);
      } else {
        world->step();
      }
      REQUIRE(world->hash() == wanted[static_cast<std::size_t>(i)].first);
      REQUIRE(events_hash(*world) == wanted[static_cast<std::size_t>(i)].second);
    }
  }
  // It was shared, and each number was called as often as any other.
  CHECK(backwards.called[0] > 20 * static_cast<std::size_t>(kSteps));
  CHECK(backwards.called == std::vector<std::size_t>(3, backwards.called[0]));
  alone->work_with(&backwards);
  alone->work_with(nullptr);
  alone->step();
  CHECK(backwards.called == std::vector<std::size_t>(3, backwards.called[0]));
}

TEST_CASE("threads are each called once a run, awake or asleep") {
  for (const std::size_t count : {1, 2, 3, 8}) {
    Threads threads(count);
    REQUIRE(threads.count() == count);
    std::vector<std::atomic<int>> calls(count);
    std::size_t inside = 0;  // by whoever is number 0
    const Workers::Work work = [&](std::size_t k) {
      calls[k].fetch_add(1, std::memory_order_relaxed);
      if (k == 0) ++inside;
    };
    constexpr int kRuns = 2000;
    for (int i = 0; i < kRuns; ++i) {
      if (i % 500 == 250) std::this_thread::sleep_for(std::chrono::milliseconds(5));
      threads.run(work);
    }
    for (const std::atomic<int>& c : calls) CHECK(c.load() == kRuns);
    CHECK(inside == kRuns);
  }
  CHECK(Threads().count() >= 1);
  CHECK(Threads(100000).count() == 256);
}

TEST_CASE(
    "a stage begins when all parts of the one before have ended, and no two workers are the same "
    "at once") {
  Threads threads(4);
  for (const bool alone : {true, false}) {
    math::Crew crew;
    if (!alone) crew.use(&threads);
    REQUIRE(crew.alone() == alone);
    const std::vector<std::uint32_t> parts{100, 1, 0, 57, 3, 100};
    std::vector<std::vector<int>> done;
    for (const std::uint32_t count : parts) done.emplace_back(count, 0);
    std::vector<std::vector<int>> by_worker(crew.size());
    for (int round = 0; round < 200; ++round) {
      std::atomic<int> early{0};
      crew.run(parts, [&](std::size_t stage, std::uint32_t k, std::size_t worker) {
        ++done[stage][k];
        by_worker[worker].push_back(round);
        if (stage > 0)
          for (const int times : done[stage - 1])
            if (times != round + 1) ++early;
      });
      REQUIRE(early == 0);
    }
    std::size_t calls = 0;
    for (const auto& of : by_worker) calls += of.size();
    CHECK(calls == 200 * std::accumulate(parts.begin(), parts.end(), std::size_t{0}));
    for (const auto& stage : done)
      for (const int times : stage) CHECK(times == 200);
    std::vector<int> covered(1000, 0);
    crew.share(covered.size(), 7, [&](std::size_t first, std::size_t last, std::size_t) {
      for (; first < last; ++first) ++covered[first];
    });
    CHECK(covered == std::vector<int>(1000, 1));
  }
}
