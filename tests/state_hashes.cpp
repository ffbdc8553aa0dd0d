// Prints state hashes: of each demo scene after 600 steps, and of a few random worlds. The same on
// every compiler and at every optimization level.
//
//     state_hashes [FOLDER] [--plain]     --plain: without the vector instructions that are chosen at run time
#include <hwy/highway.h>
#include <colvik/scene.hpp>

#include <cstdio>
#include <string_view>

using namespace colvik;

namespace {

template <int D>
std::uint64_t state_after_600(const Scene<D>& scene) {
  const auto run = start_run(scene);
  for (int i = 0; i < 600; ++i) run->step();  // also past an outcome
  return state_hash(run->world, run->rules);
}

// A pile of all shapes, tumbling.
template <int D>
std::uint64_t pile() {
  WorldSettings<D> settings;
  settings.gravity[1] = -9.81;
  Run<D> run(settings);
  const auto add = [&](const std::string& name, BodyKind body, double x, double y, const Shape<D>& shape) {
    ObjectDef<D> def;
    def.name = name, def.body = body, def.at[0] = x, def.at[1] = y;
    ColliderDef<D> c;
    c.shape = shape, c.restitution = 0.2;
    def.colliders = {c};
    if (body == BodyKind::dynamic) def.spin.setConstant(x);
    run.world.add(def).value();
  };
  Shape<D> cube, floor;
  cube.kind = floor.kind = ShapeKind::box;
  cube.core.setConstant(0.4), floor.core.setConstant(20), floor.core[1] = 0.5;
  Shape<D> ball;
  ball.radius = 0.4;
  add("floor", BodyKind::fixed, 0, -0.5, floor);
  for (int i = 0; i < 12; ++i)
    add("body-" + std::to_string(i), BodyKind::dynamic, 0.1 * (i % 4), 1 + 0.8 * i,
        i % 3 == 0   ? cube
        : i % 3 == 1 ? ball
                     : capsule<D>(0.5, 1.1));
  for (int i = 0; i < 600; ++i) run.step();
  return state_hash(run.world, run.rules);
}

}  // namespace

int main(int argc, char** argv) {
  std::string folder = "data";
  for (int i = 1; i < argc; ++i) {
    if (std::string_view(argv[i]) == "--plain") {
      hwy::SetSupportedTargetsForTest(HWY_STATIC_TARGET);
      hwy::GetChosenTarget().Update(hwy::SupportedTargets());
    } else {
      folder = argv[i];
    }
  }
  for (const char* name : {"night-depot", "loading-bay", "sorting-hall", "mezzanine"}) {
    const LoadedScene loaded = load_scene(folder + "/" + name + ".toml");
    if (!loaded.ok()) {
      std::fprintf(stderr, "%s\n", loaded.problems.front().message().c_str());
      return 2;
    }
    const std::uint64_t hash = std::visit([](const auto& scene) { return state_after_600(scene); }, *loaded.scene);
    std::printf("%s %016llx\n", name, static_cast<unsigned long long>(hash));
  }
  std::printf("pile-2d %016llx\n", static_cast<unsigned long long>(pile<2>()));
  std::printf("pile-3d %016llx\n", static_cast<unsigned long long>(pile<3>()));
}
