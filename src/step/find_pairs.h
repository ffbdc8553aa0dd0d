#pragma once
// Pairs that are new, and pairs that part.
#include "pairs/model.h"

namespace colvik::world {

template <int D>
void find_pairs(Model<D>& model);

}  // namespace colvik::world
