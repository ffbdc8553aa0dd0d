#include <array>
#include <functional>
#include <set>

#include "support.hpp"

using namespace colvik;
using namespace colvik::test;

namespace {

Tags four_tags() {
  Tags tags;
  for (const char* name : {"parcel", "fragile", "courier", "hazard-zone"})
    tags.declare(name).value();
  return tags;
}

}  // namespace

TEST_SUITE("random") {
  TEST_CASE("sets of many tags are the sets they should be") {
    Random random(31);
    for (int run = 0; run < scaled(20000); ++run) {
      const int most = random.coin() ? 64 : 200;
      std::array<TagSet, 2> sets;
      std::array<std::set<std::uint32_t>, 2> wanted;
      for (int k = 0; k < 40; ++k) {
        const auto which = static_cast<std::size_t>(random.below(2));
        const auto tag = static_cast<std::uint32_t>(random.below(most));
        if (random.coin(0.6)) {
          sets[which].insert({tag});
          wanted[which].insert(tag);
        } else {
          sets[which].erase({tag});
          wanted[which].erase(tag);
        }
        const auto is = [&](const TagSet& set, const std::set<std::uint32_t>& like) {
          std::vector<std::uint32_t> list;
          for (const Tag t : set.list()) list.push_back(t.index);
          return std::equal(list.begin(), list.end(), like.begin(), like.end()) &&
                 set.empty() == like.empty();
        };
        std::set<std::uint32_t> both = wanted[0];
        both.insert(wanted[1].begin(), wanted[1].end());
        REQUIRE(is(sets[which], wanted[which]));
        REQUIRE(sets[which].contains({tag}) == wanted[which].contains(tag));
        REQUIRE(is(sets[0].merged(sets[1]), both));
        REQUIRE((sets[0] == sets[1]) == (wanted[0] == wanted[1]));
      }
    }
  }

  TEST_CASE("a tag query means what its expression means") {
    // Random expressions are written out and worked out at once, by another road than the parser's.
    const Tags tags = four_tags();
    const int count = scaled(300000);
    for (int seed = 0; seed < count; ++seed) {
      Random random(static_cast<std::uint64_t>(seed) + 20);
      TagSet set;
      for (std::uint32_t i = 0; i < 4; ++i)
        if (random.coin()) set.insert({i});
      const auto space = [&] { return random.coin(0.3) ? " " : ""; };
      std::function<std::pair<std::string, bool>(int, int)> make =
          [&](int depth, int binds) -> std::pair<std::string, bool> {
        // binds: 0 or-level, 1 and-level, 2 must be a term
        const int kind = depth <= 0 ? 0 : random.below(4);
        if (kind == 0) {
          const int pick = random.below(6);
          if (pick == 4) return {"any", true};
          if (pick == 5) return {"none", false};
          const Tag tag{static_cast<std::uint32_t>(pick)};
          return {tags.name(tag), set.contains(tag)};
        }
        if (kind == 1) {
          const auto [text, value] = make(depth - 1, 2);
          return {std::string("!") + space() + text, !value};
        }
        const bool both = kind == 2;
        const auto [left, l] = make(depth - 1, both ? 1 : 0);
        const auto [right, r] = make(depth - 1, both ? 2 : 1);
        std::string text = left + space() + (both ? "&" : "|") + space() + right;
        if (binds > (both ? 1 : 0)) text = "(" + std::string(space()) + text + ")";
        return {text, both ? l && r : l || r};
      };
      const auto [text, wanted] = make(6, 0);
      const std::string about = text;
      CAPTURE(about);
      const Result<TagQuery> query = TagQuery::parse(text, tags);
      REQUIRE(query);
      REQUIRE(query.value().matches(set) == wanted);
    }
    MESSAGE("random: tag queries: ", count, " expressions mean what they say");
  }
}

TEST_CASE("queries that cannot be read say where and what would do") {
  const Tags tags = four_tags();
  const std::pair<const char*, const char*> rows[] = {
      {"", "tag query '' lacks a tag at character 1; expected a tag, 'any', 'none', '!' or '('"},
      {"parcel &", "tag query 'parcel &' lacks a tag at character 9"},
      {"(parcel", "has an open parenthesis at character 8; expected ')'"},
      {"parcel fragile", "has something left over at character 8"},
      {"Parcel", "'Parcel' is not a declared tag; did you mean 'parcel'?"},
      {"parcel & !fragle",
       "'fragle' is not a declared tag (in 'parcel & !fragle'); did you mean 'fragile'?"},
      {"zeppelin", "declared are: parcel, fragile, courier, hazard-zone"},
  };
  for (const auto& [text, wanted] : rows) {
    const std::string about = text;
    CAPTURE(about);
    const Result<TagQuery> query = TagQuery::parse(text, tags);
    REQUIRE_FALSE(query);
    CHECK_MESSAGE(query.error().message().find(wanted) != std::string::npos,
                  query.error().message());
  }
  CHECK_FALSE(TagQuery::parse(std::string(100000, '!') + "parcel", tags));
  CHECK_FALSE(TagQuery::parse(std::string(100000, '('), tags));
}

TEST_CASE("the deepest query that is read is worked out within bounds") {
  const Tags tags = four_tags();
  std::string text = "none";
  for (int i = 0; i < 64; ++i) text = "none | any & (" + text + ")";
  const Result<TagQuery> query = TagQuery::parse(text, tags);
  REQUIRE(query);
  CHECK_FALSE(query.value().matches({}));
}

TEST_CASE("tags are declared once with usable names, and more than 64 work") {
  Tags tags;
  CHECK(tags.declare("parcel"));
  CHECK(tags.declare("parcel").error().what == "is declared twice");
  CHECK_FALSE(tags.declare("any"));
  CHECK_FALSE(tags.declare(""));
  CHECK_FALSE(tags.declare("two words"));
  for (int i = 0; i < 200; ++i) tags.declare("t" + std::to_string(i)).value();
  TagSet set;
  set.insert(tags.find("t199").value());
  CHECK(TagQuery::parse("t199 & !t63", tags).value().matches(set));
  CHECK(tags.list(set) == "t199");
  set.erase(tags.find("t199").value());
  CHECK(set == TagSet{});
}
