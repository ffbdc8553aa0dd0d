#include <optional>

#include "contact/depth.h"
#include "contact/expanding.h"

namespace colvik::contact {
namespace {

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
  best.consider(normal, std::abs(along) - a.reach(normal) - b.reach(normal));
}

// Of an edge pair and a face that are nearly as good as each other the face gives the steadier
// contact.
Axis<3> steadier(const Axis<3>& face, const Axis<3>& edge, const Core<3>& a, const Core<3>& b) {
  const double size = std::min(a.half.norm(), b.half.norm());
  return face.gap >= edge.gap - 0.005 * std::abs(edge.gap) - 1e-8 * size ? face : edge;
}

// Two that are flat in no direction, in the frame of the first (Gottschalk, Lin and Manocha,
// "OBBTree", 1996).
Axis<3> axis_of_full_boxes(const Core<3>& a, const Core<3>& b, double enough) {
  double turn[3][3];
  double size[3][3];
  double at[3];  // b's axes in a's frame, and without their signs
  const Vec<3> offset = b.centre - a.centre;
  for (int i = 0; i < 3; ++i) {
    at[i] = offset.dot(a.axis(i));
    for (int j = 0; j < 3; ++j) {
      turn[i][j] = a.axis(i).dot(b.axis(j));
      size[i][j] = std::abs(turn[i][j]);
    }
  }
  Axis<3> face;
  int which = 0;  // a's axes, then b's
  for (int i = 0; i < 3; ++i) {
    const double reach =
        a.half[i] + b.half[0] * size[i][0] + b.half[1] * size[i][1] + b.half[2] * size[i][2];
    if (std::abs(at[i]) - reach > face.gap) {
      face.gap = std::abs(at[i]) - reach;
      which = i;
    }
  }
  double across[3];
  for (int j = 0; j < 3; ++j) {
    across[j] = offset.dot(b.axis(j));
    const double reach =
        b.half[j] + a.half[0] * size[0][j] + a.half[1] * size[1][j] + a.half[2] * size[2][j];
    if (std::abs(across[j]) - reach > face.gap) {
      face.gap = std::abs(across[j]) - reach;
      which = 3 + j;
    }
  }
  const double side = which < 3 ? at[which] : across[which - 3];
  face.normal = which < 3 ? a.axis(which) : b.axis(which - 3);
  if (side < 0) face.normal = -face.normal;
  if (face.gap > enough) return face;
  if (face.gap > 0) {  // over the face itself no corner is nearer than its plane
    const Core<3>& own = which < 3 ? a : b;
    const Core<3>& other = which < 3 ? b : a;
    const Vec<3> p =
        own.turned_back(other.support(which < 3 ? Vec<3>(-face.normal) : face.normal) - own.centre);
    face.exact = true;
    for (int k = 0; k < 3; ++k) face.exact &= k == which % 3 || std::abs(p[k]) <= own.half[k];
    if (face.exact) return face;
  }
  Axis<3> edge;
  int first = -1;
  int second = 0;
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) {
      const int k = (i + 1) % 3;
      const int l = (i + 2) % 3;
      const int m = (j + 1) % 3;
      const int n = (j + 2) % 3;
      const double square = 1 - turn[i][j] * turn[i][j];
      if (square < 1e-12) continue;
      const double reach = a.half[k] * size[l][j] + a.half[l] * size[k][j] +
                           b.half[m] * size[i][n] + b.half[n] * size[i][m];
      const double apart = std::abs(at[l] * turn[k][j] - at[k] * turn[l][j]) - reach;
      // A gap is longer along the unit normal, a depth too.
      if (const double gap = apart / std::sqrt(square); gap > edge.gap) {
        edge.gap = gap;
        first = i;
        second = j;
      }
    }
  if (first >= 0) {
    edge.normal = cross(a.axis(first), b.axis(second)).normalized();
    if (edge.normal.dot(offset) < 0) edge.normal = -edge.normal;
  }
  return steadier(face, edge, a, b);
}

Axis<3> axis_of_boxes(const Core<3>& a, const Core<3>& b, double enough) {
  if (a.half.minCoeff() > 0 && b.half.minCoeff() > 0) return axis_of_full_boxes(a, b, enough);
  Axis<3> best;
  std::array<Vec<3>, 3> ga;
  std::array<Vec<3>, 3> gb;
  const int na = generators(a, ga);
  const int nb = generators(b, gb);
  const auto pairs = [&](const std::array<Vec<3>, 3>& g, int n) {
    for (int i = 0; i < n; ++i)
      for (int j = i + 1; j < n; ++j) try_axis_of_boxes(a, b, cross(g[i], g[j]), best);
  };
  pairs(ga, na);
  if (best.gap <= enough) pairs(gb, nb);
  if (best.gap > enough) return best;
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
    try_axis_of_boxes(a, b, na + nb == 0 ? Vec<3>(Vec<3>::Unit(i)) : cross(along, Vec<3>::Unit(i)),
                      best);
  return best;
}

