#pragma once
#include <optional>

#include "contact/depth.h"

namespace colvik::contact {

// Grows a polytope inside the difference a - b until its face nearest the origin is (nearly) on the
// difference's surface. Nothing for a difference without volume.
[[nodiscard]] std::optional<Axis<3>> expand(const Core<3>& a, const Core<3>& b);

}  // namespace colvik::contact
