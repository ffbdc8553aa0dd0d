#include "scene/reader.h"

#include <colvik/art.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

namespace colvik {

std::string Problem::message() const {
  std::string text = place.file;
  if (place.line > 0) text += fmt::format(":{}:{}", place.line, place.column);
  text += ": " + what;
  return accepted.empty() ? text : text + "; " + accepted;
}

namespace scene {

void Context::report(const toml::source_position& at, std::string what, std::string accepted) {
  problems.push_back({{file, at.line, at.column}, std::move(what), std::move(accepted)});
}

Place Context::place(const toml::node& at) const {
  return {file, at.source().begin.line, at.source().begin.column};
}

KeyPlaces Context::key_places(const std::vector<const toml::table*>& layers) const {
  std::map<std::string, Place> places;
  for (const toml::table* layer : layers)
    for (const auto& [key, value] : *layer) {
      const std::string name(key.str());
      places.emplace(name, place(value));
      if (const toml::table* table = value.as_table())
        for (const auto& [inner, node] : *table)
          places.emplace(name + "." + std::string(inner.str()), place(node));
      if (const toml::array* list = value.as_array())
        for (std::size_t i = 0; i < list->size(); ++i)
          places.emplace(name + "." + std::to_string(i + 1), place((*list)[i]));
    }
  return std::make_shared<const std::map<std::string, Place>>(std::move(places));
}

bool Context::reported_at(const toml::node& node) const {
  return std::any_of(problems.begin(), problems.end(), [&](const Problem& p) {
    return p.place.line == node.source().begin.line && p.place.column == node.source().begin.column;
  });
}

const toml::node* Context::resolve(const toml::node& node) {
  const auto text = node.value_exact<std::string_view>();
  if (!text || !text->starts_with('$')) return &node;
  const auto at = parameters.find(std::string(text->substr(1)));
  if (at != parameters.end()) return at->second;
  report(node, fmt::format("no parameter is named '{}'", text->substr(1)),
         suggestion(text->substr(1), parameter_names, "a name declared under [parameters]", "$"));
  return nullptr;
}

std::vector<std::string> keys_of(std::string_view section) {
  std::vector<std::string> names;
  for (const SceneKey& key : scene_keys())
    if (key.section == section) names.emplace_back(key.name);
  return names;
}

std::optional<std::string> Context::path_of(const toml::node& at, const std::string& name) {
  namespace fs = std::filesystem;
  const fs::path own = fs::path(file).parent_path();
  const std::string path = (own / name).string();
  const fs::path folder = files.empty() ? (own.empty() ? fs::path(".") : own) : fs::path(files);
  if (lies_in(path, folder.string())) return path;
  report(at,
         fmt::format("the file '{}' lies outside the folder '{}'", name,
                     fs::absolute(folder).lexically_normal().string()),
         "a file in it, or another folder allowed where the scene is loaded (--files FOLDER)");
  return std::nullopt;
}

std::vector<std::pair<const toml::key*, const toml::node*>> in_file_order(
    const toml::table& table) {
  std::vector<std::pair<const toml::key*, const toml::node*>> entries;
  for (const auto& [key, value] : table) entries.emplace_back(&key, &value);
  std::stable_sort(entries.begin(), entries.end(), [](const auto& a, const auto& b) {
    return a.first->source().begin < b.first->source().begin;
  });
  return entries;
}

std::string_view type_name(const toml::node& node) {
  switch (node.type()) {
    case toml::node_type::table: return "a table";
    case toml::node_type::array: return "a list";
    case toml::node_type::string: return "text";
    case toml::node_type::integer:
    case toml::node_type::floating_point: return "a number";
    case toml::node_type::boolean: return "true or false";
    default: return "a date or time";
  }
}

Section::Section(Context& context, std::string_view section, std::vector<const toml::table*> layers)
    : context_(&context), section_(section), layers_(std::move(layers)) {
  static const std::map<std::string_view, std::vector<std::string>> known = [] {
    std::map<std::string_view, std::vector<std::string>> all;
    for (const SceneKey& key : scene_keys()) all[key.section].emplace_back(key.name);
    return all;
  }();
  const std::vector<std::string>& names = known.at(section);
  for (const auto& [key, value] : *layers_.front()) {
    if (std::find(names.begin(), names.end(), key.str()) != names.end()) continue;
    std::string accepted =
        suggestion(key.str(), names, fmt::format("known here: {}", fmt::join(names, ", ")));
    if ((section == "circle" || section == "sphere") && key.str() == "radius")
      accepted = "sizes are whole: diameter = 2 x radius";
    if (section == "capsule" && key.str() == "radius")
      accepted = "sizes are whole: width = 2 x radius";
    context.report(key.source().begin,
                   fmt::format("unknown key '{}' in {} {}", key.str(),
                               section == "object" || section == "effect" ? "an" : "a", section),
                   accepted);
  }
}

const toml::node* Section::find(std::string_view key) const {
  for (const toml::table* layer : layers_)
    if (const toml::node* node = layer->get(key)) return context_->resolve(*node);
  return nullptr;
}

std::vector<const toml::table*> Section::layers_of(std::string_view key) const {
  std::vector<const toml::table*> found;
  for (const toml::table* layer : layers_) {
    const toml::node* node = layer->get(key);
    if (node == nullptr) continue;
    if (const toml::table* table = node->as_table()) found.push_back(table);
    else
      context_->report(*node, fmt::format("{} is {}", key, type_name(*node)), "a table, { ... }");
  }
  return found;
}

void Section::require(std::string_view key, std::string_view accepted) const {
  for (const toml::table* layer : layers_)
    if (layer->contains(key)) return;
  context_->report(node(), fmt::format("{} lacks '{}'", section_, key), std::string(accepted));
}

std::optional<double> number_in(Context& context, const toml::node& node, std::string_view name,
                                double least, double most) {
  const std::optional<double> value = node.is_number() ? node.value<double>() : std::nullopt;
  if (!value || !std::isfinite(*value)) {
    context.report(node,
                   fmt::format("{} is {}", name, node.is_number() ? "not finite" : type_name(node)),
                   "a finite number");
    return std::nullopt;
  }
  if (*value < least || *value > most) {
    context.report(node, fmt::format("{} of {} is out of range", name, *value),
                   fmt::format("a number from {} to {}", least, most));
    return std::nullopt;
  }
  return value;
}

std::optional<std::string> text_in(Context& context, const toml::node& node,
                                   std::string_view name) {
  if (auto value = node.value_exact<std::string>()) return value;
  context.report(node, fmt::format("{} is {}", name, type_name(node)), "text in quotes");
  return std::nullopt;
}

template <int D>
std::optional<Vec<D>> vector_in(Context& context, const toml::node& node, std::string_view name) {
  const toml::array* list = node.as_array();
  if (list == nullptr || list->size() != D) {
    context.report(node,
                   list == nullptr ? fmt::format("{} is {}", name, type_name(node))
                                   : fmt::format("{} has {} numbers", name, list->size()),
                   D == 2 ? "two numbers, [x, y], as the scene is 2D"
                          : "three numbers, [x, y, z], as the scene is 3D");
    return std::nullopt;
  }
  Vec<D> v = kZero;
  for (std::size_t i = 0; i < D; ++i) {
    const toml::node* part = context.resolve((*list)[i]);
    const auto value = part != nullptr ? number_in(context, *part, name) : std::nullopt;
    if (!value) return std::nullopt;
    v[static_cast<int>(i)] = *value;
  }
  return v;
}

std::optional<double> Section::number(std::string_view key, double least, double most) const {
  const toml::node* node = find(key);
  return node != nullptr ? number_in(*context_, *node, key, least, most) : std::nullopt;
}

std::optional<std::uint64_t> Section::whole(std::string_view key, std::uint64_t least,
                                            std::uint64_t most) const {
  const toml::node* node = find(key);
  if (node == nullptr) return std::nullopt;
  const auto value =
      number_in(*context_, *node, key, static_cast<double>(least), static_cast<double>(most));
  if (!value) return std::nullopt;
  if (*value == std::floor(*value)) return static_cast<std::uint64_t>(*value);
  context_->report(*node, fmt::format("{} of {} is not whole", key, *value), "a whole number");
  return std::nullopt;
}

std::optional<bool> Section::boolean(std::string_view key) const {
  const toml::node* node = find(key);
  if (node == nullptr) return std::nullopt;
  if (auto value = node->value_exact<bool>()) return value;
  context_->report(*node, fmt::format("{} is {}", key, type_name(*node)), "true or false");
  return std::nullopt;
}

std::optional<std::string> Section::text(std::string_view key) const {
  const toml::node* node = find(key);
  return node != nullptr ? text_in(*context_, *node, key) : std::nullopt;
}

std::vector<std::string> Section::texts(std::string_view key) const {
  std::vector<std::string> list;
  const toml::node* node = find(key);
  if (node == nullptr) return list;
  if (const toml::array* array = node->as_array()) {
    for (const toml::node& item : *array)
      if (const toml::node* resolved = context_->resolve(item))
        if (auto value = text_in(*context_, *resolved, key)) list.push_back(*value);
  } else if (auto value = text_in(*context_, *node, key)) {
    list.push_back(*value);
  }
  return list;
}

const toml::array* Section::array(std::string_view key, std::string_view of) const {
  const toml::node* node = find(key);
  if (node == nullptr) return nullptr;
  const toml::array* list = node->as_array();
  if (list == nullptr)
    context_->report(*node, fmt::format("{} is {}", key, type_name(*node)),
                     fmt::format("a list of {}", of));
  return list;
}

std::vector<Section> Section::tables(std::string_view key, std::string_view section) const {
  std::vector<Section> out;
  const toml::array* list = array(key, "tables, [{ ... }]");
  if (list == nullptr) return out;
  for (const toml::node& item : *list) {
    if (const toml::table* table = item.as_table())
      out.push_back(Section(*context_, section, {table}));
    else
      context_->report(item, fmt::format("{} holds {}", key, type_name(item)), "tables, { ... }");
  }
  return out;
}

std::optional<Section> Section::table(std::string_view key, std::string_view section) const {
  const toml::node* node = find(key);
  if (node == nullptr) return std::nullopt;
  if (const toml::table* table = node->as_table()) return Section(*context_, section, {table});
  context_->report(*node, fmt::format("{} is {}", key, type_name(*node)),
                   fmt::format("a table: {{ {} }}", fmt::join(keys_of(section), ", ")));
  return std::nullopt;
}

template <int D>
std::optional<Vec<D>> Section::vector(std::string_view key) const {
  const toml::node* node = find(key);
  return node != nullptr ? vector_in<D>(*context_, *node, key) : std::nullopt;
}

template <>
std::optional<Rotation<2>> Section::turn<2>(std::string_view key) const {
  const auto angle = number(key, -1e6, 1e6);
  return angle ? std::optional(Rotation<2>(radians(*angle))) : std::nullopt;
}
template <>
std::optional<Rotation<3>> Section::turn<3>(std::string_view key) const {
  const std::optional<Section> part = table(key, "turned");
  if (!part) return std::nullopt;
  part->require("axis", "axis = [x, y, z]");
  part->require("angle", "angle in degrees");
  const auto axis = part->vector<3>("axis");
  const auto angle = part->number("angle", -1e6, 1e6);
  if (!axis || !angle) return std::nullopt;
  if (axis->norm() > 0) return Rotation<3>(*axis, radians(*angle));
  context_->report(part->node(), "the axis of the turn has no length",
                   "a direction, such as [0, 1, 0]");
  return std::nullopt;
}

template <>
std::optional<Spin<2>> Section::spin<2>(std::string_view key) const {
  const auto value = number(key, -1e8, 1e8);
  return value ? std::optional(Spin<2>(radians(*value))) : std::nullopt;
}
template <>
std::optional<Spin<3>> Section::spin<3>(std::string_view key) const {
  const auto value = vector<3>(key);
  return value ? std::optional(Spin<3>(*value * (kPi / 180))) : std::nullopt;
}

std::optional<std::size_t> Section::choice(std::string_view key,
                                           std::span<const std::string> words) const {
  const toml::node* node = find(key);
  if (node == nullptr) return std::nullopt;
  const auto value = text_in(*context_, *node, key);
  if (!value) return std::nullopt;
  const auto at = std::find(words.begin(), words.end(), *value);
  if (at != words.end()) return static_cast<std::size_t>(at - words.begin());
  context_->report(*node, fmt::format("{} is '{}'", key, *value),
                   suggestion(*value, words, fmt::format("one of: {}", fmt::join(words, ", "))));
  return std::nullopt;
}

template std::optional<Vec<2>> vector_in<2>(Context&, const toml::node&, std::string_view);
template std::optional<Vec<3>> vector_in<3>(Context&, const toml::node&, std::string_view);
template std::optional<Vec<2>> Section::vector<2>(std::string_view) const;
template std::optional<Vec<3>> Section::vector<3>(std::string_view) const;

}  // namespace scene
}  // namespace colvik
