// Bodies: whole steps of worlds, a solver's pass alone, and beside both a loop that only moves
// memory.
#include <colvik/rules.hpp>

#include <cstdlib>
#include <new>

#include "bench.hpp"
#include "dynamics/solver.h"
#include "things.hpp"

// Allocations in this program are counted.
namespace {
std::size_t allocations = 0;
}
[[gnu::noinline]] void* operator new(std::size_t size) {
  ++allocations;
  if (void* p = std::malloc(size)) return p;
  throw std::bad_alloc();
}
[[gnu::noinline]] void* operator new(std::size_t size, std::align_val_t align) {
  ++allocations;
  const auto a = static_cast<std::size_t>(align);
  if (void* p = std::aligned_alloc(a, (size + a - 1) / a * a)) return p;
  throw std::bad_alloc();
}
[[gnu::noinline]] void operator delete(void* p, std::align_val_t) noexcept { std::free(p); }
[[gnu::noinline]] void operator delete(void* p, std::size_t, std::align_val_t) noexcept {
  std::free(p);
}
[[gnu::noinline]] void operator delete(void* p) noexcept { std::free(p); }
[[gnu::noinline]] void operator delete(void* p, std::size_t) noexcept { std::free(p); }

namespace bench {
namespace {

using namespace colvik::test;

// 128-byte records, each of which reads two 64-byte body records at random out of one for every ten
// and writes them back; nothing is worked out.
void moved_memory(benchmark::State& state, std::size_t n) {
  struct alignas(64) Record {
    std::uint32_t a = 0;
    std::uint32_t b = 0;
    std::array<float, 30> rest{};
  };
  struct alignas(64) BodyRecord {
    std::array<float, 16> numbers{};
  };
  std::vector<Record> records(n);
  std::vector<BodyRecord> bodies(n / 10 + 2);
  Random random(1);
  for (Record& r : records) {
    r.a = static_cast<std::uint32_t>(random.below(static_cast<int>(bodies.size())));
    r.b = static_cast<std::uint32_t>(random.below(static_cast<int>(bodies.size())));
  }
  for (auto _ : state) {
    for (Record& r : records) {
      BodyRecord a = bodies[r.a];
      BodyRecord b = bodies[r.b];
      for (std::size_t k = 0; k < 30; ++k) a.numbers[k % 16] += r.rest[k];
      std::swap(a.numbers[0], b.numbers[0]);
      bodies[r.a] = a;
      bodies[r.b] = b;
    }
    benchmark::ClobberMemory();
  }
  state.counters["records"] = static_cast<double>(n);
}

// As many contacts of as many points, each body in four of them, at rest under weight.
template <int D>
struct Loads {
  std::vector<dynamics::Body<D>> bodies;
  std::vector<dynamics::Contact<D>> contacts;

