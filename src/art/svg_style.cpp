#include "art/svg_style.h"

#include <algorithm>
#include <sstream>

namespace colvik::art {

namespace {

constexpr std::size_t kMostRules = 2000;

std::string trimmed(std::string_view text) {
  constexpr std::string_view kSpace = " \t\r\n\f";
  const std::size_t from = text.find_first_not_of(kSpace);
  if (from == std::string_view::npos) return "";
  return std::string(text.substr(from, text.find_last_not_of(kSpace) - from + 1));
}

std::string without_comments(std::string_view text) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t begin = text.find("/*", at);
    out += text.substr(at, begin - at);
    if (begin == std::string_view::npos) break;
    out += ' ';
    const std::size_t end = text.find("*/", begin + 2);
    at = end == std::string_view::npos ? text.size() : end + 2;
  }
  return out;
}

// The '}' that ends what began before `at`, or the end of the text.
std::size_t end_of_block(std::string_view text, std::size_t at) {
  for (int depth = 1; at < text.size(); ++at) {
    if (text[at] == '{') ++depth;
    if (text[at] == '}' && --depth == 0) break;
  }
  return at;
}

bool is_name(std::string_view text) {
  return !text.empty() && std::all_of(text.begin(), text.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '-' ||
           c == '_' || static_cast<unsigned char>(c) > 127;
  });
}

}  // namespace

std::map<std::string, std::string> declarations_in(std::string_view text) {
  std::map<std::string, std::string> found;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find(';'), text.size());
    const std::string_view part = text.substr(0, end);
    const std::size_t colon = part.find(':');
    if (colon != std::string_view::npos) {
      std::string_view value = part.substr(colon + 1);
      value = value.substr(0, value.find("!important"));
      found[trimmed(part.substr(0, colon))] = trimmed(value);
    }
    text.remove_prefix(std::min(end + 1, text.size()));
  }
  return found;
}

void StyleSheet::add(std::string_view sheet) {
  const std::string text = without_comments(sheet);
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t open = text.find_first_of("{;", at);
    if (open == std::string::npos) break;
    const std::string selectors = trimmed(std::string_view(text).substr(at, open - at));
    if (text[open] == ';') {  // "@import ...;"
      if (!selectors.empty()) left_out_.push_back(selectors);
      at = open + 1;
      continue;
    }
    const std::size_t end = end_of_block(text, open + 1);
    at = end + 1;
    if (selectors.starts_with('@') || rules_.size() >= kMostRules) {
      left_out_.push_back(selectors);
      continue;
    }
    const auto declarations =
        declarations_in(std::string_view(text).substr(open + 1, end - open - 1));
    std::istringstream list(selectors);
    for (std::string selector; std::getline(list, selector, ',');)
      add_rule(trimmed(selector), declarations);
  }
  std::stable_sort(rules_.begin(), rules_.end(),
                   [](const Rule& a, const Rule& b) { return a.weight < b.weight; });
  known_.clear();
}

void StyleSheet::add_rule(std::string_view selector, const Declarations& declarations) {
  Rule rule;
  rule.declarations = declarations;
  std::string_view rest = selector;
  const std::size_t first = std::min(rest.find_first_of(".#"), rest.size());
  rule.element = rest.substr(0, first);
  bool simple = !rest.empty() && (first == 0 || rule.element == "*" || is_name(rule.element));
  if (first > 0 && rule.element != "*") rule.weight = 1;
  rest.remove_prefix(first);
  while (!rest.empty()) {
    const std::size_t end = std::min(rest.find_first_of(".#", 1), rest.size());
    const std::string name(rest.substr(1, end - 1));
    simple = simple && is_name(name);
    if (rest[0] == '.') rule.classes.push_back(name);
    else rule.id = name;
    rule.weight += rest[0] == '.' ? 100 : 10000;
    rest.remove_prefix(end);
  }
  if (simple && !rule.id.empty()) ids_.insert(rule.id);
  if (simple) rules_.push_back(std::move(rule));
  else left_out_.emplace_back(selector);
}

const std::string& StyleSheet::property(std::string_view element, std::string_view id,
                                        std::string_view classes, const std::string& name) const {
  static const std::string kNone;
  if (rules_.empty()) return kNone;
  std::string key(element);
  key.append("\n").append(ids_.contains(id) ? id : "").append("\n").append(classes);
  const auto [at, fresh] = known_.try_emplace(key);
  if (fresh) {
    std::vector<std::string> own;
    std::istringstream list{std::string(classes)};
    for (std::string c; list >> c;) own.push_back(c);
    for (const Rule& r : rules_) {
      if (!r.element.empty() && r.element != "*" && r.element != element) continue;
      if (!r.id.empty() && r.id != id) continue;
      if (!std::all_of(r.classes.begin(), r.classes.end(), [&](const std::string& c) {
            return std::find(own.begin(), own.end(), c) != own.end();
          }))
        continue;
      for (const auto& [property, value] : r.declarations) at->second[property] = value;
    }
  }
  const auto found = at->second.find(name);
  return found == at->second.end() ? kNone : found->second;
}

}  // namespace colvik::art
