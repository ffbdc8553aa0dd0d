#include <colvik/picture.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "picture/extent.h"
#include "picture/panel.h"
#include "picture/sheet.h"

namespace colvik {
namespace picture {

namespace {

constexpr double kEdge = 10;
constexpr double kTop = 44;  // height of the title line

// Drawing and panel: beside each other or one above the other, whichever makes the drawing larger.
struct Layout {
  Frame drawing;
  Frame panel;
};
template <int D>
Layout laid_out(const Bounds<D>& view, const Vec<D>& gravity, const PictureOptions& o) {
  const double w = o.width - 2 * kEdge;
  const double h = o.height - kTop - kEdge;
  constexpr double kBeside = 300;
  const double below = std::clamp(0.27 * o.height, 130.0, 260.0);
  const Frame beside{{kEdge, kTop}, {w - kBeside - kEdge, h}};
  const Frame above{{kEdge, kTop}, {w, h - below - kEdge}};
  const auto scale = [&](const Frame& f) {
    return Projection<D>(view, gravity, o.eye, f.corner, f.size).scale();
  };
  const double right = o.width - kBeside - kEdge;
  if (o.four || scale(beside) >= scale(above)) return {beside, {{right + 6, kTop}, {kBeside, h}}};
  return {above, {{kEdge + 4, o.height - below - kEdge}, {w, below}}};
}

template <int D>
Bounds<D> in_view(const Trace<D>& trace, const Bounds<D>* view, const PictureOptions& o,
                  std::uint64_t last) {
  Bounds<D> box = view != nullptr ? *view : everything(trace);
  if (o.follow.empty()) return box;
  const std::uint32_t object = trace.find(o.follow);
  Vec<D> middle = trace.objects()[object].first_pose.position;
  for (const auto& s : trace.samples(object))
    if (s.step <= last) middle = s.pose.position;
  if (view == nullptr) {  // as much as makes it a tenth of the picture
    const TraceObject<D>& followed = trace.objects()[object];
    double size = 0.5 * trace.metre();
    for (const ColliderDef<D>& c : followed.colliders)
      if (c.shape.kind != ShapeKind::half_space)
        size = std::max(size, bounds(c.shape, Pose<D>{c.at, c.turned}).size().maxCoeff());
    return Bounds<D>{middle, middle}.grown(5 * size);
  }
  const Vec<D> half = box.size() / 2;
  return {middle - half, middle + half};
}

}  // namespace

template <int D>
Result<void> check_options(const Trace<D>& trace, const PictureOptions& o) {
  if (!(std::abs(o.eye.above) <= 90) || !std::isfinite(o.eye.round))
    return Error{"picture", fmt::format("an eye at {:g} degrees above the horizon", o.eye.above),
                 "-90 to 90"};
  if (o.four && D == 2) return Error{"picture", "four views of a scene in 2D", "3D"};
  if (!o.follow.empty() && trace.find(o.follow) == kNobody) {
    std::vector<std::string> names;
    for (const TraceObject<D>& known : trace.objects()) names.push_back(known.name);
    return Error{"picture", fmt::format("no object is named '{}'", o.follow),
                 suggestion(o.follow, names, "the name of an object of the run")};
  }
  return {};
}

template <int D>
void paint_sheet(Canvas& canvas, const Trace<D>& trace, const Bounds<D>* view,
                 const PictureOptions& o, std::uint64_t last, const Overlay<D>* overlay) {
  canvas.background(kPaper);
  const Bounds<D> box = in_view(trace, view, o, last);
  const Layout sheet = laid_out(box, trace.gravity(), o);
  double scale = 1;
  const auto paint = [&](const Frame& frame, const Eye& eye) {
    Painter<D> painter(canvas, trace, box, o, frame, eye);
    painter.paint(last, overlay);
    scale = painter.scale();
  };
  if (o.four) {
    const Vec<2> half = (sheet.drawing.size - Vec<2>(8, 8)) / 2;
    const std::array<std::pair<const char*, Eye>, 4> views{
        {{"top", {0, 90}}, {"front", {0, 0}}, {"side", {90, 0}}, {"eye", o.eye}}};
    for (std::size_t k = 0; k < 4; ++k) {
      const Vec<2> corner =
          sheet.drawing.corner + Vec<2>(k % 2 == 1 ? half.x() + 8 : 0, k > 1 ? half.y() + 8 : 0);
      paint({corner, half}, views[k].second);
      const std::vector<Vec<2>> rim{corner, corner + Vec<2>(half.x(), 0), corner + half,
                                    corner + Vec<2>(0, half.y())};
      const Stroke line{kQuiet.faded(0.5), 1};
      canvas.polygon(rim, nullptr, &line);
      canvas.text(corner + Vec<2>(7, 15), views[k].first, 12, kQuiet, true);
    }
  } else {
    paint(sheet.drawing, o.eye);
  }
  if (trace.objects().empty())
    canvas.text(sheet.drawing.corner + sheet.drawing.size / 2, "nothing is here", 14, kQuiet, false,
                true);
  paint_title(canvas, trace, o, last, scale);
  const Vec<2>& p = sheet.panel.corner;
  const bool below = p.x() < o.width / 2.0;
  canvas.line(below ? Vec<2>(kEdge, p.y() - 8) : Vec<2>(p.x() - 10, kTop),
              below ? Vec<2>(o.width - kEdge, p.y() - 8) : Vec<2>(p.x() - 10, o.height - 12.0),
              {kQuiet.faded(0.4), 1});
  paint_panel(canvas, trace, last, p, sheet.panel.size);
}
template Result<void> check_options(const Trace<2>&, const PictureOptions&);
template Result<void> check_options(const Trace<3>&, const PictureOptions&);
template void paint_sheet(Canvas&, const Trace<2>&, const Bounds<2>*, const PictureOptions&,
                          std::uint64_t, const Overlay<2>*);
template void paint_sheet(Canvas&, const Trace<3>&, const Bounds<3>*, const PictureOptions&,
                          std::uint64_t, const Overlay<3>*);

}  // namespace picture

template <int D>
Result<void> draw_picture(const Trace<D>& trace, const Bounds<D>* view, const std::string& path,
                          const PictureOptions& options, const Overlay<D>* overlay) {
  if (Result<void> good = picture::check_options(trace, options); !good) return good;
  auto canvas = picture::Canvas::create(path, options.width, options.height);
  if (!canvas) return canvas.error();
  std::unique_ptr<picture::Canvas> paper = std::move(canvas).value();
  const double shown = std::max(0.0, options.at.value_or(trace.time()) * trace.rate());
  const auto last =
      std::min(trace.steps(), static_cast<std::uint64_t>(std::llround(std::min(shown, 1e18))));
  picture::paint_sheet(*paper, trace, view, options, last, overlay);
  return paper->finish();
}

template Result<void> draw_picture(const Trace<2>&, const Bounds<2>*, const std::string&,
                                   const PictureOptions&, const Overlay<2>*);
template Result<void> draw_picture(const Trace<3>&, const Bounds<3>*, const std::string&,
                                   const PictureOptions&, const Overlay<3>*);

}  // namespace colvik
