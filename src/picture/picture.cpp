#include <colvik/lines.hpp>
#include <colvik/picture.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "picture/canvas.h"
#include "picture/extent.h"
#include "picture/hull.h"
#include "picture/projection.h"

namespace colvik {
namespace picture {
namespace {

constexpr double kPanel = 330;  // width of the list beside the drawing
constexpr double kTop = 44;     // height of the title line
const Colour kPaper{0.985, 0.98, 0.965};
const Colour kInk{0.13, 0.14, 0.17};
const Colour kQuiet{0.45, 0.46, 0.5};
const Colour kUntagged{0.42, 0.44, 0.48};
const Colour kTagColours[] = {{0.10, 0.42, 0.62}, {0.80, 0.40, 0.05}, {0.17, 0.50, 0.22},
                              {0.72, 0.13, 0.22}, {0.42, 0.27, 0.62}, {0.45, 0.36, 0.22},
                              {0.05, 0.52, 0.52}, {0.70, 0.20, 0.52}, {0.48, 0.50, 0.05},
                              {0.30, 0.33, 0.40}};

template <int D>
class Painter {
 public:
  Painter(Canvas& canvas, const Trace<D>& trace, const Bounds<D>& view,
          const PictureOptions& options)
      : canvas_(canvas),
        trace_(trace),
        options_(options),
        view_(view),
        to_paper_(view, trace.gravity(), {10, kTop},
                  {options.width - kPanel - 20, options.height - kTop - 10}) {}

  void paint(const Overlay<D>* overlay) {
    const double shown = options_.at.value_or(trace_.time());
    const auto last =
        std::min(trace_.steps(),
                 static_cast<std::uint64_t>(std::llround(std::max(shown, 0.0) * trace_.rate())));
    canvas_.background(kPaper);
    canvas_.clip_to({10, kTop}, {options_.width - kPanel - 20, options_.height - kTop - 10});
    place_marks(last);
    if (options_.strobe > 1) {
      for (int k = 0; k < options_.strobe; ++k)
        paint_moment(trace_.steps() * static_cast<std::uint64_t>(k) /
                         static_cast<std::uint64_t>(options_.strobe - 1),
                     k + 1 == options_.strobe ? 1 : 0.35 + 0.3 * k / options_.strobe, k == 0,
                     k + 1 == options_.strobe);
    } else {
      paint_gone(last);
      paint_moment(last, 1, true, true);
    }
    paint_trails(last);
    if (overlay != nullptr) paint_overlay(*overlay);
    paint_marks();
    canvas_.unclip();
    paint_title(last);
    paint_panel(last);
  }

 private:
  using Points = std::vector<Vec<2>>;

  [[nodiscard]] Colour colour_of(const TagSet& tags) const {
    const std::vector<Tag> list = tags.list();
    return list.empty() ? kUntagged : kTagColours[list.front().index % std::size(kTagColours)];
  }
  // A collider's own tag distinguishes it from the rest of its object.
  [[nodiscard]] Colour colour_of(const TraceObject<D>& o, std::size_t collider) const {
    TagSet own = o.parties[collider].tags;
    for (const Tag tag : o.tags.list()) own.erase(tag);
    return colour_of(own.empty() ? o.tags : own);
  }
  [[nodiscard]] static bool all_zones(const TraceObject<D>& o) {
    return std::all_of(o.colliders.begin(), o.colliders.end(),
                       [](const ColliderDef<D>& c) { return c.zone; });
  }

  struct Shown {
    std::uint32_t index;
    int layer;
    double depth;
    Bounds<D> around;
  };

  // Depths of centres mislead where a floor lies under everything: what a plane across some axis
  // parts is put in that order. Each is placed once all that lies behind it is.
  void far_to_near(std::vector<Shown>& shown) const {
    if (shown.size() > 1000) return;  // the sort by centres must do
    const auto behind = [&](const Shown& a, const Shown& b) {
      for (int i = 0; i < D; ++i) {
        const bool up = to_paper_.faces_us(Vec<D>::Unit(i));
        if (up ? a.around.hi[i] <= b.around.lo[i] + 1e-3 : a.around.lo[i] >= b.around.hi[i] - 1e-3)
          return true;
      }
      return false;
    };
    std::vector<Shown> out;
    std::vector<bool> placed(shown.size());
    while (out.size() < shown.size()) {
      std::size_t next = shown.size();
      for (std::size_t i = 0; i < shown.size() && next == shown.size(); ++i) {
        bool free = !placed[i];
        for (std::size_t k = 0; free && k < shown.size(); ++k)
          free =
              placed[k] || k == i || !(behind(shown[k], shown[i]) && !behind(shown[i], shown[k]));
        if (free) next = i;
      }
      for (std::size_t i = 0; next == shown.size();
           ++i)  // a ring of three or more: break it anywhere
        if (!placed[i]) next = i;
      placed[next] = true;
      out.push_back(shown[next]);
    }
    shown = std::move(out);
  }

