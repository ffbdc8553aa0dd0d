#pragma once
/// What a run is expected to show, and whether it did.

#include <colvik/export.hpp>
#include <colvik/trace.hpp>

#include <limits>

namespace colvik {

struct ExpectReaction {
  std::string reaction{};
  std::string self = "any";
  std::string other = "any";    ///< tag query or "@object"
  bool once_per_other = false;  ///< it fires, and for no two of them twice
  std::string before{};         ///< another reaction, whose first firing comes later
  std::string after{};          ///< another reaction, each firing of which this one follows...
  double within = std::numeric_limits<double>::infinity();  ///< ...within this many seconds
};
/// A touch that begins, between `first` and `second` in either order.
struct ExpectContact {
  std::string first = "any";
  std::string second = "any";
  std::optional<Channel> channel{};
};
/// A number when the run is over: "world.parcels" or "@courier.charge".
struct ExpectNumber {
  std::string number{};
  std::optional<double> is{};
  std::optional<double> at_least{};
  std::optional<double> at_most{};
  bool always = false;         ///< at all times, not only at the end
  std::optional<double> at{};  ///< at this time, in seconds, instead of at the end
};
/// How many shown objects match a tag query.
struct ExpectCount {
  std::string query = "any";
  std::optional<double> is{};
  std::optional<double> at_least{};
  std::optional<double> at_most{};
  std::optional<double> at{};  ///< at this time, in seconds, instead of at the end
  bool always = false;         ///< after each step
};
struct ExpectOutcome {
  std::string outcome{};
};
/// An object when the run is over.
template <int D>
struct ExpectObject {
  std::string object{};               ///< its name, without '@'
  std::optional<bool> present{};      ///< still there and active, or not
  std::optional<Bounds<D>> inside{};  ///< its position is in here
  std::string region{};               ///< what `inside` is called
  bool always = false;                ///< as long as it is there, not only at the end
  std::optional<double> at{};         ///< at this time, in seconds, instead of at the end
  std::string relative_to{};          ///< the object in whose frame `inside` is; "": the world's
  std::string distance_to{};          ///< the object from whose origin to its own is measured
  std::optional<double> distance_at_least{};
  std::optional<double> distance_at_most{};
  /// Of its origin, as its positions before and after one step say; units per second.
  std::optional<double> speed_at_least{};
  std::optional<double> speed_at_most{};
};
/// A walker: whether it stands, on whom, how high it came. `from` and `to` count.
struct ExpectWalker {
  std::string walker{};          ///< the object's name, without '@'
  std::optional<bool> stands{};  ///< at the end, `at` a time, or `always`
  std::string on{};              ///< tag query or "@object": on one like that; "": on anything
  bool always = false;           ///< in all steps from `from` to `to`
  std::optional<double> at{};    ///< at this time, in seconds, instead of at the end
  std::optional<double> highest_at_least{};
  std::optional<double> highest_at_most{};  ///< of its position along up, in the whole run
};

/// Where in a file something stands; 1-based. line 0: nowhere.
struct Place {
  std::string file{};
  std::uint32_t line = 0;
  std::uint32_t column = 0;
};

template <int D>
struct Expectation {
  std::variant<ExpectReaction, ExpectContact, ExpectNumber, ExpectOutcome, ExpectObject<D>,
               ExpectCount, ExpectWalker>
      what{};
  // How often, for reactions and contacts; at least once by default.
  std::optional<std::uint64_t> times{};
  std::optional<std::uint64_t> at_least{};
  std::optional<std::uint64_t> at_most{};
  bool never = false;
  double from = 0;
  double to = std::numeric_limits<double>::infinity();  ///< seconds; only these times count
  Place place{};
  bool pinned = false;  ///< written from what a run did: that it changed may be meant
};

struct ExpectationResult {
  bool met = false;
  std::string expected;  ///< one sentence
  std::string happened;  ///< likewise; also when met
  Place place;
};

/// An expectation with what came of it, as pages, timelines and recordings keep it.
struct Judged {
  std::string text;
  bool met = false;
  std::string why;       ///< what happened, and why it was missed; may be empty
  std::string reaction;  ///< in whose lane its time is shown; may be empty
  double from = 0;
  double to = 0;  ///< seconds
};

/// Fails when the expectation names what does not exist or requires something impossible.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<void> check_expectation(const Expectation<D>& expectation,
                                                           const Trace<D>& trace);

/// Judges a trace. An expectation that check_expectation refuses counts as missed, with the reason.
template <int D>
[[nodiscard]] COLVIK_EXPORT ExpectationResult judge(const Expectation<D>& expectation,
                                                    const Trace<D>& trace);

}  // namespace colvik
