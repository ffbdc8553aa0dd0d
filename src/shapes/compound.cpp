// Compounds, outlines with holes, polylines.
#include <fmt/format.h>

#include <algorithm>

#include "shapes/assembly.h"
#include "shapes/moments.h"
#include "shapes/polytope.h"
#include "shapes/shapes.h"

namespace colvik {

namespace shapes {

template <int D>
Moments<D> moments_of(const MassProperties<D>& mass) {
  Moments<D> m;
  m.volume = mass.volume;
  m.first = mass.volume * mass.centre;
  if constexpr (D == 2) {
    m.second =
        typename Moments<2>::Matrix(Moments<2>::Matrix::Identity() * (mass.inertia(0, 0) / 2));
  } else {
    // inertia = trace(second) I - second
    m.second = Moments<3>::Matrix::Identity() * (mass.inertia.trace() / 2) - mass.inertia;
  }
  m.second += mass.volume * mass.centre * mass.centre.transpose();
  return m;
}

// The points but for those that repeat the one before.
std::vector<Vec<2>> without_repeats(std::span<const Vec<2>> points, bool closed, double tolerance,
                                    std::string_view what, Mended* mended) {
  std::vector<Vec<2>> out;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const bool repeats = (!out.empty() && (points[i] - out.back()).norm() <= tolerance) ||
                         (closed && i + 1 == points.size() && out.size() > 1 &&
                          (points[i] - out.front()).norm() <= tolerance);
    if (!repeats) out.push_back(points[i]);
    else if (mended != nullptr)
      mended->emplace_back(fmt::format("{} {} repeats another and was left out", what, i + 1));
  }
  return out;
}

}  // namespace shapes

template <int D>
Result<Shape<D>> compound(std::span<const Placed<D>> children) {
  if (children.empty()) return Error{"compound", "has no children", "at least one shape"};
  shapes::Assembly<D> all;
  shapes::Moments<D> moments;
  for (std::size_t i = 0; i < children.size(); ++i) {
    const Placed<D>& c = children[i];
    if (is_scenery(c.shape.kind))
      return Error{fmt::format("compound child {}", i + 1),
                   fmt::format("is a {}", shape_name<D>(c.shape.kind)), "a shape with an inside"};
    if (!c.at.allFinite())
      return Error{fmt::format("compound child {}", i + 1), "its place is not finite", "numbers"};
    const Pose<D> pose{c.at, c.turned};
    const MassProperties<D> mass = mass_properties(c.shape);
    shapes::Moments<D> turned = shapes::moments_of(mass);
    Eigen::Matrix<double, D, D> axes;
    for (int k = 0; k < D; ++k) axes.col(k) = c.turned.axis(k);
    turned.first = c.turned * turned.first;
    turned.second = axes * turned.second * axes.transpose();
    moments.add(turned, c.at);
    if (c.shape.parts == nullptr) {
      shapes::Piece<D> piece;
      piece.child = static_cast<std::int32_t>(all.children.size());
      all.children.push_back({c.shape, pose});
      all.pieces.push_back(piece);
      continue;
    }
    // Pieces of pieces: each becomes a child of its own.
    for (const shapes::Piece<D>& p : c.shape.parts->pieces) {
      shapes::Piece<D> piece;
      piece.child = static_cast<std::int32_t>(all.children.size());
      const shapes::Child<D> inner = shapes::as_child(*c.shape.parts, p);
      all.children.push_back({inner.shape, pose * inner.pose});
      all.pieces.push_back(piece);
    }
  }
  all.mass = moments.about_centre();
  return shapes::of_parts(ShapeKind::compound, std::move(all));
}
template <int D>
std::vector<Placed<D>> convex_children(const Shape<D>& s) {
  std::vector<Placed<D>> out;
  if (s.parts == nullptr) return out;
  for (const shapes::Child<D>& c : s.parts->children)
    out.push_back({c.shape, c.pose.position, c.pose.rotation});
  return out;
}
template std::vector<Placed<2>> convex_children(const Shape<2>&);
template std::vector<Placed<3>> convex_children(const Shape<3>&);
template Result<Shape<2>> compound(std::span<const Placed<2>>);
template Result<Shape<3>> compound(std::span<const Placed<3>>);

