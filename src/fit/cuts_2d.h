#pragma once
// Ways to cut a drawing into convex pieces, to be joined again.
#include <array>

#include "fit/loops.h"

namespace colvik::fitting {

// A convex hull, and the area of what of the art is in it.
struct Group {
  Loop hull;
  double area = 0;
};
[[nodiscard]] Group joined(const Group& a, const Group& b);

// The pieces of an outline's shape, and slices between its corners, lying and standing along the
// smallest box around it; the latter two are empty where there would be many.
[[nodiscard]] std::array<std::vector<Group>, 3> cuts_of(const Shape<2>& outline,
                                                        const Loops& loops);

}  // namespace colvik::fitting
