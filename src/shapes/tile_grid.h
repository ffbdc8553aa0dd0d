#pragma once
#include <string>

#include "shapes/shapes.h"

namespace colvik::shapes {

// What a tile grid was drawn as; rows from the bottom.
struct TileGrid {
  std::vector<std::string> cells;
  Vec<2> cell = kZero;

  [[nodiscard]] int columns() const { return static_cast<int>(cells[0].size()); }
  [[nodiscard]] int rows() const { return static_cast<int>(cells.size()); }
  [[nodiscard]] char at(int column, int row) const {
    if (column < 0 || row < 0 || column >= columns() || row >= rows()) return '.';
    return cells[static_cast<std::size_t>(row)][static_cast<std::size_t>(column)];
  }
};

Shape<2> of_tiles(TileGrid grid);

}  // namespace colvik::shapes
