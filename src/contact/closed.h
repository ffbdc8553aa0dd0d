#pragma once
// Distances that have a closed form: of points and segments beside each other, boxes and triangles.
#include "contact/distance.h"

namespace colvik::contact {

/// Nearest points of two cores of which one is a point or segment and the other is a point,
/// segment, box or triangle, without a search; `out` has the gap of the cores, its normal from a to
/// b, and both points. False, and `out` means nothing, when they are of another kind, when a
/// segment crosses a triangle, when that is a sliver, or nearer than a millionth of their size,
/// where digits run out.
///
/// Method: a point is clamped to the box, in its frame. Two segments: Ericson, "Real-time collision
/// detection" (2005), section 5.1.9; of parallel ones the middle of where they lie beside each
/// other. A segment and a box: the square of the distance is convex and, between where the segment
/// crosses the planes of the faces, quadratic along it; its slope is followed to zero. A point and
/// a triangle: Ericson, section 5.1.5; a segment and a triangle: the nearest of the segment's ends
/// and the triangle, and of the segment and the triangle's edges.
template <int D>
[[nodiscard]] bool nearest_in_closed_form(const Core<D>& a, const Core<D>& b, Separation<D>& out);

}  // namespace colvik::contact
