#pragma once
// Reading objects, colliders and numbers.
#include "store/store.h"

namespace colvik::world {

template <int D>
ObjectState<D>* find_state(Store<D>& store, ObjectId id);

template <int D>
std::vector<Number>* numbers_of(Store<D>& store, NumberOwner whose);

template <int D>
[[nodiscard]] Party party_of(const Store<D>& store, const ObjectState<D>& o, std::size_t collider);

template <int D>
[[nodiscard]] bool is_excepted(const Store<D>& store, std::uint32_t a, std::uint32_t b);

// A dynamic body cannot take on what has no inside.
template <int D>
bool may_ride(Store<D>& store, const ObjectState<D>& child, const ObjectState<D>& parent);

// Places an object, and adds to the distance that it travelled.
template <int D>
void move_object(Store<D>& store, ObjectState<D>& o, const AnyPlace<D>& at);

}  // namespace colvik::world
