// The scenes that the cookbook tells in C++ too: what they log is what the scene files log.
#include <colvik/insight.hpp>
#include <colvik/scene.hpp>

#include <sstream>

#include "../examples/scenes/scenes.hpp"
#include "support.hpp"

using namespace colvik;

TEST_CASE("scenes told in C++ log the same events as their files") {
  const std::pair<const char*, void (*)(Run<2>&)> scenes[] = {
      {"air-curtain", depot::air_curtain},       {"belt-walk", depot::belt_walk},
      {"charging-dock", depot::charging_dock},   {"crate-push", depot::crate_push},
      {"endless-trays", depot::endless_trays},   {"hatch-lamp", depot::hatch_lamp},
      {"locker-hook", depot::locker_hook},       {"magnet-scale", depot::magnet_scale},
      {"pneumatic-tube", depot::pneumatic_tube}, {"practice-lap", depot::practice_lap},
      {"shelf-climb", depot::shelf_climb},       {"tilting-tray", depot::tilting_tray},
      {"weight-barrier", depot::weight_barrier}, {"yard-floor", depot::yard_floor}};
  for (const auto& [name, build] : scenes) {
    CAPTURE(name);
    const LoadedScene loaded = load_scene(std::string(COLVIK_SOURCE_DIR "/data/") + name + ".toml");
    REQUIRE(loaded.ok());
    const Scene<2>& scene = std::get<Scene<2>>(*loaded.scene);
    const auto log = [&](Run<2>& run) {
      run.run_for(scene.length);
      std::ostringstream out;
      write_events(out, run.trace);
      return out.str();
    };
    const auto from_file = start_run(scene);
    Run<2> told(WorldSettings<2>{.gravity = scene.world.gravity});
    build(told);
    const std::string wanted = log(*from_file), got = log(told);
    CHECK(wanted.size() > 200);
    CHECK(got == wanted);
  }
}
