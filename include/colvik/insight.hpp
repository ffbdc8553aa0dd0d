#pragma once
/// Reading a trace: reports in words, event logs, and why expectations were missed.

#include <colvik/export.hpp>
#include <colvik/run.hpp>
#include <colvik/watch.hpp>

#include <iosfwd>

namespace colvik {

/// Of each missed expectation of a reaction or contact why it was missed: of those who were meant
/// and came furthest, what stopped them; of what happened too often, why each begin counted as new.
/// "" for the others. `again` makes the run that the trace is of, before its first step: it is run
/// once more for `seconds`, watched.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::vector<std::string> why_missed(
    std::span<const Expectation<D>> expectations, const Trace<D>& trace, double seconds,
    const std::function<std::unique_ptr<Run<D>>()>& again);

struct ReportStyle {
  bool colour = false;
  std::size_t firings = 8;             ///< of a reaction that are listed one by one
  bool coverage = false;               ///< all that was never tried, not only some of it
  std::vector<std::string> reasons{};  ///< by expectation: why it was missed (see why_missed)
};

/// What fired, which expectations were met, and how many objects there were; lines of at most 100
/// characters where names allow it.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::string run_report(const Trace<D>& trace,
                                                   std::span<const Expectation<D>> expectations,
                                                   const ReportStyle& style);

/// All that happened to the object of that name, a line each with its time, in order: when it came
/// and went and what removed it, touches, reactions, numbers, tags. "" if there was none.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::string story_of(const Trace<D>& trace, const std::string& name);

/// Writes JSON Lines, one object a line, in the fixed order: of each step the touches, then the
/// reactions; with `all` then objects that came and went, and numbers that changed. docs/events.md
/// lists the keys.
template <int D>
COLVIK_EXPORT void write_events(std::ostream& out, const Trace<D>& trace, bool all = false);

// ---- coverage --------------------------------------------------------------------------------

/// One thing that a run could try.
struct Tried {
  enum class What {
    reaction,  ///< a reaction fired
    negative,  ///< something that does not match was where a reaction expects a touch, and it did
               ///< not fire for it
    zone,      ///< something entered a zone
    tags       ///< two tags that may meet met
  };
  What what = What::reaction;
  std::string name;
  bool tried = false;
};
[[nodiscard]] COLVIK_EXPORT std::string_view name_of(Tried::What what);

struct COLVIK_EXPORT Coverage {
  std::vector<Tried> all;  ///< by what, then in order of the file or of creation
  [[nodiscard]] double percent()
      const;  ///< of all that was tried; 100 when there is nothing to try
};
/// What of a scene a run tried. What is expected `never` counts only if it happened. What filters
/// keep from starting a reaction counts as tried in the negative. Cost: the touches times the
/// reactions, and the square of the different colliders.
template <int D>
[[nodiscard]] COLVIK_EXPORT Coverage coverage(const Trace<D>& trace,
                                              std::span<const Expectation<D>> expectations = {});
/// A line for each sort of thing, with what was never tried; all of it with `full`.
[[nodiscard]] COLVIK_EXPORT std::string coverage_report(const Coverage& coverage, bool full);

// ---- who meets whom --------------------------------------------------------------------------

/// What two of a kind do when they meet.
struct Meeting {
  std::string first;
  std::string second;  ///< tags, or objects
  bool solid = false;
  bool zone = false;
  std::string why;  ///< when neither: the rule that keeps them apart; else which accept each other
};
/// Of each two tags (or objects, with `objects`) that the scene has, as it was at the start of the
/// run.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::vector<Meeting> who_meets(const Trace<D>& trace,
                                                           bool objects = false);
/// The same as a table for a terminal, and why those that do not meet do not.
[[nodiscard]] COLVIK_EXPORT std::string who_report(std::span<const Meeting> meetings);

// ---- comparing -------------------------------------------------------------------------------

/// A reaction that fired or a touch that began.
struct Happening {
  std::string what;  ///< the reaction's name, or "solid touch", "zone touch"
  std::string self;
  std::string other;
  double time = 0;
};
template <int D>
[[nodiscard]] COLVIK_EXPORT std::vector<Happening> happenings(const Trace<D>& trace);
/// The same from an event log (see write_events). Fails with the line that cannot be read.
[[nodiscard]] COLVIK_EXPORT Result<std::vector<Happening>> read_happenings(std::istream& log,
                                                                           const std::string& name);

struct Difference {
  enum class How { only_first, only_second, other_time };
  How how = How::only_first;
  Happening first;
  Happening second;
  std::string why{};  ///< why it did not happen in the other run; may be empty
};
/// The nth of one what with the same self and other is compared with the nth. Times that differ by
/// less than `slack` seconds are the same.
[[nodiscard]] COLVIK_EXPORT std::vector<Difference> compare(std::span<const Happening> first,
                                                            std::span<const Happening> second,
                                                            double slack = 1e-6);
[[nodiscard]] COLVIK_EXPORT std::string compare_report(std::span<const Difference> differences);

// ---- pins ------------------------------------------------------------------------------------

struct PinOptions {
  std::string only{};  ///< tag query or "@object": only what one of these had a part in; "": all
  double slack = 0.1;  ///< seconds around the times at which something fired; >= 0
};
/// What a run did, as expectations that are pinned: how often each reaction fired, for whom and
/// when (of more than 20 pairs only how often), numbers at the end, the outcome. Fails on a query
/// that cannot be read.
template <int D>
[[nodiscard]] COLVIK_EXPORT Result<std::vector<Expectation<D>>> pins(
    const Trace<D>& trace, const PinOptions& options = {});
/// One of them as TOML, for a scene file.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::string pin_text(const Expectation<D>& pin);
/// What it is about, without how often, when and how much: two pins of the same subject say the
/// same or exclude each other.
template <int D>
[[nodiscard]] COLVIK_EXPORT std::string pin_subject(const Expectation<D>& pin);

// ---- results for build servers, and logs of other engines --------------------------------------

/// JUnit XML: an expectation is a test case, with its file and line; `reasons` by expectation.
template <int D>
COLVIK_EXPORT void write_junit(std::ostream& out, const std::string& suite, const Trace<D>& trace,
                               std::span<const Expectation<D>> expectations,
                               std::span<const std::string> reasons = {});

/// A run's results as one JSON object: expectations (met, what was expected and what happened, file
/// and line), how often each reaction fired, what was tried and what never, numbers, outcome.
template <int D>
COLVIK_EXPORT void write_results(std::ostream& out, const std::string& suite, const Trace<D>& trace,
                                 std::span<const Expectation<D>> expectations);

/// Puts a contact log of another engine through a run's reactions, with no simulation: JSON Lines
/// as docs/events.md says, in order of time. Objects that are not there are added with their tags.
/// Fails with the line that cannot be used; what came before it has happened then. Safe on hostile
/// input.
template <int D>
COLVIK_EXPORT Result<void> audit(Run<D>& run, std::istream& log, const std::string& name);

}  // namespace colvik
