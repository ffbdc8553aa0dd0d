#pragma once
// Sensors: zones, and solids whose contacts are not resolved. Touched or not at the end of the
// step, and when within it.
#include "pairs/contact_stage.h"
#include "pairs/model.h"

namespace colvik::world {

template <int D>
void sense_pairs(Store<D>& store, PairTable<D>& pairs, Walkers<D>& walkers, CcdStage<D>& ccd);

}  // namespace colvik::world