  // Everything there at a step: zones beneath, then what never moves, then the rest; each from far
  // to near.
  void paint_moment(std::uint64_t step, double strength, bool with_still, bool with_names) {
    std::vector<Shown> order;
    for (std::uint32_t i = 0; i < trace_.objects().size(); ++i) {
      const TraceObject<D>& o = trace_.objects()[i];
      const auto pose = trace_.pose_at(i, step);
      if (!pose || (!with_still && o.body == BodyKind::fixed)) continue;
      Bounds<D> around = Bounds<D>{}.merged(pose->position);
      for (const ColliderDef<D>& c : o.colliders)
        around = around.merged(bounds(c.shape, *pose * Pose<D>{c.at, c.turned}));
      const int layer = D == 3                                 ? 0
                        : all_zones(o) && !o.colliders.empty() ? 0
                        : o.body == BodyKind::fixed            ? 1
                                                               : 2;
      order.push_back({i, layer, to_paper_.depth(around.centre()), around});
    }
    std::sort(order.begin(), order.end(), [](const Shown& a, const Shown& b) {
      return std::tie(a.layer, a.depth, a.index) < std::tie(b.layer, b.depth, b.index);
    });
    if (D == 3) far_to_near(order);
    for (const Shown& s : order) {
      const TraceObject<D>& o = trace_.objects()[s.index];
      paint_object(o, *trace_.pose_at(s.index, step), o.body == BodyKind::fixed ? 1 : strength);
    }
    if (!with_names) return;
    for (const Shown& s : order)
      paint_name(trace_.objects()[s.index], *trace_.pose_at(s.index, step));
  }

  void paint_gone(std::uint64_t step) {
    for (std::uint32_t i = 0; i < trace_.objects().size(); ++i) {
      const TraceObject<D>& o = trace_.objects()[i];
      if (o.gone > step || o.gone == 0) continue;
      if (const auto pose = trace_.pose_at(i, o.gone - 1)) {
        for (const ColliderDef<D>& c : o.colliders) {
          const Stroke stroke{colour_of(o.tags).faded(0.45), 1, true};
          paint_lines(c, *pose, stroke);
        }
      }
    }
  }

  [[nodiscard]] Points on_paper(const std::vector<Vec<2>>& points, const Pose<2>& at) const {
    Points out;
    for (const Vec<2>& p : points) out.push_back(to_paper_(at * p));
    return out;
  }
  // Convex loops that cover a collider on paper. In 3D what it hides; of meshes nothing, they show
  // as lines.
  [[nodiscard]] std::vector<Points> silhouettes(const ColliderDef<D>& c,
                                                const Pose<D>& pose) const {
    const Pose<D> at = pose * Pose<D>{c.at, c.turned};
    std::vector<Points> all;
    if constexpr (D == 2) {
      for (const std::vector<Vec<2>>& loop : fills(c.shape)) all.push_back(on_paper(loop, at));
    } else if (is_convex(c.shape)) {
      all.push_back(silhouette(c.shape, at));
    } else {
      for (const Placed<3>& child : convex_children(c.shape))
        all.push_back(silhouette(child.shape, at * Pose<3>{child.at, child.turned}));
    }
    return all;
  }
  [[nodiscard]] Points silhouette(const Shape<3>& shape, const Pose<3>& at) const {
    Points points;
    if (shape.kind != ShapeKind::ball && shape.kind != ShapeKind::capsule) {
      for (const Edge3& e : edges(shape)) {
        points.push_back(to_paper_(at * e.from));
        points.push_back(to_paper_(at * e.to));
      }
    } else {  // seen from anywhere, a rounded core shows discs round its ends
      for (const double sign : {-1.0, 1.0})
        for (int k = 0; k < 48; ++k) {
          double s = 0;
          double co = 1;
          sine_cosine(2 * kPi * k / 48, s, co);
          points.push_back(to_paper_(at * Vec<3>(shape.core * sign)) +
                           to_paper_.scale() * shape.radius * Vec<2>(co, s));
        }
    }
    return hull(points);
  }
  void paint_lines(const ColliderDef<D>& c, const Pose<D>& pose, const Stroke& stroke) {
    if constexpr (D == 2) {
      constexpr double kMark = 5;  // pixels to the open side of one-way surfaces
      std::vector<Line<2>> lines;
      collider_lines(c, pose, kMark / to_paper_.scale(), ObjectId{}, lines);
      for (const Line<2>& l : lines) canvas_.line(to_paper_(l.from), to_paper_(l.to), stroke);
    } else if (is_convex(c.shape)) {
      canvas_.polygon(silhouettes(c, pose)[0], nullptr, &stroke);
    }
  }

