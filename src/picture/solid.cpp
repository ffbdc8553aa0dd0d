#include "picture/solid.h"

#include <algorithm>
#include <cmath>

namespace colvik::picture {

namespace {

constexpr int kFine = 2;  // pixels of the raster in one of the picture

Facet flat(const Vec<3>& a, const Vec<3>& b, const Vec<3>& c) {
  const Vec<3> n = cross(Vec<3>(b - a), Vec<3>(c - a)).normalized();
  return {{a, b, c}, {n, n, n}};
}

// A surface of turning a profile (distance from y, and y) about the y axis, smooth where its
// normals (likewise) are.
struct ProfilePoint {
  Vec<2> at;
  Vec<2> normal;
};
void turned(const std::vector<ProfilePoint>& profile, std::vector<Facet>& out) {
  constexpr int kSides = 40;
  const auto place = [](const Vec<2>& p, int k) -> Vec<3> {
    double s = 0;
    double c = 0;
    sine_cosine(2 * kPi * k / kSides, s, c);
    return {p.x() * c, p.y(), p.x() * s};
  };
  for (std::size_t i = 0; i + 1 < profile.size(); ++i) {
    const ProfilePoint& a = profile[i];
    const ProfilePoint& b = profile[i + 1];
    if ((a.at - b.at).isZero()) continue;  // a sharp edge: two normals at one place
    for (int k = 0; k < kSides; ++k) {
      const auto corner = [&](const ProfilePoint& p, int n) {
        return std::pair(place(p.at, n), place(p.normal, n));
      };
      const auto add = [&](auto x, auto y, auto z) {
        out.push_back({{x.first, y.first, z.first}, {x.second, y.second, z.second}});
      };
      add(corner(a, k), corner(b, k), corner(b, k + 1));
      add(corner(a, k), corner(b, k + 1), corner(a, k + 1));
    }
  }
}

std::vector<ProfilePoint> round_ended(double radius, double half) {
  std::vector<ProfilePoint> profile;
  for (int i = 0; i <= 24; ++i) {
    double s = 0;
    double c = 0;
    sine_cosine(kPi * (i / 24.0 - 0.5), s, c);
    profile.push_back({{radius * c, radius * s + (i > 12 ? half : -half)}, {c, s}});
    if (i == 12) profile.push_back({{radius * c, radius * s + half}, {c, s}});
  }
  return profile;
}

// The faces of a convex body from its edges: those that share the direction of a side.
void convex_faces(const std::vector<Edge3>& all, std::vector<Facet>& out) {
  std::vector<std::pair<Vec<3>, std::vector<Vec<3>>>> faces;
  for (const Edge3& e : all)
    for (const Vec<3>& side : {e.side_a, e.side_b}) {
      if (side.isZero()) continue;
      auto face = std::find_if(faces.begin(), faces.end(), [&](const auto& f) {
        return f.first.dot(side) > 1 - 1e-9 &&
               std::abs(f.first.dot(e.from - f.second[0])) < 1e-6 * (1 + e.from.norm());
      });
      if (face == faces.end()) face = faces.insert(faces.end(), {side, {}});
      face->second.push_back(e.from);
      face->second.push_back(e.to);
    }
  for (auto& [normal, points] : faces) {
    Vec<3> middle = kZero;
    for (const Vec<3>& p : points) middle += p / static_cast<double>(points.size());
    const Vec<3> x = (points[0] - middle).normalized();
    const Vec<3> y = cross(normal, x);
    std::sort(points.begin(), points.end(), [&](const Vec<3>& a, const Vec<3>& b) {
      return std::atan2(y.dot(a - middle), x.dot(a - middle)) <
             std::atan2(y.dot(b - middle), x.dot(b - middle));
    });
    for (std::size_t i = 0; i < points.size(); ++i) {
      const Vec<3>& next = points[(i + 1) % points.size()];
      if ((points[i] - next).norm() > 1e-12) out.push_back(flat(middle, points[i], next));
    }
  }
}

// A line with a thickness: a tube with round ends.
void tube(const Vec<3>& from, const Vec<3>& to, double radius, std::vector<Facet>& out) {
  const Pose<3> at = along(from, to);
  const std::size_t first = out.size();
  turned(round_ended(radius, (to - from).norm() / 2), out);
  for (std::size_t i = first; i < out.size(); ++i)
    for (std::size_t k = 0; k < 3; ++k) {
      out[i].at[k] = at * out[i].at[k];
      out[i].normal[k] = at.rotation * out[i].normal[k];
    }
}

// Of one whose edges are round the body between its flat faces.
void rounded_faces(const Shape<3>& shape, std::vector<Facet>& out) {
  std::vector<Vec<3>> cloud;
  for (const Edge3& e : edges(shape)) {
    cloud.push_back(e.from);
    cloud.push_back(e.to);
  }
  if (const auto around = colvik::hull(cloud, 256)) convex_faces(edges(around.value()), out);
}

}  // namespace

std::vector<Facet> facets(const Shape<3>& shape, double wide, const Vec<3>& middle) {
  std::vector<Facet> out;
  const Vec<3> half = shape.kind == ShapeKind::half_space || !is_convex(shape)
                          ? Vec<3>(kZero)
                          : Vec<3>(bounds(shape, Pose<3>{}).size() / 2);
  switch (shape.kind) {
    case ShapeKind::ball: turned(round_ended(shape.radius, 0), out); break;
    case ShapeKind::capsule: turned(round_ended(shape.radius, shape.core.y()), out); break;
    case ShapeKind::cylinder:
      turned({{{0, -half.y()}, {0, -1}},
              {{half.x(), -half.y()}, {0, -1}},
              {{half.x(), -half.y()}, {1, 0}},
              {{half.x(), half.y()}, {1, 0}},
              {{half.x(), half.y()}, {0, 1}},
              {{0, half.y()}, {0, 1}}},
             out);
      break;
    case ShapeKind::cone: {
      const Vec<2> slope = Vec<2>(2 * half.y(), half.x()).normalized();
      turned({{{0, -half.y()}, {0, -1}},
              {{half.x(), -half.y()}, {0, -1}},
              {{half.x(), -half.y()}, slope},
              {{0, half.y()}, slope}},
             out);
      break;
    }
    case ShapeKind::compound:
      for (const Placed<3>& child : convex_children(shape))
        for (Facet f : facets(child.shape, wide, middle)) {
          for (Vec<3>& p : f.at) p = Pose<3>{child.at, child.turned} * p;
          for (Vec<3>& n : f.normal) n = child.turned * n;
          out.push_back(f);
        }
      break;
    case ShapeKind::half_space: {
      const double w = wide;
      const Vec<3> at(middle.x(), 0, middle.z());
      const Vec<3> a = at + Vec<3>(-w, 0, -w);
      const Vec<3> b = at + Vec<3>(w, 0, -w);
      const Vec<3> c = at + Vec<3>(w, 0, w);
      const Vec<3> d = at + Vec<3>(-w, 0, w);
      out = {flat(a, c, b), flat(a, d, c)};
      break;
    }
    case ShapeKind::segment: {
      const std::vector<Edge3> line = edges(shape);
      if (!line.empty() && shape.radius > 0) tube(line[0].from, line[0].to, shape.radius, out);
      break;
    }
    default:
      if (!is_convex(shape))
        for (const auto& [a, b, c] : triangles(shape)) out.push_back(flat(a, b, c));
      else if (shape.radius > 0) rounded_faces(shape, out);
      else convex_faces(edges(shape), out);
  }
  return out;
}

Raster::Raster(const Vec<2>& corner, const Vec<2>& size, const Projection<3>& to_paper)
    : corner_(corner),
      size_(size),
      to_paper_(to_paper),
      width_(static_cast<int>(size.x() * kFine)),
      height_(static_cast<int>(size.y() * kFine)),
      depth_(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_), -1e30F),
      pixels_(4 * depth_.size(), 0),
      light_((to_paper.toward() + 0.9 * to_paper.up()).normalized()) {}

