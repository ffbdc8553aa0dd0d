#pragma once
// What owners move: motions, schedules, currents, bounds.
#include "pairs/model.h"

namespace colvik::world {

template <int D>
void drive_kinematics(Model<D>& model);

// Counts objects that are entirely outside the world's bounds, and removes them if requested.
template <int D>
void check_bounds(Model<D>& model);

}  // namespace colvik::world