namespace {

double area_of(const std::vector<Vec<2>>& loop) {
  double sum = 0;
  for (std::size_t i = 0; i < loop.size(); ++i)
    sum +=
        0.5 * torque(Vec<2>(loop[i] - loop[0]), Vec<2>(loop[(i + 1) % loop.size()] - loop[0]))[0];
  return sum;
}

bool inside(const std::vector<Vec<2>>& loop, const Vec<2>& p) {
  bool in = false;
  for (std::size_t i = 0, j = loop.size() - 1; i < loop.size(); j = i++)
    if ((loop[i].y() > p.y()) != (loop[j].y() > p.y()) &&
        p.x() < (loop[j].x() - loop[i].x()) * (p.y() - loop[i].y()) / (loop[j].y() - loop[i].y()) +
                    loop[i].x())
      in = !in;
  return in;
}

bool sides_meet(const Vec<2>& a, const Vec<2>& b, const Vec<2>& c, const Vec<2>& d,
                double tolerance) {
  const auto side = [&](const Vec<2>& p, const Vec<2>& q, const Vec<2>& r) {
    const double h = torque(Vec<2>(q - p), Vec<2>(r - p))[0] / (q - p).norm();
    return h > tolerance ? 1 : h < -tolerance ? -1 : 0;
  };
  const int ca = side(a, b, c);
  const int da = side(a, b, d);
  const int ac = side(c, d, a);
  const int bc = side(c, d, b);
  if (ca == 0 && da == 0) {  // on one line: do they overlap?
    const Vec<2> u = b - a;
    const double t0 = u.dot(c - a) / u.squaredNorm();
    const double t1 = u.dot(d - a) / u.squaredNorm();
    return std::max(std::min(t0, t1), 0.0) <= std::min(std::max(t0, t1), 1.0);
  }
  return ca * da <= 0 && ac * bc <= 0;
}

}  // namespace

Result<Shape<2>> outlined(std::span<const Vec<2>> corners,
                          std::span<const std::vector<Vec<2>>> holes, Mended* mended) {
  constexpr std::size_t kMost = 2000;
  std::vector<std::vector<Vec<2>>> loops;
  double size = 0;
  const auto loop_name = [](std::size_t l) {
    return l == 0 ? std::string("outline") : fmt::format("outline hole {}", l);
  };
  for (std::size_t l = 0; l <= holes.size(); ++l) {
    const std::span<const Vec<2>> given = l == 0 ? corners : std::span<const Vec<2>>(holes[l - 1]);
    const auto box = shapes::checked_points<2>(loop_name(l), "corner", given);
    if (!box) return box.error();
    if (given.empty()) return Error{loop_name(l), "has no corners", "at least 3"};
    size = std::max(size, box.value().size().norm());
    loops.push_back(
        shapes::without_repeats(given, true, 1e-9 * size, loop_name(l) + " corner", mended));
    if (loops[l].size() < 3 || std::abs(area_of(loops[l])) <= 1e-9 * size * size)
      return Error{loop_name(l), "all corners lie on a line", "corners around an area"};
    if ((area_of(loops[l]) > 0) != (l == 0)) {
      std::reverse(loops[l].begin(), loops[l].end());
      if (mended != nullptr && l == 0)
        mended->emplace_back("the corners ran clockwise and were turned round");
    }
  }
  shapes::Assembly<2> all;
  std::vector<std::vector<std::uint32_t>> indices;
  struct Side {
    std::size_t loop;
    std::size_t corner;
    Vec<2> from;
    Vec<2> to;
  };
  std::vector<Side> sides;
  for (std::size_t l = 0; l < loops.size(); ++l) {
    indices.emplace_back();
    for (std::size_t i = 0; i < loops[l].size(); ++i) {
      indices[l].push_back(static_cast<std::uint32_t>(all.points.size()));
      all.points.push_back(loops[l][i]);
      sides.push_back({l, i, loops[l][i], loops[l][(i + 1) % loops[l].size()]});
    }
    if (l > 0 && !inside(loops[0], loops[l][0]))
      return Error{loop_name(l), "lies outside the outline", "holes inside"};
    for (std::size_t k = 1; k < l; ++k)
      if (inside(loops[k], loops[l][0]) || inside(loops[l], loops[k][0]))
        return Error{loop_name(l), fmt::format("lies in hole {} or around it", k),
                     "holes apart from each other"};
  }
  if (all.points.size() > kMost)
    return Error{"outline", fmt::format("has {} corners", all.points.size()),
                 fmt::format("at most {}", kMost)};
  for (std::size_t i = 0; i < sides.size(); ++i)
    for (std::size_t j = i + 1; j < sides.size(); ++j) {
      const Side& s = sides[i];
      const Side& t = sides[j];
      const std::size_t n = loops[s.loop].size();
      const bool next = s.loop == t.loop && t.corner == s.corner + 1;
      const bool around = s.loop == t.loop && s.corner == 0 && t.corner == n - 1;
      bool bad = false;
      if (next || around) {  // neighbours share a corner; they must not run back over each other
        const Vec<2> in = next ? Vec<2>(s.to - s.from) : Vec<2>(t.to - t.from);
        const Vec<2> out = next ? Vec<2>(t.to - t.from) : Vec<2>(s.to - s.from);
        bad = std::abs(torque(in, out)[0]) <= 1e-9 * in.norm() * out.norm() && in.dot(out) < 0;
      } else {
        bad = sides_meet(s.from, s.to, t.from, t.to, 1e-12 * size);
      }
      if (bad)
        return Error{fmt::format("{} corner {}", loop_name(t.loop), t.corner + 1),
                     fmt::format("the side from here crosses the one from {} corner {}",
                                 loop_name(s.loop), s.corner + 1),
                     "sides that do not meet"};
    }

  std::vector<std::pair<std::uint32_t, std::uint32_t>> outer;
  for (const auto& loop : indices)
    for (std::size_t i = 0; i < loop.size(); ++i)
      outer.emplace_back(loop[i], loop[(i + 1) % loop.size()]);
  std::sort(outer.begin(), outer.end());
  shapes::Moments<2> moments;
  for (const std::vector<std::uint32_t>& part : shapes::convex_parts(all.points, indices)) {
    shapes::Piece<2> piece;
    piece.first_corner = static_cast<std::uint32_t>(all.corner_list.size());
    piece.first_front = static_cast<std::uint32_t>(all.fronts.size());
    for (std::size_t k = 0; k < part.size(); ++k) {
      const std::pair side(part[k], part[(k + 1) % part.size()]);
      // A corner that does not bend would split a side in two.
      const Vec<2>& before = all.points[part[(k + part.size() - 1) % part.size()]];
      const Vec<2>& here = all.points[side.first];
      const Vec<2> in = here - before;
      const Vec<2> out = all.points[side.second] - here;
      if (torque(in, out)[0] > 1e-12 * size * size) all.corner_list.push_back(part[k]);
      if (std::binary_search(outer.begin(), outer.end(), side))
        all.fronts.push_back({{side.first, side.second}, {}});
      shapes::Moments<2> wedge;
      const Vec<2>& origin = all.points[0];
      wedge.add_simplex(
          {Vec<2>(all.points[side.first] - origin), Vec<2>(all.points[side.second] - origin)});
      moments.add(wedge, origin);
    }
    piece.corners = static_cast<std::uint32_t>(all.corner_list.size()) - piece.first_corner;
    piece.fronts = static_cast<std::uint32_t>(all.fronts.size()) - piece.first_front;
    all.pieces.push_back(piece);
  }
  if (all.pieces.empty()) return Error{"outline", "has no area", "corners around an area"};
  all.mass = moments.about_centre();
  for (std::vector<Vec<2>>& loop : loops) {
    loop.push_back(loop.front());
    all.lines.push_back(std::move(loop));
  }
  return shapes::of_parts(ShapeKind::outline, std::move(all));
}

