// From cells of a grid to loops around them.
#include <fmt/format.h>

#include <algorithm>

#include "fit/loops.h"

namespace colvik {
namespace fitting {
namespace {

constexpr std::array<std::array<int, 2>, 4> kWays{{{1, 0}, {0, 1}, {-1, 0}, {0, -1}}};

struct Corner {
  int x = 0;
  int y = 0;
  bool pinched = false;  // two set cells meet here at their corners alone
};

// Follows the sides of set cells, with the cell at the left; at a pinch it stays with its cell.
class Follower {
 public:
  explicit Follower(const Cells& cells)
      : cells_(cells),
        along_(static_cast<std::size_t>(cells.width) + 1),
        used_(along_ * (static_cast<std::size_t>(cells.height) + 1)) {}

  // The corners of the loop that goes right from here; none if it was followed before.
  std::vector<Corner> loop_from(int x, int y) {
    std::vector<Corner> corners;
    if (!goes(x, y, 0) || used(x, y)) return corners;
    int way = 0;
    int at_x = x;
    int at_y = y;
    int last = -1;
    do {
      if (way == 0) used(at_x, at_y) = 1;
      if (way != last)
        corners.push_back({at_x, at_y, goes(at_x, at_y, (way + 2) % 4) && pinched(at_x, at_y)});
      last = way;
      at_x += kWays[static_cast<std::size_t>(way)][0];
      at_y += kWays[static_cast<std::size_t>(way)][1];
      for (const int turn : {1, 0, 3})
        if (goes(at_x, at_y, (way + turn) % 4)) {
          way = (way + turn) % 4;
          break;
        }
    } while (at_x != x || at_y != y || way != 0);
    if (last == 0) corners.erase(corners.begin());  // the loop began in the middle of a side
    return corners;
  }

