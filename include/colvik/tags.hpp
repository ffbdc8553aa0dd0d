#pragma once
/// Tags name what an object is; a tag query selects objects by their tags.
///
///     Tags tags;
///     tags.declare("parcel").value();
///     tags.declare("fragile").value();
///     auto query = TagQuery::parse("parcel & !fragile", tags).value();
///
/// A query is built from tag names with `!` (not), `&` (and), `|` (or) and parentheses, in that
/// order of binding; `any` means everything, `none` means nothing.

#include <colvik/export.hpp>
#include <colvik/result.hpp>

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace colvik {

/// A declared tag: its position in the table that declared it.
struct Tag {
  std::uint32_t index = 0;
  auto operator<=>(const Tag&) const = default;
};

/// A set of tags. Allocates only beyond the first 64 declared.
class COLVIK_EXPORT TagSet {
 public:
  void insert(Tag tag);
  void erase(Tag tag);
  [[nodiscard]] bool contains(Tag tag) const {
    return (word(tag.index / 64) >> (tag.index % 64) & 1U) != 0;
  }
  [[nodiscard]] bool empty() const { return first_ == 0 && more_.empty(); }
  [[nodiscard]] TagSet merged(const TagSet& other) const;
  /// In order of declaration.
  [[nodiscard]] std::vector<Tag> list() const;
  /// 64 tags each, in order of declaration; those from the first `size_in_words()` on are 0.
  [[nodiscard]] std::uint64_t word(std::size_t at) const {
    return at == 0 ? first_ : at <= more_.size() ? more_[at - 1] : 0;
  }
  [[nodiscard]] std::size_t size_in_words() const { return empty() ? 0 : 1 + more_.size(); }
  auto operator<=>(const TagSet&) const = default;

 private:
  std::uint64_t first_ = 0;
  std::vector<std::uint64_t> more_{};  // no trailing zero words, so that equal sets are equal
};

/// The nearest of `names` to `name`, ignoring case first, then by edit distance; "" if none is
/// near.
[[nodiscard]] COLVIK_EXPORT std::string nearest_name(std::string_view name,
                                                     std::span<const std::string> names);
/// What to offer instead of an unknown `name`: "did you mean 'NEAR'?" with the nearest name,
/// written with `prefix` before it, or `otherwise` if none is near.
[[nodiscard]] COLVIK_EXPORT std::string suggestion(std::string_view name,
                                                   std::span<const std::string> names,
                                                   std::string otherwise,
                                                   std::string_view prefix = "");

/// Whether `name` can name a tag, number, object or reaction: letters, digits, and - _ . inside.
[[nodiscard]] COLVIK_EXPORT bool is_plain_name(std::string_view name);

/// KIND of "KIND.N", as spawned copies are named (World::spawn); "" of other names.
[[nodiscard]] COLVIK_EXPORT std::string_view kind_of_copy(std::string_view name);

/// The tags of a world, each declared once.
class COLVIK_EXPORT Tags {
 public:
  /// Fails on an empty or malformed name, a reserved word (any, none) or a second declaration.
  Result<Tag> declare(std::string_view name, std::string_view meaning = {});
  /// Fails on an undeclared name and suggests the nearest declared one.
  [[nodiscard]] Result<Tag> find(std::string_view name) const;
  [[nodiscard]] Result<TagSet> find_all(std::span<const std::string> names) const;
  /// Requires: `tag` was declared here.
  [[nodiscard]] const std::string& name(Tag tag) const { return names_[tag.index]; }
  [[nodiscard]] const std::string& meaning(Tag tag) const { return meanings_[tag.index]; }
  [[nodiscard]] std::span<const std::string> names() const { return names_; }
  /// "parcel, fragile"
  [[nodiscard]] std::string list(const TagSet& set) const;

 private:
  std::vector<std::string> names_;
  std::vector<std::string> meanings_;
};

/// A compiled boolean expression over tags. The default value matches everything.
class COLVIK_EXPORT TagQuery {
 public:
  TagQuery() = default;
  /// Fails on a syntax error (with the column) or an undeclared tag (with the nearest declared
  /// one).
  static Result<TagQuery> parse(std::string_view text, const Tags& tags);

  /// Cost: proportional to the length of the query; no allocation.
  [[nodiscard]] bool matches(const TagSet& set) const;
  [[nodiscard]] const std::string& text() const { return text_; }
  bool operator==(const TagQuery& other) const { return code_ == other.code_; }

 private:
  friend class TagQueryParser;
  enum Op : std::int32_t { kAny = -1, kNone = -2, kNot = -3, kAnd = -4, kOr = -5 };
  std::string text_ = "any";
  std::vector<std::int32_t> code_{kAny};  // postfix; a value >= 0 is a tag
};

}  // namespace colvik
