// Outlines, convex parts, unions of simple shapes and tiles.
#include <fmt/format.h>

#include "fit/around.h"
#include "fit/cuts_2d.h"
#include "fit/fitting.h"
#include "fit/joining.h"

namespace colvik::fitting {
namespace {

struct Outlined {
  Shape<2> shape{};
  Loops loops;
};

Result<Outlined> outline_of(const Loops& loops) {
  std::vector<Placed<2>> all;
  Loops ordered;
  for (const Island& island : islands_of(loops)) {
    Result<Shape<2>> shape = outlined(island.around, island.holes);
    if (!shape) {
      const bool many = island.around.size() > 2000;
      return Error{"outline", shape.error().where + ": " + shape.error().what,
                   many ? "a larger tolerance" : shape.error().accepted};
    }
    all.push_back({std::move(shape).value(), kZero, {}});
    ordered.push_back(island.around);
    ordered.insert(ordered.end(), island.holes.begin(), island.holes.end());
  }
  if (all.size() == 1) return Outlined{all[0].shape, std::move(ordered)};
  const Result<Shape<2>> together = compound<2>(all);
  if (!together) return together.error();
  return Outlined{together.value(), std::move(ordered)};
}

Placed<2> smallest_around(const Loop& hull, double& area) {
  // The simpler one where it is hardly larger.
  Around<2> best = circle_around(hull);
  const Around<2> turned = turned_box_around(hull);
  if (turned.volume < 0.98 * best.volume) best = turned;
  const Around<2> pill = capsule_around(hull, 16);
  if (pill.volume < 0.98 * best.volume) best = pill;
  area = best.volume;
  return best.collider;
}

}  // namespace

Result<Loops> smaller_loops(const Art<2>& art, const Settled<2>& s) {
  Loops loops = s.options.margin > 0 ? inside_by(art.loops, s.options.margin) : art.loops;
  const Vec<2> middle = bounds_of(art).centre();
  if (s.options.shrink > 0)
    for (Loop& loop : loops)
      for (Vec<2>& p : loop) p = middle + (1 - s.options.shrink) * (p - middle);
  if (loops.empty()) return too_much("outline");
  return loops;
}

Result<Offer<2>> fit_outline(const Art<2>& art, const Settled<2>& s) {
  const Result<Loops> loops = smaller_loops(art, s);
  if (!loops) return loops.error();
  Result<Outlined> outline = outline_of(fewer_corners_each(loops.value(), s.options.tolerance));
  if (!outline) return outline.error();
  Outlined done = std::move(outline).value();
  Offer<2> offer;
  offer.as = Fit::outline;
  offer.collider.shape = std::move(done.shape);
  offer.loops = std::move(done.loops);
  return offer;
}

namespace {

// Joins those first that add least, while the hull stays within the tolerance.
std::vector<Group> joined_within(std::vector<Group> groups, const Measure<2>& measure, double most,
                                 double size) {
  const double near = 2 * most + 1e-9 * size;
  const auto excess = [&](std::size_t a, std::size_t b) -> std::optional<double> {
    if (!bounds_of_points(groups[a].hull).grown(near).overlaps(bounds_of_points(groups[b].hull)))
      return std::nullopt;
    const Group both = joined(groups[a], groups[b]);
    return area_of(both.hull) - both.area;
  };
  std::vector<Group> left;
  for (const std::size_t i :
       join_cheapest(groups.size(), excess, [&](std::size_t a, std::size_t b) {
         Group both = joined(groups[a], groups[b]);
         if (both.hull.size() > 64 || measure.stands_out(both.hull) > most) return false;
         groups.push_back(std::move(both));
         return true;
       }))
    left.push_back(groups[i]);
  return left;
}

}  // namespace

Result<Offer<2>> fit_parts(const Art<2>& art, const Settled<2>& s) {
  const Result<Loops> loops = smaller_loops(art, s);
  if (!loops) return loops.error();
  const double most = 0.97 * s.options.tolerance;  // measured at points
  const Loops fewer = fewer_corners_each(loops.value(), 0.25 * s.options.tolerance);
  const Result<Outlined> outline = outline_of(fewer);
  if (!outline) return outline.error();
  const Art<2> trimmed{loops.value(), {}, {}};
  const Measure<2> measure(trimmed);
  std::vector<Group> left;
  for (std::vector<Group>& cut : cuts_of(outline.value().shape, fewer)) {
    std::vector<Group> now = joined_within(std::move(cut), measure, most, s.size);
    if (now.empty()) continue;
    if (left.empty() || now.size() < left.size()) left = std::move(now);
    if (left.size() == 1) break;
  }
  if (left.size() > static_cast<std::size_t>(s.options.parts))
    return Error{
        "parts",
        fmt::format("a tolerance of {:.6g} takes {} convex parts", s.options.tolerance,
                    left.size()),
        fmt::format("as many parts (now at most {}), or a larger tolerance", s.options.parts)};
  Offer<2> offer;
  offer.as = Fit::parts;
  std::vector<Placed<2>> children;
  for (const Group& g : left) {
    const Result<Shape<2>> part = polygon(g.hull);
    if (!part) return part.error();
    children.push_back({part.value(), kZero, {}});
    offer.loops.push_back(g.hull);
  }
  const Result<Shape<2>> together = compound<2>(children);
  if (!together) return together.error();
  offer.collider.shape = together.value();
  return offer;
}

namespace {

struct Simple {
  Group group;
  Placed<2> shape{};
  double area = 0;
};
// The shapes of a union, and how well they overlap the art.
struct Union {
  std::vector<Placed<2>> shapes;
  double overlap = -1;
};

// Joins pieces until one is left, always the two whose shape adds least; of the unions of few
// enough shapes on the way the best.
Union best_union(const std::vector<Group>& groups, const Measure<2>& measure, int most) {
  std::vector<Simple> parts;
  for (const Group& g : groups) {
    Simple f{g, {}, 0};
    f.shape = smallest_around(g.hull, f.area);
    parts.push_back(std::move(f));
  }
  const auto added = [&](std::size_t a, std::size_t b) {
    double area = 0;
    (void)smallest_around(joined(parts[a].group, parts[b].group).hull, area);
    return area - parts[a].area - parts[b].area;
  };
  // What joining the first with a later one adds in area.
  const auto unknown = std::numeric_limits<double>::infinity();
  std::vector<std::vector<double>> adds(parts.size(), std::vector<double>(parts.size(), unknown));
  for (std::size_t a = 0; a < parts.size(); ++a)
    for (std::size_t b = a + 1; b < parts.size(); ++b) adds[a][b] = added(a, b);
  Union best;
  double best_overlap = -1;
  while (!parts.empty()) {
    if (parts.size() <= static_cast<std::size_t>(most)) {
      std::vector<Placed<2>> shapes;
      shapes.reserve(parts.size());
      for (const Simple& f : parts) shapes.push_back(f.shape);
      Offer<2> offer;
      offer.as = Fit::simple;
      const Result<Shape<2>> together = compound<2>(shapes);
      if (together) offer.collider.shape = together.value();
      // Another shape must be worth it.
      const double overlap = together ? measure.overlap(offer) : -1;
      if (overlap >= best_overlap * 0.98) {
        best_overlap = std::max(overlap, best_overlap);
        best = {std::move(shapes), overlap};
      }
    }
    if (parts.size() == 1) break;
    std::size_t a = 0;
    std::size_t b = 1;
    for (std::size_t i = 0; i < parts.size(); ++i)
      for (std::size_t k = i + 1; k < parts.size(); ++k)
        if (adds[i][k] < adds[a][b]) std::tie(a, b) = std::tie(i, k);
    parts[a].group = joined(parts[a].group, parts[b].group);
    parts[a].shape = smallest_around(parts[a].group.hull, parts[a].area);
    parts.erase(parts.begin() + static_cast<std::ptrdiff_t>(b));
    adds.erase(adds.begin() + static_cast<std::ptrdiff_t>(b));
    for (auto& row : adds) row.erase(row.begin() + static_cast<std::ptrdiff_t>(b));
    for (std::size_t k = 0; k < parts.size(); ++k)
      if (k != a) adds[std::min(a, k)][std::max(a, k)] = added(std::min(a, k), std::max(a, k));
  }
  return best;
}

// The box inside by a margin; a side that meets others of the shapes with its whole length, where
// they are twice as deep, goes as far into them instead, so that no gap opens between them. False
// if nothing is left.
bool go_back(Placed<2>& box, std::size_t own, const std::vector<Placed<2>>& shapes, double margin) {
  const auto met = [&](const Vec<2>& at) {
    for (std::size_t i = 0; i < shapes.size(); ++i)
      if (i != own && gap_between(point_shape<2>(), {at, {}}, shapes[i].shape,
                                  {shapes[i].at, shapes[i].turned}, 1e300) <= 0)
        return true;
    return false;
  };
  const Pose<2> pose{box.at, box.turned};
  const Vec<2> half = box.shape.core;
  Bounds<2> left{-half, half};
  for (int axis = 0; axis < 2; ++axis)
    for (const double side : {-1.0, 1.0}) {
      bool whole = true;
      for (const double along : {-0.98, 0.0, 0.98})
        for (const double beyond : {1e-6 * half[axis], 1.99 * margin}) {
          Vec<2> at = along * half;
          at[axis] = side * (half[axis] + beyond);
          whole = whole && met(pose * at);
        }
      const double change = whole ? margin : -margin;
      (side < 0 ? left.lo : left.hi)[axis] += side * change;
    }
  if (!(left.size().minCoeff() > 0)) return false;
  box.shape.core = left.size() / 2;
  box.at = pose * left.centre();
  return true;
}

// Each shape of a union inside by the margin, all smaller about the art's middle.
Result<Shape<2>> smaller_union(std::vector<Placed<2>> shapes, const Vec<2>& middle,
                               const Settled<2>& s) {
  const double keep = 1 - s.options.shrink;
  for (Placed<2>& c : shapes) {
    c.at = middle + keep * (c.at - middle);
    c.shape.core *= keep;
    c.shape.radius *= keep;
  }
  std::vector<Placed<2>> left;
  for (std::size_t i = 0; i < shapes.size(); ++i) {
    Placed<2> c = shapes[i];
    const bool is_box = c.shape.kind == ShapeKind::box;
    if (!is_box) c.shape.radius -= s.options.margin;
    if (is_box ? s.options.margin <= 0 || go_back(c, i, shapes, s.options.margin)
               : c.shape.radius > 0)
      left.push_back(c);
  }
  if (left.empty()) return too_much("union");
  return compound<2>(left);
}

// Without islands and holes that are as small as the tolerance, which would keep it from growing.
Loops large_ones(const Loops& loops, double tolerance) {
  Loops large;
  for (const Loop& loop : loops)
    if (std::abs(area_of(loop)) > 9 * tolerance * tolerance) large.push_back(loop);
  return large.empty() ? loops : large;
}

}  // namespace

Result<Offer<2>> fit_union(const Art<2>& art, const Settled<2>& s, const Measuring<2>& measure) {
  // Few pieces to begin with, as joining them tries all pairs: each way to cut it at the finest
  // tolerance at which they are few.
  constexpr std::array<std::size_t, 3> kMost{48, 20, 20};
  Union best;
  std::array<bool, 3> tried{};
  for (double tolerance = 0.25 * s.options.tolerance; !tried[0]; tolerance *= 1.6) {
    if (tolerance > s.size) {  // one shape around it all
      Group all{hull_of(all_points(art.loops)), 0};
      if (best.shapes.empty()) best = best_union({std::move(all)}, measure(), 1);
      break;
    }
    const Loops fewer = fewer_corners_each(large_ones(art.loops, tolerance), tolerance);
    const Result<Outlined> outline = outline_of(fewer);
    if (!outline) return outline.error();
    const auto cuts = cuts_of(outline.value().shape, fewer);
    for (std::size_t way = 0; way < cuts.size(); ++way) {
      if (tried[way] || cuts[way].empty() || cuts[way].size() > kMost[way]) continue;
      tried[way] = true;
      Union now = best_union(cuts[way], measure(), s.options.parts);
      if (now.overlap > best.overlap * 1.001) best = std::move(now);
    }
  }
  if (best.shapes.empty()) return Error{"union", "no shapes were found", "another tolerance"};
  const Result<Shape<2>> small = smaller_union(best.shapes, bounds_of(art).centre(), s);
  if (!small) return small.error();
  Offer<2> offer;
  offer.as = Fit::simple;
  offer.collider.shape = small.value();
  return offer;
}

Result<Offer<2>> fit_tiles(const Art<2>& art, const Settled<2>& s) {
  const Vec<2> cell = s.options.cell;
  if (!(cell.minCoeff() > 0))
    return Error{"tiles", "the size of a cell is not given", "cell = [width, height]"};
  const Bounds<2> frame = art.frame.empty() ? bounds_of(art) : art.frame;
  const Vec<2> counts(std::ceil(frame.size().x() / cell.x() - 1e-6),
                      std::ceil(frame.size().y() / cell.y() - 1e-6));
  if (counts.prod() > 1e6)
    return Error{"tiles", fmt::format("would have {} x {} cells", counts.x(), counts.y()),
                 "at most 1000000, of a larger size"};
  constexpr int kFine = 8;  // lines through each row of cells
  const auto columns = static_cast<int>(counts.x());
  const auto rows = static_cast<int>(counts.y());
  const Rows lines = rows_of(art.loops, frame.lo.y(), cell.y() / kFine, rows * kFine);
  Offer<2> offer;
  offer.as = Fit::tiles;
  for (int r = rows - 1; r >= 0; --r) {
    std::string row;
    for (int c = 0; c < columns; ++c) {
      const double left = frame.lo.x() + c * cell.x();
      double all = 0;
      double under_rise = 0;  // beneath '/', in which the ground rises to the right
      double under_fall = 0;
      for (std::size_t f = 0; f < kFine; ++f) {
        const double height = (static_cast<double>(f) + 0.5) / kFine;
        const auto& spans = lines.spans[static_cast<std::size_t>(r) * kFine + f];
        for (std::size_t k = 0; k + 1 < spans.size(); k += 2) {
          const double a = std::clamp((spans[k] - left) / cell.x(), 0.0, 1.0);
          const double b = std::clamp((spans[k + 1] - left) / cell.x(), 0.0, 1.0);
          all += (b - a) / kFine;
          under_rise += (std::max(b, height) - std::max(a, height)) / kFine;
          under_fall += (std::min(b, 1 - height) - std::min(a, 1 - height)) / kFine;
        }
      }
      const auto slope = [&](double under) { return under > 0.4 && all - under < 0.1; };
      if (slope(under_rise)) row += '/';
      else if (slope(under_fall)) row += '\\';
      else row += all >= 0.5 ? '#' : '.';
    }
    offer.rows.push_back(std::move(row));
  }
  const Result<Shape<2>> shape = tiles(offer.rows, cell);
  if (!shape) return shape.error();
  offer.collider = {shape.value(), frame.lo, {}};
  offer.loops = {{cell}};
  return offer;
}

}  // namespace colvik::fitting
