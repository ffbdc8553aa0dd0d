// The scenes that the cookbook gives in C++ too: what they log is what the scene files log.
#include <colvik/insight.hpp>
#include <colvik/scene.hpp>

#include <sstream>

#include "../examples/scenes/scenes.hpp"
#include "support.hpp"

using namespace colvik;

namespace {

template <int D>
void check(const char* name, void (*build)(Run<D>&)) {
  CAPTURE(name);
  const LoadedScene loaded = load_scene(std::string(COLVIK_SOURCE_DIR "/data/") + name + ".toml");
  REQUIRE(loaded.ok());
  const Scene<D>& scene = std::get<Scene<D>>(*loaded.scene);
  const auto log = [&](Run<D>& run) {
    run.run_for(scene.length);
    std::ostringstream out;
    write_events(out, run.trace);
    return out.str();
  };
  const auto from_file = start_run(scene);
  Run<D> written(WorldSettings<D>{.gravity = scene.world.gravity,
                                  .bounds = scene.world.bounds,
                                  .leaving = scene.world.leaving});
  build(written);
  const std::string wanted = log(*from_file);
  const std::string got = log(written);
  CHECK(wanted.size() > 200);
  CHECK(got == wanted);
}

}  // namespace

TEST_CASE("scenes written in C++ log the same events as their files") {
  check<2>("air-curtain", depot::air_curtain);
  check<2>("belt-walk", depot::belt_walk);
  check<2>("charging-dock", depot::charging_dock);
  check<2>("crate-push", depot::crate_push);
  check<3>("drone-drops", depot::drone_drops);
  check<2>("endless-trays", depot::endless_trays);
  check<2>("flooded-cellar", depot::flooded_cellar);
  check<3>("gantry-walk", depot::gantry_walk);
  check<2>("hatch-lamp", depot::hatch_lamp);
  check<2>("lift-and-drum", depot::lift_and_drum);
  check<2>("locker-hook", depot::locker_hook);
  check<2>("low-duct", depot::low_duct);
  check<2>("magnet-scale", depot::magnet_scale);
  check<2>("pneumatic-tube", depot::pneumatic_tube);
  check<2>("practice-lap", depot::practice_lap);
  check<2>("puck-sorter", depot::puck_sorter);
  check<2>("shelf-climb", depot::shelf_climb);
  check<2>("shredder-yard", depot::shredder_yard);
  check<2>("stairs-and-ramp", depot::stairs_and_ramp);
  check<2>("tilting-tray", depot::tilting_tray);
  check<2>("weight-barrier", depot::weight_barrier);
  check<2>("yard-floor", depot::yard_floor);
}
