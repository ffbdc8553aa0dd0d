#pragma once
// Forces and impulses.
#include "pairs/model.h"

namespace colvik::world {

// Whether a push is finite, and on a dynamic body.
template <int D>
[[nodiscard]] bool may_push(const Store<D>& store, const ObjectState<D>& o, const Vec<D>& force,
                            const Spin<D>& torque, const std::optional<Vec<D>>& point);

// A force through the next step, or an impulse now, on the body of which the object is a part.
template <int D>
void push_body(Model<D>& model, ObjectState<D>& given, const Vec<D>& force, const Spin<D>& torque,
               const std::optional<Vec<D>>& point, bool at_once);

}  // namespace colvik::world
