// A grid of solid, sloped and one-way cells as one shape.
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "shapes/assembly.h"
#include "shapes/tile_grid.h"

namespace colvik {
namespace shapes {
namespace {

// Which sides of a cell are full: what lies against them is inside.
struct Sides {
  bool left;
  bool right;
  bool bottom;
  bool top;
};
Sides sides_of(char c) {
  switch (c) {
    case '#': return {true, true, true, true};
    case '/': return {false, true, true, false};
    case '\\': return {true, false, true, false};
    default: return {false, false, false, false};
  }
}

class Builder {
 public:
  explicit Builder(const TileGrid& grid) : grid_(grid) {}
  Assembly<2> build();

 private:
  std::uint32_t point(int column, int row) {
    const auto [at, fresh] =
        names_.emplace(std::pair(column, row), static_cast<std::uint32_t>(out_.points.size()));
    if (fresh) out_.points.emplace_back(column * grid_.cell.x(), row * grid_.cell.y());
    return at->second;
  }
  // From one grid point to another. Points are numbered in a fixed order: that in which arguments
  // are evaluated is the compiler's choice.
  void side(int from_column, int from_row, int to_column, int to_row) {
    const std::uint32_t to = point(to_column, to_row);
    const std::uint32_t from = point(from_column, from_row);
    front(from, to);
  }
  void front(std::uint32_t from, std::uint32_t to) { out_.fronts.push_back({{from, to}, {}}); }
  void add(std::initializer_list<std::uint32_t> corners, std::uint32_t first_front) {
    Piece<2> piece;
    piece.first_corner = static_cast<std::uint32_t>(out_.corner_list.size());
    piece.corners = static_cast<std::uint32_t>(corners.size());
    out_.corner_list.insert(out_.corner_list.end(), corners);
    piece.first_front = first_front;
    piece.fronts = static_cast<std::uint32_t>(out_.fronts.size()) - first_front;
    out_.pieces.push_back(piece);
  }
  void run(int first, int last, int row);
  void slope(int column, int row);
  // Stretches of the row's top or bottom, from column first to last, that `covered` does not hold.
  template <class Covered>
  void stretches(int first, int last, int height, bool top, Covered&& covered) {
    for (int c = first; c < last;) {
      if (covered(c)) {
        ++c;
        continue;
      }
      int end = c;
      while (end < last && !covered(end)) ++end;
      if (top) side(end, height, c, height);
      else side(c, height, end, height);
      c = end;
    }
  }

