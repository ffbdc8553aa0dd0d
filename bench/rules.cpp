// Reactions and touches that stand still: what they add to a step.
#include <colvik/rules.hpp>

#include "bench.hpp"
#include "things.hpp"

namespace bench {
namespace {

using namespace colvik::test;

// Things at rest in zones: each lies in one.
template <int D>
void standing(BodyKind body, bool overlapping) {
  const std::string who = std::string(overlapping ? "100000 zone overlaps" : "the same apart");
  row("standing/" + dimension(D) + "/" + std::string(name_of(body)) + " things", who,
      [=](benchmark::State& state) {
        World<D> world;
        for (int i = 0; i < 100000; ++i) {
          Vec<D> at = along_x<D>(4.0 * (i % 316)) + up<D>(4.0 * (i / 316));
          world.add(thing<D>("", BodyKind::fixed, at, {zone(ball<D>(1))})).value();
          if (!overlapping) at[0] += 2;
          world.add(thing<D>("", body, at, {solid(ball<D>(1))})).value();
        }
        for (int i = 0; i < 40; ++i) world.step();  // they fall asleep
        for (auto _ : state) world.step();
        state.counters["awake"] = static_cast<double>(world.awake_count());
      })
      ->Unit(benchmark::kMillisecond)
      ->Iterations(1000);
}

// Robots that drive over strips of zones, all with events in most steps; ten reactions that fit,
// and idle ones.
void busy(int idle) {
  row("reactions/2D/a busy step", std::to_string(idle) + " idle reactions",
      [=](benchmark::State& state) {
        World<2> world;
        for (const char* tag : {"robot", "strip", "never"}) world.tags().declare(tag).value();
        world.set_number({}, "score", 0).value();
        for (int i = 0; i < 200; ++i)
          world
              .add(thing<2>("", BodyKind::fixed, Vec<2>(2.0 * i, 100), {zone(slab<2>(1, 220))},
                            {"strip"}))
              .value();
        for (int i = 0; i < 2000; ++i) {
          ObjectDef<2> def = thing<2>("", BodyKind::kinematic, Vec<2>(0.2 * (i % 100), 0.1 * i),
                                      {zone(ball<2>(0.05))}, {"robot"});
          def.colliders[0].meets = "strip";
          def.velocity = Vec<2>(2, 0);
          world.add(def).value();
        }
        Rules<2> rules(world);
        for (int i = 0; i < idle; ++i)
          rules.add({.name = "idle" + std::to_string(i), .self = "never", .other = "robot"})
              .value();
        for (int i = 0; i < 10; ++i)
          rules
              .add({.name = "busy" + std::to_string(i),
                    .self = "robot",
                    .other = "strip",
                    .effects = {effects::add("world.score", 1)}})
              .value();
        for (int i = 0; i < 10; ++i) world.step();
        std::size_t fired = 0;
        for (auto _ : state) {
          world.step();
          fired += rules.fired().size();
        }
        state.counters["fired_a_step"] =
            static_cast<double>(fired) / static_cast<double>(state.iterations());
      })
      ->Unit(benchmark::kMillisecond)
      ->MinTime(1.0);
}

}  // namespace

void register_rules() {
  for (const bool overlapping : {true, false}) {
    standing<2>(BodyKind::dynamic, overlapping);
    standing<3>(BodyKind::dynamic, overlapping);
    standing<2>(BodyKind::kinematic, overlapping);
  }
  for (const int idle : {0, 1000}) busy(idle);
}

}  // namespace bench
