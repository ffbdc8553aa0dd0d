#include "index/tree.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <utility>

namespace colvik::index {
namespace {

// How much worse than new a part may get before it is rebuilt; and one of which each has moved
// some times, so that it costs less than what it saves.
constexpr float kSpoilt = 1.5F;
constexpr float kWorn = 1.05F;
constexpr std::uint32_t kTimes = 8;
// About the number of items of a part that is rebuilt; in large ones nodes find better places.
constexpr std::size_t kPart = 256;
constexpr std::size_t kWornPart = 1024;
// An item that would make its neighbours' bounds this much larger than they were built is
// reinserted.
constexpr float kStray = 1.5F;

// What the children of a node cover, as a multiple of what it covers itself.
template <int D>
float spread(const Node<D>& n, const FloatBox<D>& box) {
  float sum = 0;
  for (int i = 0; i < n.count; ++i)
    if (n.child[i] >= 0) sum += cost(n.slots.get(i));
  return sum / cost(box);
}

void set_bit(std::uint8_t& bits, int slot, bool on) {
  bits = static_cast<std::uint8_t>(on ? bits | 1 << slot : bits & ~(1 << slot));
}
bool has_bit(std::uint8_t bits, int slot) { return (bits >> slot & 1) != 0; }

}  // namespace

template <int D>
Tree<D>::Tree(std::span<const Bounds<D>> entries) {
  store_.bounds.assign(entries.begin(), entries.end());
  store_.places.assign(entries.size(), {kNone, 0, false, false});
  count_ = entries.size();
  rebuild_all();
  items_ = {};
  spare_ = {};
  waiting_ = {};
}

template <int D>
void Tree<D>::insert(std::uint32_t key, const Bounds<D>& bounds) {
  if (store_.places.size() <= key) {
    store_.places.resize(key + 1);
    store_.bounds.resize(key + 1);
  }
  store_.bounds[key] = bounds;
  store_.places[key] = {kNone, 0, false, false};
  waiting_.push_back(~static_cast<Ref>(key));
  ++count_;
}

template <int D>
void Tree<D>::remove(std::uint32_t key) {
  Place& e = store_.places[key];
  if (e.node != kNone) take_out(e.node, e.slot);
  e.node = kNone;
  e.free = true;
  --count_;
}

template <int D>
void Tree<D>::move(std::uint32_t key, const Bounds<D>& bounds) {
  Place& e = store_.places[key];
  store_.bounds[key] = bounds;
  if (e.node == kNone) return;
  Node<D>& n = node(e.node);
  const FloatBox<D> box = to_float(bounds, store_.origin);
  if (n.parent != kNone) {
    const FloatBox<D> around = node(n.parent).slots.get(n.slot);
    // Who strays does not drag its neighbours' bounds along.
    if (cost(merged(around, box)) > kStray * n.room) {
      e.marked = has_bit(n.marked, e.slot);
      take_out(e.node, e.slot);
      e.node = kNone;
      waiting_.push_back(~static_cast<Ref>(key));
      return;
    }
  }
  n.slots.set(e.slot, box);
  ++n.fresh;
  spoil(e.node);
}

template <int D>
void Tree<D>::spoil(std::int32_t at) {
  while (node(at).parent != kNone) {
    Node<D>& parent = node(node(at).parent);
    if (has_bit(parent.stale, node(at).slot)) return;
    set_bit(parent.stale, node(at).slot, true);
    at = node(at).parent;
  }
}

template <int D>
void Tree<D>::mark(std::uint32_t key) {
  Place& e = store_.places[key];
  if (e.node == kNone) e.marked = true;
  int slot = e.slot;
  for (std::int32_t at = e.node; at != kNone; slot = node(at).slot, at = node(at).parent) {
    if (has_bit(node(at).marked, slot)) return;
    set_bit(node(at).marked, slot, true);
  }
}

template <int D>
void Tree<D>::unmark_all() {
  for (const Ref ref : waiting_) store_.place_of(ref).marked = false;
  if (store_.root != kNone) unmark(store_.root);
}

template <int D>
void Tree<D>::unmark(std::int32_t at) {
  Node<D>& n = node(at);
  for (std::uint32_t bits = n.marked; bits != 0; bits &= bits - 1) {
    const Ref ref = n.child[std::countr_zero(bits)];
    if (ref >= 0) unmark(ref);
  }
  n.marked = 0;
}

template <int D>
std::int32_t Tree<D>::take_node() {
  std::int32_t at;
  if (free_nodes_.empty()) {
    at = static_cast<std::int32_t>(store_.nodes.size());
    store_.nodes.push_back(Node<D>{});
  } else {
    at = free_nodes_.back();
    free_nodes_.pop_back();
    node(at) = Node<D>{};
  }
  for (int k = 0; k < kWidth; ++k) node(at).slots.clear(k);
  return at;
}

template <int D>
void Tree<D>::put(std::int32_t at, int slot, Ref ref, const FloatBox<D>& box, bool marked,
                  bool stale) {
  Node<D>& n = node(at);
  n.slots.set(slot, box);
  n.child[slot] = ref;
  set_bit(n.marked, slot, marked);
  set_bit(n.stale, slot, stale);
  if (ref >= 0) {
    node(ref).parent = at;
    node(ref).slot = static_cast<std::uint8_t>(slot);
  } else {
    store_.place_of(ref).node = at;
    store_.place_of(ref).slot = static_cast<std::uint8_t>(slot);
  }
}

// An entry of a node; nodes left with one child or none go too.
template <int D>
void Tree<D>::take_out(std::int32_t at, int slot) {
  for (std::int32_t up = at; up != kNone; up = node(up).parent) {
    --node(up).size;
    ++node(up).changes;
  }
  const auto drop = [&](std::int32_t of, int which) {
    Node<D>& n = node(of);
    const int last = --n.count;
    if (which != last)
      put(of, which, n.child[last], n.slots.get(last), has_bit(n.marked, last),
          has_bit(n.stale, last));
    n.slots.clear(last);
    set_bit(n.marked, last, false);
    set_bit(n.stale, last, false);
  };
  drop(at, slot);
  while (node(at).count == 0) {
    const std::int32_t parent = node(at).parent;
    free_nodes_.push_back(at);
    if (parent == kNone) {
      store_.root = kNone;
      return;
    }
    drop(parent, node(at).slot);
    at = parent;
  }
  if (node(at).count == 1 && node(at).parent != kNone) {
    const std::int32_t parent = node(at).parent;
    const Node<D>& n = node(at);
    put(parent, n.slot, n.child[0], n.slots.get(0), has_bit(n.marked, 0), has_bit(n.stale, 0));
    free_nodes_.push_back(at);
    at = parent;
  }
  spoil(at);
}

template <int D>
void Tree<D>::place(Ref ref) {
  const FloatBox<D> box = to_float(store_.bounds_of(ref), store_.origin);
  const bool marked = store_.place_of(ref).marked;
  if (store_.root == kNone) store_.root = take_node();
  std::int32_t at = store_.root;
  while (true) {
    Node<D>& n = node(at);
    ++n.size;
    ++n.changes;
    if (n.count < kWidth) {
      put(at, n.count++, ref, box, marked);
      break;
    }
    // Where it adds the least; among equals where there are the fewest.
    int best = 0;
    float least = std::numeric_limits<float>::infinity();
    std::uint32_t fewest = 0;
    for (int i = 0; i < kWidth; ++i) {
      const FloatBox<D> there = n.slots.get(i);
      const float more = cost(merged(there, box)) - cost(there);
      const std::uint32_t size = n.child[i] < 0 ? 1 : node(n.child[i]).size;
      if (more > least || (more == least && size >= fewest)) continue;
      least = more;
      fewest = size;
      best = i;
    }
    if (n.child[best] < 0) {
      const std::int32_t made = take_node();
      Node<D>& parent = node(at);
      const FloatBox<D> there = parent.slots.get(best);
      const bool its = has_bit(parent.marked, best);
      put(made, 0, parent.child[best], there, its);
      put(made, 1, ref, box, marked);
      node(made).count = 2;
      node(made).size = 2;
      node(made).room = cost(merged(there, box));
      put(at, best, made, merged(there, box), its || marked);
      at = made;
      break;
    }
    n.slots.set(best, merged(n.slots.get(best), box));
    if (marked) set_bit(n.marked, best, true);
    at = n.child[best];
  }
  spoil(at);
}

template <int D>
void Tree<D>::settle() {
  if (waiting_.size() * 4 > count_) {
    rebuild_all();
  } else {
    for (const Ref ref : waiting_)
      if (!store_.place_of(ref).free && store_.place_of(ref).node == kNone) place(ref);
  }
  waiting_.clear();
  if (store_.root == kNone) return;
  allowance_ = std::max(4 * kWornPart, count_ / 8);
  // Far from its origin a tree would be coarse.
  const FloatBox<D> all = refit(store_.root);
  for (int i = 0; i < D; ++i)
    if (std::abs(all.lo[i] + all.hi[i]) > 128 * (all.hi[i] - all.lo[i]) &&
        std::abs(all.lo[i]) > 1 && all.hi[i] > all.lo[i]) {
      rebuild_all();
      return;
    }
}

template <int D>
FloatBox<D> Tree<D>::refit(std::int32_t at) {
  std::uint32_t fresh = node(at).fresh;
  for (std::uint32_t bits = node(at).stale; bits != 0; bits &= bits - 1) {
    const int slot = std::countr_zero(bits);
    const Ref ref = node(at).child[slot];
    if (ref < 0) continue;
    const FloatBox<D> box = refit(ref);
    node(at).slots.set(slot, box);
    fresh += std::exchange(node(ref).fresh, 0U);
  }
  Node<D>& n = node(at);
  n.fresh = fresh;
  n.moves += fresh;
  const FloatBox<D> box = around(n.slots);
  if (std::exchange(n.stale, std::uint8_t{0}) == 0) return box;  // entries alone
  const bool worn = n.moves > kTimes * n.size;
  if (allowance_ > 0 && (n.changes > (worn ? n.size / 8 + 2 : n.size / 2 + kWidth) ||
                         spread(n, box) > (worn ? kWorn : kSpoilt) * n.spread))
    rebuild(at, worn ? kWornPart : kPart);
  return box;
}

template <int D>
void Tree<D>::rebuild(std::int32_t at, std::size_t part) {
  // What is beneath it, large nodes opened first, until there are many.
  items_.clear();
  const auto smaller = [](const Item& x, const Item& y) {
    return (x.ref() >= 0 ? cost(x.template box<D>()) : -1) <
           (y.ref() >= 0 ? cost(y.template box<D>()) : -1);
  };
  const auto open = [&](std::int32_t which) {
    const Node<D>& n = node(which);
    for (int i = 0; i < n.count; ++i) {
      if (n.child[i] < 0) store_.place_of(n.child[i]).marked = has_bit(n.marked, i);
      items_.emplace_back(n.slots.get(i), n.child[i]);
      std::push_heap(items_.begin(), items_.end(), smaller);
    }
  };
  open(at);
  while (items_.size() < part && items_.front().ref() >= 0) {
    const Ref next = items_.front().ref();
    std::pop_heap(items_.begin(), items_.end(), smaller);
    items_.pop_back();
    open(next);
    free_nodes_.push_back(next);
  }
  fill_from_items(at);
  allowance_ -= std::min(allowance_, items_.size());
}

template <int D>
void Tree<D>::rebuild_all() {
  for (Place& e : store_.places)
    if (e.node != kNone) e.marked = has_bit(node(e.node).marked, e.slot);
  store_.nodes.clear();
  free_nodes_.clear();
  store_.root = kNone;
  if (count_ == 0) return;
  // The origin amid most of the entries, whatever a few strays do.
  std::vector<double> sample;
  const std::size_t stride = store_.places.size() / 1024 + 1;
  for (int i = 0; i < D; ++i) {
    sample.clear();
    for (std::size_t k = 0; k < store_.places.size(); k += stride)
      if (!store_.places[k].free) sample.push_back(store_.bounds[k].centre()[i]);
    if (sample.empty()) continue;
    const auto middle = sample.begin() + static_cast<std::ptrdiff_t>(sample.size() / 2);
    std::nth_element(sample.begin(), middle, sample.end());
    store_.origin[i] = std::clamp(*middle, -kFarthest, kFarthest);
  }
  items_.clear();
  items_.reserve(count_);
  for (std::size_t k = 0; k < store_.places.size(); ++k)
    if (!store_.places[k].free)
      items_.emplace_back(to_float(store_.bounds[k], store_.origin), ~static_cast<Ref>(k));
  store_.nodes.reserve(items_.size() / 5 + 4);
  store_.root = take_node();
  fill_from_items(store_.root);
}

template <int D>
void Tree<D>::fill_from_items(std::int32_t at) {
  if (spare_.size() < items_.size()) spare_.resize(items_.size());
  fill(at, group_of(items_.data(), items_.data() + items_.size()));
}

template <int D>
void Tree<D>::fill(std::int32_t at, const Group& group) {
  std::array<Group, kWidth> parts;
  const int count = split<D>(group, spare_.data(), parts);
  const int before = node(at).count;
  node(at).marked = 0;
  std::uint32_t size = 0;
  for (int i = 0; i < count; ++i) {
    const Group& part = parts[static_cast<std::size_t>(i)];
    put(at, i, part.size() == 1 ? part.first->ref() : take_node(), part.box.template box<D>(),
        false);
  }
  for (int i = count; i < before; ++i) node(at).slots.clear(i);
  for (int i = 0; i < count; ++i) {
    const Group& part = parts[static_cast<std::size_t>(i)];
    const Ref ref = node(at).child[i];
    if (part.size() > 1) fill(ref, part);
    size += ref >= 0 ? node(ref).size : 1;
    set_bit(node(at).marked, i, ref >= 0 ? node(ref).marked != 0 : store_.place_of(ref).marked);
  }
  Node<D>& n = node(at);
  n.count = static_cast<std::uint8_t>(count);
  n.size = size;
  n.changes = 0;
  n.moves = 0;
  n.stale = 0;
  n.room = cost(group.box.template box<D>());
  n.spread = spread(n, group.box.template box<D>());
}

template class Tree<2>;
template class Tree<3>;

}  // namespace colvik::index
