#include "index/walks.h"

#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "index/walks.cpp"
#include <hwy/cache_control.h>
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

#include <bit>
#include <cstddef>

HWY_BEFORE_NAMESPACE();
namespace colvik::index::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
using Lanes = hn::CappedTag<float, kWide>;

template <class Mask>
std::uint32_t bits_of(Mask mask) {
  std::uint8_t bytes[8] = {};
  hn::StoreMaskBits(Lanes(), mask, bytes);
  return bytes[0];
}

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

// A way through the frame of a tree; t runs from 0 to 1 along it.
template <int D>
struct FloatRay {
  float lo[D], hi[D];  // the start, less and more all rounding and half of what is swept along
  float per_way[D];    // 1 / way
};

template <int D>
FloatRay<D> ray_in(const Store<D>& tree, const Vec<D>& from, const Vec<D>& way, const Vec<D>& half) {
  const FloatBox<D> all = around(tree.node(tree.root).slots);
  FloatRay<D> r;
  for (int i = 0; i < D; ++i) {
    const float at = to_float(from[i] - tree.origin[i]);
    const float far = std::max({std::abs(at), std::abs(all.lo[i]), std::abs(all.hi[i]), to_float(half[i])});
    constexpr float kLeast = 1e-9F;  // along a face that has no thickness
    const float room = to_float(half[i]) + kLeast + far * 4 * std::numeric_limits<float>::epsilon();
    r.lo[i] = at - room, r.hi[i] = at + room;
    // A way along the other axes only: never left, never entered.
    constexpr double kTiny = 1e-18;
    r.per_way[i] = static_cast<float>(1 / (std::abs(way[i]) > kTiny ? way[i] : kTiny));
  }
  return r;
}

