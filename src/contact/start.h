#pragma once
// Where a search between two cores ended, so that the next begins there.
#include <colvik/shape.hpp>

#include <array>
#include <cstdint>
#include <type_traits>
#include <variant>

namespace colvik::contact {

/// A corner of the difference a - b, by the corners of the two that it comes from.
struct CornerPair {
  std::uint8_t a = 0;
  std::uint8_t b = 0;
};

/// The two sides that parted two polygons most, and what proves that they still do.
struct BestSides {
  static constexpr std::uint8_t kNone = 0xff;
  std::uint8_t first = kNone;
  std::uint8_t second = kNone;  // by number, those of b after those of a
  double behind = 0;
  double lead = 0;  // gaps by which the second, and any other, were worse than the first
  // As they were then: a hash of the shapes, and b's middle and own x axis, seen from a's middle in
  // its frame.
  std::uint64_t shapes = 0;
  Vec<2> middle = Vec<2>::Zero();
  Vec<2> axis = Vec<2>::Zero();
};

/// What two cores that moved little are compared from; nothing at first. It belongs to the two
/// shapes in their order. The answer does not depend on it but for rounding, nor on corners that
/// are no longer there.
template <int D>
struct Start {
  static constexpr std::size_t kMostCorners = 24;
  static constexpr std::size_t kMostFaces = 2 * kMostCorners - 4;

  Vec<D> normal = Vec<D>::Zero();  // from a to b; zero: nothing known
  // Apart, and both with corners only: those whose points are nearest. Deep in each other: those of
  // a polytope inside the difference, with its faces.
  std::uint8_t corner_count = 0;
  std::uint8_t face_count = 0;
  std::array<CornerPair, D == 3 ? kMostCorners : D> corners;
  std::array<std::array<std::uint8_t, 3>, D == 3 ? kMostFaces : 0> faces;
  std::conditional_t<D == 2, BestSides, std::monostate> sides;
};

}  // namespace colvik::contact
