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

enum class Dash { none, dashed, dotted, dash_dot };
struct Stroke {
  Colour colour;
  double width = 1.5;
  Dash dash = Dash::none;
};

class Canvas {
 public:
  static Result<std::unique_ptr<Canvas>> create(const std::string& path, int width, int height);
  ~Canvas();
  Canvas(const Canvas&) = delete;
  Canvas& operator=(const Canvas&) = delete;
  // In memory alone, for a film's frames.
  static std::unique_ptr<Canvas> frame(int width, int height);
  // Writes the file.
  Result<void> finish();
  // Of a frame: 32 bits a pixel, blue first, row by row.
  [[nodiscard]] const std::uint8_t* pixels();
  // In an SVG, what a pointer over these points shows; later ones lie above.
  void title(std::span<const Vec<2>> points, const std::string& text);

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
  // Cut so that it is no wider than that, never within a character.
  [[nodiscard]] std::string fitting(std::string text, double size, double wide) const;
  // A PNG stretched over a parallelogram: its top left corner and its two sides. False if
  // unreadable.
  bool image(const std::string& png, const Vec<2>& corner, const Vec<2>& along_top,
             const Vec<2>& down_side, double alpha);
  // Pixels (as pixels() gives, with transparency) over a rectangle.
  void paint_pixels(std::uint8_t* pixels, int width, int height, const Vec<2>& corner,
                    const Vec<2>& size);
  void clip_to(const Vec<2>& corner, const Vec<2>& size);
  void unclip();

 private:
  Canvas() = default;
  bool finish_svg();
  void path(std::span<const Vec<2>> points, bool close);
  void fill_and_stroke(const Colour* fill, const Stroke* stroke);
  std::string file_;
  bool png_ = true;
  std::string titles_;  // of an SVG
  cairo_surface_t* surface_ = nullptr;
  cairo_t* cairo_ = nullptr;
};

}  // namespace colvik::picture
