#pragma once
// Walkers between steps, and the scratch space of their moves.
#include <vector>

#include "contact/collide.h"
#include "pairs/pair.h"
#include "store/states.h"

namespace colvik::world {

template <int D>
struct Walkers {
  std::vector<WalkerState<D>> list;
  std::vector<WalkPush<D>> pushes;  // applied when all have moved

  // Of the running step: their pairs, whether they have moved, and the obstacles of the one
  // that moves.
  std::vector<std::vector<Pair<D>*>> pairs;
  std::vector<bool> has_moved;
  std::vector<Obstacle<D>> obstacles;
  std::vector<contact::Manifold<D>> manifolds;
};

}  // namespace colvik::world