auto Raster::pixel(const Vec<3>& p) const -> Pixel {
  return {(to_paper_(p) - corner_) * kFine, to_paper_.depth(p) * to_paper_.scale()};
}

// Onto what is there; premultiplied, as cairo keeps it.
void Raster::blend(std::size_t i, const Colour& c, double light) {
  const auto mix = [&](std::size_t k, double value) {
    const double before = pixels_[4 * i + k] / 255.0;
    const double now = value * c.a + before * (1 - c.a);
    pixels_[4 * i + k] = static_cast<std::uint8_t>(std::clamp(now, 0.0, 1.0) * 255 + 0.5);
  };
  mix(0, c.b * light);
  mix(1, c.g * light);
  mix(2, c.r * light);
  mix(3, 1);
}

void Raster::fill(const Facet& facet, const Pose<3>& at, const Colour& colour) {
  std::array<Pixel, 3> p;
  std::array<double, 3> light;
  for (std::size_t k = 0; k < 3; ++k) {
    p[k] = pixel(at * facet.at[k]);
    Vec<3> n = at.rotation * facet.normal[k];
    if (to_paper_.toward().dot(n) < 0) n = -n;  // both sides are seen
    light[k] = 0.66 + 0.34 * std::max(0.0, light_.dot(n));
  }
  const auto turn = [](const Vec<2>& a, const Vec<2>& b, const Vec<2>& c) {
    return (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
  };
  const double area = turn(p[0].at, p[1].at, p[2].at);
  if (std::abs(area) < 1e-9) return;
  Bounds<2> box;
  for (const Pixel& x : p) box = box.merged(x.at);
  const auto least = [](double v, int most) {
    return static_cast<int>(std::clamp(std::floor(v), 0.0, static_cast<double>(most)));
  };
  const bool hides = colour.a >= 1;
  for (int y = least(box.lo.y(), height_); y < least(box.hi.y() + 1, height_); ++y)
    for (int x = least(box.lo.x(), width_); x < least(box.hi.x() + 1, width_); ++x) {
      const Vec<2> q(x + 0.5, y + 0.5);
      const double a = turn(p[1].at, p[2].at, q) / area;
      const double b = turn(p[2].at, p[0].at, q) / area;
      const double c = 1 - a - b;
      if (a < 0 || b < 0 || c < 0) continue;
      const auto depth = static_cast<float>(a * p[0].depth + b * p[1].depth + c * p[2].depth);
      const std::size_t i = static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) +
                            static_cast<std::size_t>(x);
      if (depth < depth_[i]) continue;
      if (hides) depth_[i] = depth;
      blend(i, colour, a * light[0] + b * light[1] + c * light[2]);
    }
}

