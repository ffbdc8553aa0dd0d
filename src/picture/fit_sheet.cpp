// Offers over the art they were fitted to, each in a field of its own.
#include <colvik/fit_picture.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "picture/look.h"
#include "picture/projection.h"
#include "picture/solid.h"

namespace colvik {
namespace picture {
namespace {

constexpr double kFitEdge = 16;
constexpr double kFitHead = 46;
constexpr double kFitLine = 15;
const Colour kFitArt{0.36, 0.38, 0.42};
const Colour kFitted{0.0, 0.447, 0.698};
const Colour kFitBest{0.0, 0.44, 0.3};

struct Field {
  Vec<2> corner;
  Vec<2> size;
};

// Columns and rows for so many fields, each about as wide as high.
std::pair<int, int> grid_for(std::size_t count, const Vec<2>& size) {
  int best = 1;
  double best_side = 0;
  const int n = static_cast<int>(count);
  for (int columns = 1; columns <= n; ++columns) {
    const int rows = (n + columns - 1) / columns;
    const double side = std::min(size.x() / columns, size.y() / rows - 7 * kFitLine);
    if (side <= best_side) continue;
    best_side = side;
    best = columns;
  }
  return {best, (n + best - 1) / best};
}

template <int D>
std::vector<std::string> figures(const Offer<D>& offer, const FitCost* cost) {
  const Fitness<D>& f = offer.fitness;
  std::vector<std::string> lines;
  if (f.has_volume) {
    lines.push_back(
        fmt::format("overlap {:.1f}%  covers {:.1f}%", 100 * f.overlap, 100 * f.covered));
    lines.push_back(fmt::format("spills {:.1f}%  outward {:.3g}", 100 * f.spilled, f.outward));
  } else {
    lines.emplace_back("no volume to compare");
    lines.push_back(fmt::format("outward {:.3g}", f.outward));
  }
  const bool solid = !is_scenery(offer.collider.shape.kind);
  lines.push_back(fmt::format("inward {:.3g}", f.inward) +
                  (solid ? fmt::format("  bump {:.3g}", f.bump) : std::string()));
  lines.push_back(f.mass > 0 ? fmt::format("mass ×{:.2f}  inertia ×{:.2f}", f.mass, f.inertia)
                             : std::string(solid ? "" : "no mass"));
  if (cost != nullptr)
    lines.push_back(fmt::format("contacts ×{:.2g}{}", cost->contacts,
                                cost->time > 0 ? fmt::format("  time ×{:.2g}", cost->time) : ""));
  return lines;
}

void paint_art(Canvas& canvas, const Field& field, const Art<2>& art, const Offer<2>& offer,
               const std::string& drawing) {
  Bounds<2> view = bounds_of(art).merged(
      bounds(offer.collider.shape, Pose<2>{offer.collider.at, offer.collider.turned}));
  view = view.grown(0.02 * view.size().maxCoeff());
  const Projection<2> paper(view, Vec<2>(0, -1), Eye{}, field.corner, field.size);
  canvas.clip_to(field.corner, field.size);
  if (!drawing.empty() && !art.frame.empty()) {
    const Vec<2> top_left = paper(Vec<2>(art.frame.lo.x(), art.frame.hi.y()));
    const Vec<2> top_right = paper(art.frame.hi);
    const Vec<2> bottom_left = paper(art.frame.lo);
    (void)canvas.image(drawing, top_left, top_right - top_left, bottom_left - top_left, 0.55);
  }
  for (const auto& loop : art.loops) {
    std::vector<Vec<2>> points(loop.size());
    std::transform(loop.begin(), loop.end(), points.begin(), paper);
    // Holes show the paper, unless a drawing lies beneath.
    const bool hole = [&] {
      double twice = 0;
      for (std::size_t i = 0; i < loop.size(); ++i) {
        const Vec<2>& a = loop[i];
        const Vec<2>& b = loop[(i + 1) % loop.size()];
        twice += a.x() * b.y() - a.y() * b.x();
      }
      return twice < 0;
    }();
    const Colour fill = hole ? kPaper : kFitArt.faded(0.35);
    const Stroke edge{kFitArt, 0.8};
    canvas.polygon(points, drawing.empty() ? &fill : nullptr, &edge);
  }
  const Pose<2> pose{offer.collider.at, offer.collider.turned};
  const auto on_paper = [&](const std::vector<Vec<2>>& line) {
    std::vector<Vec<2>> points(line.size());
    std::transform(line.begin(), line.end(), points.begin(),
                   [&](const Vec<2>& p) { return paper(pose * p); });
    return points;
  };
  const Colour inside = kFitted.faded(0.22);
  for (const auto& part : fills(offer.collider.shape))
    canvas.polygon(on_paper(part), &inside, nullptr);
  for (const auto& line : outlines(offer.collider.shape))
    canvas.polyline(on_paper(line), {kFitted, 1.8});
  canvas.unclip();
}

void paint_art(Canvas& canvas, const Field& field, const Art<3>& art, const Offer<3>& offer,
               const std::string&) {
  const Pose<3> pose{offer.collider.at, offer.collider.turned};
  Bounds<3> view = bounds_of(art).merged(bounds(offer.collider.shape, pose));
  view = view.grown(0.02 * view.size().maxCoeff());
  const Projection<3> paper(view, Vec<3>(0, -1, 0), Eye{}, field.corner, field.size);
  Raster raster(field.corner, field.size, paper);
  const double wide = view.size().maxCoeff();
  for (const auto& t : art.triangles) {
    const Vec<3>& a = art.points[t[0]];
    const Vec<3>& b = art.points[t[1]];
    const Vec<3>& c = art.points[t[2]];
    const Vec<3> normal = cross(Vec<3>(b - a), Vec<3>(c - a)).normalized();
    raster.fill({{a, b, c}, {normal, normal, normal}}, Pose<3>{}, {0.72, 0.70, 0.66});
  }
  if (offer.collider.shape.kind != ShapeKind::mesh)
    for (const Facet& f : facets(offer.collider.shape, wide, view.centre()))
      raster.fill(f, pose, kFitted.faded(0.28));
  const std::vector<Edge3> lines = edges(offer.collider.shape);
  if (lines.size() < 20000)
    for (const Edge3& e : lines) raster.line(pose * e.from, pose * e.to, {kFitted, 1.2});
  raster.paint(canvas);
}

template <int D>
void paint_offers(Canvas& canvas, const Art<D>& art, const Offers<D>& offers,
                  const FitPicture<D>& o) {
  canvas.background(kPaper);
  canvas.text({kFitEdge, 22}, canvas.fitting(o.title, 17, o.width - 2 * kFitEdge), 17, kInk, true);
  const Vec<D> size = bounds_of(art).size();
  std::string about =
      D == 2 ? fmt::format("art {:.4g} x {:.4g}", size[0], size[1])
             : fmt::format("art {:.4g} x {:.4g} x {:.4g}", size[0], size[1], size[D - 1]);
  about +=
      "; grey: the art, blue: the collider; distances in units, the rest beside the art's or a ";
  about += D == 2 ? "circle's" : "sphere's";
  if (o.best)
    about =
        fmt::format("best: {}, {}", fit_name<D>(offers.offers[o.best->offer].as), o.best->because) +
        "; " + about;
  canvas.text({kFitEdge, 38}, canvas.fitting(about, 11, o.width - 2 * kFitEdge), 11, kQuiet);
  const double below =
      kFitEdge + kFitLine * static_cast<double>(std::min<std::size_t>(offers.refused.size(), 4));
  const Vec<2> space(o.width - 2 * kFitEdge, o.height - kFitHead - below);
  const auto [columns, rows] = grid_for(offers.offers.size(), space);
  for (std::size_t i = 0; i < offers.offers.size(); ++i) {
    const Vec<2> cell(space.x() / columns, space.y() / rows);
    const std::size_t row = i / static_cast<std::size_t>(columns);
    const std::size_t column = i - row * static_cast<std::size_t>(columns);
    const Vec<2> corner(kFitEdge + static_cast<double>(column) * cell.x(),
                        kFitHead + static_cast<double>(row) * cell.y());
    const bool best = o.best && o.best->offer == i;
    canvas.text(corner + Vec<2>(4, 16),
                fmt::format("{}{}", fit_name<D>(offers.offers[i].as), best ? " - best" : ""), 13,
                best ? kFitBest : kInk, true);
    const FitCost* cost = i < o.costs.size() ? &o.costs[i] : nullptr;
    const std::vector<std::string> lines = figures(offers.offers[i], cost);
    const double text = kFitLine * static_cast<double>(lines.size());
    const Field field{corner + Vec<2>(6, 22), Vec<2>(cell.x() - 12, cell.y() - 30 - text)};
    paint_art(canvas, field, art, offers.offers[i], o.drawing);
    for (std::size_t k = 0; k < lines.size(); ++k)
      canvas.text(
          corner + Vec<2>(4, cell.y() - 4 - text + kFitLine * static_cast<double>(k + 1) - 5),
          canvas.fitting(lines[k], 10.5, cell.x() - 8), 10.5, kInk);
  }
  for (std::size_t k = 0; k < std::min<std::size_t>(offers.refused.size(), 4); ++k)
    canvas.text(
        {kFitEdge, o.height - below + 4 + kFitLine * static_cast<double>(k + 1)},
        canvas.fitting(fmt::format("not offered: {}: {}", fit_name<D>(offers.refused[k].first),
                                   offers.refused[k].second.message()),
                       10.5, o.width - 2 * kFitEdge),
        10.5, kQuiet);
}

}  // namespace
}  // namespace picture

template <int D>
Result<void> draw_fit(const Art<D>& art, const Offers<D>& offers, const std::string& path,
                      const FitPicture<D>& options) {
  if (options.width < 400 || options.height < 400 || options.width > 8000 || options.height > 8000)
    return Error{"picture", fmt::format("is {} x {} pixels", options.width, options.height),
                 "400 to 8000 each"};
  if (offers.offers.empty()) return Error{"picture", "there are no offers to show", "at least one"};
  Result<std::unique_ptr<picture::Canvas>> made =
      picture::Canvas::create(path, options.width, options.height);
  if (!made) return made.error();
  const std::unique_ptr<picture::Canvas> canvas = std::move(made).value();
  picture::paint_offers(*canvas, art, offers, options);
  return canvas->finish();
}
template Result<void> draw_fit(const Art<2>&, const Offers<2>&, const std::string&,
                               const FitPicture<2>&);
template Result<void> draw_fit(const Art<3>&, const Offers<3>&, const std::string&,
                               const FitPicture<3>&);

}  // namespace colvik
