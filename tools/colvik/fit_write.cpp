#include "fit_write.h"

#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <sstream>

#include <colvik/scene.hpp>

#include "commands.h"

namespace colvik::tool {
namespace {

// Keys of a collider that are replaced: shapes, and where it is.
bool is_of_shape(std::string_view key) {
  constexpr std::string_view kReplaced[] = {
      "circle", "sphere", "box",   "capsule",  "segment", "polygon",    "outline",    "polyline",
      "tiles",  "hull",   "slabs", "cylinder", "cone",    "mesh",       "heights",    "compound",
      "region", "fit",    "at",    "turned",   "scale",   "half_plane", "half_space", "rounding"};
  return std::find(std::begin(kReplaced), std::end(kReplaced), key) != std::end(kReplaced);
}

class SceneText {
 public:
  explicit SceneText(std::string text) : text_(std::move(text)) {
    for (std::size_t at = 0; at != std::string::npos;) {
      lines_.push_back(at);
      at = text_.find('\n', at);
      if (at != std::string::npos) ++at;
    }
  }
  // Columns count characters, bytes are not: UTF-8 continues with 10xxxxxx.
  [[nodiscard]] std::size_t offset(const toml::source_position& p) const {
    std::size_t at = lines_[std::min<std::size_t>(p.line - 1, lines_.size() - 1)];
    for (std::uint32_t column = 1; column < p.column && at < text_.size(); ++column) do
        ++at;
      while (at < text_.size() && (static_cast<unsigned char>(text_[at]) & 0xC0) == 0x80);
    return at;
  }
  [[nodiscard]] std::string between(const toml::source_position& a,
                                    const toml::source_position& b) const {
    return text_.substr(offset(a), offset(b) - offset(a));
  }
  [[nodiscard]] const std::string& text() const { return text_; }

