#pragma once
#include <optional>

#include "contact/depth.h"

namespace colvik::contact {

// Grows a polytope inside the difference a - b until its face nearest the origin is (nearly) on the
// difference's surface. Nothing for a difference without volume. `start`: see deepest_axis().
[[nodiscard]] std::optional<Axis<3>> expand(const Core<3>& a, const Core<3>& b, const Tetrahedron<3>* start);

}  // namespace colvik::contact
