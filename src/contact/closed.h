#pragma once
// Distances that have a closed form: of points, segments and boxes.
#include "contact/distance.h"

namespace colvik::contact {

/// Nearest points of two cores of which one is a point or segment and the other is a point, segment or box, without a
/// search; `out` has the gap of the cores, its normal from a to b, and both points. False, and `out` means nothing,
/// when they are of another kind, or nearer than a millionth of their size, where digits run out. Method: a point is
/// clamped to the box, in its frame. Two segments: Ericson, "Real-time collision detection" (2005), section 5.1.9; of
/// parallel ones the middle of where they lie beside each other. A segment and a box: the square of the distance is
/// convex and, between where the segment crosses the planes of the faces, quadratic along it; its slope is followed to
/// zero.
template <int D>
[[nodiscard]] bool nearest_in_closed_form(const Core<D>& a, const Core<D>& b, Separation<D>& out);

}  // namespace colvik::contact
