// Shapes of another size.
#include "shapes/assembly.h"
#include "shapes/polytope.h"
#include "shapes/tile_grid.h"

namespace colvik {
namespace {

template <int D>
MassProperties<D> scaled(MassProperties<D> m, double by) {
  const double volume = D == 2 ? by * by : by * by * by;
  m.volume *= volume;
  m.centre *= by;
  m.inertia *= volume * by * by;
  return m;
}

}  // namespace

template <int D>
Shape<D> scaled(const Shape<D>& shape, double by) {
  if (shape.tiles != nullptr) {
    if constexpr (D == 2) {
      shapes::TileGrid grid = *shape.tiles;
      grid.cell *= by;
      return shapes::of_tiles(std::move(grid));
    }
  }
  if (shape.parts != nullptr) {
    shapes::Assembly<D> all = *shape.parts;
    for (Vec<D>& p : all.points) p *= by;
    for (shapes::Child<D>& c : all.children) {
      c.shape = scaled(c.shape, by);
      c.pose.position *= by;
    }
    for (auto& line : all.lines)
      for (Vec<D>& p : line) p *= by;
    all.mass = scaled(all.mass, by);
    return shapes::of_parts(shape.kind, std::move(all));
  }
  Shape<D> out = shape;
  out.core *= by;
  out.radius *= by;
  out.middle *= by;
  if (shape.corners != nullptr) {
    shapes::Polytope<D> p = *shape.corners;
    for (Vec<D>& corner : p.points) corner *= by;
    for (shapes::HullFace& f : p.faces) f.offset *= by;
    p.laid.lay(p);
    out.corners = std::make_shared<const shapes::Polytope<D>>(std::move(p));
  }
  return out;
}
template Shape<2> scaled(const Shape<2>&, double);
template Shape<3> scaled(const Shape<3>&, double);

}  // namespace colvik
