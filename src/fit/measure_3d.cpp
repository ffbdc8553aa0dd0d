// How well a 3D collider fits: volumes by lines along z, distances by points on both surfaces.
#include <algorithm>

#include "fit/around.h"
#include "fit/fitting.h"
#include "fit/model.h"

namespace colvik::fitting {

template <>
std::vector<Placed<3>> convex_pieces(const Placed<3>& collider) {
  if (is_convex(collider.shape)) return {collider};
  std::vector<Placed<3>> pieces;
  const Pose<3> pose{collider.at, collider.turned};
  for (const Placed<3>& c : convex_children(collider.shape)) {
    const Pose<3> at = pose * Pose<3>{c.at, c.turned};
    pieces.push_back({c.shape, at.position, at.rotation});
  }
  return pieces;
}

namespace {

constexpr int kAlong = 160;             // lines along the longer side
constexpr std::size_t kSamples = 1500;  // of a surface's corners, and of its triangles

// A convex shape ready for being cut by lines and planes, in its own frame.
struct Piece {
  Placed<3> placed{};
  Planes planes;  // of boxes and hulls
  Bounds<3> box;
};

Piece piece_of(const Placed<3>& placed) {
  Piece piece{placed, {}, bounds(placed.shape, Pose<3>{placed.at, placed.turned})};
  const ShapeKind kind = placed.shape.kind;
  if (kind == ShapeKind::box || kind == ShapeKind::hull) piece.planes = planes_of(placed.shape);
  return piece;
}

double reach_of(const Piece& piece, const Vec<3>& direction) {
  const Shape<3>& s = piece.placed.shape;
  const Vec<3> way = piece.placed.turned.inverse() * direction;
  const double base = direction.dot(piece.placed.at);
  const double aside = std::sqrt(way.x() * way.x() + way.z() * way.z());
  const double half = s.core.y();
  switch (s.kind) {
    case ShapeKind::ball: return base + s.radius;
    case ShapeKind::capsule: return base + s.radius + half * std::abs(way.y());
    case ShapeKind::cylinder: return base + s.core.x() * aside + half * std::abs(way.y());
    case ShapeKind::cone:
      return base + std::max(half * way.y(), s.core.x() * aside - half * way.y());
    default: break;
  }
  double most = -1e300;
  for (const Vec<3>& c : piece.planes.corners) most = std::max(most, way.dot(c));
  return base + most;
}

// From t to u along p + t d, narrowed to where a t^2 + 2 b t + c <= 0 (a > 0).
bool narrow(double a, double b, double c, double& from, double& to) {
  const double root = b * b - a * c;
  if (root <= 0) return false;
  const double r = std::sqrt(root);
  from = std::max(from, (-b - r) / a);
  to = std::min(to, (-b + r) / a);
  return to > from;
}

bool span_in_capsule(const Vec<3>& p, const Vec<3>& d, double half, double r, double& from,
                     double& to) {
  // Of two balls and the drum between them; together they are convex.
  double lo = 1e300;
  double hi = -1e300;
  for (const double y : {-half, half}) {
    const Vec<3> q = p - Vec<3>(0, y, 0);
    double a = -1e300;
    double b = 1e300;
    if (!narrow(1, q.dot(d), q.squaredNorm() - r * r, a, b)) continue;
    lo = std::min(lo, a);
    hi = std::max(hi, b);
  }
  const double square = d.x() * d.x() + d.z() * d.z();
  double a = -1e300;
  double b = 1e300;
  bool in = true;
  if (square > 1e-18)
    in = narrow(square, p.x() * d.x() + p.z() * d.z(), p.x() * p.x() + p.z() * p.z() - r * r, a, b);
  else in = p.x() * p.x() + p.z() * p.z() < r * r;
  if (in && std::abs(d.y()) > 1e-12) {
    const auto [bottom, top] = std::minmax({(-half - p.y()) / d.y(), (half - p.y()) / d.y()});
    a = std::max(a, bottom);
    b = std::min(b, top);
    in = b > a;
  } else if (in) {
    in = std::abs(p.y()) < half;
  }
  if (in && b > a) {
    lo = std::min(lo, a);
    hi = std::max(hi, b);
  }
  from = lo;
  to = hi;
  return hi > lo;
}

bool span_in_cone(const Vec<3>& p, const Vec<3>& d, const Vec<3>& core, double& from, double& to) {
  const double half = core.y();
  if (std::abs(d.y()) > 1e-12) {
    const auto [bottom, top] = std::minmax({(-half - p.y()) / d.y(), (half - p.y()) / d.y()});
    from = bottom;
    to = top;
  } else if (std::abs(p.y()) >= half) {
    return false;
  }
  const double k = core.x() / (2 * half);  // radius at y: k (half - y)
  const double g = k * (half - p.y());
  const double a = d.x() * d.x() + d.z() * d.z() - k * k * d.y() * d.y();
  const double b = p.x() * d.x() + p.z() * d.z() + k * g * d.y();
  const double c = p.x() * p.x() + p.z() * p.z() - g * g;
  if (a > 1e-12) return narrow(a, b, c, from, to);
  const double root = b * b - a * c;
  if (a > -1e-12) {
    if (std::abs(b) < 1e-12) return c < 0;
    if (b > 0) to = std::min(to, -c / (2 * b));
    else from = std::max(from, -c / (2 * b));
    return to > from;
  }
  if (root <= 0) return to > from;
  const double r = std::sqrt(root);
  const auto [first, second] = std::minmax({(-b - r) / a, (-b + r) / a});
  // Before the first root or after the second; the half below the tip is where the line comes from
  // as it rises.
  if (d.y() > 0) to = std::min(to, first);
  else from = std::max(from, second);
  return to > from;
}

bool span_along_z(const Piece& piece, const Vec<2>& at, double& from, double& to) {
  if (at.x() < piece.box.lo.x() || at.x() > piece.box.hi.x() || at.y() < piece.box.lo.y() ||
      at.y() > piece.box.hi.y())
    return false;
  const Rotation<3> back = piece.placed.turned.inverse();
  const Vec<3> start(at.x(), at.y(), 0);
  const Vec<3> p = back * Vec<3>(start - piece.placed.at);
  const Vec<3> d = back * Vec<3>(0.0, 0.0, 1.0);
  const Shape<3>& s = piece.placed.shape;
  from = -1e300;
  to = 1e300;
  switch (s.kind) {
    case ShapeKind::ball:
      return narrow(1, p.dot(d), p.squaredNorm() - s.radius * s.radius, from, to);
    case ShapeKind::capsule: return span_in_capsule(p, d, s.core.y(), s.radius, from, to);
    case ShapeKind::cone: return span_in_cone(p, d, s.core, from, to);
    case ShapeKind::cylinder: {
      const double square = d.x() * d.x() + d.z() * d.z();
      const double away = p.x() * p.x() + p.z() * p.z() - s.core.x() * s.core.x();
      if (square > 1e-18) {
        if (!narrow(square, p.x() * d.x() + p.z() * d.z(), away, from, to)) return false;
      } else if (away >= 0) {
        return false;
      }
      if (std::abs(d.y()) <= 1e-12) return std::abs(p.y()) < s.core.y();
      const auto [bottom, top] =
          std::minmax({(-s.core.y() - p.y()) / d.y(), (s.core.y() - p.y()) / d.y()});
      from = std::max(from, bottom);
      to = std::min(to, top);
      return to > from;
    }
    default: break;
  }
  for (const auto& [normal, offset] : piece.planes.planes) {
    const double speed = normal.dot(d);
    const double left = offset - normal.dot(p);
    if (std::abs(speed) < 1e-14) {
      if (left < 0) return false;
      continue;
    }
    if (speed > 0) to = std::min(to, left / speed);
    else from = std::max(from, left / speed);
    if (to <= from) return false;
  }
  return to > from;
}

}  // namespace

template <>
double reach(const Placed<3>& convex, const Vec<3>& direction) {
  return reach_of(piece_of(convex), direction);
}

template <>
struct Measure<3>::Kept {
  const Art<3>& art;
  Bounds<3> box;
  bool closed = false;
  MassProperties<3> mass;
  Shape<3> surface;
  Inside inside;
  std::optional<Columns> columns;
  std::vector<Vec<3>> samples;  // on the art's surface
};

namespace {

// Corners and middles of triangles, at most about so many.
std::vector<Vec<3>> samples_of(const std::vector<Vec<3>>& points, const Triangles& triangles,
                               std::size_t most) {
  std::vector<Vec<3>> out;
  const std::size_t each = 1 + points.size() / most;
  for (std::size_t i = 0; i < points.size(); i += each) out.push_back(points[i]);
  const std::size_t every = 1 + triangles.size() / most;
  for (std::size_t i = 0; i < triangles.size(); i += every) {
    const auto& t = triangles[i];
    out.emplace_back((points[t[0]] + points[t[1]] + points[t[2]]) / 3);
  }
  return out;
}

}  // namespace

template <>
Measure<3>::Measure(const Art<3>& art)
    : kept_(new Kept{art,
                     bounds_of(art),
                     open_edges(art) == 0,
                     mass_of(art),
                     {},
                     Inside(art.points, art.triangles),
                     {},
                     {}}) {
  if (auto surface = mesh(art.points, art.triangles, true))
    kept_->surface = std::move(surface).value();
  if (kept_->closed) kept_->columns.emplace(art.points, art.triangles, kept_->box, kAlong);
  kept_->samples = samples_of(art.points, art.triangles, kSamples);
}
template <>
Measure<3>::~Measure() = default;

template <>
double Measure<3>::outside(const Vec<3>& point) const {
  if (kept_->closed && kept_->inside(point)) return 0;
  return gap_between(point_shape<3>(), {point, {}}, kept_->surface, Pose<3>{}, 1e300);
}
namespace {

struct Volumes {
  double art = 0;
  double both = 0;
  double collider = 0;
  std::vector<Vec<3>>
      air;  // points of the collider in the middle of where a line is outside the art
};

// The spans of a line, joined where pieces overlap, against the art's.
void add_line(std::vector<std::pair<double, double>>& spans, const std::vector<double>* art,
              double area, Volumes& v) {
  std::sort(spans.begin(), spans.end());
  double done = -1e300;
  for (auto [from, to] : spans) {
    from = std::max(from, done);
    if (to <= from) continue;
    done = to;
    v.collider += area * (to - from);
    for (std::size_t k = 0; art != nullptr && k + 1 < art->size(); k += 2)
      v.both += area * std::max(0.0, std::min(to, (*art)[k + 1]) - std::max(from, (*art)[k]));
  }
}

Volumes volumes_of(const std::vector<Piece>& pieces, const Columns& columns, const Bounds<3>& box) {
  Volumes v;
  Bounds<3> all;
  for (const Piece& p : pieces) all = all.merged(p.box);
  const auto outer = [&](double value, int axis, bool up) {
    const double n = (value - box.lo[axis]) / columns.cell()[axis];
    return static_cast<int>(up ? std::ceil(n) : std::floor(n));
  };
  const int x0 = std::min(0, outer(all.lo.x(), 0, false));
  const int x1 = std::max(columns.width(), outer(all.hi.x(), 0, true));
  const int y0 = std::min(0, outer(all.lo.y(), 1, false));
  const int y1 = std::max(columns.height(), outer(all.hi.y(), 1, true));
  std::vector<std::pair<double, double>> spans;
  for (int y = y0; y < y1; ++y)
    for (int x = x0; x < x1; ++x) {
      const bool beside = x < 0 || y < 0 || x >= columns.width() || y >= columns.height();
      const std::vector<double>* art = beside ? nullptr : &columns.spans(x, y);
      for (std::size_t k = 0; art != nullptr && k + 1 < art->size(); k += 2)
        v.art += columns.cell_area() * ((*art)[k + 1] - (*art)[k]);
      spans.clear();
      for (const Piece& p : pieces)
        if (double from = 0, to = 0; span_along_z(p, columns.at(x, y), from, to))
          spans.emplace_back(from, to);
      add_line(spans, art, columns.cell_area(), v);
      if (art == nullptr || x % 5 != 0 || y % 5 != 0) continue;
      for (const auto& [from, to] : spans) {
        double free = from;
        const auto add = [&](double end) {
          if (end > free)
            v.air.emplace_back(columns.at(x, y).x(), columns.at(x, y).y(), 0.5 * (free + end));
        };
        for (std::size_t k = 0; k + 1 < art->size(); k += 2) {
          add(std::min((*art)[k], to));
          free = std::max(free, (*art)[k + 1]);
        }
        if (!art->empty()) add(to);
      }
    }
  return v;
}

// Points on the surfaces of convex pieces.
std::vector<Vec<3>> surface_points(const std::vector<Piece>& pieces) {
  std::vector<Vec<3>> out;
  for (const Piece& p : pieces) {
    const std::vector<Edge3> lines = edges(p.placed.shape);
    const std::size_t every = 1 + lines.size() * pieces.size() / 1500;
    for (std::size_t i = 0; i < lines.size(); i += every)
      for (const double t : {0.0, 0.25, 0.5, 0.75, 1.0})
        out.emplace_back(p.placed.at + p.placed.turned * Vec<3>(lines[i].from +
                                                                t * (lines[i].to - lines[i].from)));
    for (const auto& [normal, offset] : p.planes.planes) {
      Vec<3> middle = kZero;
      double n = 0;
      for (const Vec<3>& c : p.planes.corners)
        if (std::abs(normal.dot(c) - offset) < 1e-9 * (1 + std::abs(offset))) {
          middle += c;
          ++n;
        }
      if (n > 0) out.emplace_back(p.placed.at + p.placed.turned * Vec<3>(middle / n));
    }
  }
  return out;
}

}  // namespace

namespace {

void set_shares(Fitness<3>& f, const Volumes& v) {
  f.has_volume = v.art > 0;
  if (!f.has_volume) return;
  f.overlap = v.both / (v.art + v.collider - v.both);
  f.covered = std::min(1.0, v.both / v.art);
  f.spilled = std::max(0.0, (v.collider - v.both) / v.art);
}

// How far the centre of mass goes up and down as it rolls about the best of the collider's own
// axes.
double bump_of(const std::vector<Piece>& pieces, const Rotation<3>& turned, const Vec<3>& centre) {
  double bump = 1e300;
  for (int axis = 0; axis < 3; ++axis) {
    double least = 1e300;
    double most = -1e300;
    for (int i = 0; i < 120; ++i) {
      const Vec<2> c = Rotation<2>(kPi * i / 60).axis(0);
      const Vec<3> way = turned.axis((axis + 1) % 3) * c.x() + turned.axis((axis + 2) % 3) * c.y();
      double out = -1e300;
      for (const Piece& p : pieces) out = std::max(out, reach_of(p, way));
      out -= way.dot(centre);
      least = std::min(least, out);
      most = std::max(most, out);
    }
    bump = std::min(bump, most - least);
  }
  return bump;
}

// A mesh as triangles of their own corners.
struct Surface {
  std::vector<Vec<3>> points;
  Triangles triangles;
};
Surface surface_of(const Placed<3>& collider) {
  Surface s;
  const Pose<3> pose{collider.at, collider.turned};
  for (const auto& t : triangles(collider.shape)) {
    const auto first = static_cast<std::uint32_t>(s.points.size());
    s.triangles.push_back({first, first + 1, first + 2});
    for (const Vec<3>& p : t) s.points.push_back(pose * p);
  }
  return s;
}

Volumes volumes_of(const Surface& own, const Columns& art, const Bounds<3>& box) {
  const Columns mine(own.points, own.triangles, box, kAlong);
  Volumes v;
  std::vector<std::pair<double, double>> spans;
  for (int y = 0; y < mine.height(); ++y)
    for (int x = 0; x < mine.width(); ++x) {
      spans.clear();
      const std::vector<double>& s = mine.spans(x, y);
      const std::vector<double>& other = art.spans(x, y);
      for (std::size_t k = 0; k + 1 < s.size(); k += 2) spans.emplace_back(s[k], s[k + 1]);
      for (std::size_t k = 0; k + 1 < other.size(); k += 2)
        v.art += mine.cell_area() * (other[k + 1] - other[k]);
      add_line(spans, &other, mine.cell_area(), v);
    }
  return v;
}

}  // namespace

template <>
Fitness<3> Measure<3>::of_mesh(const Offer<3>& offer) const {
  Fitness<3> f;
  const Surface own = surface_of(offer.collider);
  f.pieces = static_cast<int>(own.triangles.size());
  f.corners = 3 * f.pieces;
  if (kept_->columns) set_shares(f, volumes_of(own, *kept_->columns, kept_->box));
  if (offer.as == Fit::mesh) return f;  // it is the art
  const auto apart = [&](const Vec<3>& p, const Shape<3>& surface) {
    return gap_between(point_shape<3>(), {p, {}}, surface, Pose<3>{}, 1e300);
  };
  for (const Vec<3>& p : samples_of(own.points, own.triangles, kSamples))
    f.outward = std::max(f.outward, apart(p, kept_->surface));
  if (const auto both_sides = mesh(own.points, own.triangles, true))
    for (const Vec<3>& p : kept_->samples)
      f.inward = std::max(f.inward, apart(p, both_sides.value()));
  return f;
}

template <>
Fitness<3> Measure<3>::of(const Offer<3>& offer) const {
  if (offer.collider.shape.kind == ShapeKind::mesh) return of_mesh(offer);
  Fitness<3> f;
  const Pose<3> pose{offer.collider.at, offer.collider.turned};
  std::vector<Piece> pieces;
  for (const Placed<3>& p : convex_pieces(offer.collider)) pieces.push_back(piece_of(p));
  const MassProperties<3> mass = mass_properties(offer.collider.shape);
  if (kept_->columns && kept_->mass.volume > 0) {
    const Volumes v = volumes_of(pieces, *kept_->columns, kept_->box);
    set_shares(f, v);
    if (f.has_volume) {
      f.mass = mass.volume / kept_->mass.volume;
      f.off_centre = pose * mass.centre - kept_->mass.centre;
      f.inertia = mass.inertia.trace() / kept_->mass.inertia.trace();
    }
    for (const Vec<3>& p : v.air) f.outward = std::max(f.outward, outside(p));
  }
  f.bump = bump_of(pieces, offer.collider.turned, pose * mass.centre);
  for (const Piece& p : pieces) {
    ++f.pieces;
    f.corners += static_cast<int>(p.planes.corners.size());
  }
  for (const Vec<3>& p : surface_points(pieces)) f.outward = std::max(f.outward, outside(p));
  for (const Vec<3>& p : kept_->samples) {
    double gap = 1e300;
    for (const Piece& piece : pieces) {
      if (gap <= 0) break;
      gap = std::min(gap, gap_between(point_shape<3>(), {p, {}}, piece.placed.shape,
                                      Pose<3>{piece.placed.at, piece.placed.turned}, gap));
    }
    f.inward = std::max(f.inward, gap);
  }
  return f;
}

}  // namespace colvik::fitting
