#include "contact/depth.h"

#include "contact/expanding.h"

namespace colvik::contact {
namespace {

// The gap along a unit normal from a to b.
template <int D>
double gap_along(const Core<D>& a, const Core<D>& b, const Vec<D>& normal) {
  return normal.dot(b.support(-normal) - a.support(normal));
}

template <int D>
void consider(const Vec<D>& normal, double gap, Axis<D>& best) {
  if (gap > best.gap) best.normal = normal, best.gap = gap;
}

// ---- 2D ---------------------------------------------------------------------------------------

struct Corners {
  std::size_t count = 0;
  std::array<Vec<2>, shapes::kMostCornersOfPolygon> at;
};

Corners corners_of(const Core<2>& c) {
  Corners out;
  if (c.kind == CoreKind::points) {
    for (const Vec<2>& p : c.points) out.at[out.count++] = c.placed(p);
    return out;
  }
  const Vec<2> u = c.axis(0) * c.half.x(), w = c.axis(1) * c.half.y();
  const bool wide = c.half.x() > 0, high = c.half.y() > 0;
  if (wide && high) {
    out.count = 4;
    out.at[0] = c.centre - u - w, out.at[1] = c.centre + u - w;
    out.at[2] = c.centre + u + w, out.at[3] = c.centre - u + w;
  } else if (wide || high) {
    out.count = 2;
    out.at[0] = c.centre - u - w, out.at[1] = c.centre + u + w;
  } else {
    out.count = 1;
    out.at[0] = c.centre;
  }
  return out;
}

void try_sides(const Corners& own, const Corners& other, double sign, Axis<2>& best) {
  for (std::size_t i = 0; own.count > 1 && i < own.count; ++i) {
    const Vec<2> edge = own.at[(i + 1) % own.count] - own.at[i];
    const double length = edge.norm();
    if (!(length > 0)) continue;
    const Vec<2> n(edge.y() / length, -edge.x() / length);
    double least = std::numeric_limits<double>::max();
    for (std::size_t k = 0; k < other.count; ++k) least = std::min(least, n.dot(other.at[k] - own.at[i]));
    consider<2>(sign * n, least, best);
  }
}

// ---- 3D ---------------------------------------------------------------------------------------

// Directions in which a box is not flat.
int generators(const Core<3>& core, std::array<Vec<3>, 3>& out) {
  int count = 0;
  for (int i = 0; i < 3; ++i)
    if (core.half[i] > 0) out[count++] = core.axis(i);
  return count;
}

void try_axis_of_boxes(const Core<3>& a, const Core<3>& b, Vec<3> normal, Axis<3>& best) {
  const double length = normal.norm();
  if (length < 1e-6) return;
  normal /= length;
  const double along = normal.dot(b.centre - a.centre);
  if (along < 0) normal = -normal;
  consider<3>(normal, std::abs(along) - a.reach(normal) - b.reach(normal), best);
}

// Of an edge pair and a face that are nearly as good as each other the face gives the steadier contact.
Axis<3> steadier(const Axis<3>& face, const Axis<3>& edge, const Core<3>& a, const Core<3>& b) {
  const double size = std::min(a.half.norm(), b.half.norm());
  return face.gap >= edge.gap - 0.005 * std::abs(edge.gap) - 1e-8 * size ? face : edge;
}

Axis<3> axis_of_boxes(const Core<3>& a, const Core<3>& b) {
  Axis<3> best;
  std::array<Vec<3>, 3> ga, gb;
  const int na = generators(a, ga), nb = generators(b, gb);
  const auto pairs = [&](const std::array<Vec<3>, 3>& g, int n) {
    for (int i = 0; i < n; ++i)
      for (int j = i + 1; j < n; ++j) try_axis_of_boxes(a, b, cross(g[i], g[j]), best);
  };
  pairs(ga, na);
  pairs(gb, nb);
  Axis<3> edge;
  for (int i = 0; i < na; ++i)
    for (int j = 0; j < nb; ++j) try_axis_of_boxes(a, b, cross(ga[i], gb[j]), edge);
  best = steadier(best, edge, a, b);
  if (best.gap != std::numeric_limits<double>::lowest()) return best;
  // Points and parallel segments: any direction across them parts them at no depth.
  const Vec<3> along = na > 0 ? ga[0] : nb > 0 ? gb[0] : Vec<3>(Vec<3>::Zero());
  const Vec<3> offset = b.centre - a.centre;
  try_axis_of_boxes(a, b, offset - along * along.dot(offset), best);
  for (int i = 0; i < 3 && best.gap == std::numeric_limits<double>::lowest(); ++i)
    try_axis_of_boxes(a, b, na + nb == 0 ? Vec<3>(Vec<3>::Unit(i)) : cross(along, Vec<3>::Unit(i)), best);
  return best;
}

// The faces and edges of a box, segment, point or triangle; `flat`: it has one face, seen from both sides.
struct Sides {
  int edges = 0, faces = 0;
  std::array<Vec<3>, 3> edge, face;
  bool flat = false;
};

Sides sides_of(const Core<3>& c) {
  Sides s;
  if (c.kind == CoreKind::box) {
    s.edges = generators(c, s.edge);
    for (int i = 0; i < s.edges; ++i)
      for (int j = i + 1; j < s.edges; ++j) s.face[s.faces++] = cross(s.edge[i], s.edge[j]);
    s.flat = s.edges == 2;
    return s;
  }
  const std::size_t n = c.points.size();
  for (std::size_t i = 0; i < (n == 2 ? 1 : n); ++i)
    s.edge[s.edges++] = c.placed(c.points[(i + 1) % n]) - c.placed(c.points[i]);
  if (n == 3) s.face[s.faces++] = cross(s.edge[0], s.edge[1]).normalized();
  s.flat = n == 3;
  return s;
}

// Triangles and segments against each other and against boxes: all axes both ways.
Axis<3> axis_of_flat(const Core<3>& a, const Core<3>& b) {
  Axis<3> best;
  const Sides sa = sides_of(a), sb = sides_of(b);
  const auto attempt = [&](const Vec<3>& direction, Axis<3>& axis) {
    const double length = direction.norm();
    if (!(length > 0)) return;
    const Vec<3> n = direction / length;
    consider<3>(n, gap_along<3>(a, b, n), axis);
    consider<3>(Vec<3>(-n), gap_along<3>(a, b, Vec<3>(-n)), axis);
  };
  for (const Sides* s : {&sa, &sb})
    for (int i = 0; i < s->faces; ++i) attempt(s->face[i], best);
  Axis<3> edge;
  for (const Sides* s : {&sa, &sb})
    for (int i = 0; s->flat && i < s->edges; ++i) attempt(cross(s->edge[i], s->face[0]), edge);
  for (int i = 0; i < sa.edges; ++i)
    for (int j = 0; j < sb.edges; ++j) {
      const Vec<3> n = cross(sa.edge[i], sb.edge[j]);
      if (n.norm() > 1e-6 * sa.edge[i].norm() * sb.edge[j].norm()) attempt(n, edge);
    }
  best = steadier(best, edge, a, b);
  if (best.gap != std::numeric_limits<double>::lowest()) return best;
  const Vec<3> along = sa.edges > 0 ? sa.edge[0] : sb.edges > 0 ? sb.edge[0] : Vec<3>(Vec<3>::Unit(1));
  int flattest = 0;
  along.cwiseAbs().minCoeff(&flattest);
  attempt(cross(along, Vec<3>(Vec<3>::Unit(flattest))), best);
  return best;
}

bool has_volume(const Core<3>& c) { return !c.flat_sided() || c.polytope != nullptr; }

}  // namespace

Axis<2> deepest_axis(const Core<2>& a, const Core<2>& b) {
  Axis<2> best;
  const Corners ca = corners_of(a), cb = corners_of(b);
  try_sides(ca, cb, 1, best);
  try_sides(cb, ca, -1, best);
  if (best.gap == std::numeric_limits<double>::lowest()) {  // two points
    const Vec<2> offset = cb.at[0] - ca.at[0];
    const Vec<2> n = offset.norm() > 0 ? Vec<2>(offset.normalized()) : Vec<2>(Vec<2>::Unit(0));
    consider<2>(n, n.dot(offset), best);
  }
  return best;
}

Axis<3> deepest_axis(const Core<3>& a, const Core<3>& b) {
  if (a.boxlike() && b.boxlike()) return axis_of_boxes(a, b);
  if (has_volume(a) || has_volume(b))
    if (const auto found = expand(a, b)) return *found;
  return axis_of_flat(a, b);
}

}  // namespace colvik::contact
