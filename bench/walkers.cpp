// Walkers on a tiled level: a move beside the same shape casts made directly.
#include <colvik/world.hpp>

#include "bench.hpp"
#include "things.hpp"

namespace bench {
namespace {

using namespace colvik::test;

constexpr int kFloors = 100;
constexpr int kOnEach = 100;

// Floors of tiles with bumps, one grid; walkers that go to and fro on them. They do not meet each
// other.
struct Yard {
  World<2> world{earth<2>()};
  std::vector<ObjectId> walkers;

  Yard() {
    for (const char* tag : {"tiles", "walker"}) world.tags().declare(tag).value();
    std::vector<std::string> rows;
    for (int floor = 0; floor < kFloors; ++floor) {
      for (int k = 0; k < 4; ++k) rows.push_back(std::string(5 * kOnEach, '.'));
      std::string bumps(5 * kOnEach, '.');
      for (std::size_t x = 3; x < bumps.size(); x += 25) {
        bumps[x] = '/';
        bumps[x + 1] = '\\';
      }
      rows.push_back(bumps);
      rows.push_back(std::string(5 * kOnEach, '#'));
    }
    ObjectDef<2> grid =
        thing<2>("grid", BodyKind::fixed, kZero, {solid(tiles(rows, {1, 1}).value())}, {"tiles"});
    world.add(grid).value();
    for (int floor = 0; floor < kFloors; ++floor)
      for (int i = 0; i < kOnEach; ++i) {
        ObjectDef<2> def = thing<2>("", BodyKind::kinematic, Vec<2>(5 * i + 1.5, 6 * floor + 1.62),
                                    {solid(capsule<2>(0.6, 1.2))}, {"walker"});
        def.colliders[0].meets = "tiles";
        def.walker = Walker<2>{.speed = 4, .speeding_up = 30, .step = 0.2};
        walkers.push_back(world.add(def).value());
      }
    wish(1);
    for (int i = 0; i < 20; ++i) world.step();
  }
  void wish(double direction) {
    for (const ObjectId id : walkers) world.wish(id, {.velocity = {4 * direction, 0}});
  }
};

}  // namespace

void register_walkers() {
  row("walkers/2D/10000 on tiles", "a step with all their moves",
      [](benchmark::State& state) {
        Yard yard;
        int n = 0;
        for (auto _ : state) {
          yard.world.step();
          if (++n % 30 == 0) {
            state.PauseTiming();
            yard.wish(n / 30 % 2 == 0 ? 1 : -1);
            state.ResumeTiming();
          }
        }
        state.counters["moves"] = static_cast<double>(yard.walkers.size());
      })
      ->Unit(benchmark::kMillisecond)
      ->MinTime(2.0);
  row("walkers/2D/10000 on tiles", "one shape cast each, made directly",
      [](benchmark::State& state) {
        Yard yard;
        const Shape<2> shape = capsule<2>(0.6, 1.2);
        const TagQuery who = TagQuery::parse("tiles", yard.world.tags()).value();
        std::size_t hits = 0;
        for (auto _ : state)
          for (const ObjectId id : yard.walkers) {
            const Pose<2>& pose = yard.world.object(id).pose;
            hits += yard.world.first(ShapeCast<2>{shape, pose, {0.07, -0.05}, kZero}, {.who = who})
                        ? 1
                        : 0;
          }
        state.counters["hits"] =
            static_cast<double>(hits) / static_cast<double>(state.iterations());
      })
      ->Unit(benchmark::kMillisecond)
      ->MinTime(2.0);
}

}  // namespace bench
