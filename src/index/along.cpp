#include "index/along.h"

#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "index/along.cpp"
#include <hwy/cache_control.h>
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

#include "index/lanes-inl.h"

#include <bit>
#include <cstddef>

#include "index/packed.h"

HWY_BEFORE_NAMESPACE();
namespace colvik::index::HWY_NAMESPACE {

inline float up(double x) { return static_cast<float>(x) * 1.000001F; }

// A sweep in the frame of a tree; t runs from 0 to 1 along it. Which side of a box is the entry
// depends on the direction alone.
template <int D>
struct FloatRay {
  float inverse[D];  // 1 / displacement
  float per_out[D];  // a little more, for the three roundings of a side (Ize, "Robust BVH ray
                     // traversal", 2013)
  float in[D];
  float out[D];  // the start as seen from either side, all rounding and half of what is swept off
  std::uint32_t in_side[D];
  std::uint32_t out_side[D];  // where in a node's slots these sides are
};

template <int D>
FloatRay<D> ray_in(const Store<D>& tree, const FloatBox<D>& all, const Sweep<D>& displacement,
                   const Vec<D>& half) {
  FloatRay<D> r;
  for (int i = 0; i < D; ++i) {
    const float at = to_float(displacement.from[i] - tree.origin[i]);
    const float wide = to_float(half[i]);
    const float end =
        to_float(displacement.from[i] + displacement.displacement[i] - tree.origin[i]);
    const float far = farthest(std::max(std::abs(at), std::abs(end)) + wide,
                               std::max(std::abs(all.lo[i]), std::abs(all.hi[i])));
    constexpr float kLeast = 1e-9F;  // along a face that has no thickness
    const float room = wide + kLeast + far * 4 * std::numeric_limits<float>::epsilon();
    // A sweep along the other axes only: never left, never entered.
    constexpr double kTiny = 1e-18;
    const double by =
        std::abs(displacement.displacement[i]) > kTiny ? displacement.displacement[i] : kTiny;
    r.inverse[i] = static_cast<float>(1 / by);
    r.per_out[i] = r.inverse[i] * 1.000001F;
    // Its direction is unpredictable, hence no branch.
    const float ahead = std::copysign(room, static_cast<float>(by));
    const std::uint32_t back = std::signbit(by) ? 1 : 0;
    const std::uint32_t axis = static_cast<std::uint32_t>(i);
    r.in[i] = at + ahead;
    r.in_side[i] = (axis + back * D) * kWidth;
    r.out[i] = at - ahead;
    r.out_side[i] = (axis + (1 - back) * D) * kWidth;
  }
  return r;
}

// The nodes that a sweep is yet to visit, the next one last, and where it enters each.
constexpr int kRoom = 24;
template <int D>
struct Walk {
  FloatRay<D> ray;
  float limit;
  int waiting;
  Ref next;
  std::uint32_t number;
  alignas(32) float enters[kRoom + kWidth];
  alignas(32) Ref refs[kRoom + kWidth];
};

// Prefetches a node: a ray spends most of its time waiting for these lines.
template <int D>
HWY_INLINE void fetch(const Store<D>& tree, Ref ref, const Ahead& ahead) {
  const std::byte* at = ref >= 0 ? reinterpret_cast<const std::byte*>(&tree.node(ref))
                                 : static_cast<const std::byte*>(ahead.first) +
                                       ahead.stride * static_cast<std::uint32_t>(~ref);
  constexpr std::size_t kLine = 64;
  hwy::Prefetch(at);
  hwy::Prefetch(at + kLine);
  if (ref >= 0 || ahead.stride > 2 * kLine)
    for (std::size_t k = 2 * kLine; k < sizeof(Node<D>); k += kLine) hwy::Prefetch(at + k);
}

// Descends to the slot of a node that the sweep enters first, and pushes the others that it hits;
// false if it hits none. The number of hits is unpredictable: only whether there are any is a
// branch. What is next is known before the others are put away.
template <int D>
HWY_INLINE bool meet(const Node<D>& n, Walk<D>& w) {
  static_assert(sizeof(Slots<D>) == sizeof(float) * 2 * D * kWidth);
  const Lanes tag;
  const hn::RebindToSigned<Lanes> whole;
  const hn::Rebind<std::uint8_t, Lanes> small;
  // The last digits of the entry fraction hold the slot's number instead.
  constexpr std::int32_t kSlot = kWidth - 1;

  alignas(32) float enters[kWidth];
  std::uint32_t hits = 0;
  auto nearest = hn::Set(whole, std::numeric_limits<std::int32_t>::max());
  for (std::size_t k = 0; k < kWidth; k += hn::Lanes(tag)) {
    const float* sides = n.slots.lo[0] + k;
    const auto in = [&](int i) HWY_ATTR {
      const auto side = hn::Sub(hn::Load(tag, sides + w.ray.in_side[i]), hn::Set(tag, w.ray.in[i]));
      return hn::Mul(side, hn::Set(tag, w.ray.inverse[i]));
    };
    const auto out = [&](int i) HWY_ATTR {
      const auto side =
          hn::Sub(hn::Load(tag, sides + w.ray.out_side[i]), hn::Set(tag, w.ray.out[i]));
      return hn::Mul(side, hn::Set(tag, w.ray.per_out[i]));
    };
    // In pairs, so that few of them wait for one another.
    const auto enter = hn::Max(in(0), in(1));
    const auto leave = hn::Min(out(0), out(1));
    auto first = hn::Zero(tag);
    auto last = hn::Set(tag, w.limit);
    if constexpr (D == 3) {
      first = hn::Max(first, in(2));
      last = hn::Min(last, out(2));
    }
    first = hn::Max(first, enter);
    last = hn::Min(last, leave);
    const auto hit = hn::Le(first, last);
    hn::Store(first, tag, enters + k);
    hits |= bits_of(hit) << k;
    // Numbers above 0 are in the order of their digits.
    const auto key = hn::Or(hn::AndNot(hn::Set(whole, kSlot), hn::BitCast(whole, first)),
                            hn::Iota(whole, static_cast<std::int32_t>(k)));
    nearest = hn::IfThenElse(hn::RebindMask(whole, hit), hn::Min(nearest, key), nearest);
  }
  if (hits == 0) return false;
  const auto slot = static_cast<unsigned>(hn::GetLane(hn::MinOfLanes(whole, nearest)) & kSlot);
  w.next = n.child[slot];
  const std::uint32_t others = hits & ~(1U << slot);
  int waiting = w.waiting;
  for (std::size_t k = 0; k < kWidth; k += hn::Lanes(tag)) {
    const std::uint32_t bits = others >> k & ((1U << hn::Lanes(tag)) - 1);
    const auto order =
        hn::IndicesFromVec(tag, hn::PromoteTo(whole, hn::LoadU(small, kPacked.slots[bits].data())));
    const auto child = hn::BitCast(tag, hn::LoadU(whole, n.child + k));
    hn::StoreU(hn::TableLookupLanes(hn::Load(tag, enters + k), order), tag, w.enters + waiting);
    hn::StoreU(hn::BitCast(whole, hn::TableLookupLanes(child, order)), whole, w.refs + waiting);
    waiting += std::popcount(bits);
  }
  w.waiting = waiting;
  return true;
}

// Visits what is next. Whether there is more; that is then next.
template <int D>
HWY_INLINE bool step(const Store<D>& tree, Walk<D>& w, const SweepVisitor& visit,
                     const Ahead& ahead);

template <int D>
void follow(const Store<D>& tree, Walk<D>& w, const SweepVisitor& visit, const Ahead& ahead) {
  while (step(tree, w, visit, ahead)) {
    fetch(tree, w.next, ahead);
    if (w.waiting > 0) fetch(tree, w.refs[w.waiting - 1], ahead);
  }
}

template <int D>
HWY_INLINE bool step(const Store<D>& tree, Walk<D>& w, const SweepVisitor& visit,
                     const Ahead& ahead) {
  if (w.next < 0) {
    const double on = visit.call(visit.to, w.number, static_cast<std::uint32_t>(~w.next));
    w.limit = std::min(w.limit, up(on));
  } else if (w.waiting > kRoom - kWidth) {  // a tree that is deep and lopsided
    Walk<D> beneath;
    beneath.ray = w.ray;
    beneath.limit = w.limit;
    beneath.waiting = 0;
    beneath.next = w.next;
    beneath.number = w.number;
    follow(tree, beneath, visit, ahead);
    w.limit = beneath.limit;
  } else if (meet(tree.node(w.next), w)) {
    return true;
  }
  do {
    if (w.waiting == 0) return false;
    --w.waiting;
  } while (w.enters[w.waiting] > w.limit);
  w.next = w.refs[w.waiting];
  return true;
}

template <int D>
void along(const Store<D>& tree, std::span<const Sweep<D>> sweeps, const Vec<D>& half,
           const SweepVisitor& visit, const Ahead& ahead) {
  constexpr std::size_t kAbreast = 8;
  const FloatBox<D> all = around(tree.node(tree.root).slots);
  std::size_t begun = 0;
  const auto begin = [&](Walk<D>& w) HWY_ATTR {
    w.ray = ray_in(tree, all, sweeps[begun], half);
    w.limit = up(sweeps[begun].limit);
    w.waiting = 0;
    w.next = tree.root;
    w.number = static_cast<std::uint32_t>(begun++);
  };
  if (sweeps.size() == 1) {
    Walk<D> w;
    begin(w);
    follow(tree, w, visit, ahead);
    return;
  }
  Walk<D> walks[kAbreast];
  Walk<D>* busy[kAbreast];
  std::size_t n = 0;
  for (; n < std::min(kAbreast, sweeps.size()); ++n) begin(*(busy[n] = &walks[n]));
  while (n > 0)
    for (std::size_t i = 0; i < n; ++i) {
      Walk<D>& w = *busy[i];
      if (step(tree, w, visit, ahead)) fetch(tree, w.next, ahead);
      else if (begun < sweeps.size()) begin(w);
      else busy[i--] = busy[--n];
    }
}

void along_2(const Store<2>& tree, std::span<const Sweep<2>> sweeps, const Vec<2>& half,
             SweepVisitor visit, Ahead ahead) {
  along(tree, sweeps, half, visit, ahead);
}
void along_3(const Store<3>& tree, std::span<const Sweep<3>> sweeps, const Vec<3>& half,
             SweepVisitor visit, Ahead ahead) {
  along(tree, sweeps, half, visit, ahead);
}

}  // namespace colvik::index::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace colvik::index {
HWY_EXPORT(along_2);
HWY_EXPORT(along_3);

template <>
void walk_along(const Store<2>& tree, std::span<const Sweep<2>> sweeps, const Vec<2>& half,
                SweepVisitor visit, Ahead ahead) {
  if (tree.root != kNone && !sweeps.empty())
    HWY_DYNAMIC_DISPATCH(along_2)(tree, sweeps, half, visit, ahead);
}
template <>
void walk_along(const Store<3>& tree, std::span<const Sweep<3>> sweeps, const Vec<3>& half,
                SweepVisitor visit, Ahead ahead) {
  if (tree.root != kNone && !sweeps.empty())
    HWY_DYNAMIC_DISPATCH(along_3)(tree, sweeps, half, visit, ahead);
}
}  // namespace colvik::index
#endif
