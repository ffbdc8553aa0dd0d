#include "index/walks.h"

#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "index/walks.cpp"
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

#include "index/lanes-inl.h"

#include <bit>

HWY_BEFORE_NAMESPACE();
namespace colvik::index::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
// A bit for each slot that overlaps the box; touching counts.
template <int D>
std::uint32_t overlapping(const Slots<D>& s, const FloatBox<D>& box) {
  const Lanes tag;
  std::uint32_t out = 0;
  for (std::size_t k = 0; k < kWide; k += hn::Lanes(tag)) {
    auto hit = hn::And(hn::Le(hn::Load(tag, s.lo[0] + k), hn::Set(tag, box.hi[0])),
                       hn::Ge(hn::Load(tag, s.hi[0] + k), hn::Set(tag, box.lo[0])));
    for (int i = 1; i < D; ++i)
      hit = hn::And(hit, hn::And(hn::Le(hn::Load(tag, s.lo[i] + k), hn::Set(tag, box.hi[i])),
                                 hn::Ge(hn::Load(tag, s.hi[i] + k), hn::Set(tag, box.lo[i]))));
    out |= bits_of(hit) << k;
  }
  return out;
}

// From the frame of one tree to that of another, with room for rounding.
template <int D>
struct Shift {
  float by[D], room[D];
  Shift(const Store<D>& from, const Store<D>& to) {
    const FloatBox<D> mine = around(from.node(from.root).slots), its = around(to.node(to.root).slots);
    for (int i = 0; i < D; ++i) {
      by[i] = to_float(from.origin[i] - to.origin[i]);
      float far = std::abs(by[i]);
      for (const FloatBox<D>& b : {mine, its}) far = std::max({far, std::abs(b.lo[i]), std::abs(b.hi[i])});
      room[i] = far * 4 * std::numeric_limits<float>::epsilon();
    }
  }
  [[nodiscard]] FloatBox<D> operator()(FloatBox<D> b) const {
    for (int i = 0; i < D; ++i) b.lo[i] += by[i] - room[i], b.hi[i] += by[i] + room[i];
    return b;
  }
  [[nodiscard]] FloatBox<D> back(FloatBox<D> b) const {
    for (int i = 0; i < D; ++i) b.lo[i] -= by[i] + room[i], b.hi[i] -= by[i] - room[i];
    return b;
  }
  static constexpr bool kOneFrame = false;
};
template <int D>
struct SameFrame {
  const FloatBox<D>& operator()(const FloatBox<D>& b) const { return b; }
  [[nodiscard]] const FloatBox<D>& back(const FloatBox<D>& b) const { return b; }
  static constexpr bool kOneFrame = true;
};

// Joins a tree with another or with itself.
template <int D, class Frame>
struct Join {
  const Store<D>&a, &b;
  const Frame& frame;  // from a's to b's
  std::vector<KeyPair>& out;

  // Two entries that overlap, as single precision sees it. Rounding keeps the order of numbers, so what
  // is strictly so in one frame is so; only what is equal there must be looked at.
  HWY_INLINE void tell(Ref x, const FloatBox<D>& box, Ref y, const Slots<D>& slots, int slot) {
    bool sure = Frame::kOneFrame;
    for (int i = 0; i < D; ++i) sure &= (box.lo[i] < slots.hi[i][slot]) & (slots.lo[i][slot] < box.hi[i]);
    if (sure || a.bounds_of(x).overlaps(b.bounds_of(y)))
      out.emplace_back(static_cast<std::uint32_t>(~x), static_cast<std::uint32_t>(~y));
  }
  // The pairs within a node of a tree joined with itself: of what is marked with all that is not, and with
  // what is and comes after it.
  void among(std::int32_t at) {
    const Node<D>& n = a.node(at);
    for (std::uint32_t marked = n.marked; marked != 0; marked &= marked - 1) {
      const int i = std::countr_zero(marked);
      if (n.child[i] >= 0) among(n.child[i]);
      const FloatBox<D> box = n.slots.get(i);
      const std::uint32_t asked = (~std::uint32_t{n.marked} | ~1U << i) & ~(1U << i);
      for (std::uint32_t hits = overlapping(n.slots, box) & asked; hits != 0; hits &= hits - 1)
        two(n.child[i], box, n, std::countr_zero(hits), true);
    }
  }
  // Of x (with its box) and a slot of b, which overlap and of which one is marked.
  HWY_INLINE void two(Ref x, const FloatBox<D>& box, const Node<D>& n, int slot, bool marked) {
    const Ref y = n.child[slot];
    if (y >= 0) {
      if (x >= 0) between(x, box, y, n.slots.get(slot));
      else one(x, box, y, marked);
    } else if (x >= 0) {
      beneath(x, y, frame.back(n.slots.get(slot)), (n.marked >> slot & 1) != 0);
    } else {
      tell(x, box, y, n.slots, slot);
    }
  }
  // Of an entry and all beneath a node of b.
  void one(Ref x, const FloatBox<D>& box, std::int32_t at, bool marked) {
    const Node<D>& n = b.node(at);
    std::uint32_t hits = overlapping(n.slots, frame(box)) & (marked ? 0xFFU : n.marked);
    for (; hits != 0; hits &= hits - 1) {
      const int slot = std::countr_zero(hits);
      if (n.child[slot] < 0) tell(x, box, n.child[slot], n.slots, slot);
      else one(x, box, n.child[slot], marked);
    }
  }
  // Of all beneath a node of a and an entry of b, with its box in a's frame.
  void beneath(std::int32_t at, Ref y, const FloatBox<D>& box, bool marked) {
    const Node<D>& n = a.node(at);
    std::uint32_t hits = overlapping(n.slots, box) & (marked ? 0xFFU : n.marked);
    for (; hits != 0; hits &= hits - 1) {
      const Ref x = n.child[std::countr_zero(hits)];
      if (x >= 0) beneath(x, y, box, marked);
      else if (a.bounds_of(x).overlaps(b.bounds_of(y)))
        out.emplace_back(static_cast<std::uint32_t>(~x), static_cast<std::uint32_t>(~y));
    }
  }
  // Of all beneath two nodes, with the boxes of both.
  void between(std::int32_t at_a, const FloatBox<D>& box_a, std::int32_t at_b, const FloatBox<D>& box_b) {
    const Node<D>&x = a.node(at_a), &y = b.node(at_b);
    std::uint32_t near = overlapping(x.slots, frame.back(box_b));
    const std::uint32_t near_b = overlapping(y.slots, frame(box_a));
    if (near_b == 0) return;
    for (; near != 0; near &= near - 1) {
      const int i = std::countr_zero(near);
      const bool marked = (x.marked >> i & 1) != 0;
      const std::uint32_t asked = marked ? near_b : y.marked & near_b;
      if (asked == 0) continue;
      const FloatBox<D> box = x.slots.get(i);
      for (std::uint32_t hits = overlapping(y.slots, frame(box)) & asked; hits != 0; hits &= hits - 1)
        two(x.child[i], box, y, std::countr_zero(hits), marked);
    }
  }
};

