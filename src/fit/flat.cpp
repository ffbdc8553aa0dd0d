// The fits of drawings, one by one.
#include <fmt/format.h>

#include "fit/around.h"
#include "fit/fitting.h"

namespace colvik::fitting {
namespace {

// The simple shape made smaller about its own middle.
Result<Offer<2>> smaller(Fit as, const Around<2>& around, const Settled<2>& s) {
  Offer<2> offer;
  offer.as = as;
  offer.collider = around.collider;
  Shape<2>& shape = offer.collider.shape;
  const double keep = 1 - s.options.shrink;
  const double margin = s.options.margin;
  if (as == Fit::box || as == Fit::turned_box) {
    shape.core = keep * shape.core - Vec<2>::Constant(margin);
    if (!(shape.core.minCoeff() > 0)) return too_much("box");
  } else {
    shape.core *= keep;
    shape.radius = keep * shape.radius - margin;
    if (!(shape.radius > 0)) return too_much(as == Fit::ball ? "circle" : "capsule");
  }
  return offer;
}

Result<Loop> smaller_hull(const Loop& hull, const Settled<2>& s) {
  const Vec<2> middle = bounds_of_points(hull).centre();
  Loop out = hull;
  for (Vec<2>& p : out) p = middle + (1 - s.options.shrink) * (p - middle);
  if (s.options.margin > 0) out = convex_inside_by(out, s.options.margin);
  if (out.size() < 3) return too_much("polygon");
  return out;
}

Result<Offer<2>> fit_polygon(const Loop& hull, const Settled<2>& s) {
  const Loop around = polygon_around(hull, static_cast<std::size_t>(s.options.corners));
  if (around.empty())
    return Error{"polygon",
                 fmt::format("no polygon of {} corners closes around it", s.options.corners),
                 "one corner more"};
  Result<Loop> corners = smaller_hull(around, s);
  if (!corners) return corners.error();
  Offer<2> offer;
  offer.as = Fit::polygon;
  offer.loops = {std::move(corners).value()};
  Result<Shape<2>> shape = polygon(offer.loops[0]);
  if (!shape) return shape.error();
  offer.collider.shape = std::move(shape).value();
  return offer;
}

// The radius, a part of what fits into the hull, with which it overlaps the art best.
Result<Offer<2>> fit_rounded(const Loop& hull, const Settled<2>& s, const Measuring<2>& measure) {
  double fits = 0;
  double step = 0.5 * s.size;
  for (int halving = 0; halving < 13; ++halving, step /= 2)
    if (!convex_inside_by(hull, fits + step).empty()) fits += step;
  Loop best;
  double best_radius = 0;
  double best_overlap = -1;
  for (int i = 1; i <= 16; ++i) {
    const double radius = fits * i / 17;
    Loop core =
        polygon_around(convex_inside_by(hull, radius), static_cast<std::size_t>(s.options.corners));
    const Result<Shape<2>> sharp = polygon(core);
    if (!sharp) continue;
    Offer<2> offer;
    offer.collider.shape = rounded(sharp.value(), radius);
    const double overlap = measure().overlap(offer);
    if (overlap <= best_overlap * (1 + 1e-6)) continue;
    best_overlap = overlap;
    best = std::move(core);
    best_radius = radius;
  }
  if (best.empty())
    return Error{"rounded",
                 fmt::format("no polygon of {} corners closes around it", s.options.corners),
                 "one corner more"};
  // Inside by a margin it has less of a rounding, then a smaller core.
  const double keep = 1 - s.options.shrink;
  const Vec<2> middle = bounds_of_points(hull).centre();
  for (Vec<2>& p : best) p = middle + keep * (p - middle);
  best_radius *= keep;
  if (s.options.margin > best_radius) best = convex_inside_by(best, s.options.margin - best_radius);
  const Result<Shape<2>> sharp = polygon(best);
  if (best.empty() || !sharp) return too_much("rounded");
  Offer<2> offer;
  offer.as = Fit::rounded;
  offer.collider.shape = rounded(sharp.value(), std::max(0.0, best_radius - s.options.margin));
  offer.loops = {std::move(best)};
  return offer;
}

}  // namespace

Result<Offer<2>> fit_flat(const Art<2>& art, Fit as, const Settled<2>& s,
                          const Measuring<2>& measure) {
  const Loop hull = hull_of(all_points(art.loops));
  switch (as) {
    case Fit::ball: return smaller(as, circle_around(hull), s);
    case Fit::box: return smaller(as, box_around(hull), s);
    case Fit::turned_box: return smaller(as, turned_box_around(hull), s);
    case Fit::capsule: return smaller(as, capsule_around(hull, 90), s);
    case Fit::polygon: return fit_polygon(hull, s);
    case Fit::rounded: return fit_rounded(hull, s, measure);
    case Fit::simple: return fit_union(art, s, measure);
    case Fit::parts: return fit_parts(art, s);
    case Fit::outline: return fit_outline(art, s);
    case Fit::tiles: return fit_tiles(art, s);
    default:
      return Error{"fit", fmt::format("'{}' is of models", fit_name<3>(as)), "one of drawings"};
  }
}

}  // namespace colvik::fitting