Result<Shape<2>> polyline(std::span<const Vec<2>> points, const PolylineOptions& options,
                          Mended* mended) {
  const auto box = shapes::checked_points<2>("polyline", "point", points);
  if (!box) return box.error();
  const double size = points.empty() ? 0 : box.value().size().norm();
  shapes::Assembly<2> all;
  all.points =
      shapes::without_repeats(points, options.closed, 1e-9 * size, "polyline point", mended);
  const auto n = static_cast<std::uint32_t>(all.points.size());
  if (n < 2 || (options.closed && n < 3))
    return Error{"polyline", fmt::format("has {} different points", n),
                 options.closed ? "at least 3" : "at least 2"};
  all.surface = true;
  all.two_sided = options.two_sided;
  for (std::uint32_t i = 0; i + 1 < n || (options.closed && i < n); ++i) {
    const std::uint32_t from = i;
    const std::uint32_t to = (i + 1) % n;
    shapes::Piece<2> piece;
    piece.first_corner = static_cast<std::uint32_t>(all.corner_list.size());
    piece.corners = 2;
    piece.first_front = i;
    piece.fronts = 1;
    all.corner_list.insert(all.corner_list.end(), {from, to});
    // Outside is to the right of a front, so its corners run back.
    all.fronts.push_back({{to, from}, {}});
    all.pieces.push_back(piece);
  }
  all.lines.push_back(all.points);
  if (options.closed) all.lines[0].push_back(all.points[0]);
  return shapes::of_parts(ShapeKind::polyline, std::move(all));
}

}  // namespace colvik
