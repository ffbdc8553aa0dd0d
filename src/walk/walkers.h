#pragma once
// Walkers in a step: what they are to do before it, and their move when all others have moved.
#include "pairs/model.h"

namespace colvik::world {

// Wishes that are due, and how far each walker may get within the step.
template <int D>
void plan_walks(Model<D>& model);

template <int D>
void move_walkers(Model<D>& model);

// What stands on a carrier that enters again elsewhere goes with it.
template <int D>
void carry_riders(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                  const ObjectState<D>& carrier, const Vec<D>& jump);

}  // namespace colvik::world
