#pragma once
// Mass, centre of mass, inertia and extent of objects.
#include "store/store.h"

namespace colvik::world {

// How far its colliders reach from the centre of mass, and the balls that fit in them.
template <int D>
void update_size(Store<D>& store, ObjectState<D>& o);

// Of a root: with all that moves with it.
template <int D>
void update_mass(Store<D>& store, ObjectState<D>& o);

// After a change of a root's shapes: mass, extent, and the velocity of its centre of mass, which
// was at `centre` in the world.
template <int D>
void update_mass_and_velocity(Store<D>& store, ObjectState<D>& root, const Vec<D>& centre);

}  // namespace colvik::world
