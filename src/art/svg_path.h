#pragma once
// The text of SVG's attributes: paths, transforms, lengths. Source: W3C, "Scalable Vector Graphics
// (SVG) 2".
#include <colvik/pose.hpp>

#include <optional>
#include <string_view>
#include <vector>

namespace colvik::art {

// x' = a x + c y + e, y' = b x + d y + f
struct Affine {
  double a = 1;
  double b = 0;
  double c = 0;
  double d = 1;
  double e = 0;
  double f = 0;
  [[nodiscard]] Vec<2> operator*(const Vec<2>& p) const {
    return {a * p.x() + c * p.y() + e, b * p.x() + d * p.y() + f};
  }
  [[nodiscard]] Affine operator*(const Affine& o) const {
    return {a * o.a + c * o.b, b * o.a + d * o.b,     a * o.c + c * o.d,
            b * o.c + d * o.d, a * o.e + c * o.f + e, b * o.e + d * o.f + f};
  }
};

struct SubPath {
  std::vector<Vec<2>> points;
  bool closed = false;
};

// Nothing where the text is not what it must be.
[[nodiscard]] std::optional<Affine> transform_in(std::string_view text);
[[nodiscard]] std::optional<std::vector<double>> numbers_in(std::string_view text);
// In user units; nothing for a part of something (%), which needs to know of what.
[[nodiscard]] std::optional<double> length_in(std::string_view text);
// Curves are chords that are off by no more than `chord`.
[[nodiscard]] std::optional<std::vector<SubPath>> path_in(std::string_view text, double chord);
[[nodiscard]] std::vector<Vec<2>> ellipse(const Vec<2>& centre, const Vec<2>& radii, double chord);

}  // namespace colvik::art
