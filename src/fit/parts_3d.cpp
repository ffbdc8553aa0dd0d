// Convex parts of a concave model: the model is cut by planes along the axes, each cut where it
// leaves the least air in the hulls of both sides, and the hull of each part is taken exactly.
#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "fit/around.h"
#include "fit/fitting.h"
#include "fit/joining.h"
#include "fit/model.h"

namespace colvik::fitting {
namespace {

using Corners = std::vector<Vec<3>>;

// A box of space with the polygons of the surface in it, and a coarse copy of the inside: pieces of
// lines along z, row by row along x.
struct Line {
  double x;
  double y;
  double from;
  double to;
};
struct Part {
  Bounds<3> box;
  std::vector<Corners> polygons;
  std::vector<Line> lines;
  Shape<3> hull{};
  double outward = 0;
  bool whole = false;  // cannot be cut further
};

Corners cut(const Corners& polygon, int axis, double at, bool above) {
  Corners out;
  const double way = above ? 1 : -1;
  for (std::size_t i = 0; i < polygon.size(); ++i) {
    const Vec<3>& a = polygon[i];
    const Vec<3>& b = polygon[(i + 1) % polygon.size()];
    const double da = way * (a[axis] - at);
    const double db = way * (b[axis] - at);
    if (da >= 0) out.push_back(a);
    if ((da > 0 && db < 0) || (da < 0 && db > 0)) {
      Vec<3> p = a + da / (da - db) * (b - a);
      p[axis] = at;
      out.push_back(p);
    }
  }
  return out;
}

class Cutter {
 public:
  Cutter(const Art<3>& art, const Settled<3>& s)
      : settled_(s),
        inside_(art.points, art.triangles),
        measure_(art),
        columns_(art.points, art.triangles, bounds_of(art), 40) {
    const Bounds<3> box = bounds_of(art);
    const Columns& columns = columns_;
    cell_ = columns.cell();
    Part all;
    all.box = box;
    for (const auto& t : art.triangles)
      all.polygons.push_back({art.points[t[0]], art.points[t[1]], art.points[t[2]]});
    for (int y = 0; y < columns.height(); ++y)
      for (int x = 0; x < columns.width(); ++x) {
        const Vec<2> p = columns.at(x, y);
        const std::vector<double>& spans = columns.spans(x, y);
        for (std::size_t k = 0; k + 1 < spans.size(); k += 2)
          all.lines.push_back({p.x(), p.y(), spans[k], spans[k + 1]});
      }
    for (int axis = 0; axis < 3; ++axis) {
      std::vector<double>& c = coordinates_[static_cast<std::size_t>(axis)];
      for (const Vec<3>& p : art.points) c.push_back(p[axis]);
      std::sort(c.begin(), c.end());
      c.erase(std::unique(c.begin(), c.end()), c.end());
    }
    finish(all);
    parts_.push_back(std::move(all));
  }

  void split() {
    const auto most = static_cast<std::size_t>(settled_.options.parts);
    // More than are allowed at first: neighbours are joined again afterwards.
    while (parts_.size() < 3 * most) {
      settled_.report(0.9 * static_cast<double>(parts_.size()) / static_cast<double>(3 * most));
      Part* worst = nullptr;
      for (Part& p : parts_)
        if (!p.whole && p.outward > settled_.options.tolerance &&
            (worst == nullptr || p.outward > worst->outward))
          worst = &p;
      if (worst == nullptr) return;
      divide(*worst);
    }
  }

  // Neighbours whose hull together stays within the tolerance, those with the least air first.
  void join() {
    const double tolerance = settled_.options.tolerance;
    const auto air = [&](std::size_t a, std::size_t b) -> std::optional<double> {
      const Bounds<3> near = bounds(parts_[a].hull, Pose<3>{}).grown(1e-9 * settled_.size);
      if (!near.overlaps(bounds(parts_[b].hull, Pose<3>{}))) return std::nullopt;
      const auto both = hull_of_two(parts_[a], parts_[b]);
      if (!both) return std::nullopt;
      const double all = mass_properties(*both).volume - mass_properties(parts_[a].hull).volume -
                         mass_properties(parts_[b].hull).volume;
      return all <= tolerance * settled_.size * settled_.size ? std::optional(all) : std::nullopt;
    };
    std::vector<Part> left;
    for (const std::size_t i : join_cheapest(parts_.size(), air, [&](std::size_t a, std::size_t b) {
           Part both;
           both.hull = *hull_of_two(parts_[a], parts_[b]);
           both.outward = outward(both.hull);
           if (both.outward > tolerance) return false;
           parts_.push_back(std::move(both));
           return true;
         }))
      left.push_back(std::move(parts_[i]));
    parts_ = std::move(left);
  }

