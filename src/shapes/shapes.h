#pragma once
// One file a shape: its maker is public (colvik/shape.hpp); its mass and its lines are declared
// here.
#include <colvik/shape.hpp>

namespace colvik::shapes {

inline constexpr int kChords = 32;  // of a full turn in an outline

template <int D>
MassProperties<D> ball_mass(const Shape<D>& shape);
template <int D>
MassProperties<D> box_mass(const Shape<D>& shape);
template <int D>
MassProperties<D> capsule_mass(const Shape<D>& shape);
MassProperties<3> cylinder_mass(const Shape<3>& shape);
MassProperties<3> cone_mass(const Shape<3>& shape);

std::vector<Edge3> ball_edges(const Shape<3>& shape);
std::vector<Edge3> capsule_edges(const Shape<3>& shape);
std::vector<Edge3> round_edges(const Shape<3>& shape);  // of a cylinder or a cone

// A shape of a kind whose core fills these bounds; what it is made of is still to be put in.
template <int D>
Shape<D> within(ShapeKind kind, const Bounds<D>& box) {
  Shape<D> s;
  s.kind = kind;
  s.core = box.size() / 2;
  s.middle = box.centre();
  return s;
}

// A shape of these corners.
template <int D>
Shape<D> of_corners(ShapeKind kind, Polytope<D> polytope);

// The bounds of the points, or which of them is not finite.
template <int D>
Result<Bounds<D>> checked_points(std::string_view what, std::string_view point,
                                 std::span<const Vec<D>> points);

// Chords of the circle around `centre` spanned by u and v (both with the radius as length), from
// `first` to `last` of kChords; the surface beside each faces outward and along `tilt`.
void add_arc(std::vector<Edge3>& edges, const Vec<3>& centre, const Vec<3>& u, const Vec<3>& v,
             int first, int last);

// Whether it is a surface that is solid from its outside alone.
template <int D>
[[nodiscard]] bool has_back(const Shape<D>& s);

}  // namespace colvik::shapes