  void paint_object(const TraceObject<D>& o, const Pose<D>& pose, double strength) {
    const Colour colour = colour_of(o.tags);
    for (const Drawing<D>& drawing : o.drawings) paint_drawing(o, drawing, pose, strength);
    for (std::size_t i = 0; i < o.colliders.size(); ++i) {
      const ColliderDef<D>& c = o.colliders[i];
      const std::vector<Points> loops = silhouettes(c, pose);
      const Colour own = colour_of(o, i);
      const Stroke stroke{own.faded(strength * (c.on ? 1 : 0.4)),
                          o.body == BodyKind::fixed ? 1.2 : 1.8, c.zone || !c.on};
      // A zone over most of the picture is hatched thinly, so that the rest stays legible.
      Bounds<2> box;
      for (const Points& loop : loops)
        for (const Vec<2>& p : loop) box = box.merged(p);
      const bool vast = box.size().prod() > 0.25 * options_.width * options_.height;
      // What lies behind shows through, lighter.
      const Colour paper = kPaper.faded(0.72 * strength);
      const Colour fill = own.faded((o.body == BodyKind::fixed ? 0.12 : 0.22) * strength);
      for (const Points& loop : loops) {
        if (c.zone) canvas_.hatch(loop, own.faded((vast ? 0.14 : 0.4) * strength), vast ? 18 : 8);
        else if (D == 3) canvas_.polygon(loop, &paper, nullptr);
        if (!c.zone) canvas_.polygon(loop, &fill, nullptr);
      }
      paint_lines(c, pose, stroke);
      if constexpr (D == 3) paint_edges(c, pose, own.faded(strength), c.zone);
    }
    if (o.colliders.empty()) {
      const Colour dot = colour.faded(strength);
      canvas_.circle(to_paper_(pose.position), 3, &dot, nullptr);
    }
  }

  // Edges whose faces both turn away are hidden: lighter.
  void paint_edges(const ColliderDef<3>& c, const Pose<3>& pose, const Colour& colour,
                   bool dashed) {
    const Pose<3> at = pose * Pose<3>{c.at, c.turned};
    for (const Edge3& e : edges(c.shape)) {
      const bool seen =
          to_paper_.faces_us(at.rotation * e.side_a) || to_paper_.faces_us(at.rotation * e.side_b);
      canvas_.line(to_paper_(at * e.from), to_paper_(at * e.to),
                   {colour.faded(seen ? 0.85 : 0.22), seen ? 1.2 : 1.0, dashed});
    }
  }

  void paint_drawing(const TraceObject<D>& o, const Drawing<D>& drawing, const Pose<D>& pose,
                     double strength) {
    if (drawing.size.isZero()) return;
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
      if (shown) return;
      const Colour fill = kInk.faded(0.07 * strength);
      canvas_.polygon(corners, &fill, nullptr);
    } else {
      const Vec<3>& size = drawing.size;
      const Points around =
          silhouette(box(size.x(), size.y(), size.z()), pose * Pose<3>{drawing.at, {}});
      const Colour fill = kInk.faded(0.06 * strength);
      canvas_.polygon(around, &fill, nullptr);
    }
  }

  // Names of single objects (copies are many), where there is room for them.
  void paint_name(const TraceObject<D>& o, const Pose<D>& pose) {
    if (o.name.find('.') != std::string::npos || !view_.contains(pose.position)) return;
    Bounds<D> around;
    for (const ColliderDef<D>& c : o.colliders)
      around = around.merged(bounds(c.shape, pose * Pose<D>{c.at, c.turned}));
    if (o.colliders.empty()) around = around.merged(pose.position);
    const double width = canvas_.text_width(o.name, 11);
    const Vec<2> centre = to_paper_(around.centre());
    double high = centre.y();
    double low = centre.y();
    for (const ColliderDef<D>& c : o.colliders)
      for (const Points& loop : silhouettes(c, pose))
        for (const Vec<2>& p : loop) {
          high = std::min(high, p.y());
          low = std::max(low, p.y());
        }
    for (const Vec<2>& at : {Vec<2>(centre.x(), high - 5), Vec<2>(centre.x(), low + 13),
                             Vec<2>(centre.x(), centre.y() + 4), Vec<2>(centre.x(), high - 18),
                             Vec<2>(centre.x(), low + 26)}) {
      const Bounds<2> box{{at.x() - width / 2 - 2, at.y() - 10},
                          {at.x() + width / 2 + 2, at.y() + 3}};
      const Bounds<2> frame{{10, kTop}, {options_.width - kPanel - 10, options_.height - 10.0}};
      if (!frame.contains(box) || std::any_of(taken_.begin(), taken_.end(),
                                              [&](const Bounds<2>& t) { return t.overlaps(box); }))
        continue;
      taken_.push_back(box);
      canvas_.text(at, o.name, 11, kInk.faded(0.9), false, true);
      return;
    }
  }

