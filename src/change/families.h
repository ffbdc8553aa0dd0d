#pragma once
// Parents and children.
#include "pairs/model.h"

namespace colvik::world {

// Takes its place in a family as it is added.
// Whether what is added to a parent is given as if that were not mirrored: always in its frame, in
// the world's only until the first step.
template <int D>
[[nodiscard]] bool is_turned_with(const Store<D>& store, const ObjectState<D>& parent,
                                  bool on_parent);

template <int D>
void join_family(Model<D>& model, ObjectState<D>& o, std::string_view parent,
                 const std::optional<Pose<D>>& on_parent);

template <int D>
void attach_object(Model<D>& model, ObjectState<D>& child, ObjectState<D>& parent,
                   const Pose<D>& on_parent);

template <int D>
void detach_object(Model<D>& model, ObjectState<D>& child);

}  // namespace colvik::world
