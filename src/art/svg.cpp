// Shapes of SVG drawings.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <pugixml.hpp>
#include <sstream>

#include "art/file.h"
#include "art/svg_path.h"
#include "art/svg_style.h"

namespace colvik {
namespace art {
namespace {

constexpr std::size_t kMostShapes = 100'000;

std::string_view plain(const char* name) {  // without a namespace
  const std::string_view all(name);
  const std::size_t colon = all.find(':');
  return colon == std::string_view::npos ? all : all.substr(colon + 1);
}

struct Inherited {
  Affine to_world;
  std::vector<std::string> layers;
  bool filled = true;
  bool stroked = false;
  bool painted = true;  // one of the two
  bool clear = false;   // of no opacity
  Winding winding = Winding::nonzero;
  int depth = 0;
};

class SvgReader {
 public:
  SvgReader(const std::string& path, std::string text) : path_(path), text_(std::move(text)) {}

  Result<SvgDrawing> read() {
    const pugi::xml_parse_result parsed = document_.load_buffer(text_.data(), text_.size());
    if (!parsed) return Error{at(parsed.offset), parsed.description(), "an SVG drawing (XML)"};
    const pugi::xml_node svg = document_.document_element();
    if (plain(svg.name()) != "svg")
      return Error{at(svg.offset_debug()), fmt::format("is no SVG but <{}>", svg.name()),
                   "<svg ...>"};
    index(svg);
    Vec<2> corner = kZero;
    if (svg.attribute("viewBox")) {
      const auto box = numbers_in(svg.attribute("viewBox").as_string());
      if (!box || box->size() != 4 || !((*box)[2] > 0) || !((*box)[3] > 0))
        return Error{at(svg.offset_debug()), "its viewBox is not usable",
                     "viewBox=\"left top width height\""};
      corner = {(*box)[0], (*box)[1]};
      drawing_.size = {(*box)[2], (*box)[3]};
    } else {
      const auto width = length_in(svg.attribute("width").as_string());
      const auto height = length_in(svg.attribute("height").as_string());
      if (!width || !height || !(*width > 0) || !(*height > 0))
        return Error{at(svg.offset_debug()), "has neither a viewBox nor a width and height",
                     "viewBox=\"0 0 width height\""};
      drawing_.size = {*width, *height};
    }
    if (drawing_.size.maxCoeff() > kLargestSize)
      return Error{at(svg.offset_debug()), fmt::format("is {:g} wide", drawing_.size.maxCoeff()),
                   fmt::format("at most {:g}", kLargestSize)};
    chord_ = drawing_.size.maxCoeff() / 10000;
    Inherited top;
    top.to_world = {1, 0, 0, -1, -corner.x(), corner.y() + drawing_.size.y()};
    children(svg, top);
    if (failed_) return *failed_;
    return std::move(drawing_);
  }

