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
template <int D>
void within(const Store<D>& tree, std::int32_t at, const FloatBox<D>& box, const Bounds<D>& bounds, ToldKey visit) {
  const Node<D>& n = tree.node(at);
  const Near met = near(n.slots, box, 0, 0);
  for (std::uint32_t bits = met.slots; bits != 0; bits &= bits - 1) {
    const int slot = std::countr_zero(bits);
    const Ref ref = n.child[slot];
    if (ref >= 0) within(tree, ref, box, bounds, visit);
    else if ((met.doubt >> slot & 1) == 0 || tree.bounds_of(ref).overlaps(bounds))
      visit.call(visit.to, static_cast<std::uint32_t>(~ref));
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
