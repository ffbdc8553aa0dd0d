#pragma once
// Where children are.
#include "store/store.h"

namespace colvik::world {

// Of it and all below: the root, and where they are on it.
template <int D>
void update_root(Store<D>& store, ObjectState<D>& o);

template <int D>
void follow_root(Store<D>& store, ObjectState<D>& o);

// Children have the velocities that their roots were given for this step.
template <int D>
void copy_root_velocities(Store<D>& store);

template <int D>
void follow_roots(Store<D>& store);

}  // namespace colvik::world
