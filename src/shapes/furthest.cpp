#include "shapes/polytope.h"

#include "math/targets.h"
#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "shapes/furthest.cpp"
#include <hwy/foreach_target.h>  // NOLINT: includes this file once for each
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace colvik::shapes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// A walk over vectors laid out by axis: the furthest so far, of each lane.
template <int D, class T>
struct Scan {
  using Tag = hn::CappedTag<T, 32 / sizeof(T)>;
  using Lanes = hn::Vec<Tag>;
  const T* by_axis;
  std::size_t row;
  Lanes along[D];
  Lanes most;
  Lanes which;

  HWY_INLINE Scan(const T* list, std::size_t count, const Vec<D>& direction)
      : by_axis(list),
        row(Laid::row_of<T>(count)),
        most(hn::Set(Tag(), std::numeric_limits<T>::lowest())),
        which(hn::Zero(Tag())) {
    for (int i = 0; i < D; ++i) along[i] = hn::Set(Tag(), static_cast<T>(direction[i]));
  }
  // No multiply-add in one: the same bits on every machine.
  HWY_INLINE void test(std::size_t at) {
    const Tag tag;
    auto d = hn::Add(hn::Mul(along[0], hn::LoadU(tag, by_axis + at)),
                     hn::Mul(along[1], hn::LoadU(tag, by_axis + row + at)));
    if constexpr (D == 3) d = hn::Add(d, hn::Mul(along[2], hn::LoadU(tag, by_axis + 2 * row + at)));
    const auto further = hn::Gt(d, most);
    most = hn::IfThenElse(further, d, most);
    which = hn::IfThenElse(further, hn::Set(tag, static_cast<T>(at)), which);
  }
  // Of the lanes' best the first; without branches, as any lane may hold it.
  [[nodiscard]] HWY_INLINE std::size_t best() const {
    const Tag tag;
    const auto index = hn::Add(which, hn::Iota(tag, 0));
    const auto best = hn::Eq(most, hn::MaxOfLanes(tag, most));
    const auto first =
        hn::MinOfLanes(tag, hn::IfThenElse(best, index, hn::Set(tag, static_cast<T>(row))));
    return static_cast<std::size_t>(hn::GetLane(first));
  }
};
template <int D, class T>
std::size_t scan(const T* by_axis, std::size_t count, const Vec<D>& direction) {
  Scan<D, T> s(by_axis, count, direction);
  for (std::size_t i = 0; i < s.row; i += hn::Lanes(typename Scan<D, T>::Tag())) s.test(i);
  return s.best();
}
// Interleaved, with one loop end to predict; the last of the shorter list is tested again while the
// other advances, which changes nothing.
std::pair<std::size_t, std::size_t> scan_both(const CornersAlong& a, const CornersAlong& b) {
  using One = Scan<3, double>;
  const std::size_t step = hn::Lanes(One::Tag());
  One one(a.by_axis, a.count, a.direction);
  One other(b.by_axis, b.count, b.direction);
  const std::size_t longest = std::max(one.row, other.row);
  for (std::size_t i = 0; i < longest; i += step) {
    one.test(std::min(i, one.row - step));
    other.test(std::min(i, other.row - step));
  }
  return {one.best(), other.best()};
}
std::size_t scan_2(const double* by_axis, std::size_t count, const Vec<2>& d) {
  return scan(by_axis, count, d);
}
std::size_t scan_3(const double* by_axis, std::size_t count, const Vec<3>& d) {
  return scan(by_axis, count, d);
}
std::size_t scan_single(const float* by_axis, std::size_t count, const Vec<3>& d) {
  return scan(by_axis, count, d);
}

}  // namespace colvik::shapes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace colvik::shapes {
HWY_EXPORT(scan_2);
HWY_EXPORT(scan_3);
HWY_EXPORT(scan_single);
HWY_EXPORT(scan_both);

std::size_t furthest(const double* by_axis, std::size_t count, const Vec<2>& direction) {
  return HWY_DYNAMIC_DISPATCH(scan_2)(by_axis, count, direction);
}
std::size_t furthest(const double* by_axis, std::size_t count, const Vec<3>& direction) {
  return HWY_DYNAMIC_DISPATCH(scan_3)(by_axis, count, direction);
}
std::size_t furthest(const float* by_axis, std::size_t count, const Vec<3>& direction) {
  return HWY_DYNAMIC_DISPATCH(scan_single)(by_axis, count, direction);
}
std::pair<std::size_t, std::size_t> furthest_of_both(const CornersAlong& a, const CornersAlong& b) {
  return HWY_DYNAMIC_DISPATCH(scan_both)(a, b);
}
}  // namespace colvik::shapes
#endif