  void paint_trails(std::uint64_t last) {
    for (std::uint32_t i = 0; i < trace_.objects().size(); ++i) {
      const TraceObject<D>& o = trace_.objects()[i];
      if (o.body == BodyKind::fixed) continue;
      const Stroke stroke{colour_of(o.tags).faded(0.55), 1.3, false};
      Points trail;
      const auto draw = [&] {
        if (trail.size() > 1) canvas_.polyline(trail, stroke);
        trail.clear();
      };
      for (std::uint64_t step = o.born; step <= last && step < o.gone; ++step) {
        const auto pose = trace_.pose_at(i, step);
        if (!pose) draw();
        else if (const Vec<2> p = to_paper_(pose->position);
                 trail.empty() || (p - trail.back()).norm() > 0.7)
          trail.push_back(p);
      }
      draw();
    }
  }

  // A mark stands above its place, and above other marks there; names keep clear of all.
  void place_marks(std::uint64_t last) {
    for (std::size_t k = 0; k < trace_.firings().size(); ++k) {
      const TraceFiring<D>& f = trace_.firings()[k];
      if (f.step > last || !f.place) continue;
      const Vec<2> foot = to_paper_(*f.place);
      Vec<2> at = foot + Vec<2>(0, -16);
      while (std::any_of(marks_.begin(), marks_.end(),
                         [&](const Mark& m) { return (m.at - at).norm() < 17; }))
        at.y() -= 18;
      marks_.push_back({k + 1, foot, at});
      taken_.push_back(Bounds<2>{at, at}.grown(9));
    }
  }

  void paint_marks() {
    const Stroke rim{kInk, 1.2, false};
    const Colour white{1, 1, 1, 0.95};
    for (const Mark& m : marks_) {
      canvas_.line(m.foot, m.at, {kInk.faded(0.6), 1, false});
      canvas_.circle(m.at, 8.5, &white, &rim);
      canvas_.text(m.at + Vec<2>(0, 3.6), std::to_string(m.number), m.number < 100 ? 10 : 8, kInk,
                   true, true);
    }
  }

