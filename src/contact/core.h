#pragma once
// A placed core: the convex body inside a shape before rounding, where two shapes are compared.
#include <colvik/shape.hpp>

#include <array>
#include <span>

#include "contact/start.h"
#include "shapes/polytope.h"

namespace colvik::contact {

enum class CoreKind {
  box,     // also points and segments: a box some of whose extents are zero
  points,  // polygon, hull, segment from point to point, triangle
  cylinder,
  cone
};

template <int D>
struct Core {
  CoreKind kind = CoreKind::box;
  Vec<D> centre;                    // of its frame
  std::array<Vec<D>, D> axes;       // unit length
  Vec<D> half;                      // half extents of its bounds in its frame; zero for a point
  Vec<D> middle;                    // of its bounds, placed
  double radius = 0;                // of the rounding
  std::span<const Vec<D>> points;   // in its frame
  const double* by_axis = nullptr;  // the same coordinate by coordinate, if there are many
  // Of the sides of a polygon, in its frame, if they are laid ready.
  const double* normals = nullptr;
  const shapes::Polytope<D>* polytope = nullptr;  // faces and edges of a hull

  Core(const Shape<D>& shape, const Pose<D>& pose)
      : centre(pose.position), half(shape.core), radius(shape.radius) {
    for (int i = 0; i < D; ++i) axes[i] = pose.rotation.axis(i);
    take(shape);
  }
  // At the origin, unturned.
  explicit Core(const Shape<D>& shape) : centre(kZero), half(shape.core), radius(shape.radius) {
    for (int i = 0; i < D; ++i) axes[i] = Vec<D>::Unit(i);
    take(shape);
  }
  // A segment, triangle or polygon of points that the caller keeps.
  Core(std::span<const Vec<D>> corners, const Pose<D>& pose)
      : kind(CoreKind::points), centre(pose.position) {
    points = corners;
    for (int i = 0; i < D; ++i) axes[i] = pose.rotation.axis(i);
    Bounds<D> box;
    for (const Vec<D>& p : corners) box = box.merged(p);
    half = box.size() / 2;
    middle = placed(box.centre());
  }

  [[nodiscard]] const Vec<D>& axis(int i) const { return axes[i]; }
  [[nodiscard]] Vec<D> placed(const Vec<D>& local) const {
    Vec<D> p = centre;
    for (int i = 0; i < D; ++i) p += axes[i] * local[i];
    return p;
  }
  [[nodiscard]] Vec<D> turned_back(const Vec<D>& direction) const {
    Vec<D> d;
    for (int i = 0; i < D; ++i) d[i] = direction.dot(axes[i]);
    return d;
  }
  // Whether it has no curved faces, only corners, edges and flat ones.
  [[nodiscard]] bool flat_sided() const {
    return kind == CoreKind::box || kind == CoreKind::points;
  }
  // A point, segment or box, whose faces and edges are those of its axes.
  [[nodiscard]] bool boxlike() const { return kind == CoreKind::box; }
  // Along how many of its axes it reaches; a point along none, a segment along one.
  [[nodiscard]] int dimensions() const {
    int count = 0;
    for (int i = 0; i < D; ++i) count += half[i] > 0 ? 1 : 0;
    return count;
  }
  [[nodiscard]] bool is_point() const { return boxlike() && dimensions() == 0; }

