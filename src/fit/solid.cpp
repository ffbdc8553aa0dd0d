// The fits of models, one by one.
#include <fmt/format.h>

#include "fit/around.h"
#include "fit/fitting.h"

namespace colvik::fitting {

Result<Shape<3>> hull_inside_by(const Shape<3>& given, double margin) {
  if (margin <= 0) return given;
  return hull_inside_by(given, std::vector<double>(planes_of(given).planes.size(), margin));
}

Result<Shape<3>> hull_inside_by(const Shape<3>& given, const std::vector<double>& margins) {
  // The planes moved inward; their corners are the faces of the dual hull.
  const Planes planes = planes_of(given);
  const Vec<3> middle = mass_properties(given).centre;
  std::vector<Vec<3>> dual;
  for (std::size_t i = 0; i < planes.planes.size(); ++i) {
    const auto& [normal, offset] = planes.planes[i];
    const double left = offset - margins[i] - normal.dot(middle);
    if (!(left > 1e-9 * std::abs(margins[i]))) return too_much("hull");
    dual.emplace_back(normal / left);
  }
  const Result<Shape<3>> around = hull(dual, 256);
  if (!around) return too_much("hull");
  std::vector<Vec<3>> corners;
  for (const auto& [normal, offset] : planes_of(around.value()).planes)
    corners.emplace_back(middle + normal / offset);
  Result<Shape<3>> small = hull(corners, 256);
  if (!small) return too_much("hull");
  return small;
}

namespace {

Result<Offer<3>> smaller(Fit as, const Placed<3>& around, const Settled<3>& s) {
  Offer<3> offer;
  offer.as = as;
  offer.collider = around;
  Shape<3>& shape = offer.collider.shape;
  const double margin = s.options.margin;
  shape.core *= 1 - s.options.shrink;
  shape.radius *= 1 - s.options.shrink;
  if (margin <= 0) return offer;
  const Error none = too_much(fit_name<3>(as).data());
  switch (shape.kind) {
    case ShapeKind::box:
    case ShapeKind::cylinder: {
      const Vec<3> core = shape.core - Vec<3>::Constant(margin);
      if (!(core.minCoeff() > 0)) return none;
      shape = shape.kind == ShapeKind::box ? box(2 * core.x(), 2 * core.y(), 2 * core.z())
                                           : cylinder(2 * core.x(), 2 * core.y());
      return offer;
    }
    case ShapeKind::cone: {
      // A cone inside by a margin is the same cone smaller about the middle of its inner ball.
      const double r = shape.core.x();
      const double h = 2 * shape.core.y();
      const double inner = r * h / (r + std::sqrt(r * r + h * h));
      const double keep = 1 - margin / inner;
      if (!(keep > 0)) return none;
      const Vec<3> ball(0, inner - h / 2, 0);
      offer.collider.at += offer.collider.turned * Vec<3>((1 - keep) * ball);
      shape = cone(2 * keep * r, keep * h);
      return offer;
    }
    default:
      shape.radius -= margin;
      if (!(shape.radius > 0)) return none;
      return offer;
  }
}

Result<Offer<3>> fit_cloud(Fit as, const Result<Shape<3>>& cloud, const Settled<3>& s) {
  if (!cloud) return cloud.error();
  const Result<Shape<3>> inside = hull_inside_by(cloud.value(), s.options.margin);
  if (!inside) return inside.error();
  const Vec<3> middle = bounds(inside.value(), Pose<3>{}).centre();
  Offer<3> offer;
  offer.as = as;
  offer.loops = {planes_of(inside.value()).corners};
  for (Vec<3>& p : offer.loops[0]) p = middle + (1 - s.options.shrink) * (p - middle);
  const Result<Shape<3>> shape = hull(offer.loops[0], 256);
  if (!shape) return shape.error();
  offer.collider.shape = shape.value();
  return offer;
}

Result<Offer<3>> fit_mesh(const Art<3>& art, const Settled<3>& s) {
  if (s.options.margin > 0)
    return Error{"mesh", "a margin says nothing about a surface", "shrink, or another fit"};
  Offer<3> offer;
  offer.as = Fit::mesh;
  const Vec<3> middle = bounds_of(art).centre();
  offer.loops = {art.points};
  for (Vec<3>& p : offer.loops[0]) p = middle + (1 - s.options.shrink) * (p - middle);
  offer.triangles = art.triangles;
  const Result<Shape<3>> shape = mesh(offer.loops[0], art.triangles);
  if (!shape) return shape.error();
  offer.collider.shape = shape.value();
  return offer;
}

}  // namespace

Result<Offer<3>> fit_solid(const Art<3>& art, Fit as, const Settled<3>& s,
                           const Measuring<3>& measure) {
  if (as == Fit::mesh) return fit_mesh(art, s);
  if (as == Fit::light_mesh) return fit_light_mesh(art, s, measure);
  if (as == Fit::parts) return fit_parts(art, s);
  std::vector<Vec<3>> points;  // those that triangles have
  std::vector<char> used(art.points.size(), 0);
  for (const auto& t : art.triangles)
    for (const std::uint32_t c : t)
      if (used[c] == 0) {
        used[c] = 1;
        points.push_back(art.points[c]);
      }
  const Bounds<3> all = bounds_of(art);
  const Vec<3> size = all.size();
  if (as == Fit::box) return smaller(as, {box(size.x(), size.y(), size.z()), all.centre(), {}}, s);
  if (as == Fit::ball) {
    const Ball<3> ball = ball_around<3>(points);
    return smaller(as, {sphere(2 * ball.radius), ball.centre, {}}, s);
  }
  if (as == Fit::hull)
    return fit_cloud(as, hull(points, static_cast<std::size_t>(s.options.corners)), s);
  if (as == Fit::slabs) return fit_cloud(as, slabs(points, 13), s);
  const Result<Shape<3>> coarse = hull(points, 256);
  if (!coarse) return Error{std::string(fit_name<3>(as)), "the model is flat", "one with a volume"};
  switch (as) {
    case Fit::turned_box: return smaller(as, turned_box_around(points, coarse.value()).collider, s);
    case Fit::capsule: return smaller(as, capsule_around(points, coarse.value()).collider, s);
    case Fit::cylinder: return smaller(as, cylinder_around(points, coarse.value()).collider, s);
    case Fit::cone: return smaller(as, cone_around(points, coarse.value()).collider, s);
    default:
      return Error{"fit", fmt::format("'{}' is of drawings", fit_name<2>(as)), "one of models"};
  }
}

}  // namespace colvik::fitting
