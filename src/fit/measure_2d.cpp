// How well a 2D collider fits: areas line by line, distances by points along both edges.
#include <algorithm>

#include "fit/fitting.h"

namespace colvik::fitting {

Loop core_of(const Shape<2>& convex) {
  if (convex.corners == nullptr) {
    const Vec<2>& half = convex.core;
    if (half.isZero(0)) return {Vec<2>(kZero)};
    if (half.x() <= 0) return {Vec<2>(0, -half.y()), Vec<2>(0, half.y())};
    return {-half, Vec<2>(half.x(), -half.y()), half, Vec<2>(-half.x(), half.y())};
  }
  Shape<2> sharp = convex;
  sharp.radius = 0;
  Loop loop = outlines(sharp).front();
  if (loop.size() > 1 && loop.front() == loop.back()) loop.pop_back();
  return loop;
}

template <>
std::vector<Placed<2>> convex_pieces(const Placed<2>& collider) {
  if (is_convex(collider.shape)) return {collider};
  std::vector<Placed<2>> pieces;
  if (collider.shape.kind == ShapeKind::compound) {
    const Pose<2> pose{collider.at, collider.turned};
    for (const Placed<2>& c : convex_children(collider.shape)) {
      const Pose<2> at = pose * Pose<2>{c.at, c.turned};
      pieces.push_back({c.shape, at.position, at.rotation});
    }
    return pieces;
  }
  for (Loop& fill : fills(collider.shape))
    if (const Result<Shape<2>> p = polygon(fill))
      pieces.push_back({p.value(), collider.at, collider.turned});
  return pieces;
}

template <>
double reach(const Placed<2>& convex, const Vec<2>& direction) {
  double most = -1e300;
  for (const Vec<2>& p : core_of(convex.shape))
    most = std::max(most, direction.dot(convex.at + convex.turned * p));
  return most + convex.shape.radius;
}

namespace {

// A convex piece as corners and a rounding, and where a line y = const is in it.
struct Piece {
  Loop core;
  double radius = 0;
};

bool span_of(const Piece& piece, double y, double& from, double& to) {
  from = 1e300;
  to = -1e300;
  const auto add = [&](double x) {
    from = std::min(from, x);
    to = std::max(to, x);
  };
  const double r = piece.radius;
  const std::size_t n = piece.core.size();
  for (std::size_t i = 0; i < n; ++i) {
    const Vec<2>& a = piece.core[i];
    const double off = y - a.y();
    if (std::abs(off) <= r) {
      const double half = std::sqrt(std::max(0.0, r * r - off * off));
      add(a.x() - half);
      add(a.x() + half);
    }
    if (n < 2) continue;
    const Vec<2>& b = piece.core[(i + 1) % n];
    Vec<2> out(b.y() - a.y(), a.x() - b.x());
    out *= r / out.norm();
    const Vec<2> c = a + out;
    const Vec<2> d = b + out;
    if ((c.y() > y) != (d.y() > y)) add(c.x() + (y - c.y()) / (d.y() - c.y()) * (d.x() - c.x()));
  }
  return to > from;
}

}  // namespace

template <>
struct Measure<2>::Kept {
  const Art<2>& art;
  Rows rows;
  Bounds<2> box;
  MassProperties<2> mass;
  std::vector<Shape<2>> lines;  // of the loops, for distances
  Loop samples;                 // along the art's edge
};

template <>
Measure<2>::Measure(const Art<2>& art) : kept_(new Kept{art, {}, {}, {}, {}, {}}) {
  constexpr int kRows = 1000;
  kept_->box = bounds_of(art);
  const double step = kept_->box.size().y() / kRows;
  kept_->rows = rows_of(art.loops, kept_->box.lo.y(), step, kRows);
  kept_->mass = mass_of(art);
  double around = 0;
  for (const Loop& loop : art.loops)
    for (std::size_t i = 0; i < loop.size(); ++i)
      around += (loop[(i + 1) % loop.size()] - loop[i]).norm();
  const double apart = around / 1000;
  for (const Loop& loop : art.loops) {
    if (auto line = polyline(loop, {.closed = true, .two_sided = true}))
      kept_->lines.push_back(std::move(line).value());
    double next = 0;  // a point each `apart`, and each corner that bends much
    for (std::size_t i = 0; i < loop.size(); ++i) {
      const Vec<2>& a = loop[i];
      const Vec<2> along = loop[(i + 1) % loop.size()] - a;
      const double length = along.norm();
      if (length >= apart) kept_->samples.push_back(a);
      while (next < length) {
        kept_->samples.emplace_back(a + next / length * along);
        next += apart;
      }
      next -= length;
    }
  }
}
template <>
Measure<2>::~Measure() = default;

template <>
double Measure<2>::outside(const Vec<2>& point) const {
  if (is_inside(kept_->art.loops, point)) return 0;
  double least = 1e300;
  for (const Shape<2>& line : kept_->lines)
    least = std::min(least, gap_between(point_shape<2>(), {point, {}}, line, Pose<2>{}, least));
  return least;
}

namespace {

struct Areas {
  double both = 0;
  double collider = 0;
  double art = 0;
  Loop air;  // points of the collider in the middle of where a row is outside the art
};

Areas areas_of(const std::vector<Placed<2>>& convex, const Rows& art, const Bounds<2>& box) {
  std::vector<Piece> pieces;
  Bounds<2> all;
  for (const Placed<2>& c : convex) {
    Piece piece{core_of(c.shape), c.shape.radius};
    for (Vec<2>& p : piece.core) p = c.at + c.turned * p;
    all = all.merged(bounds_of_points(piece.core).grown(piece.radius));
    pieces.push_back(std::move(piece));
  }
  Areas areas;
  for (const std::vector<double>& row : art.spans)
    for (std::size_t k = 0; k + 1 < row.size(); k += 2)
      areas.art += art.step * (row[k + 1] - row[k]);
  // Rows like the art's, also above and below it.
  const auto first = static_cast<long>(std::floor((all.lo.y() - box.lo.y()) / art.step));
  const auto last = static_cast<long>(std::ceil((all.hi.y() - box.lo.y()) / art.step));
  std::vector<std::pair<double, double>> spans;
  for (long r = first; r < last; ++r) {
    const double y = box.lo.y() + (static_cast<double>(r) + 0.5) * art.step;
    spans.clear();
    for (const Piece& piece : pieces)
      if (double from = 0, to = 0; span_of(piece, y, from, to)) spans.emplace_back(from, to);
    std::sort(spans.begin(), spans.end());
    const bool sampled = r % 10 == 0;
    const bool beside = r < 0 || r >= static_cast<long>(art.spans.size());
    double done = -1e300;  // up to here
    for (auto [from, to] : spans) {
      from = std::max(from, done);
      if (to <= from) continue;
      done = to;
      areas.collider += art.step * (to - from);
      if (beside) continue;
      const std::vector<double>& row = art.spans[static_cast<std::size_t>(r)];
      double free = from;  // from here on the row was not yet inside the art
      for (std::size_t k = 0; k + 1 < row.size(); k += 2) {
        areas.both += art.step * std::max(0.0, std::min(to, row[k + 1]) - std::max(from, row[k]));
        if (sampled && row[k] > free && row[k] < to)
          areas.air.emplace_back(0.5 * (free + row[k]), y);
        free = std::max(free, row[k + 1]);
      }
      if (sampled && free < to && free > from) areas.air.emplace_back(0.5 * (free + to), y);
    }
  }
  return areas;
}

}  // namespace

template <>
double Measure<2>::stands_out(const Loop& hull) const {
  double most = 0;
  for (std::size_t i = 0; i < hull.size(); ++i)
    for (int k = 1; k < 32; ++k)
      most = std::max(most, outside(hull[i] + k / 32.0 * (hull[(i + 1) % hull.size()] - hull[i])));
  // And inside it: holes, and bays that it closes.
  const Piece piece{hull, 0};
  const Rows& rows = kept_->rows;
  for (std::size_t r = 0; r < rows.spans.size(); r += 2) {
    const double y = rows.first + (static_cast<double>(r) + 0.5) * rows.step;
    double from = 0;
    double to = 0;
    if (!span_of(piece, y, from, to)) continue;
    const std::vector<double>& row = rows.spans[r];
    for (std::size_t k = 1; k + 1 < row.size(); k += 2) {
      const double a = std::max(from, row[k]);
      const double b = std::min(to, row[k + 1]);
      if (b > a) most = std::max(most, outside(Vec<2>(0.5 * (a + b), y)));
    }
  }
  return most;
}

template <>
double Measure<2>::overlap(const Offer<2>& offer) const {
  const Areas a = areas_of(convex_pieces(offer.collider), kept_->rows, kept_->box);
  return a.both / (a.art + a.collider - a.both);
}

template <>
Fitness<2> Measure<2>::of(const Offer<2>& offer) const {
  Fitness<2> f;
  const std::vector<Placed<2>> pieces = convex_pieces(offer.collider);
  const Pose<2> pose{offer.collider.at, offer.collider.turned};
  const double art = kept_->mass.volume;
  const Areas a = areas_of(pieces, kept_->rows, kept_->box);
  f.has_volume = true;
  f.overlap = a.both / (a.art + a.collider - a.both);
  f.covered = std::min(1.0, a.both / a.art);
  f.spilled = std::max(0.0, (a.collider - a.both) / a.art);
  const MassProperties<2> mass = mass_properties(offer.collider.shape);
  if (mass.volume > 0) {
    f.mass = mass.volume / art;
    f.off_centre = pose * mass.centre - kept_->mass.centre;
    f.inertia = mass.inertia(0, 0) / kept_->mass.inertia(0, 0);
    double least = 1e300;
    double most = -1e300;
    for (int i = 0; i < 360; ++i) {
      const Vec<2> way = Rotation<2>(kPi * i / 180).axis(0);
      double far = -1e300;
      for (const Placed<2>& p : pieces) far = std::max(far, reach(p, way));
      far -= way.dot(pose * mass.centre);
      least = std::min(least, far);
      most = std::max(most, far);
    }
    f.bump = most - least;
  }
  for (const Placed<2>& p : pieces) {
    ++f.pieces;
    const std::size_t corners = core_of(p.shape).size();
    f.corners += corners > 2 ? static_cast<int>(corners) : 0;
  }
  for (const Loop& line : outlines(offer.collider.shape)) {
    double length = 0;
    for (std::size_t i = 0; i + 1 < line.size(); ++i) length += (line[i + 1] - line[i]).norm();
    for (std::size_t i = 0; i + 1 < line.size(); ++i) {
      const Vec<2> along = line[i + 1] - line[i];
      const int parts = 1 + static_cast<int>(200 * along.norm() / length);
      for (int k = 0; k < parts; ++k)
        f.outward = std::max(f.outward, outside(pose * Vec<2>(line[i] + k * along / parts)));
    }
  }
  for (const Vec<2>& p : a.air) f.outward = std::max(f.outward, outside(p));
  for (const Vec<2>& p : kept_->samples) {
    double gap = 1e300;
    for (const Placed<2>& piece : pieces)
      gap = std::min(gap, gap_between(point_shape<2>(), {p, {}}, piece.shape,
                                      Pose<2>{piece.at, piece.turned}, std::max(gap, 0.0)));
    f.inward = std::max(f.inward, gap);
  }
  return f;
}

}  // namespace colvik::fitting
