// The shapes of colliders.
#include <fmt/format.h>

#include <algorithm>

#include "scene/scene_reader.h"

namespace colvik::scene {
namespace {

// Which dimension a shape is for; 0: both.
struct Known {
  std::string_view name;
  int dimension;
};
constexpr Known kShapes[] = {{"circle", 2},     {"sphere", 3},     {"box", 0},      {"capsule", 0},
                             {"segment", 0},    {"polygon", 2},    {"outline", 2},  {"polyline", 2},
                             {"tiles", 2},      {"half_plane", 2}, {"cylinder", 3}, {"cone", 3},
                             {"hull", 3},       {"slabs", 3},      {"mesh", 3},     {"heights", 3},
                             {"half_space", 3}, {"compound", 0},   {"region", 0},   {"fit", 0}};

template <int D>
std::string names_of_shapes() {
  std::string out;
  for (const Known& known : kShapes)
    if (known.dimension == 0 || known.dimension == D)
      out += (out.empty() ? "" : ", ") + std::string(known.name);
  return out;
}

}  // namespace

template <int D>
std::optional<Shape<D>> SceneReader<D>::made(const Result<Shape<D>>& shape, const toml::node& at,
                                             const Mended& mended) {
  if (!shape) {
    context_.report(at, shape.error());
    return std::nullopt;
  }
  for (const std::string& text : mended) scene_.notes.push_back({context_.place(at), text, ""});
  return shape.value();
}

template <int D>
std::vector<Vec<D>> SceneReader<D>::points_in(const toml::node& node, std::string_view name) {
  std::vector<Vec<D>> points;
  const toml::array* list = node.as_array();
  if (list == nullptr) {
    context_.report(node, fmt::format("{} is {}", name, type_name(node)), "a list of vectors");
    return points;
  }
  for (const toml::node& entry : *list) {
    const toml::node* resolved = context_.resolve(entry);
    const auto point = resolved != nullptr ? vector_in<D>(context_, *resolved, name) : std::nullopt;
    if (!point) return {};
    points.push_back(*point);
  }
  return points;
}

template <int D>
std::vector<Vec<D>> SceneReader<D>::read_points(const Section& s, std::string_view key) {
  const toml::node* node = s.find(key);
  return node != nullptr ? points_in(*node, key) : std::vector<Vec<D>>{};
}

template <int D>
std::optional<Art<3>> SceneReader<D>::read_model_of(const Section& s) {
  const auto file = s.text("file");
  const auto path = file ? context_.path_of(*s.find("file"), *file) : std::nullopt;
  const auto model = path ? model_in(*s.find("file"), *path, 0) : nullptr;
  return model ? std::optional(model->whole()) : std::nullopt;
}

template <int D>
std::optional<Shape<D>> SceneReader<D>::read_shape(const Section& s) {
  // The nearest layer that names a shape replaces the inherited one.
  for (const toml::table* layer : s.layers()) {
    std::vector<std::string_view> named;
    const Known* which = nullptr;
    for (const Known& shape : kShapes)
      if (layer->contains(shape.name)) {
        named.push_back(shape.name);
        which = which != nullptr ? which : &shape;
      }
    if (named.empty()) continue;
    const toml::node& first = *layer->get(named.front());
    if (named.size() > 1) {
      context_.report(first,
                      fmt::format("a collider has several shapes: {}", fmt::join(named, ", ")),
                      "one shape; several colliders go in colliders = [...], several shapes of one "
                      "in compound = [...]");
      return std::nullopt;
    }
    if (which->dimension != 0 && which->dimension != D) {
      const bool round = which->name == "circle" || which->name == "sphere";
      context_.report(first, fmt::format("a {} does not fit a {}D scene", which->name, D),
                      round ? fmt::format("{} = {{ diameter = ... }}", D == 2 ? "circle" : "sphere")
                            : fmt::format("one of: {}", names_of_shapes<D>()));
      return std::nullopt;
    }
    std::optional<Shape<D>> shape;
    if (which->name == "region") {
      const Bounds<D>* region = read_region(s, "region");
      if (region == nullptr) return std::nullopt;
      shape.emplace();
      shape->kind = ShapeKind::box;
      shape->core = region->size() / 2;
      covers_ = region->centre();
    } else if (which->name == "fit") {
      frames_ = read_fit(s);
      if (!frames_) return std::nullopt;
      const double by = s.number("scale", 1e-6, 1e6).value_or(1);
      const double grown = s.number("rounding", 0, 1e12).value_or(0);
      for (Placed<D>& c : frames_->colliders)
        c = {rounded(scaled(c.shape, by), grown), by * c.at, c.turned};
      return frames_->colliders.front().shape;
    } else {
      shape = read_shape_named(s, which->name);
    }
    if (!shape) return std::nullopt;
    if (const auto scale = s.number("scale", 1e-6, 1e6)) shape = scaled(*shape, *scale);
    if (const auto by = s.number("rounding", 0, 1e12)) shape = rounded(*shape, *by);
    return shape;
  }
  if (shape_follows_) {  // any that is usable
    lacks_shape_ = true;
    std::optional<Shape<D>> shape(std::in_place);
    shape->kind = ShapeKind::box;
    shape->core.setConstant(scene_.world.metre);
    return shape;
  }
  if (!reading_kinds_)
    context_.report(s.node(), "a collider lacks a shape",
                    fmt::format("one of: {}", names_of_shapes<D>()));
  return std::nullopt;
}

template <int D>
std::optional<Shape<D>> SceneReader<D>::read_shape_named(const Section& s, std::string_view which) {
  const toml::node& at = *s.find(which);
  if (which == "box") {
    const auto size = s.template vector<D>("box");
    if (!size) return std::nullopt;
    Shape<D> shape;
    shape.kind = ShapeKind::box;
    shape.core = *size / 2;
    return shape;
  }
  if (which == "half_plane" || which == "half_space") {
    const auto yes = s.boolean(which);
    if (yes && !*yes)
      context_.report(at, fmt::format("{} is false", which), "true, or leave it out");
    return yes && *yes ? std::optional(half_space<D>()) : std::nullopt;
  }
  if (which == "compound") return read_compound(s);
  if (which == "polygon") return read_flat_shape(s, which);
  const auto table = s.table(which, which);
  if (!table) return std::nullopt;
  if (which == "circle" || which == "sphere") {
    table->require("diameter", "diameter, the whole size");
    const auto diameter = table->number("diameter");
    if (!diameter) return std::nullopt;
    Shape<D> shape;
    shape.radius = *diameter / 2;
    return shape;
  }
  if (which == "capsule") {
    table->require("width", "width and height");
    table->require("height", "width and height");
    const auto width = table->number("width");
    const auto height = table->number("height");
    return width && height ? std::optional(capsule<D>(*width, *height)) : std::nullopt;
  }
  if (which == "segment") {
    table->require("from", "from and to");
    table->require("to", "from and to");
    const auto from = table->template vector<D>("from");
    const auto to = table->template vector<D>("to");
    return from && to ? made(segment<D>(*from, *to), at) : std::nullopt;
  }
  return D == 2 ? read_flat_shape(*table, which) : read_solid_shape(*table, which);
}

template <>
std::optional<Shape<2>> SceneReader<2>::read_flat_shape(const Section& s, std::string_view which) {
  Mended mended;
  if (which == "polygon") {
    const std::size_t problems = context_.problems.size();
    const std::vector<Vec<2>> corners = read_points(s, "polygon");
    return context_.problems.size() == problems
               ? made(polygon(corners, &mended), *s.find(which), mended)
               : std::nullopt;
  }
  const std::size_t problems = context_.problems.size();
  if (which == "outline") {
    s.require("corners", "corners = [[x, y], ...]");
    const std::vector<Vec<2>> corners = read_points(s, "corners");
    std::vector<std::vector<Vec<2>>> holes;
    if (const toml::node* list = s.find("holes")) {
      if (const toml::array* loops = list->as_array())
        for (const toml::node& loop : *loops) holes.push_back(points_in(loop, "a hole"));
      else
        context_.report(*list, fmt::format("holes is {}", type_name(*list)),
                        "a list of lists of corners");
    }
    if (context_.problems.size() > problems) return std::nullopt;
    return made(outlined(corners, holes, &mended), s.node(), mended);
  }
  if (which == "polyline") {
    s.require("points", "points = [[x, y], ...]");
    PolylineOptions options;
    options.closed = s.boolean("closed").value_or(false);
    options.two_sided = s.boolean("two_sided").value_or(false);
    const std::vector<Vec<2>> points = read_points(s, "points");
    if (context_.problems.size() > problems) return std::nullopt;
    return made(polyline(points, options, &mended), s.node(), mended);
  }
  s.require("cell", "cell = [width, height]");
  s.require("rows", "rows = [\"##..\", ...]");
  const auto cell = s.vector<2>("cell");
  const std::vector<std::string> rows = s.texts("rows");
  if (!cell || context_.problems.size() > problems) return std::nullopt;
  return made(tiles(rows, *cell), s.node());
}
template <>
std::optional<Shape<3>> SceneReader<3>::read_flat_shape(const Section&, std::string_view) {
  return std::nullopt;
}

template <>
std::optional<Shape<3>> SceneReader<3>::read_solid_shape(const Section& s, std::string_view which) {
  const std::size_t problems = context_.problems.size();
  Mended mended;
  if (which == "cylinder" || which == "cone") {
    s.require("diameter", "diameter and height");
    s.require("height", "diameter and height");
    const auto diameter = s.number("diameter");
    const auto height = s.number("height");
    if (!diameter || !height) return std::nullopt;
    return which == "cone" ? cone(*diameter, *height) : cylinder(*diameter, *height);
  }
  if (which == "heights") {
    s.require("cell", "cell = [along x, along z]");
    s.require("rows", "rows = [[...], ...]");
    const auto cell =
        s.find("cell") != nullptr ? vector_in<2>(context_, *s.find("cell"), "cell") : std::nullopt;
    const toml::node* node = s.find("rows");
    const toml::array* rows = node != nullptr ? node->as_array() : nullptr;
    if (node != nullptr && rows == nullptr)
      context_.report(*node, fmt::format("rows is {}", type_name(*node)),
                      "a list of lists of numbers");
    if (!cell || rows == nullptr) return std::nullopt;
    std::vector<double> all;
    std::size_t columns = 0;
    for (const toml::node& row : *rows) {
      const toml::array* list = row.as_array();
      if (list == nullptr || (columns > 0 && list->size() != columns)) {
        context_.report(row,
                        list == nullptr ? fmt::format("a row of heights is {}", type_name(row))
                                        : fmt::format("a row has {} heights", list->size()),
                        columns > 0 ? fmt::format("{} heights, as in the first row", columns)
                                    : "a list of numbers");
        return std::nullopt;
      }
      columns = list->size();
      for (const toml::node& height : *list)
        if (const auto h = number_in(context_, height, "a height")) all.push_back(*h);
    }
    if (context_.problems.size() > problems) return std::nullopt;
    return made(heights(static_cast<int>(columns), static_cast<int>(rows->size()), *cell, all),
                s.node());
  }
  // Of points, in the file or in another.
  if (s.has("points") == s.has("file")) {
    context_.report(
        s.node(),
        fmt::format("a {} has {}", which, s.has("file") ? "points and a file" : "no points"),
        "points = [[x, y, z], ...] or file = \"....obj\" (or .gltf, .glb)");
    return std::nullopt;
  }
  Art<3> cloud;
  if (s.has("file")) {
    std::optional<Art<3>> read = read_model_of(s);
    if (!read) return std::nullopt;
    cloud = std::move(*read);
  } else {
    cloud.points = read_points(s, "points");
  }
  if (which == "hull") {
    const auto budget = s.whole("budget", 4, 256);
    if (context_.problems.size() > problems) return std::nullopt;
    return made(hull(cloud.points, budget.value_or(64)), s.node());
  }
  if (which == "slabs") {
    const auto directions = s.whole("directions", 3, 13);
    if (context_.problems.size() > problems) return std::nullopt;
    return made(slabs(cloud.points, static_cast<int>(directions.value_or(13))), s.node());
  }
  if (!s.has("file")) {
    s.require("triangles", "triangles = [[0, 1, 2], ...]");
    for (const Vec<3>& t : read_points(s, "triangles")) {
      const bool usable =
          t.minCoeff() >= 0 && t.maxCoeff() <= 4e9 && t == t.array().floor().matrix();
      if (!usable) {
        context_.report(*s.find("triangles"), "a triangle's corners are not places in the list",
                        "whole numbers from 0");
        return std::nullopt;
      }
      cloud.triangles.push_back({static_cast<std::uint32_t>(t.x()),
                                 static_cast<std::uint32_t>(t.y()),
                                 static_cast<std::uint32_t>(t.z())});
    }
  }
  const bool two_sided = s.boolean("two_sided").value_or(false);
  if (context_.problems.size() > problems) return std::nullopt;
  return made(mesh(cloud.points, cloud.triangles, two_sided, &mended), s.node(), mended);
}
template <>
std::optional<Shape<2>> SceneReader<2>::read_solid_shape(const Section&, std::string_view) {
  return std::nullopt;
}

template <int D>
std::optional<Shape<D>> SceneReader<D>::read_compound(const Section& s) {
  std::vector<Placed<D>> children;
  for (const Section& child : s.tables("compound", "child")) {
    Placed<D> placed;
    if (auto at = child.template vector<D>("at")) placed.at = *at;
    if (auto turned = child.template turn<D>("turned")) placed.turned = *turned;
    const std::optional<Shape<D>> shape = read_shape(child);
    if (!shape) return std::nullopt;
    placed.shape = *shape;
    if (auto good = check_shape(placed.shape, scene_.world.metre); !good) {
      context_.report(child.node(), good.error());
      return std::nullopt;
    }
    children.push_back(placed);
  }
  covers_.reset();  // of a part
  return made(compound<D>(children), *s.find("compound"));
}

template std::optional<Shape<2>> SceneReader<2>::made(const Result<Shape<2>>& shape,
                                                      const toml::node& at, const Mended& mended);
template std::optional<Shape<3>> SceneReader<3>::made(const Result<Shape<3>>& shape,
                                                      const toml::node& at, const Mended& mended);
template std::vector<Vec<2>> SceneReader<2>::points_in(const toml::node& node,
                                                       std::string_view name);
template std::vector<Vec<3>> SceneReader<3>::points_in(const toml::node& node,
                                                       std::string_view name);
template std::vector<Vec<2>> SceneReader<2>::read_points(const Section& s, std::string_view key);
template std::vector<Vec<3>> SceneReader<3>::read_points(const Section& s, std::string_view key);
template std::optional<Art<3>> SceneReader<2>::read_model_of(const Section& s);
template std::optional<Art<3>> SceneReader<3>::read_model_of(const Section& s);
template std::optional<Shape<2>> SceneReader<2>::read_shape(const Section& s);
template std::optional<Shape<3>> SceneReader<3>::read_shape(const Section& s);
template std::optional<Shape<2>> SceneReader<2>::read_shape_named(const Section& s,
                                                                  std::string_view which);
template std::optional<Shape<3>> SceneReader<3>::read_shape_named(const Section& s,
                                                                  std::string_view which);
template std::optional<Shape<2>> SceneReader<2>::read_compound(const Section& s);
template std::optional<Shape<3>> SceneReader<3>::read_compound(const Section& s);

}  // namespace colvik::scene