 private:
  // "file:line:column"
  std::string at(std::ptrdiff_t offset) const {
    const Place p = place(offset);
    return fmt::format("{}:{}:{}", path_, p.line, p.column);
  }
  [[nodiscard]] Place place(std::ptrdiff_t offset) const {
    Place p{path_, 1, 1};
    const auto end = std::min<std::size_t>(
        static_cast<std::size_t>(std::max<std::ptrdiff_t>(offset, 0)), text_.size());
    std::size_t begin = 0;
    // Lines are counted from the last place that was looked up: elements come in order.
    if (end >= last_offset_) {
      begin = last_offset_;
      p.line = last_line_;
    }
    for (std::size_t i = begin; i < end; ++i)
      if (text_[i] == '\n') ++p.line;
    last_offset_ = end;
    last_line_ = p.line;
    const std::size_t line = end == 0 ? std::string::npos : text_.rfind('\n', end - 1);
    p.column = static_cast<std::uint32_t>(end - (line == std::string::npos ? 0 : line + 1)) + 1;
    if (p.column > 1 && end > 0 && text_[end - 1] == '<') --p.column;
    return p;
  }
  void index(const pugi::xml_node& svg) {
    struct Walker : pugi::xml_tree_walker {
      SvgReader* reader = nullptr;
      bool for_each(pugi::xml_node& node) override {
        if (node.attribute("id")) reader->ids_.emplace(node.attribute("id").as_string(), node);
        if (plain(node.name()) == "style") reader->add_style(node);
        return true;
      }
    } walker;
    walker.reader = this;
    pugi::xml_node root = svg;
    root.traverse(walker);
  }
  void add_style(const pugi::xml_node& node) {
    const std::size_t before = sheet_.left_out().size();
    for (const pugi::xml_node& text : node.children()) sheet_.add(text.value());
    for (std::size_t i = before; i < sheet_.left_out().size(); ++i)
      drawing_.notes.push_back(
          fmt::format("{}: the style '{}' was left out: only rules that select by element, class "
                      "and id are read",
                      at(node.offset_debug()), sheet_.left_out()[i]));
  }
  // Of style="fill: none; ...", else of a style sheet, else of an attribute.
  [[nodiscard]] std::string property(const pugi::xml_node& node, const std::string& name) const {
    const auto own = declarations_in(node.attribute("style").as_string());
    if (const auto found = own.find(name); found != own.end()) return found->second;
    const std::string& ruled = sheet_.property(plain(node.name()), node.attribute("id").as_string(),
                                               node.attribute("class").as_string(), name);
    return ruled.empty() ? node.attribute(name.c_str()).as_string() : ruled;
  }
  void leave_out(const pugi::xml_node& node, const std::string& why) {
    const std::string id = node.attribute("id").as_string();
    drawing_.notes.push_back(fmt::format("{}: <{}{}> was left out: {}", at(node.offset_debug()),
                                         node.name(), id.empty() ? "" : " id=\"" + id + "\"", why));
  }
  void fail(const pugi::xml_node& node, const std::string& what, const std::string& accepted) {
    if (!failed_) failed_ = Error{at(node.offset_debug()), what, accepted};
  }

  void children(const pugi::xml_node& node, const Inherited& inherited) {
    for (const pugi::xml_node& child : node.children())
      if (child.type() == pugi::node_element && !failed_) element(child, inherited);
  }

