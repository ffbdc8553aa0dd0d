#include "picture/painter.h"

#include <colvik/lines.hpp>

#include <algorithm>

namespace colvik::picture {

template <int D>
Painter<D>::Painter(Canvas& canvas, const Trace<D>& trace, const Bounds<D>& view,
                    const PictureOptions& options, const Frame& frame, const Eye& eye)
    : canvas_(canvas),
      trace_(trace),
      options_(options),
      view_(view),
      frame_(frame),
      to_paper_(view, trace.gravity(), eye, frame.corner, frame.size) {}

template <int D>
void Painter<D>::paint(std::uint64_t last, const Overlay<D>* overlay) {
  canvas_.clip_to(frame_.corner, frame_.size);
  place_marks(last);
  if constexpr (D == 3) {
    paint_solid(last);
  } else if (options_.strobe > 1) {
    for (int k = 0; k < options_.strobe; ++k)
      paint_moment(trace_.steps() * static_cast<std::uint64_t>(k) /
                       static_cast<std::uint64_t>(options_.strobe - 1),
                   k + 1 == options_.strobe ? 1 : 0.35 + 0.3 * k / options_.strobe, k == 0);
  } else {
    paint_gone(last);
    paint_moment(last, 1, true);
  }
  paint_trails(last);
  paint_touches(last);
  paint_names(last);
  if (overlay != nullptr) paint_overlay(*overlay);
  paint_marks();
  paint_titles(last);
  canvas_.unclip();
}

// Zones beneath, then what never moves, then the rest; each from far to near.
template <int D>
auto Painter<D>::shown_at(std::uint64_t step, bool with_still) const -> std::vector<Shown> {
  std::vector<Shown> order;
  for (std::uint32_t i = 0; i < trace_.objects().size(); ++i) {
    const TraceObject<D>& o = trace_.objects()[i];
    const auto pose = trace_.pose_at(i, step);
    if (!pose || (!with_still && o.body == BodyKind::fixed)) continue;
    const bool zones =
        !o.colliders.empty() && std::all_of(o.colliders.begin(), o.colliders.end(),
                                            [](const ColliderDef<D>& c) { return c.zone; });
    order.push_back({i,
                     zones                       ? 0
                     : o.body == BodyKind::fixed ? 1
                                                 : 2,
                     to_paper_.depth(pose->position)});
  }
  std::sort(order.begin(), order.end(), [](const Shown& a, const Shown& b) {
    return std::tie(a.layer, a.depth, a.index) < std::tie(b.layer, b.depth, b.index);
  });
  return order;
}

template <int D>
void Painter<D>::paint_moment(std::uint64_t step, double strength, bool with_still) {
  for (const Shown& s : shown_at(step, with_still))
    paint_object(s.index, step, trace_.objects()[s.index].body == BodyKind::fixed ? 1 : strength);
}

template <int D>
void Painter<D>::paint_gone(std::uint64_t step) {
  for (std::uint32_t i = 0; i < trace_.objects().size(); ++i) {
    const TraceObject<D>& o = trace_.objects()[i];
    if (o.gone > step || o.gone == 0) continue;
    if (const auto pose = trace_.pose_at(i, o.gone - 1))
      for (std::size_t k = 0; k < o.colliders.size(); ++k)
        if (const ColliderDef<D> c = trace_.collider_at(i, k, o.gone - 1); c.on)
          paint_outline(c, *pose, {colour_of(o.tags).faded(0.45), 1, Dash::dashed});
  }
}

template <int D>
void Painter<D>::paint_outline(const ColliderDef<D>& c, const Pose<D>& pose, const Stroke& stroke) {
  if constexpr (D == 2) {
    constexpr double kMark = 9;  // pixels to the open side of one-way surfaces
    std::vector<Line<2>> lines;
    collider_lines(c, pose, kMark / to_paper_.scale(), ObjectId{}, lines);
    Points chain;  // so that dashes go on from line to line
    const auto draw = [&] {
      if (chain.size() > 1) canvas_.polyline(chain, stroke);
      chain.clear();
    };
    for (const Line<2>& l : lines) {
      const Vec<2> from = to_paper_(l.from);
      const Vec<2> to = to_paper_(l.to);
      if (l.kind == LineKind::one_way) {
        draw();
        const Vec<2> back = (from - to).normalized() * 4;
        const Vec<2> side(-back.y() * 0.7, back.x() * 0.7);
        canvas_.line(from, to, {stroke.colour, 1.2});
        canvas_.polygon(Points{to, to + back + side, to + back - side}, &stroke.colour, nullptr);
        continue;
      }
      if (chain.empty() || !(chain.back() - from).isZero(1e-9)) {
        draw();
        chain.push_back(from);
      }
      chain.push_back(to);
    }
    draw();
  } else if (is_convex(c.shape)) {
    canvas_.polygon(silhouettes(c, pose)[0], nullptr, &stroke);
  }
}

template <int D>
void Painter<D>::paint_object(std::uint32_t index, std::uint64_t step, double strength) {
  const TraceObject<D>& o = trace_.objects()[index];
  const Pose<D> pose = *trace_.pose_at(index, step);
  for (const Drawing<D>& drawing : o.drawings) paint_drawing(o, drawing, pose, strength);
  for (std::size_t i = 0; i < o.colliders.size(); ++i) {
    const ColliderDef<D> c = trace_.collider_at(index, i, step);
    const Colour own = colour_of(o, i);
    if (!c.on) {
      paint_outline(c, pose, {own.faded(kOff * strength), 1});
      continue;
    }
    const std::vector<Points> loops = silhouettes(c, pose);
    // A zone over most of the picture is hatched thinly, so that the rest stays legible.
    Bounds<2> box;
    for (const Points& loop : loops)
      for (const Vec<2>& p : loop) box = box.merged(p);
    const bool vast = box.size().prod() > 0.25 * frame_.size.prod();
    const Colour fill = own.faded(fill_of(o.body) * strength);
    for (const Points& loop : loops)
      if (c.zone) canvas_.hatch(loop, own.faded((vast ? 0.14 : 0.4) * strength), vast ? 18 : 8);
      else canvas_.polygon(loop, &fill, nullptr);
    paint_outline(c, pose,
                  line_of(o.body, trace_.asleep_at(index, step), c.zone, own.faded(strength)));
  }
  if (o.colliders.empty()) {
    const Colour dot = colour_of(o.tags).faded(strength);
    canvas_.circle(to_paper_(pose.position), 3, &dot, nullptr);
  }
}

template <int D>
void Painter<D>::paint_drawing(const TraceObject<D>& o, const Drawing<D>& drawing,
                               const Pose<D>& pose, double strength) {
  if (drawing.size.isZero()) return;
  const Colour fill = kInk.faded(0.07 * strength);
  if constexpr (D == 2) {
    const Vec<2> h = drawing.size / 2;
    const auto corner = [&](double x, double y) {
      return to_paper_(pose *
                       Vec<2>(drawing.at + Vec<2>((o.mirrored ? -x : x) * h.x(), y * h.y())));
    };
    const Points corners{corner(-1, 1), corner(1, 1), corner(1, -1), corner(-1, -1)};
    const bool shown = !drawing.picture.empty() &&
                       canvas_.image(drawing.picture, corners[0], corners[1] - corners[0],
                                     corners[3] - corners[0], 0.8 * strength);
    if (!shown) canvas_.polygon(corners, &fill, nullptr);
  } else {
    const Vec<3>& size = drawing.size;
    const Points around =
        silhouette(box(size.x(), size.y(), size.z()), pose * Pose<3>{drawing.at, {}});
    canvas_.polygon(around, &fill, nullptr);
  }
}

// In 3D: solids hide what is behind them; zones, drawings and other moments show through.
template <int D>
void Painter<D>::paint_solid(std::uint64_t last) {
  if constexpr (D == 3) {
    Raster raster(frame_.corner, frame_.size, to_paper_);
    const double wide = 0.75 * view_.size().maxCoeff();
    const auto mixed = [&](const Colour& c, double part) {
      return Colour{c.r + (1 - c.r) * part, c.g + (1 - c.g) * part, c.b + (1 - c.b) * part};
    };
    const auto edges_of = [&](const ColliderDef<3>& c, const Pose<3>& at, const Stroke& stroke) {
      for (const Edge3& e : edges(c.shape)) raster.line(at * e.from, at * e.to, stroke);
    };
    // Each collider of what is there, as it was then.
    const auto visit = [&](std::uint64_t step, bool with_still, const auto& act) {
      for (const Shown& s : shown_at(step, with_still)) {
        const Pose<3> pose = *trace_.pose_at(s.index, step);
        for (std::size_t i = 0; i < trace_.objects()[s.index].colliders.size(); ++i) {
          const ColliderDef<3> c = trace_.collider_at(s.index, i, step);
          act(s.index, c, pose * Pose<3>{c.at, c.turned}, colour_of(trace_.objects()[s.index], i));
        }
      }
    };
    const auto paint_one = [&](std::uint32_t index, const ColliderDef<3>& c, const Pose<3>& at,
                               const Colour& own) {
      if (!c.on) return edges_of(c, at, {own.faded(kOff), 1});
      const BodyKind body = trace_.objects()[index].body;
      const double pale = c.shape.kind == ShapeKind::half_space ? 0.9
                          : body == BodyKind::fixed             ? 0.74
                                                                : 0.22;
      const Colour fill = c.zone ? own.faded(0.10) : mixed(own, pale);
      for (const Facet& f :
           facets(c.shape, wide, at.rotation.inverse() * Vec<3>(view_.centre() - at.position)))
        raster.fill(f, at, fill);
      if (c.shape.kind == ShapeKind::half_space) return;  // its lines would be of no place
      edges_of(c, at, line_of(body, trace_.asleep_at(index, last), c.zone, own));
    };
    for (const bool through : {false, true})
      visit(
          last, true,
          [&](std::uint32_t index, const ColliderDef<3>& c, const Pose<3>& at, const Colour& own) {
            if ((c.zone || !c.on) == through) paint_one(index, c, at, own);
          });
    for (int k = 0; k + 1 < options_.strobe; ++k)
      visit(trace_.steps() * static_cast<std::uint64_t>(k) /
                static_cast<std::uint64_t>(options_.strobe - 1),
            false,
            [&](std::uint32_t, const ColliderDef<3>& c, const Pose<3>& at, const Colour& own) {
              if (c.on) edges_of(c, at, {own, 1, Dash::dotted});
            });
    raster.paint(canvas_);
    for (const Shown& s : shown_at(last, true)) {
      const TraceObject<3>& o = trace_.objects()[s.index];
      const Pose<3> pose = *trace_.pose_at(s.index, last);
      for (const Drawing<3>& drawing : o.drawings) paint_drawing(o, drawing, pose, 1);
      const Colour dot = colour_of(o.tags);
      if (o.colliders.empty()) canvas_.circle(to_paper_(pose.position), 3, &dot, nullptr);
    }
    paint_gone(last);
  }
}

template Painter<2>::Painter(Canvas&, const Trace<2>&, const Bounds<2>&, const PictureOptions&,
                             const Frame&, const Eye&);
template Painter<3>::Painter(Canvas&, const Trace<3>&, const Bounds<3>&, const PictureOptions&,
                             const Frame&, const Eye&);
template void Painter<2>::paint(std::uint64_t, const Overlay<2>*);
template void Painter<3>::paint(std::uint64_t, const Overlay<3>*);

}  // namespace colvik::picture