template <int D>
void join(const Store<D>& tree, std::vector<KeyPair>& out) {
  if (tree.root != kNone && tree.node(tree.root).marked != 0)
    Join<D, SameFrame<D>>{tree, tree, SameFrame<D>(), out}.among(tree.root);
}
template <int D>
void join(const Store<D>& a, const Store<D>& b, std::vector<KeyPair>& out) {
  if (a.root == kNone || b.root == kNone) return;
  const Node<D>&x = a.node(a.root), &y = b.node(b.root);
  if (x.marked == 0 && y.marked == 0) return;
  Join<D, Shift<D>>{a, b, Shift<D>(a, b), out}.between(a.root, around(x.slots), b.root, around(y.slots));
}

template <int D>
void within(const Store<D>& tree, std::int32_t at, const FloatBox<D>& box, const Bounds<D>& bounds, ToldKey visit) {
  const Node<D>& n = tree.node(at);
  for (std::uint32_t hits = overlapping(n.slots, box); hits != 0; hits &= hits - 1) {
    const Ref ref = n.child[std::countr_zero(hits)];
    if (ref >= 0) within(tree, ref, box, bounds, visit);
    else if (tree.bounds_of(ref).overlaps(bounds)) visit.call(visit.to, static_cast<std::uint32_t>(~ref));
  }
}

void join_2(const Store<2>& tree, std::vector<KeyPair>& out) { join(tree, out); }
void join_3(const Store<3>& tree, std::vector<KeyPair>& out) { join(tree, out); }
void join_two_2(const Store<2>& a, const Store<2>& b, std::vector<KeyPair>& out) { join(a, b, out); }
void join_two_3(const Store<3>& a, const Store<3>& b, std::vector<KeyPair>& out) { join(a, b, out); }
void within_2(const Store<2>& tree, const Bounds<2>& bounds, ToldKey visit) {
  within(tree, tree.root, to_float(bounds, tree.origin), bounds, visit);
}
void within_3(const Store<3>& tree, const Bounds<3>& bounds, ToldKey visit) {
  within(tree, tree.root, to_float(bounds, tree.origin), bounds, visit);
}

}  // namespace colvik::index::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace colvik::index {
HWY_EXPORT(join_2);
HWY_EXPORT(join_3);
HWY_EXPORT(join_two_2);
HWY_EXPORT(join_two_3);
HWY_EXPORT(within_2);
HWY_EXPORT(within_3);

template <>
void walk_pairs(const Store<2>& tree, std::vector<KeyPair>& out) {
  HWY_DYNAMIC_DISPATCH(join_2)(tree, out);
}
template <>
void walk_pairs(const Store<3>& tree, std::vector<KeyPair>& out) {
  HWY_DYNAMIC_DISPATCH(join_3)(tree, out);
}
template <>
void walk_pairs(const Store<2>& a, const Store<2>& b, std::vector<KeyPair>& out) {
  HWY_DYNAMIC_DISPATCH(join_two_2)(a, b, out);
}
template <>
void walk_pairs(const Store<3>& a, const Store<3>& b, std::vector<KeyPair>& out) {
  HWY_DYNAMIC_DISPATCH(join_two_3)(a, b, out);
}
template <>
void walk_overlaps(const Store<2>& tree, const Bounds<2>& bounds, ToldKey visit) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(within_2)(tree, bounds, visit);
}
template <>
void walk_overlaps(const Store<3>& tree, const Bounds<3>& bounds, ToldKey visit) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(within_3)(tree, bounds, visit);
}
}  // namespace colvik::index
#endif
