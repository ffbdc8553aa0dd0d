#include "shapes/polytope.h"

#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "shapes/furthest.cpp"
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace colvik::shapes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// No multiply-add in one: the same bits on every machine.
template <int D>
std::size_t scan(const double* by_axis, std::size_t count, const Vec<D>& direction) {
  const hn::CappedTag<double, 4> tag;
  const std::size_t n = (count + 3) / 4 * 4, lanes = hn::Lanes(tag);
  const auto x = hn::Set(tag, direction[0]), y = hn::Set(tag, direction[1]), z = hn::Set(tag, direction[D - 1]);
  auto most = hn::Set(tag, std::numeric_limits<double>::lowest());
  auto which = hn::Zero(tag);
  for (std::size_t i = 0; i < n; i += lanes) {
    auto d = hn::Add(hn::Mul(x, hn::LoadU(tag, by_axis + i)), hn::Mul(y, hn::LoadU(tag, by_axis + n + i)));
    if constexpr (D == 3) d = hn::Add(d, hn::Mul(z, hn::LoadU(tag, by_axis + 2 * n + i)));
    const auto further = hn::Gt(d, most);
    most = hn::IfThenElse(further, d, most);
    which = hn::IfThenElse(further, hn::Set(tag, static_cast<double>(i)), which);
  }
  double at[4], from[4];
  hn::StoreU(most, tag, at);
  hn::StoreU(which, tag, from);
  std::size_t best = 0, first = static_cast<std::size_t>(from[0]);
  for (std::size_t k = 1; k < lanes; ++k) {
    const std::size_t i = static_cast<std::size_t>(from[k]) + k;
    if (at[k] > at[best] || (at[k] == at[best] && i < first)) best = k, first = i;
  }
  return first;
}
std::size_t scan_2(const double* by_axis, std::size_t count, const Vec<2>& d) { return scan(by_axis, count, d); }
std::size_t scan_3(const double* by_axis, std::size_t count, const Vec<3>& d) { return scan(by_axis, count, d); }

}  // namespace colvik::shapes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace colvik::shapes {
HWY_EXPORT(scan_2);
HWY_EXPORT(scan_3);

template <>
std::size_t furthest(const double* by_axis, std::size_t count, const Vec<2>& direction) {
  return HWY_DYNAMIC_DISPATCH(scan_2)(by_axis, count, direction);
}
template <>
std::size_t furthest(const double* by_axis, std::size_t count, const Vec<3>& direction) {
  return HWY_DYNAMIC_DISPATCH(scan_3)(by_axis, count, direction);
}
}  // namespace colvik::shapes
#endif