  // All parts inside by a margin, but not where they meet: there they reach as far into each other
  // as what is beside them has gone back. What is thinner than the margin is left out.
  void go_back(double margin) {
    std::vector<Part> left;
    for (Part& part : parts_)
      for (const double over : {-margin, 0.0, margin}) {
        const auto small = within(part.hull, margin, over);
        if (!small || (over < 0 && !has_room(*small, margin))) continue;
        part.hull = *small;
        left.push_back(std::move(part));
        break;
      }
    parts_ = std::move(left);
  }

  [[nodiscard]] const std::vector<Part>& parts() const { return parts_; }

 private:
  // `over`: the margin where another part meets the whole of a face.
  std::optional<Shape<3>> within(const Shape<3>& hull, double margin, double over) const {
    const Planes p = planes_of(hull);
    std::vector<double> margins;
    margins.reserve(p.planes.size());
    for (const auto& plane : p.planes) {
      const Vec<3> outward = 1e-5 * settled_.size * plane.first;
      const Corners points = points_on(p, plane.first, plane.second);
      const bool met = std::all_of(points.begin(), points.end(),
                                   [&](const Vec<3>& at) { return inside_(at + outward); });
      margins.push_back(met ? over : margin);
    }
    const auto small = hull_inside_by(hull, margins);
    return small ? std::optional(small.value()) : std::nullopt;
  }
  // Whether its corners have the margin around them inside the art.
  [[nodiscard]] bool has_room(const Shape<3>& hull, double margin) const {
    for (const Vec<3>& c : planes_of(hull).corners)
      for (int axis = 0; axis < 3; ++axis)
        for (const double way : {-0.99 * margin, 0.99 * margin})
          if (!inside_(c + way * Vec<3>::Unit(axis))) return false;
    return true;
  }
  // In the middle of a face, and half way from there to its corners.
  static Corners points_on(const Planes& p, const Vec<3>& normal, double offset) {
    Corners on;
    for (const Vec<3>& c : p.corners)
      if (std::abs(normal.dot(c) - offset) < 1e-9 * (1 + std::abs(offset))) on.push_back(c);
    Vec<3> middle = kZero;
    for (const Vec<3>& c : on) middle += c / static_cast<double>(on.size());
    for (Vec<3>& c : on) c = 0.5 * (middle + c);
    on.push_back(middle);
    return on;
  }

  std::optional<Shape<3>> hull_of_two(const Part& a, const Part& b) const {
    Corners points = planes_of(a.hull).corners;
    const Corners more = planes_of(b.hull).corners;
    points.insert(points.end(), more.begin(), more.end());
    const auto both = hull(points, 128);
    return both ? std::optional(both.value()) : std::nullopt;
  }

  // How far the hull stands out beyond the art: points along its edges and on its faces.
  double outward(const Shape<3>& hull) const {
    double most = 0;
    const auto look = [&](const Vec<3>& p) { most = std::max(most, measure_.outside(p)); };
    const std::vector<Edge3> list = edges(hull);
    for (const Edge3& e : list)
      for (const double t : {0.2, 0.4, 0.6, 0.8}) look(e.from + t * (e.to - e.from));
    const Planes p = planes_of(hull);
    for (const auto& [normal, offset] : p.planes)
      for (const Vec<3>& at : points_on(p, normal, offset)) look(at);
    // And inside it: hollows that it closes.
    const Bounds<3> box = bounds(hull, Pose<3>{});
    for (int y = 0; y < columns_.height(); y += 2)
      for (int x = 0; x < columns_.width(); x += 2) {
        const Vec<2> at = columns_.at(x, y);
        if (at.x() < box.lo.x() || at.x() > box.hi.x() || at.y() < box.lo.y() ||
            at.y() > box.hi.y())
          continue;
        double from = -1e300;
        double to = 1e300;
        for (const auto& [normal, offset] : p.planes) {
          const double left = offset - normal.x() * at.x() - normal.y() * at.y();
          if (std::abs(normal.z()) < 1e-12) {
            if (left < 0) to = -1e300;
          } else if (normal.z() > 0) {
            to = std::min(to, left / normal.z());
          } else {
            from = std::max(from, left / normal.z());
          }
        }
        const std::vector<double>& spans = columns_.spans(x, y);
        for (std::size_t k = 1; k + 1 < spans.size(); k += 2) {
          const double a = std::max(from, spans[k]);
          const double b = std::min(to, spans[k + 1]);
          if (b > a) look({at.x(), at.y(), 0.5 * (a + b)});
        }
      }
    return most;
  }

