#include <fmt/format.h>

#include <filesystem>

#include "scene/scene_reader.h"
#include "world/checks.h"

namespace colvik::scene {

template <int D>
void SceneReader<D>::read_kinds() {
  const toml::node* node = top_.find("kinds");
  if (node == nullptr) return;
  const toml::table* all = node->as_table();
  if (all == nullptr)
    return context_.report(*node, fmt::format("kinds is {}", type_name(*node)), "tables, [kinds.NAME]");
  for (const auto& [key, value] : *all) {
    if (const toml::table* table = value.as_table()) {
      kinds_[std::string(key.str())].table = table;
      kind_names_.emplace_back(key.str());
    } else {
      context_.report(value, fmt::format("kind '{}' is {}", key.str(), type_name(value)), "a table");
    }
  }
  for (auto& [name, kind] : kinds_) kind.layers = kind_layers(name, *kind.table);
  for (auto& [name, kind] : kinds_) {
    const Section s(context_, "object", kind.layers);
    for (const std::string_view key : {"name", "kind", "row", "grid"})
      if (kind.table->contains(key))
        context_.report(*kind.table->get(key), fmt::format("a kind has no '{}'", key),
                        key == "kind" ? "like = the kind it inherits from" : "say it where the object is");
    reading_kinds_ = true;  // which may leave the shape to what is like them
    (void)read_object(s);
    reading_kinds_ = false;
  }
}

// The kind itself, then what it is like, and so on; reports unknown kinds and circles.
template <int D>
std::vector<const toml::table*> SceneReader<D>::kind_layers(const std::string& name, const toml::table& table) {
  std::vector<const toml::table*> layers{&table};
  std::vector<std::string> seen{name};
  while (const toml::node* like = layers.back()->get("like")) {
    const auto parent = text_in(context_, *like, "like");
    const Kind* kind = parent ? find_kind(*like, *parent) : nullptr;
    if (kind == nullptr) break;
    if (std::find(seen.begin(), seen.end(), *parent) != seen.end()) {
      seen.push_back(*parent);
      if (!context_.reported_at(*like))
        context_.report(*like, fmt::format("kinds inherit in a circle: {}", fmt::join(seen, " -> ")),
                        "a kind that is not like itself");
      break;
    }
    seen.push_back(*parent);
    layers.push_back(kind->table);
  }
  return layers;
}

template <int D>
auto SceneReader<D>::find_kind(const toml::node& at, const std::string& name) -> const Kind* {
  const auto found = kinds_.find(name);
  if (found != kinds_.end()) return &found->second;
  if (!context_.reported_at(at))
    context_.report(at, fmt::format("no kind is named '{}'", name),
                    suggestion(name, kind_names_,
                               kind_names_.empty() ? "no kind is declared"
                                                   : fmt::format("kinds are: {}", fmt::join(kind_names_, ", "))));
  return nullptr;
}

template <int D>
void SceneReader<D>::read_objects() {
  const toml::node* node = top_.find("objects");
  const toml::array* list = node != nullptr ? node->as_array() : nullptr;
  if (node != nullptr && list == nullptr)
    context_.report(*node, fmt::format("objects is {}", type_name(*node)), "tables, [[objects]]");
  if (list == nullptr) return;
  scene_.objects.reserve(list->size());
  for (const toml::node& item : *list) {
    const toml::table* own = item.as_table();
    if (own == nullptr) {
      context_.report(item, fmt::format("an object is {}", type_name(item)), "a table, [[objects]]");
      continue;
    }
    std::vector<const toml::table*> layers{own};
    std::string kind_name;
    if (const toml::node* like = own->get("like"))
      context_.report(*like, "an object has no 'like'", "kind = the kind it inherits from");
    if (const toml::node* kind = own->get("kind")) {
      if (const auto name = text_in(context_, *kind, "kind"))
        if (const Kind* found = find_kind(*kind, *name)) {
          kind_name = *name;
          layers.insert(layers.end(), found->layers.begin(), found->layers.end());
        }
    }
    const Section s(context_, "object", std::move(layers));
    s.require("name", "a name of its own");
    ObjectDef<D> def = read_object(s);
    def.kind = kind_name;
    add_copies(s, def, *own);
  }
}

template <int D>
ObjectDef<D> SceneReader<D>::read_object(const Section& s) {
  ObjectDef<D> def;
  if (auto name = s.text("name")) {
    def.name = *name;
    if (!is_plain_name(def.name))
      context_.report(*s.find("name"), fmt::format("'{}' is not a name", def.name),
                      "letters, digits and - _ . after a first letter or digit");
  }
  static const std::vector<std::string> bodies{"static", "kinematic", "dynamic"};
  if (auto body = s.choice("body", bodies)) def.body = static_cast<BodyKind>(*body);
  if (auto at = s.template vector<D>("at")) def.at = *at;
  if (auto turned = s.template turn<D>("turned")) def.turned = *turned;
  def.tags = read_tag_list(s, "tags");
  for (const toml::table* layer : s.layers()) {
    if (layer->contains("add_tags"))
      for (std::string& tag : read_tag_list(Section(context_, "object", {layer}), "add_tags"))
        if (std::find(def.tags.begin(), def.tags.end(), tag) == def.tags.end()) def.tags.push_back(std::move(tag));
    if (layer->contains("tags")) break;  // what lies below was replaced
  }
  def.colliders = read_colliders(s, def);
  def.numbers = read_numbers(s, "numbers");
  if (auto v = s.template vector<D>("velocity")) def.velocity = *v;
  if (auto w = s.template spin<D>("spin")) def.spin = *w;
  static const std::vector<std::string> frames{"world", "own"};
  if (s.choice("velocity_frame", frames).value_or(0) == 1) {
    def.velocity = def.turned * def.velocity;
    if constexpr (D == 3) def.spin = def.turned * def.spin;
  }
  read_motion(s, def);
  read_pushes(s, def);
  if (auto centre = s.template vector<D>("mass_centre")) def.mass_centre = *centre;
  def.inertia = read_turning(s, "inertia");
  if (auto drag = s.number("drag", 0, 1e6)) def.drag = *drag;
  if (auto drag = s.number("spin_drag", 0, 1e6)) def.spin_drag = *drag;
  read_locks(s, def);
  if (auto continuous = s.boolean("continuous")) def.continuous = *continuous;
  if (auto may = s.boolean("may_sleep")) def.may_sleep = *may;
  if (auto mass = s.number("mass")) def.mass = *mass;
  if (auto scale = s.number("gravity_scale")) def.gravity_scale = *scale;
  if (auto locked = s.boolean("locked_rotation")) def.locked_rotation = *locked;
  if (auto active = s.boolean("active")) def.active = *active;
  if (auto drawing = s.table("drawing", "drawing")) {
    if (auto size = drawing->template vector<D>("size")) def.drawing.size = *size;
    if (auto picture = drawing->text("picture")) {
      const std::filesystem::path path = std::filesystem::path(scene_.file).parent_path() / *picture;
      def.drawing.picture = path.string();
      std::error_code ignored;
      if (!std::filesystem::is_regular_file(path, ignored))
        context_.report(*drawing->find("picture"), fmt::format("there is no file '{}'", path.string()),
                        "a PNG beside the scene file");
    }
    drawing->require("size", "whole size of the drawing");
  }
  return def;
}

// A torque or a moment of inertia: a number in 2D.
template <int D>
std::optional<Spin<D>> SceneReader<D>::read_turning(const Section& s, std::string_view key) {
  if constexpr (D == 2) {
    const auto number = s.number(key);
    return number ? std::optional<Spin<2>>(Spin<2>(*number)) : std::nullopt;
  } else {
    return s.template vector<3>(key);
  }
}

template <int D>
void SceneReader<D>::read_locks(const Section& s, ObjectDef<D>& def) {
  const auto read = [&](std::string_view key, auto& locks) {
    for (const std::string& axis : s.texts(key)) {
      const std::size_t i = axis.size() == 1 ? std::string_view("xyz").find(axis) : std::string_view::npos;
      if (i < D) locks[i] = true;
      else context_.report(*s.find(key), fmt::format("'{}' is not an axis", axis), D == 2 ? "x or y" : "x, y or z");
    }
  };
  read("locked_axes", def.locked_axes);
  if constexpr (D == 3) read("locked_turns", def.locked_turns);
  else if (s.has("locked_turns"))
    context_.report(*s.find("locked_turns"), "a 2D object turns about one axis only", "locked_rotation = true");
}

template <int D>
void SceneReader<D>::read_pushes(const Section& s, ObjectDef<D>& def) {
  if (!s.has("pushes")) return;
  static const std::vector<std::string> frames{"world", "own"};
  for (const Section& p : s.tables("pushes", "push")) {
    TimedPush<D> push;
    push.from = p.number("from").value_or(0);
    push.until = p.number("until").value_or(push.from);
    if (auto force = p.template vector<D>("force")) push.force = *force;
    if (auto torque = read_turning(p, "torque")) push.torque = *torque;
    if (auto impulse = p.template vector<D>("impulse")) push.impulse = *impulse;
    if (auto impulse = read_turning(p, "angular_impulse")) push.angular_impulse = *impulse;
    push.point = p.template vector<D>("point");
    push.own_frame = p.choice("frame", frames).value_or(0) == 1;
    if ((p.has("force") || p.has("torque")) && !p.has("until"))
      context_.report(p.node(), "a force acts for a time", "until = seconds from the start");
    def.pushes.push_back(push);
  }
}

template <int D>
void SceneReader<D>::read_motion(const Section& s, ObjectDef<D>& def) {
  if (s.has("path") && s.has("velocities"))
    context_.report(*s.find("velocities"), "an object has a path and velocities", "one of the two");
  const auto check = [&](std::string_view key) {
    if (auto good = world::check_motion<D>(def.motion, scene_.world.metre);
        !good && !context_.reported_at(*s.find(key)))
      context_.report(*s.find(key), fmt::format("{} {}", good.error().where, good.error().what), good.error().accepted);
  };
  if (s.has("path")) {
    Path<D> path;
    for (const Section& w : s.tables("path", "waypoint")) {
      w.require("at", "seconds from the start");
      w.require("to", "a position");
      Waypoint<D> point;
      point.at = w.number("at").value_or(0);
      if (auto to = w.template vector<D>("to")) point.to = *to;
      point.turned = w.template turn<D>("turned");
      path.points.push_back(point);
    }
    path.loop = s.boolean("loop").value_or(false);
    def.motion = path;
    check("path");
    if (!s.has("at") && !path.points.empty()) def.at = path.points.front().to;
    if (!s.has("turned") && !path.points.empty() && path.points.front().turned)
      def.turned = *path.points.front().turned;
  } else if (s.has("velocities")) {
    std::vector<VelocityFrom<D>> steps;
    for (const Section& v : s.tables("velocities", "velocity")) {
      v.require("at", "seconds from the start");
      VelocityFrom<D> step;
      step.at = v.number("at").value_or(0);
      if (auto velocity = v.template vector<D>("velocity")) step.velocity = *velocity;
      if (auto spin = v.template spin<D>("spin")) step.spin = *spin;
      steps.push_back(step);
    }
    def.motion = steps;
    check("velocities");
  }
  if (s.has("loop") && !s.has("path"))
    context_.report(*s.find("loop"), "loop without a path", "path = [...] beside it");
}

// One object, or the copies that a row or grid asks for.
template <int D>
void SceneReader<D>::add_copies(const Section& s, const ObjectDef<D>& def, const toml::table& own) {
  const auto add = [&](const std::string& name, const Vec<D>& at) {
    ObjectDef<D> copy = def;
    copy.name = name;
    copy.at = at;
    scene_.objects.push_back(std::move(copy));
    scene_.object_places.push_back(context_.place(own));
  };
  const bool row = own.contains("row"), grid = own.contains("grid");
  if (!row && !grid) return add(def.name, def.at);
  if (own.contains("at") || (row && grid))
    return context_.report(own, fmt::format("'{}' is placed twice", def.name), "one of at, row and grid");
  const std::string_view which = row ? "row" : "grid";
  const auto layout = s.table(which, which);
  if (!layout) return;
  for (const std::string_view key : {"from", "step", "count"}) layout->require(key, "from, step and count");
  const auto from = layout->template vector<D>("from"), step = layout->template vector<D>("step");
  if (row) {
    const auto count = layout->whole("count", 1, 1000000);
    if (!from || !step || !count) return;
    for (std::uint64_t i = 0; i < *count; ++i)
      add(fmt::format("{}.{}", def.name, i + 1), *from + *step * static_cast<double>(i));
    return;
  }
  const auto counts = layout->template vector<D>("count");
  if (!from || !step || !counts) return;
  double total = 1;
  for (int i = 0; i < D; ++i) total *= (*counts)[i];
  if ((counts->array() < 1).any() || (counts->array() != counts->array().floor()).any() || total > 1e6)
    return context_.report(*layout->find("count"), "count is not usable",
                           "whole numbers from 1 up, at most 1000000 copies");
  Vec<D> at = kZero;  // counts up like an odometer, first axis fastest
  for (std::size_t left = static_cast<std::size_t>(total); left > 0; --left) {
    std::string name = def.name;
    for (int i = 0; i < D; ++i) name += fmt::format(".{}", at[i] + 1);
    add(name, *from + step->cwiseProduct(at));
    for (int i = 0; i < D; ++i) {
      if (++at[i] < (*counts)[i]) break;
      at[i] = 0;
    }
  }
}

template <int D>
std::vector<ColliderDef<D>> SceneReader<D>::read_colliders(const Section& s, const ObjectDef<D>& def) {
  std::vector<ColliderDef<D>> list;
  // The nearest layer that says anything decides between one collider and several.
  for (std::size_t i = 0; i < s.layers().size(); ++i) {
    const toml::table& layer = *s.layers()[i];
    if (layer.contains("collider") && layer.contains("colliders"))
      context_.report(*layer.get("colliders"), "an object has collider and colliders", "one of the two");
    if (layer.contains("colliders")) {
      for (const Section& c : Section(context_, "object", {&layer}).tables("colliders", "collider"))
        if (auto collider = read_collider(c, def)) list.push_back(*collider);
      return list;
    }
    if (!layer.contains("collider")) continue;
    // Inherited piece by piece, down to a layer that has a list instead.
    std::vector<const toml::table*> below;
    for (std::size_t k = i; k < s.layers().size() && !s.layers()[k]->contains("colliders"); ++k)
      below.push_back(s.layers()[k]);
    const std::vector<const toml::table*> layers = Section(context_, "object", below).layers_of("collider");
    if (layers.empty()) return list;
    if (auto collider = read_collider(Section(context_, "collider", layers), def)) list.push_back(*collider);
    return list;
  }
  return list;
}

template <int D>
std::optional<ColliderDef<D>> SceneReader<D>::read_collider(const Section& s, const ObjectDef<D>& def) {
  ColliderDef<D> c;
  if (auto at = s.template vector<D>("at")) c.at = *at;
  if (auto turned = s.template turn<D>("turned")) c.turned = *turned;
  if (auto zone = s.boolean("zone")) c.zone = *zone;
  if (auto density = s.number("density", 1e-30, 1e30)) c.density = *density;
  if (auto friction = s.number("friction", 0, 1e6)) c.friction = *friction;
  if (auto restitution = s.number("restitution", 0, 1)) c.restitution = *restitution;
  if (auto rolling = s.number("rolling_friction", 0, 1e6)) c.rolling_friction = *rolling;
  if (auto running = s.template vector<D>("surface_velocity")) c.surface_velocity = *running;
  if (s.has("meets")) c.meets = read_query(s, "meets");
  c.tags = read_tag_list(s, "tags");
  if (auto on = s.boolean("on")) c.on = *on;
  const std::optional<Shape<D>> shape = read_shape(s, def, c);
  if (!shape) return std::nullopt;
  c.shape = *shape;
  if (auto good = check_shape(c.shape, scene_.world.metre); !good && !context_.reported_at(s.node())) {
    context_.report(s.node(), fmt::format("{}: {}", good.error().where, good.error().what), good.error().accepted);
    return std::nullopt;
  }
  return c;
}

template <int D>
std::vector<std::string> SceneReader<D>::read_tag_list(const Section& s, std::string_view key) {
  std::vector<std::string> list = s.texts(key);
  std::erase_if(list, [&](const std::string& name) {
    const Result<Tag> tag = tags_.find(name);
    if (tag) return false;
    // Point at the entry itself where it is one of a list.
    const toml::node* at = s.find(key);
    if (const toml::array* array = at->as_array())
      for (const toml::node& item : *array)
        if (item.value<std::string>() == name) at = &item;
    if (!context_.reported_at(*at)) context_.report(*at, tag.error().what, tag.error().accepted);
    return true;
  });
  return list;
}

template <int D>
std::vector<Number> SceneReader<D>::read_numbers(const Section& s, std::string_view key) {
  std::vector<Number> numbers;
  for (const toml::table* layer : s.layers_of(key))
    for (const auto& [entry, node] : in_file_order(*layer)) {
      const std::string name(entry->str());
      if (std::any_of(numbers.begin(), numbers.end(), [&](const Number& n) { return n.name == name; })) continue;
      const toml::node* value = context_.resolve(*node);
      if (!is_plain_name(name))
        context_.report(entry->source().begin, fmt::format("'{}' is not a name", name), "letters, digits and - _ .");
      else if (value != nullptr)
        if (auto number = number_in(context_, *value, name, -1e15, 1e15)) numbers.push_back({name, *number});
    }
  return numbers;
}

template <int D>
std::string SceneReader<D>::read_query(const Section& s, std::string_view key) {
  const auto text = s.text(key);
  if (!text) return "any";
  const Result<TagQuery> query = TagQuery::parse(*text, tags_);
  if (query) return *text;
  if (!context_.reported_at(*s.find(key))) context_.report(*s.find(key), query.error().what, query.error().accepted);
  return "any";
}

template <int D>
const Bounds<D>* SceneReader<D>::read_region(const Section& s, std::string_view key) {
  const auto name = s.text(key);
  if (!name) return nullptr;
  const auto at = scene_.regions.find(*name);
  if (at != scene_.regions.end()) return &at->second;
  std::vector<std::string> names;
  for (const auto& [known, bounds] : scene_.regions) names.push_back(known);
  context_.report(*s.find(key), fmt::format("no region is named '{}'", *name),
                  suggestion(*name, names, "a region declared under [regions]"));
  return nullptr;
}

template class SceneReader<2>;
template class SceneReader<3>;

}  // namespace colvik::scene
