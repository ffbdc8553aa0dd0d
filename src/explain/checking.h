#pragma once
#include <algorithm>
#include <set>

#include "explain/explain.h"

namespace colvik::reasons {

// An object of the scene, or a kind that effects bring in, as checks see it.
template <int D>
struct Known {
  const ObjectDef<D>* def = nullptr;
  TagSet tags{};
  std::vector<Party> parties{};
  Place place{};
  bool spawned = false;
  KeyPlaces keys{};

  [[nodiscard]] Place at(const std::vector<std::string_view>& names) const {
    return key_place({keys}, 0, names, place);
  }
};

// What checks read, and add to.
template <int D>
struct Checking {
  const Scene<D>& scene;
  const Run<D>& start;  // before its first step
  std::vector<Known<D>> all{};
  TagSet given{};  // by effects, to anyone
  std::vector<Finding> found{};

  [[nodiscard]] const Tags& tags() const { return start.world.tags(); }
  void add(std::string_view id, const Place& place, std::string of, std::string what,
           std::string todo);
  [[nodiscard]] Place place_of(std::size_t reaction,
                               const std::vector<std::string_view>& keys = {}) const {
    return key_place(
        scene.reaction_keys, reaction, keys,
        reaction < scene.reaction_places.size() ? scene.reaction_places[reaction] : Place{});
  }
  // Those that a query may mean, with the tags that effects may give them.
  [[nodiscard]] std::vector<const Known<D>*> meant(const Who& who) const;
};

// "charge" of "self.charge".
[[nodiscard]] inline std::string last_part(const std::string& number) {
  return number.substr(number.find('.') + 1);
}

// Whom an effect acts on; null if on nobody.
[[nodiscard]] const Target* target_of(const Effect& effect);

template <int D>
void check_tags(Checking<D>& c);
template <int D>
void check_pairs(Checking<D>& c);
template <int D>
void check_effects(Checking<D>& c);
template <int D>
void check_waiting(Checking<D>& c);
template <int D>
void check_numbers(Checking<D>& c);
template <int D>
void check_bodies(Checking<D>& c);
template <int D>
void check_places(Checking<D>& c);
template <int D>
void check_expectations(Checking<D>& c);
template <int D>
void check_run(Checking<D>& c);

}  // namespace colvik::reasons