  void paint_overlay(const Overlay<D>& overlay) {
    const Colour way{0.80, 0.10, 0.10};
    const Colour reached = way.faded(0.3);
    for (const Vec<D>& dot : overlay.dots) canvas_.circle(to_paper_(dot), 1.6, &reached, nullptr);
    for (const std::vector<Vec<D>>& points : overlay.ways) {
      Points line;
      for (const Vec<D>& p : points) line.push_back(to_paper_(p));
      canvas_.polyline(line, {kPaper, 6, false});
      canvas_.polyline(line, {way, 2.6, false});
      if (line.size() < 2) continue;
      const Vec<2> tip = line.back();
      const Vec<2> back = (line[line.size() - 2] - tip).normalized() * 13;
      const Vec<2> side(-back.y() * 0.4, back.x() * 0.4);
      canvas_.polygon(Points{tip, tip + back + side, tip + back - side}, &way, nullptr);
    }
    const Colour white{1, 1, 1, 0.9};
    const Stroke rim{way, 1.2, false};
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

  void paint_title(std::uint64_t last) {
    canvas_.text({14, 27}, options_.title, 16, kInk, true);
    const std::string when =
        options_.strobe > 1
            ? fmt::format("{} moments from 0 to {:.2f} s", options_.strobe, trace_.time())
            : fmt::format("at {:.2f} s of {:.2f} s", static_cast<double>(last) / trace_.rate(),
                          trace_.time());
    canvas_.text({14 + canvas_.text_width(options_.title, 16, true) + 16, 27}, when, 12.5, kQuiet);
    // A scale bar: the longest round length that fits.
    double length = std::pow(10, std::floor(std::log10(140 / to_paper_.scale())));
    length *= length * 5 * to_paper_.scale() <= 140   ? 5
              : length * 2 * to_paper_.scale() <= 140 ? 2
                                                      : 1;
    const double px = length * to_paper_.scale();
    const double right = options_.width - kPanel - 24;
    canvas_.line({right - px, 30}, {right, 30}, {kInk, 2, false});
    canvas_.text({right - px / 2, 24},
                 fmt::format("{:g}{}", length, trace_.metre() == 1 ? " m" : ""), 11, kQuiet, false,
                 true);
  }

  void paint_panel(std::uint64_t last) {
    const double x = options_.width - kPanel + 6;
    double y = kTop;
    canvas_.line({x - 10, kTop}, {x - 10, options_.height - 12.0}, {kQuiet.faded(0.4), 1, false});
    canvas_.text({x, y + 4}, "Tags", 13, kInk, true);
    y += 24;
    TagSet present;
    bool untagged = false;
    for (const TraceObject<D>& o : trace_.objects()) {
      present = present.merged(o.tags);
      untagged = untagged || o.tags.empty();
      for (const Party& p : o.parties) present = present.merged(p.tags);
    }
    const auto swatch = [&](const Colour& c, const std::string& name, bool zone) {
      const Points box{{x, y - 9}, {x + 20, y - 9}, {x + 20, y + 2}, {x, y + 2}};
      const Colour fill = c.faded(0.25);
      const Stroke stroke{c, 1.5, zone};
      if (zone) canvas_.hatch(box, c.faded(0.5), 6);
      canvas_.polygon(box, zone ? nullptr : &fill, &stroke);
      canvas_.text({x + 28, y}, name, 12, kInk);
      y += 18;
    };
    for (const Tag tag : present.list())
      swatch(kTagColours[tag.index % std::size(kTagColours)], trace_.tags().name(tag), false);
    if (untagged) swatch(kUntagged, "no tag", false);
    swatch(kQuiet, "hatched: a zone", true);
    y += 14;
    canvas_.text({x, y}, "Reactions", 13, kInk, true);
    y += 20;
    std::size_t listed = 0;
    std::size_t all = 0;
    for (const TraceFiring<D>& f : trace_.firings()) all += f.step <= last ? 1 : 0;
    for (std::size_t k = 0; k < all; ++k) {
      if (y > options_.height - 30 && k + 1 < all) {
        canvas_.text({x, y}, fmt::format("... and {} more", all - listed), 11.5, kQuiet);
        return;
      }
      const TraceFiring<D>& f = trace_.firings()[k];
      std::string line = fmt::format("{:.2f} s  {}", f.time, trace_.reactions()[f.reaction].name);
      if (f.self != kNobody) line += ": " + trace_.objects()[f.self].name;
      if (f.other != kNobody) line += ", " + trace_.objects()[f.other].name;
      while (canvas_.text_width(line, 11.5) > kPanel - 46)
        line = line.substr(0, line.size() - 4) + "...";
      canvas_.text({x, y}, std::to_string(k + 1), 11, kInk, true);
      canvas_.text({x + 24, y}, line, 11.5, kInk);
      y += 16.5;
      ++listed;
    }
    if (all == 0) canvas_.text({x, y}, "none so far", 11.5, kQuiet);
  }

  Canvas& canvas_;
  const Trace<D>& trace_;
  const PictureOptions& options_;
  Bounds<D> view_;
  Projection<D> to_paper_;
  struct Mark {
    std::size_t number;
    Vec<2> foot;
    Vec<2> at;
  };
  std::vector<Mark> marks_;
  std::vector<Bounds<2>> taken_;  // by marks and names
};

}  // namespace
}  // namespace picture

template <int D>
Result<void> draw_picture(const Trace<D>& trace, const Bounds<D>* view, const std::string& path,
                          const PictureOptions& options, const Overlay<D>* overlay) {
  auto canvas = picture::Canvas::create(path, options.width, options.height);
  if (!canvas) return canvas.error();
  std::unique_ptr<picture::Canvas> paper = std::move(canvas).value();
  picture::Painter<D>(*paper, trace, view != nullptr ? *view : picture::everything(trace), options)
      .paint(overlay);
  return paper->finish();
}

template Result<void> draw_picture(const Trace<2>&, const Bounds<2>*, const std::string&,
                                   const PictureOptions&, const Overlay<2>*);
template Result<void> draw_picture(const Trace<3>&, const Bounds<3>*, const std::string&,
                                   const PictureOptions&, const Overlay<3>*);

}  // namespace colvik
