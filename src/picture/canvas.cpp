#include "picture/canvas.h"

#include <cairo-svg.h>
#include <fmt/format.h>

#include <cmath>
#include <fstream>
#include <map>
#include <sstream>

namespace colvik::picture {

Result<std::unique_ptr<Canvas>> Canvas::create(const std::string& path, int width, int height) {
  const bool png = path.ends_with(".png");
  const bool svg = path.ends_with(".svg");
  if (!png && !svg)
    return Error{path, "is no kind of picture that can be written",
                 "a name that ends in .png or .svg"};
  if (width < 400 || width > 8000 || height < 400 || height > 8000)
    return Error{path, fmt::format("a picture of {}x{} pixels", width, height),
                 "400 to 8000 pixels each way"};
  std::unique_ptr<Canvas> c(new Canvas);
  c->file_ = path;
  c->png_ = png;
  c->surface_ = png ? cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height)
                    : cairo_svg_surface_create(path.c_str(), width, height);
  if (svg) cairo_svg_surface_set_document_unit(c->surface_, CAIRO_SVG_UNIT_PX);
  c->cairo_ = cairo_create(c->surface_);
  if (cairo_status(c->cairo_) != CAIRO_STATUS_SUCCESS)
    return Error{path, cairo_status_to_string(cairo_status(c->cairo_)),
                 "a path in a folder that exists"};
  cairo_set_line_join(c->cairo_, CAIRO_LINE_JOIN_ROUND);
  cairo_set_line_cap(c->cairo_, CAIRO_LINE_CAP_ROUND);
  return c;
}

std::unique_ptr<Canvas> Canvas::frame(int width, int height) {
  std::unique_ptr<Canvas> c(new Canvas);
  c->surface_ = cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height);
  c->cairo_ = cairo_create(c->surface_);
  cairo_set_line_join(c->cairo_, CAIRO_LINE_JOIN_ROUND);
  cairo_set_line_cap(c->cairo_, CAIRO_LINE_CAP_ROUND);
  return c;
}

const std::uint8_t* Canvas::pixels() {
  cairo_surface_flush(surface_);
  return cairo_image_surface_get_data(surface_);
}

void Canvas::title(std::span<const Vec<2>> points, const std::string& text) {
  if (png_ || points.size() < 3) return;
  titles_ += "<path fill=\"#000\" fill-opacity=\"0\" d=\"";
  for (std::size_t i = 0; i < points.size(); ++i)
    titles_ += fmt::format("{}{:.1f} {:.1f}", i == 0 ? "M" : " L", points[i].x(), points[i].y());
  titles_ += " Z\"><title>";
  for (const char c : text) {
    if (c == '<') titles_ += "&lt;";
    else if (c == '>') titles_ += "&gt;";
    else if (c == '&') titles_ += "&amp;";
    else titles_ += c;
  }
  titles_ += "</title></path>\n";
}

Canvas::~Canvas() {
  cairo_destroy(cairo_);
  cairo_surface_destroy(surface_);
}

Result<void> Canvas::finish() {
  cairo_status_t status = cairo_status(cairo_);
  if (png_) {
    if (status == CAIRO_STATUS_SUCCESS)
      status = cairo_surface_write_to_png(surface_, file_.c_str());
  } else {
    cairo_surface_finish(surface_);
    status = cairo_surface_status(surface_);
    if (status == CAIRO_STATUS_SUCCESS && !finish_svg()) status = CAIRO_STATUS_WRITE_ERROR;
  }
  if (status == CAIRO_STATUS_SUCCESS) return {};
  return Error{file_,
               fmt::format("the picture cannot be written ({})", cairo_status_to_string(status)),
               "a path in a folder that exists"};
}

