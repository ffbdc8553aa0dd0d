// A yard of 100 x 100 m, closed, with 200 crates: all of it is visited, at a tenth of the walker.
#include <colvik/leak.hpp>

#include "bench.hpp"
#include "things.hpp"

namespace bench {
namespace {

using namespace colvik::test;

template <int D>
struct FencedYard {
  World<D> world;
  ObjectId walker;

  FencedYard() : world(D == 3 ? earth<D>() : WorldSettings<D>{}) {
    const double up = D == 3 ? 1.5 : 0;
    if (D == 3) block("floor", 0, 0, -0.5, 110, 110, 1);
    block("south", 0, -50, up, 100, 1, 3);
    block("north", 0, 50, up, 100, 1, 3);
    block("west", -50, 0, up, 1, 100, 3);
    block("east", 50, 0, up, 1, 100, 3);
    for (int i = 0; i < 200; ++i)
      block("crate-" + std::to_string(i), i % 15 * 6 - 45, i / 15 * 6 - 45, D == 3 ? 1 : 0, 2, 2,
            2);
    ObjectDef<D> def = thing<D>("courier", BodyKind::kinematic, place(0, 0, 0.61),
                                {solid(D == 3 ? capsule<D>(0.6, 1.2) : ball<D>(0.6))});
    def.walker = Walker<D>{.speed = 4, .jump_speed = jump_speed(1.4, 9.81)};
    walker = world.add(def).value();
  }
  static Vec<D> place(double x, double y, double z) {
    if constexpr (D == 2) return {x, y};
    else return {x, z, y};
  }
  void block(const std::string& name, double x, double y, double z, double wide, double deep,
             double high) {
    Shape<D> shape;
    if constexpr (D == 2) shape = box(wide, deep);
    else shape = box(wide, high, deep);
    world.add(thing<D>(name, BodyKind::fixed, place(x, y, z), {solid(shape)})).value();
  }
};

template <int D>
void leak_row(const char* name) {
  row(name, "all places",
      [](benchmark::State& state) {
        FencedYard<D> yard;
        Bounds<D> inside;
        inside.lo = Vec<D>::Constant(-52);
        inside.hi = Vec<D>::Constant(52);
        double places = 0;
        for (auto _ : state) {
          const auto found = leak(yard.world, yard.walker, {.inside = inside}).value();
          places = static_cast<double>(found.places);
        }
        state.counters["places"] = places;
      })
      ->Unit(benchmark::kSecond)
      ->Iterations(1);
}

}  // namespace

void register_leak() {
  leak_row<2>("leak/2D/yard");
  leak_row<3>("leak/3D/yard");
}

}  // namespace bench
