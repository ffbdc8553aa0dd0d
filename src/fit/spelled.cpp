// Colliders as scene files write them; heights of grey pictures.
#include <fmt/format.h>

#include "fit/fitting.h"

namespace colvik {
namespace {

std::string number(double value) {
  const std::string text = fmt::format("{:.8g}", value);
  return text == "-0" ? "0" : text;
}

template <int D>
std::string vector(const Vec<D>& v) {
  // What rounding left of a 0 beside the others is one.
  const double least = 1e-12 * v.cwiseAbs().maxCoeff();
  std::string out;
  for (int k = 0; k < D; ++k)
    out += (k == 0 ? "[" : ", ") + number(std::abs(v[k]) < least ? 0.0 : v[k]);
  return out + "]";
}

template <int D>
std::string list(const std::vector<Vec<D>>& points) {
  std::string out;
  for (const Vec<D>& p : points) out += (out.empty() ? "" : ", ") + vector<D>(p);
  return "[" + out + "]";
}

// Where it is, as "at = ..." and "turned = ...", with what goes between them.
template <int D>
std::string placed(const Vec<D>& at, const Rotation<D>& turned, double size,
                   const std::string& between) {
  std::string out;
  if (at.cwiseAbs().maxCoeff() > 1e-9 * size) out += between + "at = " + vector<D>(at);
  if constexpr (D == 2) {
    const double angle = degrees(turned.angle());
    if (std::abs(angle) > 1e-7) out += between + "turned = " + number(angle);
  } else {
    const Spin<3> spin = turned.to_spin();
    const double angle = degrees(spin.norm());
    if (angle > 1e-7)
      out += fmt::format("{}turned = {{ axis = {}, angle = {} }}", between,
                         vector<3>(spin / spin.norm()), number(angle));
  }
  return out;
}

// "box = [1, 2]" of a convex shape; `corners` are those of a polygon's or hull's.
template <int D>
std::string convex(const Shape<D>& s, const std::vector<Vec<D>>& corners) {
  const std::string sizes = fmt::format("{{ diameter = {}, height = {} }}", number(2 * s.core.x()),
                                        number(2 * s.core.y()));
  switch (s.kind) {
    case ShapeKind::ball:
      return fmt::format("{} = {{ diameter = {} }}", D == 2 ? "circle" : "sphere",
                         number(2 * s.radius));
    case ShapeKind::box: return "box = " + vector<D>(2 * s.core);
    case ShapeKind::capsule:
      return fmt::format("capsule = {{ width = {}, height = {} }}", number(2 * s.radius),
                         number(2 * (s.core.y() + s.radius)));
    case ShapeKind::cylinder: return "cylinder = " + sizes;
    case ShapeKind::cone: return "cone = " + sizes;
    case ShapeKind::hull:
      return fmt::format("hull = {{ points = {}{} }}", list<D>(corners),
                         corners.size() > 64 ? ", budget = 256" : "");
    default: break;
  }
  std::string out = "polygon = " + list<D>(corners);
  if (s.radius > 0) out += "\nrounding = " + number(s.radius);
  return out;
}

}  // namespace

template <int D>
std::string spelled(const Offer<D>& offer) {
  const Placed<D>& c = offer.collider;
  const double size = bounds(c.shape, Pose<D>{}).size().maxCoeff();
  std::string text;
  switch (c.shape.kind) {
    case ShapeKind::compound: {
      const std::vector<Placed<D>> children = convex_children(c.shape);
      text = "compound = [\n";
      // The parts of several outlines are not those that the loops are of.
      const bool own = children.size() == offer.loops.size();
      for (std::size_t i = 0; i < children.size(); ++i) {
        std::vector<Vec<D>> corners;
        if (own) corners = offer.loops[i];
        else if constexpr (D == 2) corners = fitting::core_of(children[i].shape);
        text += fmt::format("  {{ {}{} }},\n", convex<D>(children[i].shape, corners),
                            placed<D>(children[i].at, children[i].turned, size, ", "));
      }
      text += "]";
      break;
    }
    case ShapeKind::outline:
      if constexpr (D == 2) {
        text = "outline = { corners = " + list<2>(offer.loops.at(0));
        for (std::size_t i = 1; i < offer.loops.size(); ++i)
          text += (i == 1 ? ", holes = [" : ", ") + list<2>(offer.loops[i]);
        text += offer.loops.size() > 1 ? "] }" : " }";
      }
      break;
    case ShapeKind::tiles:
      text = fmt::format("tiles = {{ cell = {}, rows = [", vector<D>(offer.loops.at(0).at(0)));
      for (std::size_t i = 0; i < offer.rows.size(); ++i) {
        std::string row = offer.rows[i];
        for (std::size_t at = 0; (at = row.find('\\', at)) != std::string::npos; at += 2)
          row.replace(at, 1, "\\\\");
        text += fmt::format("{}\"{}\"", i == 0 ? "" : ", ", row);
      }
      text += "] }";
      break;
    case ShapeKind::mesh: {
      text = "mesh = { points = " + list<D>(offer.loops.at(0)) + ", triangles = [";
      for (std::size_t i = 0; i < offer.triangles.size(); ++i)
        text += fmt::format("{}[{}]", i == 0 ? "" : ", ", fmt::join(offer.triangles[i], ", "));
      text += "] }";
      break;
    }
    default:
      text = convex<D>(c.shape, offer.loops.empty() ? std::vector<Vec<D>>{} : offer.loops[0]);
  }
  return text + placed<D>(c.at, c.turned, size, "\n") + "\n";
}
template std::string spelled(const Offer<2>&);
template std::string spelled(const Offer<3>&);

Result<Shape<3>> heights_of(const Pixels& pixels, const Vec<2>& cell, double height) {
  constexpr int kMost = 2048;
  if (pixels.width < 2 || pixels.height < 2 || pixels.width > kMost || pixels.height > kMost)
    return Error{"picture", fmt::format("is {} x {} pixels", pixels.width, pixels.height),
                 fmt::format("2 to {} on a side", kMost)};
  if (pixels.bytes.size() !=
      4 * static_cast<std::size_t>(pixels.width) * static_cast<std::size_t>(pixels.height))
    return Error{"picture", fmt::format("has {} bytes", pixels.bytes.size()), "4 for each pixel"};
  if (!std::isfinite(height)) return Error{"height", "is not finite", "a number"};
  std::vector<double> all;
  all.reserve(pixels.bytes.size() / 4);
  for (std::size_t i = 0; i < pixels.bytes.size(); i += 4) {
    const int sum = pixels.bytes[i] + pixels.bytes[i + 1] + pixels.bytes[i + 2];
    all.push_back(height * sum / (3 * 255.0));
  }
  return heights(pixels.width, pixels.height, cell, all);
}

}  // namespace colvik
