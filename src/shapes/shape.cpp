// What all shapes share: names, checks, bounds.
#include <colvik/shape.hpp>

#include <fmt/format.h>

#include <array>

#include "shapes/assembly.h"
#include "shapes/polytope.h"

namespace colvik {

namespace {
constexpr double kEndless = 1e12;  // of the bounds of a half-space; users' units
}

template <int D>
std::string_view shape_name(ShapeKind kind) {
  switch (kind) {
    case ShapeKind::ball: return D == 2 ? "circle" : "sphere";
    case ShapeKind::box: return "box";
    case ShapeKind::capsule: return "capsule";
    case ShapeKind::segment: return "segment";
    case ShapeKind::polygon: return "polygon";
    case ShapeKind::cylinder: return "cylinder";
    case ShapeKind::cone: return "cone";
    case ShapeKind::hull: return "hull";
    case ShapeKind::compound: return "compound";
    case ShapeKind::outline: return "outline";
    case ShapeKind::polyline: return "polyline";
    case ShapeKind::tiles: return "tiles";
    case ShapeKind::mesh: return "mesh";
    case ShapeKind::heights: return "heights";
    default: return D == 2 ? "half-plane" : "half-space";
  }
}

template <int D>
Result<void> check_shape(const Shape<D>& shape, double metre) {
  const double least = kSmallestSize * metre;
  const double most = kLargestSize * metre;
  const auto check = [&](std::string_view which, double size) -> Result<void> {
    if (size >= least && size <= most) return {};  // false for NaN
    return Error{fmt::format("{} {}", shape_name<D>(shape.kind), which),
                 fmt::format("{} is not a usable size", size),
                 fmt::format("a number from {} to {}", least, most)};
  };
  if (shape.kind != ShapeKind::ball && shape.kind != ShapeKind::capsule) {
    if (!is_convex(shape) && shape.radius != 0)
      return Error{fmt::format("{} rounding", shape_name<D>(shape.kind)),
                   fmt::format("{} is not 0", shape.radius), "a convex shape to round"};
    if (!(shape.radius >= 0 && shape.radius <= most / 2))
      return Error{fmt::format("{} rounding", shape_name<D>(shape.kind)),
                   fmt::format("{} is not a usable radius", shape.radius),
                   fmt::format("a number from 0 to {}", most / 2)};
  }
  switch (shape.kind) {
    case ShapeKind::ball: return check("diameter", 2 * shape.radius);
    case ShapeKind::capsule: {
      if (Result<void> width = check("width", 2 * shape.radius); !width) return width;
      const double height = 2 * (shape.core.y() + shape.radius);
      if (!(shape.core.y() >= 0))
        return Error{"capsule height",
                     fmt::format("{} is less than the width {}", height, 2 * shape.radius),
                     "the height with both round ends, at least the width"};
      return check("height", height);
    }
    case ShapeKind::cylinder:
    case ShapeKind::cone: {
      if (D == 2)
        return Error{std::string(shape_name<D>(shape.kind)), "is a 3D shape", "a 2D shape"};
      if (Result<void> width = check("diameter", 2 * shape.core.x()); !width) return width;
      return check("height", 2 * shape.core.y());
    }
    case ShapeKind::box: {
      constexpr std::array<std::string_view, 3> names{"width", "height", "depth"};
      for (int i = 0; i < D; ++i)
        if (Result<void> side = check(names[i], 2 * shape.core[i]); !side) return side;
      return {};
    }
    case ShapeKind::half_space: return {};
    default: {
      if (shape.corners == nullptr && shape.parts == nullptr)
        return Error{std::string(shape_name<D>(shape.kind)), "has no corners",
                     "a shape made by its function"};
      return check("size", 2 * shape.core.maxCoeff());
    }
  }
}

template <int D>
Bounds<D> bounds(const Shape<D>& shape, const Pose<D>& pose) {
  if (shape.kind == ShapeKind::half_space) {
    Bounds<D> box{Vec<D>::Constant(-kEndless), Vec<D>::Constant(kEndless)};
    const Vec<D> up = pose.rotation.axis(1);
    for (int i = 0; i < D; ++i) {  // only one whose normal is along an axis is bounded
      if (up[i] >= 1) box.hi[i] = pose.position[i];
      if (up[i] <= -1) box.lo[i] = pose.position[i];
    }
    return box;
  }
  if (shape.kind == ShapeKind::compound) {
    Bounds<D> box;
    for (const shapes::Child<D>& c : shape.parts->children)
      box = box.merged(bounds(c.shape, pose * c.pose));
    return box;
  }
  if (shape.corners != nullptr) {
    Bounds<D> box;
    for (const Vec<D>& p : shape.corners->points) box = box.merged(Vec<D>(pose * p));
    return box.grown(shape.radius);
  }
  if constexpr (D == 3) {
    if (shape.kind == ShapeKind::cylinder || shape.kind == ShapeKind::cone) {
      // The disc at one end, and the disc or tip at the other.
      const Vec<3> axis = pose.rotation.axis(1);
      const Vec<3> half = axis * shape.core.y();
      Vec<3> disc;
      for (int i = 0; i < 3; ++i)
        disc[i] = shape.core.x() * std::sqrt(std::max(0.0, 1 - axis[i] * axis[i]));
      const Vec<3> head = shape.kind == ShapeKind::cone ? Vec<3>(Vec<3>::Zero()) : disc;
      Bounds<3> box{pose.position - half - disc, pose.position - half + disc};
      return box.merged(Bounds<3>{pose.position + half - head, pose.position + half + head})
          .grown(shape.radius);
    }
  }
  Vec<D> reach = Vec<D>::Constant(shape.radius);
  for (int i = 0; i < D; ++i) reach += pose.rotation.axis(i).cwiseAbs() * shape.core[i];
  const Vec<D> middle = pose * shape.middle;  // the origin, but of pieces
  return {middle - reach, middle + reach};
}

template std::string_view shape_name<2>(ShapeKind);
template std::string_view shape_name<3>(ShapeKind);
template Result<void> check_shape(const Shape<2>&, double);
template Result<void> check_shape(const Shape<3>&, double);
template Bounds<2> bounds(const Shape<2>&, const Pose<2>&);
template Bounds<3> bounds(const Shape<3>&, const Pose<3>&);

}  // namespace colvik