 private:
  // Whether the side from the corner (x, y) that way has a set cell at its left alone.
  [[nodiscard]] bool goes(int x, int y, int way) const {
    switch (way) {
      case 0: return cells_.at(x, y) && !cells_.at(x, y - 1);
      case 1: return cells_.at(x - 1, y) && !cells_.at(x, y);
      case 2: return cells_.at(x - 1, y - 1) && !cells_.at(x - 1, y);
      default: return cells_.at(x, y - 1) && !cells_.at(x - 1, y - 1);
    }
  }
  [[nodiscard]] bool pinched(int x, int y) const {
    return cells_.at(x, y) == cells_.at(x - 1, y - 1) &&
           cells_.at(x, y - 1) == cells_.at(x - 1, y) && cells_.at(x, y) != cells_.at(x, y - 1);
  }
  std::uint8_t& used(int x, int y) {
    return used_[static_cast<std::size_t>(y) * along_ + static_cast<std::size_t>(x)];
  }
  const Cells& cells_;
  std::size_t along_;
  std::vector<std::uint8_t> used_;  // sides that go right, by their first corner
};

// Stairs become slopes through the middles of their steps; other corners stay.
Loop smoothed(const std::vector<Corner>& c) {
  const std::size_t n = c.size();
  const auto side = [&](std::size_t i) {
    return Vec<2>(c[(i + 1) % n].x - c[i % n].x, c[(i + 1) % n].y - c[i % n].y);
  };
  const auto left_turn = [&](std::size_t i) {  // at corner i
    return turn_of(side(i + n - 1), side(i)) > 0;
  };
  const auto same_turns = [&](std::size_t i) { return left_turn(i % n) == left_turn((i + 1) % n); };
  const auto is_step = [&](std::size_t i) { return side(i).squaredNorm() == 1 && !same_turns(i); };
  Loop out;
  const auto add = [&](const Vec<2>& p) {
    if (out.empty() || out.back() != p) out.push_back(p);
  };
  for (std::size_t i = 0; i < n; ++i) {
    const Vec<2> here(c[i].x, c[i].y);
    const Vec<2> in = side(i + n - 1).normalized();
    const Vec<2> on = side(i).normalized();
    const bool after_step = is_step(i + n - 1);
    if (!after_step && !is_step(i)) {
      if (c[i].pinched) {
        add(here - 0.25 * in);
        add(here + 0.25 * on);
      } else {
        add(here);
      }
    } else if (after_step && same_turns(i)) {  // the furthest side that way keeps its place
      add(here + 0.5 * on);
    } else if (!after_step && same_turns(i + n - 1)) {
      add(here - 0.5 * in);
    }
    if (is_step(i)) add(here + 0.5 * side(i));
  }
  if (out.size() > 1 && out.front() == out.back()) out.pop_back();
  return out;
}

}  // namespace

Traced loops_around(const Cells& cells, int least_island) {
  Follower follower(cells);
  Traced out;
  for (int y = 0; y <= cells.height; ++y)
    for (int x = 0; x <= cells.width; ++x) {
      const std::vector<Corner> corners = follower.loop_from(x, y);
      if (corners.empty()) continue;
      Loop exact;
      for (const Corner& c : corners) exact.emplace_back(c.x, c.y);
      if (std::abs(area_of(exact)) < least_island) {
        ++out.left_out;
        continue;
      }
      Loop loop = smoothed(corners);
      out.loops.push_back(loop.size() >= 3 ? std::move(loop) : std::move(exact));
    }
  return out;
}

Cells grid_around(const Loops& loops, int along, Vec<2>& corner, double& cell) {
  const Bounds<2> box = bounds_of_loops(loops);
  cell = box.size().maxCoeff() / along;
  corner = box.lo - Vec<2>::Constant(2 * cell);
  Cells cells;
  cells.width = static_cast<int>(std::ceil(box.size().x() / cell)) + 4;
  cells.height = static_cast<int>(std::ceil(box.size().y() / cell)) + 4;
  cells.set.assign(static_cast<std::size_t>(cells.width) * static_cast<std::size_t>(cells.height),
                   0);
  return cells;
}

// Sets the cells of a row whose middles lie from `from` to `to`.
void fill(Cells& cells, std::size_t row, double left, double cell, double from, double to) {
  const auto first = std::ceil((from - left) / cell - 0.5);
  const auto last = std::ceil((to - left) / cell - 0.5);
  if (!(first < last)) return;
  const auto start = cells.set.begin() + static_cast<std::ptrdiff_t>(row) * cells.width;
  std::fill(start + static_cast<std::ptrdiff_t>(first), start + static_cast<std::ptrdiff_t>(last),
            std::uint8_t{1});
}

Cells cells_of(const Loops& loops, int along, Vec<2>& corner, double& cell) {
  Cells cells = grid_around(loops, along, corner, cell);
  const Rows rows = rows_of(loops, corner.y(), cell, cells.height);
  for (std::size_t y = 0; y < rows.spans.size(); ++y)
    for (std::size_t k = 0; k + 1 < rows.spans[y].size(); k += 2)
      fill(cells, y, corner.x(), cell, rows.spans[y][k], rows.spans[y][k + 1]);
  return cells;
}

namespace {

// Lower envelope of parabolas: the least squared distance along one line.
void squared_distances(std::vector<double>& line) {
  const auto n = static_cast<int>(line.size());
  std::vector<int> at(line.size());
  std::vector<double> from(line.size() + 1);
  const std::vector<double> given = line;
  const auto meet = [&](int a, int b) {
    return ((given[static_cast<std::size_t>(b)] + double(b) * b) -
            (given[static_cast<std::size_t>(a)] + double(a) * a)) /
           (2.0 * (b - a));
  };
  std::size_t k = 0;
  at[0] = 0;
  from[0] = -1e300;
  from[1] = 1e300;
  for (int q = 1; q < n; ++q) {
    double s = meet(at[k], q);
    while (s <= from[k]) s = meet(at[--k], q);
    at[++k] = q;
    from[k] = s;
    from[k + 1] = 1e300;
  }
  k = 0;
  for (int q = 0; q < n; ++q) {
    while (from[k + 1] < q) ++k;
    line[static_cast<std::size_t>(q)] =
        double(q - at[k]) * (q - at[k]) + given[static_cast<std::size_t>(at[k])];
  }
}

}  // namespace

Cells inside_by(const Cells& cells, double margin) {
  constexpr double kFar = 1e12;
  const auto w = static_cast<std::size_t>(cells.width);
  const auto h = static_cast<std::size_t>(cells.height);
  std::vector<double> square(w * h);
  for (std::size_t i = 0; i < w * h; ++i) square[i] = cells.set[i] != 0 ? kFar : 0;
  std::vector<double> line(h);
  for (std::size_t x = 0; x < w; ++x) {
    for (std::size_t y = 0; y < h; ++y) line[y] = square[y * w + x];
    squared_distances(line);
    for (std::size_t y = 0; y < h; ++y) square[y * w + x] = line[y];
  }
  line.resize(w);
  Cells out = cells;
  for (std::size_t y = 0; y < h; ++y) {
    std::copy_n(square.begin() + static_cast<std::ptrdiff_t>(y * w), w, line.begin());
    squared_distances(line);
    // From the middle of a cell to the side of the one beyond it is half a cell less.
    for (std::size_t x = 0; x < w; ++x)
      out.set[y * w + x] = std::sqrt(line[x]) - 0.5 > margin ? 1 : 0;
  }
  return out;
}

}  // namespace fitting

Result<Art<2>> traced(const Pixels& pixels, const TraceOptions& o) {
  using namespace fitting;
  if (pixels.width < 1 || pixels.height < 1 || pixels.width > kMostPixels ||
      pixels.height > kMostPixels)
    return Error{"picture", fmt::format("is {} x {} pixels", pixels.width, pixels.height),
                 fmt::format("1 to {} on a side", kMostPixels)};
  if (pixels.bytes.size() !=
      4 * static_cast<std::size_t>(pixels.width) * static_cast<std::size_t>(pixels.height))
    return Error{"picture", fmt::format("has {} bytes", pixels.bytes.size()), "4 for each pixel"};
  if (!(o.pixel > 0) || !std::isfinite(o.pixel))
    return Error{"picture", fmt::format("a pixel is {} units", o.pixel), "more than 0"};
  auto [left, top, width, height] = o.part;
  if (width == 0) {
    left = top = 0;
    width = pixels.width;
    height = pixels.height;
  }
  if (left < 0 || top < 0 || width < 1 || height < 1 || width > pixels.width - left ||
      height > pixels.height - top)
    return Error{"picture", fmt::format("has no part {}, {}, {} x {}", left, top, width, height),
                 fmt::format("within {} x {} pixels", pixels.width, pixels.height)};
  Cells cells{width, height, {}};
  cells.set.resize(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
  for (int y = 0; y < height; ++y) {
    const int row = o.y_down ? y : height - 1 - y;
    for (int x = 0; x < width; ++x) {
      const std::uint8_t* p = &pixels.bytes[4 * (static_cast<std::size_t>(top + y) *
                                                     static_cast<std::size_t>(pixels.width) +
                                                 static_cast<std::size_t>(left + x))];
      const bool ground =
          o.ground && p[0] == (*o.ground)[0] && p[1] == (*o.ground)[1] && p[2] == (*o.ground)[2];
      cells.set[static_cast<std::size_t>(row) * static_cast<std::size_t>(width) +
                static_cast<std::size_t>(x)] = p[3] >= o.least_opacity && !ground ? 1 : 0;
    }
  }
  Traced traced = loops_around(cells, o.least_island);
  if (traced.loops.empty())
    return Error{"picture",
                 traced.left_out > 0
                     ? fmt::format("has only islands of fewer than {} pixels", o.least_island)
                     : "has no pixel that is part of a thing",
                 o.ground ? "pixels of other colours than the ground's"
                          : fmt::format("pixels of an opacity of {} of 255 and more, or the colour "
                                        "of the ground where it has no transparency",
                                        o.least_opacity)};
  const Vec<2> middle(0.5 * width, 0.5 * height);
  for (Loop& loop : traced.loops)
    for (Vec<2>& p : loop) p = o.pixel * (p - middle);
  Art<2> art{std::move(traced.loops), {-o.pixel * middle, o.pixel * middle}, {}};
  if (traced.left_out > 0)
    art.notes.push_back(fmt::format("{} islands or holes of fewer than {} pixels were left out",
                                    traced.left_out, o.least_island));
  return art;
}

Result<Art<2>> outlined_art(std::vector<std::vector<Vec<2>>> given, Winding winding) {
  using namespace fitting;
  Loops loops;
  for (Loop& loop : given) {
    for (const Vec<2>& p : loop)
      if (!p.allFinite() || p.cwiseAbs().maxCoeff() > kLargestSize)
        return Error{"outline", "has a corner that is not finite or too far away",
                     fmt::format("numbers up to {:g}", kLargestSize)};
    loop.erase(std::unique(loop.begin(), loop.end()), loop.end());
    while (loop.size() > 1 && loop.front() == loop.back()) loop.pop_back();
    if (hull_of(loop).size() >= 3) loops.push_back(std::move(loop));
  }
  const Error nothing{"outline", "goes around no area", "a closed line around one"};
  if (loops.empty()) return nothing;
  Art<2> art;
  // Which side of each loop is inside follows from how often the others go around it.
  const auto wound = [&](const Vec<2>& p, std::size_t without) {
    int turns = 0;
    for (std::size_t k = 0; k < loops.size(); ++k)
      if (k != without && is_inside({loops[k]}, p)) turns += area_of(loops[k]) > 0 ? 1 : -1;
    return turns;
  };
  const auto is_in = [&](int turns) {
    return winding == Winding::even_odd ? turns % 2 != 0 : turns != 0;
  };
  if (!cross_each_other(loops)) {
    for (std::size_t i = 0; i < loops.size(); ++i) {
      const int beyond = wound(loops[i][0], i);
      const bool out = is_in(beyond);
      const bool in = is_in(beyond + (area_of(loops[i]) > 0 ? 1 : -1));
      if (in == out) continue;  // of nothing an edge
      Loop loop = loops[i];
      if ((area_of(loop) > 0) != in) std::reverse(loop.begin(), loop.end());
      art.loops.push_back(std::move(loop));
    }
    if (art.loops.empty()) return nothing;
    return art;
  }
  constexpr int kAlong = 2000;
  Vec<2> corner = kZero;
  double cell = 0;
  Cells cells = grid_around(loops, kAlong, corner, cell);
  struct Pass {
    double x;
    int turn;
  };
  std::vector<std::vector<Pass>> passes(static_cast<std::size_t>(cells.height));
  for (const Loop& loop : loops)
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const Vec<2>& a = loop[i];
      const Vec<2>& b = loop[(i + 1) % loop.size()];
      const auto [low, high] = std::minmax({a.y(), b.y()});
      const double first = std::ceil((low - corner.y()) / cell - 0.5);
      for (int r = std::max(static_cast<int>(first), 0); r < cells.height; ++r) {
        const double y = corner.y() + (r + 0.5) * cell;
        if (y >= high) break;
        if (y < low) continue;
        passes[static_cast<std::size_t>(r)].push_back(
            {a.x() + (y - a.y()) / (b.y() - a.y()) * (b.x() - a.x()), b.y() < a.y() ? 1 : -1});
      }
    }
  for (std::size_t y = 0; y < passes.size(); ++y) {
    std::stable_sort(passes[y].begin(), passes[y].end(),
                     [](const Pass& a, const Pass& b) { return a.x < b.x; });
    int turns = 0;
    for (std::size_t k = 0; k + 1 < passes[y].size(); ++k) {
      turns += passes[y][k].turn;
      if (is_in(turns)) fill(cells, y, corner.x(), cell, passes[y][k].x, passes[y][k + 1].x);
    }
  }
  art.loops = loops_around(cells, 4).loops;
  for (Loop& loop : art.loops)
    for (Vec<2>& p : loop) p = corner + cell * p;
  if (art.loops.empty()) return nothing;
  art.notes.push_back(fmt::format(
      "lines cross each other: drawn on a grid of {} cells along the longer side", kAlong));
  return art;
}

MassProperties<2> mass_of(const Art<2>& art) {
  MassProperties<2> mass;
  double around_origin = 0;
  const Vec<2> origin = bounds_of(art).centre();
  Vec<2> first = kZero;
  for (const fitting::Loop& loop : art.loops)
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const Vec<2> a = loop[i] - origin;
      const Vec<2> b = loop[(i + 1) % loop.size()] - origin;
      const double twice = fitting::turn_of(a, b);
      mass.volume += twice / 2;
      first += twice / 6 * (a + b);
      around_origin += twice / 12 * (a.dot(a) + a.dot(b) + b.dot(b));
    }
  if (!(mass.volume > 0)) return mass;
  mass.centre = first / mass.volume;
  mass.inertia(0, 0) = around_origin - mass.volume * mass.centre.squaredNorm();
  mass.centre += origin;
  return mass;
}

Bounds<2> bounds_of(const Art<2>& art) { return fitting::bounds_of_loops(art.loops); }

}  // namespace colvik