  void element(const pugi::xml_node& node, Inherited in) {
    const std::string_view name = plain(node.name());
    // Nothing to touch.
    constexpr std::string_view kSilent[] = {
        "defs",           "title",          "desc",      "metadata",     "style",
        "clipPath",       "mask",           "symbol",    "marker",       "pattern",
        "filter",         "script",         "text",      "image",        "view",
        "linearGradient", "radialGradient", "namedview", "foreignObject"};
    if (std::find(std::begin(kSilent), std::end(kSilent), name) != std::end(kSilent)) return;
    if (property(node, "display") == "none" || property(node, "visibility") == "hidden")
      return leave_out(node, "it is hidden");
    if (++visited_ > 10 * kMostShapes)
      return fail(node, "the drawing uses its parts too often", "fewer than a million elements");
    if (++in.depth > 64) return fail(node, "is nested too deep", "at most 64 levels");
    if (node.attribute("transform")) {
      const auto t = transform_in(node.attribute("transform").as_string());
      if (!t)
        return fail(
            node,
            fmt::format("transform \"{}\" is not usable", node.attribute("transform").as_string()),
            "translate, scale, rotate, skewX, skewY and matrix");
      in.to_world = in.to_world * *t;
    }
    if (const std::string fill = property(node, "fill"); !fill.empty())
      in.filled = fill != "none" && fill != "transparent";
    if (const std::string line = property(node, "stroke"); !line.empty())
      in.stroked = line != "none";
    if (const auto opacity = numbers_in(property(node, "opacity"));
        opacity && opacity->size() == 1 && !((*opacity)[0] > 0))
      in.clear = true;
    if (const std::string rule = property(node, "fill-rule"); !rule.empty())
      in.winding = rule == "evenodd" ? Winding::even_odd : Winding::nonzero;
    if (name == "g" || name == "svg" || name == "a" || name == "switch") {
      std::vector<std::string> own;
      for (const pugi::xml_attribute& a : node.attributes())
        if (plain(a.name()) == "label" || std::string_view(a.name()) == "id")
          own.emplace_back(a.as_string());
      in.layers.insert(in.layers.begin(), own.begin(), own.end());
      return children(node, in);
    }
    if (name == "use") return use(node, in);
    in.painted = in.filled || in.stroked;
    if (drawing_.shapes.size() >= kMostShapes)
      return fail(node, fmt::format("there are more than {} shapes", kMostShapes), "fewer");
    if (name == "rect") return rect(node, in);
    if (name == "circle" || name == "ellipse") return round(node, in, name == "circle");
    if (name == "line") {
      const Vec<2> from(number(node, "x1"), number(node, "y1"));
      const Vec<2> to(number(node, "x2"), number(node, "y2"));
      return lines(node, in, {{{from, to}, false}});
    }
    if (name == "polygon" || name == "polyline") {
      const auto n = numbers_in(node.attribute("points").as_string());
      if (!n || n->size() % 2 != 0)
        return fail(node, "its points are not usable", "points=\"x,y x,y ...\"");
      SubPath path{{}, name == "polygon"};
      for (std::size_t i = 0; i + 1 < n->size(); i += 2)
        path.points.emplace_back((*n)[i], (*n)[i + 1]);
      if (name == "polyline") in.filled = false;  // an open line, however it is painted
      return lines(node, in, {path});
    }
    if (name == "path") {
      const double grown = std::max({Vec<2>(in.to_world.a, in.to_world.b).norm(),
                                     Vec<2>(in.to_world.c, in.to_world.d).norm(), 1e-12});
      const auto path = path_in(node.attribute("d").as_string(), chord_ / grown);
      if (!path)
        return fail(node, "its path is not usable",
                    "d=\"M x y ...\" as in SVG, with fewer than a "
                    "million points");
      return lines(node, in, *path);
    }
    leave_out(node, "it is no shape");
  }

  double number(const pugi::xml_node& node, const char* name, double otherwise = 0) {
    const pugi::xml_attribute a = node.attribute(name);
    if (!a) return otherwise;
    const auto length = length_in(a.as_string());
    if (!length)
      fail(node, fmt::format("{}=\"{}\" is not usable", name, a.as_string()),
           "a number, perhaps with px, mm, cm, in, pt or pc");
    return length.value_or(0);
  }

  void use(const pugi::xml_node& node, Inherited in) {
    std::string to = node.attribute("href").as_string();
    if (to.empty()) to = node.attribute("xlink:href").as_string();
    const auto found = to.starts_with('#') ? ids_.find(to.substr(1)) : ids_.end();
    if (found == ids_.end())
      return leave_out(node, fmt::format("there is no '{}' in the drawing", to));
    in.to_world = in.to_world * Affine{1, 0, 0, 1, number(node, "x"), number(node, "y")};
    if (const std::string id = node.attribute("id").as_string(); !id.empty())
      in.layers.insert(in.layers.begin(), id);
    if (plain(found->second.name()) == "symbol") return children(found->second, in);
    // One shape has the name of what uses it; several in a group keep their own.
    if (plain(found->second.name()) != "g") used_by_ = node.attribute("id").as_string();
    element(found->second, in);
    used_by_.clear();
  }

  DrawnShape shape_of(const pugi::xml_node& node, const Inherited& in) {
    DrawnShape s;
    s.element = plain(node.name());
    s.id = used_by_.empty() ? node.attribute("id").as_string() : used_by_;
    s.layers = in.layers;
    s.winding = in.winding;
    s.painted = in.painted && !in.clear;
    s.place = place(node.offset_debug());
    std::istringstream classes(node.attribute("class").as_string());
    for (std::string c; classes >> c;) s.classes.push_back(c);
    return s;
  }

