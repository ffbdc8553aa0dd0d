// What all shapes share: names, checks, bounds.
#include <colvik/shape.hpp>

#include <fmt/format.h>

#include <array>

namespace colvik {

template <int D>
std::string_view shape_name(ShapeKind kind) {
  switch (kind) {
    case ShapeKind::ball: return D == 2 ? "circle" : "sphere";
    case ShapeKind::box: return "box";
    default: return "capsule";
  }
}

template <int D>
Result<void> check_shape(const Shape<D>& shape, double metre) {
  const double least = kSmallestSize * metre, most = kLargestSize * metre;
  const auto check = [&](std::string_view which, double size) -> Result<void> {
    if (size >= least && size <= most) return {};  // false for NaN
    return Error{fmt::format("{} {}", shape_name<D>(shape.kind), which), fmt::format("{} is not a usable size", size),
                 fmt::format("a number from {} to {}", least, most)};
  };
  switch (shape.kind) {
    case ShapeKind::ball: return check("diameter", 2 * shape.radius);
    case ShapeKind::capsule: {
      if (Result<void> width = check("width", 2 * shape.radius); !width) return width;
      const double height = 2 * (shape.core.y() + shape.radius);
      if (!(shape.core.y() >= 0))
        return Error{"capsule height", fmt::format("{} is less than the width {}", height, 2 * shape.radius),
                     "the height with both round ends, at least the width"};
      return check("height", height);
    }
    default: {
      constexpr std::array<std::string_view, 3> names{"width", "height", "depth"};
      for (int i = 0; i < D; ++i)
        if (Result<void> side = check(names[i], 2 * shape.core[i]); !side) return side;
      return {};
    }
  }
}

template <int D>
Bounds<D> bounds(const Shape<D>& shape, const Pose<D>& pose) {
  Vec<D> reach = Vec<D>::Constant(shape.radius);
  for (int i = 0; i < D; ++i) reach += pose.rotation.axis(i).cwiseAbs() * shape.core[i];
  return {pose.position - reach, pose.position + reach};
}

template std::string_view shape_name<2>(ShapeKind);
template std::string_view shape_name<3>(ShapeKind);
template Result<void> check_shape(const Shape<2>&, double);
template Result<void> check_shape(const Shape<3>&, double);
template Bounds<2> bounds(const Shape<2>&, const Pose<2>&);
template Bounds<3> bounds(const Shape<3>&, const Pose<3>&);

}  // namespace colvik
