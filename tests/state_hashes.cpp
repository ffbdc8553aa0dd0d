// Prints state hashes: of each demo scene after 600 steps, and state and event hashes of eight
// little worlds after 10,000 steps, on the way handed over to another world by a snapshot. The same
// on every compiler and at every optimization level.
//
//     state_hashes [FOLDER] [--plain] [--steps N]     --plain: without the vector instructions that
//     are chosen at run time
#include <hwy/highway.h>
#include <colvik/scene.hpp>

#include <array>
#include <cstdio>
#include <cstdlib>
#include <string_view>

#include "math/hash.h"
#include "things.hpp"

using namespace colvik;

namespace {

template <int D>
std::uint64_t state_after_600(const Scene<D>& scene) {
  const auto run = start_run(scene);
  for (int i = 0; i < 600; ++i) run->step();  // also past an outcome
  return state_hash(run->world, run->rules);
}

// Eight little worlds, each with what can make two runs differ.
constexpr std::array kWorlds{"pile",  "shots", "spinning", "carriers",
                             "mixed", "far",   "pixels",   "removals"};

template <int D>
void build(World<D>& world, int which, double unit, const Vec<D>& origin) {
  const auto put = [&](const std::string& name, BodyKind body, const Vec<D>& at,
                       const Shape<D>& shape, double restitution = 0.2) -> ObjectDef<D> {
    ObjectDef<D> def =
        test::thing<D>(name, body, Vec<D>(at * unit + origin), {test::solid(scaled(shape, unit))});
    def.colliders[0].restitution = restitution;
    return def;
  };
  const auto up = [](double y) { return test::up<D>(y); };
  const auto x = [](double along) { return test::along_x<D>(along); };
  world.add(put("floor", BodyKind::fixed, up(-0.5), test::slab<D>(60, 1))).value();
  if (which == 3)
    for (const double side : {-1.0, 1.0}) {
      ObjectDef<D> lift =
          put(side < 0 ? "left" : "right", BodyKind::kinematic, x(3 * side), test::slab<D>(3, 0.3));
      const Vec<D> low = lift.at;
      const Vec<D> high = lift.at + unit * up(2);
      lift.motion = Path<D>{{{0, low, {}}, {2, high, {}}, {5, low, {}}}, true};
      world.add(lift).value();
    }
  for (int i = 0; i < 12; ++i) {
    const Shape<D> shape = which == 4 && i % 2 == 1 ? test::odd<D>(i / 2)
                           : i % 3 == 0             ? test::cube<D>(0.8)
                           : i % 3 == 1             ? test::ball<D>(0.8)
                                                    : capsule<D>(0.5, 1.1);
    ObjectDef<D> def = put("body-" + std::to_string(i), BodyKind::dynamic,
                           x((which == 3 ? 1.5 : 0.1) * (i % 4) - 1) + up(1 + 0.8 * i), shape,
                           which == 2 ? 0.9 : 0.2);
    def.spin.setConstant(which == 2 ? 8 + i : 0.1 * i);
    if (which == 1) def.velocity = x((i % 2 == 0 ? 1 : -1) * 150.0) * unit;
    if (which == 4) {
      def.colliders[0].rolling_friction = 0.02;
      def.drag = 0.1 * (i % 3);
      def.pushes = {{.from = 0.5 * i, .until = 0.5 * i + 1, .force = x(unit * 3)}};
      def.mass = 1 + i;
    }
    world.add(def).value();
  }
}

template <int D>
std::pair<std::uint64_t, std::uint64_t> hashes(int which, int steps) {
  WorldSettings<D> settings;
  const double unit = which == 6 ? 100 : 1;
  settings.gravity[1] = -9.81 * unit;
  settings.metre = unit;
  const Vec<D> origin = Vec<D>::Constant(which == 5 ? 1e6 : 0);
  auto world = std::make_unique<World<D>>(settings);
  build<D>(*world, which, unit, origin);
  math::Hasher events;
  for (int i = 0; i < steps; ++i) {
    if (i == 37 * (which + 1)) {  // goes on from a snapshot in another world
      const std::vector<std::byte> saved = world->save();
      world = std::make_unique<World<D>>();
      world->load(saved).value();
    }
    if (which == 7 && i % 40 == 39) {
      const std::string name = "body-" + std::to_string(i / 40 % 12);
      if (const auto id = world->find(name)) world->remove(*id);
      ObjectDef<D> def = test::thing<D>("new-" + std::to_string(i), BodyKind::dynamic,
                                        test::up<D>(6), {test::solid(test::cube<D>(0.6))});
      world->add(def).value();
      if (const auto old = world->find("new-" + std::to_string(i - 400))) world->remove(*old);
    }
    world->step();
    for (const Event<D>& e : world->events()) {
      events.add(e.step);
      events.add(e.time);
      events.add(static_cast<std::uint64_t>(e.phase));
      events.add(e.impulse);
      events.add(world->object(e.self).serial);
      events.add(world->object(e.other).serial);
    }
  }
  return {world->hash(), events.value()};
}

template <int D>
void record(int steps) {
  for (int which = 0; which < static_cast<int>(kWorlds.size()); ++which) {
    const auto [state, events] = hashes<D>(which, steps);
    std::printf("%s-%dd %016llx %016llx\n", kWorlds[static_cast<std::size_t>(which)], D,
                static_cast<unsigned long long>(state), static_cast<unsigned long long>(events));
  }
}

}  // namespace

int main(int argc, char** argv) {
  std::string folder = "data";
  int steps = 10000;
  for (int i = 1; i < argc; ++i) {
    if (std::string_view(argv[i]) == "--plain") {
      hwy::SetSupportedTargetsForTest(HWY_STATIC_TARGET);
      hwy::GetChosenTarget().Update(hwy::SupportedTargets());
    } else if (std::string_view(argv[i]) == "--steps" && i + 1 < argc) {
      steps = std::atoi(argv[++i]);
    } else {
      folder = argv[i];
    }
  }
  for (const char* name : {"night-depot", "loading-bay", "sorting-hall", "mezzanine", "shelf-climb",
                           "crate-push", "gantry-walk"}) {
    const LoadedScene loaded = load_scene(folder + "/" + name + ".toml");
    if (!loaded.ok()) {
      std::fprintf(stderr, "%s\n", loaded.problems.front().message().c_str());
      return 2;
    }
    const std::uint64_t hash =
        std::visit([](const auto& scene) { return state_after_600(scene); }, *loaded.scene);
    std::printf("%s %016llx\n", name, static_cast<unsigned long long>(hash));
  }
  record<2>(steps);
  record<3>(steps);
}