  // The exact hull of the part: its polygons' corners, and those of its box that are inside.
  void finish(Part& part) {
    Corners points;
    for (const Corners& polygon : part.polygons)
      points.insert(points.end(), polygon.begin(), polygon.end());
    for (int i = 0; i < 8; ++i) {
      Vec<3> c;
      for (int k = 0; k < 3; ++k) c[k] = (i >> k & 1) != 0 ? part.box.hi[k] : part.box.lo[k];
      // A corner may lie on the surface: what counts is the side of it that is this part's.
      if (inside_(c + 1e-6 * (part.box.centre() - c))) points.push_back(c);
    }
    for (std::size_t budget = 24;; budget *= 2) {
      const auto found = hull(points, std::min<std::size_t>(budget, 256));
      part.whole = !found;
      if (!found) return;
      part.hull = found.value();
      if (budget >= 256) break;
      double inward = 0;
      const std::size_t every = 1 + points.size() / 500;
      for (std::size_t i = 0; i < points.size(); i += every)
        inward = std::max(
            inward, gap_between(point_shape<3>(), {points[i], {}}, part.hull, Pose<3>{}, 1e300));
      if (inward <= 0.25 * settled_.options.tolerance) break;
    }
    part.outward = outward(part.hull);
  }

  // What a side costs: the air in its hull, less a reward for being convex, by which a wall is cut
  // off a room rather than the room cut in two.
  double cost(const std::vector<Line>& lines) const {
    Corners points;
    double volume = 0;
    const Vec<2> half = cell_ / 2;
    // Row by row, of which only the hull counts.
    for (std::size_t i = 0; i < lines.size();) {
      const double y = lines[i].y;
      Loop row;
      for (; i < lines.size() && lines[i].y == y; ++i) {
        volume += cell_.prod() * (lines[i].to - lines[i].from);
        for (const double x : {lines[i].x - half.x(), lines[i].x + half.x()}) {
          row.emplace_back(x, lines[i].from);
          row.emplace_back(x, lines[i].to);
        }
      }
      for (const Vec<2>& p : hull_of(std::move(row)))
        for (const double side : {y - half.y(), y + half.y()})
          points.emplace_back(p.x(), side, p.y());
    }
    const Result<Shape<3>> found = hull(points, 40);
    if (!found) return 0;
    const double air = mass_properties(found.value()).volume - volume;
    return air < 0.03 * volume ? air - 0.3 * volume : air;
  }

  static std::pair<std::vector<Line>, std::vector<Line>> sides(const std::vector<Line>& lines,
                                                               int axis, double at) {
    std::pair<std::vector<Line>, std::vector<Line>> out;
    for (const Line& l : lines) {
      if (axis < 2) {
        ((axis == 0 ? l.x : l.y) < at ? out.first : out.second).push_back(l);
      } else {
        if (l.from < at) out.first.push_back({l.x, l.y, l.from, std::min(l.to, at)});
        if (l.to > at) out.second.push_back({l.x, l.y, std::max(l.from, at), l.to});
      }
    }
    return out;
  }

