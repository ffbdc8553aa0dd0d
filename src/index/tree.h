#pragma once
// A tree of bounds: who may overlap whom.
#include <colvik/vector.hpp>

#include <cstdint>
#include <utility>
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
  /// New bounds for an entry, which keeps its place; cheap when they are near the old ones.
  void move(std::int32_t place, const Bounds<D>& bounds);

  /// Marks an entry: its pairs are told by the next pairs().
  void mark(std::int32_t place);
  void unmark_all();
  /// Calls visit(key, key) once for each two entries that overlap and of which at least one is marked.
  /// Costs what is marked and what is near it.
  template <class Visit>
  void pairs(Visit&& visit) const {
    if (root_ != kNone) join(*this, root_, root_, visit);
  }
  /// The same for an entry of this tree (told first) and one of another.
  template <class Visit>
  void pairs(const Tree& other, Visit&& visit) const {
    if (root_ != kNone && other.root_ != kNone) join(other, root_, other.root_, visit);
  }
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
    bool marked = false;  // itself, or an entry beneath it
  };
  [[nodiscard]] const Node& at(std::int32_t i) const { return nodes_[i]; }
  Node& at(std::int32_t i) { return nodes_[i]; }
  std::int32_t take_node();
  void refit_upward(std::int32_t from);
  // Descends two trees, or one with itself, side by side.
  template <class Visit>
  void join(const Tree& other, std::int32_t root_a, std::int32_t root_b, Visit&& visit) const {
    join_.clear();
    join_.emplace_back(root_a, root_b);
    while (!join_.empty()) {
      const auto [a, b] = join_.back();
      join_.pop_back();
      const Node &x = at(a), &y = other.at(b);
      if (!x.marked && !y.marked) continue;
      if (this == &other && a == b) {
        if (x.left == kNone) continue;
        join_.emplace_back(x.left, x.right);
        join_.emplace_back(x.right, x.right);
        join_.emplace_back(x.left, x.left);
        continue;
      }
      if (!x.bounds.overlaps(y.bounds)) continue;
      const bool leaf_a = x.left == kNone, leaf_b = y.left == kNone;
      if (leaf_a && leaf_b) {
        visit(x.key, y.key);
      } else if (leaf_b || (!leaf_a && x.bounds.size().sum() >= y.bounds.size().sum())) {
        join_.emplace_back(x.right, b);
        join_.emplace_back(x.left, b);
      } else {
        join_.emplace_back(a, y.right);
        join_.emplace_back(a, y.left);
      }
    }
  }
  void rotate(std::int32_t at);

  std::vector<Node> nodes_;
  std::vector<std::int32_t> free_;
  std::int32_t root_ = kNone;
  std::size_t count_ = 0;
  mutable std::vector<std::int32_t> stack_;  // kept so that a query allocates nothing once warm
  mutable std::vector<std::pair<std::int32_t, std::int32_t>> join_;
};

}  // namespace colvik::index