  const TileGrid& grid_;
  Assembly<2> out_;
  std::map<std::pair<int, int>, std::uint32_t> names_;
};

// Adjacent solid cells.
void Builder::run(int first, int last, int row) {
  const auto first_front = static_cast<std::uint32_t>(out_.fronts.size());
  stretches(first, last, row, false, [&](int c) { return sides_of(grid_.at(c, row - 1)).top; });
  if (!sides_of(grid_.at(last, row)).left) side(last, row, last, row + 1);
  stretches(first, last, row + 1, true,
            [&](int c) { return sides_of(grid_.at(c, row + 1)).bottom; });
  if (!sides_of(grid_.at(first - 1, row)).right) side(first, row + 1, first, row);
  add({point(first, row), point(last, row), point(last, row + 1), point(first, row + 1)},
      first_front);
}

void Builder::slope(int column, int row) {
  const bool rising = grid_.at(column, row) == '/';
  const auto first_front = static_cast<std::uint32_t>(out_.fronts.size());
  const std::uint32_t left = point(column, row);
  const std::uint32_t right = point(column + 1, row);
  const std::uint32_t tip = point(rising ? column + 1 : column, row + 1);
  if (!sides_of(grid_.at(column, row - 1)).top) front(left, right);
  if (rising) {
    if (!sides_of(grid_.at(column + 1, row)).left) front(right, tip);
    front(tip, left);
  } else {
    front(right, tip);
    if (!sides_of(grid_.at(column - 1, row)).right) front(tip, left);
  }
  add({left, right, tip}, first_front);
}

Assembly<2> Builder::build() {
  const int columns = grid_.columns();
  const int rows = grid_.rows();
  for (int row = 0; row < rows; ++row)
    for (int c = 0; c < columns;) {
      const char what = grid_.at(c, row);
      int end = c + 1;
      while (end < columns && grid_.at(end, row) == what && (what == '#' || what == '-')) ++end;
      if (what == '#') {
        run(c, end, row);
      } else if (what == '/' || what == '\\') {
        slope(c, row);
      } else if (what == '-') {
        const auto first_front = static_cast<std::uint32_t>(out_.fronts.size());
        side(end, row + 1, c, row + 1);
        add({point(c, row + 1), point(end, row + 1)}, first_front);
      }
      c = end;
    }
  for (const Front<2>& f : out_.fronts)
    out_.lines.push_back({out_.points[f.corner[0]], out_.points[f.corner[1]]});
  return std::move(out_);
}

}  // namespace

Shape<2> of_tiles(TileGrid grid) {
  Assembly<2> all = Builder(grid).build();
  Shape<2> s = of_parts(ShapeKind::tiles, std::move(all));
  // The grid's own bounds, also where its outermost cells are empty.
  s.core = Vec<2>(grid.columns(), grid.rows()).cwiseProduct(grid.cell) / 2;
  s.middle = s.core;
  s.tiles = std::make_shared<const TileGrid>(std::move(grid));
  return s;
}

}  // namespace shapes

namespace {

constexpr std::string_view kCells = "#. /\\-";

}

Result<Shape<2>> tiles(std::span<const std::string> rows, const Vec<2>& cell) {
  constexpr std::size_t kMost = 4'000'000;
  if (!(cell.minCoeff() > 0 && cell.allFinite()))
    return Error{"tiles cell", fmt::format("({}, {}) is not a usable size", cell.x(), cell.y()),
                 "two numbers above 0"};
  std::size_t columns = 0;
  for (const std::string& row : rows) columns = std::max(columns, row.size());
  if (columns == 0) return Error{"tiles", "has no cells", "rows of # . / \\ and -"};
  if (columns * rows.size() > kMost)
    return Error{"tiles", fmt::format("has {} cells", columns * rows.size()),
                 fmt::format("at most {}", kMost)};
  shapes::TileGrid grid;
  grid.cell = cell;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    const std::size_t bad = rows[r].find_first_not_of(kCells);
    if (bad != std::string::npos)
      return Error{fmt::format("tiles row {} column {}", r + 1, bad + 1),
                   fmt::format("'{}' is no cell", rows[r][bad]), "one of # . / \\ -"};
    grid.cells.push_back(rows[r] + std::string(columns - rows[r].size(), '.'));
  }
  std::reverse(grid.cells.begin(), grid.cells.end());
  return shapes::of_tiles(std::move(grid));
}

Result<Shape<2>> with_tile(const Shape<2>& tiles, int column, int row, char what) {
  if (tiles.tiles == nullptr)
    return Error{"tile", "the shape is no tile grid", "a shape made by tiles()"};
  shapes::TileGrid grid = *tiles.tiles;
  if (column < 0 || row < 0 || column >= grid.columns() || row >= grid.rows())
    return Error{"tile", fmt::format("column {}, row {} is outside the grid", column, row),
                 fmt::format("columns 0 to {}, rows 0 to {}", grid.columns() - 1, grid.rows() - 1)};
  if (kCells.find(what) == std::string_view::npos)
    return Error{"tile", fmt::format("'{}' is no cell", what), "one of # . / \\ -"};
  grid.cells[static_cast<std::size_t>(row)][static_cast<std::size_t>(column)] = what;
  return shapes::of_tiles(std::move(grid));
}

}  // namespace colvik