  explicit Loads(std::size_t n) : bodies(n / 2 + 2), contacts(n) {
    for (std::size_t i = 1; i < bodies.size(); ++i) {
      bodies[i].inverse_mass.setConstant(1);
      bodies[i].inertia.setZero();
      for (int k = 0; k < kTurnAxes<D>; ++k) bodies[i].inertia(k, k) = 1.0 / 6;
      bodies[i].inverse_inertia = bodies[i].inertia * 36;
      bodies[i].acceleration[1] = -9.81;
    }
    Random random(2);
    for (dynamics::Contact<D>& c : contacts) {
      c.a = static_cast<std::uint32_t>(random.below(static_cast<int>(bodies.size())));
      c.b = static_cast<std::uint32_t>(1 + random.below(static_cast<int>(bodies.size()) - 1));
      if (c.a == c.b) c.a = 0;
      c.normal = Vec<D>::Unit(1);
      c.friction = 0.5;
      for (int k = 0; k < contact::kMostPoints<D>; ++k) {
        Vec<D> arm = Vec<D>::Constant(0.5);
        if (k % 2 == 1) arm[0] = -0.5;
        if (k / 2 == 1) arm[D - 1] = -0.5;
        Vec<D> above = arm;
        above[1] = 0.5;
        arm[1] = -0.5;
        c.add(above, arm, -0.0001, 0);
      }
    }
  }
};
template <int D>
void substep(benchmark::State& state, std::size_t n) {
  Loads<D> all(n);
  dynamics::Solver<D> solver;
  solver.begin(all.bodies, {1.0 / 60, 8, 1});
  solver.set(all.contacts);
  for (auto _ : state) solver.substep();
  state.counters["records"] = static_cast<double>(n);
}
// One sweep over the contacts alone.
template <int D>
void pass(benchmark::State& state, std::size_t n) {
  const Loads<D> all(n);
  math::Many<dynamics::Moving<D>> moving(all.bodies.size());  // as a solver keeps them
  for (std::size_t i = 0; i < moving.size(); ++i) {
    dynamics::Moving<D>& m = moving[i];
    m.velocity = all.bodies[i].acceleration / 480;
    m.spin.setZero();
    m.inverse_mass = all.bodies[i].inverse_mass;
    m.inverse_inertia = all.bodies[i].inverse_inertia;
    m.moved.setZero();
    m.turned.setZero();
    m.shift.setZero();
    m.turn_shift.setZero();
    m.fixed = m.inverse_mass.isZero(0);
    m.movable = !m.fixed;
    m.narrow_mass();
    m.narrow_displacement();
  }
  std::vector<dynamics::Listed> listed;
  for (const dynamics::Contact<D>& c : all.contacts) listed.push_back(dynamics::listed(c));
  dynamics::SimdContacts<D> simd;
  math::Crew alone;
  simd.take(alone, moving, all.contacts, listed, 0, n);
  dynamics::Pass how;
  how.removal = {1.0 / 480, 60, 0.0005, 3, 1};
  how.soft_mass = 0.9;
  how.soft_leak = 0.1;
  for (auto _ : state) {
    simd.push(alone, moving, how, false);
    how.separate = !how.separate;
  }
  if (!moving.back().velocity.allFinite()) state.SkipWithError("not finite");
  state.counters["records"] = static_cast<double>(n);
}

template <int D>
std::unique_ptr<World<D>> rack(std::size_t n, std::size_t high, bool sleep) {
  WorldSettings<D> s = earth<D>();
  s.sleep = sleep;
  auto world = std::make_unique<World<D>>(s);
  const std::size_t columns = n / high;
  const std::size_t side =
      D == 3 ? static_cast<std::size_t>(std::sqrt(static_cast<double>(columns))) : columns;
  world
      ->add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5),
                     {solid(slab<D>(4.0 * static_cast<double>(side) + 100, 1))}))
      .value();
  for (std::size_t i = 0; i < n; ++i) {
    Vec<D> at = up<D>(0.5 + static_cast<double>(i / columns));
    at[0] = 1.1 * static_cast<double>(i % columns % side);
    if constexpr (D == 3) at[2] = 1.1 * static_cast<double>(i % columns / side);
    world->add(thing<D>("tote" + std::to_string(i), BodyKind::dynamic, at, {solid(cube<D>(1))}))
        .value();
  }
  return world;
}

// Balls, boxes and capsules poured into a box; or odd shapes, whose contacts are searched for.
template <int D>
std::unique_ptr<World<D>> hopper(std::size_t n, bool sleep, bool odd_ones = false) {
  WorldSettings<D> s = earth<D>();
  s.sleep = sleep;
  auto world = std::make_unique<World<D>>(s);
  const double room =
      D == 3 ? 1.1 * std::cbrt(static_cast<double>(n)) : 1.1 * std::sqrt(static_cast<double>(n));
  world->add(thing<D>("floor", BodyKind::fixed, up<D>(-0.5), {solid(slab<D>(4 * room, 1))}))
      .value();
  for (int axis = 0; axis < D; axis += 2)
    for (const double sign : {-1.0, 1.0}) {
      Shape<D> wall = cube<D>(4 * room);
      wall.core[axis] = 0.5;
      world
          ->add(thing<D>("wall" + std::to_string(axis) + (sign < 0 ? "a" : "b"), BodyKind::fixed,
                         Vec<D>(sign * (room / 2 + 0.5) * Vec<D>::Unit(axis)), {solid(wall)}))
          .value();
    }
  Random random(3);
  const auto side = static_cast<std::size_t>(room / 1.2);
  for (std::size_t i = 0; i < n; ++i) {
    Vec<D> at = up<D>(1 + 1.2 * static_cast<double>(D == 3 ? i / (side * side) : i / side));
    at[0] = 1.2 * static_cast<double>(i % side) - room / 2 + 0.7;
    if constexpr (D == 3) at[2] = 1.2 * static_cast<double>(i / side % side) - room / 2 + 0.7;
    at += random.vec<D>(0.05);
    const double size = random.range(0.6, 1);
    world
        ->add(thing<D>("body" + std::to_string(i), BodyKind::dynamic, at,
                       {solid(odd_ones     ? odd<D>(static_cast<int>(i))
                              : i % 3 == 0 ? ball<D>(size)
                              : i % 3 == 1 ? cube<D>(0.9 * size)
                                           : capsule<D>(0.5 * size, size))}))
        .value();
  }
  return world;
}

