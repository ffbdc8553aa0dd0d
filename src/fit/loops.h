#pragma once
// What is done with closed loops of points and with the grid cells they are traced from.
#include <colvik/fit.hpp>

namespace colvik::fitting {

using Loop = std::vector<Vec<2>>;
using Loops = std::vector<Loop>;

[[nodiscard]] inline double turn_of(const Vec<2>& a, const Vec<2>& b) {
  return a.x() * b.y() - a.y() * b.x();
}
[[nodiscard]] double area_of(const Loop& loop);  // below 0: clockwise
[[nodiscard]] Bounds<2> bounds_of_points(const Loop& points);
[[nodiscard]] Bounds<2> bounds_of_loops(const Loops& loops);
[[nodiscard]] Loop all_points(const Loops& loops);
// Corners of the convex hull, counterclockwise. Source: Andrew's monotone chain, 1979.
[[nodiscard]] Loop hull_of(Loop points);
[[nodiscard]] bool is_inside(const Loops& loops, const Vec<2>& point);
// Whether sides of the loops meet elsewhere than at the corner that neighbours share.
[[nodiscard]] bool cross_each_other(const Loops& loops);
// The loop with as few corners as stay within the tolerance. Source: Douglas and Peucker,
// "Algorithms for the reduction of the number of points required to represent a digitized line",
// 1973.
[[nodiscard]] Loop fewer_corners(const Loop& loop, double tolerance);
// All loops so, still without crossings; the tolerance is halved until they have none.
[[nodiscard]] Loops fewer_corners_each(const Loops& loops, double tolerance);

// Pairs of x between which the lines y = first + (i + 0.5) * step are inside, row by row.
struct Rows {
  double first = 0;
  double step = 0;
  std::vector<std::vector<double>> spans;
};
[[nodiscard]] Rows rows_of(const Loops& loops, double first, double step, int count);

// Cells of a grid, row 0 the lowest.
struct Cells {
  int width = 0;
  int height = 0;
  std::vector<std::uint8_t> set;
  [[nodiscard]] bool at(int x, int y) const {
    return x >= 0 && y >= 0 && x < width && y < height &&
           set[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
               static_cast<std::size_t>(x)] != 0;
  }
};
struct Traced {
  Loops loops;
  int left_out = 0;  // islands and holes
};
// Loops around the cells, in cells from the lower left corner.
[[nodiscard]] Traced loops_around(const Cells& cells, int least_island);
// A grid of so many cells along the longer side of the loops, none set; `cell` is their size.
[[nodiscard]] Cells grid_around(const Loops& loops, int along, Vec<2>& corner, double& cell);
// Likewise, those set that the loops go around.
[[nodiscard]] Cells cells_of(const Loops& loops, int along, Vec<2>& corner, double& cell);
// What is further than `margin` from all that is not set. Source: Felzenszwalb and Huttenlocher,
// "Distance Transforms of Sampled Functions", 2012.
[[nodiscard]] Cells inside_by(const Cells& cells, double margin);
// The loops smaller by a margin on all sides, to a thousandth of their size.
[[nodiscard]] Loops inside_by(const Loops& loops, double margin);
// The convex loop smaller by a margin on all sides, exact; empty where nothing is left.
[[nodiscard]] Loop convex_inside_by(const Loop& convex, double margin);

// A loop around the thing and the holes in it.
struct Island {
  Loop around;
  Loops holes;
};
[[nodiscard]] std::vector<Island> islands_of(const Loops& loops);

}  // namespace colvik::fitting
