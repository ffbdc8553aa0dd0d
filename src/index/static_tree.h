#pragma once
// A tree of bounds built once, for what does not change.
#include <colvik/vector.hpp>

#include <array>
#include <cstdint>
#include <span>
#include <vector>

namespace colvik::index {

/// Half the surface (3D) or half the circumference (2D): the chance that a query meets the bounds.
inline double cost(const Bounds<2>& b) { return b.size().sum(); }
inline double cost(const Bounds<3>& b) {
  const Vec<3> s = b.size();
  return s.x() * s.y() + s.y() * s.z() + s.z() * s.x();
}

/// Built top-down by binned surface area (Wald, "On fast construction of SAH-based bounding volume
/// hierarchies", 2007), in O(n log n). Queries are const and may run from several threads. Entries are
/// told by their position in the list given; what a query reports comes in a fixed order.
template <int D>
class StaticTree {
 public:
  StaticTree() = default;
  explicit StaticTree(std::span<const Bounds<D>> entries);

  [[nodiscard]] bool empty() const { return nodes_.empty(); }
  [[nodiscard]] Bounds<D> bounds() const { return nodes_.empty() ? Bounds<D>{} : nodes_[0].bounds; }

  /// Calls visit(entry) for each entry whose bounds overlap `bounds` (touching counts).
  template <class Visit>
  void overlaps(const Bounds<D>& bounds, Visit&& visit) const {
    walk([&](const Bounds<D>& b) { return b.overlaps(bounds); }, visit);
  }

  /// Calls visit(entry) for the entries of all nodes that `enter` lets in.
  template <class Enter, class Visit>
  void walk(Enter&& enter, Visit&& visit) const {
    if (nodes_.empty()) return;
    std::array<std::uint32_t, kDeepest> stack;
    std::size_t size = 0;
    stack[size++] = 0;
    while (size > 0) {
      const Node& node = nodes_[stack[--size]];
      if (!enter(node.bounds)) continue;
      if (node.count > 0) {
        for (std::uint32_t i = 0; i < node.count; ++i) visit(order_[node.first + i]);
      } else {
        stack[size++] = node.first + 1;
        stack[size++] = node.first;
      }
    }
  }

 private:
  static constexpr std::size_t kDeepest = 128;
  struct Node {
    Bounds<D> bounds;
    std::uint32_t first = 0, count = 0;  // entries of a leaf; count 0: the first of two children
  };
  std::vector<Node> nodes_;
  std::vector<std::uint32_t> order_;
};

}  // namespace colvik::index
