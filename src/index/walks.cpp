#include "index/walks.h"

#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "index/walks.cpp"
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

#include "index/lanes-inl.h"

#include <algorithm>
#include <bit>
#include <cmath>

HWY_BEFORE_NAMESPACE();
namespace colvik::index::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
template <int D>
void within(const Store<D>& tree, std::int32_t at, const FloatBox<D>& box, const Bounds<D>& bounds,
            KeyVisitor visit) {
  const Node<D>& n = tree.node(at);
  const Near hits = near(n.slots, box, 0, 0);
  for (std::uint32_t bits = hits.slots; bits != 0; bits &= bits - 1) {
    const int slot = std::countr_zero(bits);
    const Ref ref = n.child[slot];
    if (ref >= 0) within(tree, ref, box, bounds, visit);
    else if ((hits.doubt >> slot & 1) == 0 || tree.bounds_of(ref).overlaps(bounds))
      visit.call(visit.to, static_cast<std::uint32_t>(~ref));
  }
}

void within_2(const Store<2>& tree, const Bounds<2>& bounds, KeyVisitor visit) {
  within(tree, tree.root, to_float(bounds, tree.origin), bounds, visit);
}
void within_3(const Store<3>& tree, const Bounds<3>& bounds, KeyVisitor visit) {
  within(tree, tree.root, to_float(bounds, tree.origin), bounds, visit);
}

// Around a box, the nearest slots first. Distances are too short by `slack`, all rounding of
// sides no further out than twice the box; that of others is a part of their distance, and in
// `limit`.
template <int D>
struct Outward {
  const Store<D>& tree;
  const FloatBox<D> box;
  const float slack;
  const OutwardVisitor visit;
  float limit;  // the square

  void shorten(double within) {
    const auto most = static_cast<float>(std::clamp(within, 0.0, kFarthest));
    limit = most * most * 1.000004F;
  }
  // Squares of how far the slots of a node are from the box.
  HWY_INLINE void measure(const Slots<D>& s, float* squares) const {
    const Lanes tag;
    for (std::size_t k = 0; k < kWidth; k += hn::Lanes(tag)) {
      auto sum = hn::Zero(tag);
      for (int i = 0; i < D; ++i) {
        const auto above = hn::Sub(hn::Load(tag, s.lo[i] + k), hn::Set(tag, box.hi[i]));
        const auto below = hn::Sub(hn::Set(tag, box.lo[i]), hn::Load(tag, s.hi[i] + k));
        const auto apart =
            hn::Max(hn::Zero(tag), hn::Sub(hn::Max(above, below), hn::Set(tag, slack)));
        sum = hn::Add(sum, hn::Mul(apart, apart));
      }
      hn::Store(sum, tag, squares + k);
    }
  }
  void visit_node(std::int32_t at) {
    const Node<D>& n = tree.node(at);
    alignas(32) float squares[kWidth];
    measure(n.slots, squares);
    for (std::uint32_t left = (1U << kWidth) - 1; left != 0;) {
      int nearest = std::countr_zero(left);
      for (std::uint32_t bits = left & (left - 1); bits != 0; bits &= bits - 1)
        if (const int slot = std::countr_zero(bits); squares[slot] < squares[nearest])
          nearest = slot;
      if (!(squares[nearest] <= limit)) return;
      left &= ~(1U << nearest);
      if (const Ref ref = n.child[nearest]; ref >= 0) visit_node(ref);
      else shorten(visit.call(visit.to, static_cast<std::uint32_t>(~ref)));
    }
  }
};

template <int D>
void outward(const Store<D>& tree, const Bounds<D>& bounds, double within, OutwardVisitor visit) {
  const FloatBox<D> box = to_float(bounds, tree.origin);
  const FloatBox<D> all = index::around(tree.node(tree.root).slots);
  float own = 0;
  float whole = 0;
  for (int i = 0; i < D; ++i) {
    own = std::max({own, std::abs(box.lo[i]), std::abs(box.hi[i])});
    whole = std::max({whole, std::abs(all.lo[i]), std::abs(all.hi[i])});
  }
  Outward<D> walk{tree, box, farthest(own, whole) * 4 * std::numeric_limits<float>::epsilon(),
                  visit, 0};
  walk.shorten(within);
  walk.visit_node(tree.root);
}

void outward_2(const Store<2>& tree, const Bounds<2>& bounds, double within, OutwardVisitor visit) {
  outward(tree, bounds, within, visit);
}
void outward_3(const Store<3>& tree, const Bounds<3>& bounds, double within, OutwardVisitor visit) {
  outward(tree, bounds, within, visit);
}

}  // namespace colvik::index::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace colvik::index {
HWY_EXPORT(within_2);
HWY_EXPORT(within_3);

template <>
void walk_overlaps(const Store<2>& tree, const Bounds<2>& bounds, KeyVisitor visit) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(within_2)(tree, bounds, visit);
}
template <>
void walk_overlaps(const Store<3>& tree, const Bounds<3>& bounds, KeyVisitor visit) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(within_3)(tree, bounds, visit);
}

HWY_EXPORT(outward_2);
HWY_EXPORT(outward_3);

template <>
void walk_outward(const Store<2>& tree, const Bounds<2>& bounds, double within,
                  OutwardVisitor visit) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(outward_2)(tree, bounds, within, visit);
}
template <>
void walk_outward(const Store<3>& tree, const Bounds<3>& bounds, double within,
                  OutwardVisitor visit) {
  if (tree.root != kNone) HWY_DYNAMIC_DISPATCH(outward_3)(tree, bounds, within, visit);
}
}  // namespace colvik::index
#endif
