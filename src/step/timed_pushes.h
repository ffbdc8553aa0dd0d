#pragma once
// Pushes at times given beforehand.
#include "pairs/model.h"

namespace colvik::world {

// Timed pushes: of a force that begins or ends within the step, its part.
template <int D>
void apply_timed_pushes(Model<D>& model);

}  // namespace colvik::world