  void keep(const pugi::xml_node& node, DrawnShape s) {
    bool finite = s.centre.allFinite() && s.size.allFinite();
    for (const auto& loop : s.loops)
      for (const Vec<2>& p : loop) finite = finite && p.cwiseAbs().maxCoeff() <= kLargestSize;
    for (const Vec<2>& p : s.line) finite = finite && p.cwiseAbs().maxCoeff() <= kLargestSize;
    if (!finite)
      return fail(node, "lies too far away or is too large",
                  fmt::format("up to {:g}", kLargestSize));
    drawing_.shapes.push_back(std::move(s));
  }

  void rect(const pugi::xml_node& node, const Inherited& in) {
    const Vec<2> corner(number(node, "x"), number(node, "y"));
    const Vec<2> size(number(node, "width"), number(node, "height"));
    if (failed_) return;
    if (!(size.minCoeff() > 0)) return leave_out(node, "it has no area");
    const bool has_rx = node.attribute("rx");
    const bool has_ry = node.attribute("ry");
    const double rx = std::min(number(node, has_rx ? "rx" : "ry"), size.x() / 2);
    const double ry = std::min(number(node, has_ry ? "ry" : "rx"), size.y() / 2);
    const Affine& t = in.to_world;
    if (rx > 0 && ry > 0) {
      const std::string d = fmt::format(
          "M{} {}h{}a{} {} 0 0 1 {} {}v{}a{} {} 0 0 1 {} {}h{}a{} {} 0 0 1 {} {}v{}a{} {} 0 0 1 {} "
          "{}z",
          corner.x() + rx, corner.y(), size.x() - 2 * rx, rx, ry, rx, ry, size.y() - 2 * ry, rx, ry,
          -rx, ry, 2 * rx - size.x(), rx, ry, -rx, -ry, 2 * ry - size.y(), rx, ry, rx, -ry);
      if (const auto path = path_in(d, chord_)) return lines(node, in, *path);
    }
    DrawnShape s = shape_of(node, in);
    s.loops = {{t * corner, t * Vec<2>(corner + Vec<2>(size.x(), 0)), t * Vec<2>(corner + size),
                t * Vec<2>(corner + Vec<2>(0, size.y()))}};
    const Vec<2> along = s.loops[0][1] - s.loops[0][0];
    const Vec<2> up = s.loops[0][0] - s.loops[0][3];
    s.centre = t * Vec<2>(corner + size / 2);
    s.size = {along.norm(), up.norm()};
    if (!(s.size.minCoeff() > 0)) return leave_out(node, "it has no area");
    s.kind = DrawnShape::Kind::area;
    if (std::abs(along.dot(up)) < 1e-6 * s.size.prod()) {
      s.kind = DrawnShape::Kind::box;
      // Mirrored, its other side shows; a box is the same.
      const bool mirrored = along.x() * up.y() - along.y() * up.x() < 0;
      const Vec<2> x = mirrored ? Vec<2>(-along) : along;
      s.turned = Rotation<2>(angle_of(x.y(), x.x()));
    }
    keep(node, std::move(s));
  }

  void round(const pugi::xml_node& node, const Inherited& in, bool circle) {
    const Vec<2> centre(number(node, "cx"), number(node, "cy"));
    const Vec<2> radii = circle ? Vec<2>(Vec<2>::Constant(number(node, "r")))
                                : Vec<2>(number(node, "rx"), number(node, "ry"));
    if (failed_) return;
    if (!(radii.minCoeff() > 0)) return leave_out(node, "it has no area");
    const Affine& t = in.to_world;
    DrawnShape s = shape_of(node, in);
    s.loops = {ellipse(centre, radii, chord_)};
    for (Vec<2>& p : s.loops[0]) p = t * p;
    s.centre = t * centre;
    const Vec<2> u = t * Vec<2>(centre + Vec<2>(radii.x(), 0)) - s.centre;
    const Vec<2> w = t * Vec<2>(centre + Vec<2>(0, radii.y())) - s.centre;
    s.size = Vec<2>(2 * u.norm(), 2 * w.norm());
    const bool even = std::abs(s.size.x() - s.size.y()) < 0.02 * s.size.maxCoeff() &&
                      std::abs(u.dot(w)) < 0.02 * u.norm() * w.norm();
    s.kind = even ? DrawnShape::Kind::circle : DrawnShape::Kind::area;
    if (even) s.size.setConstant(0.5 * s.size.sum());
    keep(node, std::move(s));
  }

