#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "scene/scene_reader.h"

namespace colvik::scene {

template <int D>
void SceneReader<D>::read_kinds() {
  const toml::node* node = top_.find("kinds");
  if (node == nullptr) return;
  const toml::table* all = node->as_table();
  if (all == nullptr)
    return context_.report(*node, fmt::format("kinds is {}", type_name(*node)),
                           "tables, [kinds.NAME]");
  for (const auto& [key, value] : *all) {
    if (const toml::table* table = value.as_table()) {
      kinds_[std::string(key.str())].table = table;
      kind_names_.emplace_back(key.str());
    } else {
      context_.report(value, fmt::format("kind '{}' is {}", key.str(), type_name(value)),
                      "a table");
    }
  }
  for (auto& [name, kind] : kinds_) kind.layers = kind_layers(name, *kind.table);
  for (auto& [name, kind] : kinds_) {
    const Section s(context_, "object", kind.layers);
    for (const std::string_view key :
         {"name", "kind", "row", "grid", "ring", "border", "picture", "scatter", "parent"})
      if (kind.table->contains(key))
        context_.report(
            *kind.table->get(key), fmt::format("a kind has no '{}'", key),
            key == "kind" ? "like = the kind it inherits from" : "say it where the object is");
    reading_kinds_ = true;  // which may leave the shape to what is like them
    ObjectDef<D> def = read_object(s);
    reading_kinds_ = false;
    def.kind = name;
    scene_.kinds.push_back(std::move(def));
    scene_.kind_places.push_back(context_.place(*kind.table));
    scene_.kind_keys.push_back(context_.key_places(kind.layers));
  }
}

// The kind itself, then what it is like, and so on; reports unknown kinds and circles.
template <int D>
std::vector<const toml::table*> SceneReader<D>::kind_layers(const std::string& name,
                                                            const toml::table& table) {
  std::vector<const toml::table*> layers{&table};
  std::vector<std::string> seen{name};
  while (const toml::node* like = layers.back()->get("like")) {
    const auto parent = text_in(context_, *like, "like");
    const Kind* kind = parent ? find_kind(*like, *parent) : nullptr;
    if (kind == nullptr) break;
    if (std::find(seen.begin(), seen.end(), *parent) != seen.end()) {
      seen.push_back(*parent);
      if (!context_.reported_at(*like))
        context_.report(*like,
                        fmt::format("kinds inherit in a circle: {}", fmt::join(seen, " -> ")),
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
                               kind_names_.empty()
                                   ? "no kind is declared"
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
  for (const toml::node& item : *list)
    if (const toml::table* own = item.as_table())
      if (const auto name = (*own)["name"].value<std::string>()) declared_objects_.insert(*name);
  for (const toml::node& item : *list) {
    const toml::table* own = item.as_table();
    if (own == nullptr) {
      context_.report(item, fmt::format("an object is {}", type_name(item)),
                      "a table, [[objects]]");
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
    layers_at_hand_ = layers;
    keys_at_hand_ = context_.key_places(layers);
    const Section s(context_, "object", std::move(layers));
    s.require("name", "a name of its own");
    ObjectDef<D> def = read_object(s);
    def.kind = kind_name;
    const std::size_t first = scene_.objects.size();
    add_copies(s, def, *own);
    for (const std::string& other : s.texts("excepted"))
      for (std::size_t i = first; i < scene_.objects.size(); ++i)
        scene_.excepted.push_back({scene_.objects[i].name,
                                   other.starts_with('@') ? other.substr(1) : other,
                                   context_.place(*s.find("excepted"))});
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
        if (std::find(def.tags.begin(), def.tags.end(), tag) == def.tags.end())
          def.tags.push_back(std::move(tag));
    if (layer->contains("tags")) break;  // what lies below was replaced
  }
  read_parent(s, def);
  const bool follows = shape_follows_;
  shape_follows_ = follows || s.has("border");
  def.colliders = read_colliders(s);
  shape_follows_ = follows;
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
  if (auto drawing = s.table("drawing", "drawing")) def.drawings.push_back(read_drawing(*drawing));
  for (const Section& drawing : s.tables("drawings", "drawing"))
    def.drawings.push_back(read_drawing(drawing));
  def.mirrored = s.boolean("mirrored").value_or(false);
  def.heed.takes_riders = s.boolean("takes_riders").value_or(false);
  read_walker(s, def);
  return def;
}

template <int D>
Drawing<D> SceneReader<D>::read_drawing(const Section& s) {
  Drawing<D> d;
  s.require("size", "whole size of the drawing");
  if (auto size = s.template vector<D>("size")) d.size = *size;
  if (auto at = s.template vector<D>("at")) d.at = *at;
  if (auto picture = s.text("picture")) {
    const auto path = context_.path_of(*s.find("picture"), *picture);
    if (!path) return d;
    d.picture = *path;
    std::error_code ignored;
    if (!std::filesystem::is_regular_file(*path, ignored))
      context_.report(*s.find("picture"), fmt::format("there is no file '{}'", *path),
                      "a PNG beside the scene file");
  }
  return d;
}

template <int D>
void SceneReader<D>::read_parent(const Section& s, ObjectDef<D>& def) {
  def.meets_relatives = s.boolean("meets_relatives").value_or(false);
  if (auto parent = s.text("parent")) {
    def.parent = parent->starts_with('@') ? parent->substr(1) : *parent;
    std::vector<std::string> names;
    for (const ObjectDef<D>& o : scene_.objects) names.push_back(o.name);
    if (std::find(names.begin(), names.end(), def.parent) == names.end())
      context_.report(*s.find("parent"),
                      fmt::format("no object before it is named '{}'", def.parent),
                      suggestion(def.parent, names, "an object that stands earlier in the file"));
    if (s.has("at") && s.has("on_parent"))
      context_.report(*s.find("on_parent"), "an object has at and on_parent", "one of the two");
    if (s.has("on_parent") || s.has("turned_on_parent")) {
      Pose<D> pose;
      if (auto at = s.template vector<D>("on_parent")) pose.position = *at;
      if (auto turned = s.template turn<D>("turned_on_parent")) pose.rotation = *turned;
      def.on_parent = pose;
    }
  } else {
    for (const char* key : {"on_parent", "turned_on_parent"})
      if (s.has(key))
        context_.report(*s.find(key), fmt::format("'{}' without a parent", key),
                        "parent beside it, or at");
  }
  std::vector<std::string> seen;
  for (const toml::table* layer : s.layers_of("spots"))
    for (const auto& [entry, node] : in_file_order(*layer)) {
      const std::string name(entry->str());
      if (std::find(seen.begin(), seen.end(), name) != seen.end()) continue;
      seen.push_back(name);
      const toml::node* value = context_.resolve(*node);
      if (const auto at = value != nullptr ? vector_in<D>(context_, *value, name) : std::nullopt)
        def.spots.push_back({name, {*at, {}}});
    }
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
      const std::size_t i =
          axis.size() == 1 ? std::string_view("xyz").find(axis) : std::string_view::npos;
      if (i < D) locks[i] = true;
      else
        context_.report(*s.find(key), fmt::format("'{}' is not an axis", axis),
                        D == 2 ? "x or y" : "x, y or z");
    }
  };
  read("locked_axes", def.locked_axes);
  if constexpr (D == 3) read("locked_turns", def.locked_turns);
  else if (s.has("locked_turns"))
    context_.report(*s.find("locked_turns"), "a 2D object turns about one axis only",
                    "locked_rotation = true");
}

template <int D>
std::vector<ColliderDef<D>> SceneReader<D>::read_colliders(const Section& s) {
  std::vector<ColliderDef<D>> list;
  covering_.clear();
  shapeless_.clear();
  object_at_hand_ = &s;
  const auto read = [&](const Section& section) {
    covers_.reset();
    frames_.reset();
    lacks_shape_ = false;
    auto collider = read_collider(section);
    if (collider && frames_) return show_frames(*frames_, section, *collider, list);
    if (collider && lacks_shape_) shapeless_.push_back(list.size());
    if (collider && covers_) {
      collider->at = *covers_;
      covering_.emplace_back(list.size(), *covers_);
    }
    if (collider) list.push_back(std::move(*collider));
  };
  // The nearest layer that says anything decides between one collider and several.
  for (std::size_t i = 0; i < s.layers().size(); ++i) {
    const toml::table& layer = *s.layers()[i];
    if (layer.contains("collider") && layer.contains("colliders"))
      context_.report(*layer.get("colliders"), "an object has collider and colliders",
                      "one of the two");
    if (layer.contains("colliders")) {
      for (const Section& c : Section(context_, "object", {&layer}).tables("colliders", "collider"))
        read(c);
      return list;
    }
    if (!layer.contains("collider")) continue;
    // Inherited piece by piece, down to a layer that has a list instead.
    std::vector<const toml::table*> below;
    for (std::size_t k = i; k < s.layers().size() && !s.layers()[k]->contains("colliders"); ++k)
      below.push_back(s.layers()[k]);
    const std::vector<const toml::table*> layers =
        Section(context_, "object", below).layers_of("collider");
    if (layers.empty()) return list;
    read(Section(context_, "collider", layers));
    return list;
  }
  return list;
}

template <int D>
std::optional<ColliderDef<D>> SceneReader<D>::read_collider(const Section& s) {
  ColliderDef<D> c;
  if (auto at = s.template vector<D>("at")) c.at = *at;
  if (auto turned = s.template turn<D>("turned")) c.turned = *turned;
  if (auto zone = s.boolean("zone")) c.zone = *zone;
  if (auto density = s.number("density", 1e-30, 1e30)) c.density = *density;
  if (auto friction = s.number("friction", 0, 1e6)) c.friction = *friction;
  if (auto restitution = s.number("restitution", 0, 1)) c.restitution = *restitution;
  if (auto rolling = s.number("rolling_friction", 0, 1e6)) c.rolling_friction = *rolling;
  if (auto running = s.template vector<D>("surface_velocity")) c.surface_velocity = *running;
  if (auto open = s.template vector<D>("one_way")) c.one_way = *open;
  if (s.has("meets")) c.meets = read_query(s, "meets");
  c.tags = read_tag_list(s, "tags");
  if (auto on = s.boolean("on")) c.on = *on;
  read_schedule(s, c);
  const std::optional<Shape<D>> shape = read_shape(s);
  if (!shape) return std::nullopt;
  c.shape = *shape;
  if (auto good = check_shape(c.shape, scene_.world.metre);
      !good && !context_.reported_at(s.node())) {
    context_.report(s.node(), good.error());
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
      if (std::any_of(numbers.begin(), numbers.end(),
                      [&](const Number& n) { return n.name == name; }))
        continue;
      const toml::node* value = context_.resolve(*node);
      if (!is_plain_name(name))
        context_.report(entry->source().begin, fmt::format("'{}' is not a name", name),
                        "letters, digits and - _ .");
      else if (value != nullptr)
        if (auto number = number_in(context_, *value, name, -1e15, 1e15))
          numbers.push_back({name, *number});
    }
  return numbers;
}

template <int D>
std::string SceneReader<D>::read_query(const Section& s, std::string_view key) {
  const auto text = s.text(key);
  if (!text) return "any";
  const Result<TagQuery> query = TagQuery::parse(*text, tags_);
  if (query) return *text;
  if (!context_.reported_at(*s.find(key)))
    context_.report(*s.find(key), query.error().what, query.error().accepted);
  return "any";
}

template <int D>
const Bounds<D>* SceneReader<D>::read_region(const Section& s, std::string_view key,
                                             bool with_an_end) {
  const auto name = s.text(key);
  if (!name) return nullptr;
  const auto at = scene_.regions.find(*name);
  if (at != scene_.regions.end()) {
    const Bounds<D>& region = at->second;
    if (!with_an_end || (region.lo.allFinite() && region.hi.allFinite())) return &region;
    context_.report(*s.find(key), fmt::format("region '{}' has no end", *name),
                    "a region with an end on all sides");
    return nullptr;
  }
  if (declared_regions_.contains(*name)) return nullptr;  // what is wrong with it was reported
  std::vector<std::string> names;
  for (const auto& [known, bounds] : scene_.regions) names.push_back(known);
  context_.report(*s.find(key), fmt::format("no region is named '{}'", *name),
                  suggestion(*name, names, "a region declared under [regions]"));
  return nullptr;
}

template void SceneReader<2>::read_kinds();
template void SceneReader<3>::read_kinds();
template std::vector<const toml::table*> SceneReader<2>::kind_layers(const std::string& name,
                                                                     const toml::table& table);
template std::vector<const toml::table*> SceneReader<3>::kind_layers(const std::string& name,
                                                                     const toml::table& table);
template auto SceneReader<2>::find_kind(const toml::node& at, const std::string& name)
    -> const Kind*;
template auto SceneReader<3>::find_kind(const toml::node& at, const std::string& name)
    -> const Kind*;
template void SceneReader<2>::read_objects();
template void SceneReader<3>::read_objects();
template ObjectDef<2> SceneReader<2>::read_object(const Section& s);
template ObjectDef<3> SceneReader<3>::read_object(const Section& s);
template Drawing<2> SceneReader<2>::read_drawing(const Section& s);
template Drawing<3> SceneReader<3>::read_drawing(const Section& s);
template void SceneReader<2>::read_parent(const Section& s, ObjectDef<2>& def);
template void SceneReader<3>::read_parent(const Section& s, ObjectDef<3>& def);
template std::optional<Spin<2>> SceneReader<2>::read_turning(const Section& s,
                                                             std::string_view key);
template std::optional<Spin<3>> SceneReader<3>::read_turning(const Section& s,
                                                             std::string_view key);
template void SceneReader<2>::read_locks(const Section& s, ObjectDef<2>& def);
template void SceneReader<3>::read_locks(const Section& s, ObjectDef<3>& def);
template std::vector<ColliderDef<2>> SceneReader<2>::read_colliders(const Section& s);
template std::vector<ColliderDef<3>> SceneReader<3>::read_colliders(const Section& s);
template std::optional<ColliderDef<2>> SceneReader<2>::read_collider(const Section& s);
template std::optional<ColliderDef<3>> SceneReader<3>::read_collider(const Section& s);
template std::vector<std::string> SceneReader<2>::read_tag_list(const Section& s,
                                                                std::string_view key);
template std::vector<std::string> SceneReader<3>::read_tag_list(const Section& s,
                                                                std::string_view key);
template std::vector<Number> SceneReader<2>::read_numbers(const Section& s, std::string_view key);
template std::vector<Number> SceneReader<3>::read_numbers(const Section& s, std::string_view key);
template std::string SceneReader<2>::read_query(const Section& s, std::string_view key);
template std::string SceneReader<3>::read_query(const Section& s, std::string_view key);
template const Bounds<2>* SceneReader<2>::read_region(const Section& s, std::string_view key,
                                                      bool with_an_end);
template const Bounds<3>* SceneReader<3>::read_region(const Section& s, std::string_view key,
                                                      bool with_an_end);

}  // namespace colvik::scene