// A box that turns about its middle with loose things in it.
std::unique_ptr<World<2>> drum(std::size_t n) {
  WorldSettings<2> s = earth<2>();
  auto world = std::make_unique<World<2>>(s);
  const double room = 1.4 * std::sqrt(static_cast<double>(n));
  ObjectDef<2> def = thing<2>("drum", BodyKind::kinematic, kZero, {});
  for (int k = 0; k < 4; ++k) {
    ColliderDef<2> wall = solid(slab<2>(room + 2, 1));
    wall.turned = Rotation<2>(k * kPi / 2);
    wall.at = wall.turned * up<2>(-room / 2 - 0.5);
    def.colliders.push_back(wall);
  }
  def.spin[0] = 0.4;
  world->add(def).value();
  const auto side = static_cast<std::size_t>(room / 1.1) - 2;
  for (std::size_t i = 0; i < n; ++i)
    world
        ->add(thing<2>("body" + std::to_string(i), BodyKind::dynamic,
                       Vec<2>(1.1 * static_cast<double>(i % side) - room / 2 + 1.5,
                              1.1 * static_cast<double>(i / side) - room / 2 + 1.5),
                       {solid(i % 2 == 0 ? ball<2>(0.8) : cube<2>(0.8))}))
        .value();
  return world;
}

// A standing rack, robots that go round over strips of zones and are counted, and walkers going to
// and fro.
struct Shift {
  World<2> world;
  std::optional<Rules<2>> rules;
  std::vector<ObjectId> walkers;

  static WorldSettings<2> settings() {
    WorldSettings<2> s = earth<2>();
    s.sleep = false;
    return s;
  }
  Shift() : world(settings()) {
    for (const char* tag : {"robot", "strip", "walker", "ground", "tote"})
      world.tags().declare(tag).value();
    world.set_number({}, "score", 0).value();
    world.add(thing<2>("floor", BodyKind::fixed, up<2>(-0.5), {solid(slab<2>(400, 1))}, {"ground"}))
        .value();
    for (int i = 0; i < 60; ++i)
      world
          .add(thing<2>("", BodyKind::dynamic, Vec<2>(1.1 * (i % 10) + 50, 0.5 + i / 10),
                        {solid(cube<2>(1))}, {"tote"}))
          .value();
    for (int i = 0; i < 40; ++i)
      world
          .add(
              thing<2>("", BodyKind::fixed, Vec<2>(2.0 * i, 20), {zone(slab<2>(1, 10))}, {"strip"}))
          .value();
    for (int i = 0; i < 50; ++i) {
      ObjectDef<2> def =
          thing<2>("", BodyKind::kinematic, Vec<2>(10 + i, 20), {zone(ball<2>(0.3))}, {"robot"});
      def.colliders[0].meets = "strip";
      def.motion = Circling<2>{Vec<2>(12.0 + i, 20), Spin<2>(2.0), false};
      world.add(def).value();
    }
    for (int i = 0; i < 10; ++i) {
      ObjectDef<2> def = thing<2>("", BodyKind::kinematic, Vec<2>(-60 + 4 * i, 0.62),
                                  {solid(capsule<2>(0.6, 1.2))}, {"walker"});
      def.colliders[0].meets = "ground";
      def.walker = Walker<2>{.speed = 4, .speeding_up = 30, .step = 0.2};
      walkers.push_back(world.add(def).value());
    }
    rules.emplace(world);
    rules
        ->add({.name = "count",
               .self = "robot",
               .other = "strip",
               .effects = {effects::add("world.score", 1)}})
        .value();
  }
  void wish(double direction) {
    for (const ObjectId id : walkers) world.wish(id, {.velocity = {4 * direction, 0}});
  }
};
void shift() {
  row("steady/2D/a rack, walkers and reactions", "colvik",
      [](benchmark::State& state) {
        Shift s;
        int n = 0;
        const auto turn = [&] {
          if (n++ % 30 == 0) s.wish(n / 30 % 2 == 0 ? 1 : -1);
        };
        for (int i = 0; i < 600; ++i) {
          turn();
          s.world.step();
        }
        std::size_t steady = 0;
        std::size_t events = 0;
        for (auto _ : state) {
          state.PauseTiming();
          turn();
          const std::size_t before = allocations;
          state.ResumeTiming();
          s.world.step();
          state.PauseTiming();
          steady += allocations - before;
          events += s.world.events().size();
          state.ResumeTiming();
        }
        const auto runs = static_cast<double>(state.iterations());
        state.counters["allocations_a_step"] = static_cast<double>(steady) / runs;
        state.counters["events_a_step"] = static_cast<double>(events) / runs;
      })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(600);
}

