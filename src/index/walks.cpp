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

template <int D>
void within(const Store<D>& tree, std::int32_t at, const FloatBox<D>& box, const Bounds<D>& bounds, ToldKey visit) {
  const Node<D>& n = tree.node(at);
  for (std::uint32_t hits = overlapping(n.slots, box); hits != 0; hits &= hits - 1) {
    const Ref ref = n.child[std::countr_zero(hits)];
    if (ref >= 0) within(tree, ref, box, bounds, visit);
    else if (tree.bounds_of(ref).overlaps(bounds)) visit.call(visit.to, static_cast<std::uint32_t>(~ref));
  }
}

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
HWY_EXPORT(within_2);
HWY_EXPORT(within_3);

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