  // The point furthest along `direction`; of those that are flat-sided, which corner it is.
  [[nodiscard]] Vec<D> support(const Vec<D>& direction, std::uint8_t* which = nullptr) const {
    if (kind == CoreKind::box) {
      Vec<D> corner = centre;
      unsigned low = 0;
      for (int i = 0; i < D; ++i) {
        const bool down = direction.dot(axis(i)) < 0;
        corner += axis(i) * (down ? -half[i] : half[i]);
        low |= static_cast<unsigned>(down) << i;
      }
      if (which != nullptr) *which = static_cast<std::uint8_t>(low);
      return corner;
    }
    const Vec<D> d = turned_back(direction);
    if (kind == CoreKind::points) {
      const std::size_t at = furthest(d);
      if (which != nullptr) *which = static_cast<std::uint8_t>(at);
      return placed(point(at));
    }
    if constexpr (D == 3) {
      const double across = std::sqrt(d.x() * d.x() + d.z() * d.z());
      Vec<3> p(0, d.y() < 0 ? -half.y() : half.y(), 0);
      if (kind == CoreKind::cone)
        p.y() = d.y() * half.y() > half.x() * across - d.y() * half.y() ? half.y() : -half.y();
      const bool on_rim = kind == CoreKind::cylinder || p.y() < 0;
      if (on_rim && across > 0) {
        p.x() = half.x() * d.x() / across;
        p.z() = half.x() * d.z() / across;
      }
      return placed(p);
    }
    return centre;
  }
  // A corner by its number from support(); some corner for a number that it never gives.
  [[nodiscard]] Vec<D> corner(std::uint8_t which) const {
    if (kind == CoreKind::points)
      return placed(point(std::min<std::size_t>(which, points.size() - 1)));
    Vec<D> corner = centre;
    for (int i = 0; i < D; ++i) corner += axis(i) * ((which >> i & 1) != 0 ? -half[i] : half[i]);
    return corner;
  }
  // One of the points, in the core's frame; of many, from the lists by axis, which a search reads
  // anyway.
  [[nodiscard]] Vec<D> point(std::size_t at) const {
    if (by_axis == nullptr) return points[at];
    const std::size_t row = shapes::Laid::row_of<double>(points.size());
    Vec<D> p;
    for (int i = 0; i < D; ++i) p[i] = by_axis[static_cast<std::size_t>(i) * row + at];
    return p;
  }
  // Of the points, the one furthest along a direction of the core's frame; the first of equals.
  [[nodiscard]] std::size_t furthest(const Vec<D>& local) const {
    if (by_axis != nullptr) return shapes::furthest(by_axis, points.size(), local);
    std::size_t best = 0;
    double most = local.dot(points[0]);
    for (std::size_t i = 1; i < points.size(); ++i)
      if (const double along = local.dot(points[i]); along > most) {
        most = along;
        best = i;
      }
    return best;
  }
  // The extent of a box from its centre along `direction`, on either side.
  [[nodiscard]] double reach(const Vec<D>& direction) const {
    double sum = 0;
    for (int i = 0; i < D; ++i) sum += std::abs(direction.dot(axis(i))) * half[i];
    return sum;
  }

 private:
  void take(const Shape<D>& shape) {
    middle = centre;
    if (shape.corners != nullptr) {
      kind = CoreKind::points;
      points = shape.corners->points;
      if (points.size() > 3) by_axis = shape.corners->laid.corners();
      if (D == 2 && points.size() > 2) normals = shape.corners->laid.sides();
      middle = placed(shape.middle);
      if (D == 3 && !shape.corners->faces.empty()) {
        polytope = shape.corners.get();
        polytope->laid.fetch();
      }
    } else if (shape.kind == ShapeKind::cylinder) {
      kind = CoreKind::cylinder;
    } else if (shape.kind == ShapeKind::cone) {
      kind = CoreKind::cone;
    }
  }
};

template <int D>
struct Furthest {
  Vec<D> on_a;
  Vec<D> on_b;
};
// The points of a and b whose difference a - b is furthest along `direction`; of those that are
// flat-sided, which corners they are.
template <int D>
[[nodiscard]] Furthest<D> furthest(const Core<D>& a, const Core<D>& b, const Vec<D>& direction,
                                   CornerPair& from) {
  if constexpr (D == 3)
    if (a.by_axis != nullptr && b.by_axis != nullptr) {
      const auto [i, j] =
          shapes::furthest_of_both({a.by_axis, a.points.size(), a.turned_back(direction)},
                                   {b.by_axis, b.points.size(), b.turned_back(-direction)});
      from = {static_cast<std::uint8_t>(i), static_cast<std::uint8_t>(j)};
      return {a.placed(a.point(i)), b.placed(b.point(j))};
    }
  return {a.support(direction, &from.a), b.support(-direction, &from.b)};
}

// A length that spans two cores and the distance between them: rounding is relative to it.
template <int D>
[[nodiscard]] double span_of(const Core<D>& a, const Core<D>& b) {
  return a.half.norm() + b.half.norm() + (b.middle - a.middle).norm();
}

}  // namespace colvik::contact