template <int D, class Make>
void steps(const std::string& name, std::size_t n, int before, Make make) {
  row("bodies/" + dimension(D) + "/" + name, "colvik",
      [=](benchmark::State& state) {
        const auto world = make();
        for (int i = 0; i < before; ++i) world->step();
        std::size_t allocated = allocations;
        std::size_t steady = 0;
        std::size_t runs = 0;
        for (auto _ : state) {
          world->step();
          steady += allocations - allocated;
          ++runs;
          allocated = allocations;
        }
        state.counters["bodies"] = static_cast<double>(n);
        state.counters["awake"] = static_cast<double>(world->awake_count());
        state.counters["allocations_a_step"] =
            static_cast<double>(steady) / static_cast<double>(runs);
      })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(60);
}

// The same steps by one thread and shared by two.
template <int D>
void shared(const std::string& name, std::size_t n, int before) {
  for (const std::size_t count : {1UL, 2UL})
    row("threads/" + dimension(D) + "/" + name, count == 1 ? "colvik" : "two threads",
        [=](benchmark::State& state) {
          Threads threads(count);
          const auto world = hopper<D>(n, false);
          world->work_with(&threads);
          for (int i = 0; i < before; ++i) world->step();
          for (auto _ : state) world->step();
          state.counters["bodies"] = static_cast<double>(n);
        })
        ->Unit(benchmark::kMillisecond)
        ->UseRealTime()
        ->Iterations(40);
}

}  // namespace

void register_bodies() {
  for (const std::size_t n : {10000UL, 40000UL}) {
    const std::string two = "pass/2D/two points, " + std::to_string(n);
    const std::string four = "pass/3D/four points, " + std::to_string(n);
    row(two, "colvik", [n](benchmark::State& s) { pass<2>(s, n); });
    row(two, "moved memory", [n](benchmark::State& s) { moved_memory(s, n); });
    row(two, "a whole substep", [n](benchmark::State& s) { substep<2>(s, n); });
    row(four, "colvik", [n](benchmark::State& s) { pass<3>(s, n); });
    row(four, "moved memory", [n](benchmark::State& s) { moved_memory(s, n); });
    row(four, "a whole substep", [n](benchmark::State& s) { substep<3>(s, n); });
  }
  shift();
  steps<2>("rack of 4800 totes", 4800, 60, [] { return rack<2>(4800, 12, false); });
  steps<3>("wall of 1200 boxes", 1200, 60, [] { return rack<3>(1200, 12, false); });
  steps<2>("drum of 2400", 2400, 120, [] { return drum(2400); });
  steps<3>("hopper of 10000, pouring", 10000, 40, [] { return hopper<3>(10000, true); });
  steps<3>("pile of 1000 hulls, cylinders and cones", 1000, 120,
           [] { return hopper<3>(1000, false, true); });
  for (const std::size_t n : {1000UL, 3000UL, 10000UL, 50000UL}) {
    steps<2>("pile of " + std::to_string(n), n, 60, [n] { return hopper<2>(n, false); });
    if (n <= 10000)
      steps<3>("pile of " + std::to_string(n), n, 60, [n] { return hopper<3>(n, false); });
  }
  steps<2>("asleep, 100000", 100000, 120, [] { return rack<2>(100000, 4, true); });
  shared<2>("pile of 1000 that lies", 1000, 400);
  shared<2>("pile of 10000 that lies", 10000, 400);
  shared<2>("pile of 10000, pouring", 10000, 60);
  shared<3>("pile of 1000 that lies", 1000, 400);
  shared<3>("pile of 5000 that lies", 5000, 400);
  shared<3>("pile of 5000, pouring", 5000, 60);
}

}  // namespace bench