  struct Cut {
    double cost;
    int axis;
    double at;
    bool operator<(const Cut& o) const {
      return cost != o.cost ? cost < o.cost : axis != o.axis ? axis < o.axis : at < o.at;
    }
  };
  std::vector<Cut> cuts_of(const Part& part) const {
    std::vector<Cut> cuts;
    const double whole = mass_properties(part.hull).volume;
    for (int axis = 0; axis < 3; ++axis) {
      const double lo = part.box.lo[axis];
      const double hi = part.box.hi[axis];
      const double edge = 0.02 * settled_.size;
      std::vector<double> places;
      const auto& all = coordinates_[static_cast<std::size_t>(axis)];
      const auto first = std::upper_bound(all.begin(), all.end(), lo + 1e-9 * settled_.size);
      const auto last = std::lower_bound(first, all.end(), hi - 1e-9 * settled_.size);
      if (last - first <= 12) places.assign(first, last);
      for (int k = 1; k < 12; ++k) places.push_back(lo + (hi - lo) * k / 12);
      for (const double at : places) {
        const bool own = last - first <= 12 && std::binary_search(first, last, at);
        if (!own && (at - lo < edge || hi - at < edge)) continue;
        const auto [below, above] = sides(part.lines, axis, at);
        if (below.empty() || above.empty()) continue;
        // A cut in a place of the model's own corners is the cleaner one.
        cuts.push_back({cost(below) + cost(above) - (own ? 0.1 * whole : 0), axis, at});
      }
    }
    std::sort(cuts.begin(), cuts.end());
    return cuts;
  }

  // Cuts it where that costs least and leaves a volume on both sides.
  void divide(Part& part) {
    const std::vector<Cut> cuts = cuts_of(part);
    for (std::size_t i = 0; i < std::min<std::size_t>(cuts.size(), 8); ++i) {
      auto [below, above] = halves(part, cuts[i]);
      finish(below);
      finish(above);
      if (below.whole || above.whole) continue;
      part = std::move(below);
      parts_.push_back(std::move(above));
      return;
    }
    part.whole = true;
  }

  static std::pair<Part, Part> halves(const Part& part, const Cut& c) {
    Part above;
    above.box = part.box;
    above.box.lo[c.axis] = c.at;
    Part below;
    below.box = part.box;
    below.box.hi[c.axis] = c.at;
    std::tie(below.lines, above.lines) = sides(part.lines, c.axis, c.at);
    for (const Corners& polygon : part.polygons) {
      const bool in_plane = std::all_of(polygon.begin(), polygon.end(),
                                        [&](const Vec<3>& p) { return p[c.axis] == c.at; });
      if (in_plane) {  // of the side that it bounds
        const Vec<3> out = cross(Vec<3>(polygon[1] - polygon[0]), Vec<3>(polygon[2] - polygon[0]));
        (out[c.axis] > 0 ? below : above).polygons.push_back(polygon);
        continue;
      }
      Corners low = cut(polygon, c.axis, c.at, false);
      Corners high = cut(polygon, c.axis, c.at, true);
      if (low.size() >= 3) below.polygons.push_back(std::move(low));
      if (high.size() >= 3) above.polygons.push_back(std::move(high));
    }
    return {std::move(below), std::move(above)};
  }

  const Settled<3>& settled_;
  Inside inside_;
  Measure<3> measure_;
  Columns columns_;
  Vec<2> cell_ = kZero;
  std::array<std::vector<double>, 3> coordinates_;
  std::vector<Part> parts_;
};

// What rounding set a bit apart lies in one plane again: a cut there leaves no slivers.
void level(Corners& points, double near) {
  std::vector<std::size_t> order(points.size());
  for (int axis = 0; axis < 3; ++axis) {
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      return std::pair(points[a][axis], a) < std::pair(points[b][axis], b);
    });
    double first = -1e300;
    for (const std::size_t i : order) {
      double& at = points[i][axis];
      if (at - first <= near) at = first;
      else first = at;
    }
  }
}

