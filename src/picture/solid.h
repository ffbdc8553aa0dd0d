#pragma once
// Shaded pictures of 3D shapes, with what is behind hidden: triangles and lines against the depth
// of each pixel (Catmull, "A subdivision algorithm for computer display of curved surfaces", 1974).
#include <colvik/shape.hpp>

#include "picture/canvas.h"
#include "picture/projection.h"

namespace colvik::picture {

// Triangles with a normal at each corner.
struct Facet {
  std::array<Vec<3>, 3> at;
  std::array<Vec<3>, 3> normal;
};
// Of a shape in its own frame. `wide` is how far what has no end is drawn, from `middle`.
[[nodiscard]] std::vector<Facet> facets(const Shape<3>& shape, double wide, const Vec<3>& middle);

class Raster {
 public:
  // Of a rectangle on paper; twice as fine in each direction.
  Raster(const Vec<2>& corner, const Vec<2>& size, const Projection<3>& to_paper);

  // See-through ones (below 1) hide nothing: after all others.
  void fill(const Facet& facet, const Pose<3>& at, const Colour& colour);
  void line(const Vec<3>& from, const Vec<3>& to, const Stroke& stroke);
  void paint(Canvas& canvas);

 private:
  struct Pixel {
    Vec<2> at;
    double depth;
  };
  [[nodiscard]] Pixel pixel(const Vec<3>& p) const;
  void blend(std::size_t i, const Colour& colour, double light);

  Vec<2> corner_;
  Vec<2> size_;
  Projection<3> to_paper_;
  int width_;
  int height_;
  std::vector<float> depth_;
  std::vector<std::uint8_t> pixels_;
  Vec<3> light_;
};

}  // namespace colvik::picture
