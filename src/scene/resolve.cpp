// A kind as it comes out of all it is like, with where each value stands.
#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <sstream>

#include "scene/reader.h"

namespace colvik {
namespace {

std::string text_of(const toml::node& node) {
  if (const auto number = node.value<double>(); number && node.is_number())
    return fmt::format("{}", *number);
  if (const auto text = node.value_exact<std::string>()) return fmt::format("\"{}\"", *text);
  if (const auto truth = node.value_exact<bool>()) return *truth ? "true" : "false";
  std::vector<std::string> parts;
  if (const toml::array* list = node.as_array()) {
    for (const toml::node& item : *list) parts.push_back(text_of(item));
    return fmt::format("[{}]", fmt::join(parts, ", "));
  }
  if (const toml::table* table = node.as_table()) {
    for (const auto& [key, value] : scene::in_file_order(*table))
      parts.push_back(fmt::format("{} = {}", key->str(), text_of(*value)));
    return fmt::format("{{ {} }}", fmt::join(parts, ", "));
  }
  return "a date or time";
}

// The values of a table that no nearer one has given; tables that are inherited piece by piece are
// looked into.
void add_values(const toml::table& table, const std::string& file, const std::string& kind,
                const std::string& before, std::vector<ResolvedValue>& all) {
  for (const auto& [key, node] : scene::in_file_order(table)) {
    const std::string name = before + std::string(key->str());
    if (before.empty() && key->str() == "like") continue;
    const toml::table* inner = node->as_table();
    if (inner != nullptr && before.empty() &&
        (name == "collider" || name == "numbers" || name == "spots")) {
      add_values(*inner, file, kind, name + ".", all);
      continue;
    }
    const auto given = [&](const ResolvedValue& v) { return v.key == name; };
    const auto nearer = std::find_if(all.begin(), all.end(), given);
    const Place place{file, key->source().begin.line, key->source().begin.column};
    if (name == "add_tags" || nearer == all.end())  // add_tags adds to all nearer ones
      all.push_back({name, text_of(*node), kind, place, ""});
    else if (nearer->replaces.empty())
      nearer->replaces = fmt::format("{} of {} in line {}", text_of(*node), kind, place.line);
  }
}

}  // namespace

Result<std::vector<ResolvedValue>> resolve_kind(const std::string& path, const std::string& kind) {
  std::ifstream file(path, std::ios::binary);
  std::stringstream text;
  if (file) text << file.rdbuf();
  if (!file || !text) return Error{path, "the file cannot be read", "a scene file (TOML)"};
  toml::table root;
  try {
    root = toml::parse(text.str(), std::string_view{path});
  } catch (const toml::parse_error& error) {
    return Error{
        fmt::format("{}:{}:{}:", path, error.source().begin.line, error.source().begin.column),
        std::string(error.description()), "TOML as in docs/scene.md"};
  }
  const toml::table* kinds = root["kinds"].as_table();
  std::vector<std::string> names;
  if (kinds != nullptr)
    for (const auto& [key, node] : scene::in_file_order(*kinds)) names.emplace_back(key->str());
  std::vector<ResolvedValue> all;
  std::vector<std::string> seen;
  std::string name = kind;
  for (;;) {
    const toml::table* table = kinds != nullptr ? (*kinds)[name].as_table() : nullptr;
    if (table == nullptr)
      return Error{
          path, fmt::format("no kind is named '{}'", name),
          suggestion(name, names,
                     names.empty() ? "the scene declares none"
                                   : fmt::format("kinds are: {}", fmt::join(names, ", ")))};
    seen.push_back(name);
    add_values(*table, path, name, "", all);
    const auto like = (*table)["like"].value<std::string>();
    if (!like) return all;
    name = *like;
    if (std::find(seen.begin(), seen.end(), name) != seen.end())
      return Error{
          path, fmt::format("kinds inherit in a circle: {} -> {}", fmt::join(seen, " -> "), name),
          "a kind that is not like itself"};
  }
}

}  // namespace colvik
