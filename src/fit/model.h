#pragma once
// What is done with a model's triangles.
#include <colvik/fit.hpp>

namespace colvik::fitting {

using Triangles = std::vector<std::array<std::uint32_t, 3>>;

// Where lines along z are inside, on a grid of points in the plane of x and y. A line goes in
// where more triangles face back than front; so closed surfaces may overlap.
class Columns {
 public:
  Columns(const std::vector<Vec<3>>& points, const Triangles& triangles, const Bounds<3>& box,
          int along);
  [[nodiscard]] Vec<2> at(int x, int y) const {
    return corner_ + Vec<2>(x + kAside, y + kAsideY).cwiseProduct(cell_);
  }
  [[nodiscard]] const std::vector<double>& spans(int x, int y) const {
    return spans_[static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) +
                  static_cast<std::size_t>(x)];
  }
  [[nodiscard]] int width() const { return width_; }
  [[nodiscard]] int height() const { return height_; }
  [[nodiscard]] double cell_area() const { return cell_.prod(); }
  [[nodiscard]] const Vec<2>& cell() const { return cell_; }
  [[nodiscard]] const Vec<2>& corner() const { return corner_; }

 private:
  // Not in the middle: models like to have edges there.
  static constexpr double kAside = 0.5137;
  static constexpr double kAsideY = 0.4871;
  Vec<2> corner_ = kZero;
  Vec<2> cell_ = kZero;
  int width_ = 0;
  int height_ = 0;
  std::vector<std::vector<double>> spans_;
};

// Whether points are inside, each by a line of its own along z.
class Inside {
 public:
  Inside(const std::vector<Vec<3>>& points, const Triangles& triangles);
  [[nodiscard]] bool operator()(const Vec<3>& point) const;

 private:
  [[nodiscard]] int bin(const Vec<3>& p, int axis) const;
  [[nodiscard]] std::size_t cell(int x, int y) const;
  const std::vector<Vec<3>>& points_;
  const Triangles& triangles_;
  Bounds<3> box_;
  int along_ = 1;
  std::vector<std::vector<std::uint32_t>> bins_;
};

}  // namespace colvik::fitting