namespace {

// Cairo numbers pictures and what is in them over the whole program: here from 1 in each.
std::string renumbered(const std::string& svg) {
  std::map<std::string, std::size_t> numbers;
  std::string out;
  std::size_t done = 0;
  for (std::size_t at = 0; (at = svg.find_first_of("\"#", at)) != std::string::npos;) {
    ++at;
    const std::string_view rest = std::string_view(svg).substr(at);
    for (const std::string_view name : {"image", "surface"}) {
      if (!rest.starts_with(name)) continue;
      const std::size_t digits = at + name.size();
      const std::size_t end = std::min(svg.find_first_not_of("0123456789", digits), svg.size());
      if (end == digits) continue;
      const std::size_t number =
          numbers.emplace(svg.substr(at, end - at), numbers.size() + 1).first->second;
      out.append(svg, done, digits - done);
      out += std::to_string(number);
      at = done = end;
      break;
    }
  }
  return out.append(svg, done);
}

}  // namespace

// Cairo writes no titles, so they are put in before the end of what it wrote.
bool Canvas::finish_svg() {
  std::ifstream in(file_, std::ios::binary);
  std::stringstream read;
  read << in.rdbuf();
  std::string text = read.str();
  const std::size_t end = text.rfind("</svg>");
  if (end == std::string::npos) return false;
  text.insert(end, titles_);
  std::ofstream out(file_, std::ios::binary);
  out << renumbered(text);
  return static_cast<bool>(out.flush());
}

void Canvas::background(const Colour& c) {
  cairo_set_source_rgb(cairo_, c.r, c.g, c.b);
  cairo_paint(cairo_);
}

void Canvas::path(std::span<const Vec<2>> points, bool close) {
  cairo_new_path(cairo_);
  for (const Vec<2>& p : points) cairo_line_to(cairo_, p.x(), p.y());
  if (close) cairo_close_path(cairo_);
}

void Canvas::fill_and_stroke(const Colour* fill, const Stroke* stroke) {
  if (fill != nullptr) {
    cairo_set_source_rgba(cairo_, fill->r, fill->g, fill->b, fill->a);
    cairo_fill_preserve(cairo_);
  }
  if (stroke != nullptr) {
    struct Pattern {
      double lengths[4];
      int count;
    };
    constexpr Pattern kPatterns[] = {{{}, 0}, {{5, 4}, 2}, {{1, 3.5}, 2}, {{8, 3.5, 1, 3.5}, 4}};
    const Pattern& pattern = kPatterns[static_cast<int>(stroke->dash)];
    cairo_set_dash(cairo_, pattern.lengths, pattern.count, 0);
    cairo_set_source_rgba(cairo_, stroke->colour.r, stroke->colour.g, stroke->colour.b,
                          stroke->colour.a);
    cairo_set_line_width(cairo_, stroke->width);
    cairo_stroke_preserve(cairo_);
  }
  cairo_new_path(cairo_);
}

void Canvas::polygon(std::span<const Vec<2>> points, const Colour* fill, const Stroke* stroke) {
  path(points, true);
  fill_and_stroke(fill, stroke);
}

void Canvas::polyline(std::span<const Vec<2>> points, const Stroke& stroke) {
  path(points, false);
  fill_and_stroke(nullptr, &stroke);
}

void Canvas::line(const Vec<2>& from, const Vec<2>& to, const Stroke& stroke) {
  const Vec<2> both[] = {from, to};
  polyline(both, stroke);
}

void Canvas::hatch(std::span<const Vec<2>> points, const Colour& colour, double spacing) {
  cairo_save(cairo_);
  path(points, true);
  double x0 = 0;
  double y0 = 0;
  double x1 = 0;
  double y1 = 0;
  cairo_path_extents(cairo_, &x0, &y0, &x1, &y1);
  cairo_clip(cairo_);
  double cx0 = 0;
  double cy0 = 0;
  double cx1 = 0;
  double cy1 = 0;  // a zone may be far larger than the picture
  cairo_clip_extents(cairo_, &cx0, &cy0, &cx1, &cy1);
  x0 = std::max(x0, cx0);
  y0 = std::max(y0, cy0);
  x1 = std::min(x1, cx1);
  y1 = std::min(y1, cy1);
  // Lines x + y = k on a grid of the whole picture, so that neighbours' lines meet.
  const double first = std::ceil((x0 + y0) / spacing);
  const int count = static_cast<int>((x1 + y1) / spacing - first) + 1;
  for (int i = 0; i < count; ++i) {
    const double k = (first + i) * spacing;
    line({k - y0, y0}, {k - y1, y1}, {colour, 1});
  }
  cairo_restore(cairo_);
}