// A bit for each slot that the ray meets before `limit`, and where it enters each.
template <int D>
std::uint32_t entered(const Slots<D>& s, const FloatRay<D>& ray, float limit, float* enters) {
  const Lanes tag;
  std::uint32_t out = 0;
  for (std::size_t k = 0; k < kWide; k += hn::Lanes(tag)) {
    auto first = hn::Zero(tag), last = hn::Set(tag, limit);
    for (int i = 0; i < D; ++i) {
      const auto per = hn::Set(tag, ray.per_way[i]);
      const auto a = hn::Mul(hn::Sub(hn::Load(tag, s.lo[i] + k), hn::Set(tag, ray.hi[i])), per);
      const auto b = hn::Mul(hn::Sub(hn::Load(tag, s.hi[i] + k), hn::Set(tag, ray.lo[i])), per);
      // Which of the two is the way in depends on the direction alone.
      first = hn::Max(first, ray.per_way[i] > 0 ? a : b);
      last = hn::Min(last, ray.per_way[i] > 0 ? b : a);
    }
    hn::Store(first, tag, enters + k);
    // Three roundings a side (Ize, "Robust BVH ray traversal", 2013).
    out |= bits_of(hn::Le(first, hn::Mul(last, hn::Set(tag, 1.000001F)))) << k;
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
  void tell(Ref x, const FloatBox<D>& box, Ref y, const Slots<D>& slots, int slot) {
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
  void two(Ref x, const FloatBox<D>& box, const Node<D>& n, int slot, bool marked) {
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
void within(const Store<D>& tree, std::int32_t at, const FloatBox<D>& box, const Bounds<D>& bounds, Told<void> visit) {
  const Node<D>& n = tree.node(at);
  for (std::uint32_t hits = overlapping(n.slots, box); hits != 0; hits &= hits - 1) {
    const Ref ref = n.child[std::countr_zero(hits)];
    if (ref >= 0) within(tree, ref, box, bounds, visit);
    else if (tree.bounds_of(ref).overlaps(bounds)) visit.call(visit.to, static_cast<std::uint32_t>(~ref));
  }
}

inline float up(double x) { return static_cast<float>(x) * 1.000001F; }

// A node soon to be looked at: its lines come from far in most of the time that a ray takes.
template <int D>
void fetch(const Node<D>& node) {
  const auto* at = reinterpret_cast<const std::byte*>(&node);
  for (std::size_t k = 0; k < sizeof(node); k += 64) hwy::Prefetch(at + k);
}

template <int D>
void follow(const Store<D>& tree, std::int32_t at, const FloatRay<D>& ray, float& limit, Told<double> visit,
            Ahead ahead) {
  const Node<D>& n = tree.node(at);
  alignas(32) float enters[kWide];
  int order[kWide], found = 0;
  for (std::uint32_t hits = entered(n.slots, ray, limit, enters); hits != 0; hits &= hits - 1) {
    const int slot = std::countr_zero(hits);
    if (n.child[slot] >= 0) fetch(tree.node(n.child[slot]));
    else
      hwy::Prefetch(static_cast<const std::byte*>(ahead.first) +
                    ahead.stride * static_cast<std::uint32_t>(~n.child[slot]));
    int k = found++;
    for (; k > 0 && enters[order[k - 1]] > enters[slot]; --k) order[k] = order[k - 1];
    order[k] = slot;
  }
  for (int k = 0; k < found; ++k) {
    if (enters[order[k]] > limit) return;
    const Ref ref = n.child[order[k]];
    if (ref >= 0) {
      follow(tree, ref, ray, limit, visit, ahead);
    } else {
      const double on = visit.call(visit.to, static_cast<std::uint32_t>(~ref));
      limit = std::min(limit, up(on));
    }
  }
}

void join_2(const Store<2>& tree, std::vector<KeyPair>& out) { join(tree, out); }
void join_3(const Store<3>& tree, std::vector<KeyPair>& out) { join(tree, out); }
void join_two_2(const Store<2>& a, const Store<2>& b, std::vector<KeyPair>& out) { join(a, b, out); }
void join_two_3(const Store<3>& a, const Store<3>& b, std::vector<KeyPair>& out) { join(a, b, out); }
void within_2(const Store<2>& tree, const Bounds<2>& bounds, Told<void> visit) {
  within(tree, tree.root, to_float(bounds, tree.origin), bounds, visit);
}
void within_3(const Store<3>& tree, const Bounds<3>& bounds, Told<void> visit) {
  within(tree, tree.root, to_float(bounds, tree.origin), bounds, visit);
}
void along_2(const Store<2>& tree, const Vec<2>& from, const Vec<2>& way, const Vec<2>& half, double limit,
             Told<double> visit, Ahead ahead) {
  float on = up(limit);
  follow(tree, tree.root, ray_in(tree, from, way, half), on, visit, ahead);
}
void along_3(const Store<3>& tree, const Vec<3>& from, const Vec<3>& way, const Vec<3>& half, double limit,
             Told<double> visit, Ahead ahead) {
  float on = up(limit);
  follow(tree, tree.root, ray_in(tree, from, way, half), on, visit, ahead);
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
HWY_EXPORT(along_2);
HWY_EXPORT(along_3);

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
void walk_overlaps(const Store<2>& tree, const Bounds<2>& bounds, Told<void> visit) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(within_2)(tree, bounds, visit);
}
template <>
void walk_overlaps(const Store<3>& tree, const Bounds<3>& bounds, Told<void> visit) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(within_3)(tree, bounds, visit);
}
template <>
void walk_along(const Store<2>& tree, const Vec<2>& from, const Vec<2>& way, const Vec<2>& half, double limit,
                Told<double> visit, Ahead ahead) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(along_2)(tree, from, way, half, limit, visit, ahead);
}
template <>
void walk_along(const Store<3>& tree, const Vec<3>& from, const Vec<3>& way, const Vec<3>& half, double limit,
                Told<double> visit, Ahead ahead) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(along_3)(tree, from, way, half, limit, visit, ahead);
}
}  // namespace colvik::index
#endif
