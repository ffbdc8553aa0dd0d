#pragma once
// Where a search between two cores ended, so that the next begins there.
#include <colvik/shape.hpp>

#include <array>
#include <cstdint>

namespace colvik::contact {

/// A corner of the difference a - b, by the corners of the two that it comes from.
struct CornerPair {
  std::uint8_t a = 0, b = 0;
};

/// What two cores that moved little are compared from; nothing at first. It belongs to the two shapes in
/// their order. The answer does not depend on it but for rounding, nor on corners that are no longer there.
template <int D>
struct Start {
  static constexpr std::size_t kMostCorners = 24, kMostFaces = 2 * kMostCorners - 4;

  Vec<D> normal = Vec<D>::Zero();  // from a to b; zero: nothing known
  // Apart, and both with corners only: those whose points are nearest. Deep in each other: those of a
  // polytope inside the difference, with its faces.
  std::uint8_t corner_count = 0, face_count = 0;
  std::array<CornerPair, D == 3 ? kMostCorners : D> corners;
  std::array<std::array<std::uint8_t, 3>, D == 3 ? kMostFaces : 0> faces;
};

}  // namespace colvik::contact