// The model's largest plane face and the largest that is square to it, as axes; none where it is
// round.
std::optional<Rotation<3>> axes_of_faces(const Art<3>& art) {
  constexpr double kLarge = 0.03;                // of the whole surface
  std::vector<std::pair<Vec<3>, double>> faces;  // normal, area
  double whole = 0;
  for (const auto& t : art.triangles) {
    const Vec<3> n = cross(Vec<3>(art.points[t[1]] - art.points[t[0]]),
                           Vec<3>(art.points[t[2]] - art.points[t[0]]));
    const double area = n.norm();
    if (!(area > 0)) continue;
    whole += area;
    const auto same = std::find_if(faces.begin(), faces.end(), [&](const auto& f) {
      return std::abs(f.first.dot(n)) > (1 - 1e-6) * area;
    });
    if (same != faces.end()) same->second += area;
    else if (faces.size() < 256) faces.emplace_back(n / area, area);
  }
  const auto largest = [&](const Vec<3>& square_to) {
    std::pair<Vec<3>, double> best{kZero, 0};
    for (const auto& f : faces)
      if (std::abs(f.first.dot(square_to)) < 0.1 && f.second > best.second) best = f;
    return best.second > kLarge * whole ? best.first : Vec<3>(kZero);
  };
  const Vec<3> first = largest(kZero);
  Vec<3> second = largest(first);
  if (second.isZero(0)) return std::nullopt;
  second = (second - second.dot(first) * first).normalized();
  return Rotation<3>::from_axes(first, second);
}

// Parts of the model cut along some axes, and how far the worst of them stands out.
struct Cutting {
  Rotation<3> turned;
  std::vector<Part> parts;  // within the margin
  std::size_t count = 0;
  double outward = 0;
};

Cutting cut_along(const Art<3>& given, const Settled<3>& s, const Rotation<3>& turned) {
  Art<3> art = given;
  for (Vec<3>& p : art.points) p = turned.inverse() * p;
  level(art.points, 5e-6 * s.size);
  Cutter cutter(art, s);
  cutter.split();
  cutter.join();
  Cutting all{turned, {}, cutter.parts().size()};
  for (const Part& part : cutter.parts()) all.outward = std::max(all.outward, part.outward);
  if (s.options.margin > 0) cutter.go_back(s.options.margin);
  all.parts = cutter.parts();
  return all;
}

// Along the axes of the smallest box around it; where that fails, along those of its faces.
Result<Cutting> cut_within(const Art<3>& art, const Settled<3>& s, const Rotation<3>& smallest) {
  Cutting best = cut_along(art, s, smallest);
  const auto good = [&](const Cutting& c) {
    return c.count <= static_cast<std::size_t>(s.options.parts) && c.outward <= s.options.tolerance;
  };
  if (good(best)) return best;
  if (const auto faces = axes_of_faces(art)) {
    Cutting other = cut_along(art, s, *faces);
    if (good(other)) return other;
    if (other.outward < best.outward) best = std::move(other);
  }
  return Error{"parts",
               fmt::format("{} parts are not enough for a tolerance of {:.4g}: {} still stand out "
                           "by {:.4g}",
                           s.options.parts, s.options.tolerance, best.count, best.outward),
               "more parts, or a larger tolerance"};
}

}  // namespace

Result<Offer<3>> fit_parts(const Art<3>& art, const Settled<3>& s) {
  if (const std::size_t open = open_edges(art); open > 0)
    return Error{"parts", fmt::format("the model is open at {} edges, so it has no inside", open),
                 "a closed model"};
  const Result<Shape<3>> coarse = hull(art.points, 256);
  if (!coarse) return Error{"parts", "the model is flat", "one with a volume"};
  const Result<Cutting> cutting =
      cut_within(art, s, turned_box_around(art.points, coarse.value()).collider.turned);
  if (!cutting) return cutting.error();
  if (cutting.value().parts.empty()) return too_much("parts");
  Offer<3> offer;
  offer.as = Fit::parts;
  std::vector<Placed<3>> children;
  const Rotation<3>& turned = cutting.value().turned;
  Bounds<3> box;
  for (const Vec<3>& p : art.points) box = box.merged(turned.inverse() * p);
  for (const Part& part : cutting.value().parts) {
    const Shape<3> shape = scaled(part.hull, 1 - s.options.shrink);
    children.push_back({shape, s.options.shrink * box.centre(), {}});
    offer.loops.push_back(planes_of(shape).corners);
    for (Vec<3>& p : offer.loops.back()) p += s.options.shrink * box.centre();
  }
  const Result<Shape<3>> together = compound<3>(children);
  if (!together) return together.error();
  offer.collider.shape = together.value();
  offer.collider.turned = turned;
  return offer;
}

}  // namespace colvik::fitting