  void lines(const pugi::xml_node& node, const Inherited& in, const std::vector<SubPath>& paths) {
    if (failed_) return;
    DrawnShape area = shape_of(node, in);
    Bounds<2> box;
    std::size_t lines = 0;
    for (const SubPath& path : paths) {
      std::vector<Vec<2>> points;
      for (const Vec<2>& p : path.points) points.emplace_back(in.to_world * p);
      if (path.closed || (in.filled && points.size() > 2)) {
        for (const Vec<2>& p : points) box = box.merged(p);
        area.loops.push_back(std::move(points));
        continue;
      }
      if (points.size() < 2) continue;
      DrawnShape line = shape_of(node, in);
      line.kind = DrawnShape::Kind::line;
      Bounds<2> around;
      for (const Vec<2>& p : points) around = around.merged(p);
      line.centre = around.centre();
      line.size = around.size();
      line.line = std::move(points);
      ++lines;
      keep(node, std::move(line));
    }
    if (area.loops.empty()) {
      if (lines == 0) leave_out(node, "it has no points");
      return;
    }
    area.centre = box.centre();
    area.size = box.size();
    keep(node, std::move(area));
  }

  const std::string& path_;
  std::string text_;
  pugi::xml_document document_;
  SvgDrawing drawing_;
  double chord_ = 1;
  std::map<std::string, pugi::xml_node> ids_;
  StyleSheet sheet_;
  std::string used_by_;
  std::size_t visited_ = 0;
  std::optional<Error> failed_;
  mutable std::size_t last_offset_ = 0;
  mutable std::uint32_t last_line_ = 1;
};

}  // namespace
}  // namespace art

std::string DrawnShape::named() const {
  return fmt::format("{}:{}:{}: <{}{}>", place.file, place.line, place.column, element,
                     id.empty() ? "" : fmt::format(" id=\"{}\"", id));
}

Result<SvgDrawing> read_svg(const std::string& path) {
  Result<std::string> text = art::bytes_of(path, "an SVG drawing");
  if (!text) return text.error();
  return art::SvgReader(path, std::move(text).value()).read();
}

Result<Art<2>> art_of(const SvgDrawing& drawing, double scale) {
  std::vector<std::vector<Vec<2>>> loops;
  std::vector<std::string> notes = drawing.notes;
  for (const DrawnShape& s : drawing.shapes) {
    if (!s.painted) {
      if (!s.loops.empty())
        notes.push_back(s.named() + " was left out: it is neither filled nor stroked");
      continue;
    }
    // Each shape stands for itself, whichever way round it was drawn.
    const Result<Art<2>> own = outlined_art(s.loops, s.winding);
    if (!own) continue;
    loops.insert(loops.end(), own.value().loops.begin(), own.value().loops.end());
  }
  for (auto& loop : loops)
    for (Vec<2>& p : loop) p = scale * (p - drawing.size / 2);
  if (loops.empty())
    return Error{"drawing", "has no painted shape with an area",
                 "a closed path, a rectangle, a circle"};
  Result<Art<2>> art = outlined_art(std::move(loops), Winding::nonzero);
  if (!art) return art;
  Art<2> out = std::move(art).value();
  out.frame = {-scale * drawing.size / 2, scale * drawing.size / 2};
  out.notes.insert(out.notes.end(), notes.begin(), notes.end());
  return out;
}

}  // namespace colvik
