#pragma once
// Motions of kinematic objects.
#include "store/store.h"

namespace colvik::world {

// Puts a target where a motion leads within this step.
template <int D>
void follow_motion(Store<D>& store, ObjectState<D>& o);

}  // namespace colvik::world
