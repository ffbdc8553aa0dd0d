#pragma once
// A tree of bounds: who may overlap whom.
#include <colvik/vector.hpp>

#include <cstdint>
#include <vector>

namespace colvik::index {

/// A binary tree of bounds, balanced by surface area as entries come and go (Goldsmith and Salmon,
/// "Automatic creation of object hierarchies for ray tracing", 1987). Entries are told by a small
/// number of the caller's (`key`); what a query reports does not depend on memory or on threads, but
/// its order does depend on the history: callers sort.
template <int D>
class Tree {
 public:
  static constexpr std::int32_t kNone = -1;

  /// Returns the entry's place, valid until it is removed. O(log n) usually.
  std::int32_t insert(const Bounds<D>& bounds, std::uint32_t key);
  void remove(std::int32_t place);
  [[nodiscard]] const Bounds<D>& bounds(std::int32_t place) const { return at(place).bounds; }
  [[nodiscard]] std::size_t size() const { return count_; }

  /// Calls visit(key) for each entry whose bounds overlap `bounds` (touching counts).
  template <class Visit>
  void overlaps(const Bounds<D>& bounds, Visit&& visit) const {
    if (root_ == kNone) return;
    stack_.clear();
    stack_.push_back(root_);
    while (!stack_.empty()) {
      const Node& node = at(stack_.back());
      stack_.pop_back();
      if (!node.bounds.overlaps(bounds)) continue;
      if (node.left == kNone) {
        visit(node.key);
      } else {
        stack_.push_back(node.left);
        stack_.push_back(node.right);
      }
    }
  }

 private:
  struct Node {
    Bounds<D> bounds;
    std::int32_t parent = kNone, left = kNone, right = kNone;
    std::uint32_t key = 0;
  };
  [[nodiscard]] const Node& at(std::int32_t i) const { return nodes_[i]; }
  Node& at(std::int32_t i) { return nodes_[i]; }
  std::int32_t take_node();
  void refit_upward(std::int32_t from);
  void rotate(std::int32_t at);

  std::vector<Node> nodes_;
  std::vector<std::int32_t> free_;
  std::int32_t root_ = kNone;
  std::size_t count_ = 0;
  mutable std::vector<std::int32_t> stack_;  // kept so that a query allocates nothing once warm
};

}  // namespace colvik::index
