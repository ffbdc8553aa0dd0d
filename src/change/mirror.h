#pragma once
// Mirrored objects.
#include "pairs/model.h"

namespace colvik::world {

// Of one object, in its own frame; its family and its pairs are seen to by the caller. A shape for
// one side only stays.
template <int D>
void mirror_object(Store<D>& store, BroadPhase<D>& broad, ObjectState<D>& o);

// A pose on a parent as in the parent's mirror.
template <int D>
[[nodiscard]] Pose<D> across(const Pose<D>& pose);

template <int D>
void turn_round(Model<D>& model, ObjectState<D>& o, bool on);

}  // namespace colvik::world
