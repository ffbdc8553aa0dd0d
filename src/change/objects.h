#pragma once
// Adding, changing and removing objects.
#include "pairs/model.h"

namespace colvik::world {

template <int D>
Result<ObjectId> add_object(Model<D>& model, const ObjectDef<D>& def);

// A shape in a shape's place. The object's mass follows, and what touches and what does not.
template <int D>
void replace_shape(Model<D>& model, ObjectState<D>& o, std::size_t collider, const Shape<D>& shape);

template <int D>
void switch_collider(Model<D>& model, ObjectState<D>& o, std::size_t collider, bool on);

// Tags, filters or switches have changed (or are new): sets the contact classes and requests new
// pairs.
template <int D>
void classify(Model<D>& model, ObjectState<D>& o);

// Two live objects do not meet from now on, for a while.
template <int D>
void except_two(Model<D>& model, std::uint32_t first, std::uint32_t second,
                const Exception& exception);

template <int D>
void remove_object(Model<D>& model, ObjectState<D>& o);

template <int D>
void show_object(Model<D>& model, ObjectState<D>& o, bool active);

// Frees the objects whose end events were read: those reported by the last step.
template <int D>
void free_removed(Store<D>& store, Walkers<D>& walkers);

}  // namespace colvik::world
