#pragma once
#include <colvik/explain.hpp>

namespace colvik::reasons {

// Where the first of these keys stands that is there, else the whole.
[[nodiscard]] inline Place key_place(const std::vector<KeyPlaces>& all, std::size_t i,
                                     const std::vector<std::string_view>& keys,
                                     const Place& whole) {
  if (i < all.size() && all[i] != nullptr)
    for (const std::string_view key : keys)
      if (const auto at = all[i]->find(std::string(key)); at != all[i]->end()) return at->second;
  return whole;
}

// Tags that a query names; none of "@object".
[[nodiscard]] std::vector<std::string> names_in(const std::string& query);

// Whose furthest progress is `p`, with the reaction in question, if one was.
template <int D>
struct Case {
  const Scene<D>& scene;
  const Run<D>& run;  // which is over
  const WatchedPair<D>& two;
  const Progress<D>& progress;
  std::optional<std::size_t> reaction;
};

// What to change so that it comes further, and where that stands.
struct Advice {
  std::string text;
  std::vector<Place> places;
};
template <int D>
[[nodiscard]] Advice advice_for(const Case<D>& c);

// Why a reaction whose start is no touch never started.
template <int D>
[[nodiscard]] std::string why_unstarted(const Scene<D>& scene, const Run<D>& run,
                                        std::size_t reaction);

template <int D>
[[nodiscard]] Place place_of_object(const Scene<D>& scene, const Run<D>& run,
                                    const std::string& name,
                                    const std::vector<std::string_view>& keys = {});

}  // namespace colvik::reasons