// The faces and edges of a box, segment, point or triangle, and how far it reaches. `flat`: it has
// one face, seen from both sides.
struct Sides {
  const Core<3>* core = nullptr;
  int edges = 0;
  int faces = 0;
  std::array<Vec<3>, 3> edge;
  std::array<Vec<3>, 3> face;
  std::span<const Vec<3>> corners{};  // none of a box
  bool flat = false;

  // From where to where it reaches along a unit normal, seen from `origin`.
  [[nodiscard]] std::pair<double, double> along(const Vec<3>& n, const Vec<3>& origin) const {
    if (core->boxlike()) {
      const double middle = n.dot(core->centre - origin);
      const double reach = core->reach(n);
      return {middle - reach, middle + reach};
    }
    double least = std::numeric_limits<double>::max();
    double most = std::numeric_limits<double>::lowest();
    for (const Vec<3>& corner : corners) {
      const double at = n.dot(corner - origin);
      least = std::min(least, at);
      most = std::max(most, at);
    }
    return {least, most};
  }
};

void sides_of(const Core<3>& c, std::array<Vec<3>, 3>& corners, Sides& s) {
  s.core = &c;
  if (c.kind == CoreKind::box) {
    s.edges = generators(c, s.edge);
    for (int i = 0; i < s.edges; ++i)
      for (int j = i + 1; j < s.edges; ++j) s.face[s.faces++] = cross(s.edge[i], s.edge[j]);
    s.flat = s.edges == 2;
    return;
  }
  const std::size_t n = c.points.size();
  for (std::size_t i = 0; i < n; ++i) corners[i] = c.placed(c.points[i]);
  s.corners = std::span(corners).first(n);
  for (std::size_t i = 0; i < (n == 2 ? 1 : n); ++i)
    s.edge[s.edges++] = corners[(i + 1) % n] - corners[i];
  if (n == 3) s.face[s.faces++] = cross(s.edge[0], s.edge[1]).normalized();
  s.flat = n == 3;
}

// A box that is flat in no direction and a triangle, in the frame of the box (Akenine-Möller, "Fast
// 3D triangle-box overlap testing", 2001); the normal points from the box to the triangle.
Axis<3> axis_of_box_and_triangle(const Core<3>& box, const Core<3>& triangle, double enough) {
  std::array<Vec<3>, 3> corner;
  std::array<Vec<3>, 3> edge;
  for (std::size_t k = 0; k < 3; ++k)
    corner[k] = box.turned_back(triangle.placed(triangle.points[k]) - box.centre);
  for (std::size_t k = 0; k < 3; ++k) edge[k] = corner[(k + 1) % 3] - corner[k];
  const auto placed = [&](Axis<3> axis) {
    const Vec<3> n = axis.normal;
    axis.normal = box.axis(0) * n.x() + box.axis(1) * n.y() + box.axis(2) * n.z();
    return axis;
  };
  Axis<3> face;
  int level = -1;  // the axis of the box that it is along
  for (int i = 0; i < 3; ++i) {
    const double least = std::min({corner[0][i], corner[1][i], corner[2][i]});
    const double most = std::max({corner[0][i], corner[1][i], corner[2][i]});
    const double gap = std::max(least, -most) - box.half[i];
    if (gap <= face.gap) continue;
    face.gap = gap;
    level = i;
    face.normal.setZero();
    face.normal[i] = least > -most ? 1 : -1;
  }
  const Vec<3> n = cross(edge[0], edge[1]).normalized();
  const double height = n.dot(corner[0]);
  if (const double gap = std::abs(height) - n.cwiseAbs().dot(box.half);
      gap > face.gap && !n.isZero(0)) {
    face.gap = gap;
    face.normal = height > 0 ? n : Vec<3>(-n);
    level = -1;
  }
  if (face.gap > enough) return placed(face);
  if (face.gap > 0) {  // over the face itself no corner is nearer than its plane
    const Vec<3> towards = face.normal;
    if (level < 0) {
      Vec<3> nearest = box.half;
      for (int i = 0; i < 3; ++i) nearest[i] = std::copysign(nearest[i], towards[i]);
      face.exact = true;
      for (std::size_t k = 0; k < 3; ++k)
        face.exact &= cross(n, edge[k]).dot(nearest - corner[k]) >= 0;
    } else {
      for (const Vec<3>& at : corner) {
        bool over = towards.dot(at) - box.half[level] == face.gap;
        for (int i = 0; i < 3; ++i) over &= i == level || std::abs(at[i]) <= box.half[i];
        face.exact |= over;
      }
    }
    if (face.exact) return placed(face);
  }
  Axis<3> across;
  for (int i = 0; i < 3; ++i)
    for (std::size_t k = 0; k < 3; ++k) {
      const int u = (i + 1) % 3;
      const int w = (i + 2) % 3;
      const double from_u = -edge[k][w];
      const double from_w = edge[k][u];
      const double square = from_u * from_u + from_w * from_w;
      if (!(square > 1e-12 * edge[k].squaredNorm())) continue;
      const Vec<3>& on_edge = corner[k];
      const Vec<3>& off_edge = corner[(k + 2) % 3];
      const double one = from_u * on_edge[u] + from_w * on_edge[w];
      const double two = from_u * off_edge[u] + from_w * off_edge[w];
      const double reach = std::abs(from_u) * box.half[u] + std::abs(from_w) * box.half[w];
      const double least = std::min(one, two);
      const double most = std::max(one, two);
      // A gap is longer along the unit normal, a depth too.
      const double length = std::sqrt(square);
      const double gap = (std::max(least, -most) - reach) / length;
      if (gap <= across.gap) continue;
      across.gap = gap;
      across.normal.setZero();
      across.normal[u] = (least > -most ? from_u : -from_u) / length;
      across.normal[w] = (least > -most ? from_w : -from_w) / length;
    }
  return placed(steadier(face, across, box, triangle));
}

