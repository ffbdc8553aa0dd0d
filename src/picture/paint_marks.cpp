// What happened: marks, touches, trails, and what a caller adds.
#include <algorithm>
#include <cmath>

#include "picture/painter.h"

namespace colvik::picture {

// A mark stands above its place, and above other marks there; names keep clear of all. Of many the
// last ones.
template <int D>
void Painter<D>::place_marks(std::uint64_t last) {
  constexpr std::size_t kMost = 150;
  std::size_t all = 0;
  while (all < trace_.firings().size() && trace_.firings()[all].step <= last) ++all;
  for (std::size_t k = all > kMost ? all - kMost : 0; k < all; ++k) {
    const TraceFiring<D>& f = trace_.firings()[k];
    if (!f.place) continue;
    const Vec<2> foot = to_paper_(*f.place);
    Vec<2> at = foot + Vec<2>(0, -16);
    while (std::any_of(marks_.begin(), marks_.end(),
                       [&](const Mark& m) { return (m.at - at).norm() < 17; }))
      at.y() -= 18;
    marks_.push_back({k + 1, foot, at});
    taken_.push_back(Bounds<2>{at, at}.grown(9));
  }
}

template <int D>
void Painter<D>::paint_marks() {
  const Stroke rim{kInk, 1.2};
  const Colour white{1, 1, 1, 0.95};
  for (const Mark& m : marks_) {
    canvas_.line(m.foot, m.at, {kInk.faded(0.6), 1});
    canvas_.circle(m.at, 8.5, &white, &rim);
    canvas_.text(m.at + Vec<2>(0, 3.6), std::to_string(m.number), m.number < 100 ? 10 : 8, kInk,
                 true, true);
  }
}

// A cross where a touch began in the last quarter of a second, and its normal.
template <int D>
void Painter<D>::paint_touches(std::uint64_t last) {
  const double now = static_cast<double>(last) / trace_.rate();
  for (std::size_t i = 0; i < trace_.touches().size(); ++i) {
    const TraceTouch& t = trace_.touches()[i];
    if (t.phase != Phase::begin || t.step > last || t.time < now - 0.25) continue;
    const typename Trace<D>::TouchPlace& place = trace_.touch_places()[i];
    const Vec<2> at = to_paper_(place.point);
    const Stroke stroke{kInk.faded(0.75), 1.3};
    canvas_.line(at + Vec<2>(-3.5, -3.5), at + Vec<2>(3.5, 3.5), stroke);
    canvas_.line(at + Vec<2>(-3.5, 3.5), at + Vec<2>(3.5, -3.5), stroke);
    const Vec<2> along = to_paper_(place.point + place.normal) - at;
    if (along.norm() > 0.2 * to_paper_.scale())
      canvas_.line(at, at + 16 * along / to_paper_.scale(), stroke);
  }
}

// Where things that move were; a dot at each whole second, or at rounder times of a long run.
template <int D>
void Painter<D>::paint_trails(std::uint64_t last) {
  double beat = 1;
  while (trace_.time() > 15 * beat) beat *= 2;
  const double rate = trace_.rate();
  for (std::uint32_t i = 0; i < trace_.objects().size(); ++i) {
    const TraceObject<D>& o = trace_.objects()[i];
    if (o.body == BodyKind::fixed || trace_.samples(i).size() < 2) continue;
    const Colour colour = colour_of(o.tags).faded(0.6);
    Points trail;
    const auto draw = [&] {
      if (trail.size() > 1) canvas_.polyline(trail, {colour, 1.2});
      trail.clear();
    };
    for (const typename Trace<D>::Sample& sample : trace_.samples(i)) {
      if (sample.step > last) break;
      if (!sample.shown) {
        draw();
        continue;
      }
      const Vec<2> p = to_paper_(sample.pose.position);
      if (trail.empty() || (p - trail.back()).norm() > 0.7) trail.push_back(p);
    }
    draw();
    Vec<2> dotted = Vec<2>::Constant(-1e9);
    for (double t = beat; t * rate <= static_cast<double>(last); t += beat) {
      const auto pose = trace_.pose_at(i, static_cast<std::uint64_t>(std::llround(t * rate)));
      if (!pose) continue;
      const Vec<2> p = to_paper_(pose->position);
      if ((p - dotted).norm() > 4) canvas_.circle(p, 2, &colour, nullptr);
      dotted = p;
    }
  }
}

template <int D>
void Painter<D>::paint_overlay(const Overlay<D>& overlay) {
  const Colour way{0.80, 0.10, 0.10};
  const Colour reached = way.faded(0.3);
  for (const Vec<D>& dot : overlay.dots) canvas_.circle(to_paper_(dot), 1.6, &reached, nullptr);
  for (const std::vector<Vec<D>>& points : overlay.ways) {
    Points line;
    for (const Vec<D>& p : points) line.push_back(to_paper_(p));
    canvas_.polyline(line, {kPaper, 6});
    canvas_.polyline(line, {way, 2.6});
    if (line.size() < 2) continue;
    const Vec<2> tip = line.back();
    const Vec<2> back = (line[line.size() - 2] - tip).normalized() * 13;
    const Vec<2> side(-back.y() * 0.4, back.x() * 0.4);
    canvas_.polygon(Points{tip, tip + back + side, tip + back - side}, &way, nullptr);
  }
  const Colour white{1, 1, 1, 0.9};
  const Stroke rim{way, 1.2};
  for (const auto& [place, text] : overlay.notes) {
    if (text.empty()) continue;
    const Vec<2> at = to_paper_(place) + Vec<2>(0, -22);
    const double half = canvas_.text_width(text, 12, true) / 2 + 6;
    canvas_.polygon(Points{at + Vec<2>(-half, -10), at + Vec<2>(half, -10), at + Vec<2>(half, 9),
                           at + Vec<2>(-half, 9)},
                    &white, &rim);
    canvas_.text(at + Vec<2>(0, 4), text, 12, way, true, true);
  }
}

template void Painter<2>::place_marks(std::uint64_t);
template void Painter<3>::place_marks(std::uint64_t);
template void Painter<2>::paint_marks();
template void Painter<3>::paint_marks();
template void Painter<2>::paint_touches(std::uint64_t);
template void Painter<3>::paint_touches(std::uint64_t);
template void Painter<2>::paint_trails(std::uint64_t);
template void Painter<3>::paint_trails(std::uint64_t);
template void Painter<2>::paint_overlay(const Overlay<2>&);
template void Painter<3>::paint_overlay(const Overlay<3>&);

}  // namespace colvik::picture
