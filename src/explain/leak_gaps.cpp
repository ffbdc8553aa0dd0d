// Gaps that the grid does not show: where what stops a walker changes from one stride to the next,
// the ends of both are found by bisection, however little room there is between them.
#include <algorithm>
#include <cmath>

#include "explain/leak_search.h"

namespace colvik::reasons {

namespace {
constexpr int kHalvings = 30;
constexpr double kBeyond = 1.5;   // of the walker's extent: what stops it longer is no end of a gap
constexpr double kLeast = 0.05;   // of its extent: a narrower gap is none
constexpr double kSameGap = 0.5;  // of its smallest side: tried once within this
}  // namespace

template <int D>
void Search<D>::gaps(std::uint32_t i, const Vec<D>& direction, double depth) {
  const Frame<D>& f = ground_.frame();
  const bool down = f.heavy && f.axes[D - 1].dot(direction) < -0.5;
  for (int k = 0; k < (f.heavy ? D - 1 : D); ++k) {
    const Vec<D>& side = f.axes[static_cast<std::size_t>(k)];
    if (std::abs(side.dot(direction)) > 0.5) continue;
    for (const double sign : {1.0, -1.0}) gap_beside(i, direction, side * sign, depth);
  }
  if (f.heavy && !down) gap_below(i, direction);
}

template <int D>
std::optional<double> Search<D>::end_of(const typename Ground<D>::Stop& stop, const Vec<D>& at,
                                        const Vec<D>& direction, const Vec<D>& side, double until,
                                        double depth) const {
  const auto stopped = [&](double s) {
    return ground_.ahead(at + side * s, direction, depth, &stop).has_value();
  };
  if (stopped(until)) return std::nullopt;
  double in = 0;
  double out = until;
  for (int k = 0; k < kHalvings; ++k) {
    const double middle = (in + out) / 2;
    (stopped(middle) ? in : out) = middle;
  }
  return out;
}

template <int D>
void Search<D>::gap_beside(std::uint32_t i, const Vec<D>& direction, const Vec<D>& side,
                           double depth) {
  const Vec<D> at = nodes_[i].at;
  const auto here = ground_.ahead(at, direction, depth);
  if (!here) return;
  const Vec<D> beside = at + side * stride_;
  const auto there = ground_.ahead(beside, direction, depth);
  if (!there || (there->object == here->object && there->collider == here->collider)) return;
  const auto [back, front] = ground_.reach(side);
  const double wide = front - back;
  const auto first = end_of(*here, at, direction, side, kBeyond * wide, depth);
  const auto second = end_of(*there, beside, direction, -side, kBeyond * wide, depth);
  if (!first || !second) return;
  const double room = stride_ - *second - *first;
  if (room > 0) squeeze_in(i, at + side * (*first + room / 2), direction);
  else note_gap(i, wide + room, wide, here->object, there->object);
}

template <int D>
void Search<D>::gap_below(std::uint32_t i, const Vec<D>& direction) {
  const Vec<D> at = nodes_[i].at;
  const Vec<D>& up = ground_.frame().axes[D - 1];
  const auto stop = ground_.ahead(at, direction, ground_.smallest());
  const auto floor = ground_.ahead(at, -up, 0.1 * ground_.smallest());
  if (!stop || !floor || stop->object == floor->object) return;
  const auto [back, front] = ground_.reach(up);
  const double tall = front - back;
  const auto lower = end_of(*stop, at, direction, -up, tall, ground_.smallest());
  if (!lower) return;
  const double missing = *lower - ground_.raised() - floor->at;
  if (missing > 0) note_gap(i, tall - missing, tall, floor->object, stop->object);
}

template <int D>
void Search<D>::note_gap(std::uint32_t i, double width, double needed, ObjectId a, ObjectId b) {
  if (width < kLeast * needed) return;
  auto& best = leak_->narrowest;
  if (best && width / needed <= best->width / best->needed) return;
  best = Gap<D>{nodes_[i].at, width, needed, ground_.world().object(a).name,
                ground_.world().object(b).name};
}

template <int D>
void Search<D>::squeeze_in(std::uint32_t i, const Vec<D>& at, const Vec<D>& direction) {
  const Frame<D>& f = ground_.frame();
  if (ground_.blocked(at)) return;
  const int way = static_cast<int>(std::lround(4 + 3 * direction[0] + 2 * direction[1]));
  if (!first_try(at, kSameGap * ground_.smallest(), 400 + way)) return;
  push(i, at, Going::walk, true);
  const auto start = static_cast<std::uint32_t>(nodes_.size() - 1);
  if (f.heavy && f.axes[D - 1].dot(direction) < -0.5) {
    const Moved<D> fell = ground_.fall(at, kZero);
    if (note(start, fell, Going::fall) && fell.standing) push(start, fell.at, Going::fall);
    return;
  }
  std::uint32_t last = start;
  const int strides = static_cast<int>(std::ceil(3 * ground_.smallest() / stride_));
  for (int k = 0; k < strides; ++k) {
    const Vec<D> before = nodes_[last].at;
    const Moved<D> moved = ground_.walk(before, direction, stride_);
    if (!note(last, moved, Going::walk) || !moved.standing ||
        direction.dot(moved.at - before) < 0.5 * stride_)
      return;
    push(last, moved.at, Going::walk, true);
    last = static_cast<std::uint32_t>(nodes_.size() - 1);
  }
}

template void Search<2>::gaps(std::uint32_t, const Vec<2>&, double);
template void Search<3>::gaps(std::uint32_t, const Vec<3>&, double);

}  // namespace colvik::reasons
