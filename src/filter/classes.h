#pragma once
// Contact classes: equal (tags, filter, role) share a small number, and the verdict for two classes
// is computed once, so that deciding about a pair is a table lookup however long the queries are.
#include <colvik/verdict.hpp>

#include <map>

namespace colvik::world {

class ContactClasses {
 public:
  std::uint32_t intern(const Party& party) {
    Key key{party.tags, party.meets.text(), party.zone, party.body == BodyKind::fixed};
    const auto [at, fresh] =
        by_key_.try_emplace(std::move(key), static_cast<std::uint32_t>(parties_.size()));
    if (fresh) {
      parties_.push_back(party);
      parties_.back().active = parties_.back().on = true;
      verdicts_.resize(parties_.size());
    }
    return at->second;
  }

  // For two colliders that are on, of two different active objects.
  [[nodiscard]] const Verdict& verdict(std::uint32_t first, std::uint32_t second) {
    std::vector<Cached>& row = verdicts_[first];
    if (row.size() <= second) row.resize(parties_.size());
    Cached& cached = row[second];
    if (!cached.known) {
      Party a = parties_[first];
      Party b = parties_[second];
      a.object = 0;
      b.object = 1;
      a.family = b.family = 0;  // which depends on the objects, not on their classes
      cached = {true, decide(a, b)};
    }
    return cached.verdict;
  }

 private:
  struct Key {
    TagSet tags;
    std::string meets;
    bool zone;
    bool fixed;
    auto operator<=>(const Key&) const = default;
  };
  struct Cached {
    bool known = false;
    Verdict verdict;
  };
  std::map<Key, std::uint32_t> by_key_;
  std::vector<Party> parties_;
  std::vector<std::vector<Cached>> verdicts_;
};

}  // namespace colvik::world