void Canvas::circle(const Vec<2>& centre, double radius, const Colour* fill, const Stroke* stroke) {
  cairo_new_path(cairo_);
  cairo_arc(cairo_, centre.x(), centre.y(), radius, 0, 6.283185307179586);
  fill_and_stroke(fill, stroke);
}

static void set_font(cairo_t* cairo, double size, bool bold) {
  cairo_select_font_face(cairo, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                         bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
  cairo_set_font_size(cairo, size);
}

double Canvas::text_width(const std::string& text, double size, bool bold) const {
  set_font(cairo_, size, bold);
  cairo_text_extents_t extents;
  cairo_text_extents(cairo_, text.c_str(), &extents);
  return extents.x_advance;
}

std::string Canvas::fitting(std::string text, double size, double wide) const {
  if (text_width(text, size) <= wide) return text;
  while (!text.empty() && text_width(text + "...", size) > wide) {
    while (!text.empty() && (static_cast<unsigned char>(text.back()) & 0xC0U) == 0x80U)
      text.pop_back();
    if (!text.empty()) text.pop_back();
  }
  return text + "...";
}

void Canvas::text(const Vec<2>& at, const std::string& text, double size, const Colour& c,
                  bool bold, bool centred) {
  const double shift = centred ? text_width(text, size, bold) / 2 : 0;
  set_font(cairo_, size, bold);
  cairo_set_source_rgba(cairo_, c.r, c.g, c.b, c.a);
  cairo_move_to(cairo_, at.x() - shift, at.y());
  cairo_show_text(cairo_, text.c_str());
  cairo_new_path(cairo_);
}

bool Canvas::image(const std::string& png, const Vec<2>& corner, const Vec<2>& along_top,
                   const Vec<2>& down_side, double alpha) {
  cairo_surface_t* picture = cairo_image_surface_create_from_png(png.c_str());
  const bool good = cairo_surface_status(picture) == CAIRO_STATUS_SUCCESS;
  if (good) {
    const double w = cairo_image_surface_get_width(picture);
    const double h = cairo_image_surface_get_height(picture);
    cairo_save(cairo_);
    const cairo_matrix_t place = {along_top.x() / w, along_top.y() / w, down_side.x() / h,
                                  down_side.y() / h, corner.x(),        corner.y()};
    cairo_transform(cairo_, &place);
    cairo_set_source_surface(cairo_, picture, 0, 0);
    cairo_paint_with_alpha(cairo_, alpha);
    cairo_restore(cairo_);
  }
  cairo_surface_destroy(picture);
  return good;
}

void Canvas::paint_pixels(std::uint8_t* pixels, int width, int height, const Vec<2>& corner,
                          const Vec<2>& size) {
  cairo_surface_t* picture =
      cairo_image_surface_create_for_data(pixels, CAIRO_FORMAT_ARGB32, width, height, 4 * width);
  cairo_save(cairo_);
  cairo_translate(cairo_, corner.x(), corner.y());
  cairo_scale(cairo_, size.x() / width, size.y() / height);
  cairo_set_source_surface(cairo_, picture, 0, 0);
  cairo_paint(cairo_);
  cairo_restore(cairo_);
  cairo_surface_destroy(picture);
}

void Canvas::clip_to(const Vec<2>& corner, const Vec<2>& size) {
  cairo_save(cairo_);
  cairo_rectangle(cairo_, corner.x(), corner.y(), size.x(), size.y());
  cairo_clip(cairo_);
}
void Canvas::unclip() { cairo_restore(cairo_); }

}  // namespace colvik::picture
