#include "scene/object_problems.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

namespace colvik::scene {

Place place_of(const Context& context, const std::vector<const toml::table*>& layers,
               const Place& object, const std::string& where) {
  // "object 'a' collider one way" -> collider, one, way
  const std::size_t quote = where.rfind('\'');
  std::istringstream text(quote == std::string::npos ? where : where.substr(quote + 1));
  std::vector<std::string> words;
  for (std::string word; text >> word;) {
    while (!word.empty() && (word.back() == ':' || word.back() == ',')) word.pop_back();
    words.push_back(word);
  }
  const auto find = [&](const toml::table& table, std::size_t from) -> const toml::key* {
    for (std::size_t end = words.size(); end > from; --end) {
      std::string key = words[from];
      for (std::size_t k = from + 1; k < end; ++k) key += "_" + words[k];
      if (const auto at = table.find(key); at != table.end()) return &at->first;
    }
    return nullptr;
  };
  for (const toml::table* layer : layers) {
    const toml::key* key = words.empty() ? nullptr : find(*layer, 0);
    if (key == nullptr) continue;
    const toml::table* inner = layer->get_as<toml::table>(key->str());
    if (inner != nullptr && words.size() > 1)
      if (const toml::key* nearer = find(*inner, 1)) key = nearer;
    return {context.file, key->source().begin.line, key->source().begin.column};
  }
  return object;
}

void ObjectProblems::add(const Place& place, const std::string& name, const std::string& source,
                         const Error& error) {
  std::string rest = error.where + " " + error.what;
  const std::string quoted = "'" + name + "'";
  if (const std::size_t at = rest.find(quoted); at != std::string::npos)
    rest.replace(at, quoted.size(), "''");
  const auto known = std::find_if(all_.begin(), all_.end(), [&](const Same& s) {
    return s.place.line == place.line && s.place.column == place.column && s.rest == rest;
  });
  if (known != all_.end()) {
    ++known->count;
    return;
  }
  const std::string where = error.where.empty() ? "" : error.where + " ";
  const std::string from = source.empty() ? "" : source + ": ";
  all_.push_back({place, rest, {place, from + where + error.what, error.accepted}, 1});
}

bool ObjectProblems::report(Context& context) const {
  for (const Same& s : all_) {
    Problem p = s.first;
    if (s.count > 1) p.what += fmt::format(" (likewise {} more)", s.count - 1);
    context.problems.push_back(std::move(p));
  }
  return !all_.empty();
}

}  // namespace colvik::scene
