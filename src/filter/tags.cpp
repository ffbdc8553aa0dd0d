#include <colvik/tags.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cctype>

namespace colvik {

void TagSet::insert(Tag tag) {
  const std::size_t at = tag.index / 64;
  if (at > more_.size()) more_.resize(at);
  (at == 0 ? first_ : more_[at - 1]) |= std::uint64_t{1} << (tag.index % 64);
}

void TagSet::erase(Tag tag) {
  const std::size_t at = tag.index / 64;
  if (at > more_.size()) return;
  (at == 0 ? first_ : more_[at - 1]) &= ~(std::uint64_t{1} << (tag.index % 64));
  while (!more_.empty() && more_.back() == 0) more_.pop_back();
}

TagSet TagSet::merged(const TagSet& other) const {
  TagSet both = more_.size() >= other.more_.size() ? *this : other;
  const TagSet& less = more_.size() >= other.more_.size() ? other : *this;
  both.first_ |= less.first_;
  for (std::size_t i = 0; i < less.more_.size(); ++i) both.more_[i] |= less.more_[i];
  return both;
}

std::vector<Tag> TagSet::list() const {
  std::vector<Tag> tags;
  for (std::size_t i = 0; i < size_in_words(); ++i)
    for (std::uint64_t left = word(i); left != 0; left &= left - 1)
      tags.push_back({static_cast<std::uint32_t>(i * 64) +
                      static_cast<std::uint32_t>(std::countr_zero(left))});
  return tags;
}

namespace {

std::string lower(std::string_view text) {
  std::string out(text);
  for (char& c : out) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return out;
}

// Edit distance with swaps of neighbours as one edit (optimal string alignment).
std::size_t edit_distance(std::string_view a, std::string_view b) {
  std::vector<std::size_t> before(b.size() + 1);
  std::vector<std::size_t> above(b.size() + 1);
  std::vector<std::size_t> row(b.size() + 1);
  for (std::size_t j = 0; j <= b.size(); ++j) above[j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    row[0] = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      row[j] =
          std::min({above[j] + 1, row[j - 1] + 1, above[j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1)});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
        row[j] = std::min(row[j], before[j - 2] + 1);
    }
    before.swap(above);
    above.swap(row);
  }
  return above[b.size()];
}

}  // namespace

std::string nearest_name(std::string_view name, std::span<const std::string> names) {
  const std::string wanted = lower(name);
  std::size_t best = 1 + std::max<std::size_t>(1, name.size() / 3);  // further off is no suggestion
  std::string found;
  for (const std::string& candidate : names) {
    const std::size_t distance = edit_distance(wanted, lower(candidate));
    if (distance < best) {
      best = distance;
      found = candidate;
    }
  }
  return found;
}

std::string suggestion(std::string_view name, std::span<const std::string> names,
                       std::string otherwise, std::string_view prefix) {
  const std::string near = nearest_name(name, names);
  return near.empty() ? std::move(otherwise) : fmt::format("did you mean '{}{}'?", prefix, near);
}

std::string_view kind_of_copy(std::string_view name) {
  const std::size_t dot = name.rfind('.');
  const bool numbered = dot != std::string_view::npos && dot + 1 < name.size() &&
                        name.find_first_not_of("0123456789", dot + 1) == std::string_view::npos;
  return numbered ? name.substr(0, dot) : std::string_view();
}

bool is_plain_name(std::string_view name) {
  const auto letter = [](char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0; };
  if (name.empty() || !letter(name.front())) return false;
  return std::all_of(name.begin(), name.end(),
                     [&](char c) { return letter(c) || c == '-' || c == '_' || c == '.'; });
}

Result<Tag> Tags::declare(std::string_view name, std::string_view meaning) {
  const std::string where = fmt::format("tag '{}'", name);
  if (!is_plain_name(name))
    return Error{where, "is not a name", "letters, digits and - _ . after a first letter or digit"};
  if (name == "any" || name == "none")
    return Error{where, "is a word of the query language", "any other name"};
  if (std::find(names_.begin(), names_.end(), name) != names_.end())
    return Error{where, "is declared twice", "one declaration a tag"};
  names_.emplace_back(name);
  meanings_.emplace_back(meaning);
  return Tag{static_cast<std::uint32_t>(names_.size() - 1)};
}

