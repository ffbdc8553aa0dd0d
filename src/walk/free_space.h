#pragma once
// Is there room?
#include "pairs/model.h"

namespace colvik::world {

// The deepest overlap of one of the object's solids with the object somewhere else, and which way
// leads out. A collider may be given another shape.
template <int D>
std::optional<Answer<D>> deepest_overlap(Store<D>& store, BroadPhase<D>& broad, Walkers<D>& walkers,
                                         const ObjectState<D>& o,
                                         const std::type_identity_t<Pose<D>>& pose,
                                         std::size_t collider,
                                         const std::type_identity_t<Shape<D>>* shape);

// The place nearest to `near` where the object overlaps no solid it meets; see World::free_place.
template <int D>
[[nodiscard]] std::optional<Vec<D>> free_place(Store<D>& store, BroadPhase<D>& broad,
                                               Walkers<D>& walkers, const ObjectState<D>& o,
                                               const Vec<D>& near, double within);
// The error that names the obstacle and the depth.
template <int D>
[[nodiscard]] Error obstacle_error(const std::string& name, const std::string& other,
                                   const Answer<D>& what, std::string accepted);

}  // namespace colvik::world
