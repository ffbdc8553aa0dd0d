#pragma once
// One file a shape: its maker is public (colvik/shape.hpp); its mass and its lines are told here.
#include <colvik/shape.hpp>

namespace colvik::shapes {

inline constexpr int kChords = 32;  // of a full turn in an outline

template <int D>
MassProperties<D> ball_mass(const Shape<D>& shape);
template <int D>
MassProperties<D> box_mass(const Shape<D>& shape);
template <int D>
MassProperties<D> capsule_mass(const Shape<D>& shape);

std::vector<Edge3> ball_edges(const Shape<3>& shape);
std::vector<Edge3> box_edges(const Shape<3>& shape);
std::vector<Edge3> capsule_edges(const Shape<3>& shape);

// Chords of the circle around `centre` spanned by u and v (both with the radius as length), from
// `first` to `last` of kChords; the surface beside each looks outward and along `tilt`.
void add_arc(std::vector<Edge3>& edges, const Vec<3>& centre, const Vec<3>& u, const Vec<3>& v, int first, int last);

}  // namespace colvik::shapes
