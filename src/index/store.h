#pragma once
// What a tree is made of.
#include <cstdint>
#include <limits>

#include "index/slots.h"
#include "math/many.h"

namespace colvik::index {

inline constexpr std::int32_t kNone = std::numeric_limits<std::int32_t>::min();

/// A node's number or (as ~key) an entry.
using Ref = std::int32_t;

/// Where an entry is. Apart from its bounds, so that building a tree writes to little memory.
struct Place {
  std::int32_t node = kNone;  // none: not yet in the tree, or free
  std::uint8_t slot = 0;
  bool marked = false;  // for its node, once it has one
  bool free = true;
};

template <int D>
struct alignas(64) Node {  // as the lines of memory are
  Slots<D> slots;
  Ref child[kWidth];
  std::int32_t parent = kNone;
  std::uint32_t size = 0;     // entries beneath
  std::uint32_t changes = 0;  // of them, put in and taken out since it was built
  std::uint32_t moves = 0;    // of them, since it was built
  std::uint32_t fresh = 0;    // of these, not yet reported to its parent
  float spread = 0;           // of its children when it was built
  float room = 0;             // cost of its bounds when it was built
  std::uint8_t slot = 0;      // in its parent
  std::uint8_t count = 0;
  std::uint8_t marked = 0;  // a bit a slot: the entry, or one beneath it
  std::uint8_t stale = 0;   // a bit a slot: the child's bounds are to be worked out
};

template <int D>
struct Store {
  math::Many<Bounds<D>> bounds;  // by key
  math::Many<Place> places;      // by key
  math::Many<Node<D>> nodes;
  std::int32_t root = kNone;
  Vec<D> origin = Vec<D>::Zero();  // of the single-precision frame

  [[nodiscard]] const Node<D>& node(std::int32_t i) const {
    return nodes[static_cast<std::size_t>(i)];
  }
  Node<D>& node(std::int32_t i) { return nodes[static_cast<std::size_t>(i)]; }
  [[nodiscard]] const Bounds<D>& bounds_of(Ref ref) const {
    return bounds[static_cast<std::uint32_t>(~ref)];
  }
  Place& place_of(Ref ref) { return places[static_cast<std::uint32_t>(~ref)]; }
};

}  // namespace colvik::index