void Raster::line(const Vec<3>& from, const Vec<3>& to, const Stroke& stroke) {
  constexpr double kBias = 1.5;  // pixels nearer than the surface that the line lies on
  const Pixel a = pixel(from);
  const Pixel b = pixel(to);
  const double length = (b.at - a.at).norm();
  const int count = static_cast<int>(std::min(length, 20000.0)) + 1;
  const int wide = stroke.width > 1.5 ? 3 : 2;
  for (int k = 0; k <= count; ++k) {
    const double t = static_cast<double>(k) / count;
    const double along = t * length / kFine;
    if (stroke.dash == Dash::dashed && std::fmod(along, 9) > 5) continue;
    if (stroke.dash == Dash::dotted && std::fmod(along, 4) > 1.5) continue;
    if (stroke.dash == Dash::dash_dot && std::fmod(along, 14) > 8 &&
        std::abs(std::fmod(along, 14) - 11) > 1)
      continue;
    const Vec<2> at = a.at + t * (b.at - a.at);
    const auto depth = static_cast<float>(a.depth + t * (b.depth - a.depth) + kBias);
    for (int dy = 0; dy < wide; ++dy)
      for (int dx = 0; dx < wide; ++dx) {
        const double px = std::floor(at.x() + dx - 0.5 * wide + 0.5);
        const double py = std::floor(at.y() + dy - 0.5 * wide + 0.5);
        if (!(px >= 0 && py >= 0 && px < width_ && py < height_)) continue;
        const std::size_t i = static_cast<std::size_t>(py) * static_cast<std::size_t>(width_) +
                              static_cast<std::size_t>(px);
        if (depth >= depth_[i]) blend(i, stroke.colour.faded(0.6), 1);
      }
  }
}

void Raster::paint(Canvas& canvas) {
  canvas.paint_pixels(pixels_.data(), width_, height_, corner_, size_);
}

}  // namespace colvik::picture