 private:
  std::string text_;
  std::vector<std::size_t> lines_;
};

std::vector<std::string> keys_in(const std::string& collider) {
  std::vector<std::string> keys;
  std::istringstream in(collider);
  std::string open;
  for (std::string line; std::getline(in, line);) {
    open += open.empty() ? line : "\n" + line;
    const auto count = [&](char c) { return std::count(open.begin(), open.end(), c); };
    if (count('[') != count(']') || count('{') != count('}')) continue;  // goes on
    if (!open.empty()) keys.push_back(open);
    open.clear();
  }
  return keys;
}

using Found = std::pair<const toml::key*, const toml::node*>;

std::vector<Found> entries(const toml::table& table) {
  std::vector<Found> all;
  for (const auto& [key, value] : table) all.emplace_back(&key, &value);
  std::sort(all.begin(), all.end(), [](const Found& a, const Found& b) {
    return a.first->source().begin < b.first->source().begin;
  });
  return all;
}

// The text with the collider of the kind replaced, or an error.
Result<std::string> replaced(const std::string& path, const SceneText& text,
                             const toml::table& root, const std::string& kind,
                             const std::string& collider) {
  std::vector<std::string> keys = keys_in(collider);
  std::string all = text.text();
  const auto inline_table = [](const std::vector<std::string>& list) {
    return fmt::format("{{ {} }}", fmt::join(list, ", "));
  };
  const toml::node* kinds = root.get("kinds");
  const toml::table* table =
      kinds != nullptr && kinds->is_table() ? (*kinds->as_table())[kind].as_table() : nullptr;
  if (table == nullptr) {
    if (kinds != nullptr && kinds->is_table() && kinds->as_table()->contains(kind))
      return Error{path, fmt::format("kind '{}' is no table", kind), "[kinds." + kind + "]"};
    if (!is_plain_name(kind))
      return Error{path, fmt::format("'{}' is no name of a kind", kind),
                   "letters, digits and - _ ."};
    if (kinds != nullptr && kinds->as_table() != nullptr && kinds->as_table()->is_inline())
      return Error{path, "its kinds are written in one line",
                   "[kinds.NAME], or paste what is printed"};
    if (!all.empty() && all.back() != '\n') all += '\n';
    const bool dotted = kind.find('.') != std::string::npos;
    return all + fmt::format("\n[kinds.{}]\ncollider = {}\n", dotted ? '"' + kind + '"' : kind,
                             inline_table(keys));
  }
  if (table->contains("colliders"))
    return Error{path, fmt::format("kind '{}' has several colliders", kind),
                 "paste what is printed without --write into one of them"};
  const toml::node* old = table->get("collider");
  if (old == nullptr) {
    if (table->is_inline()) {
      const std::size_t brace = text.offset(table->source().begin);
      const bool empty = table->empty();
      all.insert(brace + 1, fmt::format(" collider = {}{}", inline_table(keys), empty ? " " : ","));
      return all;
    }
    // After the line of its header.
    const std::size_t header = text.offset(table->source().begin);
    const std::size_t end = all.find('\n', header);
    if (all[header] != '[')
      return Error{path, fmt::format("kind '{}' has no header of its own", kind),
                   "[kinds." + kind + "], or paste what is printed"};
    const std::string added = fmt::format("\ncollider = {}", inline_table(keys));
    all.insert(end == std::string::npos ? all.size() : end, added);
    return all;
  }
  const toml::table* now = old->as_table();
  if (now == nullptr)
    return Error{path, fmt::format("the collider of kind '{}' is no table", kind), "{ ... }"};
  if (now->is_inline()) {
    for (const auto& [key, value] : entries(*now))
      if (!is_of_shape(key->str()))
        keys.push_back(text.between(key->source().begin, value->source().end));
    const std::size_t from = text.offset(old->source().begin);
    all.replace(from, text.offset(old->source().end) - from, inline_table(keys));
    return all;
  }
  const std::size_t header = text.offset(old->source().begin);
  if (header >= all.size() || all[header] != '[')
    return Error{path, fmt::format("the collider of kind '{}' is written with dots", kind),
                 "collider = { ... } or [kinds." + kind + ".collider], or paste what is printed"};
  // From the last to the first, so that places stay right.
  std::vector<Found> list = entries(*now);
  std::reverse(list.begin(), list.end());
  for (const auto& [key, value] : list) {
    if (!is_of_shape(key->str())) continue;
    std::size_t from = text.offset(key->source().begin);
    std::size_t to = text.offset(value->source().end);
    const std::size_t line = all.rfind('\n', from);
    if (all.find_first_not_of(" \t", to) != std::string::npos &&
        all[all.find_first_not_of(" \t", to)] == '\n') {
      from = line == std::string::npos ? 0 : line;  // the whole line
      to = all.find('\n', to);
    }
    all.erase(from, to - from);
  }
  std::string added;
  for (const std::string& key : keys) added += "\n" + key;
  const std::size_t end = all.find('\n', header);
  all.insert(end == std::string::npos ? all.size() : end, added);
  return all;
}

}  // namespace

Result<std::string> write_collider(const std::string& scene, const std::string& kind,
                                   const std::string& collider) {
  std::ifstream file(scene, std::ios::binary);
  std::ostringstream read;
  if (file) read << file.rdbuf();
  if (!file) return Error{scene, "the file cannot be read", "a scene file (TOML)"};
  const SceneText text(read.str());
  toml::table root;
  try {
    root = toml::parse(text.text(), std::string_view{scene});
  } catch (const toml::parse_error& error) {
    return Error{
        fmt::format("{}:{}:{}", scene, error.source().begin.line, error.source().begin.column),
        std::string(error.description()), "TOML as in docs/scene.md"};
  }
  Result<std::string> after = replaced(scene, text, root, kind, collider);
  if (!after) return after;
  if (const Result<void> done = replace_scene(scene, after.value(), {}); !done) return done.error();
  return fmt::format("{}: collider of kind {} written\n", scene, kind);
}

}  // namespace colvik::tool
