#pragma once
// A thin layer over cairo: shapes and text in pixels, y down.
#include <colvik/result.hpp>
#include <colvik/vector.hpp>

#include <cairo.h>

#include <memory>
#include <span>
#include <string>

namespace colvik::picture {

struct Colour {
  double r = 0;
  double g = 0;
  double b = 0;
  double a = 1;
  [[nodiscard]] Colour faded(double alpha) const { return {r, g, b, a * alpha}; }
};

struct Stroke {
  Colour colour;
  double width = 1.5;
  bool dashed = false;
};

class Canvas {
 public:
  static Result<std::unique_ptr<Canvas>> create(const std::string& path, int width, int height);
  ~Canvas();
  Canvas(const Canvas&) = delete;
  Canvas& operator=(const Canvas&) = delete;
  // Writes the file.
  Result<void> finish();

  void background(const Colour& colour);
  void polygon(std::span<const Vec<2>> points, const Colour* fill, const Stroke* stroke);
  // Diagonal lines inside the polygon.
  void hatch(std::span<const Vec<2>> points, const Colour& colour, double spacing);
  void polyline(std::span<const Vec<2>> points, const Stroke& stroke);
  void line(const Vec<2>& from, const Vec<2>& to, const Stroke& stroke);
  void circle(const Vec<2>& centre, double radius, const Colour* fill, const Stroke* stroke);
  // `at` is the left end of the base line, or its middle when centred.
  void text(const Vec<2>& at, const std::string& text, double size, const Colour& colour,
            bool bold = false, bool centred = false);
  [[nodiscard]] double text_width(const std::string& text, double size, bool bold = false) const;
  // A PNG stretched over a parallelogram: its top left corner and its two sides. False if
  // unreadable.
  bool image(const std::string& png, const Vec<2>& corner, const Vec<2>& along_top,
             const Vec<2>& down_side, double alpha);
  void clip_to(const Vec<2>& corner, const Vec<2>& size);
  void unclip();

 private:
  Canvas() = default;
  void path(std::span<const Vec<2>> points, bool close);
  void fill_and_stroke(const Colour* fill, const Stroke* stroke);
  std::string file_;
  bool png_ = true;
  cairo_surface_t* surface_ = nullptr;
  cairo_t* cairo_ = nullptr;
};

}  // namespace colvik::picture
