#pragma once
// Who touches whom, worked out by brute force from what objects show, with nothing of the library's
// geometry or filters: every collider is a box with a rounding (balls and capsules have flat
// boxes), 2D is 3D without thickness.
#include <colvik/object.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>
#include <string>

namespace colvik::test::model {

using Point = std::array<double, 3>;
inline Point operator+(const Point& a, const Point& b) {
  return {a[0] + b[0], a[1] + b[1], a[2] + b[2]};
}
inline Point operator-(const Point& a, const Point& b) {
  return {a[0] - b[0], a[1] - b[1], a[2] - b[2]};
}
inline Point operator*(double s, const Point& a) { return {s * a[0], s * a[1], s * a[2]}; }
inline double dot(const Point& a, const Point& b) {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

struct Box {
  Point middle{};
  std::array<Point, 3> axes{};
  Point half{};
  double radius = 0;

  [[nodiscard]] Point local(const Point& p) const {
    const Point d = p - middle;
    return {dot(d, axes[0]), dot(d, axes[1]), dot(d, axes[2])};
  }
  [[nodiscard]] Point corner(int bits) const {
    Point p = middle;
    for (std::size_t i = 0; i < 3; ++i)
      p = p + ((bits >> i & 1) != 0 ? half[i] : -half[i]) * axes[i];
    return p;
  }
  [[nodiscard]] double distance(const Point& p) const {
    const Point q = local(p);
    Point out{};
    for (std::size_t i = 0; i < 3; ++i) out[i] = std::max(0.0, std::abs(q[i]) - half[i]);
    return std::sqrt(dot(out, out));
  }
  // Whether a line from p to q meets it: clipped by one pair of faces after the other.
  [[nodiscard]] bool meets(const Point& p, const Point& q) const {
    const Point a = local(p);
    const Point b = local(q);
    double from = 0;
    double to = 1;
    for (std::size_t i = 0; i < 3; ++i) {
      const double h = half[i] + 1e-12;
      const double d = b[i] - a[i];
      if (std::abs(d) < 1e-15) {
        if (std::abs(a[i]) > h) return false;
        continue;
      }
      const double u = (-h - a[i]) / d;
      const double v = (h - a[i]) / d;
      from = std::max(from, std::min(u, v));
      to = std::min(to, std::max(u, v));
    }
    return from <= to;
  }
};

inline double between_lines(const Point& p, const Point& q, const Point& r, const Point& s) {
  const auto to_line = [](const Point& x, const Point& a, const Point& b) {
    const Point d = b - a;
    const double n = dot(d, d);
    const double t = n > 0 ? std::clamp(dot(x - a, d) / n, 0.0, 1.0) : 0;
    const Point away = x - (a + t * d);
    return std::sqrt(dot(away, away));
  };
  double best = std::min({to_line(p, r, s), to_line(q, r, s), to_line(r, p, q), to_line(s, p, q)});
  const Point u = q - p;
  const Point v = s - r;
  const Point w = p - r;
  const double a = dot(u, u);
  const double b = dot(u, v);
  const double c = dot(v, v);
  const double det = a * c - b * b;
  if (det > 1e-14 * a * c) {
    const double t = (b * dot(v, w) - c * dot(u, w)) / det;
    const double k = (a * dot(v, w) - b * dot(u, w)) / det;
    if (t >= 0 && t <= 1 && k >= 0 && k <= 1) {
      const Point away = w + t * u - k * v;
      best = std::min(best, std::sqrt(dot(away, away)));
    }
  }
  return best;
}

// 0 where they overlap.
inline double distance(const Box& a, const Box& b) {
  const auto each_edge = [](const Box& box, auto&& visit) {
    for (int bits = 0; bits < 8; ++bits)
      for (int i = 0; i < 3; ++i)
        if ((bits >> i & 1) == 0) visit(box.corner(bits), box.corner(bits | 1 << i));
  };
  double best = 1e300;
  for (const auto& [x, y] : {std::pair(&a, &b), std::pair(&b, &a)}) {
    for (int bits = 0; bits < 8; ++bits) best = std::min(best, x->distance(y->corner(bits)));
    each_edge(*y, [&, box = x](const Point& p, const Point& q) {
      if (box->meets(p, q)) best = 0;
    });
  }
  if (best == 0) return 0;
  each_edge(a, [&](const Point& p, const Point& q) {
    each_edge(b, [&](const Point& r, const Point& s) {
      best = std::min(best, between_lines(p, q, r, s));
    });
  });
  return best;
}

// Whether their surfaces are no further apart than `reach`, which may be a little below 0.
inline bool near(Box a, Box b, double reach) {
  double apart = a.radius + b.radius + reach;
  if (apart < 0) {  // both are sharp: overlapping by that much
    for (Box* box : {&a, &b})
      for (double& h : box->half) h = std::max(0.0, h + apart / 2);
    apart = 0;
  }
  return distance(a, b) <= apart;
}

template <int D>
Box box_of(const Object<D>& o, const ColliderDef<D>& c) {
  Box box;
  const Pose<D> pose = o.pose * Pose<D>{c.at, c.turned};
  box.axes[2] = {0, 0, 1};
  for (int i = 0; i < D; ++i) {
    const auto k = static_cast<std::size_t>(i);
    box.middle[k] = pose.position[i];
    box.half[k] = c.shape.core[i];
    for (int j = 0; j < D; ++j) box.axes[k][static_cast<std::size_t>(j)] = pose.rotation.axis(i)[j];
  }
  box.radius = c.shape.radius;
  return box;
}

// The queries that the program throws: "any", "none", "b", "!b", "a | c".
inline bool accepts(const std::string& query, const std::set<std::string>& tags) {
  if (query == "any") return true;
  if (query == "none") return false;
  if (query == "a | c") return tags.contains("a") || tags.contains("c");
  if (query.starts_with('!')) return !tags.contains(query.substr(1));
  return tags.contains(query);
}

}  // namespace colvik::test::model
