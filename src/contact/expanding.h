#pragma once
#include <optional>

#include "contact/depth.h"

namespace colvik::contact {

// Grows a polytope inside the difference a - b until its face nearest the origin is (nearly) on the
// difference's surface. Nothing for a difference without volume. `held`, `start`: see
// deepest_axis().
[[nodiscard]] std::optional<Axis<3>> expand(const Core<3>& a, const Core<3>& b,
                                            const Tetrahedron<3>* held, Start<3>* start);

// The same, from the polytope saved in `start`. It still is inside the difference: while it
// holds the origin its nearest face is a bound, as ever. Nothing if it no longer does.
[[nodiscard]] std::optional<Axis<3>> expand_on(const Core<3>& a, const Core<3>& b, Start<3>& start);

}  // namespace colvik::contact
