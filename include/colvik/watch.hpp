#pragma once
/// Why two objects touched or did not, and why a reaction fired or did not: collected from what the
/// step itself decides, while a world runs.
///
///     colvik::Watch<2> watch(world, rules, {.first = "@courier", .second = "parcel"});
///     run.run_for(5);
///     for (const auto& two : watch.pairs()) std::cout << watch.sentence(two) << '\n';

#include <colvik/attempt.hpp>
#include <colvik/export.hpp>
#include <colvik/rules.hpp>
#include <colvik/who.hpp>

#include <limits>
#include <map>

namespace colvik {

struct WatchQuestion {
  std::string first = "any";   ///< tag query or "@object"
  std::string second = "any";  ///< likewise
  /// Name of a reaction; "": touches alone. Either of the two may be its self.
  std::string reaction{};
  double from = 0;  ///< seconds from the start of the run; only what comes then counts
  double to = std::numeric_limits<double>::infinity();
};

/// How far two came in one step.
template <int D>
struct Progress {
  Stage stage = Stage::absent;
  std::uint64_t step = 0;
  double time = 0;  ///< seconds from the start of the run; of a touch its own
  std::size_t first_collider = 0;
  std::size_t second_collider = 0;
  double gap = std::numeric_limits<double>::infinity();  ///< units apart, of `far` and `apart`
  Vec<D> place = kZero;                                  ///< of the first one then
  Refusal by{};                                          ///< of what a reaction decided
  std::optional<std::size_t> claimed_by{};               ///< of `claimed`
  double approach_speed = 0;  ///< of the touch; at least that of `slower`
  Channel channel = Channel::solid;
  Phase phase = Phase::begin;
  std::string verdict{};  ///< which rule keeps them apart, in words
};

/// A touch of the two, from its begin to its end.
struct WatchedTouch {
  double begin = 0;
  double end = std::numeric_limits<double>::infinity();  ///< infinite: it lasted
  Channel channel = Channel::solid;
  double approach_speed = 0;
  EndCause cause = EndCause::none;
  double parted = 0;  ///< units: how far apart they came before the next touch, or the end
};

/// Two objects in question.
template <int D>
struct WatchedPair {
  std::string first;
  std::string second;  ///< names; "" of what has no second, such as a number's change
  bool meant = true;   ///< false: never what the reaction names as self and other
  Progress<D> furthest{};
  Progress<D> since{};  ///< likewise, since it last fired (without a reaction: since they touched)
  std::vector<WatchedTouch> touches{};
  std::vector<double> fired{};          ///< times, in the window in question
  std::vector<double> fired_outside{};  ///< and outside it
};

/// Listens to a world until it is destroyed; the world and the rules must outlive it. Make it
/// before the first step, after the rules. Cost: each step the pairs that are meant, at most
/// kMostPairs of them; worlds that nobody watches pay nothing.
template <int D>
class COLVIK_EXPORT Watch {
 public:
  static constexpr std::size_t kMostPairs = 10000;

  /// Throws UncheckedError where check() fails.
  Watch(World<D>& world, Rules<D>& rules, const WatchQuestion& question);
  ~Watch();
  Watch(const Watch&) = delete;
  Watch& operator=(const Watch&) = delete;

  /// Fails on tags or a reaction that the world does not have, with the nearest name.
  [[nodiscard]] static Result<void> check(const World<D>& world, const Rules<D>& rules,
                                          const WatchQuestion& question);
  /// Those that are meant, and came furthest, first; of equals the older ones.
  [[nodiscard]] std::vector<WatchedPair<D>> pairs() const;
  [[nodiscard]] bool all_watched() const;  ///< false: there were more than kMostPairs
  /// What became of two, and why, in one sentence.
  [[nodiscard]] std::string sentence(const WatchedPair<D>& two) const;
  /// Likewise why it did not fire once more: of what came since it last did.
  [[nodiscard]] std::string sentence_since(const WatchedPair<D>& two) const;
  /// Each begin of a touch with why it counted as new: how far, and for how long, they had parted.
  [[nodiscard]] std::string touches_of(const WatchedPair<D>& two) const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

extern template class Watch<2>;
extern template class Watch<3>;

}  // namespace colvik