// Triangles and segments against each other and against boxes: all axes in both directions.
Axis<3> axis_of_flat(const Core<3>& a, const Core<3>& b, double enough) {
  Axis<3> best;
  std::array<Vec<3>, 3> corners_of_a;
  std::array<Vec<3>, 3> corners_of_b;
  Sides sa;
  Sides sb;
  sides_of(a, corners_of_a, sa);
  sides_of(b, corners_of_b, sb);
  const Vec<3> origin = b.middle;
  const auto attempt = [&](const Vec<3>& direction, Axis<3>& axis) {
    const double length = direction.norm();
    if (!(length > 0)) return;
    const Vec<3> n = direction / length;
    const auto [a_from, a_to] = sa.along(n, origin);
    const auto [b_from, b_to] = sb.along(n, origin);
    axis.consider(n, b_from - a_to);
    axis.consider(-n, a_from - b_to);
  };
  for (const Sides* s : {&sa, &sb})
    for (int i = 0; i < s->faces; ++i) attempt(s->face[i], best);
  if (best.gap > enough) return best;
  Axis<3> edge;
  for (const Sides* s : {&sa, &sb})
    for (int i = 0; s->flat && i < s->edges; ++i) attempt(cross(s->edge[i], s->face[0]), edge);
  for (int i = 0; i < sa.edges; ++i)
    for (int j = 0; j < sb.edges; ++j) {
      const Vec<3> n = cross(sa.edge[i], sb.edge[j]);
      if (n.squaredNorm() > 1e-12 * sa.edge[i].squaredNorm() * sb.edge[j].squaredNorm())
        attempt(n, edge);
    }
  best = steadier(best, edge, a, b);
  if (best.gap != std::numeric_limits<double>::lowest()) return best;
  const Vec<3> along = sa.edges > 0   ? sa.edge[0]
                       : sb.edges > 0 ? sb.edge[0]
                                      : Vec<3>(Vec<3>::Unit(1));
  int flattest = 0;
  along.cwiseAbs().minCoeff(&flattest);
  attempt(cross(along, Vec<3>(Vec<3>::Unit(flattest))), best);
  return best;
}

bool has_volume(const Core<3>& c) { return !c.flat_sided() || c.polytope != nullptr; }

}  // namespace

Axis<3> deepest_axis(const Core<3>& a, const Core<3>& b, double enough, const Tetrahedron<3>* held,
                     Start<3>* start) {
  if (a.boxlike() && b.boxlike()) return axis_of_boxes(a, b, enough);
  if (has_volume(a) || has_volume(b))
    if (const auto found = expand(a, b, held, start)) return *found;
  const auto is_full = [](const Core<3>& c) { return c.boxlike() && c.dimensions() == 3; };
  const auto is_triangle = [](const Core<3>& c) { return c.points.size() == 3; };
  if (is_full(a) && is_triangle(b)) return axis_of_box_and_triangle(a, b, enough);
  if (is_triangle(a) && is_full(b)) {
    Axis<3> axis = axis_of_box_and_triangle(b, a, enough);
    axis.normal = -axis.normal;
    return axis;
  }
  return axis_of_flat(a, b, enough);
}

}  // namespace colvik::contact
