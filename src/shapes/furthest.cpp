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
template <int D, class T>
std::size_t scan(const T* by_axis, std::size_t count, const Vec<D>& direction) {
  const hn::CappedTag<T, 32 / sizeof(T)> tag;
  const std::size_t n = Laid::row_of<T>(count), lanes = hn::Lanes(tag);
  const auto all = [&](int i) { return hn::Set(tag, static_cast<T>(direction[i])); };
  const auto x = all(0), y = all(1), z = all(D - 1);
  auto most = hn::Set(tag, std::numeric_limits<T>::lowest());
  auto which = hn::Zero(tag), here = which;
  const auto step = hn::Set(tag, static_cast<T>(lanes));
  for (std::size_t i = 0; i < n; i += lanes) {
    auto d = hn::Add(hn::Mul(x, hn::LoadU(tag, by_axis + i)), hn::Mul(y, hn::LoadU(tag, by_axis + n + i)));
    if constexpr (D == 3) d = hn::Add(d, hn::Mul(z, hn::LoadU(tag, by_axis + 2 * n + i)));
    const auto further = hn::Gt(d, most);
    most = hn::IfThenElse(further, d, most);
    which = hn::IfThenElse(further, here, which);
    here = hn::Add(here, step);
  }
  // Of the lanes' best the first; without branches, as any lane may hold it.
  const auto index = hn::Add(which, hn::Iota(tag, 0));
  const auto best = hn::Eq(most, hn::MaxOfLanes(tag, most));
  const auto first = hn::MinOfLanes(tag, hn::IfThenElse(best, index, hn::Set(tag, static_cast<T>(n))));
  return static_cast<std::size_t>(hn::GetLane(first));
}
std::size_t scan_2(const double* by_axis, std::size_t count, const Vec<2>& d) { return scan(by_axis, count, d); }
std::size_t scan_3(const double* by_axis, std::size_t count, const Vec<3>& d) { return scan(by_axis, count, d); }
std::size_t scan_single(const float* by_axis, std::size_t count, const Vec<3>& d) { return scan(by_axis, count, d); }

}  // namespace colvik::shapes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace colvik::shapes {
HWY_EXPORT(scan_2);
HWY_EXPORT(scan_3);
HWY_EXPORT(scan_single);

std::size_t furthest(const double* by_axis, std::size_t count, const Vec<2>& direction) {
  return HWY_DYNAMIC_DISPATCH(scan_2)(by_axis, count, direction);
}
std::size_t furthest(const double* by_axis, std::size_t count, const Vec<3>& direction) {
  return HWY_DYNAMIC_DISPATCH(scan_3)(by_axis, count, direction);
}
std::size_t furthest(const float* by_axis, std::size_t count, const Vec<3>& direction) {
  return HWY_DYNAMIC_DISPATCH(scan_single)(by_axis, count, direction);
}
}  // namespace colvik::shapes
#endif
