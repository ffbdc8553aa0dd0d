#pragma once
// Scenes of data/ written in C++: each function builds the same world and reactions as the file of
// its name, and a run of it logs the same events (tests/scenes_in_cpp_test.cpp). Runs are given the
// scene's gravity.
#include <colvik/colvik.hpp>

namespace depot {

using namespace colvik;

void air_curtain(Run<2>& run);
void belt_walk(Run<2>& run);
void charging_dock(Run<2>& run);
void crate_push(Run<2>& run);
void drone_drops(Run<3>& run);
void endless_trays(Run<2>& run);
void flooded_cellar(Run<2>& run);
void gantry_walk(Run<3>& run);
void hatch_lamp(Run<2>& run);
void lift_and_drum(Run<2>& run);
void locker_hook(Run<2>& run);
void low_duct(Run<2>& run);
void magnet_scale(Run<2>& run);
void pneumatic_tube(Run<2>& run);
void practice_lap(Run<2>& run);
void puck_sorter(Run<2>& run);
void shelf_climb(Run<2>& run);
void shredder_yard(Run<2>& run);
void stairs_and_ramp(Run<2>& run);
void tilting_tray(Run<2>& run);
void weight_barrier(Run<2>& run);
void yard_floor(Run<2>& run);

inline void declare(Run<2>& run, std::initializer_list<const char*> tags) {
  for (const char* tag : tags) run.world.tags().declare(tag).value();
}

}  // namespace depot
