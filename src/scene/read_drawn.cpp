// Objects from drawings (SVG), models (glTF) and pictures (PNG, a kind by colour).
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "scene/section_keys.h"

namespace colvik::scene {

// A layout as it is read.
template <int D>
struct SceneReader<D>::Drawn {
  const Section& section;
  const toml::table& own;
  const toml::node& node;  // of the file
  std::string path;
  std::string file;  // as the scene names it
  double scale = 1;
  Vec<D> at = kZero;
  double up = 1;  // -1 where y goes down
  std::map<std::string, Mapped> map{};
  std::vector<std::string> names{};     // all that could have been mapped
  std::vector<std::string> left_out{};  // by name, in plain words
};

template <int D>
void SceneReader<D>::read_layouts() {
  const toml::node* node = top_.find("layout");
  if (node == nullptr) return;
  if (const toml::table* one = node->as_table()) return read_drawn(*one);
  const toml::array* list = node->as_array();
  if (list == nullptr)
    return context_.report(*node, fmt::format("layout is {}", type_name(*node)),
                           "a table, or tables, [[layout]]");
  for (const toml::node& item : *list) {
    if (const toml::table* table = item.as_table()) read_drawn(*table);
    else context_.report(item, fmt::format("a layout is {}", type_name(item)), "a table");
  }
}

// What its names stand for.
template <int D>
void SceneReader<D>::read_map(Drawn& layout) {
  const Section& s = layout.section;
  const toml::node* map = s.find("map");
  const toml::table* meaning = map != nullptr ? map->as_table() : nullptr;
  if (map != nullptr && meaning == nullptr)
    context_.report(*map, fmt::format("map is {}", type_name(*map)), "{ NAME = \"a kind\", ... }");
  if (meaning != nullptr)
    for (const auto& [key, value] : in_file_order(*meaning)) {
      Mapped m;
      m.node = value;
      if (const toml::table* table = value->as_table()) {
        const Section entry(context_, "mapped", {table});
        entry.require("kind", "kind = the kind it stands for");
        m.kind = entry.text("kind").value_or("");
        m.count = entry.whole("count", 0, 1000000);
        m.fit = read_fit_name(entry, "fit");
      } else {
        m.kind = text_in(context_, *value, "map").value_or("");
      }
      const bool nothing = m.kind.empty() && value->is_string();  // on purpose
      if (nothing || (!m.kind.empty() && find_kind(*value, m.kind) != nullptr))
        layout.map.emplace(std::string(key->str()), std::move(m));
    }
}

// What was meant and is not there, and what is there and was not meant.
template <int D>
void SceneReader<D>::compare_with_map(const Drawn& layout) {
  for (const auto& [name, m] : layout.map) {
    if (m.found == 0 && m.count.value_or(1) > 0)
      context_.report(
          *m.node, fmt::format("nothing in {} is named '{}'", layout.file, name),
          suggestion(name, layout.names,
                     fmt::format("names there are: {}",
                                 layout.names.empty()
                                     ? "none"
                                     : fmt::format("{}", fmt::join(layout.names, ", ")))));
    else if (m.count && m.found != *m.count)
      context_.report(*m.node, fmt::format("{} has {} of '{}'", layout.file, m.found, name),
                      fmt::format("count = {}, or {} in the drawing", m.found, *m.count));
  }
  constexpr std::size_t kMostNamed = 20;
  for (std::size_t i = 0; i < std::min(layout.left_out.size(), kMostNamed); ++i)
    scene_.notes.push_back({context_.place(layout.node), layout.left_out[i], "the rest is used"});
  if (layout.left_out.size() > kMostNamed)
    scene_.notes.push_back({context_.place(layout.node),
                            fmt::format("and {} more were left out of {}",
                                        layout.left_out.size() - kMostNamed, layout.file),
                            "the rest is used"});
}

template <int D>
void SceneReader<D>::read_drawn(const toml::table& own) {
  const Section s(context_, "layout", {&own});
  s.require("file", "a drawing or model beside the scene file");
  const auto file = s.text("file");
  const auto path = file ? context_.path_of(*s.find("file"), *file) : std::nullopt;
  if (!path) return;
  const std::size_t problems = context_.problems.size();
  Drawn layout{s, own, *s.find("file"), *path, *file};
  layout.scale = s.number("scale", 1e-9, 1e9).value_or(1);
  if (auto at = s.template vector<D>("at")) layout.at = *at;
  layout.up = scene_.world.gravity[1] > 0 ? -1 : 1;
  read_map(layout);
  if (context_.problems.size() > problems) return;
  const std::string ending = ending_of(*path);
  const bool model = ending == ".gltf" || ending == ".glb";
  if (!model && !s.has("map"))
    return context_.report(own, "a layout lacks 'map'", "map = { NAME = \"a kind\", ... }");
  if (ending == ".png") read_png_layout(layout);
  else if (ending == ".svg" && D == 2) read_svg_layout(layout);
  else if (model && D == 3) read_gltf_layout(layout);
  else
    return context_.report(layout.node,
                           fmt::format("a '{}' is no layout of a {}D scene", ending, D),
                           D == 2 ? ".svg or .png" : ".gltf, .glb or .png");
  if (context_.problems.size() > problems) return;
  compare_with_map(layout);
}

template <int D>
auto SceneReader<D>::mapped(Drawn& layout, const std::vector<std::string>& names) -> Mapped* {
  for (const std::string& name : names) {
    if (name.empty()) continue;
    if (std::find(layout.names.begin(), layout.names.end(), name) == layout.names.end() &&
        layout.names.size() < 200)
      layout.names.push_back(name);
  }
  for (const std::string& name : names)
    if (const auto found = layout.map.find(name); found != layout.map.end()) return &found->second;
  return nullptr;
}

// Reads the kind once; false after a problem.
template <int D>
bool SceneReader<D>::ready(Drawn& layout, Mapped& m) {
  if (m.def) return true;
  const Kind* kind = find_kind(m.node != nullptr ? *m.node : layout.node, m.kind);
  if (kind == nullptr) return false;
  m.layers = kind->layers;
  shape_follows_ = true;
  ObjectDef<D> def = read_object(Section(context_, "object", m.layers));
  shape_follows_ = false;
  def.kind = m.kind;
  m.shapeless = shapeless_;
  if (def.colliders.empty() && covering_.empty()) {
    m.shapeless = {0};
    def.colliders.emplace_back();
  }
  m.def = std::move(def);
  return true;
}

template <int D>
void SceneReader<D>::add_drawn(Drawn& layout, Mapped& m, const std::string& name, const Pose<D>& at,
                               const std::optional<Placed<D>>& shape, const Place& place,
                               const std::string& source, const std::vector<std::string>& tags) {
  ObjectDef<D> def = *m.def;
  ++m.found;
  for (const std::string& tag : tags) {
    if (const Result<Tag> known = tags_.find(tag); !known) {
      context_.problems.push_back(
          {place, source + ": " + known.error().what, known.error().accepted});
      return;
    }
    if (std::find(def.tags.begin(), def.tags.end(), tag) == def.tags.end()) def.tags.push_back(tag);
  }
  if (!m.shapeless.empty() && !shape) return;  // what is wrong was reported
  for (const std::size_t i : m.shapeless) {
    ColliderDef<D>& c = def.colliders[i];
    const Pose<D> pose = Pose<D>{c.at, c.turned} * Pose<D>{shape->at, shape->turned};
    c.shape = shape->shape;
    c.at = pose.position;
    c.turned = pose.rotation;
    if (const Result<void> good = check_shape(c.shape, scene_.world.metre); !good) {
      context_.problems.push_back(
          {place, fmt::format("{}: {}: {}", source, good.error().where, good.error().what),
           good.error().accepted});
      return;
    }
  }
  // Its own name, or the kind's and a number.
  std::string own = name;
  if (!is_plain_name(own) || declared_objects_.contains(own)) {
    if (!name.empty() && declared_objects_.contains(name)) {
      context_.problems.push_back({place,
                                   fmt::format("{}: another object is named '{}'", source, name),
                                   "another id, or another name in the scene"});
      return;
    }
    do own = fmt::format("{}.{}", m.kind, ++drawn_of_kind_[m.kind]);
    while (declared_objects_.contains(own));
  }
  declared_objects_.insert(own);
  layers_at_hand_ = m.layers;
  keys_at_hand_ = context_.key_places(m.layers);
  covering_.clear();
  static_cast<void>(layout);
  add_copy(def, own, at, place, source);
}

template <>
std::optional<Placed<2>> SceneReader<2>::shape_of(Drawn& layout, const Mapped& m,
                                                  const DrawnShape& shape) {
  const auto refuse = [&](const Error& error) {
    context_.problems.push_back(
        {shape.place,
         fmt::format("<{}{}>: {}: {}", shape.element,
                     shape.id.empty() ? "" : " id=\"" + shape.id + "\"", error.where, error.what),
         error.accepted});
    return std::nullopt;
  };
  const Vec<2> size = layout.scale * shape.size;
  const auto local = [&](const Vec<2>& p) {
    Vec<2> out = layout.scale * (p - shape.centre);
    out.y() *= layout.up;
    return out;
  };
  if (shape.kind == DrawnShape::Kind::line) {
    std::vector<Vec<2>> points;
    for (const Vec<2>& p : shape.line) points.push_back(local(p));
    const Result<Shape<2>> line = polyline(points, {.closed = false, .two_sided = true});
    if (!line) return refuse(line.error());
    return Placed<2>{line.value(), kZero, {}};
  }
  if (!m.fit && shape.kind == DrawnShape::Kind::box)
    return Placed<2>{box(size.x(), size.y()), kZero, {}};
  if (!m.fit && shape.kind == DrawnShape::Kind::circle)
    return Placed<2>{circle(size.x()), kZero, {}};
  auto loops = shape.loops;
  for (auto& loop : loops)
    for (Vec<2>& p : loop) p = local(p);
  // A turned object carries its shape along.
  if (shape.kind == DrawnShape::Kind::box) {
    const Rotation<2> back = layout.up > 0 ? shape.turned.inverse() : shape.turned;
    for (Vec<2>& p : loops[0]) p = back * p;
  }
  const Result<Art<2>> art = outlined_art(std::move(loops), shape.winding);
  if (!art) return refuse(art.error());
  FitOptions<2> options;
  // Of an outline a tenth of the usual tolerance: the drawing is meant.
  if (!m.fit) options.tolerance = layout.scale * shape.size.maxCoeff() / 500;
  const Result<Offer<2>> offer = fit(art.value(), m.fit.value_or(Fit::outline), options);
  if (!offer) return refuse(offer.error());
  return offer.value().collider;
}

template <>
std::optional<Placed<3>> SceneReader<3>::shape_of(Drawn&, const Mapped&, const DrawnShape&) {
  return std::nullopt;
}

template <>
void SceneReader<2>::read_svg_layout(Drawn& layout) {
  const Result<SvgDrawing> drawing = read_svg(layout.path);
  if (!drawing) return context_.report(layout.node, drawing.error());
  layout.left_out = drawing.value().notes;
  // Where y goes down, the drawing's top stays its lowest y.
  const double height = drawing.value().size.y();
  for (const DrawnShape& shape : drawing.value().shapes) {
    std::vector<std::string> names{shape.id};
    names.insert(names.end(), shape.classes.begin(), shape.classes.end());
    names.insert(names.end(), shape.layers.begin(), shape.layers.end());
    Mapped* m = mapped(layout, names);
    if (m == nullptr) {
      layout.left_out.push_back(shape.named() + " stands for nothing and was left out");
      continue;
    }
    if (m->kind.empty()) {
      ++m->found;
      continue;
    }
    if (!ready(layout, *m)) return;
    std::optional<Placed<2>> placed;
    if (!m->shapeless.empty()) placed = shape_of(layout, *m, shape);
    Vec<2> at = shape.centre;
    if (layout.up < 0) at.y() = height - at.y();
    const Rotation<2> turned = layout.up > 0 ? shape.turned : shape.turned.inverse();
    add_drawn(
        layout, *m, shape.id, {layout.at + layout.scale * at, turned * m->def->turned}, placed,
        shape.place,
        fmt::format("<{}{}>", shape.element, shape.id.empty() ? "" : " id=\"" + shape.id + "\""));
  }
}
template <>
void SceneReader<3>::read_svg_layout(Drawn&) {}

template <int D>
void SceneReader<D>::read_png_layout(Drawn& layout) {
  const auto pixels = picture_in(layout.node, layout.path);
  if (!pixels) return;
  if (static_cast<double>(pixels->width) * pixels->height > 1e6)
    return context_.report(
        layout.node, fmt::format("the picture has {} x {} pixels", pixels->width, pixels->height),
        "at most 1000000, one for each place");
  Vec<D> cell = Vec<D>::Constant(layout.scale);
  if (auto given = layout.section.template vector<D>("cell")) cell = *given;
  const std::size_t problems = context_.problems.size();
  const auto ground = read_colour(layout.section, "ground");
  if (context_.problems.size() > problems) return;
  std::map<std::array<std::uint8_t, 3>, Mapped*> colours;
  for (auto& [name, m] : layout.map) {
    const auto colour = colour_named(name);
    if (!colour) {
      context_.report(*m.node, fmt::format("'{}' is no colour", name), "\"#rrggbb\"");
      continue;
    }
    if (!m.kind.empty() && !ready(layout, m)) return;
    colours[*colour] = &m;
  }
  std::map<std::array<std::uint8_t, 3>, std::pair<int, std::string>> unknown;
  for (int row = 0; row < pixels->height; ++row)
    for (int column = 0; column < pixels->width; ++column) {
      const std::uint8_t* p = &pixels->bytes[4 * (static_cast<std::size_t>(row) *
                                                      static_cast<std::size_t>(pixels->width) +
                                                  static_cast<std::size_t>(column))];
      const std::array<std::uint8_t, 3> colour{p[0], p[1], p[2]};
      if (p[3] < 128 || (ground && colour == *ground)) continue;
      const std::string name = fmt::format("#{:02x}{:02x}{:02x}", p[0], p[1], p[2]);
      const auto known = colours.find(colour);
      if (known == colours.end()) {
        auto& [count, first] = unknown[colour];
        if (count++ == 0) {
          first = fmt::format("{}: the colour {} (first at column {}, row {})", layout.file, name,
                              column + 1, row + 1);
          layout.names.push_back(name);
        }
        continue;
      }
      if (known->second->kind.empty()) {
        ++known->second->found;
        continue;
      }
      Vec<D> at = layout.at;
      at[0] += (column + 0.5) * cell[0];
      at[1] += ((layout.up > 0 ? pixels->height - 1 - row : row) + 0.5) * cell[1];
      std::optional<Placed<D>> whole(std::in_place);
      whole->shape.kind = ShapeKind::box;
      whole->shape.core = cell / 2;
      add_drawn(layout, *known->second, "", {at, known->second->def->turned}, whole,
                context_.place(layout.own),
                fmt::format("{}: column {}, row {}", layout.file, column + 1, row + 1));
    }
  for (const auto& [colour, seen] : unknown)
    layout.left_out.push_back(
        fmt::format("{} stands for nothing: {} pixels were left out", seen.second, seen.first));
}

template <>
void SceneReader<3>::read_gltf_layout(Drawn& layout) {
  const double time = layout.section.number("time", 0, 1e9).value_or(0);
  const auto model = model_in(layout.node, layout.path, time);
  if (!model) return;
  layout.left_out = model->notes;
  std::map<std::string, Mapped> of_extras;
  for (const ModelNode& node : model->nodes) {
    // Exporters number copies: "crate.001" is a crate.
    std::string base = node.name;
    if (const std::size_t dot = base.rfind('.');
        dot != std::string::npos && dot + 1 < base.size() &&
        base.find_first_not_of("0123456789", dot + 1) == std::string::npos)
      base.resize(dot);
    std::vector<std::string> names{node.name, base, node.kind, node.mesh};
    names.insert(names.end(), node.parents.begin(), node.parents.end());
    Mapped* m = mapped(layout, names);
    if (m == nullptr && !node.kind.empty()) {
      if (find_kind(layout.node, node.kind) == nullptr) return;
      m = &of_extras[node.kind];
      m->kind = node.kind;
    }
    const Place place{layout.path, 0, 0};
    if (m == nullptr) {
      layout.left_out.push_back(node.place + " stands for nothing and was left out");
      continue;
    }
    if (m->kind.empty()) {
      ++m->found;
      continue;
    }
    if (!ready(layout, *m)) return;
    std::optional<Placed<3>> placed;
    if (!m->shapeless.empty()) {
      Art<3> given = node.art;
      for (Vec<3>& p : given.points) p *= layout.scale;
      const Result<Art<3>> art = checked_art(std::move(given));
      const Fit as = m->fit.value_or(m->def->body == BodyKind::fixed ? Fit::mesh : Fit::hull);
      const Result<Offer<3>> offer = art ? fit(art.value(), as, {}) : Result<Offer<3>>(art.error());
      if (!offer)
        return context_.report(
            layout.node,
            fmt::format("{}: {}: {}", node.place, offer.error().where, offer.error().what),
            offer.error().accepted);
      placed = offer.value().collider;
    }
    add_drawn(layout, *m, node.name,
              {layout.at + layout.scale * node.pose.position, node.pose.rotation * m->def->turned},
              placed, context_.place(layout.own), node.place, node.tags);
  }
}
template <>
void SceneReader<2>::read_gltf_layout(Drawn&) {}

template void SceneReader<2>::read_layouts();
template void SceneReader<3>::read_layouts();

}  // namespace colvik::scene