Result<Tag> Tags::find(std::string_view name) const {
  const auto at = std::find(names_.begin(), names_.end(), name);
  if (at != names_.end()) return Tag{static_cast<std::uint32_t>(at - names_.begin())};
  return Error{
      {},
      fmt::format("'{}' is not a declared tag", name),
      suggestion(name, names_,
                 names_.empty() ? "no tag is declared yet"
                                : fmt::format("declared are: {}", fmt::join(names_, ", ")))};
}

Result<TagSet> Tags::find_all(std::span<const std::string> names) const {
  TagSet set;
  for (const std::string& name : names) {
    const Result<Tag> tag = find(name);
    if (!tag) return tag.error();
    set.insert(tag.value());
  }
  return set;
}

std::string Tags::list(const TagSet& set) const {
  std::string text;
  for (const Tag tag : set.list()) text += (text.empty() ? "" : ", ") + name(tag);
  return text;
}

/// Recursive descent over `text`, writing postfix code.
class TagQueryParser {
 public:
  TagQueryParser(std::string_view text, const Tags& tags) : text_(text), tags_(tags) {}

  Result<TagQuery> run() {
    query_.code_.clear();
    query_.text_ = std::string(text_);
    alternatives(0);
    if (!failed_ && at_ < text_.size()) fail("has something left over", "the end, '&' or '|'");
    if (failed_) return error_;
    return std::move(query_);
  }

 private:
  static constexpr int kDeepest = 64;  // parentheses and negations inside each other

  void alternatives(int depth) {
    conjunction(depth);
    while (!failed_ && take('|')) {
      conjunction(depth);
      emit(TagQuery::kOr);
    }
  }
  void conjunction(int depth) {
    term(depth);
    while (!failed_ && take('&')) {
      term(depth);
      emit(TagQuery::kAnd);
    }
  }
  void term(int depth) {
    if (depth > kDeepest) return fail("is nested too deeply", "at most 64 levels");
    if (take('!')) {
      term(depth + 1);
      return emit(TagQuery::kNot);
    }
    if (take('(')) {
      alternatives(depth + 1);
      if (!failed_ && !take(')')) fail("has an open parenthesis", "')'");
      return;
    }
    const std::size_t begin = at_;
    while (at_ < text_.size() && is_plain_name(text_.substr(begin, at_ + 1 - begin))) ++at_;
    const std::string_view name = text_.substr(begin, at_ - begin);
    if (name.empty()) return fail("lacks a tag", "a tag, 'any', 'none', '!' or '('");
    if (name == "any") return emit(TagQuery::kAny);
    if (name == "none") return emit(TagQuery::kNone);
    const Result<Tag> tag = tags_.find(name);
    if (tag) return emit(static_cast<std::int32_t>(tag.value().index));
    failed_ = true;
    error_ = tag.error();
    if (text_ != name) error_.what += fmt::format(" (in '{}')", text_);
  }

  void skip_space() {
    while (at_ < text_.size() && std::isspace(static_cast<unsigned char>(text_[at_])) != 0) ++at_;
  }
  bool take(char c) {
    skip_space();
    const bool here = at_ < text_.size() && text_[at_] == c;
    if (here) {
      ++at_;
      skip_space();
    }
    return here;
  }
  void emit(std::int32_t code) {
    if (!failed_) query_.code_.push_back(code);
  }
  void fail(std::string_view what, std::string_view accepted) {
    if (failed_) return;
    failed_ = true;
    error_ = {{},
              fmt::format("tag query '{}' {} at character {}", text_, what, at_ + 1),
              fmt::format("expected {}", accepted)};
  }

  std::string_view text_;
  const Tags& tags_;
  std::size_t at_ = 0;
  bool failed_ = false;
  Error error_;
  TagQuery query_;
};

Result<TagQuery> TagQuery::parse(std::string_view text, const Tags& tags) {
  return TagQueryParser(text, tags).run();
}

bool TagQuery::matches(const TagSet& set) const {
  // A level of parentheses leaves at most two values open (one for |, one for &), and there are 64.
  bool stack[160];
  int top = 0;
  for (const std::int32_t code : code_) {
    switch (code) {
      case kAny: stack[top++] = true; break;
      case kNone: stack[top++] = false; break;
      case kNot: stack[top - 1] = !stack[top - 1]; break;
      case kAnd:
        --top;
        stack[top - 1] = stack[top - 1] && stack[top];
        break;
      case kOr:
        --top;
        stack[top - 1] = stack[top - 1] || stack[top];
        break;
      default: stack[top++] = set.contains({static_cast<std::uint32_t>(code)}); break;
    }
  }
  return stack[0];
}

}  // namespace colvik
