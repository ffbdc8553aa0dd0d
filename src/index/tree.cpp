#include "index/tree.h"

#include "index/static_tree.h"

namespace colvik::index {
template <int D>
std::int32_t Tree<D>::take_node() {
  if (!free_.empty()) {
    const std::int32_t node = free_.back();
    free_.pop_back();
    at(node) = Node{};
    return node;
  }
  nodes_.emplace_back();
  return static_cast<std::int32_t>(nodes_.size() - 1);
}

template <int D>
std::int32_t Tree<D>::insert(const Bounds<D>& bounds, std::uint32_t key) {
  const std::int32_t leaf = take_node();
  at(leaf).bounds = bounds;
  at(leaf).key = key;
  ++count_;
  if (root_ == kNone) {
    root_ = leaf;
    return leaf;
  }
  // Down to the sibling that makes the tree grow least.
  std::int32_t sibling = root_;
  while (at(sibling).left != kNone) {
    const Node& node = at(sibling);
    const double here = cost(node.bounds.merged(bounds));
    const double inherited = here - cost(node.bounds);
    const auto below = [&](std::int32_t child) {
      const double merged = cost(at(child).bounds.merged(bounds));
      return inherited + (at(child).left == kNone ? merged : merged - cost(at(child).bounds));
    };
    const double left = below(node.left), right = below(node.right);
    if (here < left && here < right) break;
    sibling = left <= right ? node.left : node.right;
  }
  const std::int32_t parent = take_node();
  const std::int32_t above = at(sibling).parent;
  at(parent).parent = above;
  at(parent).left = sibling;
  at(parent).right = leaf;
  at(sibling).parent = at(leaf).parent = parent;
  at(parent).marked = at(sibling).marked;
  if (above == kNone) root_ = parent;
  else (at(above).left == sibling ? at(above).left : at(above).right) = parent;
  refit_upward(parent);
  return leaf;
}

template <int D>
void Tree<D>::remove(std::int32_t place) {
  --count_;
  const std::int32_t parent = at(place).parent;
  if (parent == kNone) {
    free_.push_back(place);
    root_ = kNone;
    return;
  }
  const std::int32_t sibling = at(parent).left == place ? at(parent).right : at(parent).left;
  const std::int32_t above = at(parent).parent;
  at(sibling).parent = above;
  free_.push_back(parent);
  free_.push_back(place);  // taken again first: move() relies on it
  if (above == kNone) {
    root_ = sibling;
    return;
  }
  (at(above).left == parent ? at(above).left : at(above).right) = sibling;
  refit_upward(above);
}

template <int D>
void Tree<D>::move(std::int32_t place, const Bounds<D>& bounds) {
  if (!bounds.overlaps(at(place).bounds)) {  // far away: it belongs elsewhere in the tree
    const bool marked = at(place).marked;
    const std::uint32_t key = at(place).key;
    remove(place);
    const std::int32_t again = insert(bounds, key);  // the place freed last is taken first
    static_cast<void>(again);
    if (marked) mark(place);
    return;
  }
  at(place).bounds = bounds;
  for (std::int32_t i = at(place).parent; i != kNone; i = at(i).parent) {
    rotate(i);
    const Bounds<D> now = at(at(i).left).bounds.merged(at(at(i).right).bounds);
    if (now.lo == at(i).bounds.lo && now.hi == at(i).bounds.hi) break;  // and so are all above
    at(i).bounds = now;
  }
}

template <int D>
void Tree<D>::mark(std::int32_t place) {
  for (std::int32_t i = place; i != kNone && !at(i).marked; i = at(i).parent) at(i).marked = true;
}

template <int D>
void Tree<D>::unmark_all() {
  if (root_ == kNone) return;
  stack_.clear();
  stack_.push_back(root_);
  while (!stack_.empty()) {
    Node& node = at(stack_.back());
    stack_.pop_back();
    if (!node.marked) continue;
    node.marked = false;
    if (node.left != kNone) stack_.push_back(node.left), stack_.push_back(node.right);
  }
}

template <int D>
void Tree<D>::refit_upward(std::int32_t from) {
  for (std::int32_t i = from; i != kNone; i = at(i).parent) {
    rotate(i);
    at(i).bounds = at(at(i).left).bounds.merged(at(at(i).right).bounds);
  }
}

// Swaps a child with a grandchild on the other side where that makes the other side tighter.
template <int D>
void Tree<D>::rotate(std::int32_t here) {
  std::int32_t best_child = kNone, best_grandchild = kNone;
  double best_gain = 0;
  for (const bool left : {true, false}) {
    const std::int32_t child = left ? at(here).left : at(here).right;
    const std::int32_t other = left ? at(here).right : at(here).left;
    if (at(other).left == kNone) continue;
    for (const bool first : {true, false}) {
      const std::int32_t grandchild = first ? at(other).left : at(other).right;
      const std::int32_t stays = first ? at(other).right : at(other).left;
      const double gain = cost(at(other).bounds) - cost(at(child).bounds.merged(at(stays).bounds));
      if (gain > best_gain) best_gain = gain, best_child = child, best_grandchild = grandchild;
    }
  }
  if (best_child == kNone) return;
  const std::int32_t other = at(best_grandchild).parent;
  (at(here).left == best_child ? at(here).left : at(here).right) = best_grandchild;
  (at(other).left == best_grandchild ? at(other).left : at(other).right) = best_child;
  at(best_grandchild).parent = here;
  at(best_child).parent = other;
  at(other).bounds = at(at(other).left).bounds.merged(at(at(other).right).bounds);
  at(other).marked = at(at(other).left).marked || at(at(other).right).marked;
}

template class Tree<2>;
template class Tree<3>;

}  // namespace colvik::index
